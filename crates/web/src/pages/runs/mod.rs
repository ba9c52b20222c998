//! Winding runs: starting one, its traveller, the station, readings, the verdict.

mod log_form;
mod machine;
mod measure;
mod paste;
mod start;
mod station;
mod traveller;

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format::{self, HENRY, KILOOHM, MILLIMETRE, MILLITESLA, PICOFARAD, Scale};
use crate::layout::{Field, Frame, ProgressStep, progress_steps};
use crate::pages::designs::{Cell, cells};
use crate::pages::{redirect, render_page};
use crate::plot;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::prediction::{Prediction, predict_calibrated};
use coil::quantity::fixed;
use log_form::{doubts, reading_fields, readings_from};
use serde::Deserialize;
use station::EventRow;
use std::collections::BTreeMap;
use store::reading::{NewReading, ReadingRow};
use store::run::{Run, RunRow};
use store::{ClientKey, PersonId, ReadingId, RunId, WorkshopId};
use trade::comparison::{Comparison, Standing, as_wound};
use trade::judgement::{Judgement, judge_run};
use trade::reading::{Kind, Reading, standing};
use trade::run::Stage;
use trade::verdict::{Level, Verdict};
use traveller::OperationRow;

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/runs", web::post().to(start::start))
        .route("/runs/new", web::get().to(start::new))
        .route("/runs/{id}", web::get().to(show))
        .route("/runs/{id}/readings", web::post().to(log))
        .route("/runs/{id}/sign", web::post().to(traveller::sign))
        .route("/runs/{id}/station", web::get().to(station::show))
        .route("/runs/{id}/live", web::get().to(station::live))
        .route("/runs/{id}/events", web::post().to(station::note))
        .route("/runs/{id}/winder", web::post().to(station::command))
        .route("/runs/{id}/section", web::get().to(station::section))
        .route("/runs/{id}/read", web::post().to(measure::read))
        .route("/runs/{id}/cooling", web::post().to(measure::cooling))
        .route("/runs/{id}/guide.{form:gcode|csv}", web::get().to(machine::guide))
        .route("/runs/{id}/counter", web::post().to(machine::import))
        .route("/runs/{id}/paper", web::get().to(machine::paper))
        .route("/travellers", web::get().to(traveller::travellers))
        .route("/travellers", web::post().to(traveller::keep_traveller));
}

/// A key for a form that is sent by a button alone.
pub fn fresh_key() -> ClientKey {
    ClientKey::random()
}

/// All readings of a run, as the rules of the trade take them.
async fn readings_of(app: &App, workshop: WorkshopId, run: RunId) -> Result<Vec<Reading>, AppError> {
    Ok(app.store.of(workshop).readings(run).await?.into_iter().map(|logged| logged.reading).collect())
}

/// A verdict's level as people read it.
pub fn level_name(key: &str) -> &'static str {
    Level::from_key(key).map_or("–", Level::name)
}

#[derive(Template)]
#[template(path = "runs/run.html")]
struct RunPage {
    frame: Frame,
    thread: Vec<ProgressStep>,
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
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<RunQuery>,
) -> Result<HttpResponse, AppError> {
    let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
    let asked = Asked { correct: query.correct, said: query.said.clone() };
    run_page(&app, &user, run, &FormData::default(), &Errors::new(), asked).await
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

fn log_row(logged: &ReadingRow, stands: bool) -> LogRow {
    let reading = &logged.reading;
    let value = match (reading.value, scale(reading.kind)) {
        (Some(value), Some(scale)) => scale.text(value),
        (Some(value), None) => format::turns(value),
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
        when: format::moment(logged.taken_at),
        when_iso: format::iso(logged.taken_at),
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
    user: &CurrentUser,
    run: Run,
    form: &FormData,
    errors: &Errors,
    asked: Asked,
) -> Result<HttpResponse, AppError> {
    let logged = app.store.of(user.workshop()).readings(run.row.id).await?;
    let readings: Vec<Reading> = logged.iter().map(|l| l.reading.clone()).collect();
    let (design, calibration) = (run.design.clone(), run.calibration);
    let of_design = readings.clone();
    let (outcome, prediction, measured_coils) = web::block(move || {
        let measured_coils = as_wound(&design, &of_design);
        (
            judge_run(&design, &of_design, &calibration),
            predict_calibrated(&measured_coils, &calibration).ok(),
            measured_coils,
        )
    })
    .await?;
    let Judgement { comparisons, verdict, .. } = outcome;
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
    let (fields, flux) = reading_fields(form, errors, &run, corrects.as_ref());
    let course = traveller::course(app, user.workshop(), run.row.id, &readings).await?;
    let (operations, closed) = course.map_or((Vec::new(), false), |c| (c.rows, c.closed));
    let all = app.store.of(user.workshop()).instruments().await?;
    let instruments = measure::ASKED.iter().flat_map(|(kind, words)| {
        let of_kind = all.iter().filter(|i| i.kind == *kind);
        of_kind.map(|i| (i.id.0, i.name.clone(), *words, *kind == "ohm"))
    });
    let counted = station::counted(app, user.workshop(), &run).await?;
    let mut fields = fields;
    if let (true, Some(field)) = (stage == Stage::Wind && counted > 0, fields.first_mut())
        && field.name == "turns"
        && field.value.is_empty()
    {
        field.value = counted.to_string();
        "From the counter, hand turns included. Correct it if it is wrong.".clone_into(&mut field.hint);
    }
    let plot = swept(app, user, &run, prediction.as_ref()).await?;
    let page = RunPage {
        frame: Frame::new(user, "logbook", format!("Run {}: {}", run.row.number, run.row.design)),
        thread: progress_steps(true, Some(stage), verdict.level == Level::Pass),
        when: format::moment(run.row.created_at),
        when_iso: format::iso(run.row.created_at),
        stops: run.row.stops.split(',').filter_map(|s| s.parse::<u32>().ok()).map(format::turns).collect(),
        level: verdict.level.key(),
        cells: prediction
            .map(|p| cells(&measured_coils, &p, None, &measured, &BTreeMap::new()))
            .unwrap_or_default(),
        table: comparisons.iter().map(comparison_row).collect(),
        verdict,
        log,
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields,
        flux,
        corrects,
        operations,
        closed,
        instruments: instruments.collect(),
        events: station::event_rows(app, user.workshop(), run.row.id).await?,
        said: asked.said,
        winding: stage == Stage::Wind,
        pasted: (form.get("pasted").to_owned(), errors.get("pasted").cloned().unwrap_or_default()),
        counter: (form.get("log").to_owned(), errors.get("log").cloned().unwrap_or_default()),
        doubtful: errors.values().any(|e| e.ends_with('?')),
        plot,
        parts: (
            app.store.of(user.workshop()).design_parts(run.row.design_id).await?.len(),
            app.store.of(user.workshop()).parts_taken(run.row.id).await?,
        ),
        row: run.row,
    };
    render_page(&page, !errors.is_empty())
}

/// The response of the coil as it was wound, with what was swept on it; empty without a sweep.
async fn swept(
    app: &App,
    user: &CurrentUser,
    run: &Run,
    prediction: Option<&Prediction>,
) -> Result<String, AppError> {
    let sweeps = app.store.of(user.workshop()).sweeps(Some(run.row.revision_id)).await?;
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
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
    let correct: Option<u64> = form.get("corrects").parse().ok();
    let taken_in = match paste::take_in(&form) {
        Ok(all) => all,
        Err(message) => {
            let errors = Errors::from([("pasted".to_owned(), message)]);
            return run_page(&app, &user, run, &form, &errors, Asked { correct, ..Asked::default() }).await;
        }
    };
    let read = readings_from(&taken_in, &run);
    let doubts = match &read {
        Ok(new) if form.get("sure") != "yes" => doubts(&app, &run, new).await?,
        _ => Errors::new(),
    };
    let read = if doubts.is_empty() { read } else { Err(doubts) };
    // What was pasted stands in the fields now, where it can be mended.
    let form = taken_in;
    let mut readings = match read {
        Ok(readings) => readings,
        Err(errors) => {
            return run_page(&app, &user, run, &form, &errors, Asked { correct, ..Asked::default() }).await;
        }
    };
    if let (Some(corrected), Some(first)) = (correct, readings.first_mut()) {
        first.corrects = Some(ReadingId(corrected));
        readings.truncate(1);
    }
    if correct.is_none() {
        let all = readings_of(&app, user.workshop(), run.row.id).await?;
        let course = traveller::course(&app, user.workshop(), run.row.id, &all).await?;
        if course.is_some_and(|c| c.closed) {
            return Err(AppError::Unreadable(
                "This run is signed off: its readings are corrected, and no new ones are added.".into(),
            ));
        }
    }
    record(&app, &run, user.person.id, user.workshop(), &form.key()?, &readings).await?;
    Ok(redirect(format!("/runs/{id}")))
}

/// Writes the line of a run from what was logged of it.
pub async fn write_summary(app: &App, workshop: WorkshopId, id: RunId) -> Result<(), AppError> {
    let run = app.store.of(workshop).run(id).await?;
    let all = readings_of(app, workshop, id).await?;
    let outcome = web::block(move || judge_run(&run.design, &all, &run.calibration)).await?;
    Ok(app.store.of(workshop).write_summary(id, &outcome).await?)
}

/// Appends readings to a run and judges it anew.
async fn record(
    app: &App,
    run: &Run,
    by: PersonId,
    workshop: store::WorkshopId,
    key: &ClientKey,
    readings: &[NewReading],
) -> Result<(), AppError> {
    app.store.of(workshop).log_readings(run.row.id, by, key, readings, None).await?;
    let all = readings_of(app, workshop, run.row.id).await?;
    let (design, calibration) = (run.design.clone(), run.calibration);
    let outcome = web::block(move || judge_run(&design, &all, &calibration)).await?;
    app.store.of(workshop).record_judgement(run.row.id, &outcome).await?;
    app.calibrations.soon(&app.store, workshop);
    Ok(())
}
