//! Photos of examined pickups, runs and spools.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::route_table::routes;
use crate::upload::Upload;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;
use store::photo::{BIN_DAYS, PhotoRow, PhotoSubject};
use store::{ClientKey, PhotoId};
use workshop::{Action, AddPhoto};

routes! {
    POST "/photos" [Wind] => add;
    GET "/photos/{id}" [ReadRuns] => picture;
    GET "/photos/{id}/small" [ReadRuns] => small;
    POST "/photos/{id}/remove" [Wind] => remove;
    POST "/photos/{id}/put-back" [Wind] => put_back;
}

/// A photo as it is shown.
struct Photo {
    id: u64,
    caption: String,
    about: String,
    width: u32,
    height: u32,
}

/// The photos of something, with the form that adds one.
#[derive(Template)]
#[template(path = "photos/_strip.html")]
pub(super) struct PhotoStrip {
    subject: &'static str,
    of: u64,
    photos: Vec<Photo>,
    /// Those that can still be put back.
    removed: Vec<Photo>,
    may_change: bool,
    token: String,
    key: ClientKey,
}

impl PhotoStrip {
    /// How many there are.
    pub(super) fn len(&self) -> usize {
        self.photos.len()
    }

    /// The photos of something.
    pub(super) async fn load(
        app: &App,
        user: &CurrentUser,
        subject: PhotoSubject,
        of: u64,
    ) -> Result<Self, AppError> {
        let photos = app.workshop.photos(&user.actor, subject, of).await?;
        let change = match subject {
            PhotoSubject::Rewind => Action::ChangeDesigns,
            PhotoSubject::Run => Action::Wind,
            PhotoSubject::Spool => Action::ChangeStock,
            PhotoSubject::Order => Action::ChangeOrders,
        };
        let shown = |rows: Vec<PhotoRow>| {
            let photo = |row: PhotoRow| Photo {
                id: row.id.0,
                about: format!("{}, {}", format::moment(row.taken_at), row.by),
                caption: row.caption,
                width: row.width,
                height: row.height,
            };
            rows.into_iter().map(photo).collect()
        };
        let (removed, photos) = photos.into_iter().partition(|row| row.removed_at.is_some());
        Ok(Self {
            subject: subject.into(),
            of,
            photos: shown(photos),
            removed: shown(removed),
            may_change: user.actor.may(change),
            token: user.token.clone(),
            key: ClientKey::random(),
        })
    }
}

/// The page of what a photo is of.
fn page_of(subject: PhotoSubject, of: u64) -> String {
    match subject {
        PhotoSubject::Rewind => format!("/rewinds/{of}"),
        PhotoSubject::Run => format!("/runs/{of}"),
        PhotoSubject::Spool => format!("/spools/{of}"),
        PhotoSubject::Order => format!("/orders/{of}"),
    }
}

async fn add(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    upload: Upload,
) -> Result<HttpResponse, AppError> {
    let form = &upload.form;
    let subject: PhotoSubject = form.get("subject").parse().ok().ok_or(AppError::NotFound("subject"))?;
    let of = form.id("of").ok_or(AppError::NotFound("subject"))?;
    let command = AddPhoto {
        key: form.key()?,
        subject,
        subject_id: of,
        caption: form.get("caption").to_owned(),
        bytes: upload.file.clone(),
    };
    let added = app.workshop.add_photo(&user.actor, command).await;
    outcome::tell(&session, page_of(subject, of), added.map(|_| "The photo is added."))
}

async fn remove(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let photo = app.workshop.set_photo_removed(&user.actor, PhotoId(*id), true).await?;
    let text = format!("The photo is removed. It can be put back for {BIN_DAYS} days.");
    Ok(outcome::done(&session, page_of(photo.subject.0, photo.subject_id), text))
}

async fn put_back(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let photo = app.workshop.set_photo_removed(&user.actor, PhotoId(*id), false).await?;
    Ok(outcome::done(&session, page_of(photo.subject.0, photo.subject_id), "The photo is back."))
}

async fn sent(app: &App, user: &CurrentUser, id: u64, is_small: bool) -> Result<HttpResponse, AppError> {
    let bytes = app.workshop.photo_picture(&user.actor, PhotoId(id), is_small).await?;
    Ok(HttpResponse::Ok().content_type("image/jpeg").body(bytes))
}

async fn picture(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    sent(&app, &user, *id, false).await
}

async fn small(app: web::Data<App>, user: CurrentUser, id: web::Path<u64>) -> Result<HttpResponse, AppError> {
    sent(&app, &user, *id, true).await
}
