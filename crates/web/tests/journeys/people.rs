//! An owner invites an operator; the operator winds and signs at a shared station and sees no target.

use super::server;
use e2e::{Browser, journey_of};

const WORDS: &str = "heron under wet slate";

/// A saved design with a target.
async fn design(b: &Browser) {
    b.go("/designs/new?kind=tall-single").await;
    b.fill("name", "Reed lap steel, bridge").await;
    b.press_called("Target").await;
    b.fill("aims.resistance_ohm[0]", "5.2k").await;
    b.fill("aims.resistance_ohm[1]", "5.7k").await;
    b.see("on target").await;
    b.press_called("Save the design").await;
    b.see("Reed lap steel, bridge r1").await;
}

async fn invite(b: &Browser) -> String {
    b.go("/people").await;
    b.is_well().await;
    b.press_called("Invite somebody").await;
    b.fill("name", "Juno Reed").await;
    b.fill("sign_in", "ode").await;
    b.press_called("Make the link").await;
    b.until("#e-sign_in", |t| !t.is_empty()).await;
    assert_eq!(b.value("name").await, "Juno Reed", "nothing typed is lost");
    b.fill("sign_in", "juno").await;
    b.press_called("Make the link").await;
    let link = b.until("#link", |t| t.contains("/welcome/")).await;
    b.is_well().await;
    link
}

async fn enrol(b: &Browser) -> String {
    b.go("/stations").await;
    b.fill("name", "By the window").await;
    b.press_called("Add station").await;
    let code = b.until("#code", |t| t.len() == 14).await;
    b.is_well().await;
    code
}

/// The operator sets a password by the link, and a PIN.
async fn arrive(b: &Browser, link: &str) {
    b.press_called("Sign out").await;
    b.see("Password").await;
    b.go(&link[link.find("/welcome/").unwrap()..]).await;
    b.is_well().await;
    b.fill("password", "juno reed juno").await;
    b.until(".strength", |t| !t.is_empty() && !t.starts_with("Strength")).await;
    b.fill("password", WORDS).await;
    b.until(".strength", |t| t.starts_with("Strength")).await;
    b.is_well().await;
    b.fill("again", WORDS).await;
    b.press_called("Set password and sign in").await;
    b.see("Start a run").await;
    b.is_well().await;
    assert_eq!(b.count("nav a[href='/designs']").await, 0, "what is not theirs is not offered");
    b.go("/designs").await;
    b.see("You do not have permission for this").await;
    b.go("/account").await;
    b.fill("pin", "1234").await;
    b.press_called("Set PIN").await;
    b.until("#e-pin", |t| !t.is_empty()).await;
    b.fill("pin", "407193").await;
    b.press_called("Set PIN").await;
    b.see("The PIN is set").await;
    b.press_called("Sign out").await;
    b.see("Password").await;
}

/// At the tablet: the code once, the name and the PIN, a run from its start to its first readings.
async fn wind(b: &Browser, code: &str) {
    b.go("/station").await;
    b.is_well().await;
    b.fill("code", code).await;
    b.press_called("Enrol").await;
    b.see("Who stands here?").await;
    b.is_well().await;
    b.press_called("Juno Reed").await;
    b.fill("pin", "111222").await;
    b.press_called("Go on").await;
    b.until("#e-pin", |t| !t.is_empty()).await;
    b.is_well().await;
    b.fill("pin", "407193").await;
    b.press_called("Go on").await;
    b.press_called("Reed lap steel, bridge").await;
    b.see("Start a run: Reed lap steel, bridge").await;
    b.is_well().await;
    b.press_called("Start the run").await;
    b.see("Log readings").await;
    b.press_called("Done: sign").await;
    b.see("2 of").await;
    b.fill("turns", "7,500").await;
    b.fill("resistance", "5.8k").await;
    b.fill("coil_c", "20").await;
    b.press("form[action$='/readings'] .btn-primary").await;
    b.until("table.compare", |t| t.contains("Resistance at 20 °C")).await;
    b.is_well().await;
    let page = b.text("main").await;
    assert!(!page.contains("on target") && !page.contains("off target"), "{page}");
    assert!(page.contains("Juno Reed"), "the run carries the person: {page}");
    b.press_called("Juno Reed: leave").await;
    b.see("Who stands here?").await;
    b.go("/logbook").await;
    b.see("Who stands here?").await;
}

async fn owner_sees_it(b: &Browser) {
    // The tablet is made an owner's own computer by signing in with a password.
    b.go("/sign-in").await;
    b.fill("sign_in", "ode").await;
    b.fill("password", "seven thousand turns").await;
    b.press("form button").await;
    b.find(".spine").await;
    b.go("/runs/1").await;
    b.see("Juno Reed").await;
    b.find(".aimed").await;
    b.go("/audit").await;
    b.until("main", |t| t.contains("Juno Reed") && t.contains("By the window")).await;
    b.go("/backups").await;
    b.is_well().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_operator_winds_at_a_shared_station() {
    let address = server().await;
    journey_of(address, (1024, 768), |b| async move {
        b.sign_in("ode").await;
        design(&b).await;
        let link = invite(&b).await;
        let code = enrol(&b).await;
        arrive(&b, &link).await;
        wind(&b, &code).await;
        owner_sees_it(&b).await;
        b
    })
    .await;
}
