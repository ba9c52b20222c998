//! The partner of a pickup is made.

use super::form;
use super::outcome::{told, version_of};
use super::page::{Shown, set_page};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use coil::quantity::Measure;
use presentation::form_fields::Errors;
use presentation::read::measured;
use store::PickupSetId;
use trade::pairing::ReverseWinding;
use workshop::{MakePartner, Refusal};

pub(super) async fn make(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let mut errors = Errors::new();
    let name = form.get("partner_name").to_owned();
    if name.is_empty() || name.chars().count() > 40 || draft.pickups.iter().any(|p| p.name == name) {
        errors.insert("partner_name".into(), "A name of its own, in up to 40 letters.".into());
    }
    let of = (Measure::Length, user.settings.units);
    let place = measured(&form, &mut errors, "partner_place", (1.0, 1200.0), of);
    if place.is_none() {
        errors.entry("partner_place".into()).or_insert_with(|| "Type its distance from the bridge.".into());
    }
    let school = form.get("school").parse::<ReverseWinding>().unwrap_or(ReverseWinding::TurnTheOtherWay);
    let pickup = form.id("partner_of").and_then(|p| usize::try_from(p).ok()).unwrap_or_default();
    let mut refused = String::new();
    if let (Some(from_bridge_mm), true) = (place, errors.is_empty()) {
        let command = MakePartner {
            key: form.key()?,
            set: version_of(*id, &form),
            pickup,
            name,
            from_bridge_mm,
            school,
            is_turned: form.get("partner_sits") == "turned",
            is_balanced: form.get("partner_balance") == "yes",
        };
        match app.workshop.make_partner(&user.actor, &command).await {
            Ok(_) => {
                return told(&session, *id, Ok(()), "Mind the partner’s direction when it is wound.");
            }
            Err(refusal @ (Refusal::ChangedMeanwhile(_) | Refusal::NotPredictable(_))) => {
                refused = refusal_text(&refusal);
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    // The set as saved, with what was typed for its partner.
    let mut shown = FormData(form::filled(&draft, user.settings.units));
    for (name, value) in form.iter().filter(|(n, _)| n.starts_with("partner_") || *n == "school") {
        shown.set(name, value);
    }
    set_page(&app, &user, &shown, Shown { set: Some(&row), refused, offered: None, partner_errors: errors })
        .await
}
