//! The hours of the shop.

use super::week::week_page;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use presentation::read::{optional, plain};
use workshop::ShopHours;

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
    let offset = optional(&form, &mut errors, "offset", (-14.0, 14.0), plain).unwrap_or(0.0);
    let pot = optional(&form, &mut errors, "pot", (1.0, 100.0), plain).unwrap_or(6.0);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "within their ranges")]
    let hours = ShopHours {
        days: words(form.get("days")),
        from: form.get("from").to_owned(),
        to: form.get("to").to_owned(),
        off: words(form.get("off")),
        utc_offset_minutes: (offset * 60.0).round() as i32,
        pot_holds: pot.round() as u32,
    };
    for at in hours.problems() {
        let (field, text) = if at.contains(".off") {
            ("off", "Days such as 2026-12-24.")
        } else if at.contains("days") {
            ("days", "Name a day at least.")
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
    flash::put(&session, FlashKind::Done, "The hours are saved: the plan is made anew.");
    Ok(redirect("/week".to_owned()))
}
