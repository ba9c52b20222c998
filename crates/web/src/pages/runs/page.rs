//! A run's page: where it stands on its traveller, its log, predicted against measured, and the recorded verdict.

use super::assembly::AssemblyPart;
use super::log_form::reading_fields;
use super::log_row::{LogRow, log_row, reading_name, scale};
use super::traveller::{OperationRow, operation_rows};
use crate::app::App;
use crate::components::frame::{Frame, ProgressStep, progress_steps};
use crate::components::strip::{Cell, CellContext, cells};
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::pages::photos::PhotoStrip;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::circuit::InstrumentInput;
use coil::magnet::AlloyGuess;
use coil::quantity::Units;
use coil::quantity::fixed;
use presentation::field::Field;
use presentation::figures::Figure;
use presentation::form_fields::Errors;
use presentation::format::{self, KILOOHM, signed_percent};
use presentation::plot;
use serde::Deserialize;
use store::event::WindingEventRow;
use store::photo::PhotoSubject;
use store::run::RunRow;
use store::{ClientKey, ReadingId, RunId};
use trade::comparison::{Comparison, PoleCharge, Standing};
use trade::instrument::InstrumentKind;
use trade::reading::{Kind, Reading, standing};
use trade::run::Stage;
use trade::verdict::{Level, Verdict};
use trade::winding::WindingEventKind;
use workshop::{MeasuredCoils, RunDetails, RunInSet, analyser_of};

/// What an instrument of a kind can be asked on a run's page, in the order of the work.
const BUTTONS: [(InstrumentKind, &str); 4] = [
    (InstrumentKind::Ohm, "Read resistance"),
    (InstrumentKind::Lcr, "Read inductance"),
    (InstrumentKind::Gauss, "Read flux"),
    (InstrumentKind::Sweep, "Sweep response"),
];

/// Most entries of the winding log that are shown.
const MOST_EVENTS: usize = 60;

#[derive(Template)]
#[template(path = "runs/run.html")]
#[expect(clippy::struct_excessive_bools, reason = "what a template shows or hides, each by itself")]
struct RunPage {
    frame: Frame,
    steps: Vec<ProgressStep>,
    row: RunRow,
    when: String,
    when_iso: String,
    stops: Vec<String>,
    verdict: Verdict,
    level: &'static str,
    /// Whether an operation that holds for readings can be signed by the verdict.
    can_sign: bool,
    is_rework: bool,
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
    /// It was begun by mistake, and counts nowhere.
    void: bool,
    instruments: Vec<InstrumentButton>,
    events: Vec<EventRow>,
    winding: bool,
    /// Lines that were pasted, and what is wrong with them.
    pasted: (String, String),
    /// The same of a counter's log.
    counter: (String, String),
    /// Some readings were asked about.
    is_doubtful: bool,
    /// The response with what was swept; empty without a sweep.
    plot: String,
    parts: usize,
    parts_taken: bool,
    /// While its magnets are charged: what each pole should read.
    charging: Vec<ChargeRow>,
    charge_distance: String,
    alloys: String,
    judged_by_other_engine: bool,
    /// The coils of its pickup, or the pickup of this coil.
    assembly: AssemblyPart,
    assembly_key: ClientKey,
    /// What it is wound for, and which way round its first coil runs.
    place: Option<RunInSet>,
    direction: String,
    photos: PhotoStrip,
}

/// A pole while it is charged.
struct ChargeRow {
    pole: u32,
    target: String,
    /// What it read after each pass.
    passes: String,
    /// What is to be done.
    state: &'static str,
    is_met: bool,
}

impl ChargeRow {
    fn new(charge: &PoleCharge, units: Units) -> Self {
        let text = |tesla: f64| units.flux(tesla * 1e3, 0).replace('-', "−");
        let passes: Vec<String> = charge.passes.iter().map(|t| text(*t)).collect();
        Self {
            pole: charge.pole,
            target: text(charge.target_t),
            passes: passes.join(", "),
            state: match charge.passes.last() {
                None => "not read yet",
                Some(_) if charge.is_met() => "met",
                Some(last) if last * charge.target_t < 0.0 => "the other way up",
                Some(_) if charge.is_over() => "weaken it, then read again",
                Some(_) => "another pass",
            },
            is_met: charge.is_met(),
        }
    }
}

/// An instrument that reads off a coil.
struct InstrumentButton {
    id: u64,
    name: String,
    label: &'static str,
    /// Whether it can watch a coil cool.
    watches_cooling: bool,
}

/// A row of predicted against measured.
struct ComparisonRow {
    what: String,
    predicted: String,
    band: String,
    measured: String,
    deviation: String,
    /// The same in half widths of the band.
    tolerance: String,
    class: &'static str,
    status: String,
    drawing: String,
}

/// An event of the winding log.
struct EventRow {
    what: &'static str,
    at_turn: String,
    words: String,
    by: String,
    when: String,
    when_iso: String,
}

/// What was sent to a run's page, where it is shown again.
#[derive(Debug, Default)]
pub(super) struct RunForm {
    /// The form.
    pub form: FormData,
    /// Messages by field.
    pub errors: Errors,
    /// The reading that is corrected.
    pub correct: Option<ReadingId>,
    /// Whether the messages are questions, which can be answered by accepting the readings.
    pub is_doubtful: bool,
}

#[derive(Deserialize)]
pub(super) struct RunQuery {
    correct: Option<u64>,
}

/// The page.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<RunQuery>,
) -> Result<HttpResponse, AppError> {
    let shown = RunForm { correct: query.correct.map(ReadingId), ..RunForm::default() };
    run_page(&app, &user, RunId(*id), &shown).await
}

/// Judges the run anew by the engine as it is now.
pub(super) async fn judge_again(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let summary = app.workshop.rejudge_run(&user.actor, RunId(*id)).await?;
    let text = if summary.changed == 0 {
        "Judged again: the verdict has not changed."
    } else {
        "Judged again: the verdict has changed. The verdict before stays in the history."
    };
    Ok(outcome::done(&session, format!("/runs/{id}"), text))
}

/// How seldom a good coil lies outside the band by so much.
fn seldom(one_in: f64) -> String {
    let rounded = if one_in < 20.0 { one_in.round() } else { (one_in / 10.0).round() * 10.0 };
    format!("outside its band, as one coil in {rounded:.0} is")
}

/// Voids a run, or takes it back.
pub(super) async fn void(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = RunId(*id);
    let outcome = if form.is_ticked("back") {
        app.workshop.unvoid_run(&user.actor, run).await.map(|()| "")
    } else {
        let voided = app.workshop.void_run(&user.actor, run, form.get("reason")).await;
        voided.map(|()| "The run is void. It is kept here, and counts nowhere.")
    };
    outcome::tell(&session, format!("/runs/{id}"), outcome)
}

fn comparison_row(c: &Comparison, units: Units) -> ComparisonRow {
    let scale = scale(c.kind, units).unwrap_or(KILOOHM);
    let (class, status) = match (c.reversed, c.standing, c.bands.abs() > 1.0) {
        (true, ..) => ("off", "polarity reversed".to_owned()),
        (_, Standing::Inside, true) => ("inside", seldom(c.one_in())),
        (_, Standing::Inside, false) => ("inside", "within tolerance".to_owned()),
        (_, Standing::Low, _) => ("off", "below tolerance".to_owned()),
        (_, Standing::High, _) => ("off", "above tolerance".to_owned()),
    };
    ComparisonRow {
        what: match c.kind {
            Kind::Resistance => "Resistance at 20 °C".into(),
            kind => reading_name(kind, c.pole),
        },
        predicted: scale.text(c.predicted.nominal),
        band: scale.band(&c.predicted),
        measured: scale.text(c.measured),
        deviation: signed_percent(c.deviation, 1),
        tolerance: format!("{:+.1} × tolerance", c.bands).replace('-', "−"),
        class,
        status,
        drawing: presentation::drawing::band(&c.predicted, None, Some(c.measured)),
    }
}

/// The log of the winding, newest first, without the counts between.
fn event_rows(all: &[WindingEventRow]) -> Vec<EventRow> {
    let last = all.iter().rposition(|row| row.event.what == WindingEventKind::Count);
    let shown = all
        .iter()
        .enumerate()
        .rev()
        .filter(|(k, row)| row.event.what != WindingEventKind::Count || Some(*k) == last);
    shown
        .take(MOST_EVENTS)
        .map(|(_, row)| EventRow {
            what: row.event.what.name(),
            at_turn: format::turns(row.event.at_turn),
            words: row.words.clone(),
            by: row.by.clone(),
            when: format::moment(row.at),
            when_iso: format::iso(row.at),
        })
        .collect()
}

/// The alloys that fit the flux readings, in words; empty where none was read.
fn alloy_text(alloys: &[AlloyGuess]) -> String {
    let all =
        alloys.iter().map(|guess| format!("{} ({:.0} %)", guess.grade.spoken(), guess.probability * 100.0));
    all.collect::<Vec<_>>().join(", ")
}

/// The measured figures of the strip.
fn measured(comparisons: &[Comparison]) -> Vec<(Figure, f64)> {
    let figure = |kind| Figure::ALL.into_iter().find(|f| f.measured() == Some(kind));
    comparisons.iter().filter_map(|c| Some((figure(c.kind)?, c.measured))).collect()
}

/// The instrument whose input stands across the coil as it is swept.
fn analyser(details: &RunDetails) -> Option<(&str, InstrumentInput)> {
    analyser_of(&details.instruments).map(|(of, input)| (of.name.as_str(), input))
}

/// The response of the coil as it was wound, with what was swept on it; empty without a sweep.
fn swept(details: &RunDetails) -> Result<String, AppError> {
    if details.sweeps.is_empty() {
        return Ok(String::new());
    }
    let mut curves = Vec::new();
    for (k, row) in details.sweeps.iter().enumerate() {
        let sweep = row.sweep().map_err(AppError::internal)?;
        curves.push(plot::measured(&row.label, k + 1, &sweep));
        let alone = details.response.as_ref().and_then(|p| plot::without_input(&row.label, k + 1, &sweep, p));
        curves.extend(alone);
    }
    if let Some(prediction) = &details.response {
        curves.extend(plot::curves("", 0, &prediction.response));
        if let Some((name, input)) = analyser(details) {
            curves.push(plot::as_shown_by(name, prediction, input));
        }
    }
    Ok(plot::plot(&curves, "Response in decibels over frequency"))
}

fn instrument_buttons(details: &RunDetails) -> Vec<InstrumentButton> {
    let buttons = BUTTONS.iter().flat_map(|(kind, label)| {
        let of_kind = details.instruments.iter().filter(|i| i.kind.0 == *kind);
        of_kind.map(|i| InstrumentButton {
            id: i.id.0,
            name: i.name.clone(),
            label,
            watches_cooling: *kind == InstrumentKind::Ohm,
        })
    });
    buttons.collect()
}

/// A run's page, with what was sent to it where that is shown again.
pub(super) async fn run_page(
    app: &App,
    user: &CurrentUser,
    id: RunId,
    shown: &RunForm,
) -> Result<HttpResponse, AppError> {
    let details = app.workshop.run_details(&user.actor, id).await?;
    let RunForm { form, errors, correct, is_doubtful } = shown;
    let units = user.settings.units;
    let readings: Vec<Reading> = details.readings.iter().map(|l| l.reading.clone()).collect();
    let stands: Vec<u64> = standing(&readings).iter().map(|r| r.id).collect();
    let log: Vec<LogRow> =
        details.readings.iter().rev().map(|l| log_row(l, stands.contains(&l.reading.id), units)).collect();
    let corrects = correct.and_then(|id| log.iter().find(|row| row.id == id.0 && !row.struck).cloned());
    let (mut fields, flux) = reading_fields(form, errors, &details.run.design, corrects.as_ref(), units);
    let winding = details.stage == Stage::Wind;
    if let (true, Some(field)) = (winding && details.turns_counted > 0, fields.first_mut())
        && field.name == "turns"
        && field.value.is_empty()
    {
        field.value = details.turns_counted.to_string();
        "From the counter, hand turns included. Correct it if it is wrong.".clone_into(&mut field.hint);
    }
    if let (Some(field), Some(input)) = (fields.iter_mut().find(|f| f.name == "input_pf"), analyser(&details))
        && field.value.is_empty()
        && form.get("across_hz").is_empty()
    {
        field.value = fixed(input.1.capacitance_f * 1e12, 1);
    }
    let context = CellContext {
        analyser: None,
        units,
        before: None,
        measured: &measured(&details.comparisons),
        coils: MeasuredCoils::default(),
        calibration: None,
    };
    let strip = details.prediction.as_ref().map(|p| cells(&details.wound, p, &context));
    let row = &details.run.row;
    let level = details.verdict.level;
    let page = RunPage {
        frame: Frame::new(user, "logbook", format!("Run {}: {}", row.number, row.design)),
        steps: progress_steps(true, Some(details.stage), level == Level::Pass),
        when: format::moment(row.created_at),
        when_iso: format::iso(row.created_at),
        stops: row.stops.iter().map(format::turns).collect(),
        level: level.key(),
        can_sign: matches!(level, Level::Pass | Level::Waiting),
        is_rework: matches!(level, Level::Look | Level::Stop),
        cells: strip.unwrap_or_default(),
        table: details.comparisons.iter().map(|c| comparison_row(c, units)).collect(),
        log,
        key: form.key_or_new(),
        fields,
        flux,
        corrects,
        closed: details.progress.closed || row.voided_at.is_some(),
        void: row.voided_at.is_some(),
        instruments: instrument_buttons(&details),
        events: event_rows(&details.events),
        winding,
        pasted: (form.get("pasted").to_owned(), errors.get("pasted").cloned().unwrap_or_default()),
        counter: (form.get("log").to_owned(), errors.get("log").cloned().unwrap_or_default()),
        is_doubtful: *is_doubtful,
        plot: swept(&details)?,
        parts: details.parts,
        parts_taken: details.parts_taken,
        charge_distance: details.charging.first().map_or_else(String::new, |c| units.length(c.probe_mm, 1)),
        charging: details.charging.iter().map(|c| ChargeRow::new(c, units)).collect(),
        alloys: alloy_text(&details.alloys),
        judged_by_other_engine: details.judged_by_other_engine,
        assembly: AssemblyPart::new(app.workshop.assembly(&user.actor, &details.run).await?),
        assembly_key: ClientKey::random(),
        photos: PhotoStrip::load(app, user, PhotoSubject::Run, details.run.row.id.0).await?,
        place: app.workshop.set_of_run(&user.actor, details.run.row.id, &details.run.design).await?,
        direction: details.run.design.coils.first().map_or_else(String::new, |c| c.wind.direction.spoken()),
        operations: operation_rows(details.progress),
        verdict: details.verdict,
        row: details.run.row,
    };
    render_page(&page, !errors.is_empty())
}
