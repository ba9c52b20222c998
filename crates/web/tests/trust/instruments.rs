//! Instruments over HTTP: what is changed of them, by whom, and what a machine's profile may be.

use super::visit;
use crate::Visit;

async fn post(visit: &mut Visit, page: &str, path: &str, fields: &[(&str, &str)]) -> crate::Answer {
    let shown = visit.get(page).await;
    let token = shown.field("csrf");
    let mut all = vec![("csrf", token.as_str())];
    all.extend_from_slice(fields);
    visit.post(path, &all).await
}

async fn with_winder() -> Visit {
    let (mut visit, store) = visit().await;
    let person = store.person_by_sign_in("ode").await.unwrap().unwrap();
    let new = store::instrument::NewInstrument {
        key: store::ClientKey::random(),
        kind: trade::instrument::InstrumentKind::Winder,
        name: "Winder one",
        address: "127.0.0.1:9",
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(person.workshop_id).add_instrument(person.id, &new).await.unwrap();
    visit.sign_in("ode", "seven thousand turns").await;
    visit
}

/// What is wrong is told at its field and nothing of the form is lost; what was changed meanwhile is not written over.
#[tokio::test(flavor = "multi_thread")]
async fn an_instrument_is_changed_on_its_page() {
    let mut visit = with_winder().await;
    let edit = "/instruments/1/edit";
    let page = visit.get(edit).await;
    assert_eq!((page.field("name").as_str(), page.field("version").as_str()), ("Winder one", "1"));
    let sent = |due: &'static str, version: &'static str| {
        [("name", "Winder left"), ("address", "127.0.0.1:9"), ("due", due), ("version", version)]
    };
    let refused = post(&mut visit, edit, "/instruments/1", &sent("next May", "1")).await;
    assert_eq!(refused.status, 422);
    assert!(refused.find("#e-due").is_some_and(|text| !text.is_empty()));
    assert_eq!(refused.field("name"), "Winder left");
    assert_eq!(post(&mut visit, edit, "/instruments/1", &sent("2027-05-01", "1")).await.status, 303);
    let late = post(&mut visit, edit, "/instruments/1", &sent("2028-01-01", "1")).await;
    assert_eq!(late.status, 422);
    assert!(late.find("#e-name").is_some_and(|text| text.contains("Somebody else")));
    assert!(visit.get("/instruments").await.body.contains("2027-05-01"));
    assert_eq!(visit.get("/instruments/99/edit").await.status, 404);
    // Without a known input no resonance is shown as it would.
    assert_eq!(post(&mut visit, edit, "/instruments/1/shown", &[]).await.status, 303);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_machines_profile_is_checked_field_by_field() {
    let mut visit = with_winder().await;
    let page = "/instruments/1/machine";
    let usual = visit.get(page).await;
    assert_eq!((usual.field("low").as_str(), usual.field("most").as_str()), ("0", "1500"));
    let sent = |high: &'static str, most: &'static str, header: &'static str| {
        [
            ("drive", "synchronised-feed"),
            ("rotary", "A"),
            ("guide", "X"),
            ("sense", "no"),
            ("flange", "5"),
            ("low", "0"),
            ("high", high),
            ("step", "4"),
            ("least", "20"),
            ("most", most),
            ("header", header),
            ("footer", ""),
        ]
    };
    for (high, most, header, field) in [
        ("-3", "900", "", "#e-high"),
        ("30", "0", "", "#e-most"),
        ("30", "900", "M30", "#e-header"),
        ("far", "900", "", "#e-high"),
    ] {
        let refused = post(&mut visit, page, page, &sent(high, most, header)).await;
        assert_eq!(refused.status, 422, "{field}");
        assert!(refused.find(field).is_some_and(|text| !text.is_empty()), "{field}");
    }
    assert_eq!(post(&mut visit, page, page, &sent("30", "900", "G54")).await.status, 303);
    let kept = visit.get(page).await;
    assert_eq!((kept.field("high").as_str(), kept.field("flange").as_str()), ("30", "5"));
    assert!(kept.body.contains("G54"));
}
