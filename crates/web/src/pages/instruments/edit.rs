//! Changing an instrument: a new calibration, another lead, another address.

use super::entry::{entry_fields, entry_of, kept, refused_field};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use store::instrument::Instrument;
use store::{ClientKey, InstrumentId};

#[derive(Template)]
#[template(path = "instruments/edit.html")]
struct Page {
    frame: Frame,
    id: u64,
    name: String,
    fields: Vec<Field>,
    /// The state that was shown, so that what somebody else changed meanwhile is not written over.
    version: String,
    simulated: bool,
}

fn page(
    user: &CurrentUser,
    of: Instrument,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let page = Page {
        frame: Frame::new(user, "instruments", of.name.clone()),
        id: of.id.0,
        fields: entry_fields(form, errors, false),
        version: form.get("version").to_owned(),
        simulated: of.simulated,
        name: of.name,
    };
    render_page(&page, !errors.is_empty())
}

/// The form.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let of = app.workshop.instrument(&user.actor, InstrumentId(*id)).await?;
    let form = kept(&of);
    page(&user, of, &form, &Errors::new())
}

/// Keeps what was changed.
pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = InstrumentId(*id);
    let of = app.workshop.instrument(&user.actor, id).await?;
    let mut errors = Errors::new();
    let Some(entry) = entry_of(&form, &mut errors) else {
        return page(&user, of, &form, &errors);
    };
    // A form without the state that it was filled from writes over nothing.
    let version = form.get("version").parse().unwrap_or(0);
    let changed = entry.instrument(ClientKey::random(), of.kind.0);
    match app.workshop.change_instrument(&user.actor, id, version, &changed).await {
        Ok(()) => Ok(redirect("/instruments")),
        Err(refusal) => match refused_field(&refusal) {
            Some(field) => {
                errors.insert(field.into(), refusal_text(&refusal));
                page(&user, of, &form, &errors)
            }
            None => Err(refusal.into()),
        },
    }
}
