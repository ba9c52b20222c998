//! Instruments: where each is, how well it reads, and whether it answers.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use ::instruments::simulated::Fault;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Units, fixed};
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::is_name;
use store::instrument::{Instrument, NewInstrument};
use store::{ClientKey, InstrumentId};
use time::macros::format_description;
use time::{Date, OffsetDateTime};
use trade::instrument::InstrumentKind;
use workshop::{InstrumentState, Refusal};

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/instruments", web::get().to(show))
        .route("/instruments", web::post().to(add))
        .route("/instruments/networks", web::post().to(allow))
        .route("/instruments/networks/{id}/remove", web::post().to(forbid))
        .route("/instruments/{id}/test", web::post().to(test))
        .route("/instruments/{id}/retire", web::post().to(retire))
        .route("/instruments/{id}/bench", web::post().to(bench));
}

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
    networks: Vec<(u64, String)>,
    network: Field,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
    faults: Vec<(&'static str, &'static str)>,
    lines: Vec<(&'static str, &'static str)>,
}

fn row(of: Instrument) -> Row {
    let (kind, unit) = (of.kind.name(), of.kind.unit());
    let mut reads = Vec::new();
    if let Some(step) = of.resolution {
        let unit = if (step - 1.0).abs() < 1e-12 { unit.trim_end_matches('s') } else { unit };
        reads.push(format!("steps of {} {unit}", fixed(step, 6)));
    }
    if let Some(accuracy) = of.accuracy {
        reads.push(format!("±{} %", fixed(accuracy * 100.0, 3)));
    }
    if let Some(hz) = of.test_hz {
        reads.push(format!("at {} Hz", fixed(hz, 0)));
    }
    if let Some(pf) = of.input_pf {
        let mohm = of.input_mohm.map_or_else(String::new, |m| format!(" and {} MΩ", fixed(m, 3)));
        reads.push(format!("input {} pF{mohm}", fixed(pf, 1)));
    }
    let day = format_description!("[year]-[month]-[day]");
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
) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| field.filled(form, errors);
    let kinds = InstrumentKind::ALL.map(|kind| Choice::new(kind.key(), kind.name())).into();
    let page = Page {
        frame: Frame::new(user, "instruments", "Instruments"),
        rows: app.workshop.instruments(&user.actor).await?.into_iter().map(row).collect(),
        networks: app.workshop.instrument_networks(&user.actor).await?,
        network: fill(Field::typed("network", "Network and ports", "Such as 192.168.1.0/24 5025-5030.")),
        key: form.key_or_new(),
        fields: vec![
            fill(Field::chosen("kind", "Kind", "", kinds)),
            fill(Field::typed("name", "Name", "As it is called on the bench.")),
            fill(Field::typed(
                "address",
                "Address",
                "Host and port, such as 192.168.1.40:5025. A serial device comes through a bridge from serial to TCP.",
            )),
            fill(Field::typed("resolution", "Resolution", "In ohms, henries, tesla or decibels.")),
            Field { unit: "%".into(), ..fill(Field::typed("accuracy", "Accuracy", "From its data sheet.")) },
            Field {
                unit: "Hz".into(),
                ..fill(Field::typed(
                    "test_hz",
                    "Test frequency",
                    "Of an LCR meter: 100, 120 or 1000 is usual.",
                ))
            },
            Field {
                unit: "pF".into(),
                ..fill(Field::typed(
                    "input_pf",
                    "Input with its lead",
                    "What stands across the coil when it reads a resonance: 15 for a divider probe, about 100 for a straight lead.",
                ))
            },
            Field {
                unit: "MΩ".into(),
                ..fill(Field::typed("input_mohm", "Input resistance", "From its data sheet; 1 is usual."))
            },
            fill(Field::typed("due", "Calibration due", "Year-month-day, such as 2027-05-01.")),
        ],
        refused: errors.keys().any(|field| field != "network"),
        faults: FAULTS.to_vec(),
        lines: LINES.to_vec(),
    };
    render_page(&page, !errors.is_empty())
}

async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new()).await
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
    let kind: Option<InstrumentKind> = form.get("kind").parse().ok();
    if kind.is_none() {
        errors.insert("kind".into(), "Choose one of the list.".into());
    }
    let name = form.get("name");
    if !is_name(name, 80) {
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
    let input_pf = number(&form, &mut errors, "input_pf", (0.0, 5000.0));
    let input_mohm = number(&form, &mut errors, "input_mohm", (0.01, 10_000.0));
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
    let (Some(kind), true) = (kind, errors.is_empty()) else {
        return page(&app, &user, &form, &errors).await;
    };
    let new = NewInstrument {
        key: form.key()?,
        kind,
        name,
        address,
        resolution,
        accuracy,
        test_hz,
        due,
        input_pf,
        input_mohm,
        simulated: false,
    };
    match app.workshop.add_instrument(&user.actor, &new).await {
        Err(refusal @ (Refusal::NameTaken(_) | Refusal::AddressNotAllowed(_))) => {
            let field = if matches!(refusal, Refusal::NameTaken(_)) { "name" } else { "address" };
            errors.insert(field.into(), refusal_text(&refusal));
            page(&app, &user, &form, &errors).await
        }
        done => {
            done?;
            Ok(redirect("/instruments"))
        }
    }
}

/// Allows a network for instruments.
async fn allow(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    match app.workshop.allow_instrument_network(&user.actor, form.get("network")).await {
        Err(refusal @ Refusal::UnusableNetwork(_)) => {
            let errors = Errors::from([("network".to_owned(), refusal_text(&refusal))]);
            page(&app, &user, &form, &errors).await
        }
        done => {
            done?;
            Ok(redirect("/instruments#networks"))
        }
    }
}

/// Allows a network no longer.
async fn forbid(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.forbid_instrument_network(&user.actor, *id).await?;
    Ok(redirect("/instruments#networks"))
}

/// What an instrument shows just now, in words.
fn state_text(state: &InstrumentState, units: Units) -> String {
    match state {
        InstrumentState::Ohms(ohms) => format!("{} Ω", fixed(*ohms, 1)),
        InstrumentState::Open => "open".into(),
        InstrumentState::Inductance(henries, q) => format!("{henries} H, Q {q}"),
        InstrumentState::Tesla(tesla) => units.flux(tesla * 1e3, 1),
        InstrumentState::Turns(turns) => format!("counter at {turns}"),
        InstrumentState::Ready => "ready".into(),
        InstrumentState::CannotRead(why) => why.clone(),
    }
}

/// Asks an instrument what it is, and for what it reads just now.
async fn test(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    match app.workshop.test_instrument(&user.actor, InstrumentId(*id)).await {
        Ok((of, identity, state)) => {
            let text =
                format!("{} answers: {identity}. Now: {}.", of.name, state_text(&state, user.settings.units));
            flash::put(&session, FlashKind::Done, text);
        }
        Err(refusal @ Refusal::Instrument { .. }) => {
            flash::put(&session, FlashKind::NotDone, refusal_text(&refusal));
        }
        Err(other) => return Err(other.into()),
    }
    Ok(redirect("/instruments"))
}

async fn retire(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.retire_instrument(&user.actor, InstrumentId(*id)).await?;
    Ok(redirect("/instruments"))
}

/// Sets what is the matter on a simulated bench.
async fn bench(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let faults: Vec<Fault> = match form.get("fault") {
        "open" => vec![Fault::Open],
        "unburned" => vec![Fault::Unburned],
        "shorted" => vec![Fault::ShortedTurns],
        "half" => vec![Fault::HalfCharge],
        "reversed" => vec![Fault::Reversed(2)],
        "breaks" => vec![Fault::BreaksAt(4000)],
        _ => Vec::new(),
    };
    let line = LINES.iter().map(|(key, _)| *key).find(|key| *key == form.get("line")).unwrap_or("good");
    match app.workshop.set_simulated_faults(&user.actor, InstrumentId(*id), &faults, line).await {
        Ok(()) => flash::put(&session, FlashKind::Done, "The simulated bench is set."),
        Err(refusal @ (Refusal::Instrument { .. } | Refusal::NotSimulated)) => {
            flash::put(&session, FlashKind::NotDone, refusal_text(&refusal));
        }
        Err(other) => return Err(other.into()),
    }
    Ok(redirect("/instruments"))
}
