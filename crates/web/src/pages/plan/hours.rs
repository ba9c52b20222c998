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
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::read::{optional, plain};
use workshop::ShopHours;

fn words(text: &str) -> Vec<String> {
    text.split([',', ' ']).map(str::trim).filter(|w| !w.is_empty()).map(str::to_owned).collect()
}

/// The fields, as kept or as typed.
pub(super) fn hour_fields(hours: &ShopHours, typed: Option<(&FormData, Errors)>) -> Vec<Field> {
    let kept: FormData = [
        ("days", hours.days.join(", ")),
        ("from", hours.from.clone()),
        ("to", hours.to.clone()),
        ("off", hours.off.join(", ")),
        ("offset", (f64::from(hours.utc_offset_minutes) / 60.0).to_string()),
        ("pot", hours.pot_holds.to_string()),
    ]
    .into_iter()
    .collect();
    let (form, errors) = typed.map_or((&kept, Errors::new()), |(form, errors)| (form, errors));
    let filled = |f: Field| f.filled(form, &errors);
    vec![
        filled(Field::typed("days", "Days", "Mon, Tue, Wed, Thu, Fri, Sat, Sun.")),
        filled(Field::typed("from", "From", "Such as 08:00.")),
        filled(Field::typed("to", "To", "Such as 17:00.")),
        filled(Field::typed("off", "Days off", "Such as 2026-12-24, parted by commas.")),
        filled(
            Field::typed(
                "offset",
                "Ahead of UTC",
                "In winter and in summer time alike; change it with the clock.",
            )
            .unit("h"),
        ),
        filled(Field::typed("pot", "Pickups in the wax at once", "")),
    ]
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
