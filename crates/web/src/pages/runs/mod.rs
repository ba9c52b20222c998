//! Winding runs: starting one, its traveller, the station, readings, the verdict.

mod log_form;
mod machine;
mod measuring;
mod operations;
mod pasted;
mod starting;
mod station;

use crate::app::App;
use crate::fault::Fault;
use crate::filled::{Errors, Filled};
use crate::layout::{Field, Frame, Knot, thread};
use crate::pages::designs::{Cell, cells};
use crate::pages::{see, shown};
use crate::plot;
use crate::present::{self, HENRY, KILOOHM, MILLIMETRE, MILLITESLA, PICOFARAD, Scale};
use crate::visitor::Visitor;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::predict::{Prediction, predict_with};
use coil::quantity::fixed;
use log_form::{doubts, reading_fields, readings_from};
use operations::OperationRow;
use serde::Deserialize;
use shop::comparison::{Comparison, Standing, as_wound};
use shop::outcome::{Outcome, outcome};
use shop::reading::{Kind, Reading, standing};
use shop::run::Stage;
use shop::verdict::{Level, Verdict};
use station::EventRow;
use std::collections::BTreeMap;
use store::reading::{Logged, NewReading};
use store::run::{Run, RunRow};
use store::{ClientKey, PersonId, ReadingId, RunId, WorkshopId};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/runs", web::post().to(starting::start))
        .route("/runs/new", web::get().to(starting::new))
        .route("/runs/{id}", web::get().to(show))
        .route("/runs/{id}/readings", web::post().to(log))
        .route("/runs/{id}/sign", web::post().to(operations::sign))
        .route("/runs/{id}/station", web::get().to(station::show))
        .route("/runs/{id}/live", web::get().to(station::live))
        .route("/runs/{id}/events", web::post().to(station::note))
        .route("/runs/{id}/winder", web::post().to(station::command))
        .route("/runs/{id}/section", web::get().to(station::section))
        .route("/runs/{id}/read", web::post().to(measuring::read))
        .route("/runs/{id}/cooling", web::post().to(measuring::cooling))
        .route("/runs/{id}/guide.{form:gcode|csv}", web::get().to(machine::guide))
        .route("/runs/{id}/counter", web::post().to(machine::import))
        .route("/runs/{id}/paper", web::get().to(machine::paper))
        .route("/travellers", web::get().to(operations::travellers))
        .route("/travellers", web::post().to(operations::keep_traveller));
}

/// A key for a form that is sent by a button alone.
pub fn fresh_key() -> ClientKey {
    ClientKey::random()
}

/// All readings of a run, as the rules of the trade take them.
async fn readings_of(app: &App, workshop: WorkshopId, run: RunId) -> Result<Vec<Reading>, Fault> {
    Ok(app.store.readings(workshop, run).await?.into_iter().map(|logged| logged.reading).collect())
}

/// A verdict's level as people read it.
pub fn level_name(key: &str) -> &'static str {
    Level::from_key(key).map_or("–", Level::name)
}

#[derive(Template)]
#[template(path = "runs/run.html")]
struct RunPage {
    frame: Frame,
    thread: Vec<Knot>,
    row: RunRow,
    when: String,
    when_iso: String,
    stops: Vec<String>,
    verdict: Verdict,
    level: &'static str,
    cells: Vec<Cell>,
    table: Vec<ComparisonRow>,
    log: Vec<LogRow>,
    key: ClientKey,
    fields: Vec<Field>,
    flux: Vec<Field>,
    corrects: Option<LogRow>,
    operations: Vec<OperationRow>,
    /// All is signed: readings are only corrected.
    closed: bool,
    /// Instruments that read off a coil: number, name, words; whether it can watch a coil cool.
    instruments: Vec<(u64, String, &'static str, bool)>,
    events: Vec<EventRow>,
    said: String,
    winding: bool,
    /// Lines that were pasted, and what is wrong with them.
    pasted: (String, String),
    /// The same of a counter's log.
    counter: (String, String),
    /// Some readings were asked about.
    doubtful: bool,
    /// The response with what was swept; empty without a sweep.
    plot: String,
    /// How many kinds of part its design takes, and whether they were taken out of stock.
    parts: (usize, bool),
}

/// A row of predicted against measured.
struct ComparisonRow {
    what: String,
    predicted: String,
    band: String,
    measured: String,
    deviation: String,
    /// The same in half widths of the band.
    bands: String,
    standing: &'static str,
    words: &'static str,
    drawing: String,
}

/// A row of the log.
#[derive(Clone)]
struct LogRow {
    id: u64,
    kind: Kind,
    what: String,
    value: String,
    condition: String,
    words: String,
    /// The instrument that made it; empty where it was typed.
    instrument: String,
    by: String,
    when: String,
    when_iso: String,
    /// Whether a later reading corrects it.
    struck: bool,
    corrects: Option<u64>,
}

#[derive(Deserialize)]
struct RunQuery {
    correct: Option<u64>,
    /// What an instrument could not read.
    #[serde(default)]
    said: String,
}

async fn show(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    query: web::Query<RunQuery>,
) -> Result<HttpResponse, Fault> {
    let run = app.store.run(visitor.workshop(), RunId(*id)).await?;
    let asked = Asked { correct: query.correct, said: query.said.clone() };
    run_page(&app, &visitor, run, &Filled::default(), &Errors::new(), asked).await
}

/// What the address of a run's page asks for.
#[derive(Default)]
struct Asked {
    correct: Option<u64>,
    said: String,
}

fn what(kind: Kind, pole: Option<u32>) -> String {
    match (kind, pole) {
        (Kind::Turns, _) => "Turns".into(),
        (Kind::Resistance, _) => "Resistance".into(),
        (Kind::Open, _) => "Open coil".into(),
        (Kind::Inductance, _) => "Inductance".into(),
        (Kind::Flux, Some(pole)) => format!("Flux, pole {pole}"),
        (Kind::Flux, None) => "Flux".into(),
        (Kind::Capacitance, _) => "Capacitance".into(),
        (Kind::Width, _) => "Width of the coil".into(),
        (Kind::Length, _) => "Length of the coil".into(),
        (Kind::Remark, _) => "Remark".into(),
    }
}

fn scale(kind: Kind) -> Option<Scale> {
    match kind {
        Kind::Resistance => Some(KILOOHM.finer()),
        Kind::Inductance => Some(HENRY.finer()),
        Kind::Flux => Some(MILLITESLA),
        Kind::Capacitance => Some(PICOFARAD),
        Kind::Width | Kind::Length => Some(MILLIMETRE),
        _ => None,
    }
}

fn log_row(logged: &Logged, stands: bool) -> LogRow {
    let reading = &logged.reading;
    let value = match (reading.value, scale(reading.kind)) {
        (Some(value), Some(scale)) => scale.text(value),
        (Some(value), None) => present::turns(value),
        (None, _) => String::new(),
    };
    let mut condition = Vec::new();
    if let Some(c) = reading.coil_c {
        condition.push(format!("coil at {} °C", fixed(c, 1)));
    }
    if let Some(hz) = reading.test_hz {
        condition.push(format!("at {} Hz", fixed(hz, 0)));
    }
    if let Some(mm) = reading.probe_mm {
        condition.push(format!("{} mm above", fixed(mm, 2)));
    }
    LogRow {
        id: reading.id,
        kind: reading.kind,
        what: what(reading.kind, reading.pole),
        value,
        condition: condition.join(", "),
        words: logged.words.clone(),
        instrument: logged.instrument.clone().unwrap_or_default(),
        by: logged.taken_by.clone(),
        when: present::moment(logged.taken_at),
        when_iso: present::iso(logged.taken_at),
        struck: !stands,
        corrects: reading.corrects,
    }
}

fn comparison_row(c: &Comparison) -> ComparisonRow {
    let scale = scale(c.kind).unwrap_or(KILOOHM);
    let (standing, words) = match c.standing {
        Standing::Inside => ("inside", "inside the band"),
        Standing::Low => ("off", "below the band"),
        Standing::High => ("off", "above the band"),
    };
    ComparisonRow {
        what: match c.kind {
            Kind::Resistance => "Resistance at 20 °C".into(),
            kind => what(kind, c.pole),
        },
        predicted: scale.text(c.predicted.nominal),
        band: scale.band(&c.predicted),
        measured: scale.text(c.measured),
        deviation: format!("{:+.1} %", c.deviation * 100.0).replace('-', "−"),
        bands: format!("{:+.1} bands", c.bands).replace('-', "−"),
        standing,
        words: match (c.reversed, c.standing, c.bands.abs() > 1.0) {
            (true, ..) => "polarity reversed",
            (_, Standing::Inside, true) => "at the edge, as one in ten is",
            _ => words,
        },
        drawing: crate::drawing::band(&c.predicted, None, Some(c.measured)),
    }
}

async fn run_page(
    app: &App,
    visitor: &Visitor,
    run: Run,
    filled: &Filled,
    errors: &Errors,
    asked: Asked,
) -> Result<HttpResponse, Fault> {
    let logged = app.store.readings(visitor.workshop(), run.row.id).await?;
    let readings: Vec<Reading> = logged.iter().map(|l| l.reading.clone()).collect();
    let (design, experience) = (run.design.clone(), run.experience);
    let of_design = readings.clone();
    let (outcome, prediction, wound) = web::block(move || {
        let wound = as_wound(&design, &of_design);
        (outcome(&design, &of_design, &experience), predict_with(&wound, &experience).ok(), wound)
    })
    .await?;
    let Outcome { comparisons, verdict, .. } = outcome;
    let stage = Stage::of(&readings);
    let measured: BTreeMap<&'static str, f64> = comparisons
        .iter()
        .filter_map(|c| match c.kind {
            Kind::Resistance => Some(("resistance", c.measured)),
            Kind::Inductance => Some(("inductance", c.measured)),
            Kind::Capacitance => Some(("capacitance", c.measured)),
            _ => None,
        })
        .collect();
    let stands: Vec<u64> = standing(&readings).iter().map(|r| r.id).collect();
    let log: Vec<LogRow> = logged.iter().rev().map(|l| log_row(l, stands.contains(&l.reading.id))).collect();
    let corrects = asked.correct.and_then(|id| log.iter().find(|row| row.id == id && !row.struck).cloned());
    let (fields, flux) = reading_fields(filled, errors, &run, corrects.as_ref());
    let course = operations::course(app, visitor.workshop(), run.row.id, &readings).await?;
    let (operations, closed) = course.map_or((Vec::new(), false), |c| (c.rows, c.closed));
    let all = app.store.instruments(visitor.workshop()).await?;
    let instruments = measuring::ASKED.iter().flat_map(|(kind, words)| {
        let of_kind = all.iter().filter(|i| i.kind == *kind);
        of_kind.map(|i| (i.id.0, i.name.clone(), *words, *kind == "ohm"))
    });
    let counted = station::counted(app, visitor.workshop(), &run).await?;
    let mut fields = fields;
    if let (true, Some(field)) = (stage == Stage::Wind && counted > 0, fields.first_mut())
        && field.name == "turns"
        && field.value.is_empty()
    {
        field.value = counted.to_string();
        "From the counter, hand turns included. Correct it if it is wrong.".clone_into(&mut field.hint);
    }
    let plot = swept(app, visitor, &run, prediction.as_ref()).await?;
    let page = RunPage {
        frame: Frame::new(visitor, "logbook", format!("Run {}: {}", run.row.number, run.row.design)),
        thread: thread(true, Some(stage), verdict.level == Level::Pass),
        when: present::moment(run.row.created_at),
        when_iso: present::iso(run.row.created_at),
        stops: run.row.stops.split(',').filter_map(|s| s.parse::<u32>().ok()).map(present::turns).collect(),
        level: verdict.level.key(),
        cells: prediction.map(|p| cells(&wound, &p, None, &measured, &BTreeMap::new())).unwrap_or_default(),
        table: comparisons.iter().map(comparison_row).collect(),
        verdict,
        log,
        key: filled.key().unwrap_or_else(|_| ClientKey::random()),
        fields,
        flux,
        corrects,
        operations,
        closed,
        instruments: instruments.collect(),
        events: station::event_rows(app, visitor.workshop(), run.row.id).await?,
        said: asked.said,
        winding: stage == Stage::Wind,
        pasted: (filled.get("pasted").to_owned(), errors.get("pasted").cloned().unwrap_or_default()),
        counter: (filled.get("log").to_owned(), errors.get("log").cloned().unwrap_or_default()),
        doubtful: errors.values().any(|e| e.ends_with('?')),
        plot,
        parts: (
            app.store.design_parts(visitor.workshop(), run.row.design_id).await?.len(),
            app.store.parts_taken(visitor.workshop(), run.row.id).await?,
        ),
        row: run.row,
    };
    shown(&page, !errors.is_empty())
}

/// The response of the coil as it was wound, with what was swept on it; empty without a sweep.
async fn swept(
    app: &App,
    visitor: &Visitor,
    run: &Run,
    prediction: Option<&Prediction>,
) -> Result<String, Fault> {
    let sweeps = app.store.sweeps(visitor.workshop(), Some(run.row.revision_id)).await?;
    let mut curves = Vec::new();
    for (k, row) in sweeps.iter().filter(|s| s.run_id == Some(run.row.id)).take(4).enumerate() {
        curves.push(plot::measured(&row.label, k + 1, &row.sweep()?));
    }
    if curves.is_empty() {
        return Ok(String::new());
    }
    if let Some(prediction) = prediction {
        curves.extend(plot::curves("", 0, &prediction.response));
    }
    Ok(plot::plot(&curves, "Response in decibels over frequency"))
}

async fn log(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    filled: Filled,
) -> Result<HttpResponse, Fault> {
    let run = app.store.run(visitor.workshop(), RunId(*id)).await?;
    let correct: Option<u64> = filled.get("corrects").parse().ok();
    let taken_in = match pasted::take_in(&filled) {
        Ok(all) => all,
        Err(message) => {
            let errors = Errors::from([("pasted".to_owned(), message)]);
            return run_page(&app, &visitor, run, &filled, &errors, Asked { correct, ..Asked::default() })
                .await;
        }
    };
    let read = readings_from(&taken_in, &run);
    let doubts = match &read {
        Ok(new) if filled.get("sure") != "yes" => doubts(&app, &run, new).await?,
        _ => Errors::new(),
    };
    let read = if doubts.is_empty() { read } else { Err(doubts) };
    // What was pasted stands in the fields now, where it can be mended.
    let filled = taken_in;
    let mut readings = match read {
        Ok(readings) => readings,
        Err(errors) => {
            return run_page(&app, &visitor, run, &filled, &errors, Asked { correct, ..Asked::default() })
                .await;
        }
    };
    if let (Some(corrected), Some(first)) = (correct, readings.first_mut()) {
        first.corrects = Some(ReadingId(corrected));
        readings.truncate(1);
    }
    if correct.is_none() {
        let all = readings_of(&app, visitor.workshop(), run.row.id).await?;
        let course = operations::course(&app, visitor.workshop(), run.row.id, &all).await?;
        if course.is_some_and(|c| c.closed) {
            return Err(Fault::Unreadable(
                "This run is signed off: its readings are corrected, and no new ones are added.".into(),
            ));
        }
    }
    record(&app, &run, visitor.person.id, visitor.workshop(), &filled.key()?, &readings).await?;
    Ok(see(format!("/runs/{id}")))
}

/// Writes the line of a run from what was logged of it.
pub async fn write_line(app: &App, workshop: WorkshopId, id: RunId) -> Result<(), Fault> {
    let run = app.store.run(workshop, id).await?;
    let all = readings_of(app, workshop, id).await?;
    let outcome = web::block(move || outcome(&run.design, &all, &run.experience)).await?;
    Ok(app.store.write_line(workshop, id, &outcome).await?)
}

/// Appends readings to a run and judges it anew.
async fn record(
    app: &App,
    run: &Run,
    by: PersonId,
    workshop: store::WorkshopId,
    key: &ClientKey,
    readings: &[NewReading],
) -> Result<(), Fault> {
    app.store.log_readings(workshop, run.row.id, by, key, readings, None).await?;
    let all = readings_of(app, workshop, run.row.id).await?;
    let (design, experience) = (run.design.clone(), run.experience);
    let outcome = web::block(move || outcome(&design, &all, &experience)).await?;
    app.store.judged(workshop, run.row.id, &outcome).await?;
    app.lessons.soon(&app.store, workshop);
    Ok(())
}
