//! Sets over HTTP: what is typed is kept, what cannot be is told at its field, and what is saved is what is shown.

use super::{Answer, Fields, Visit, fields_of, send, with_design, with_workshop};
use scraper::{Html, Selector};
use serde_json::Value;

fn json(answer: &Answer) -> Value {
    assert_eq!(answer.status, 200, "{}", answer.body);
    serde_json::from_str(&answer.body).unwrap()
}

/// A visit with one design and a new set's form of two pickups of it.
async fn begun() -> (Visit, Fields) {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    with_design(&mut visit).await;
    let mut fields = fields_of(&visit.get("/sets/new").await, "#set-form");
    fields.insert("name".into(), "Sedge pair".into());
    for p in ["p0_revision", "p1_revision"] {
        fields.insert(p.into(), "1".into());
    }
    (visit, fields)
}

async fn saved() -> (Visit, Fields) {
    let (mut visit, fields) = begun().await;
    let answer = send(&mut visit, "/sets", &fields).await;
    assert_eq!((answer.status, answer.headers["location"].as_str()), (303, "/sets/1"));
    let shown = fields_of(&visit.get("/sets/1").await, "#set-form");
    (visit, shown)
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_typed_is_previewed_and_what_cannot_be_stands_at_its_field() {
    let (mut visit, mut fields) = begun().await;
    let plain = json(&send(&mut visit, "/sets/preview", &fields).await);
    assert!(plain["errors"].as_object().unwrap().is_empty() && plain["fields"].is_null());
    assert!(plain["parts"]["set-figures"].as_str().unwrap().contains("set-positions"));
    for (name, wrong) in [
        ("p0_place", "far"),
        ("p0_place", "700"),
        ("p1_name", "bridge"),
        ("volume", "none"),
        ("cable", "-1"),
        ("balance", "40"),
        ("p1_revision", ""),
        ("p1_revision", "999"),
        ("volume", ""),
        ("name", ""),
    ] {
        let mut changed = fields.clone();
        changed.insert(name.into(), wrong.into());
        let answer = json(&send(&mut visit, "/sets/preview", &changed).await);
        let told = answer["errors"].as_object().unwrap();
        // A name is needed when the set is saved, and not before; what cannot be read has no figures.
        assert_eq!(told.contains_key(name), name != "name", "{name} = {wrong}: {told:?}");
        assert_eq!(answer["parts"]["set-figures"].is_null(), name != "name", "{name} = {wrong}");
        // It is not saved either, and comes back as it was typed.
        let refused = send(&mut visit, "/sets", &changed).await;
        assert_eq!(refused.status, 422, "{name} = {wrong}");
        if name != "p1_revision" {
            assert_eq!(refused.field(name), wrong);
        }
    }
    // No pickup on in a position.
    fields.retain(|name, _| !name.starts_with("s0_on"));
    let none = json(&send(&mut visit, "/sets/preview", &fields).await);
    assert!(none["errors"].as_object().unwrap().contains_key("s0_on"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_step_changes_the_form_and_keeps_what_cannot_be_read() {
    let (mut visit, mut fields) = begun().await;
    fields.insert("volume".into(), "lots".into());
    fields.insert("step".into(), "pickup.add".into());
    let answer = json(&send(&mut visit, "/sets/preview", &fields).await);
    let shown = Html::parse_fragment(answer["fields"].as_str().unwrap());
    let value = |name: &str| {
        let css = Selector::parse(&format!("[name='{name}']")).unwrap();
        shown.select(&css).next().and_then(|e| e.value().attr("value").map(str::to_owned))
    };
    assert_eq!((value("p2_name").as_deref(), value("volume").as_deref()), (Some("neck"), Some("lots")));
    // Three pickups, five positions.
    assert!(value("s4_name").is_some() && value("s5_name").is_none());
    fields.insert("step".into(), "no.such:step".into());
    fields.insert("volume".into(), "500".into());
    assert!(
        json(&send(&mut visit, "/sets/preview", &fields).await)["errors"].as_object().unwrap().is_empty()
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_set_is_changed_by_one_at_a_time_and_put_away() {
    let (mut visit, mut fields) = saved().await;
    let stale = fields.clone();
    fields.insert("p1_leads".into(), "swapped".into());
    assert_eq!(send(&mut visit, "/sets/1", &fields).await.status, 303);
    let list = visit.get("/sets").await;
    assert!(list.find(".stop-word").unwrap().contains("out of phase"));
    let late = send(&mut visit, "/sets/1", &stale).await;
    assert!(late.status == 422 && late.find("[role=alert].alert-warning").is_some(), "{}", late.status);
    // What mends it, by the version that is shown; the version before is told to look again.
    let page = visit.get("/sets/1").await;
    let mut mend = fields_of(&page, "#mend");
    let first = Html::parse_document(&page.body)
        .select(&Selector::parse("button[form=mend]").unwrap())
        .next()
        .and_then(|b| b.value().attr("value").map(str::to_owned))
        .unwrap();
    mend.insert("mend".into(), first);
    let mut old = mend.clone();
    old.insert("version".into(), "1".into());
    send(&mut visit, "/sets/1/mend", &old).await;
    assert!(visit.get("/sets/1").await.find(".flash.alert-warning").is_some());
    send(&mut visit, "/sets/1/mend", &mend).await;
    let mended = visit.get("/sets/1").await;
    assert!(mended.find("#undo-change").is_some() && mended.find(".pair-cell.out").is_none());
    send(&mut visit, "/sets/1/undo", &fields_of(&mended, "#undo-change")).await;
    let undone = visit.get("/sets/1").await;
    assert!(undone.find("#undo-change").is_none() && undone.find(".pair-cell.out").is_some());
    let mut again = fields_of(&undone, "#mend");
    again.insert("mend".into(), mend["mend"].clone());
    send(&mut visit, "/sets/1/mend", &again).await;
    mend.insert("mend".into(), "0:polish".into());
    assert_eq!(send(&mut visit, "/sets/1/mend", &mend).await.status, 404);
    // Archived, it is in the other list, and comes back.
    let token = fields["csrf"].clone();
    visit.post("/sets/1/archive", &[("csrf", &token), ("archived", "yes")]).await;
    assert!(visit.get("/sets").await.find(".empty").is_some());
    assert!(visit.get("/sets?archived=yes").await.body.contains("Sedge pair"));
    visit.post("/sets/1/archive", &[("csrf", &token), ("archived", "no")]).await;
    assert!(visit.get("/sets?q=pair&sort=name").await.body.contains("Sedge pair"));
    assert!(visit.get("/sets?q=nothing").await.find(".empty").is_some());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_set_goes_out_as_a_file_and_comes_in_again() {
    let (mut visit, fields) = saved().await;
    let file = visit.get("/sets/1/set.json").await;
    let set: Value = serde_json::from_str(&file.body).unwrap();
    assert_eq!(
        (set["format"].as_str(), set["pickups"][1]["name"].as_str()),
        (Some("filamentum-set/1"), Some("neck"))
    );
    let token = fields["csrf"].as_str();
    let import = async |visit: &mut Visit, document: &str| {
        let key = store::ClientKey::random();
        visit.post("/sets/import", &[("csrf", token), ("key", key.as_str()), ("document", document)]).await
    };
    let again = import(&mut visit, &file.body).await;
    assert_eq!((again.status, again.headers["location"].as_str()), (303, "/sets/2"));
    let copy = visit.get("/sets/2/set.json").await;
    assert_eq!(serde_json::from_str::<Value>(&copy.body).unwrap(), set);
    for wrong in [
        "",
        "{",
        "{\"format\": \"filamentum-design/1\"}",
        &file.body.replace("\"bridge\"", "\"nowhere\"").replacen("nowhere", "bridge", 1),
    ] {
        let refused = import(&mut visit, wrong).await;
        assert_eq!(refused.status, 422, "{wrong}");
        assert!(!refused.find("#e-document").unwrap().is_empty());
        assert_eq!(refused.find("#document").unwrap(), wrong.trim(), "nothing is lost");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_sheet_for_others_shows_what_is_chosen() {
    let (mut visit, _) = saved().await;
    let usual = visit.get("/sets/1/share").await;
    let article = |answer: &Answer| answer.find("article").unwrap();
    assert!(article(&usual).contains("Position") && !article(&usual).contains("7500"));
    let turns = visit.get("/sets/1/share?show=turns").await;
    assert!(article(&turns).contains("7500") || article(&turns).contains("7,500"), "{}", article(&turns));
    assert!(turns.find(".neck").is_none() && turns.find("article table").is_none());
    let guessed = visit.get("/sets/1/share?show=figures&show=wire").await;
    assert!(guessed.find("form .alert-warning").is_some());
    let heights = visit.get("/sets/1/set-up?radius=300&third=wound").await;
    assert!(heights.status == 200 && heights.body.contains("cents"));
    assert_eq!(visit.get("/sets/1/set-up?radius=round").await.status, 422);
    assert_eq!(visit.get("/sets/9/set-up").await.status, 404);
    let compared = visit.get("/sets/compare?of=1&of=1").await;
    assert_eq!(compared.status, 200);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_search_says_what_it_needs_and_what_it_found() {
    let (mut visit, mut fields) = saved().await;
    let nothing = json(&send(&mut visit, "/sets/search", &fields).await);
    assert!(nothing["errors"].as_object().unwrap().contains_key("r0_turns"));
    fields.insert("r0_turns".into(), "90".into());
    assert!(json(&send(&mut visit, "/sets/search", &fields).await)["errors"]["r0_turns"].is_string());
    fields.insert("r0_turns".into(), "20".into());
    fields.insert("balance".into(), "0.5".into());
    let begun = json(&send(&mut visit, "/sets/search", &fields).await);
    let job = begun["job"].as_str().unwrap().to_owned();
    let results = loop {
        let now = json(&visit.get(&format!("/sets/search/{job}?set=1&version=1")).await);
        assert!((0.0..=1.0).contains(&now["share"].as_f64().unwrap()));
        if now["done"] == Value::Bool(true) {
            break now["results"].as_str().unwrap().to_owned();
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    };
    let found = Html::parse_fragment(&results);
    let taken = found.select(&Selector::parse("button[name=moves]").unwrap()).next().unwrap();
    let moves = taken.value().attr("value").unwrap().to_owned();
    let mut take: Fields = ["csrf", "key", "version"]
        .into_iter()
        .filter_map(|name| {
            let css = Selector::parse(&format!("[name={name}]")).unwrap();
            Some((name.to_owned(), found.select(&css).next()?.value().attr("value")?.to_owned()))
        })
        .collect();
    take.insert("moves".into(), "1;x;0".into());
    assert_eq!(send(&mut visit, "/sets/1/moves", &take).await.status, 404);
    take.insert("moves".into(), moves);
    assert_eq!(send(&mut visit, "/sets/1/moves", &take).await.status, 303);
    assert!(visit.get("/sets/1").await.find("#undo-change").is_some());
    assert_eq!(visit.get("/sets/search/0123").await.status, 404);
}

/// A set's name goes onto paper as it is, also where it holds what looks like the number of a revision; a revision's own
/// number stays in the house.
#[tokio::test(flavor = "multi_thread")]
async fn papers_of_an_order_name_what_is_in_it() {
    let (mut visit, mut fields) = begun().await;
    fields.insert("name".into(), "Sedge ready r2d for the harbour".into());
    assert_eq!(send(&mut visit, "/sets", &fields).await.status, 303);
    let mut order = fields_of(&visit.get("/orders/new").await, "main");
    order.insert("customer".into(), "mark <A>".into());
    for (name, value) in [
        ("item0", "s1"),
        ("quantity0", "2"),
        ("options0", "black leads"),
        ("item1", "r1"),
        ("quantity1", "1"),
    ] {
        order.insert(name.into(), value.into());
    }
    let answer = send(&mut visit, "/orders", &order).await;
    assert_eq!(answer.status, 303, "{}", answer.body);
    for path in ["/orders/1/paper", "/orders/1/paper?as=slip"] {
        let paper = visit.get(path).await;
        assert_eq!(paper.status, 200, "{path}");
        assert!(paper.body.contains("Sedge ready r2d for the harbour"), "{path}");
        assert!(paper.body.contains("black leads") && paper.body.contains("mark &#60;A&#62;"), "{path}");
        assert!(!paper.body.contains(" r1<"), "{path}: the number of a revision");
    }
}
