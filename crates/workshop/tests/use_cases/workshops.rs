//! Whole workshops: set-up, signing in, what one sees of another, calibration, the logbook.

use super::{HERE, design, first_visit, measure_well, readings, run, set_up};
use std::net::{IpAddr, Ipv4Addr};
use std::time::Duration;
use store::calibration::CalibrationPolicy;
use store::logbook::{LogFilter, Order};
use store::person::{NewPerson, Role};
use store::{ClientKey, InstrumentId, TimerId};
use trade::reading::Kind;
use trade::verdict::Level;
use workshop::{Actor, Refusal, SetUp, SignInOutcome, Workshop};

#[tokio::test]
async fn a_workshop_is_set_up_once() {
    let (workshop, _, _) = set_up().await;
    assert!(workshop.is_set_up().await.unwrap());
    let again = workshop.set_up(first_visit(&workshop), HERE).await;
    assert!(matches!(again, Err(Refusal::AlreadySetUp)));
}

/// Of many first visits at the same moment one becomes the owner.
#[tokio::test(flavor = "multi_thread")]
async fn of_many_at_once_one_sets_it_up() {
    let store = dev_database::fresh_store().await;
    let workshop = Workshop::new(store.clone());
    let visits: Vec<_> = (0..4)
        .map(|k| {
            let workshop = workshop.clone();
            tokio::spawn(async move {
                let visit = SetUp { sign_in: format!("owner{k}"), ..first_visit(&workshop) };
                let from = IpAddr::V4(Ipv4Addr::new(127, 0, 0, k + 1));
                workshop.set_up(visit, from).await.map_err(|refusal| refusal.code())
            })
        })
        .collect();
    let mut outcomes = Vec::new();
    for visit in visits {
        outcomes.push(visit.await.unwrap());
    }
    assert_eq!(outcomes.iter().filter(|o| o.is_ok()).count(), 1, "{outcomes:?}");
    assert_eq!(outcomes.iter().filter(|o| **o == Err("already-set-up")).count(), 3, "{outcomes:?}");
}

#[tokio::test]
async fn setting_up_takes_the_code_and_a_good_password() {
    let store = dev_database::fresh_store().await;
    let workshop = Workshop::new(store.clone());
    let wrong = SetUp { code: "AAAA-AAAA-AAAA".into(), ..first_visit(&workshop) };
    for _ in 0..5 {
        assert_eq!(workshop.set_up(wrong.clone(), HERE).await.unwrap_err().code(), "wrong-set-up-code");
    }
    // Guessing codes is slowed down, even for who then has the right one.
    let too_soon = workshop.set_up(first_visit(&workshop), HERE).await;
    assert_eq!(too_soon.unwrap_err().code(), "too-many-attempts");
    let elsewhere = IpAddr::V4(Ipv4Addr::new(127, 0, 0, 9));
    for (password, code) in [("short", "weak-password"), ("sedgelaneode", "weak-password")] {
        let weak = SetUp { password: password.into(), ..first_visit(&workshop) };
        assert_eq!(workshop.set_up(weak, elsewhere).await.unwrap_err().code(), code);
    }
    let nameless = SetUp { sign_in: " \u{200b}\n".into(), ..first_visit(&workshop) };
    assert_eq!(workshop.set_up(nameless, elsewhere).await.unwrap_err().code(), "unusable-sign-in");
    assert!(!workshop.is_set_up().await.unwrap());
    workshop.set_up(first_visit(&workshop), elsewhere).await.unwrap();
}

#[tokio::test]
async fn signing_in_takes_the_right_name_and_password() {
    let (workshop, actor, _) = set_up().await;
    for name in ["ode", " ODE ", "ｏｄｅ"] {
        let right = workshop.sign_in(name, "seven thousand turns".into(), HERE).await.unwrap();
        assert!(matches!(right, SignInOutcome::SignedIn(id) if id == actor.person), "{name}");
    }
    for (name, password) in [
        ("ode", "seven thousand turn"),
        ("nobody", "seven thousand turns"),
        ("öde", "seven thousand turns"),
        ("", ""),
    ] {
        let wrong = workshop.sign_in(name, password.into(), HERE).await.unwrap();
        assert!(matches!(wrong, SignInOutcome::Wrong), "{name}");
    }
}

#[tokio::test]
async fn guessing_is_slowed_down_and_locks_nobody_out() {
    let (workshop, actor, _) = set_up().await;
    // However the name is spelled, it is one name.
    let spellings = ["ode", "ODE", "ｏde", "oｄe", " ode"];
    for spelling in spellings {
        let wrong = workshop.sign_in(spelling, "six thousand turns".into(), HERE).await.unwrap();
        assert!(matches!(wrong, SignInOutcome::Wrong));
    }
    let Err(Refusal::TooManyAttempts { retry_after }) =
        workshop.sign_in("ode", "six thousand turns".into(), HERE).await
    else {
        panic!("slowed down")
    };
    assert!(retry_after <= Duration::from_mins(1));
    // The owner's own tablet is not held up.
    let elsewhere = IpAddr::V4(Ipv4Addr::new(192, 168, 1, 20));
    let right = workshop.sign_in("ode", "seven thousand turns".into(), elsewhere).await.unwrap();
    assert!(matches!(right, SignInOutcome::SignedIn(id) if id == actor.person));
}

#[tokio::test]
async fn somebody_sees_and_ends_their_own_sessions_only() {
    let (workshop, actor, store) = set_up().await;
    let winder = NewPerson { name: "Wren", sign_in: "wren", password_hash: Some("x"), role: Role::Owner };
    let wren = Actor { person: store.workshop(actor.workshop).add_person(&winder).await.unwrap(), ..actor };
    for (key, person, id) in [(1_u8, actor, "a"), (2, actor, "b"), (3, actor, "c"), (4, wren, "d")] {
        let new = store::session::NewSession {
            key_hash: &[key; 32],
            state: "{}",
            person: Some(person.person),
            public_id: Some(id),
            address: "192.168.1.20",
            agent: "a browser",
            station: None,
        };
        workshop.put_session(&new).await.unwrap();
    }
    assert_eq!(workshop.own_sessions(&actor).await.unwrap().len(), 3);
    assert_eq!(workshop.end_own_session(&wren, "a").await.unwrap_err().code(), "not-found");
    workshop.end_own_session(&actor, "a").await.unwrap();
    assert!(
        workshop.named_session_state("a").await.unwrap().is_none()
            && workshop.named_session_state("b").await.unwrap().is_some()
    );
    assert!(workshop.session_state(&[1; 32]).await.unwrap().is_none());
    assert_eq!(workshop.end_own_other_sessions(&actor, "c").await.unwrap(), 1);
    assert!(
        workshop.named_session_state("c").await.unwrap().is_some()
            && workshop.named_session_state("d").await.unwrap().is_some()
    );
}

/// What one workshop has, another neither sees nor changes, by whatever number.
#[tokio::test]
async fn nothing_of_another_workshop_is_reached() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    measure_well(&workshop, &actor, id).await;
    let owner = NewPerson { name: "Wren", sign_in: "wren", password_hash: Some("x"), role: Role::Owner };
    let (other, person) = store.create_workshop("Other", &owner).await.unwrap();
    let stranger = Actor { person, workshop: other, role: Role::Owner, is_at_station: false };
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    assert_eq!(workshop.revision(&stranger, revision).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.revision_details(&stranger, revision).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.run_details(&stranger, id).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.start_options(&stranger, revision).await.unwrap_err().code(), "not-found");
    assert_eq!(
        workshop.compare(&stranger, &[workshop::ComparedId::Revision(revision)]).await.unwrap_err().code(),
        "not-found"
    );
    assert_eq!(workshop.instrument(&stranger, InstrumentId(1)).await.unwrap_err().code(), "not-found");
    let restored = workshop.restore_revision(&stranger, revision, ClientKey::random()).await;
    assert_eq!(restored.unwrap_err().code(), "not-found");
    let one = readings(&[(Kind::Turns, 7000.0)]);
    assert_eq!(workshop.log_readings(&stranger, id, one).await.unwrap_err().code(), "not-found");
    assert!(workshop.logged_designs(&stranger).await.unwrap().is_empty());
    assert!(workshop.series(&stranger, of).await.unwrap().0.is_empty());
    let (rows, count) = workshop.logbook_page(&stranger, &LogFilter::default(), 0).await.unwrap();
    assert!(rows.is_empty() && count == 0);
    assert_eq!(workshop.stop_timer(&stranger, TimerId(1)).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.run_details(&actor, id).await.unwrap().readings.len(), 3);
}

#[tokio::test]
async fn the_logbook_is_filtered_and_ordered() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let mut ids = Vec::new();
    for _ in 0..3 {
        ids.push(run(&workshop, &actor, revision).await);
    }
    measure_well(&workshop, &actor, ids[1]).await;
    let rows = |filter: LogFilter| {
        let workshop = workshop.clone();
        async move {
            let (rows, _) = workshop.logbook_page(&actor, &filter, 0).await.unwrap();
            rows.into_iter().map(|r| r.number).collect::<Vec<_>>()
        }
    };
    assert_eq!(rows(LogFilter::default()).await, [3, 2, 1]);
    assert_eq!(rows(LogFilter { rising: true, ..LogFilter::default() }).await, [1, 2, 3]);
    assert_eq!(rows(LogFilter { level: Some(Level::Pass), ..LogFilter::default() }).await, [2]);
    assert_eq!(rows(LogFilter { level: Some(Level::Waiting), ..LogFilter::default() }).await, [3, 1]);
    assert_eq!(rows(LogFilter { operator: Some(actor.person), ..LogFilter::default() }).await.len(), 3);
    assert!(rows(LogFilter { words: "nowhere".into(), ..LogFilter::default() }).await.is_empty());
    let by_ohms = LogFilter { order: Order::Resistance, ..LogFilter::default() };
    assert_eq!(rows(by_ohms).await[0], 2);
    let choices = workshop.filter_choices(&actor).await.unwrap();
    assert_eq!((choices.designs.len(), choices.people.len()), (1, 1));
}

#[tokio::test]
async fn a_calibration_is_kept_frozen_or_switched_off() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    assert!(matches!(workshop.freeze_calibration(&actor, of).await, Err(Refusal::NoCalibration)));
    for _ in 0..5 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
    }
    let first = workshop.fit_now(&actor).await.unwrap();
    assert!(first.is_some() || workshop.newest_calibration(&actor).await.unwrap().is_some());
    let newest = workshop.newest_calibration(&actor).await.unwrap().unwrap();
    workshop.freeze_calibration(&actor, of).await.unwrap();
    let applied = workshop.applied_calibration(&actor, Some(of)).await.unwrap();
    assert!(matches!(applied.policy, CalibrationPolicy::Frozen(id) if id.0 >= newest.row.id.0));
    workshop.set_calibration_policy(&actor, of, CalibrationPolicy::Off).await.unwrap();
    let design = workshop.revision(&actor, revision).await.unwrap().design;
    let off = workshop.applied_calibration(&actor, Some(of)).await.unwrap();
    assert!(off.for_design(&design).is_empty());
    workshop.set_calibration_policy(&actor, of, CalibrationPolicy::On).await.unwrap();
    workshop.set_calibration_enabled(&actor, false).await.unwrap();
    let disabled = workshop.applied_calibration(&actor, Some(of)).await.unwrap();
    assert!(disabled.for_design(&design).is_empty());
    assert!(!workshop.calibration_overview(&actor, None).await.unwrap().enabled);
}
