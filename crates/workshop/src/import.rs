//! Importing runs: read, checked line by line, and only then taken, all or none.

use crate::actor::Actor;
use crate::calibration_versions::CalibrationVersions;
use crate::import_names::NameColumn;
use crate::jobs::{Job, JobOutcome};
use crate::known_names::{KnownNames, LineProblem, Names};
use crate::permission::Action;
use crate::prediction_cache::PredictionCache;
use crate::readings::refuse_impossible;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use coil::prediction::Calibration;
use sha2::{Digest as _, Sha256};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;
use store::export::as_started;
use store::import::{ImportedReading, ImportedRun};
use store::logbook::planned_factor_levels;
use store::reading::NewReading;
use store::{CalibrationId, ClientKey, DesignId, InstrumentId, PersonId, RevisionId, SpoolId, WorkshopStore};
use time::PrimitiveDateTime;
use trade::comparison::TolerancePolicy;
use trade::comparison::as_wound;
use trade::judgement::judge_solved;
use trade::plan::Plan;
use trade::reading::{Kind, Reading};
use trade::run_import::{ImportLine, ImportRow};
use trade::run_record::ReadingRecord;

/// What becomes of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ImportOutcome {
    /// It is a new run.
    New,
    /// It is in the logbook already, by its key.
    InLogbook,
    /// It is the same as a line further up.
    Repeated,
    /// A run of that day with the same turns and resistance is in the logbook already.
    AlikeInLogbook,
    /// Something is wrong with it.
    Wrong,
}

/// A line with what becomes of it.
#[derive(Clone, Debug)]
pub struct ReviewedLine {
    /// The line.
    pub line: ImportLine,
    /// What becomes of it.
    pub outcome: ImportOutcome,
    /// Everything that is wrong with it.
    pub problems: Vec<LineProblem>,
}

/// An import, checked.
#[derive(Clone, Debug)]
pub struct ImportCheck {
    /// Every line.
    pub lines: Vec<ReviewedLine>,
    /// The names that are known, by column, as they are written.
    pub known_names: BTreeMap<NameColumn, Vec<String>>,
    new: Vec<ResolvedLine>,
}

impl ImportCheck {
    /// The names that are not known, each once, with how many lines have it and the known name that is most like it.
    #[must_use]
    pub fn unknown_names(&self) -> BTreeMap<(NameColumn, String), (usize, Option<String>)> {
        let mut all: BTreeMap<(NameColumn, String), (usize, Option<String>)> = BTreeMap::new();
        for problem in self.lines.iter().flat_map(|line| &line.problems) {
            if let LineProblem::UnknownName { column, name, suggestion } = problem {
                let entry = all.entry((*column, name.clone())).or_insert((0, suggestion.clone()));
                entry.0 += 1;
            }
        }
        all
    }

    /// How many lines come out so.
    #[must_use]
    pub fn count(&self, outcome: ImportOutcome) -> usize {
        self.lines.iter().filter(|l| l.outcome == outcome).count()
    }
}

/// A line with all its names found.
#[derive(Clone, Debug)]
struct ResolvedLine {
    row: ImportRow,
    key: ClientKey,
    revision: RevisionId,
    design_id: DesignId,
    design: Arc<Design>,
    spool: Option<(SpoolId, coil::design::Spool)>,
    operator: PersonId,
    winder: Option<InstrumentId>,
    /// Who took each reading of its record.
    authors: Vec<PersonId>,
}

/// The first 16 bytes of a hash as a key.
fn hashed(text: &str) -> ClientKey {
    let mut key = String::new();
    for byte in &Sha256::digest(text)[..16] {
        // Writing to a string cannot fail.
        let _ = write!(key, "{byte:02x}");
    }
    key.parse().unwrap_or_else(|_| ClientKey::random())
}

/// A line's key: that of its export, or drawn from what it says, so that the same line again is the same run. Version 2
/// of the encoding: a line `name=value` for each field that says something, in a fixed order, so that fields added later
/// leave the keys of lines without them as they are.
fn key_of(row: &ImportRow) -> ClientKey {
    if let Ok(key) = row.key.parse() {
        return key;
    }
    let mut text = String::from("filamentum-import-key/2\n");
    let mut field = |name: &str, value: Option<String>| {
        if let Some(value) = value.filter(|v| !v.is_empty()) {
            let _ = writeln!(text, "{name}={}", value.replace('\\', "\\\\").replace('\n', "\\n"));
        }
    };
    field("started_utc", row.started.map(|at| at.to_string()));
    field("design", Some(row.design.clone()));
    field("revision", row.revision.map(|v| v.to_string()));
    field("spool", Some(row.spool.clone()));
    field("operator", Some(row.operator.clone()));
    field("winder", Some(row.winder.clone()));
    field("turns", row.turns.map(|v| v.to_string()));
    field("planned_turns", row.planned_turns.map(|v| v.to_string()));
    field("resistance_ohm", row.resistance_ohm.map(|v| v.to_string()));
    field("coil_c", row.coil_c.map(|v| v.to_string()));
    field("inductance_h", row.inductance_h.map(|v| v.to_string()));
    field("test_hz", row.test_hz.map(|v| v.to_string()));
    field("capacitance_f", row.capacitance_f.map(|v| v.to_string()));
    field("remark", Some(row.remark.clone()));
    hashed(&text)
}

/// The key of the `count`th of several equal lines, from 1.
fn repeated_key(key: ClientKey, count: u32) -> ClientKey {
    if count == 1 { key } else { hashed(&format!("{key}\nrepeated={count}")) }
}

/// The key that version 1 drew from a line: of a listing of all fields as they were then. Runs that were imported by it
/// are still recognised.
fn key_of_version_1(row: &ImportRow) -> ClientKey {
    #[derive(Debug)]
    #[allow(dead_code, reason = "read by the listing")]
    struct Entry<'a> {
        key: &'a str,
        started: Option<time::PrimitiveDateTime>,
        design: &'a str,
        revision: Option<u32>,
        spool: &'a str,
        operator: &'a str,
        winder: &'a str,
        turns: Option<u32>,
        planned_turns: Option<u32>,
        resistance_ohm: Option<f64>,
        coil_c: Option<f64>,
        inductance_h: Option<f64>,
        test_hz: Option<f64>,
        capacitance_f: Option<f64>,
        remark: &'a str,
    }
    let entry = Entry {
        key: &row.key,
        started: row.started,
        design: &row.design,
        revision: row.revision,
        spool: &row.spool,
        operator: &row.operator,
        winder: &row.winder,
        turns: row.turns,
        planned_turns: row.planned_turns,
        resistance_ohm: row.resistance_ohm,
        coil_c: row.coil_c,
        inductance_h: row.inductance_h,
        test_hz: row.test_hz,
        capacitance_f: row.capacitance_f,
        remark: &row.remark,
    };
    hashed(&format!("{entry:?}"))
}

impl Workshop {
    /// Checks the lines of an import: finds their names, and which of them are in the logbook already. Lines whose numbers are in
    /// `anyway` are new although a run like them is there.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn check_import(
        &self,
        actor: &Actor,
        lines: Vec<ImportLine>,
        anyway: &BTreeSet<usize>,
    ) -> Result<ImportCheck, Refusal> {
        actor.require(Action::ImportRuns)?;
        let store = self.store_of(actor);
        let known = KnownNames::load(&store).await?;
        let mut found: Vec<(ImportLine, Result<Names, Vec<LineProblem>>)> = Vec::with_capacity(lines.len());
        for line in lines {
            let read = line.errors.iter().map(|(column, message)| LineProblem::Unreadable {
                column: column.clone(),
                message: message.clone(),
            });
            let mut problems: Vec<LineProblem> = read.collect();
            problems.extend(impossible_reading(&line.entry));
            let names = match known.resolve(&line.entry, actor) {
                Ok(names) if problems.is_empty() => Ok(names),
                Ok(_) => Err(problems),
                Err(more) => {
                    problems.extend(more);
                    Err(problems)
                }
            };
            found.push((line, names));
        }
        let needed: BTreeSet<RevisionId> =
            found.iter().filter_map(|(_, names)| Some(names.as_ref().ok()?.revision)).collect();
        let documents = store.documents(&needed.into_iter().collect::<Vec<_>>()).await?;
        let documents: BTreeMap<RevisionId, Arc<Design>> =
            documents.into_iter().map(|(id, design)| (id, Arc::new(design))).collect();
        // Of equal lines each has a key of its own, by how many there were before it.
        let mut times: BTreeMap<String, u32> = BTreeMap::new();
        let keys: Vec<(ClientKey, u32)> = found
            .iter()
            .map(|(line, _)| {
                let key = key_of(&line.entry);
                let count = times.entry(key.to_string()).or_default();
                *count += 1;
                (repeated_key(key, *count), *count)
            })
            .collect();
        let version_1 = found.iter().map(|(line, _)| key_of_version_1(&line.entry));
        let asked: Vec<ClientKey> = keys.iter().map(|(key, _)| key.clone()).chain(version_1).collect();
        let in_logbook = store.known_runs(&asked).await?;
        let mut alike: BTreeMap<(RevisionId, time::Date), Vec<(f64, f64)>> = BTreeMap::new();
        for (revision, day, turns, ohms) in store.runs_alike().await? {
            alike.entry((revision, day)).or_default().push((turns, ohms));
        }
        let mut check = ImportCheck { lines: Vec::new(), known_names: known.by_column(), new: Vec::new() };
        for ((line, names), (key, count)) in found.into_iter().zip(keys) {
            let (outcome, problems) = match names {
                Err(problems) => (ImportOutcome::Wrong, problems),
                Ok(names) => {
                    let is_known = in_logbook.contains(key.as_str())
                        || count == 1 && in_logbook.contains(key_of_version_1(&line.entry).as_str());
                    let outcome = if is_known {
                        ImportOutcome::InLogbook
                    } else if count > 1 && !anyway.contains(&line.number) {
                        ImportOutcome::Repeated
                    } else if !anyway.contains(&line.number)
                        && is_alike(&line.entry, names.revision, &mut alike)
                    {
                        ImportOutcome::AlikeInLogbook
                    } else {
                        let Some(design) = documents.get(&names.revision) else {
                            return Err(Refusal::NotFound("revision"));
                        };
                        check.new.push(ResolvedLine {
                            row: line.entry.clone(),
                            key,
                            revision: names.revision,
                            design_id: names.design,
                            authors: names.authors,
                            design: Arc::clone(design),
                            spool: names.spool,
                            operator: names.operator,
                            winder: names.winder,
                        });
                        ImportOutcome::New
                    };
                    (outcome, Vec::new())
                }
            };
            check.lines.push(ReviewedLine { line, outcome, problems });
        }
        Ok(check)
    }

    /// Keeps lines for half an hour, so that a person can look through them without sending them again.
    ///
    /// # Errors
    /// When the actor may not import.
    pub fn keep_import(&self, actor: &Actor, key: ClientKey, check: ImportCheck) -> Result<(), Refusal> {
        actor.require(Action::ImportRuns)?;
        self.reviews.keep(actor.person, key, check.lines.into_iter().map(|line| line.line).collect());
        Ok(())
    }

    /// The lines kept by [`Self::keep_import`]; none once they were taken, or after half an hour.
    ///
    /// # Errors
    /// When the actor may not import.
    pub fn kept_import(&self, actor: &Actor, key: &ClientKey) -> Result<Option<Vec<ImportLine>>, Refusal> {
        actor.require(Action::ImportRuns)?;
        Ok(self.reviews.take(actor.person, key))
    }

    /// Begins to import the new runs of a checked import, as a job; returns its name.
    ///
    /// # Errors
    /// [`Refusal::TooManyJobs`] while others run.
    pub fn begin_import(&self, actor: &Actor, check: ImportCheck) -> Result<String, Refusal> {
        actor.require(Action::ImportRuns)?;
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        let (this, actor) = (self.clone(), *actor);
        tokio::spawn(async move {
            let outcome = match this.import(&actor, check.new, &job).await {
                Ok(Some(new)) => JobOutcome::Imported(new),
                Ok(None) => JobOutcome::Stopped,
                Err(error) => {
                    tracing::warn!(%error, "nothing was imported");
                    JobOutcome::Failed(error.code())
                }
            };
            job.finish(outcome);
        });
        Ok(name)
    }

    async fn import(
        &self,
        actor: &Actor,
        mut lines: Vec<ResolvedLine>,
        job: &Arc<Job>,
    ) -> Result<Option<u32>, Refusal> {
        // Runs are numbered as they were begun, in whichever order the file has them.
        lines.sort_by_key(|line| (line.row.started, line.row.number));
        let calibrations = CalibrationHistory::load(self, self.store_of(actor)).await?;
        let tolerance = self.settings_of(actor).await?.tolerance;
        let count = lines.len().max(1) as f64;
        let mut runs = Vec::with_capacity(lines.len());
        for (k, line) in lines.into_iter().enumerate() {
            if !job.advance(0.95 * k as f64 / count) {
                return Ok(None);
            }
            if let Some(run) = imported(&self.predictions, (&calibrations, tolerance), line).await? {
                runs.push(run);
            }
        }
        let new = self.store_of(actor).import_runs(actor.person, &runs).await?;
        self.schedule_fit(actor.workshop);
        Ok(Some(new))
    }
}

/// The same revision on the same day with the same turns and ohms to a ten-thousandth: typed here before. Each run of the logbook
/// stands for one line: of two equal coils of a day, of which one is there, the second is new. What comes with everything it
/// holds has a key, and is known by that alone.
fn is_alike(
    row: &ImportRow,
    revision: RevisionId,
    alike: &mut BTreeMap<(RevisionId, time::Date), Vec<(f64, f64)>>,
) -> bool {
    if row.record.is_some() && row.key.parse::<ClientKey>().is_ok() {
        return false;
    }
    let at_20 = |ohms| coil::wire::at_temperature(ohms, row.coil_c.unwrap_or(20.0), 20.0);
    let Some(((ohms, turns), at)) = row.resistance_ohm.map(at_20).zip(row.turns).zip(row.started) else {
        return false;
    };
    let Some(all) = alike.get_mut(&(revision, at.date())) else { return false };
    let is_equal = |(t, r): &(f64, f64)| (t - f64::from(turns)).abs() < 0.5 && (r / ohms - 1.0).abs() < 1e-4;
    all.iter().position(is_equal).map(|k| all.swap_remove(k)).is_some()
}

/// A run with what it holds. A line with a record keeps its judgement and the basis of it. Any other line is judged by the calibration of
/// its time and by the workshop's tolerance. Both are stored with the run, so that a later judgement has the same basis.
/// `None` without its start.
async fn imported(
    predictions: &PredictionCache,
    (calibrations, tolerance): (&CalibrationHistory, TolerancePolicy),
    line: ResolvedLine,
) -> Result<Option<ImportedRun>, Refusal> {
    let row = line.row;
    let Some(at) = row.started else { return Ok(None) };
    let is_recorded = row.record.is_some();
    let record = row.record.as_deref().cloned().unwrap_or_default();
    let designed = line.design.coils.first().map_or(10, |coil| coil.wind.turns);
    let planned_turns = row.planned_turns.or(row.turns).unwrap_or(designed);
    let design = match record.document {
        Some(document) => *document,
        None => {
            let spool = record.spool.or(line.spool.map(|(_, measured)| measured));
            as_started((*line.design).clone(), spool, planned_turns)
        }
    };
    let readings: Vec<ImportedReading> = if is_recorded {
        let recorded = record.readings.into_iter().zip(line.authors);
        recorded.map(|(reading, by)| recorded_reading(reading, by)).collect()
    } else {
        let of_table = readings_of(&row).into_iter();
        of_table.map(|reading| ImportedReading::new(reading, line.operator, at)).collect()
    };
    let (calibration, tolerance) = match record.basis {
        Some(basis) => ((None, basis.calibration), TolerancePolicy { control_sd: basis.control_sd }),
        None => {
            let spool = line.spool.map(|(id, _)| id);
            let levels = (line.design_id, spool, line.operator, line.winder);
            (calibrations.at(at, &design, levels).await?, tolerance)
        }
    };
    let has_verdict = record.judgement.is_some() || !is_recorded;
    let judgement = match record.judgement {
        Some(judgement) => judgement,
        None => {
            let taken: Vec<Reading> = readings
                .iter()
                .zip(1_u64..)
                .map(|(r, id)| Reading {
                    corrects: r.corrects.map(|k| k as u64 + 1),
                    ..r.reading.numbered(id)
                })
                .collect();
            let wound = as_wound(&design, &taken);
            let solution = predictions.solution(&wound).await?.ok();
            let plan = Plan::from_design(&design);
            crate::blocking::blocking(move || {
                judge_solved(&wound, solution.as_deref(), &taken, (&calibration.1, tolerance), &plan)
            })
            .await?
        }
    };
    Ok(Some(ImportedRun {
        key: line.key,
        revision: line.revision,
        spool: line.spool.map(|(id, _)| id),
        operator: line.operator,
        winder: line.winder,
        at,
        planned_turns,
        design,
        remark: row.remark,
        readings,
        events: record.events,
        sweeps: record.sweeps,
        stops: record.stops,
        other_wire: record.other_wire,
        void: record.void,
        calibration,
        tolerance,
        judgement,
        has_verdict,
    }))
}

/// A reading of a line that no coil has.
fn impossible_reading(row: &ImportRow) -> Option<LineProblem> {
    let recorded = row.record.iter().flat_map(|record| &record.readings).cloned();
    let recorded = recorded.map(|reading| recorded_reading(reading, PersonId(0)).reading);
    let found =
        readings_of(row).into_iter().chain(recorded).find_map(|one| refuse_impossible(&[one]).err())?;
    Some(LineProblem::Unreadable { column: String::new(), message: found.to_string() })
}

/// A reading of a record, taken by `by`.
fn recorded_reading(record: ReadingRecord, by: PersonId) -> ImportedReading {
    let reading = NewReading {
        pole: record.pole,
        coil_c: record.coil_c,
        test_hz: record.test_hz,
        probe_mm: record.probe_mm,
        words: record.words,
        ..NewReading::new(record.kind, record.value)
    };
    ImportedReading { reading, corrects: record.corrects, by, at: record.at }
}

/// What a workshop had learned when.
struct CalibrationHistory {
    versions: CalibrationVersions,
    store: WorkshopStore,
    /// When each version was made, the oldest first; none where the workshop uses none.
    made: Vec<(PrimitiveDateTime, CalibrationId)>,
}

impl CalibrationHistory {
    async fn load(workshop: &Workshop, store: WorkshopStore) -> Result<Self, Refusal> {
        let mut made = Vec::new();
        if store.calibration_enabled().await? {
            made.extend(store.calibrations().await?.iter().map(|row| (row.made_at, row.id)));
            made.sort_by_key(|(made_at, _)| *made_at);
        }
        Ok(Self { versions: workshop.calibrations.clone(), store, made })
    }

    /// The calibration that was the newest at a time; before the first, that one, which is the nearest.
    async fn at(
        &self,
        at: PrimitiveDateTime,
        document: &Design,
        (design, spool, operator, winder): (DesignId, Option<SpoolId>, PersonId, Option<InstrumentId>),
    ) -> Result<(Option<CalibrationId>, Calibration), Refusal> {
        let version =
            self.made.iter().rev().find(|(made_at, _)| *made_at <= at).or_else(|| self.made.first());
        let Some((_, id)) = version else { return Ok((None, Calibration::default())) };
        let model = self.versions.version(&self.store, *id).await?;
        let levels = planned_factor_levels(Some(design), document, spool, Some(operator), winder);
        Ok((Some(*id), model.calibration(&levels)))
    }
}

fn readings_of(row: &ImportRow) -> Vec<NewReading> {
    let mut all = Vec::new();
    if let Some(turns) = row.turns {
        all.push(NewReading::new(Kind::Turns, Some(f64::from(turns))));
    }
    if let Some(ohms) = row.resistance_ohm {
        all.push(NewReading { coil_c: row.coil_c, ..NewReading::new(Kind::Resistance, Some(ohms)) });
    }
    // A coil that read so many ohms and is open broke after that.
    if row.is_open {
        all.push(NewReading::new(Kind::Open, None));
    }
    if let Some(henries) = row.inductance_h {
        let test_hz = Some(row.test_hz.unwrap_or(1000.0));
        all.push(NewReading { test_hz, ..NewReading::new(Kind::Inductance, Some(henries)) });
    }
    if let Some(farads) = row.capacitance_f {
        all.push(NewReading::new(Kind::Capacitance, Some(farads)));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn the_same_line_has_the_same_key_and_another_another() {
        let row = ImportRow { design: "Reed".into(), turns: Some(7500), ..ImportRow::default() };
        assert_eq!(key_of(&row), key_of(&row.clone()));
        assert_ne!(key_of(&row), key_of(&ImportRow { turns: Some(7501), ..row.clone() }));
        let split = ImportRow { design: "Reed\nturns=7500".into(), ..ImportRow::default() };
        assert_ne!(key_of(&split), key_of(&row), "a name is no field");
        let key = ClientKey::random();
        assert_eq!(key_of(&ImportRow { key: key.to_string(), ..row }), key);
    }

    /// Keys that are in databases already: they must never change.
    #[test]
    fn keys_of_both_versions_stay_as_they_are() {
        let row = ImportRow {
            started: Some(datetime!(2026-03-01 10:00)),
            design: "Reed".into(),
            turns: Some(7500),
            resistance_ohm: Some(5750.5),
            ..ImportRow::default()
        };
        assert_eq!(key_of(&row).as_str(), "4820e9ec4fa77cbae842eff063430387");
        assert_eq!(key_of_version_1(&row).as_str(), "c9e44f5f3f892b568130c01f92da7759");
    }
}
