//! One's own account: passwords by their strength, changing them, sessions that end.

use super::*;
use rstest::rstest;
use store::session::NewSession;
use workshop::SignInOutcome;

/// A password is worth what remains of it without the names that an attacker knows.
#[rstest]
#[case::weak("short", 0..=1)]
#[case::guessable("password123", 0..=1)]
#[case::made_of_names("Ode Farrow 1987", 0..=0)]
#[case::unusual_words("heron under wet slate", 3..=4)]
#[case::of_chance("xK9#mQ2$vL7!", 3..=4)]
#[tokio::test]
async fn a_password_is_weighed(#[case] password: &str, #[case] strength: std::ops::RangeInclusive<u8>) {
    let (workshop, _, _) = set_up().await;
    let names = vec!["Ode Farrow".to_owned(), "Sedge Lane".to_owned()];
    let (found, refused) = workshop.weigh_password(password.into(), names, HERE).await.unwrap();
    assert!(strength.contains(&found), "{found}");
    assert_eq!(refused.is_some(), found < 3 || password.chars().count() < 12, "{refused:?}");
}

#[tokio::test]
async fn a_password_is_changed_by_who_knows_it() {
    let (workshop, owner, _) = set_up().await;
    let session = |key: u8, name| NewSession {
        key_hash: Box::leak(Box::new([key; 32])),
        state: "{}",
        person: Some(owner.person),
        station: None,
        public_id: Some(name),
        address: "",
        agent: "",
    };
    for (key, name) in [(1, "here"), (2, "elsewhere")] {
        workshop.put_session(&session(key, name)).await.unwrap();
    }
    let change = |current: &str, new: &str| {
        let (current, new) = (current.to_owned(), new.to_owned());
        let (workshop, owner) = (workshop.clone(), owner);
        async move { workshop.change_password(&owner, current, new, "here", HERE).await }
    };
    let wrong = change("seven hundred turns", "heron under wet slate").await.unwrap_err();
    assert_eq!(wrong.code(), "wrong-password");
    let weak = change("seven thousand turns", "ode farrow ode farrow").await.unwrap_err();
    assert_eq!(weak.code(), "weak-password");
    assert!(workshop.named_session_state("elsewhere").await.unwrap().is_some(), "nothing changed yet");
    change("seven thousand turns", "heron under wet slate").await.unwrap();
    // Whoever knew the old one is out; the session that changed it stays.
    assert!(workshop.named_session_state("elsewhere").await.unwrap().is_none());
    assert!(workshop.named_session_state("here").await.unwrap().is_some());
    let old = workshop.sign_in("ode", "seven thousand turns".into(), HERE).await.unwrap();
    assert_eq!(old, SignInOutcome::Wrong);
    let new = workshop.sign_in("ode", "heron under wet slate".into(), HERE).await.unwrap();
    assert_eq!(new, SignInOutcome::SignedIn(owner.person));
    assert_eq!(workshop.remove_expired_sessions().await.unwrap(), 0, "what is open is kept");
}

/// A person follows so many streams at once, and another as many; who lets one go may follow another.
#[tokio::test]
async fn streams_are_bounded_by_person() {
    let (workshop, owner, _) = set_up().await;
    let mut held = Vec::new();
    let refused = loop {
        match workshop.permit_stream(&owner) {
            Ok(permit) => held.push(permit),
            Err(refused) => break refused,
        }
        assert!(held.len() < 1000, "somebody may follow everything");
    };
    assert_eq!(refused.code(), "too-many-at-once");
    let other = Actor { person: store::PersonId(owner.person.0 + 1), ..owner };
    assert!(workshop.permit_stream(&other).is_ok());
    held.pop();
    assert!(workshop.permit_stream(&owner).is_ok());
}
