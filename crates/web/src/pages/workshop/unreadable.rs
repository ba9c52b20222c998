//! Stored records that cannot be read: named, exported, deleted.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::respond::{attachment, render_page};
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use store::unreadable::RecordKind;

struct Row {
    key: &'static str,
    id: u64,
    name: String,
    kind: &'static str,
    detail: String,
}

const fn name(kind: RecordKind) -> &'static str {
    match kind {
        RecordKind::Revision => "Design",
        RecordKind::PickupSet => "Set",
        RecordKind::Rewind => "Rewind",
        RecordKind::Order => "Order",
        RecordKind::Run => "Run",
        RecordKind::Traveller => "Traveller",
        RecordKind::Calibration => "Calibration",
    }
}

#[derive(Template)]
#[template(path = "workshop/unreadable.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
}

pub(super) async fn show(user: CurrentUser) -> Result<HttpResponse, AppError> {
    let rows = user.app.workshop.unreadable_records(&user.actor)?.into_iter().map(|record| Row {
        key: record.kind.into(),
        id: record.id,
        name: record.name,
        kind: name(record.kind),
        detail: record.detail,
    });
    let rows = rows.collect();
    render_page(&Page { frame: Frame::new(&user, "designs", "Unreadable records"), rows }, false)
}

fn record_of(path: &(String, u64)) -> Result<(RecordKind, u64), AppError> {
    let kind = path.0.parse().ok().ok_or(AppError::NotFound("kind of record"))?;
    Ok((kind, path.1))
}

pub(super) async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(String, u64)>,
) -> Result<HttpResponse, AppError> {
    let (kind, id) = record_of(&path)?;
    let text = app.workshop.unreadable_text(&user.actor, kind, id).await?;
    let name = format!("{}-{id}.txt", <&str>::from(kind));
    Ok(attachment("text/plain; charset=utf-8", &name, text))
}

pub(super) async fn delete(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    path: web::Path<(String, u64)>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let (kind, id) = record_of(&path)?;
    let deleted = app.workshop.delete_unreadable(&user.actor, kind, id).await;
    outcome::tell(&session, "/unreadable", deleted.map(|()| "The record is deleted."))
}
