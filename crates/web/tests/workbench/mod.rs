//! What the workbench and the revision's page answer: targets, overlays, sweeps, labels, archive, what is shared, sounds.

use super::{Answer, Visit, previewed, with_design, with_workshop};
use std::collections::BTreeMap;

async fn begun() -> (Visit, String) {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let revision = with_design(&mut visit).await;
    (visit, revision)
}

/// The sheet that goes on from a revision, with the form's own fields.
async fn sheet(visit: &mut Visit, revision: &str) -> BTreeMap<String, String> {
    let page = visit.get(&format!("{revision}/edit")).await;
    let mut filled = presentation::sheet::form_of(
        &coil::design::tall_single("Sedge", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0;
    for name in ["csrf", "parent", "seen"] {
        filled.insert(name.into(), page.field(name));
    }
    filled
}

async fn post(visit: &mut Visit, path: &str, fields: &[(&str, &str)]) -> Answer {
    let at = path.rsplit_once('/').map_or(path, |(revision, _)| revision).to_owned();
    let page = visit.get(&at).await;
    let (token, key) = (page.field("csrf"), page.field("key"));
    let mut all = vec![("csrf", token.as_str()), ("key", key.as_str())];
    all.extend_from_slice(fields);
    visit.post(path, &all).await
}

fn part_of(json: &serde_json::Value, part: &str) -> String {
    let found = [&json["parts"][part], &json["values"][part]].into_iter().find_map(|v| v.as_str());
    found.unwrap_or_default().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn targets_come_from_words_and_from_a_pickup() {
    let (mut visit, revision) = begun().await;
    let mut filled = sheet(&mut visit, &revision).await;
    filled.insert("view".into(), "search".into());
    filled.insert("step".into(), "preset:fuller".into());
    filled.insert("search_l_from".into(), "9".into());
    let json = previewed(&mut visit, &filled).await;
    let design: coil::design::Design = serde_json::from_str(&part_of(&json, "document")).unwrap();
    let [from, to] = design.targets.inductance_h.unwrap();
    assert!(from > 2.1 && to < 3.1, "{from} {to}");
    assert!(
        part_of(&json, "drawings").contains(&format!("value=\"{from}\"")),
        "the panel shows the aims just made"
    );
    assert!(part_of(&json, "strip").contains("class=\"cell out\" data-cell=\"inductance\""));
    filled.insert("step".into(), "targets-like".into());
    filled.insert("search_like_of".into(), revision.rsplit('/').next().unwrap().into());
    filled.insert("search_like_goal".into(), "output".into());
    filled.insert("search_like_by".into(), "15 %".into());
    let json = previewed(&mut visit, &filled).await;
    let design: coil::design::Design = serde_json::from_str(&part_of(&json, "document")).unwrap();
    let [from, to] = design.targets.output_db.unwrap();
    assert!(from > 0.5 && to < 1.9, "15 % more volts are 1.2 dB: {from} {to}");
    filled.insert("search_like_by".into(), "much".into());
    let json = previewed(&mut visit, &filled).await;
    assert!(json["errors"]["search_like_by"].is_string());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sweep_is_kept_and_laid_over_the_response() {
    let (mut visit, revision) = begun().await;
    let path = format!("{revision}/sweeps");
    let refused = post(&mut visit, &path, &[("sweep_label", "first"), ("points", "100,0\n200,oops\n")]).await;
    assert_eq!(refused.status, 422);
    assert!(!refused.find("#e-points").unwrap().is_empty());
    assert!(refused.find("#f-points").unwrap().contains("oops"), "nothing is lost");
    let points: String = (0..40)
        .map(|k| {
            let hz = 100.0 * 1.13f64.powi(k);
            let x = hz / 4100.0;
            format!("{hz:.1}\t{:.2}\n", -10.0 * ((1.0 - x * x).powi(2) + 0.2 * x * x).log10())
        })
        .collect();
    let long = [("sweep_label", "first coil"), ("points", points.as_str()), ("sweep_input", "long")];
    assert_eq!(post(&mut visit, &path, &long).await.status, 422, "an input in no unit");
    let through = [("sweep_label", "first coil"), ("points", points.as_str()), ("sweep_input", "110")];
    assert_eq!(post(&mut visit, &path, &through).await.status, 303);
    let page = visit.get(&revision).await;
    assert!(page.body.contains("first coil") && page.find(".measured").unwrap().contains("kHz"));
    assert!(page.body.contains("&quot;kind&quot;:&quot;measured&quot;"));
    let mut filled = sheet(&mut visit, &revision).await;
    let json = previewed(&mut visit, &filled).await;
    assert!(part_of(&json, "drawings").contains("<option value=\"s1\">Sedge r1: first coil"));
    filled.insert("overlay".into(), "s1".into());
    let json = previewed(&mut visit, &filled).await;
    assert!(part_of(&json, "drawings").contains("first coil, measured&quot;"));
    assert!(part_of(&json, "drawings").contains("first coil, without the analyser&quot;"));
    assert!(part_of(&json, "drawings").contains("data-overlay-off=\"s1\""));
}

#[tokio::test(flavor = "multi_thread")]
async fn revisions_are_labelled_tagged_archived_and_restored() {
    let (mut visit, revision) = begun().await;
    let keep = format!("{revision}/label");
    let long = "x".repeat(61);
    assert_eq!(post(&mut visit, &keep, &[("label", &long), ("tags", "neck")]).await.status, 422);
    let kept = post(&mut visit, &keep, &[("label", "the bright one"), ("tags", "neck, order 12")]).await;
    assert_eq!(kept.status, 303);
    assert!(visit.get(&revision).await.find("h1").unwrap().contains("the bright one"));
    assert!(visit.get("/designs?tag=order%2012").await.body.contains("Sedge"));
    assert!(!visit.get("/designs?tag=neck&kind=blade").await.body.contains("Sedge"));
    post(&mut visit, &keep, &[("label", ""), ("tags", "neck"), ("archive", "yes")]).await;
    assert!(!visit.get("/designs").await.body.contains("Sedge"));
    assert!(visit.get("/designs?archived=yes").await.body.contains("Sedge"));
    post(&mut visit, &keep, &[("label", ""), ("tags", ""), ("archive", "no")]).await;
    assert!(visit.get("/designs").await.body.contains("Sedge"));
    // A change, and back to before it: nothing is lost, the old design is the newest again.
    let mut filled = sheet(&mut visit, &revision).await;
    filled.insert("coils[0].wind.turns".into(), "8000".into());
    filled.insert("key".into(), "0123456789abcdef0123456789abcdef".into());
    let pairs: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(visit.post(&revision, &pairs).await.status, 303);
    let back = post(&mut visit, &format!("{revision}/restore"), &[]).await;
    let newest = visit.get(&back.headers["location"].clone()).await;
    assert!(newest.find("h1").unwrap().contains("r3"));
    assert!(newest.find(".changes").unwrap().contains("8000"), "against r2, which it comes after");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_share_sheet_shows_what_its_maker_chose() {
    let (mut visit, revision) = begun().await;
    let usual = visit.get(&format!("{revision}/share")).await;
    let sheet = usual.find(".share-sheet").unwrap();
    assert!(sheet.contains("Inductance") && sheet.contains("alnico 5"));
    assert!(!sheet.contains("7500") && !sheet.contains("AWG") && !usual.body.contains("build "), "{sheet}");
    let more = visit.get(&format!("{revision}/share?show=turns&show=wire")).await;
    let sheet = more.find(".share-sheet").unwrap();
    assert!(sheet.contains("7500") && sheet.contains("42 AWG") && !sheet.contains("Inductance"));
    let warned = visit.get(&format!("{revision}/share?show=wire&show=figures")).await;
    assert!(warned.find("form .alert-warning").is_some());
}

#[tokio::test(flavor = "multi_thread")]
async fn both_pickups_are_heard_and_the_difference_is_told() {
    let (mut visit, revision) = begun().await;
    let mut filled = sheet(&mut visit, &revision).await;
    filled.insert("coils[0].wind.turns".into(), "9000".into());
    filled.insert("listen_which".into(), "a".into());
    let pairs: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let heard = visit.post("/designs/audition", &pairs).await;
    assert_eq!((heard.status, heard.headers["content-type"].as_str()), (200, "audio/wav"));
    assert!(heard.body.contains("WAVEfmt"));
    let louder: f64 = heard.headers["filamentum-louder"].parse().unwrap();
    assert!((-3.0..-0.3).contains(&louder), "the revision before has fewer turns: {louder}");
    filled.insert("parent".into(), String::new());
    let pairs: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(visit.post("/designs/audition", &pairs).await.status, 400, "nothing to listen against");
}
