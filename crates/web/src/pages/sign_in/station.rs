//! A shared station: enrolling the tablet, and saying who stands at it.

use super::form_token::{Bare, FormToken};
use super::next::inside;
use crate::app::App;
use crate::assets;
use crate::current_user::{self, station_of};
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use store::PersonId;
use store::person::Person;
use store::station::Station;
use workshop::Refusal;

#[derive(Template)]
#[template(path = "sign_in/enrol.html")]
struct EnrolPage {
    frame: Bare,
    assets: &'static str,
    code: Field,
}

#[derive(Template)]
#[template(path = "sign_in/station.html")]
struct StationPage {
    frame: Bare,
    assets: &'static str,
    station: String,
    people: Vec<Person>,
    /// Who said that they stand here, and their PIN's field.
    chosen: Option<(u64, String, Field)>,
    next: String,
}

fn enrol_page(request: &HttpRequest, errors: &Errors) -> Result<HttpResponse, AppError> {
    let token = FormToken::from_request(request);
    let page = EnrolPage {
        frame: token.bare(),
        assets: assets::base(),
        code: Field::typed("code", "Code of the station", "Three groups of four, from the owner’s page.")
            .with("", errors)
            .wide(),
    };
    token.page(&page, !errors.is_empty())
}

async fn station_page(
    app: &App,
    request: &HttpRequest,
    station: Station,
    chosen: Option<PersonId>,
    next: &str,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let people = app.workshop.people_at(&station).await?;
    let chosen = chosen.and_then(|id| people.iter().find(|p| p.id == id));
    let pin = Field { kind: "password", complete: "off", required: "yes", ..Field::typed("pin", "PIN", "") };
    let token = FormToken::from_request(request);
    let page = StationPage {
        frame: token.bare(),
        assets: assets::base(),
        station: station.name,
        chosen: chosen.map(|p| (p.id.0, p.name.clone(), pin.with("", errors).wide())),
        people,
        next: next.to_owned(),
    };
    token.page(&page, !errors.is_empty())
}

/// Who stands here; on a tablet that is no station yet, its code.
pub(super) async fn show(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let Some(station) = station_of(&app, &session).await? else {
        return enrol_page(&request, &Errors::new());
    };
    let chosen = query.number("person").map(PersonId);
    station_page(&app, &request, station, chosen, query.get("next"), &Errors::new()).await
}

/// Takes a station's code.
pub(super) async fn enrol(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let address = app.origin.address(&request);
    match app.workshop.enrol_station(form.get("code"), address).await {
        Ok(station) => {
            tracing::info!(event = "station-enrolled", station = station.id.0, %address);
            current_user::sign_in_station(&session, station.id, &request, address)?;
            Ok(redirect("/station"))
        }
        Err(Refusal::NotFound(_)) => {
            tracing::warn!(event = "station-not-enrolled", %address);
            let text = "No station waits for this code. Codes hold for ten minutes and once.".to_owned();
            enrol_page(&request, &Errors::from([("code".to_owned(), text)]))
        }
        Err(other) => Err(other.into()),
    }
}

/// Somebody says that they stand here.
pub(super) async fn stand(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let Some(station) = station_of(&app, &session).await? else { return Ok(redirect("/station")) };
    let address = app.origin.address(&request);
    let person = form.id("person").map(PersonId).ok_or(AppError::NotFound("person"))?;
    match app.workshop.stand_at(&station, person, form.get("pin").to_owned(), address).await {
        Ok(person) => {
            tracing::info!(event = "stands-at-station", person = person.id.0, station = station.id.0, %address);
            current_user::stand_at_station(&session, person.id)?;
            Ok(redirect(inside(form.get("next"))))
        }
        Err(ref refusal @ Refusal::WrongPin) => {
            tracing::warn!(event = "wrong-pin", person = person.0, station = station.id.0, %address);
            let errors = Errors::from([("pin".to_owned(), refusal_text(refusal))]);
            station_page(&app, &request, station, Some(person), form.get("next"), &errors).await
        }
        Err(other) => Err(other.into()),
    }
}

/// Leaves the station to whoever comes next.
pub(super) async fn leave(session: Session, _: FormData) -> HttpResponse {
    current_user::leave_station(&session);
    redirect("/station")
}
