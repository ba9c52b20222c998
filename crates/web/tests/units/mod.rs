//! The workshop's units on every page that shows a quantity, and in every field that takes one.

use super::{Answer, Visit, log, with_run, with_workshop};
use scraper::{Html, Selector};

/// Metric quantities in what a page says outside of its files: a number, a blank, the unit as a word of its own.
fn metric_quantities(page: &str) -> Vec<String> {
    let document = Html::parse_document(page);
    let main = document.select(&Selector::parse("main").unwrap()).next().unwrap();
    let text = main.text().collect::<Vec<_>>().join(" ").replace('\u{a0}', " ");
    let words: Vec<&str> = text.split_whitespace().collect();
    let is_metric =
        |word: &str| ["mm", "mT", "°C", "g"].contains(&word.trim_end_matches(['.', ',', ';', ':', ')']));
    let numbers = |word: &str| word.trim_start_matches('(').parse::<f64>().is_ok();
    words
        .windows(2)
        .filter(|pair| numbers(pair[0]) && is_metric(pair[1]))
        // The temperature of reference and the thermal classes keep their names; so do gauges that are diameters.
        .filter(|pair| !matches!(pair, ["20" | "(105" | "(155" | "(180", _] | ["0.063", "mm."]))
        .map(|pair| pair.join(" "))
        .collect()
}

async fn imperial() -> Visit {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let page = visit.get("/settings").await;
    let token = page.field("csrf");
    let fields = [
        ("csrf", token.as_str()),
        ("name", "Sedge Lane"),
        ("units.length", "inch"),
        ("units.temperature", "fahrenheit"),
        ("units.flux", "gauss"),
        ("units.mass", "ounce"),
        ("stops.first", "400"),
        ("stops.every", "2000"),
    ];
    let saved: Answer = visit.post("/settings", &fields).await;
    assert_eq!(saved.status, 303, "{}", saved.body);
    visit
}

#[tokio::test(flavor = "multi_thread")]
async fn every_page_is_in_the_units_of_the_workshop() {
    let mut visit = imperial().await;
    // Typed without a unit, a length is in inches.
    let sheet = visit.get("/designs/new?kind=tall-single").await;
    assert_eq!(sheet.field("coils[0].former.height_mm"), "0.4331");
    let mut fields: Vec<(String, String)> = presentation::sheet::form_of(
        &coil::design::tall_single("Reed", 6, 10.4),
        coil::quantity::Units { length: coil::quantity::LengthUnit::Inch, ..Default::default() },
    )
    .0
    .into_iter()
    .filter(|(name, _)| name != "room_c")
    .collect();
    fields.push(("csrf".into(), sheet.field("csrf")));
    fields.push(("key".into(), sheet.field("key")));
    let mut sent: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    sent.retain(|(name, _)| *name != "coils[0].former.height_mm");
    sent.push(("coils[0].former.height_mm", "0.45"));
    let revision = visit.post("/designs", &sent).await.headers["location"].clone();
    let saved = visit.get(&format!("{revision}/design.json")).await;
    assert!(saved.body.contains("\"height_mm\": 11.43"), "{}", saved.body);
    let id = revision.rsplit('/').next().unwrap().to_owned();
    let start = visit.get(&format!("/runs/new?revision={id}")).await;
    assert_eq!(start.field("stops"), "400, 2000, 4000, 6000, 7500");

    let run = with_run(&mut visit, &revision).await;
    let readings = [
        ("turns", "7500"),
        ("resistance", "5.8k"),
        ("coil_c", "72"),
        ("width", "0.55"),
        ("flux_1", "-900"),
        ("probe", "0.02"),
    ];
    assert_eq!(log(&mut visit, &run, &readings).await.status, 303);
    let page = visit.get(&run).await.body;
    for expected in ["coil at 72 °F", "0.550 in", "-900 G", "0.02 in above"] {
        let plain = page.replace('\u{a0}', " ");
        assert!(plain.contains(expected), "{expected}: {plain}");
    }
    for address in [
        format!("{revision}/edit"),
        format!("{revision}/edit?view=field"),
        revision.clone(),
        format!("{revision}/share?show=dimensions&show=magnets&show=strings&show=plan&show=top&show=section"),
        run.clone(),
        format!("{run}/paper"),
        "/spools".into(),
        "/designs/new".into(),
        "/logbook?column=design&column=coil_c".into(),
    ] {
        let answer = visit.get(&address).await;
        assert_eq!(answer.status, 200, "{address}");
        assert_eq!(metric_quantities(&answer.body), Vec::<String>::new(), "{address}");
    }
}

/// With inches, wire is in feet and ohms per foot. Ohms per metre typed as ohms per foot are far off the gauge: they are asked
/// about, and taken as they are when they come again.
#[tokio::test(flavor = "multi_thread")]
async fn wire_is_in_feet_and_what_is_far_off_its_gauge_is_asked_about() {
    let mut visit = imperial().await;
    let shown = visit.get("/spools").await;
    let (token, key) = (shown.field("csrf"), shown.field("key"));
    let spool = |ohms: &'static str| {
        vec![
            ("csrf", token.clone()),
            ("key", key.clone()),
            ("label", "K-7".to_owned()),
            ("gauge", "42 AWG".to_owned()),
            ("insulation", "polyurethane".to_owned()),
            ("build", "single".to_owned()),
            ("tolerance", "full".to_owned()),
            ("ohms", ohms.to_owned()),
            ("left", "10000 ft".to_owned()),
        ]
    };
    let mut post = async |fields: Vec<(&str, String)>| {
        let fields: Vec<(&str, &str)> = fields.iter().map(|(name, value)| (*name, value.as_str())).collect();
        visit.post("/spools", &fields).await
    };
    let asked = post(spool("1.66 Ω/m")).await;
    assert_eq!((asked.status, asked.field("sure_ohms").as_str()), (422, "1.66 Ω/m"));
    assert!(asked.body.contains("id=\"e-ohms\""), "{}", asked.body);
    assert_eq!(post(spool("1.66")).await.status, 303, "ohms per foot");
    let page = visit.get("/spools/1").await.body;
    assert!(page.contains("10\u{202f}000 ft"), "{page}");
    let list = visit.get("/spools").await.body;
    assert!(list.contains("1.66 Ω/ft"), "{list}");
}
