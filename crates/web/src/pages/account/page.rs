//! The page of a person's own account.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format::counted;
use store::passkey::PasskeyRow;
use store::session::SessionRow;

/// The field of a new passkey's name.
pub(super) const PASSKEY_NAME: &str = "passkey_name";

#[derive(Template)]
#[template(path = "account/account.html")]
struct Page {
    frame: Frame,
    fields: Vec<Field>,
    pin: Field,
    /// How many recovery codes are left, where there is a second factor.
    recovery: Option<i64>,
    own_password: Field,
    passkeys: Vec<PasskeyRow>,
    /// The name of another passkey, where passkeys can be made.
    new_passkey: Option<Field>,
    /// What people call the provider, and whether it signs them in; where the workshop uses one.
    provider: Option<(String, bool)>,
    has_password: bool,
    has_pin: bool,
    sessions: Vec<SessionRow>,
    /// How long a session lasts without use, and at most.
    idle: String,
    longest: String,
    current: String,
    sign_in: String,
}

/// A browser's own name for itself in short: who made it, and what it runs on; as it is where it says neither.
fn browser(agent: &str) -> String {
    let first = |known: &[(&str, &'static str)]| {
        known.iter().find(|(mark, _)| agent.contains(mark)).map(|(_, name)| *name)
    };
    // Each names those before it as well, so the order decides.
    let made = first(&[
        ("Edg/", "Edge"),
        ("OPR/", "Opera"),
        ("Firefox/", "Firefox"),
        ("Chrome/", "Chrome"),
        ("Safari/", "Safari"),
    ]);
    let on = first(&[
        ("Android", "Android"),
        ("iPhone", "iPhone"),
        ("iPad", "iPad"),
        ("Windows", "Windows"),
        ("Mac OS", "macOS"),
        ("Linux", "Linux"),
    ]);
    match (made, on) {
        (Some(made), Some(on)) => format!("{made} on {on}"),
        (Some(one), None) | (None, Some(one)) => one.to_owned(),
        (None, None) if agent.is_empty() => "unknown".to_owned(),
        (None, None) => agent.chars().take(40).collect(),
    }
}

/// Minutes in the largest unit that they are whole in.
fn lasting(minutes: u32) -> String {
    let (count, unit) = match minutes {
        m if m % 1440 == 0 => (m / 1440, "day"),
        m if m % 60 == 0 => (m / 60, "hour"),
        m => (m, "minute"),
    };
    counted(u64::from(count), unit)
}

/// The page, with what is wrong with what was typed.
pub(super) async fn page(app: &App, user: &CurrentUser, errors: &Errors) -> Result<HttpResponse, AppError> {
    let password = |name: &str, label: &str, complete: &'static str, hint: &str| Field {
        kind: "password",
        complete,
        ..Field::typed(name, label, hint).with("", errors).wide()
    };
    let new_passkey = Field::typed(
        PASSKEY_NAME,
        "Name of the device",
        "So that you know it in this list: phone, key on the ring.",
    );
    let can_make = user.settings.passkeys_allowed && app.workshop.passkey_address().is_some();
    let new_passkey = can_make.then_some(new_passkey);
    let policy = user.settings.session_policy(user.person.role.0);
    let provider = app.workshop.provider_name().unwrap_or_default();
    let page = Page {
        frame: Frame::new(user, "account", "Account"),
        fields: vec![
            password("current", "Current password", "current-password", ""),
            password(
                "password",
                "New password",
                "new-password",
                "At least 12 characters: a few words that do not belong together.",
            ),
            password("again", "New password once more", "new-password", ""),
        ],
        pin: Field {
            kind: "password",
            complete: "off",
            ..Field::typed("pin", "PIN", "Digits only; at a shared station you tap your name and type it.")
                .with("", errors)
                .wide()
        },
        recovery: app.workshop.recovery_codes_left(&user.actor).await?,
        own_password: password("own_password", "Password", "current-password", ""),
        passkeys: app.workshop.passkeys(&user.actor).await?,
        new_passkey: new_passkey.map(|field| field.with("", errors).wide()),
        provider: app.workshop.own_link(&user.actor).await?.map(|is_linked| (provider.to_owned(), is_linked)),
        has_password: user.person.password_hash.is_some(),
        has_pin: user.person.pin_hash.is_some(),
        sessions: app
            .workshop
            .own_sessions(&user.actor)
            .await?
            .into_iter()
            .map(|row| SessionRow { agent: browser(&row.agent), ..row })
            .collect(),
        idle: lasting(policy.idle_minutes),
        longest: lasting(60 * policy.longest_hours),
        current: user.session_id.clone(),
        sign_in: user.person.sign_in.clone(),
    };
    render_page(&page, !errors.is_empty())
}

/// The page.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &Errors::new()).await
}

#[cfg(test)]
mod tests {
    use super::{browser, lasting};
    use rstest::rstest;

    #[rstest]
    #[case(30, "30 minutes")]
    #[case(60, "1 hour")]
    #[case(720, "12 hours")]
    #[case(10_080, "7 days")]
    #[case(90, "90 minutes")]
    fn a_time_is_said_in_its_largest_unit(#[case] minutes: u32, #[case] said: &str) {
        assert_eq!(lasting(minutes), said);
    }

    #[rstest]
    #[case(
        "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36",
        "Chrome on Linux"
    )]
    #[case(
        "Mozilla/5.0 (iPad; CPU OS 19_0 like Mac OS X) AppleWebKit/605.1.15 Version/19.0 Safari/604.1",
        "Safari on iPad"
    )]
    #[case("Mozilla/5.0 (Windows NT 10.0; rv:150.0) Gecko/20100101 Firefox/150.0", "Firefox on Windows")]
    #[case("a script of our own", "a script of our own")]
    #[case("", "unknown")]
    fn browsers_are_named_in_short(#[case] agent: &str, #[case] name: &str) {
        assert_eq!(browser(agent), name);
    }
}
