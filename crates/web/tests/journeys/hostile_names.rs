//! Names that are markup, in a real browser: on every page that shows a design nothing of them is carried out.

use super::super::{Visit, with_run, with_workshop};
use coil::design::{Design, Format, starting_point};
use e2e::journey;

/// What a name would do if it became markup: one mark for each way.
const DESIGN: &str = "<img src=x onerror=\"window.hit='image'\"><script>window.hit='script'</script>";
const COIL: &str = "\"/><g x-init=\"hit='alpine'\">";

/// A twin coil whose names are all hostile.
fn hostile() -> Design {
    let mut design = starting_point(Format::TwinCoil, DESIGN, 6, 10.0);
    let old: Vec<String> = design.coils.iter().map(|coil| coil.name.clone()).collect();
    for (k, coil) in design.coils.iter_mut().enumerate() {
        coil.name = format!("{COIL}{k}");
        for pole in design.poles.iter_mut().filter(|pole| pole.coil == old[k]) {
            pole.coil.clone_from(&coil.name);
        }
    }
    design.wiring.sense = design
        .wiring
        .sense
        .into_iter()
        .map(|(name, sense)| {
            let k = old.iter().position(|other| *other == name).unwrap_or(0);
            (format!("{COIL}{k}"), sense)
        })
        .collect();
    assert_eq!(design.problems(), [], "the engine takes it: then the pages have to");
    design
}

#[tokio::test(flavor = "multi_thread")]
async fn no_name_is_carried_out_on_any_page() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=twin-coil").await;
    let form = presentation::sheet::form_of(&hostile(), coil::quantity::Units::default());
    let (token, key) = (sheet.field("csrf"), sheet.field("key"));
    let mut fields: Vec<(&str, &str)> = form.iter().collect();
    fields.extend([("csrf", token.as_str()), ("key", key.as_str()), ("note", DESIGN)]);
    let saved = visit.post("/designs", &fields).await;
    assert_eq!(saved.status, 303, "{}", saved.body.len());
    let revision = saved.headers["location"].clone();
    let run = with_run(&mut visit, &revision).await;
    journey(visit.address, |b| async move {
        b.sign_in("ode").await;
        let mut pages: Vec<String> = ["pickup", "laid", "field", "wiring", "listen"]
            .iter()
            .map(|view| format!("{revision}?view={view}"))
            .collect();
        let id = revision.rsplit('/').next().unwrap_or_default().to_owned();
        pages.extend([
            format!("{revision}/share"),
            format!("/compare?of={id}&of={id}"),
            "/designs".to_owned(),
            "/".to_owned(),
            "/logbook".to_owned(),
            run.clone(),
            format!("{run}/station"),
            format!("{run}/paper"),
            "/experiments".to_owned(),
            "/audit".to_owned(),
        ]);
        for page in pages {
            b.go(&page).await;
            b.find("main").await;
            b.until_script("document.readyState === 'complete'").await;
            let hit = b.asked("arguments[0](window.hit ?? null)").await;
            assert!(hit.is_null(), "{page}: {hit}");
            assert_eq!(b.count("main img[src=x], main svg [x-init], main svg script").await, 0, "{page}");
        }
        b
    })
    .await;
}
