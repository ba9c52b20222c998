//! Instruments: where each is, how well it reads, and whether it answers.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::layout::{Choice, Field, Frame};
use crate::pages::redirect;
use ::instruments::net::Line;
use ::instruments::simulated::Fault as CoilFault;
use ::instruments::{Gaussmeter as _, Instrument as _, LcrMeter as _, OhmMeter as _, Ohms, Winder as _};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::time::Duration;
use store::instrument::{Instrument, NewInstrument};
use store::{ClientKey, InstrumentId, StoreError};
use time::macros::format_description;
use time::{Date, OffsetDateTime};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/instruments", web::get().to(show))
        .route("/instruments", web::post().to(add))
        .route("/instruments/{id}/test", web::post().to(test))
        .route("/instruments/{id}/retire", web::post().to(retire))
        .route("/instruments/{id}/bench", web::post().to(bench));
}

/// Kinds: key, words, the quantity that its resolution is in.
const KINDS: [(&str, &str, &str); 5] = [
    ("ohm", "ohm meter", "Ω"),
    ("lcr", "LCR meter", "H"),
    ("gauss", "gaussmeter with polarity", "T"),
    ("sweep", "sweep analyser", "dB"),
    ("winder", "winder with counter", "turns"),
];

/// What can be the matter on a simulated bench: name, words.
const FAULTS: [(&str, &str); 7] = [
    ("none", "nothing"),
    ("open", "open coil"),
    ("unburned", "enamel not burned through, twice"),
    ("shorted", "shorted turns"),
    ("half", "magnets half charged"),
    ("reversed", "pole 2 reversed"),
    ("breaks", "wire breaks at turn 4,000"),
];
const LINES: [(&str, &str); 4] = [
    ("good", "answers"),
    ("silent", "does not answer"),
    ("garbage", "answers nonsense"),
    ("lost", "breaks off"),
];

struct Row {
    id: u64,
    name: String,
    kind: &'static str,
    address: String,
    reads: String,
    due: String,
    overdue: bool,
    simulated: bool,
}

#[derive(Template)]
#[template(path = "instruments/instruments.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
    said: String,
    said_well: bool,
    faults: Vec<(&'static str, &'static str)>,
    lines: Vec<(&'static str, &'static str)>,
}

#[derive(Deserialize)]
struct Said {
    #[serde(default)]
    said: String,
    #[serde(default)]
    well: String,
}

fn row(of: Instrument) -> Row {
    let (_, kind, unit) = KINDS.iter().find(|(key, _, _)| *key == of.kind).copied().unwrap_or(KINDS[0]);
    let mut reads = Vec::new();
    if let Some(step) = of.resolution {
        let unit = if (step - 1.0).abs() < 1e-12 { unit.trim_end_matches('s') } else { unit };
        reads.push(format!("steps of {} {unit}", coil::quantity::fixed(step, 6)));
    }
    if let Some(accuracy) = of.accuracy {
        reads.push(format!("±{} %", coil::quantity::fixed(accuracy * 100.0, 3)));
    }
    if let Some(hz) = of.test_hz {
        reads.push(format!("at {} Hz", coil::quantity::fixed(hz, 0)));
    }
    let day = format_description!("[day padding:none] [month repr:short] [year]");
    Row {
        id: of.id.0,
        name: of.name,
        kind,
        address: of.address,
        reads: reads.join(", "),
        due: of.due.and_then(|d| d.format(day).ok()).unwrap_or_default(),
        overdue: of.due.is_some_and(|d| d < OffsetDateTime::now_utc().date()),
        simulated: of.simulated,
    }
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    said: (String, bool),
) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| {
        let value = form.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let kinds = KINDS.iter().map(|(key, words, _)| Choice::new(*key, *words)).collect();
    let page = Page {
        frame: Frame::new(user, "instruments", "Instruments"),
        rows: app.store.of(user.workshop()).instruments().await?.into_iter().map(row).collect(),
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields: vec![
            fill(Field::chosen("kind", "What it is", "", kinds)),
            fill(Field::typed("name", "Called", "As it is called on the bench.")),
            fill(Field::typed(
                "address",
                "Address",
                "Host and port, such as 192.168.1.40:5025. A serial device comes through a bridge from serial to TCP.",
            )),
            fill(Field::typed("resolution", "Smallest step", "In ohms, henries, tesla or decibels.")),
            Field { unit: "%".into(), ..fill(Field::typed("accuracy", "Accuracy", "From its data sheet.")) },
            Field {
                unit: "Hz".into(),
                ..fill(Field::typed(
                    "test_hz",
                    "Test frequency",
                    "Of an LCR meter: 100, 120 or 1000 is usual.",
                ))
            },
            fill(Field::typed("due", "Calibration due", "Year-month-day, such as 2027-05-01.")),
        ],
        refused: !errors.is_empty(),
        said: said.0,
        said_well: said.1,
        faults: FAULTS.to_vec(),
        lines: LINES.to_vec(),
    };
    let status = if errors.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let html = page.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(html))
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Said>,
) -> Result<HttpResponse, AppError> {
    let said = (query.said.clone(), query.well == "yes");
    page(&app, &user, &FormData::default(), &Errors::new(), said).await
}

fn number(form: &FormData, errors: &mut Errors, name: &str, range: (f64, f64)) -> Option<f64> {
    let typed = form.get(name).trim_end_matches(['%', ' ']).replace(',', ".");
    if typed.is_empty() {
        return None;
    }
    match typed.parse::<f64>() {
        Ok(value) if (range.0..=range.1).contains(&value) => Some(value),
        _ => {
            errors.insert(name.into(), format!("A number from {} to {}.", range.0, range.1));
            None
        }
    }
}

async fn add(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let kind = form.get("kind");
    if !KINDS.iter().any(|(key, _, _)| *key == kind) {
        errors.insert("kind".into(), "Choose one of the list.".into());
    }
    let name = form.get("name");
    if name.is_empty() || name.chars().count() > 80 {
        errors.insert("name".into(), "Give it a name of up to 80 letters.".into());
    }
    let address = form.get("address");
    let port = address
        .rsplit_once(':')
        .and_then(|(host, port)| (!host.is_empty()).then(|| port.parse::<u16>().ok())?);
    if port.is_none() || address.chars().count() > 120 {
        errors.insert("address".into(), "Host and port with a colon between: 192.168.1.40:5025.".into());
    }
    let resolution = number(&form, &mut errors, "resolution", (0.0, 1e6));
    let accuracy = number(&form, &mut errors, "accuracy", (0.0, 100.0)).map(|v| v / 100.0);
    let test_hz = number(&form, &mut errors, "test_hz", (20.0, 200_000.0));
    let due = match form.get("due") {
        "" => None,
        text => match Date::parse(text, format_description!("[year]-[month]-[day]")) {
            Ok(date) => Some(date),
            Err(_) => {
                errors.insert("due".into(), "Write year-month-day, such as 2027-05-01.".into());
                None
            }
        },
    };
    if !errors.is_empty() {
        return page(&app, &user, &form, &errors, Default::default()).await;
    }
    let new = NewInstrument {
        key: form.key()?,
        kind,
        name,
        address,
        resolution,
        accuracy,
        test_hz,
        due,
        simulated: false,
    };
    match app.store.of(user.workshop()).add_instrument(&new).await {
        Ok(()) => Ok(redirect("/instruments")),
        Err(StoreError::Taken(index)) if index == "instruments_name" => {
            errors.insert("name".into(), "Another instrument has that name.".into());
            page(&app, &user, &form, &errors, Default::default()).await
        }
        Err(error) => Err(error.into()),
    }
}

async fn one(app: &App, user: &CurrentUser, id: u64) -> Result<Instrument, AppError> {
    let all = app.store.of(user.workshop()).instruments().await?;
    all.into_iter().find(|i| i.id.0 == id).ok_or(AppError::Missing("instrument"))
}

/// Asks an instrument what it is, and for what it reads just now.
async fn test(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _filled: FormData,
) -> Result<HttpResponse, AppError> {
    let of = one(&app, &user, *id).await?;
    let mut line = Line::to(&of.address).patient(Duration::from_secs(3));
    let said = match line.identify().await {
        Err(error) => (format!("{}: {error}.", of.name), false),
        Ok(identity) => {
            let now = match of.kind.as_str() {
                "ohm" => line.resistance().await.map(|r| match r {
                    Ohms::Of(ohms) => format!("{} Ω", coil::quantity::fixed(ohms, 1)),
                    Ohms::Open => "open".to_owned(),
                }),
                "lcr" => line
                    .inductance(of.test_hz.unwrap_or(1000.0))
                    .await
                    .map(|l| format!("{} H, Q {}", l.henries, l.q)),
                "gauss" => line.flux().await.map(|t| format!("{:.1} mT", t * 1e3)),
                "winder" => line.status().await.map(|w| format!("counter at {}", w.turns)),
                _ => Ok("ready".to_owned()),
            };
            let now = now.unwrap_or_else(|error| error.to_string());
            (format!("{} answers: {identity}. Now: {now}.", of.name), true)
        }
    };
    page(&app, &user, &FormData::default(), &Errors::new(), said).await
}

async fn retire(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _filled: FormData,
) -> Result<HttpResponse, AppError> {
    app.store.of(user.workshop()).retire_instrument(InstrumentId(*id)).await?;
    Ok(redirect("/instruments"))
}

/// Sets what is the matter on a simulated bench.
async fn bench(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let of = one(&app, &user, *id).await?;
    if !of.simulated {
        return Err(AppError::Unreadable(
            "This instrument is a real one: it has the faults that it has.".into(),
        ));
    }
    let faults: Vec<CoilFault> = match form.get("fault") {
        "open" => vec![CoilFault::Open],
        "unburned" => vec![CoilFault::Unburned],
        "shorted" => vec![CoilFault::ShortedTurns],
        "half" => vec![CoilFault::HalfCharge],
        "reversed" => vec![CoilFault::Reversed(2)],
        "breaks" => vec![CoilFault::BreaksAt(4000)],
        _ => Vec::new(),
    };
    let faults = serde_json::to_string(&faults).map_err(|e| AppError::Internal(e.to_string()))?;
    let wire = LINES.iter().map(|(key, _)| *key).find(|key| *key == form.get("line")).unwrap_or("good");
    let mut line = Line::to(&of.address);
    let mut said = ("The simulated bench is set.".to_owned(), true);
    for command in [format!("SIM:FAULTS {faults}"), format!("SIM:LINE {wire}")] {
        if let Err(error) = line.ask(&command).await {
            said = (error.to_string(), false);
        }
    }
    page(&app, &user, &FormData::default(), &Errors::new(), said).await
}
