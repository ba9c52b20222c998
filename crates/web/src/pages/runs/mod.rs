//! Winding runs: starting one, its traveller, the station, readings, the verdict.

mod machine;
mod measuring;
mod operations;
mod pasted;
mod station;

use crate::app::App;
use crate::fault::Fault;
use crate::filled::{Errors, Filled};
use crate::layout::{Choice, Field, Frame, Knot, thread};
use crate::pages::designs::{Cell, cells};
use crate::pages::see;
use crate::plot;
use crate::present::{self, HENRY, KILOOHM, MILLIMETRE, MILLITESLA, PICOFARAD, Scale};
use crate::visitor::Visitor;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::circuit::capacitance_from_resonances;
use coil::design::Design;
use coil::predict::{Prediction, predict};
use coil::quantity::{
    Capacitance, FluxDensity, Frequency, Inductance, Length, Resistance, Spoken, Temperature, Turns, fixed,
};
use operations::OperationRow;
use serde::Deserialize;
use shop::comparison::{Comparison, Standing, as_wound, capacitance_range_shows, compare};
use shop::reading::{Kind, Reading, standing};
use shop::run::{Stage, usual_stops};
use shop::verdict::{Level, Verdict, judge};
use station::EventRow;
use std::collections::BTreeMap;
use store::design::Revision;
use store::reading::{Logged, NewReading};
use store::run::{NewRun, Run, RunRow};
use store::{ClientKey, PersonId, ReadingId, RevisionId, RunId, SpoolId};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/runs", web::post().to(start))
        .route("/runs/new", web::get().to(new))
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

/// A verdict's level as people read it.
pub fn level_name(key: &str) -> &'static str {
    Level::from_key(key).map_or("–", Level::name)
}

#[derive(Template)]
#[template(path = "runs/new.html")]
struct NewPage {
    frame: Frame,
    thread: Vec<Knot>,
    revision: Revision,
    key: ClientKey,
    fields: Vec<Field>,
    wire_m: String,
    /// The spool is too short, and that was said.
    short: bool,
    operations: Vec<String>,
}

#[derive(Deserialize)]
struct NewQuery {
    revision: u64,
    /// The run that this one is to mend.
    rework: Option<u32>,
}

async fn new(
    app: web::Data<App>,
    visitor: Visitor,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, Fault> {
    let revision = app.store.revision(visitor.workshop(), RevisionId(query.revision)).await?;
    let turns = revision.row.turns;
    let stops = usual_stops(turns).iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let mut filled = Filled::default();
    for (name, value) in [
        ("turns", turns.to_string()),
        ("stops", stops),
        ("operator", visitor.person.id.to_string()),
        ("spool", String::new()),
        ("remark", query.rework.map_or_else(String::new, |n| format!("Rework of run {n}"))),
    ] {
        filled.0.insert(name.into(), value);
    }
    new_page(&app, &visitor, revision, &filled, &Errors::new()).await
}

async fn new_page(
    app: &App,
    visitor: &Visitor,
    revision: Revision,
    filled: &Filled,
    errors: &Errors,
) -> Result<HttpResponse, Fault> {
    let spools = app.store.spools(visitor.workshop()).await?;
    let gauge = &revision.row.gauge;
    let mut choices = vec![Choice::new("", "not noted")];
    // The spools of this gauge first.
    let (fitting, others): (Vec<_>, Vec<_>) = spools.iter().partition(|s| s.gauge == *gauge);
    choices.extend(fitting.into_iter().chain(others).map(|s| {
        let left = s.left_m.map_or_else(String::new, |m| format!(", about {m:.0} m left"));
        Choice::new(s.id.to_string(), format!("{} · {}{left}", s.label, s.gauge))
    }));
    let people = app.store.people(visitor.workshop()).await?;
    let operators = people.iter().map(|p| Choice::new(p.id.to_string(), p.name.clone())).collect();
    let fill = |field: Field| {
        let value = filled.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let design = revision.design.clone();
    let wire = web::block(move || predict(&design)).await?.ok();
    let wire_m = wire.and_then(|p| p.coils.first().map(|c| present::METRE.text(c.wire_length_m.nominal)));
    let page = NewPage {
        frame: Frame::new(visitor, "logbook", format!("Wind {}", revision.row.name)),
        thread: thread(true, Some(Stage::Wind), false),
        key: filled.key().unwrap_or_else(|_| ClientKey::random()),
        fields: coil_choice(&revision.design)
            .map(fill)
            .into_iter()
            .chain([
                fill(Field::chosen(
                    "spool",
                    "Spool",
                    "What was measured on it goes into this run's prediction.",
                    choices,
                )),
                fill(Field::chosen("operator", "Who winds", "", operators)),
                fill(Field::typed("turns", "Turns planned", "Hand turns included.")),
                fill(Field::typed(
                    "stops",
                    "Stops",
                    "Where to stop and look: turn counts, with commas between.",
                )),
                Field {
                    unit: "g".into(),
                    ..fill(Field::typed(
                        "wire_g",
                        "Wire on the spool weighs",
                        "Less the empty spool, if it was weighed just now; else what the shelf says counts.",
                    ))
                },
                fill(Field::typed("remark", "Remark", "")).wide(),
            ])
            .collect(),
        short: errors.get("spool").is_some_and(|e| e.contains("anyway")),
        wire_m: wire_m.unwrap_or_default(),
        operations: operations::plan_lines(app, visitor.workshop(), &revision).await?,
        revision,
    };
    respond(&page, errors)
}

/// What is wound, where there is a choice: a coil alone, or the pickup whole.
fn coil_choice(design: &Design) -> Option<Field> {
    if design.coils.len() < 2 {
        return None;
    }
    let alone = design.coils.iter().map(|c| {
        Choice::new(c.name.clone(), format!("coil {} alone, {} turns", c.name, present::turns(c.wind.turns)))
    });
    let whole = Choice::new("", "the pickup whole: turns are those of its first coil");
    let hint = "A coil alone is checked on the bench before it is joined; the whole is measured when it is assembled.";
    Some(Field::chosen("coil", "What is wound", hint, alone.chain([whole]).collect()).wide())
}

fn respond(page: &impl Template, errors: &Errors) -> Result<HttpResponse, Fault> {
    let status = if errors.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let html = page.render().map_err(|error| Fault::Internal(error.to_string()))?;
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(html))
}

async fn start(app: web::Data<App>, visitor: Visitor, filled: Filled) -> Result<HttpResponse, Fault> {
    let workshop = visitor.workshop();
    let Ok(id) = filled.get("revision").parse() else { return Err(Fault::Missing("revision")) };
    let revision = app.store.revision(workshop, RevisionId(id)).await?;
    let mut errors = Errors::new();
    let turns = match Turns::parse(filled.get("turns")) {
        Ok(Turns(turns)) if (10..=50_000).contains(&turns) => turns,
        Ok(_) => {
            errors.insert("turns".into(), "Between 10 and 50,000 turns.".into());
            0
        }
        Err(error) => {
            errors.insert("turns".into(), error.to_string());
            0
        }
    };
    let stops = stops(filled.get("stops"), turns).unwrap_or_else(|message| {
        errors.entry("stops".into()).or_insert(message);
        Vec::new()
    });
    let spool = match filled.get("spool") {
        "" => None,
        text => {
            let Ok(id) = text.parse() else { return Err(Fault::Missing("spool")) };
            Some(app.store.spool(workshop, SpoolId(id)).await?)
        }
    };
    let people = app.store.people(workshop).await?;
    let operator = people.iter().find(|p| p.id.to_string() == filled.get("operator")).map(|p| p.id);
    if operator.is_none() {
        errors.insert("operator".into(), "Choose who winds.".into());
    }
    if filled.get("remark").chars().count() > 1000 {
        errors.insert("remark".into(), "A remark has up to 1,000 letters.".into());
    }
    if let (Some(spool), true) = (&spool, filled.get("anyway") != "yes") {
        let mut wound = revision.design.alone(filled.get("coil")).unwrap_or_else(|| revision.design.clone());
        if let Some(coil) = wound.coils.first_mut() {
            coil.wind.turns = turns.max(10);
            coil.wire.spool = Some(spool.measured());
        }
        if let Some(message) = too_short(&app, &wound, &filled, &mut errors, spool.left_m).await? {
            errors.insert("spool".into(), message);
        }
    }
    let (Some(operator), true) = (operator, errors.is_empty()) else {
        return new_page(&app, &visitor, revision, &filled, &errors).await;
    };
    let mut design = revision.design;
    let mut traveller = operations::traveller_for(&app, workshop, &design).await?;
    if let Some(alone) = design.alone(filled.get("coil")) {
        design = alone;
        traveller = traveller.of_a_coil();
    }
    if let Some(coil) = design.coils.first_mut() {
        coil.wind.turns = turns;
        if let Some(spool) = &spool {
            coil.wire.spool = Some(spool.measured());
        }
    }
    let new = NewRun {
        key: filled.key()?,
        revision: revision.row.id,
        spool: spool.map(|s| s.id),
        operator,
        planned_turns: turns,
        stops: &stops,
        design: &design,
        remark: filled.get("remark"),
        traveller: &traveller,
        at: None,
    };
    let run = app.store.start_run(workshop, visitor.person.id, &new).await?;
    Ok(see(format!("/runs/{run}")))
}

/// Whether the wire on a spool is too short for a coil, in words: by its weight where that was typed, else by what the
/// shelf says.
async fn too_short(
    app: &App,
    wound: &Design,
    filled: &Filled,
    errors: &mut Errors,
    left_m: Option<f64>,
) -> Result<Option<String>, Fault> {
    let Ok(prediction) = app.predictions.of(wound).await? else { return Ok(None) };
    let Some(coil) = prediction.coils.first() else { return Ok(None) };
    let left_m = match filled.get("wire_g").trim_end_matches(['g', ' ']).replace(',', ".").as_str() {
        "" => left_m,
        typed => match typed.parse::<f64>() {
            Ok(grams) if (0.0..=20_000.0).contains(&grams) => {
                Some(grams * coil.wire_length_m.nominal / coil.wire_mass_g.nominal)
            }
            _ => {
                errors.insert("wire_g".into(), "Grams, 0 to 20,000.".into());
                None
            }
        },
    };
    // A band wider than the counter's: leads, and what is pulled off to begin.
    let need_m = coil.wire_length_m.p95 + 3.0;
    Ok(left_m.filter(|left| *left < need_m).map(|left| {
        format!(
            "About {} m are left, and the coil takes up to {} m: weigh the spool, choose another, or start anyway.",
            fixed(left, 0),
            fixed(need_m, 0)
        )
    }))
}

/// Turn counts in rising order, ending at the last turn.
fn stops(typed: &str, turns: u32) -> Result<Vec<u32>, String> {
    let mut all = Vec::new();
    for part in typed.split([',', ';', ' ']).map(str::trim).filter(|part| !part.is_empty()) {
        let Ok(Turns(at)) = Turns::parse(part) else {
            return Err(format!("“{part}” is not a turn count: write for example 300, 1000, 2000."));
        };
        if at > turns && turns > 0 {
            return Err(format!("A stop at {at} lies beyond the {turns} turns planned."));
        }
        all.push(at);
    }
    all.sort_unstable();
    all.dedup();
    if all.len() > 60 {
        return Err("Up to 60 stops.".into());
    }
    Ok(all)
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
    /// Some readings were asked about.
    doubtful: bool,
    /// The response with what was swept; empty without a sweep.
    plot: String,
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
        words: if c.reversed { "polarity reversed" } else { words },
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
    let design = run.design.clone();
    let of_design = readings.clone();
    let (comparisons, prediction, wound) = web::block(move || {
        let wound = as_wound(&design, &of_design);
        (compare(&design, &of_design), predict(&wound).ok(), wound)
    })
    .await?;
    let verdict = judge(&comparisons, &readings);
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
        doubtful: errors.values().any(|e| e.ends_with('?')),
        plot,
        row: run.row,
    };
    respond(&page, errors)
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

/// The fields of the log's form: all of them, or those of the one reading that is being corrected.
fn reading_fields(
    filled: &Filled,
    errors: &Errors,
    run: &Run,
    corrects: Option<&LogRow>,
) -> (Vec<Field>, Vec<Field>) {
    let only = corrects.map(|row| row.kind);
    let wanted = |kind: Kind| only.is_none_or(|k| k == kind);
    let typed = |name: &str, label: &str, unit: &str, hint: &str| {
        let value = filled.get(name).to_owned();
        Field { unit: unit.into(), ..Field::typed(name, label, hint).with(&value, errors) }
    };
    let mut fields = Vec::new();
    if wanted(Kind::Turns) {
        fields.push(typed("turns", "Final turns", "", "Hand turns included."));
    }
    if wanted(Kind::Resistance) || wanted(Kind::Open) {
        fields.push(typed("resistance", "Resistance", "Ω", "5.8k; type open if the meter shows none."));
        fields.push(typed(
            "coil_c",
            "Coil temperature",
            "°C",
            "The coil's, not the room's: a warm coil reads high.",
        ));
    }
    if wanted(Kind::Inductance) {
        fields.push(typed("inductance", "Inductance", "H", ""));
        fields.push(typed("test_hz", "Test frequency", "Hz", "As set on the meter, often 100, 120 or 1000."));
    }
    if wanted(Kind::Capacitance) {
        fields.push(typed(
            "capacitance",
            "Capacitance",
            "pF",
            "Of the pickup, from resonance; or leave it empty and type both resonances.",
        ));
        fields.push(typed("alone_hz", "Resonance alone", "Hz", "With an exciter coil, nothing connected."));
        fields.push(typed(
            "across_hz",
            "Resonance with a capacitor",
            "Hz",
            "The same with a known one across.",
        ));
        fields.push(typed("across_pf", "That capacitor", "pF", "1000 is usual."));
    }
    if wanted(Kind::Width) {
        fields.push(typed(
            "width",
            "Width of the coil",
            "mm",
            "Over the winding at its thickest, by caliper.",
        ));
    }
    if wanted(Kind::Remark) {
        fields.push(typed("remark", "Remark", "", "Anything that may matter later.").wide());
    }
    let mut flux = Vec::new();
    if wanted(Kind::Flux) {
        for pole in run.design.poles.iter().filter_map(|p| p.string) {
            if corrects.is_none_or(|row| row.what == what(Kind::Flux, Some(pole))) {
                flux.push(typed(&format!("flux_{pole}"), &format!("Pole {pole}"), "mT", ""));
            }
        }
        if !flux.is_empty() {
            flux.push(typed(
                "probe",
                "Probe above the face",
                "mm",
                "Where the sensing element is; 0.5 when empty.",
            ));
        }
    }
    (fields, flux)
}

/// Reads one optional field within a range.
fn optional<T: Spoken>(
    filled: &Filled,
    errors: &mut Errors,
    name: &str,
    range: (f64, f64),
    unit: &str,
    number: fn(T) -> f64,
) -> Option<f64> {
    let typed = filled.get(name);
    if typed.is_empty() {
        return None;
    }
    match T::parse(typed).map(number) {
        Ok(value) if (range.0..=range.1).contains(&value) => return Some(value),
        Ok(value) => errors.insert(
            name.into(),
            format!(
                "{} {unit} cannot be: between {} and {} {unit}.",
                fixed(value, 4),
                fixed(range.0, 4),
                fixed(range.1, 4)
            ),
        ),
        Err(error) => errors.insert(name.into(), error.to_string()),
    };
    None
}

/// What was filled in, as readings.
fn readings_from(filled: &Filled, run: &Run) -> Result<Vec<NewReading>, Errors> {
    let mut errors = Errors::new();
    let mut readings = Vec::new();
    let e = &mut errors;
    if let Some(turns) = optional(filled, e, "turns", (1.0, 50_000.0), "turns", |t: Turns| f64::from(t.0)) {
        readings.push(NewReading::of(Kind::Turns, Some(turns)));
    }
    let coil_c = optional(filled, e, "coil_c", (-20.0, 150.0), "°C", Temperature::celsius);
    let typed = filled.get("resistance").to_lowercase();
    if ["open", "ol", "o.l", "inf", "infinite", "∞"].contains(&typed.as_str()) {
        readings.push(NewReading::of(Kind::Open, None));
    } else if let Some(ohms) = optional(filled, e, "resistance", (1.0, 1e6), "Ω", Resistance::ohms) {
        if coil_c.is_none() && !e.contains_key("coil_c") {
            e.insert("coil_c".into(), "Say how warm the coil was: 5 °C move the reading by 2 %.".into());
        }
        readings.push(NewReading { coil_c, ..NewReading::of(Kind::Resistance, Some(ohms)) });
    }
    let test_hz = optional(filled, e, "test_hz", (20.0, 100_000.0), "Hz", Frequency::hz);
    if let Some(henries) = optional(filled, e, "inductance", (1e-3, 100.0), "H", Inductance::henries) {
        if test_hz.is_none() && !e.contains_key("test_hz") {
            e.insert("test_hz".into(), "Say at which frequency: the reading rises with it.".into());
        }
        readings.push(NewReading { test_hz, ..NewReading::of(Kind::Inductance, Some(henries)) });
    }
    if let Some(farads) = capacitance(filled, e, run) {
        readings.push(NewReading::of(Kind::Capacitance, Some(farads)));
    }
    if let Some(mm) = optional(filled, e, "width", (1.0, 150.0), "mm", Length::mm) {
        readings.push(NewReading::of(Kind::Width, Some(mm * 1e-3)));
    }
    if let Some(mm) = optional(filled, e, "length", (1.0, 300.0), "mm", Length::mm) {
        readings.push(NewReading::of(Kind::Length, Some(mm * 1e-3)));
    }
    let probe_mm = optional(filled, e, "probe", (0.0, 20.0), "mm", Length::mm);
    for pole in run.design.poles.iter().filter_map(|p| p.string) {
        let name = format!("flux_{pole}");
        if let Some(tesla) = optional(filled, e, &name, (-2.0, 2.0), "T", FluxDensity::tesla) {
            readings.push(NewReading {
                pole: Some(pole),
                probe_mm: Some(probe_mm.unwrap_or(0.5)),
                ..NewReading::of(Kind::Flux, Some(tesla))
            });
        }
    }
    let remark = filled.get("remark");
    if remark.chars().count() > 1000 {
        errors.insert("remark".into(), "A remark has up to 1,000 letters.".into());
    } else if !remark.is_empty() {
        readings.push(NewReading { words: remark.into(), ..NewReading::of(Kind::Remark, None) });
    }
    if readings.is_empty() && errors.is_empty() {
        errors.insert("turns".into(), "Nothing was filled in: log at least one reading.".into());
    }
    if errors.is_empty() { Ok(readings) } else { Err(errors) }
}

/// A bare number is in picofarads.
fn farads(text: &str) -> Result<f64, String> {
    let bare = text.chars().all(|c| c.is_ascii_digit() || ".,".contains(c));
    let text = if bare { format!("{text} pF") } else { text.to_owned() };
    Capacitance::parse(&text).map(Capacitance::farads).map_err(|e| e.to_string())
}

/// The capacitance as typed, or from two resonances. Nanofarads off a finished coil are no capacitance: that is said,
/// with what such a meter should show here.
fn capacitance(filled: &Filled, errors: &mut Errors, run: &Run) -> Option<f64> {
    const METER_HZ: f64 = 500.0;
    const MOST_F: f64 = 3e-9;
    let typed = filled.get("capacitance");
    if !typed.is_empty() {
        match farads(typed) {
            Ok(value) if (1e-12..=MOST_F).contains(&value) => return Some(value),
            Ok(value) if value > MOST_F && value < 1e-6 => {
                let shown = capacitance_range_shows(&run.design, METER_HZ).map_or_else(String::new, |f| {
                    format!(" A meter at 500 Hz should show about {} nF on this coil.", fixed(f * 1e9, 0))
                });
                let nano = fixed(value * 1e9, 1);
                errors.insert(
                    "capacitance".into(),
                    format!(
                        "{nano} nF is not the coil's own capacitance: in its capacitance range the meter takes inductance \
                         and resistance for a capacitor.{shown} The real one is tens to a few hundred picofarads: take two \
                         resonances, and it is computed from them."
                    ),
                );
            }
            Ok(_) => {
                errors.insert("capacitance".into(), "Between 1 pF and 3 nF.".into());
            }
            Err(error) => {
                errors.insert("capacitance".into(), error);
            }
        }
        return None;
    }
    let hz = (200.0, 200_000.0);
    let alone = optional(filled, errors, "alone_hz", hz, "Hz", Frequency::hz);
    let across = optional(filled, errors, "across_hz", hz, "Hz", Frequency::hz);
    let known = match filled.get("across_pf") {
        "" => None,
        text => match farads(text) {
            Ok(value) if (1e-12..=1e-6).contains(&value) => Some(value),
            _ => {
                errors.insert("across_pf".into(), "In picofarads: 1000, or 1 nF.".into());
                None
            }
        },
    };
    match (alone, across, known) {
        (None, None, None) => None,
        (Some(alone), Some(across), Some(known)) => {
            let found = capacitance_from_resonances(alone, across, known);
            if found.is_none() {
                errors.insert(
                    "across_hz".into(),
                    "With a capacitor across it the resonance is the lower one.".into(),
                );
            }
            found
        }
        _ => {
            errors
                .entry("across_pf".into())
                .or_insert("It takes all three: both resonances and the capacitor.".into());
            None
        }
    }
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
        let all: Vec<Reading> = app
            .store
            .readings(visitor.workshop(), run.row.id)
            .await?
            .into_iter()
            .map(|l| l.reading)
            .collect();
        let course = operations::course(&app, visitor.workshop(), run.row.id, &all).await?;
        if course.is_some_and(|c| c.closed) {
            return Err(Fault::Unreadable(
                "This run is signed off: its readings are corrected, and no new ones are added.".into(),
            ));
        }
    }
    record(&app.store, &run, visitor.person.id, visitor.workshop(), &filled.key()?, &readings).await?;
    Ok(see(format!("/runs/{id}")))
}

/// What is hardly so: a reading far from what the design can be is asked about once, by its field, and not refused.
async fn doubts(app: &App, run: &Run, new: &[NewReading]) -> Result<Errors, Fault> {
    let mut doubts = Errors::new();
    let turns = new.iter().find(|r| r.kind == Kind::Turns).and_then(|r| r.value);
    if let Some(turns) = turns.filter(|t| !(0.4..=1.6).contains(&(t / f64::from(run.row.planned_turns)))) {
        doubts.insert(
            "turns".into(),
            format!("{} turns of {} planned?", present::turns(turns), present::turns(run.row.planned_turns)),
        );
    }
    let mut wound = run.design.clone();
    if let (Some(coil), Some(turns)) = (wound.coils.first_mut(), turns) {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "1 to 50,000")]
        let turns = turns.clamp(10.0, 50_000.0) as u32;
        coil.wind.turns = turns;
    }
    let Ok(prediction) = app.predictions.of(&wound).await? else { return Ok(doubts) };
    let pickup = &prediction.pickup;
    for (kind, field, expected, scale) in [
        (Kind::Resistance, "resistance", pickup.resistance_20c_ohm.nominal, KILOOHM),
        (Kind::Inductance, "inductance", pickup.inductance_h.nominal, HENRY),
    ] {
        let read = new.iter().find(|r| r.kind == kind).and_then(|r| r.value);
        if let Some(value) = read.filter(|v| !(0.4..=1.8).contains(&(v / expected))) {
            let (value, expected) = (scale.finer().text(value), scale.text(expected));
            doubts
                .insert(field.into(), format!("{value}, where {expected} is predicted: a slip of the unit?"));
        }
    }
    Ok(doubts)
}

/// Appends readings to a run and judges it anew.
async fn record(
    store: &store::Store,
    run: &Run,
    by: PersonId,
    workshop: store::WorkshopId,
    key: &ClientKey,
    readings: &[NewReading],
) -> Result<(), Fault> {
    store.log_readings(workshop, run.row.id, by, key, readings, None).await?;
    let all: Vec<Reading> =
        store.readings(workshop, run.row.id).await?.into_iter().map(|l| l.reading).collect();
    let design = run.design.clone();
    let of_design = all.clone();
    let comparisons = web::block(move || compare(&design, &of_design)).await?;
    store.add_verdict(workshop, run.row.id, &judge(&comparisons, &all), &comparisons).await?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::stops;

    #[test]
    fn stops_are_sorted_and_bounded() {
        assert_eq!(stops("2000, 300,1000 300", 7620).unwrap(), [300, 1000, 2000]);
        assert!(stops("300, soon", 7620).unwrap_err().contains("soon"));
        assert!(stops("9000", 7620).unwrap_err().contains("beyond"));
    }
}
