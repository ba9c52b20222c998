//! Who a provider of single sign-on signs in, and as what.

use super::*;
use identity::stand_in::{Lie, StandInPerson, StandInProvider};
use std::sync::Arc;
use store::audit::{AuditAction, AuditFilter};
use store::person::PersonChange;
use workshop::{
    MemberChange, PeopleManager, ProviderSettings, SingleSignOn, SingleSignOnSettings, WorkshopSettings,
};

const BACK: &str = "http://127.0.0.1:1/sign-in/provider/back";

fn person(subject: &str, groups: &[&str], has_second_factor: bool) -> StandInPerson {
    StandInPerson {
        subject: subject.to_owned(),
        name: format!("{subject} Reed"),
        user_name: "ode".to_owned(),
        groups: groups.iter().map(|&group| group.to_owned()).collect(),
        has_second_factor,
    }
}

struct Shop {
    workshop: Workshop,
    owner: Actor,
    store: Store,
    provider: StandInProvider,
}

/// A workshop that takes the groups of a provider with these people.
async fn shop(people: Vec<StandInPerson>) -> Shop {
    let (workshop, owner, store) = set_up().await;
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let provider = StandInProvider::new(address, ("filamentum", "a secret"), people);
    tokio::spawn(provider.clone().serve(listener));
    let settings = ProviderSettings {
        name: "Shop accounts".into(),
        issuer: provider.issuer().to_owned(),
        client_id: "filamentum".into(),
        client_secret: "a secret".into(),
    };
    let workshop = workshop.with_provider(settings).unwrap();
    let shop = Shop { workshop, owner, store, provider };
    shop.set(|all| {
        all.owner = "heads".into();
        all.operator = "bench".into();
    })
    .await;
    shop
}

impl Shop {
    async fn set(&self, change: impl FnOnce(&mut SingleSignOnSettings)) {
        let (name, mut settings) = self.workshop.settings(&self.owner).await.unwrap();
        settings.single_sign_on.is_on = true;
        change(&mut settings.single_sign_on);
        self.workshop.change_settings(&self.owner, &name, &settings).await.unwrap();
    }

    /// What a browser comes back with that says at the provider who it is.
    async fn said(&self, subject: &str) -> (workshop::StartedSignIn, String, String) {
        let (to, started) = self.workshop.begin_single_sign_on(BACK, HERE).await.unwrap();
        let (state, code) = self.provider.sign_in(&to, subject).unwrap();
        (started, state, code)
    }

    async fn sign_in(&self, subject: &str) -> Result<SingleSignOn, Refusal> {
        let (started, state, code) = self.said(subject).await;
        self.workshop.finish_single_sign_on(BACK, started, (&state, &code)).await
    }

    async fn role(&self, of: &SingleSignOn) -> Role {
        self.workshop.person(of.person).await.unwrap().unwrap().role.0
    }
}

/// Somebody new joins with the role of their group, and under a name that is still free; they are the same person when they come
/// again, with the role that the provider says then.
#[tokio::test]
async fn who_is_new_joins_and_who_is_known_comes_again() {
    let people = vec![person("lark", &["bench"], false), person("sable", &["office"], false)];
    let shop = shop(people).await;
    let first = shop.sign_in("lark").await.unwrap();
    assert_eq!(shop.role(&first).await, Role::Operator);
    let lark = shop.workshop.person(first.person).await.unwrap().unwrap();
    assert_eq!((lark.name.as_str(), lark.sign_in.as_str()), ("lark Reed", "ode-2"), "ode is taken");
    assert_eq!(lark.password_hash, None);
    assert_eq!(shop.sign_in("lark").await.unwrap().person, first.person);
    assert_eq!(shop.sign_in("sable").await.unwrap_err().code(), "no-role");
    assert_eq!(shop.workshop.people(&shop.owner).await.unwrap().len(), 2, "who has no role leaves nothing");
    shop.set(|all| all.designer = "bench".into()).await;
    let again = shop.sign_in("lark").await.unwrap();
    assert_eq!((again.person, shop.role(&again).await), (first.person, Role::Designer));
    shop.set(|all| (all.designer, all.operator) = (String::new(), String::new())).await;
    assert_eq!(shop.sign_in("lark").await.unwrap_err().code(), "no-role");
    shop.set(|all| {
        all.operator = "bench".into();
        all.is_on = false;
    })
    .await;
    assert_eq!(shop.sign_in("lark").await.unwrap_err().code(), "single-sign-on-off");
    shop.set(|_| {}).await;
    let manager = PeopleManager::new(&shop.owner).unwrap();
    shop.workshop.change_member(&manager, first.person, MemberChange::Disable).await.unwrap();
    assert_eq!(shop.sign_in("lark").await.unwrap_err().code(), "single-sign-on-off");
    shop.workshop.change_member(&manager, first.person, MemberChange::Anonymise).await.unwrap();
    shop.set(|_| {}).await;
    assert_ne!(
        shop.sign_in("lark").await.unwrap().person,
        first.person,
        "whoever left is not let in as who they were"
    );
}

/// Two who come at the same moment for the first time are one person.
#[tokio::test]
async fn somebody_new_joins_once() {
    let shop = Arc::new(shop(vec![person("lark", &["bench"], false)]).await);
    let (one, two) = tokio::join!(shop.sign_in("lark"), shop.sign_in("lark"));
    assert_eq!(one.unwrap().person, two.unwrap().person);
}

/// An owner links themselves: a provider that then says less of them does not leave the workshop without an owner.
#[tokio::test]
async fn somebody_links_themselves() {
    let shop = shop(vec![person("ode", &["heads"], true), person("lark", &["bench"], false)]).await;
    assert_eq!(shop.workshop.own_link(&shop.owner).await.unwrap(), Some(false));
    let link = async |actor: &Actor, subject: &str| {
        let (started, state, code) = shop.said(subject).await;
        shop.workshop.link_single_sign_on(actor, BACK, started, (&state, &code), "").await
    };
    link(&shop.owner, "ode").await.unwrap();
    assert_eq!(shop.workshop.own_link(&shop.owner).await.unwrap(), Some(true));
    let found = shop.sign_in("ode").await.unwrap();
    assert_eq!((found.person, found.has_second_factor), (shop.owner.person, true));
    let lark = shop.sign_in("lark").await.unwrap();
    let lark = Actor::from_person(&shop.workshop.person(lark.person).await.unwrap().unwrap());
    assert_eq!(link(&lark, "ode").await.unwrap_err().code(), "identity-taken");
    shop.set(|all| (all.owner, all.viewer) = (String::new(), "heads".into())).await;
    let found = shop.sign_in("ode").await.unwrap();
    assert_eq!(shop.role(&found).await, Role::Owner, "the last owner stays");
    shop.workshop.unlink_single_sign_on(&shop.owner, "").await.unwrap();
    let filter = AuditFilter { action: Some(AuditAction::Person), ..AuditFilter::default() };
    let lines = shop.workshop.audit_trail(&shop.owner, &filter, None).await.unwrap().rows;
    let of_owner = lines.iter().filter(|l| l.object == "Ode Farrow").count();
    assert_eq!(of_owner, 2, "linked and unlinked: {lines:#?}");
    assert_ne!(shop.sign_in("ode").await.unwrap().person, shop.owner.person);
}

/// A code of ours is asked for as well, where the provider asked for one factor only.
#[tokio::test]
async fn one_factor_elsewhere_is_one_factor() {
    let shop = shop(vec![person("lark", &["bench"], false), person("rafe", &["bench"], true)]).await;
    for (subject, needs_code) in [("lark", true), ("rafe", false)] {
        let found = shop.sign_in(subject).await.unwrap();
        assert!(!found.needs_code, "there is no second factor yet");
        let person = shop.workshop.person(found.person).await.unwrap().unwrap();
        let own = shop.store.workshop(person.workshop_id);
        own.set_second_factor(Some(person.id), person.id, Some(("GEZDGNBVGY3TQOJQ", &[])), "").await.unwrap();
        assert_eq!(shop.sign_in(subject).await.unwrap().needs_code, needs_code);
    }
}

/// Where two workshops claim the same group, nobody is put into either.
#[tokio::test]
async fn a_group_of_two_workshops_joins_neither() {
    let shop = shop(vec![person("lark", &["bench"], false)]).await;
    let new =
        store::person::NewPerson { name: "Wren", sign_in: "wren", password_hash: None, role: Role::Owner };
    let (other, wren) = shop.store.create_workshop("Other", &new).await.unwrap();
    let settings = WorkshopSettings {
        single_sign_on: SingleSignOnSettings {
            is_on: true,
            owner: "bench".into(),
            ..SingleSignOnSettings::default()
        },
        ..WorkshopSettings::default()
    };
    let text = serde_json::to_string(&settings).unwrap();
    shop.store.workshop(other).set_settings(wren, "Other", &text).await.unwrap();
    assert_eq!(shop.sign_in("lark").await.unwrap_err().code(), "several-workshops");
    let off = serde_json::to_string(&WorkshopSettings::default()).unwrap();
    shop.store.workshop(other).set_settings(wren, "Other", &off).await.unwrap();
    let lark = shop.sign_in("lark").await.unwrap();
    assert_eq!(shop.workshop.person(lark.person).await.unwrap().unwrap().workshop_id, shop.owner.workshop);
    // A known person stays in their workshop, whatever another workshop claims.
    shop.store.workshop(other).set_settings(wren, "Other", &text).await.unwrap();
    assert_eq!(shop.sign_in("lark").await.unwrap().person, lark.person);
    let change = PersonChange::Role(Role::Viewer);
    shop.store.workshop(shop.owner.workshop).change_person(None, lark.person, change).await.unwrap();
}

#[tokio::test]
async fn a_provider_that_lies_or_is_away_signs_nobody_in() {
    let shop = shop(vec![person("lark", &["bench"], false)]).await;
    shop.provider.lie(Some(Lie::OtherKey));
    assert_eq!(shop.sign_in("lark").await.unwrap_err().code(), "not-proven");
    assert_eq!(shop.workshop.people(&shop.owner).await.unwrap().len(), 1);
    let (started, state, code) = shop.said("lark").await;
    drop((state, code));
    let found = shop.workshop.finish_single_sign_on(BACK, started, ("guessed", "guessed")).await;
    assert_eq!(found.unwrap_err().code(), "not-proven");
    let (plain, owner, _) = set_up().await;
    assert_eq!(plain.begin_single_sign_on(BACK, HERE).await.unwrap_err().code(), "single-sign-on-off");
    assert_eq!(plain.own_link(&owner).await.unwrap(), None);
    assert_eq!(plain.sign_in_ways().await.unwrap(), workshop::SignInWays::default());
}

/// Passkeys are of an address with a name; a workshop can do without them.
#[tokio::test]
async fn passkeys_are_optional() {
    let (workshop, owner, _) = set_up().await;
    assert_eq!(workshop.begin_passkey(&owner).await.unwrap_err().code(), "passkeys-off");
    let workshop = workshop.with_passkeys_at("https://pickups.example");
    let (_, kept) = workshop.begin_passkey(&owner).await.unwrap();
    for answer in ["", "{}"] {
        let added = workshop.add_passkey(&owner, "Phone", answer, &kept, "").await;
        assert_eq!(added.unwrap_err().code(), "wrong-passkey");
        let signed_in = workshop.sign_in_by_passkey(answer, &kept, HERE).await;
        assert_eq!(signed_in.unwrap_err().code(), "wrong-passkey");
    }
    assert_eq!(workshop.add_passkey(&owner, " ", "{}", &kept, "").await.unwrap_err().code(), "unusable-name");
    assert!(workshop.sign_in_ways().await.unwrap().passkeys_at.is_some());
    let (name, settings) = workshop.settings(&owner).await.unwrap();
    let settings = WorkshopSettings { passkeys_allowed: false, ..settings };
    workshop.change_settings(&owner, &name, &settings).await.unwrap();
    assert_eq!(workshop.begin_passkey(&owner).await.unwrap_err().code(), "passkeys-off");
    assert_eq!(workshop.sign_in_ways().await.unwrap().passkeys_at, None);
    // One address cannot fill the table of sessions with what it begins.
    let begun = (0..200).map(|_| workshop.begin_passkey_sign_in(HERE)).filter(Result::is_err).count();
    assert!(begun > 100, "{begun}");
}
