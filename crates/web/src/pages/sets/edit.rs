//! A set is written, previewed, saved, archived and exported.

use super::form;
use super::page::{Shown, checked, set_page};
use crate::app::App;
use crate::components::live_form::LiveAnswer;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use crate::respond::{attachment, redirect};
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use store::pickup_set::PickupSetRow;
use store::{PickupSetId, RevisionId};
use workshop::{AuditionSide, Refusal, SavePickupSet};

pub(super) async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let rows = app.workshop.revisions_for_sets(&user.actor).await?;
    let chosen: Vec<RevisionId> = query.all("of").filter_map(|v| v.parse().ok()).map(RevisionId).collect();
    let count = if chosen.is_empty() { 2 } else { chosen.len() };
    let draft = form::begun(&rows, &chosen, count);
    let form = FormData(form::filled(&draft, user.settings.units));
    let shown = Shown { set: None, refused: String::new(), offered: None, partner_errors: Errors::new() };
    set_page(&app, &user, &form, shown).await
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let form = FormData(form::filled(&draft, user.settings.units));
    let offered =
        query.number("pickup").and_then(|n| usize::try_from(n).ok()).filter(|i| *i < draft.pickups.len());
    let shown = Shown { set: Some(&row), refused: String::new(), offered, partner_errors: Errors::new() };
    set_page(&app, &user, &form, shown).await
}

/// The figures, the fields after a step, and messages by field, while the form is filled in.
pub(super) async fn preview(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<web::Json<LiveAnswer>, AppError> {
    let checked = checked(&app, &user, &form, false).await?;
    let fields = (!form.get("step").is_empty()).then_some(checked.fields);
    // While a field is to be corrected the page keeps the last good figures, and marks them.
    let parts = checked.figures.map(|figures| ("set-figures", figures)).into_iter().collect();
    Ok(web::Json(LiveAnswer { errors: checked.errors, parts, fields, ..LiveAnswer::default() }))
}

/// One of two positions as a WAV file, as the form says them; `Filamentum-Louder` tells by how many dB B is louder at true level.
pub(super) async fn audition(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(&form, user.settings.units);
    if !errors.is_empty() {
        return Err(AppError::BadRequest("Correct the marked fields first.".into()));
    }
    let position = |name: &str| form.id(name).and_then(|n| usize::try_from(n).ok()).unwrap_or(usize::MAX);
    let side = if form.get("listen_which") == "b" { AuditionSide::B } else { AuditionSide::A };
    let (positions, equal) =
        ((position("listen_a"), position("listen_b")), form.get("listen_level") != "true");
    let (bytes, louder) = app.workshop.audition_set(&user.actor, &draft, positions, equal, side).await?;
    let louder = ("Filamentum-Louder", format!("{louder:.2}"));
    Ok(HttpResponse::Ok().content_type("audio/wav").insert_header(louder).body(bytes))
}

async fn save_as(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    form: &FormData,
    set: Option<&PickupSetRow>,
) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(form, user.settings.units);
    let refused = if errors.is_empty() {
        let version = form.get("version").parse().unwrap_or_default();
        let command = SavePickupSet { key: form.key()?, of: set.map(|row| (row.id, version)), draft };
        let saved = app.workshop.save_pickup_set(&user.actor, &command).await;
        if matches!(saved, Err(Refusal::NotFound("revision"))) {
            // A design that is not there is marked at its field.
            outcome::SEE_FIELDS.to_owned()
        } else {
            match outcome::save(session, saved.map(|id| format!("/sets/{id}")), "The set is saved.")? {
                Ok(answer) => return Ok(answer),
                Err(refused) => refused,
            }
        }
    } else {
        outcome::SEE_FIELDS.to_owned()
    };
    set_page(app, user, form, Shown { set, refused, offered: None, partner_errors: Errors::new() }).await
}

pub(super) async fn save_new(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    save_as(&app, &user, &session, &form, None).await
}

pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (row, _) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    save_as(&app, &user, &session, &form, Some(&row)).await
}

pub(super) async fn archive(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let is_archived = form.get("archived") == "yes";
    app.workshop.archive_pickup_set(&user.actor, PickupSetId(*id), is_archived).await?;
    Ok(redirect(format!("/sets/{id}")))
}

pub(super) async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let (_, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let set = app.workshop.set_document(&user.actor, &draft).await?;
    let body = serde_json::to_vec_pretty(&set).map_err(AppError::internal)?;
    Ok(attachment("application/json", &format!("set-{id}.json"), body))
}
