//! Signing in without a password: a passkey of the browser's own, and an account elsewhere.

use super::{server, with_workshop};
use e2e::{Browser, journey};
use identity::stand_in::{StandInPerson, StandInProvider};
use std::net::{SocketAddr, TcpListener};
use workshop::{ProviderSettings, SingleSignOnSettings, Workshop, WorkshopSettings};

/// Somebody makes a passkey, signs in with it, confirms with it what takes a password, and removes it.
#[tokio::test(flavor = "multi_thread")]
async fn a_passkey_is_made_used_and_removed() {
    journey(server().await, |b| async move {
        let b = b.by_name();
        b.add_authenticator().await;
        b.sign_in("ode").await;
        b.go("/account").await;
        b.press_called("Add a passkey").await;
        b.until("#e-passkey_name", |t| !t.is_empty()).await;
        b.fill("passkey_name", "Bench phone").await;
        b.press_called("Add a passkey").await;
        b.see("New passkey").await;
        b.is_well().await;
        b.press_called("Create").await;
        b.find("form[action='/account/passkeys/1/remove']").await;
        b.is_well().await;
        // The device keeps one for each person.
        b.fill("passkey_name", "Once more").await;
        b.press_called("Add a passkey").await;
        b.see("New passkey").await;
        b.press_called("Create").await;
        b.until("form[data-passkey] .error", |t| !t.is_empty()).await;
        b.forget_cookies().await;
        b.go("/account").await;
        b.is_well().await;
        b.press_called("Sign in with a passkey").await;
        b.until("h1", |t| t == "Account").await;
        b.until("form[action='/account/passkeys/1/remove']", |t| t.contains("Remove")).await;
        b.press(".sure input").await;
        b.press("form[action='/account/passkeys/1/remove'] button").await;
        b.until_script("!document.querySelector(\"form[action='/account/passkeys/1/remove']\")").await;
        b.go("/audit").await;
        b.until("main", |t| t.contains("passkeys")).await;
        // The device still has it; here it is worth nothing.
        b.forget_cookies().await;
        b.go("/sign-in").await;
        b.press_called("Sign in with a passkey").await;
        b.find(".alert").await;
        b.is_well().await;
        b
    })
    .await;
}

fn person(subject: &str, groups: &[&str]) -> StandInPerson {
    StandInPerson {
        subject: subject.to_owned(),
        name: format!("{subject} of the stand-in"),
        user_name: subject.to_owned(),
        groups: groups.iter().map(|&group| group.to_owned()).collect(),
        has_second_factor: true,
    }
}

/// A workshop that takes the bench group of a stand-in provider as operators.
async fn server_with_provider() -> SocketAddr {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let settings = WorkshopSettings {
        second_factor_required: true,
        single_sign_on: SingleSignOnSettings {
            is_on: true,
            owner: "heads".into(),
            operator: "bench".into(),
            ..SingleSignOnSettings::default()
        },
        ..WorkshopSettings::default()
    };
    let owner = store.person_by_sign_in("ode").await.unwrap().unwrap();
    let text = serde_json::to_string(&settings).unwrap();
    store.workshop(owner.workshop_id).set_settings(owner.id, "Sedge Lane", &text).await.unwrap();
    let provider = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let people = vec![person("lark", &["bench"]), person("sable", &["office"]), person("head", &["heads"])];
    let address = provider.local_addr().unwrap();
    let stand_in = StandInProvider::new(address, ("filamentum", "a secret"), people);
    let settings = ProviderSettings {
        name: "Shop accounts".into(),
        issuer: stand_in.issuer().to_owned(),
        client_id: "filamentum".into(),
        client_secret: "a secret".into(),
    };
    tokio::spawn(stand_in.serve(provider));
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    let workshop = Workshop::new(store).with_provider(settings).unwrap();
    tokio::spawn(web::serve(workshop, listener, &web::ServeOptions::default()).unwrap());
    address
}

async fn sign_in_as(b: &Browser, who: &str) {
    b.forget_cookies().await;
    b.go("/logbook").await;
    b.press_called("Sign in with Shop accounts").await;
    b.press_called(who).await;
}

/// Somebody new comes from the provider as an operator and lands where they wanted to go; nobody else does. An owner with a password
/// links their account there.
#[tokio::test(flavor = "multi_thread")]
async fn an_account_elsewhere_signs_in_as_its_group() {
    journey(server_with_provider().await, |b| async move {
        sign_in_as(&b, "lark").await;
        b.until("h1", |t| t == "Logbook").await;
        assert_eq!(b.path().await, "/logbook");
        assert_eq!(b.count("nav a[href='/designs']").await, 0, "an operator");
        b.go("/account").await;
        b.see("lark of the stand-in").await;
        assert_eq!(b.count("[name=password]").await, 0, "there is no password to change");
        b.is_well().await;
        sign_in_as(&b, "sable").await;
        b.find(".alert").await;
        b.is_well().await;
        b.go("/logbook").await;
        b.see("Password").await;
        // Somebody comes back who never left from here.
        b.go("/sign-in/provider/back?state=guessed&code=guessed").await;
        b.find(".alert").await;
        b
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_owner_links_their_account_elsewhere() {
    journey(server_with_provider().await, |b| async move {
        b.go("/account").await;
        b.fill("sign_in", "ode").await;
        b.fill("password", "seven thousand turns").await;
        b.press("form button").await;
        b.until("h1", |t| t == "Account").await;
        b.press_called("Link with Shop accounts").await;
        b.is_well().await;
        b.press_called("Go to Shop accounts").await;
        b.press_called("head").await;
        b.until("#provider-title", |t| t.contains("linked")).await;
        b.is_well().await;
        sign_in_as(&b, "head").await;
        b.until("h1", |t| t == "Logbook").await;
        b.go("/settings").await;
        b.find("[name='single_sign_on.claim']").await;
        b.is_well().await;
        b
    })
    .await;
}
