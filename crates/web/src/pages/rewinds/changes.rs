//! What is decided about an examined pickup.

use super::page::told;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use store::RewindId;

/// The rewind and the version that a form was shown with.
pub(super) fn version_of(id: u64, form: &FormData) -> (RewindId, u32) {
    (RewindId(id), form.get("version").parse().unwrap_or_default())
}

pub(super) async fn archive(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let is_archived = form.get("archived") == "yes";
    app.workshop.archive_rewind(&user.actor, RewindId(*id), is_archived).await?;
    Ok(redirect(format!("/rewinds/{id}")))
}

pub(super) async fn choose(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let place =
        form.id("place").and_then(|p| usize::try_from(p).ok()).ok_or(AppError::NotFound("explanation"))?;
    let done = app.workshop.choose_explanation(&user.actor, version_of(*id, &form), place).await;
    told(&session, *id, done, "Chosen: see below how it can be brought back.")
}

pub(super) async fn answer(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let answer = form
        .get("answer")
        .split_once(':')
        .and_then(|(test, outcome)| Some((test.parse().ok()?, outcome.parse().ok()?)));
    let done = app.workshop.answer_quick_test(&user.actor, version_of(*id, &form), answer).await;
    match done {
        Ok(()) => Ok(redirect(format!("/rewinds/{id}#h-diagnosis"))),
        refused => told(&session, *id, refused, ""),
    }
}
