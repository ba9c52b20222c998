//! Changes that the page of a set proposes: what mends a pair, what balances a pickup, coils from stock.

use super::outcome::{told, version_of};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use coil::set::Freedom;
use store::{PickupSetId, RunId};
use trade::pairing::PickupChange;

pub(super) async fn mend(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let asked = form.get("mend").split_once(':').and_then(|(pickup, change)| {
        Some((pickup.parse::<usize>().ok()?, change.parse::<PickupChange>().ok()?))
    });
    let (pickup, change) = asked.ok_or(AppError::NotFound("change"))?;
    let of = version_of(*id, &form);
    let done = app.workshop.mend_pickup(&user.actor, &form.key()?, of, pickup, change).await;
    told(&session, *id, done, "")
}

pub(super) async fn undo(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let done = app.workshop.undo_set_change(&user.actor, &form.key()?, version_of(*id, &form)).await;
    told(&session, *id, done, "The set is as it was before the change.")
}

pub(super) async fn balance(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let freedom: Freedom = form.get("freedom").parse().ok().ok_or(AppError::NotFound("change"))?;
    let pickup =
        form.id("pickup").and_then(|p| usize::try_from(p).ok()).ok_or(AppError::NotFound("pickup"))?;
    let of = version_of(*id, &form);
    let done = app.workshop.apply_balance(&user.actor, &form.key()?, of, pickup, freedom).await;
    told(&session, *id, done, "")
}

/// Puts a coil from stock into the set, or takes one out.
pub(super) async fn runs(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let set = PickupSetId(*id);
    if let Some(run) = form.id("release") {
        app.workshop.release_run_from_set(&user.actor, RunId(run)).await?;
    } else if let Some((pickup, run)) = form.get("take").split_once(':') {
        let (_, draft) = app.workshop.pickup_set(&user.actor, set).await?;
        let pickup = pickup
            .parse::<usize>()
            .ok()
            .and_then(|i| draft.pickups.get(i))
            .ok_or(AppError::NotFound("pickup"))?;
        let run = run.parse().ok().map(RunId).ok_or(AppError::NotFound("run"))?;
        app.workshop.assign_run_to_set(&user.actor, run, set, &pickup.name).await?;
    }
    Ok(redirect(format!("/sets/{id}")))
}
