//! Who may do what: invitations, roles, leaving, and shared stations.

use super::*;
use rstest::rstest;
use store::audit::{AuditAction, AuditFilter};
use store::person::Person;
use workshop::{Action, Invitation, MemberChange, PeopleManager, SignInOutcome};

const WORDS: &str = "heron under wet slate";

fn invitation(name: &str, role: Role) -> Invitation {
    Invitation { name: name.into(), sign_in: name.to_lowercase(), role }
}

/// Somebody of a role, with a password.
async fn member(workshop: &Workshop, owner: &Actor, name: &str, role: Role) -> Person {
    let manager = PeopleManager::new(owner).unwrap();
    let (_, link) = workshop.invite(&manager, &invitation(name, role)).await.unwrap();
    let id = workshop.accept_invitation(&link.text(), WORDS.into()).await.unwrap();
    workshop.person(id).await.unwrap().unwrap()
}

#[tokio::test]
async fn an_invitation_holds_once() {
    let (workshop, owner, _) = set_up().await;
    let manager = PeopleManager::new(&owner).unwrap();
    let (id, link) = workshop.invite(&manager, &invitation("Wren", Role::Operator)).await.unwrap();
    let taken = workshop.invite(&manager, &invitation("wren", Role::Viewer)).await.unwrap_err();
    assert_eq!(taken.code(), "name-taken");
    let unnamed = Invitation { name: " \u{7} ".into(), ..invitation("Ivo", Role::Viewer) };
    assert_eq!(workshop.invite(&manager, &unnamed).await.unwrap_err().code(), "unusable-name");
    assert_eq!(workshop.invited(&link.text()).await.unwrap().unwrap().id, id);
    assert!(workshop.invited(&"0".repeat(64)).await.unwrap().is_none());
    let weak = workshop.accept_invitation(&link.text(), "wren wren wren".into()).await.unwrap_err();
    assert_eq!(weak.code(), "weak-password");
    assert_eq!(workshop.accept_invitation(&link.text(), WORDS.into()).await.unwrap(), id);
    assert_eq!(workshop.accept_invitation(&link.text(), WORDS.into()).await.unwrap_err().code(), "not-found");
    let signed_in = workshop.sign_in("WREN", WORDS.into(), HERE).await.unwrap();
    assert_eq!(signed_in, SignInOutcome::SignedIn(id));
}

/// Of two who use a link at the same moment one sets the password.
#[tokio::test]
async fn a_link_is_not_used_twice_at_once() {
    let (workshop, owner, _) = set_up().await;
    let manager = PeopleManager::new(&owner).unwrap();
    let (_, link) = workshop.invite(&manager, &invitation("Wren", Role::Operator)).await.unwrap();
    let token = link.text();
    let (one, two) = tokio::join!(
        workshop.accept_invitation(&token, WORDS.into()),
        workshop.accept_invitation(&token, "otter in the fourth drawer".into())
    );
    assert_eq!(usize::from(one.is_ok()) + usize::from(two.is_ok()), 1);
}

#[tokio::test]
async fn a_new_link_ends_the_one_before_and_the_sessions() {
    let (workshop, owner, store) = set_up().await;
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    let session = store::session::NewSession {
        key_hash: &[9; 32],
        state: "{}",
        person: Some(wren.id),
        station: None,
        public_id: Some("w"),
        address: "",
        agent: "",
    };
    workshop.put_session(&session).await.unwrap();
    let manager = PeopleManager::command_line(owner.workshop);
    let first = workshop.link_password(&manager, wren.id).await.unwrap();
    let second = workshop.link_password(&manager, wren.id).await.unwrap();
    assert!(workshop.invited(&first.text()).await.unwrap().is_none());
    // The password of before holds until the link is used.
    assert_eq!(workshop.sign_in("wren", WORDS.into(), HERE).await.unwrap(), SignInOutcome::SignedIn(wren.id));
    assert!(workshop.named_session_state("w").await.unwrap().is_some());
    workshop.accept_invitation(&second.text(), "otter in the fourth drawer".into()).await.unwrap();
    assert!(workshop.named_session_state("w").await.unwrap().is_none());
    assert_eq!(workshop.sign_in("wren", WORDS.into(), HERE).await.unwrap(), SignInOutcome::Wrong);
    drop(store);
}

#[tokio::test]
async fn who_left_cannot_come_back_and_keeps_their_runs() {
    let (workshop, owner, _) = set_up().await;
    let manager = PeopleManager::new(&owner).unwrap();
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    let revision = design(&workshop, &owner).await;
    let id = run(&workshop, &Actor::from_person(&wren), revision).await;
    workshop.change_member(&manager, wren.id, MemberChange::Disable).await.unwrap();
    assert_eq!(workshop.sign_in("wren", WORDS.into(), HERE).await.unwrap(), SignInOutcome::Wrong);
    let options = workshop.start_options(&owner, revision).await.unwrap();
    assert!(options.people.iter().all(|p| p.id != wren.id), "who left winds no more");
    assert_eq!(workshop.link_password(&manager, wren.id).await.unwrap_err().code(), "not-found");
    workshop.change_member(&manager, wren.id, MemberChange::Enable).await.unwrap();
    assert_eq!(workshop.sign_in("wren", WORDS.into(), HERE).await.unwrap(), SignInOutcome::SignedIn(wren.id));
    workshop.change_member(&manager, wren.id, MemberChange::Anonymise).await.unwrap();
    let gone = workshop.person(wren.id).await.unwrap().unwrap();
    assert!(gone.name != "Wren" && gone.sign_in != "wren" && gone.password_hash.is_none());
    let run = workshop.run_details(&owner, id).await.unwrap().run;
    assert_eq!(run.row.operator, gone.name, "the run is theirs, under the new name");
    let filter = AuditFilter { action: Some(AuditAction::Person), ..AuditFilter::default() };
    let trail = workshop.audit_trail(&owner, &filter, None).await.unwrap();
    assert_eq!(trail.rows.len(), 5, "invited, password set, disabled, enabled, left");
    let text = format!("{trail:?}").to_lowercase();
    assert!(!text.contains("wren") && text.contains(&gone.name.to_lowercase()), "{text}");
}

/// Of two owners who take each other's role away at the same moment, one stays.
#[tokio::test]
async fn a_workshop_never_loses_its_last_owner() {
    let (workshop, owner, _) = set_up().await;
    let manager = PeopleManager::new(&owner).unwrap();
    for change in [MemberChange::Role(Role::Designer), MemberChange::Disable, MemberChange::Anonymise] {
        let refused = workshop.change_member(&manager, owner.person, change).await.unwrap_err();
        assert_eq!(refused.code(), "last-owner", "{change:?}");
    }
    let second = member(&workshop, &owner, "Wren", Role::Owner).await;
    let other = PeopleManager::new(&Actor::from_person(&second)).unwrap();
    let (one, two) = tokio::join!(
        workshop.change_member(&manager, second.id, MemberChange::Role(Role::Operator)),
        workshop.change_member(&other, owner.person, MemberChange::Disable)
    );
    let owners = workshop.members(&PeopleManager::command_line(owner.workshop)).await.unwrap();
    let owners = owners.iter().filter(|m| m.person.role.0 == Role::Owner && m.person.disabled_at.is_none());
    assert_eq!(owners.count(), 1, "{one:?} {two:?}");
}

/// What a role may not do is refused before anything else is looked at, even whether the thing is there.
#[rstest]
#[case(Role::Viewer)]
#[case(Role::Operator)]
#[case(Role::Designer)]
#[case(Role::Owner)]
#[tokio::test]
async fn the_use_cases_keep_the_table(#[case] role: Role) {
    let (workshop, owner, _) = set_up().await;
    let actor = Actor { role, ..owner };
    let none = RunId(999_999);
    let nobody = RevisionId(999_999);
    let save = command(tall_single("Sedge", 6, 10.4));
    let spool = inventory::new_spool("K-1", None);
    let event = LogEvent {
        key: ClientKey::random(),
        event: Event { what: WindingEventKind::Count, at_turn: 10 },
        remark: String::new(),
        is_confirmed: false,
    };
    let code = |refused: Option<Refusal>| refused.map(|r| r.code());
    let results = [
        (Action::ReadRuns, code(workshop.run(&actor, none).await.err())),
        (Action::Wind, code(workshop.log_event(&actor, none, &event).await.err())),
        (Action::ReadStock, code(workshop.spools(&actor).await.err())),
        (Action::ChangeStock, code(workshop.add_spool(&actor, &spool).await.err())),
        (Action::ReadDesigns, code(workshop.revision(&actor, nobody).await.err())),
        (Action::ChangeDesigns, code(workshop.save_revision(&actor, &save).await.err())),
        (Action::ReadAnalysis, code(workshop.effects(&actor).await.err())),
        (Action::ChangeAnalysis, code(workshop.rejudge_run(&actor, none).await.err())),
        (Action::ReadAudit, code(workshop.audit_trail(&actor, &AuditFilter::default(), None).await.err())),
        (Action::ManageSettings, code(workshop.add_station(&actor, "By the window").await.err())),
        (Action::ManagePeople, code(PeopleManager::new(&actor).err())),
        (Action::ReadInstruments, code(workshop.instruments(&actor).await.err())),
        (Action::OwnAccount, code(workshop.own_data(&actor).await.err())),
    ];
    for (action, code) in results {
        assert_eq!(code == Some("not-allowed"), !actor.may(action), "{action:?} by {role:?}: {code:?}");
    }
}

/// An operator winds without seeing what the coil is aimed at.
#[tokio::test]
async fn an_operator_does_not_see_the_target() {
    let (workshop, owner, _) = set_up().await;
    let mut aimed = tall_single("Sedge", 6, 10.4);
    aimed.targets.resistance_ohm = Some([5700.0, 6100.0]);
    let revision = workshop.save_revision(&owner, &command(aimed)).await.unwrap();
    let id = run(&workshop, &owner, revision).await;
    let operator = Actor { role: Role::Operator, ..owner };
    assert!(workshop.run_details(&owner, id).await.unwrap().wound.targets.resistance_ohm.is_some());
    let seen = workshop.run_details(&operator, id).await.unwrap();
    assert!(seen.wound.targets.resistance_ohm.is_none() && seen.run.design.targets.resistance_ohm.is_none());
    let windable = workshop.windable_revisions(&operator).await.unwrap();
    assert_eq!(windable.len(), 1);
    assert_eq!(
        workshop.designs(&operator, &store::design::DesignFilter::default()).await.unwrap_err().code(),
        "not-allowed"
    );
}

#[tokio::test]
async fn a_station_takes_its_code_once_and_people_their_pins() {
    let (workshop, owner, _) = set_up().await;
    let wren = member(&workshop, &owner, "Wren", Role::Designer).await;
    let viewer = member(&workshop, &owner, "Ivo", Role::Viewer).await;
    let code = workshop.add_station(&owner, "By the window").await.unwrap();
    assert_eq!(workshop.enrol_station("AAAA-BBBB-CCCC", HERE).await.unwrap_err().code(), "not-found");
    let station = workshop.enrol_station(&code.to_lowercase(), HERE).await.unwrap();
    assert_eq!(workshop.enrol_station(&code, HERE).await.unwrap_err().code(), "not-found");
    assert!(workshop.people_at(&station).await.unwrap().is_empty(), "nobody has a PIN");
    let pin = |pin: &str| pin.to_owned();
    let refused = workshop.set_own_pin(&Actor::from_person(&wren), pin("1234"), "").await.unwrap_err();
    assert_eq!(refused.code(), "unusable-pin");
    workshop.set_own_pin(&Actor::from_person(&wren), pin("407193"), "").await.unwrap();
    workshop.set_own_pin(&Actor::from_person(&viewer), pin("885621"), "").await.unwrap();
    let there = workshop.people_at(&station).await.unwrap();
    assert_eq!(there.iter().map(|p| p.id).collect::<Vec<_>>(), [wren.id], "a viewer does not wind");
    let wrong = workshop.stand_at(&station, wren.id, pin("407194"), HERE).await.unwrap_err();
    assert_eq!(wrong.code(), "wrong-pin");
    let stands = workshop.stand_at(&station, wren.id, pin("407193"), HERE).await.unwrap();
    let actor = Actor::at_station(&stands);
    assert_eq!(actor.role, Role::Operator, "at a station everyone is an operator");
    assert_eq!(workshop.own_data(&actor).await.unwrap_err().code(), "not-allowed");
    assert_eq!(workshop.set_own_pin(&actor, pin("885621"), "").await.unwrap_err().code(), "not-allowed");
    for _ in 0..5 {
        let _ = workshop.stand_at(&station, wren.id, pin("000001"), HERE).await;
    }
    let guessed = workshop.stand_at(&station, wren.id, pin("407193"), HERE).await.unwrap_err();
    assert_eq!(guessed.code(), "too-many-attempts");
    workshop.retire_station(&owner, station.id).await.unwrap();
    assert!(workshop.station(station.id).await.unwrap().is_none());
}

#[tokio::test]
async fn a_persons_data_are_theirs_alone() {
    let (workshop, owner, _) = set_up().await;
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    let revision = design(&workshop, &owner).await;
    let of_owner = run(&workshop, &owner, revision).await;
    measure_well(&workshop, &owner, of_owner).await;
    let data = workshop.own_data(&Actor::from_person(&wren)).await.unwrap();
    assert_eq!(data["person"][0]["sign_in"], "wren");
    assert!(data["readings"].as_array().unwrap().is_empty() && data["runs"].as_array().unwrap().is_empty());
    let data = workshop.own_data(&owner).await.unwrap();
    assert_eq!(data["runs"].as_array().unwrap().len(), 1);
    assert!(data["readings"].as_array().unwrap().len() >= 2 && !data.to_string().contains("argon2"));
}

/// The code that an authenticator shows, `steps` half minutes from now.
fn code(secret: &str, steps: i64) -> String {
    let now = time::OffsetDateTime::now_utc().unix_timestamp() + 30 * steps;
    let secret = totp_rs::Secret::try_from_base32(secret).unwrap();
    let totp = totp_rs::Builder::new().with_secret(secret).build().unwrap();
    totp.generate(u64::try_from(now).unwrap()).to_string()
}

#[tokio::test]
async fn a_second_factor_is_asked_for_and_each_code_holds_once() {
    let (workshop, owner, store) = set_up().await;
    let (shared, _) = workshop.new_second_factor(&owner, None).await.unwrap();
    assert!(shared.uri.contains(&shared.text) && !format!("{shared:?}").contains(&shared.text));
    let (kept, _) = workshop.new_second_factor(&owner, Some(&shared.text)).await.unwrap();
    assert_eq!(kept, shared, "a mistyped code does not ask for another secret");
    let wrong = workshop.set_second_factor(&owner, &shared.text, "000000", "", HERE).await.unwrap_err();
    assert_eq!(wrong.code(), "wrong-code");
    assert_eq!(workshop.recovery_codes_left(&owner).await.unwrap(), None);
    let now = code(&shared.text, 0);
    let recovery = workshop.set_second_factor(&owner, &shared.text, &now, "", HERE).await.unwrap();
    assert_eq!(workshop.recovery_codes_left(&owner).await.unwrap(), Some(8));
    let other = workshop.new_second_factor(&owner, None).await.unwrap().0.text;
    let replaced = workshop.set_second_factor(&owner, &other, &code(&other, 0), "", HERE).await.unwrap_err();
    assert_eq!(replaced.code(), "second-factor-set", "whoever has the session alone replaces nothing");
    let signed_in = workshop.sign_in("ode", "seven thousand turns".into(), HERE).await.unwrap();
    assert_eq!(signed_in, SignInOutcome::NeedsCode(owner.person));
    let again = workshop.check_second_factor(owner.person, &now, HERE).await.unwrap_err();
    assert_eq!(again.code(), "wrong-code", "it was used to set it");
    let next = code(&shared.text, 1);
    let spaced = format!("{} {}", &next[..3], &next[3..]);
    workshop.check_second_factor(owner.person, &spaced, HERE).await.unwrap();
    assert!(workshop.check_second_factor(owner.person, &next, HERE).await.is_err());
    workshop.check_second_factor(owner.person, &recovery[3].to_lowercase(), HERE).await.unwrap();
    assert!(workshop.check_second_factor(owner.person, &recovery[3], HERE).await.is_err());
    assert_eq!(workshop.recovery_codes_left(&owner).await.unwrap(), Some(7));
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    assert!(workshop.check_second_factor(wren.id, &recovery[4], HERE).await.is_err(), "another's codes");
    for _ in 0..6 {
        let _ = workshop.check_second_factor(owner.person, "000000", HERE).await;
    }
    let guessed = workshop.check_second_factor(owner.person, &recovery[4], HERE).await.unwrap_err();
    assert_eq!(guessed.code(), "too-many-attempts");
    let elsewhere = IpAddr::V4(Ipv4Addr::new(192, 168, 1, 20));
    let wrong = workshop.remove_second_factor(&owner, "not it".into(), "", elsewhere).await.unwrap_err();
    assert_eq!(wrong.code(), "wrong-password");
    workshop.remove_second_factor(&owner, "seven thousand turns".into(), "", elsewhere).await.unwrap();
    let signed_in = workshop.sign_in("ode", "seven thousand turns".into(), HERE).await.unwrap();
    assert_eq!(signed_in, SignInOutcome::SignedIn(owner.person));
    drop(store);
}

/// The database alone, or a backup of it, makes no codes.
#[tokio::test]
async fn secrets_of_second_factors_are_sealed_outside_of_the_database() {
    let (workshop, owner, store) = set_up().await;
    let shared = workshop.new_second_factor(&owner, None).await.unwrap().0.text;
    let recovery = workshop.set_second_factor(&owner, &shared, &code(&shared, 0), "", HERE).await.unwrap();
    assert_eq!(
        store.second_factor(owner.person).await.unwrap().unwrap(),
        shared,
        "kept before there was a key"
    );
    let folder = tempfile::tempdir().unwrap();
    let key = |name: &str| workshop::SecretKey::at(&folder.path().join(name)).unwrap();
    let with_key = workshop.clone().with_secret_key(key("one")).await.unwrap();
    let kept = store.second_factor(owner.person).await.unwrap().unwrap();
    assert!(!kept.contains(&shared));
    with_key.check_second_factor(owner.person, &code(&shared, 1), HERE).await.unwrap();
    // Where the key was lost a recovery code still holds.
    let other = workshop.clone().with_secret_key(key("other")).await.unwrap();
    assert!(other.check_second_factor(owner.person, &code(&shared, 2), HERE).await.is_err());
    other.check_second_factor(owner.person, &recovery[0], HERE).await.unwrap();
    assert_eq!(store.second_factor(owner.person).await.unwrap().unwrap(), kept, "sealed once");
}

#[tokio::test]
async fn an_owner_resets_a_lost_second_factor() {
    let (workshop, owner, _) = set_up().await;
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    let actor = Actor::from_person(&wren);
    let (shared, _) = workshop.new_second_factor(&actor, None).await.unwrap();
    workshop.set_second_factor(&actor, &shared.text, &code(&shared.text, 0), "", HERE).await.unwrap();
    let manager = PeopleManager::new(&owner).unwrap();
    workshop.reset_second_factor(&manager, wren.id).await.unwrap();
    assert_eq!(workshop.sign_in("wren", WORDS.into(), HERE).await.unwrap(), SignInOutcome::SignedIn(wren.id));
    let filter = AuditFilter { action: Some(AuditAction::Person), ..AuditFilter::default() };
    let trail = workshop.audit_trail(&owner, &filter, None).await.unwrap();
    assert!(format!("{trail:?}").contains("second factor") && !format!("{trail:?}").contains(&shared.text));
}

#[tokio::test]
async fn settings_hold_for_everybody_and_leave_a_trail() {
    let (workshop, owner, store) = set_up().await;
    let (name, usual) = workshop.settings(&owner).await.unwrap();
    assert_eq!((name.as_str(), &usual), ("Sedge Lane", &workshop::WorkshopSettings::default()));
    let mut changed = workshop::WorkshopSettings { room_c: 18.5, station_rest_minutes: 2, ..usual };
    workshop.change_settings(&owner, " Marsh Lane ", &changed).await.unwrap();
    assert_eq!(workshop.settings(&owner).await.unwrap(), ("Marsh Lane".to_owned(), changed.clone()));
    let mut design = tall_single("Sedge", 6, 10.4);
    changed.apply_to(&mut design);
    assert!((design.room_c - 18.5).abs() < 1e-12);
    // How far a coil may lie is fixed when its run is started.
    let revision = crate::design(&workshop, &owner).await;
    let before = crate::run(&workshop, &owner, revision).await;
    changed.tolerance.control_sd = 2.0;
    workshop.change_settings(&owner, "Marsh Lane", &changed).await.unwrap();
    let after = crate::run(&workshop, &owner, revision).await;
    for (run, sd) in [(before, 3.0), (after, 2.0)] {
        let found = store.workshop(owner.workshop).run(run).await.unwrap().tolerance.control_sd;
        assert!((found - sd).abs() < 1e-12, "{found}");
    }
    changed.load.volume_kohm = -1.0;
    assert_eq!(
        workshop.change_settings(&owner, "Marsh Lane", &changed).await.unwrap_err().code(),
        "not-predictable"
    );
    assert_eq!(workshop.change_settings(&owner, "", &changed).await.unwrap_err().code(), "unusable-name");
    let filter = AuditFilter { action: Some(AuditAction::Settings), ..AuditFilter::default() };
    let trail = workshop.audit_trail(&owner, &filter, None).await.unwrap();
    assert_eq!(trail.rows.len(), 2);
    assert!(trail.rows[1].before_text.as_deref().unwrap().contains("Sedge Lane"));
}

/// A session ends after as much rest as the workshop grants the person's role.
#[tokio::test]
async fn a_session_lasts_as_the_settings_have_it_for_the_role() {
    let (workshop, owner, store) = set_up().await;
    let wren = member(&workshop, &owner, "Wren", Role::Operator).await;
    let begin = |key: u8, person, id: &'static str| {
        let workshop = workshop.clone();
        async move {
            let session = store::session::NewSession {
                key_hash: &[key; 32],
                state: "{}",
                person: Some(person),
                station: None,
                public_id: Some(id),
                address: "",
                agent: "",
            };
            workshop.put_session(&session).await.unwrap();
        }
    };
    begin(1, owner.person, "a").await;
    begin(2, wren.id, "b").await;
    let seconds = |id: &'static str| {
        let store = store.clone();
        async move { store.session_lasts(id).await.unwrap().unwrap() }
    };
    let close = |found: i64, expected: i64| (expected - 20..=expected).contains(&found);
    assert!(close(seconds("a").await, 30 * 60) && close(seconds("b").await, 30 * 60));
    let mut changed = workshop::WorkshopSettings::default();
    changed.other_session.idle_minutes = 10;
    workshop.change_settings(&owner, "Sedge Lane", &changed).await.unwrap();
    begin(3, wren.id, "c").await;
    assert!(close(seconds("c").await, 600));
}

/// Wrong PINs from many addresses are noticed, and told to the owner alone.
#[tokio::test]
async fn guessing_is_told_to_the_owner() {
    let (workshop, owner, store) = set_up().await;
    workshop.set_own_pin(&owner, "407193".into(), "").await.unwrap();
    let code = workshop.add_station(&owner, "Window").await.unwrap();
    let station = workshop.enrol_station(&code, HERE).await.unwrap();
    for k in 0..9_u8 {
        let from = IpAddr::from([192, 0, 2, k]);
        let tried = workshop.stand_at(&station, owner.person, "111222".into(), from).await.unwrap_err();
        assert_eq!(tried.code(), "wrong-pin");
    }
    let told = store.workshop(owner.workshop).guessing(7).await.unwrap();
    assert_eq!((told.len(), told[0].what.as_str(), told[0].tries), (1, "PIN", 8));
    let is_told = |all: &[workshop::AttentionItem]| {
        all.iter().any(|item| matches!(item, workshop::AttentionItem::Guessing(_)))
    };
    assert!(is_told(&workshop.attention(&owner).await.unwrap()));
    let wren = member(&workshop, &owner, "Wren", Role::Designer).await;
    assert!(!is_told(&workshop.attention(&Actor::from_person(&wren)).await.unwrap()));
}
