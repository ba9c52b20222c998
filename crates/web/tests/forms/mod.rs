//! Bad input: refused with a message at its field, and nothing that was typed is lost.

use super::{Visit, with_design, with_workshop};
use rstest::rstest;
use store::ClientKey;

/// A form: where it stands, where it is sent, and what is filled in.
struct Form {
    page: &'static str,
    to: &'static str,
    good: &'static [(&'static str, &'static str)],
}

const SPOOL: Form = Form {
    page: "/spools",
    to: "/spools",
    good: &[
        ("label", "K-7"),
        ("gauge", "42 AWG"),
        ("insulation", "polyvinyl-acetal"),
        ("build", "heavy"),
        ("tolerance", "full"),
        ("overall", "0.0734"),
        ("ohms", "5.61"),
        ("at_c", "20"),
        ("left", "3000"),
        ("remark", "from the drawer"),
    ],
};
const PART: Form = Form {
    page: "/parts",
    to: "/parts",
    good: &[
        ("kind", "magnet"),
        ("name", "rod, 4.75 × 17 mm"),
        ("stock", "60"),
        ("cost", "0.85"),
        ("below", "24"),
        ("supplier", "Fenlark"),
    ],
};
const INSTRUMENT: Form = Form {
    page: "/instruments",
    to: "/instruments",
    good: &[
        ("kind", "ohm"),
        ("name", "Bench meter"),
        ("address", "192.168.1.40:5025"),
        ("resolution", "0.1"),
        ("accuracy", "0.05 %"),
        ("test_hz", "1000"),
        ("due", "2027-05-01"),
    ],
};
const SETTINGS: Form = Form {
    page: "/settings",
    to: "/settings",
    good: &[
        ("name", "Sedge Lane"),
        ("room_c", "21.5"),
        ("load.volume_kohm", "500"),
        ("load.tone_kohm", "250"),
        ("load.tone_nf", "22"),
        ("load.cable_pf", "600"),
        ("stops.first", "250"),
        ("stops.every", "2000"),
        ("tolerance.control_sd", "2.5"),
        ("owner_session.idle_minutes", "45"),
        ("other_session.longest_hours", "24"),
        ("station_rest_minutes", "3"),
        ("units.length", "inch"),
    ],
};

async fn visit() -> Visit {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    with_design(&mut visit).await;
    visit
}

/// Sends a form with one field changed; gives the answer.
async fn send(visit: &mut Visit, form: &Form, changed: (&str, &str)) -> super::Answer {
    let token = visit.get(form.page).await.field("csrf");
    let key = ClientKey::random();
    let mut fields = vec![("csrf", token.as_str()), ("key", key.as_str())];
    fields.extend(form.good.iter().map(|(n, v)| if *n == changed.0 { changed } else { (*n, *v) }));
    visit.post(form.to, &fields).await
}

/// Whether a field of the page holds a value, typed or chosen.
fn holds(page: &super::Answer, name: &str, value: &str) -> bool {
    let chosen = format!("[name='{name}'] option[selected][value='{value}']");
    page.field(name) == value || page.find(&chosen).is_some()
}

#[rstest]
#[case(&SPOOL, &[
    ("label", ""), ("label", "x\u{0}"), ("gauge", "12"), ("gauge", ""), ("insulation", "cheese"), ("build", ""),
    ("tolerance", "some"), ("overall", "9"), ("overall", "0.03"), ("overall", "thin"), ("ohms", "0"), ("at_c", "300"),
    ("left", "-5"), ("left", "much"),
])]
#[case(&PART, &[
    ("kind", "cheese"), ("name", ""), ("stock", "-1"), ("stock", "many"), ("cost", "-0.5"), ("cost", "1e9"),
    ("below", "some"),
])]
#[case(&INSTRUMENT, &[
    ("kind", ""), ("name", ""), ("address", "192.168.1.40"), ("address", ":5025"), ("address", "host:99999"),
    ("address", "127.0.0.1:3306"), ("resolution", "-1"), ("accuracy", "200"), ("test_hz", "1"), ("due", "May"),
    ("due", "2027-13-01"),
])]
#[case(&SETTINGS, &[
    ("name", ""), ("room_c", "warm"), ("room_c", "900"), ("load.volume_kohm", "-1"), ("load.tone_nf", "1e9"),
    ("load.cable_pf", ""), ("stops.first", "60000"), ("stops.every", "10"), ("tolerance.control_sd", "1"),
    ("owner_session.idle_minutes", "2"), ("other_session.longest_hours", "1000"), ("station_rest_minutes", "0"),
    ("units.length", "cubit"),
])]
#[tokio::test(flavor = "multi_thread")]
async fn what_is_wrong_is_told_at_its_field_and_nothing_typed_is_lost(
    #[case] form: &Form,
    #[case] wrong: &[(&str, &str)],
) {
    let mut visit = visit().await;
    for changed in wrong {
        let answer = send(&mut visit, form, *changed).await;
        assert_eq!(answer.status, 422, "{changed:?}");
        let message = answer.find(&format!("[id='e-{}']", changed.0));
        assert!(message.is_some_and(|text| !text.is_empty()), "{changed:?}: {}", answer.body);
        for (name, value) in form.good.iter().filter(|(name, _)| *name != changed.0) {
            assert!(holds(&answer, name, value), "{changed:?} lost {name}");
        }
    }
}

/// A part's own forms, in its row of the list.
#[tokio::test(flavor = "multi_thread")]
async fn a_refused_change_of_a_part_keeps_what_was_typed_in_its_row() {
    let mut visit = visit().await;
    assert_eq!(send(&mut visit, &PART, ("", "")).await.status, 303);
    let token = visit.get("/parts").await.field("csrf");
    let key = ClientKey::random();
    let edit = [("csrf", token.as_str()), ("cost", "cheap"), ("below", "30"), ("supplier", "Marsh Metal")];
    let refused = visit.post("/parts/1", &edit).await;
    assert_eq!(refused.status, 422);
    let row = |css: &str| refused.find(css).is_some();
    assert!(row("details[open] [name=cost][value='cheap']") && row("details[open] [name=below][value='30']"));
    assert!(row("details[open] [name=supplier][value='Marsh Metal']"));
    let moved = [
        ("csrf", token.as_str()),
        ("key", key.as_str()),
        ("count", "some"),
        ("why", "found behind the bench"),
    ];
    let refused = visit.post("/parts/1/moves", &moved).await;
    assert_eq!(refused.status, 422);
    assert_eq!(
        (refused.field("count").as_str(), refused.field("why").as_str()),
        ("some", "found behind the bench")
    );
    assert!(refused.find("#f-name[value='']").is_some(), "the form that adds a part is left alone");
}
