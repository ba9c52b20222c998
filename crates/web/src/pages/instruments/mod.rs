//! Instruments: where each is, how well it reads, and whether it answers.

mod edit;
mod entry;
mod machine;

use self::entry::{entry_fields, entry_of, refused_field};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use crate::route_table::routes;
use ::instruments::simulated::Fault;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Units, fixed};
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::read::chosen;
use store::instrument::Instrument;
use store::{ClientKey, InstrumentId};
use time::OffsetDateTime;
use time::macros::format_description;
use trade::instrument::InstrumentKind;
use workshop::{InstrumentState, Refusal, analyser_of};

routes! {
    GET "/instruments" [ReadInstruments] => show;
    POST "/instruments" [ChangeInstruments] => add;
    POST "/instruments/networks" [ManageSettings] => allow;
    POST "/instruments/networks/{id}/remove" [ManageSettings] => forbid;
    GET "/instruments/{id}/edit" [ChangeInstruments] => edit::show;
    POST "/instruments/{id}" [ChangeInstruments] => edit::save;
    GET "/instruments/{id}/machine" [ChangeInstruments] => machine::show;
    POST "/instruments/{id}/machine" [ChangeInstruments] => machine::save;
    POST "/instruments/{id}/shown" [ChangeInstruments] => choose;
    POST "/instruments/{id}/test" [Wind] => test;
    POST "/instruments/{id}/retire" [ChangeInstruments] => retire;
    POST "/instruments/{id}/bench" [ChangeInstruments] => bench;
}

/// What can be the matter on a simulated bench: name, words.
const FAULTS: [(&str, &str); 8] = [
    ("none", "nothing"),
    ("open", "open coil"),
    ("unburned", "enamel not burned through, twice"),
    ("ranging", "an overload at the first reading"),
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

/// Whether resonances are shown as an instrument shows them.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Resonances {
    Shown,
    /// Its input is known: they could be.
    Possible,
    No,
}

struct Row {
    id: u64,
    name: String,
    kind: &'static str,
    address: String,
    reads: String,
    due: String,
    overdue: bool,
    simulated: bool,
    resonances: Resonances,
    /// Whether files are written for it.
    winds: bool,
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

fn row(of: Instrument, shown: bool) -> Row {
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
    let resonances = match of.input() {
        Some(_) if shown => Resonances::Shown,
        Some(_) => Resonances::Possible,
        None => Resonances::No,
    };
    Row {
        resonances,
        winds: of.kind.0 == InstrumentKind::Winder,
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
    let all = app.workshop.instruments(&user.actor).await?;
    let shown = analyser_of(&all).map(|(of, _)| of.id);
    let page = Page {
        frame: Frame::new(user, "instruments", "Instruments"),
        rows: all
            .into_iter()
            .map(|of| (shown == Some(of.id), of))
            .map(|(is_shown, of)| row(of, is_shown))
            .collect(),
        networks: app.workshop.instrument_networks(&user.actor).await?,
        network: fill(Field::typed("network", "Network and ports", "Such as 192.168.1.0/24 5025-5030.")),
        key: form.key_or_new(),
        fields: entry_fields(form, errors, true),
        refused: errors.keys().any(|field| field != "network"),
        faults: FAULTS.to_vec(),
        lines: LINES.to_vec(),
    };
    render_page(&page, !errors.is_empty())
}

async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new()).await
}

async fn add(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let kind: Option<InstrumentKind> = chosen(&form, &mut errors, "kind");
    let entry = entry_of(&form, &mut errors);
    let (Some(kind), Some(entry)) = (kind, entry) else {
        return page(&app, &user, &form, &errors).await;
    };
    let new = entry.instrument(form.key()?, kind);
    match app.workshop.add_instrument(&user.actor, &new).await {
        Err(refusal) => match refused_field(&refusal) {
            Some(field) => {
                errors.insert(field.into(), refusal_text(&refusal));
                page(&app, &user, &form, &errors).await
            }
            None => Err(refusal.into()),
        },
        Ok(()) => Ok(redirect("/instruments")),
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

/// The list again, with what was done, or with why an instrument could not.
fn said(session: &Session, done: Result<String, Refusal>) -> Result<HttpResponse, AppError> {
    outcome::tell(session, "/instruments", done)
}

/// Asks an instrument what it is, and for what it reads just now.
async fn test(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let tested = app.workshop.test_instrument(&user.actor, InstrumentId(*id)).await;
    let answer = tested.map(|(of, identity, state)| {
        format!("{} answers: {identity}. Now: {}.", of.name, state_text(&state, user.settings.units))
    });
    said(&session, answer)
}

/// Shows resonances from now on as this instrument shows them.
async fn choose(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let chosen = app.workshop.show_resonances_by(&user.actor, InstrumentId(*id)).await;
    said(&session, chosen.map(|()| String::new()))
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
        "ranging" => vec![Fault::Ranging],
        "shorted" => vec![Fault::ShortedTurns],
        "half" => vec![Fault::HalfCharge],
        "reversed" => vec![Fault::Reversed(2)],
        "breaks" => vec![Fault::BreaksAt(4000)],
        _ => Vec::new(),
    };
    let line = LINES.iter().map(|(key, _)| *key).find(|key| *key == form.get("line")).unwrap_or("good");
    let set = app.workshop.set_simulated_faults(&user.actor, InstrumentId(*id), &faults, line).await;
    said(&session, set.map(|()| "The simulated bench is set.".to_owned()))
}
