//! People: setting up, links to set a password, roles, PINs, second factors, sessions, stations, feeds.

use super::{design, run_of, workshop};
use dev_database::fresh_store;
use rstest::rstest;
use store::audit::{AuditAction, AuditFilter};
use store::person::{NewPerson, PersonChange, Role};
use store::session::{NewSession, SessionLimits};
use store::{FeedId, PersonId, StationId, Store, StoreError, WorkshopId};
use time::Duration;

const LIMITS: SessionLimits = SessionLimits { idle: Duration::hours(1), longest: Duration::hours(10) };

fn new(sign_in: &str, role: Role) -> NewPerson<'_> {
    NewPerson { name: "Ivo", sign_in, password_hash: None, role }
}

async fn session(store: &Store, key: u8, person: PersonId, limits: SessionLimits) -> String {
    let name = format!("{key:032x}");
    let new = NewSession {
        key_hash: &[key; 32],
        state: "{}",
        person: Some(person),
        station: None,
        public_id: Some(&name),
        address: "127.0.0.1",
        agent: "a browser",
    };
    store.put_session(&new, limits).await.unwrap();
    name
}

async fn changes(store: &Store, workshop: WorkshopId, action: AuditAction) -> usize {
    let filter = AuditFilter { action: Some(action), ..AuditFilter::default() };
    store.workshop(workshop).audit_trail(&filter, None, 50).await.unwrap().len()
}

/// Of several who set the installation up in the same moment, one does.
#[tokio::test]
async fn the_installation_is_set_up_once() {
    let store = fresh_store().await;
    let names = ["kestrel", "heron", "egret"];
    let owners = names.map(|name| new(name, Role::Viewer));
    let tries = names.iter().zip(&owners).map(|(name, owner)| store.set_up(name, owner));
    let made: Vec<_> = futures_util::future::join_all(tries).await;
    assert_eq!(made.iter().filter(|m| m.is_ok()).count(), 1);
    let all = store.workshops().await.unwrap();
    assert_eq!(all.len(), 1);
    // Whoever does it is the owner, whatever was asked for.
    let people = store.workshop(all[0].0).people().await.unwrap();
    assert_eq!((people.len(), people[0].role.0), (1, Role::Owner));
}

#[tokio::test]
async fn a_link_sets_a_password_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let ivo =
        own.invite(Some(owner), &new("ivo", Role::Operator), &[1; 32], Duration::days(2)).await.unwrap();
    assert_eq!(own.password_links().await.unwrap()[0].0, ivo);
    assert_eq!(store.person_by_password_link(&[1; 32]).await.unwrap().unwrap().id, ivo);
    // Another link ends the first.
    own.link_password(None, ivo, &[2; 32], Duration::days(2)).await.unwrap();
    assert!(store.person_by_password_link(&[1; 32]).await.unwrap().is_none());
    assert!(matches!(store.use_password_link(&[1; 32], "h").await, Err(StoreError::Missing("link"))));
    session(&store, 7, ivo, LIMITS).await;
    assert_eq!(store.use_password_link(&[2; 32], "hash").await.unwrap(), ivo);
    assert!(store.use_password_link(&[2; 32], "other").await.is_err(), "it was used");
    let person = store.person(ivo).await.unwrap().unwrap();
    assert_eq!((person.password_hash.as_deref(), person.role.0), (Some("hash"), Role::Operator));
    assert!(store.sessions_of(ivo).await.unwrap().is_empty(), "who was signed in by the old one is out");
    assert!(own.password_links().await.unwrap().is_empty());
    assert!(!format!("{person:?}").contains("hash"), "what is printed may end in a log");
}

#[rstest]
#[case(Duration::seconds(-1))]
#[case(Duration::days(-400))]
#[tokio::test]
async fn a_link_that_is_over_sets_nothing(#[case] lasts: Duration) {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    own.invite(Some(owner), &new("ivo", Role::Viewer), &[1; 32], lasts).await.unwrap();
    assert!(store.person_by_password_link(&[1; 32]).await.unwrap().is_none());
    assert!(store.use_password_link(&[1; 32], "h").await.is_err());
    assert!(own.password_links().await.unwrap().is_empty());
    assert!(matches!(
        own.link_password(None, PersonId(999), &[3; 32], Duration::DAY).await,
        Err(StoreError::Missing("person"))
    ));
}

/// The last owner stays one; who leaves is out at once, and keeps no way in.
#[tokio::test]
async fn people_change_and_leave() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    for change in
        [PersonChange::Role(Role::Viewer), PersonChange::Disable, PersonChange::Anonymise { name: "x" }]
    {
        assert!(matches!(own.change_person(None, owner, change).await, Err(StoreError::LastOwner)));
        let theirs = own.change_person(Some(owner), stranger, change).await;
        assert!(matches!(theirs, Err(StoreError::Missing("person"))), "of another workshop");
    }
    let ivo = own.invite(None, &new("ivo", Role::Operator), &[1; 32], Duration::DAY).await.unwrap();
    own.change_person(Some(owner), ivo, PersonChange::Role(Role::Owner)).await.unwrap();
    // Two who take each other's role away: one of them stays.
    let (a, b) = tokio::join!(
        own.change_person(Some(owner), ivo, PersonChange::Role(Role::Viewer)),
        own.change_person(Some(ivo), owner, PersonChange::Role(Role::Viewer)),
    );
    assert_eq!(usize::from(a.is_ok()) + usize::from(b.is_ok()), 1);
    let people = own.people().await.unwrap();
    let owners: Vec<PersonId> = people.iter().filter(|p| p.role.0 == Role::Owner).map(|p| p.id).collect();
    assert_eq!(owners.len(), 1);
    let leaves = if owners[0] == owner { ivo } else { owner };
    own.set_pin(leaves, Some("pin"), "").await.unwrap();
    assert_eq!(store.person(leaves).await.unwrap().unwrap().pin_hash.as_deref(), Some("pin"));
    session(&store, 7, leaves, LIMITS).await;
    // Either of the two may be the one who leaves.
    own.link_password(Some(owners[0]), leaves, &[2; 32], Duration::DAY).await.unwrap();
    assert_eq!(store.person_by_password_link(&[2; 32]).await.unwrap().map(|p| p.id), Some(leaves));
    own.change_person(Some(owners[0]), leaves, PersonChange::Disable).await.unwrap();
    let person = store.person(leaves).await.unwrap().unwrap();
    assert!(person.disabled_at.is_some() && store.sessions_of(leaves).await.unwrap().is_empty());
    assert!(store.person_by_password_link(&[2; 32]).await.unwrap().is_none(), "nor by a link");
    own.change_person(Some(owners[0]), leaves, PersonChange::Enable).await.unwrap();
    assert!(store.person(leaves).await.unwrap().unwrap().disabled_at.is_none());
    own.change_person(Some(owners[0]), leaves, PersonChange::Anonymise { name: "former operator" })
        .await
        .unwrap();
    let person = store.person(leaves).await.unwrap().unwrap();
    assert_eq!((person.name.as_str(), person.sign_in), ("former operator", format!("former-{leaves}")));
    assert!(person.password_hash.is_none() && person.pin_hash.is_none() && person.disabled_at.is_some());
    assert!(matches!(own.set_pin(stranger, None, "").await, Err(StoreError::Missing("person"))));
    assert!(changes(&store, shop, AuditAction::Person).await >= 6);
    assert_eq!(changes(&store, other, AuditAction::Person).await, 0);
}

#[tokio::test]
async fn what_is_kept_about_a_person_is_told() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (_, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    session(&store, 7, owner, LIMITS).await;
    let data = own.person_data(owner).await.unwrap();
    let count = |key: &str| data[key].as_array().map(Vec::len);
    for key in ["person", "sessions", "runs", "revisions"] {
        assert_eq!(count(key), Some(1), "{key}: {data}");
    }
    assert_eq!(data["sessions"][0]["address"], "127.0.0.1");
    assert!(!data.to_string().contains("password_hash"));
    // Nothing is told of somebody else's people.
    let theirs = own.person_data(stranger).await.unwrap();
    assert!(theirs.as_object().unwrap().values().all(|list| list.as_array().unwrap().is_empty()));
}

#[tokio::test]
async fn a_second_factor_is_used_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    assert!(store.second_factor(owner).await.unwrap().is_none());
    own.set_second_factor(Some(owner), owner, Some(("sealed", &[[1; 32], [2; 32]])), "").await.unwrap();
    assert_eq!(store.second_factors().await.unwrap(), [(owner, "sealed".to_owned())]);
    // Only what is still kept as before is kept anew.
    store.rekeep_second_factor(owner, "other", "wrong").await.unwrap();
    store.rekeep_second_factor(owner, "sealed", "sealed anew").await.unwrap();
    assert_eq!(store.second_factor(owner).await.unwrap().as_deref(), Some("sealed anew"));
    // A code counts once, and none from before it.
    for (step, is_new) in [(100, true), (100, false), (99, false), (101, true)] {
        assert_eq!(store.use_time_step(owner, step).await.unwrap(), is_new, "{step}");
    }
    for (code, is_new) in [([1; 32], true), ([1; 32], false), ([9; 32], false), ([2; 32], true)] {
        assert_eq!(store.use_recovery_code(owner, &code).await.unwrap(), is_new);
    }
    assert_eq!(own.recovery_codes_left(owner).await.unwrap(), 0);
    own.set_second_factor(Some(owner), owner, Some(("new", &[[3; 32]])), "").await.unwrap();
    assert_eq!(own.recovery_codes_left(owner).await.unwrap(), 1);
    assert_eq!(store.workshop(other).recovery_codes_left(owner).await.unwrap(), 0);
    assert!(store.use_time_step(owner, 5).await.unwrap(), "another secret counts from the beginning");
    own.set_second_factor(None, owner, None, "").await.unwrap();
    assert!(!store.person(owner).await.unwrap().unwrap().has_second_factor);
    assert!(store.workshop(other).set_second_factor(None, owner, None, "").await.is_err());
}

#[tokio::test]
async fn sessions_are_seen_and_ended_by_their_owner() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let ivo = store.workshop(shop).add_person(&new("ivo", Role::Operator)).await.unwrap();
    let (first, second) = (session(&store, 1, owner, LIMITS).await, session(&store, 2, owner, LIMITS).await);
    let theirs = session(&store, 3, ivo, LIMITS).await;
    let lasts = store.session_lasts(&first).await.unwrap().unwrap();
    assert!((3500..=3600).contains(&lasts), "{lasts}");
    assert!(store.session_lasts("none").await.unwrap().is_none());
    let listed = store.sessions_of(owner).await.unwrap();
    assert_eq!((listed.len(), listed[0].agent.as_str()), (2, "a browser"));
    assert!(!store.end_session_of(owner, &theirs).await.unwrap(), "not somebody else's");
    assert!(store.end_session_of(owner, &second).await.unwrap());
    assert!(!store.end_session_of(owner, &second).await.unwrap());
    let third = session(&store, 4, owner, LIMITS).await;
    assert_eq!(store.end_other_sessions_of(owner, &first).await.unwrap(), 1);
    assert!(store.named_session_state(&third).await.unwrap().is_none());
    store.set_password(owner, "hash", &first).await.unwrap();
    assert!(store.named_session_state(&first).await.unwrap().is_some(), "the one that set it stays");
    assert!(store.named_session_state(&theirs).await.unwrap().is_some());
}

/// What is over stays over, by whichever key it is used.
#[tokio::test]
async fn a_session_that_is_over_stays_over() {
    let store = fresh_store().await;
    let (_, owner) = workshop(&store, "kestrel").await;
    let over = SessionLimits { idle: Duration::ZERO, ..LIMITS };
    let name = session(&store, 1, owner, over).await;
    session(&store, 2, owner, LIMITS).await;
    store.prolong_session(&[1; 32]).await.unwrap();
    store.prolong_named_session(&name).await.unwrap();
    assert!(store.session_state(&[1; 32]).await.unwrap().is_none());
    assert!(store.named_session_state(&name).await.unwrap().is_none());
    assert_eq!(store.sessions_of(owner).await.unwrap().len(), 1);
    assert_eq!(store.sweep_sessions().await.unwrap(), 1);
}

#[tokio::test]
async fn a_station_is_enrolled_by_its_code_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let bench = own.add_station(owner, "bench", &[1; 32], Duration::hours(1)).await.unwrap();
    own.add_station(owner, "attic", &[2; 32], Duration::seconds(-1)).await.unwrap();
    assert!(
        matches!(store.enrol_station(&[2; 32]).await, Err(StoreError::Missing("station"))),
        "its code is over"
    );
    let enrolled = store.enrol_station(&[1; 32]).await.unwrap();
    assert_eq!((enrolled.id, enrolled.workshop_id, enrolled.name.as_str()), (bench, shop, "bench"));
    assert!(store.enrol_station(&[1; 32]).await.is_err(), "a code enrols one tablet");
    assert!(store.station(bench).await.unwrap().unwrap().enrolled_at.is_some());
    let names =
        |stations: Vec<store::station::Station>| stations.into_iter().map(|s| s.name).collect::<Vec<_>>();
    assert_eq!(names(own.stations().await.unwrap()), ["attic", "bench"]);
    assert!(store.workshop(other).stations().await.unwrap().is_empty());
    assert!(store.workshop(other).retire_station(stranger, bench).await.is_err());
    // Its tablet is out in the moment in which it is retired.
    let new = NewSession {
        key_hash: &[5; 32],
        state: "{}",
        person: Some(owner),
        station: Some(bench),
        public_id: Some("0123456789abcdef0123456789abcdef"),
        address: "127.0.0.1",
        agent: "a tablet",
    };
    store.put_session(&new, LIMITS).await.unwrap();
    assert!(store.sessions_of(owner).await.unwrap().is_empty(), "a station's session is nobody's");
    own.retire_station(owner, bench).await.unwrap();
    assert!(store.session_state(&[5; 32]).await.unwrap().is_none());
    assert!(store.station(bench).await.unwrap().is_none());
    assert!(matches!(own.retire_station(owner, StationId(999)).await, Err(StoreError::Missing("station"))));
    assert_eq!(changes(&store, shop, AuditAction::Station).await, 4, "added twice, enrolled, retired");
}

#[tokio::test]
async fn a_calendar_is_read_until_it_is_ended() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let ivo = own.add_person(&new("ivo", Role::Operator)).await.unwrap();
    own.add_feed(ivo, false, &[1; 32]).await.unwrap();
    own.add_feed(ivo, true, &[2; 32]).await.unwrap();
    let feeds = own.feeds(ivo).await.unwrap();
    assert_eq!(feeds.iter().map(|f| f.is_whole_shop).collect::<Vec<_>>(), [false, true]);
    let found = store.feed_owner(&[2; 32]).await.unwrap().unwrap();
    assert_eq!((found.workshop_id, found.person_id, found.is_whole_shop), (shop, ivo, true));
    assert!(store.feed_owner(&[9; 32]).await.unwrap().is_none());
    for (person, handle) in [(owner, &own), (stranger, &store.workshop(other))] {
        assert!(handle.revoke_feed(person, feeds[0].id).await.is_err(), "not somebody else's");
    }
    own.revoke_feed(ivo, feeds[0].id).await.unwrap();
    assert!(own.revoke_feed(ivo, feeds[0].id).await.is_err());
    assert!(own.revoke_feed(ivo, FeedId(999)).await.is_err());
    assert!(store.feed_owner(&[1; 32]).await.unwrap().is_none());
    // Nor does a calendar go on for somebody who left.
    own.change_person(Some(owner), ivo, PersonChange::Disable).await.unwrap();
    assert!(store.feed_owner(&[2; 32]).await.unwrap().is_none());
}

#[tokio::test]
async fn settings_are_the_workshops_own() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (_, stranger) = workshop(&store, "heron").await;
    store.workshop(shop).set_settings(owner, "Kestrel and daughter", r#"{"scale":"mm"}"#).await.unwrap();
    let person = store.person(owner).await.unwrap().unwrap();
    assert_eq!(person.workshop, "Kestrel and daughter");
    assert!(person.workshop_settings.unwrap().contains("mm"));
    assert!(store.person(stranger).await.unwrap().unwrap().workshop_settings.is_none());
    assert_eq!(changes(&store, shop, AuditAction::Settings).await, 1);
}
