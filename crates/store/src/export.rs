//! Runs with everything they hold, many at a time.

use crate::list::push_in;
use crate::logbook::LogbookRow;
use crate::sweep::SweepRow;
use crate::unreadable::RecordKind;
use crate::{RunId, StoreError, Stored, WorkshopStore};
use coil::design::Design;
use coil::prediction::Calibration;
use sqlx::{FromRow, MySql, QueryBuilder};
use std::collections::BTreeMap;
use time::PrimitiveDateTime;
use trade::judgement::{Judgement, RunSummary, SummaryFigure};
use trade::reading::Kind;
use trade::run_record::{EventRecord, JudgementBasis, ReadingRecord, RunRecord, SweepRecord};
use trade::verdict::{Level, Verdict};
use trade::winding::WindingEventKind;

#[derive(FromRow)]
struct RunPart {
    id: RunId,
    document: String,
    stops: crate::TurnList,
    other_wire: String,
    void_reason: Option<String>,
    calibration: Option<String>,
    control_sd: f64,
}

#[derive(FromRow)]
struct ReadingPart {
    run_id: RunId,
    id: u64,
    corrects_id: Option<u64>,
    kind: Stored<Kind>,
    pole: Option<u32>,
    value: Option<f64>,
    coil_c: Option<f64>,
    test_hz: Option<f64>,
    probe_mm: Option<f64>,
    words: String,
    taken_by: String,
    taken_at: PrimitiveDateTime,
}

#[derive(FromRow)]
struct EventPart {
    run_id: RunId,
    what: Stored<WindingEventKind>,
    at_turn: u32,
    words: String,
    happened_at: PrimitiveDateTime,
}

#[derive(FromRow)]
struct VerdictPart {
    run_id: RunId,
    level: Stored<Level>,
    text: String,
    comparisons: String,
    causes: Option<String>,
    missed: Option<String>,
}

/// The rows of a statement that ends in a condition, for some runs of a workshop: `$column` holds the run.
macro_rules! of_runs {
    ($self:ident, $runs:ident, $sql:literal, $column:literal, $order:literal) => {{
        let mut query: QueryBuilder<MySql> = QueryBuilder::new($sql);
        push_in(&mut query, $column, $runs.iter().copied());
        query.push(" AND w.workshop_id = ").push_bind($self.workshop).push($order);
        query.build_query_as().fetch_all(&$self.pool).await.map_err(StoreError::from)
    }};
}

fn read<T: serde::de::DeserializeOwned>(what: &'static str, text: &str) -> Result<T, StoreError> {
    serde_json::from_str(text).map_err(|error| StoreError::Unreadable { what, detail: error.to_string() })
}

/// A judgement as it was stored: the last verdict, and the figures of the logbook's row.
fn judgement(row: &LogbookRow, verdict: &VerdictPart) -> Result<Judgement, StoreError> {
    let list = |text: &Option<String>| text.clone().unwrap_or_else(|| "[]".to_owned());
    let figure = |measured, off, bands, ratio| SummaryFigure { measured, off, bands, ratio };
    Ok(Judgement {
        comparisons: read("comparison", &verdict.comparisons)?,
        verdict: Verdict {
            level: verdict.level.0,
            text: verdict.text.clone(),
            causes: read("cause", &list(&verdict.causes))?,
            missed: read("missed target", &list(&verdict.missed))?,
        },
        summary: RunSummary {
            straight: row.straight,
            clockwise: row.clockwise,
            north: row.north,
            turns: row.turns,
            coil_c: row.coil_c,
            resistance: figure(
                row.resistance_ohm,
                row.resistance_off,
                row.resistance_bands,
                row.resistance_ratio,
            ),
            inductance: figure(
                row.inductance_h,
                row.inductance_off,
                row.inductance_bands,
                row.inductance_ratio,
            ),
            capacitance: figure(row.capacitance_f, None, None, row.capacitance_ratio),
            build_ratio: row.build_ratio,
            flux_ratio: row.flux_ratio,
            peak_hz: row.peak_hz,
            output_db: row.output_db,
            wire_m: row.wire_m,
            wire_ohm_per_m: row.wire_ohm_per_m,
        },
        prediction: None,
    })
}

/// What was wound of a revision: with the spool as it was known, and the turns planned.
#[must_use]
pub fn as_started(mut design: Design, spool: Option<coil::design::Spool>, planned_turns: u32) -> Design {
    if let Some(coil) = design.coils.first_mut() {
        if spool.is_some() {
            coil.wire.spool = spool;
        }
        coil.wind.turns = planned_turns;
    }
    design
}

impl WorkshopStore {
    /// What some rows of the logbook hold besides, in their order. Names of people are left out where `has_names` is false.
    pub async fn records_of(
        &self,
        rows: &[LogbookRow],
        has_names: bool,
    ) -> Result<Vec<RunRecord>, StoreError> {
        if rows.is_empty() {
            return Ok(Vec::new());
        }
        let runs: &Vec<RunId> = &rows.iter().map(|row| row.run_id).collect();
        let (parts, readings, events, verdicts, sweeps) = tokio::try_join!(
            async {
                of_runs!(
                    self,
                    runs,
                    "SELECT w.id, w.document, w.stops, w.other_wire, \
                 IF(w.voided_at IS NULL, NULL, w.void_reason) AS void_reason, w.calibration, w.control_sd FROM runs w WHERE ",
                    "w.id",
                    ""
                )
            },
            async {
                of_runs!(
                    self,
                    runs,
                    "SELECT w.run_id, w.id, w.corrects_id, w.kind, w.pole, w.value, w.coil_c, w.test_hz, \
                 w.probe_mm, w.words, p.name AS taken_by, w.taken_at FROM readings w JOIN people p ON p.id = w.taken_by \
                 WHERE ",
                    "w.run_id",
                    " ORDER BY w.id"
                )
            },
            async {
                of_runs!(
                    self,
                    runs,
                    "SELECT w.run_id, w.what, w.at_turn, w.words, w.happened_at FROM run_events w \
                 WHERE ",
                    "w.run_id",
                    " ORDER BY w.id"
                )
            },
            async {
                of_runs!(
                    self,
                    runs,
                    "SELECT w.run_id, w.level, w.text, w.comparisons, w.causes, w.missed FROM verdicts w \
                 WHERE w.id = (SELECT MAX(m.id) FROM verdicts m WHERE m.run_id = w.run_id) AND ",
                    "w.run_id",
                    ""
                )
            },
            async {
                of_runs!(
                    self,
                    runs,
                    "SELECT w.id, w.revision_id, w.run_id, w.label, p.name AS `by`, w.taken_at, w.points \
                 FROM sweeps w JOIN people p ON p.id = w.taken_by WHERE ",
                    "w.run_id",
                    " ORDER BY w.taken_at, w.id"
                )
            },
        )?;
        let parts: BTreeMap<RunId, RunPart> = parts.into_iter().map(|p: RunPart| (p.id, p)).collect();
        let mut readings = grouped(readings, |r: &ReadingPart| Some(r.run_id));
        let mut events = grouped(events, |e: &EventPart| Some(e.run_id));
        let verdicts: BTreeMap<RunId, VerdictPart> =
            verdicts.into_iter().map(|v: VerdictPart| (v.run_id, v)).collect();
        let mut sweeps = grouped(sweeps, |s: &SweepRow| s.run_id);
        let revisions: Vec<crate::RevisionId> = rows.iter().map(|row| row.revision_id).collect();
        let documents: BTreeMap<_, _> = self.documents(&revisions).await?.into_iter().collect();
        let mut records = Vec::with_capacity(rows.len());
        for row in rows {
            let part = parts.get(&row.run_id);
            let document = documents.get(&row.revision_id);
            // What cannot be read of a run is left out and noted, and the others go on.
            let name = format!("run {}", row.number);
            let mut record = match part {
                Some(part) => self
                    .readable(RecordKind::Run, row.run_id.0, &name, started(part, document, row))?
                    .unwrap_or_default(),
                None => RunRecord::default(),
            };
            let author = |name: String| if has_names && name != row.operator { name } else { String::new() };
            record.readings = readings_in_order(readings.remove(&row.run_id).unwrap_or_default(), author);
            record.events =
                events.remove(&row.run_id).unwrap_or_default().into_iter().map(EventRecord::from).collect();
            for sweep in sweeps.remove(&row.run_id).unwrap_or_default() {
                let read = sweep.sweep();
                let Some(points) = self.readable(RecordKind::Run, row.run_id.0, &name, read)? else {
                    continue;
                };
                record.sweeps.push(SweepRecord { label: sweep.label, sweep: points, at: sweep.taken_at });
            }
            record.judgement = match verdicts.get(&row.run_id).map(|verdict| judgement(row, verdict)) {
                Some(read) => self.readable(RecordKind::Run, row.run_id.0, &name, read)?,
                None => None,
            };
            records.push(record);
        }
        Ok(records)
    }
}

impl From<EventPart> for EventRecord {
    fn from(part: EventPart) -> Self {
        Self { what: part.what.0, at_turn: part.at_turn, words: part.words, at: part.happened_at }
    }
}

/// What a run was started with; `revision` is its revision's document.
fn started(part: &RunPart, revision: Option<&Design>, row: &LogbookRow) -> Result<RunRecord, StoreError> {
    let document: Design = read("design", &part.document)?;
    let spool = document.coils.first().and_then(|coil| coil.wire.spool);
    let plain = revision.map(|revision| as_started(revision.clone(), spool, row.planned_turns));
    Ok(RunRecord {
        spool,
        document: (plain.as_ref() != Some(&document)).then(|| Box::new(document)),
        stops: part.stops.0.clone(),
        other_wire: part.other_wire.clone(),
        void: part.void_reason.clone(),
        basis: Some(JudgementBasis {
            calibration: match &part.calibration {
                Some(text) => read("calibration", text)?,
                None => Calibration::default(),
            },
            control_sd: part.control_sd,
        }),
        ..RunRecord::default()
    })
}

/// Readings of one run, those that correct others by the place of those.
fn readings_in_order(own: Vec<ReadingPart>, author: impl Fn(String) -> String) -> Vec<ReadingRecord> {
    let place: BTreeMap<u64, usize> = own.iter().enumerate().map(|(k, r)| (r.id, k)).collect();
    own.into_iter()
        .map(|r| ReadingRecord {
            kind: r.kind.0,
            value: r.value,
            pole: r.pole,
            coil_c: r.coil_c,
            test_hz: r.test_hz,
            probe_mm: r.probe_mm,
            words: r.words,
            corrects: r.corrects_id.and_then(|id| place.get(&id).copied()),
            by: author(r.taken_by),
            at: r.taken_at,
        })
        .collect()
}

/// Rows by their run, each in the order given.
fn grouped<T>(rows: Vec<T>, run: impl Fn(&T) -> Option<RunId>) -> BTreeMap<RunId, Vec<T>> {
    let mut all: BTreeMap<RunId, Vec<T>> = BTreeMap::new();
    for row in rows {
        if let Some(run) = run(&row) {
            all.entry(run).or_default().push(row);
        }
    }
    all
}
