//! Shared stations: tablets at which people take turns.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format;
use store::StationId;
use store::station::Station;
use workshop::{Refusal, STATION_CODE_LASTS};

struct Row {
    id: u64,
    name: String,
    state: String,
}

impl From<Station> for Row {
    fn from(of: Station) -> Self {
        let state = match (of.enrolled_at, of.code_expires_at) {
            (Some(since), _) => format!("signed in since {}", format::moment(since)),
            (None, Some(until)) => format!("waits for its code until {}", format::moment(until)),
            (None, None) => "waits for its code".to_owned(),
        };
        Self { id: of.id.0, name: of.name, state }
    }
}

/// A code to type on a tablet: shown once.
struct Code {
    name: String,
    text: String,
    address: String,
}

#[derive(Template)]
#[template(path = "workshop/stations.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    rows: Vec<Row>,
    name: Field,
    code: Option<Code>,
    rest_minutes: u32,
    code_minutes: i64,
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    code: Option<Code>,
) -> Result<HttpResponse, AppError> {
    let name = Field::typed("name", "Name of the station", "Such as where it stands.");
    let page = Page {
        frame: Frame::new(user, "workshop", "Shared stations"),
        tab: "stations",
        rows: app.workshop.stations(&user.actor).await?.into_iter().map(Row::from).collect(),
        name: name.filled(form, errors),
        code,
        rest_minutes: user.settings.station_rest_minutes,
        code_minutes: STATION_CODE_LASTS.whole_minutes(),
    };
    render_page(&page, !errors.is_empty())
}

/// The list.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new(), None).await
}

/// Adds a station; the answer shows its code, once.
pub(super) async fn add(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    match app.workshop.add_station(&user.actor, form.get("name")).await {
        Ok(code) => {
            tracing::info!(event = "station-added", by = user.person.id.0);
            let address = app.origin.address_of("/station");
            let code = Code { name: form.get("name").to_owned(), text: code, address };
            page(&app, &user, &FormData::default(), &Errors::new(), Some(code)).await
        }
        Err(refusal @ Refusal::UnusableName) => {
            let errors = Errors::from([("name".to_owned(), refusal_text(&refusal))]);
            page(&app, &user, &form, &errors, None).await
        }
        Err(other) => Err(other.into()),
    }
}

/// Retires a station.
pub(super) async fn retire(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.retire_station(&user.actor, StationId(*id)).await?;
    tracing::info!(event = "station-retired", by = user.person.id.0, station = *id);
    Ok(outcome::done(&session, "/stations", "The station is retired: its tablet is signed out."))
}
