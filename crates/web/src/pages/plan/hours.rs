//! The hours of the shop.

use super::week::week_page;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use presentation::read::{optional, plain};
use workshop::{PersonHours, ShopHours};

fn words(text: &str) -> Vec<String> {
    text.split([',', ' ']).map(str::trim).filter(|w| !w.is_empty()).map(str::to_owned).collect()
}

pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let pot = optional(&form, &mut errors, "pot", (1.0, 100.0), plain).unwrap_or(6.0);
    let rack = optional(&form, &mut errors, "rack", (1.0, 500.0), plain).unwrap_or(24.0);
    let dip = optional(&form, &mut errors, "dip", (1.0, 100.0), plain).unwrap_or(6.0);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "within their ranges")]
    let hours = ShopHours {
        days: words(form.get("days")),
        from: form.get("from").to_owned(),
        to: form.get("to").to_owned(),
        off: words(form.get("off")),
        zone: form.get("zone").to_owned(),
        pot_holds: pot.round() as u32,
        dip_holds: dip.round() as u32,
        rack_holds: rack.round() as u32,
        ..user.settings.hours.clone()
    };
    for at in hours.problems() {
        let (field, text) = if at.contains(".off") {
            ("off", "Days such as 2026-12-24.")
        } else if at.contains("days") {
            ("days", "Name a day at least.")
        } else if at == "zone" {
            ("zone", "Choose a time zone of the list.")
        } else {
            ("from", "Days such as Mon, from and to such as 08:00 and 17:00, from before to.")
        };
        errors.entry(field.into()).or_insert_with(|| text.into());
    }
    if !errors.is_empty() {
        return week_page(&app, &user, &QueryParameters::default(), Some((&form, errors))).await;
    }
    let mut settings = user.settings.clone();
    settings.hours = hours;
    let (name, _) = app.workshop.settings(&user.actor).await?;
    app.workshop.change_settings(&user.actor, &name, &settings).await?;
    Ok(outcome::done(&session, "/week", "The hours are saved: the plan is made anew."))
}

/// Hours of one person: their own, or those of the shop again.
pub(super) async fn save_of_person(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let mut settings = user.settings.clone();
    match form.id("person") {
        None => {
            errors.insert("person".into(), "Choose whose hours these are.".into());
        }
        Some(person) if form.get("as") == "shop" => {
            settings.hours.people.remove(&person);
        }
        Some(person) => {
            let own = PersonHours {
                days: words(form.get("own_days")),
                from: form.get("own_from").to_owned(),
                to: form.get("own_to").to_owned(),
                off: words(form.get("own_off")),
            };
            if own.days.is_empty() {
                errors.insert("own_days".into(), "Name a day at least, or take the shop’s hours.".into());
            }
            settings.hours.people.insert(person, own);
            for at in settings.hours.problems().iter().filter(|at| !at.starts_with("calendars[0]")) {
                let (field, text) = if at.contains(".off") {
                    ("own_off", "Days such as 2026-12-24.")
                } else {
                    ("own_from", "Days such as Mon, from and to such as 08:00 and 17:00, from before to.")
                };
                errors.entry(field.into()).or_insert_with(|| text.into());
            }
        }
    }
    if !errors.is_empty() {
        return week_page(&app, &user, &QueryParameters::default(), Some((&form, errors))).await;
    }
    let (name, _) = app.workshop.settings(&user.actor).await?;
    app.workshop.change_settings(&user.actor, &name, &settings).await?;
    Ok(outcome::done(&session, "/week", "The hours are saved: the plan is made anew."))
}
