//! Runs brought in from elsewhere, all or none.

use crate::list::push_in;
use crate::reading::NewReading;
use crate::run::first_of_next_numbers;
use crate::submission::added_once;
use crate::{
    CalibrationId, ClientKey, DesignId, InstrumentId, PersonId, RevisionId, RunId, SpoolId, StoreError,
    Stored, TurnList, WorkshopId, WorkshopStore,
};
use coil::design::Design;
use coil::prediction::Calibration;
use sqlx::MySqlConnection;
use std::collections::BTreeSet;
use time::PrimitiveDateTime;
use trade::comparison::TolerancePolicy;
use trade::judgement::Judgement;
use trade::run_record::{EventRecord, SweepRecord};

/// A reading of a run to bring in.
#[derive(Clone, Debug)]
pub struct ImportedReading {
    /// What was read; what it corrects stands in `corrects`.
    pub reading: NewReading,
    /// The reading of the list that it corrects, from 0: one before it.
    pub corrects: Option<usize>,
    /// Who took it.
    pub by: PersonId,
    /// When.
    pub at: PrimitiveDateTime,
}

impl ImportedReading {
    /// A reading that corrects none.
    #[must_use]
    pub const fn new(reading: NewReading, by: PersonId, at: PrimitiveDateTime) -> Self {
        Self { reading, corrects: None, by, at }
    }
}

/// A run to bring in, judged already.
#[derive(Clone, Debug)]
pub struct ImportedRun {
    /// Its key: that of the run where it came from, or drawn from its line.
    pub key: ClientKey,
    /// The revision wound.
    pub revision: RevisionId,
    /// The spool.
    pub spool: Option<SpoolId>,
    /// Who wound.
    pub operator: PersonId,
    /// The winder.
    pub winder: Option<InstrumentId>,
    /// When.
    pub at: PrimitiveDateTime,
    /// Turns planned.
    pub planned_turns: u32,
    /// The document as it was wound.
    pub design: Design,
    /// Remark.
    pub remark: String,
    /// What was read, in order.
    pub readings: Vec<ImportedReading>,
    /// What happened at the winder, in order.
    pub events: Vec<EventRecord>,
    /// Its sweeps.
    pub sweeps: Vec<SweepRecord>,
    /// Where to stop and look, in turns on the coil.
    pub stops: Vec<u32>,
    /// Why it was wound of other wire than the design names.
    pub other_wire: String,
    /// Why it was voided; none where it was not.
    pub void: Option<String>,
    /// What it is judged by for good, now and whenever it is judged again: the calibration with its version, where it is one of this
    /// workshop's, and the tolerance.
    pub calibration: (Option<CalibrationId>, Calibration),
    /// See [`Self::calibration`].
    pub tolerance: TolerancePolicy,
    /// How it was judged.
    pub judgement: Judgement,
    /// Whether that is a verdict; a run of which nothing was read yet has its row in the logbook alone.
    pub has_verdict: bool,
}

impl WorkshopStore {
    /// Which of some keys are runs of this workshop already.
    pub async fn known_runs(&self, keys: &[ClientKey]) -> Result<BTreeSet<String>, StoreError> {
        let workshop = self.workshop;
        let mut known = BTreeSet::new();
        for some in keys.chunks(500) {
            let mut query =
                sqlx::QueryBuilder::<sqlx::MySql>::new("SELECT client_key FROM runs WHERE workshop_id = ");
            query.push_bind(workshop).push(" AND ");
            push_in(&mut query, "client_key", some.iter().map(ClientKey::as_str));
            known.extend(query.build_query_scalar::<String>().fetch_all(&self.pool).await?);
        }
        Ok(known)
    }

    /// Every revision of a workshop: its design's newest name, number, and own number in the database, and its design's.
    pub async fn revision_names(&self) -> Result<Vec<(String, u32, RevisionId, DesignId)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT r.name, r.number, r.id, r.design_id FROM revisions r WHERE r.workshop_id = ? \
             ORDER BY r.design_id, NOT r.is_variant, r.number",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// What tells whether a run is here already: revision, day, turns and resistance at 20 °C of all that have them.
    pub async fn runs_alike(&self) -> Result<Vec<(RevisionId, time::Date, f64, f64)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT revision_id, DATE(started_at), turns, resistance_ohm FROM logbook \
             WHERE workshop_id = ? AND turns IS NOT NULL AND resistance_ohm IS NOT NULL",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Brings runs in, all in one transaction; those whose key is known are passed over. Gives how many were new. Their numbers
    /// are taken beforehand, in the order given, so that nobody who starts a run meanwhile waits.
    pub async fn import_runs(&self, by: PersonId, runs: &[ImportedRun]) -> Result<u32, StoreError> {
        if runs.is_empty() {
            return Ok(0);
        }
        let count = u32::try_from(runs.len()).unwrap_or(u32::MAX);
        let first = retry_deadlock!(async {
            let mut tx = self.pool.begin().await?;
            let first = first_of_next_numbers(&mut tx, self.workshop, count).await?;
            tx.commit().await?;
            Ok(first)
        })?;
        retry_deadlock!(self.import_once(by, runs, first))
    }

    async fn import_once(&self, by: PersonId, runs: &[ImportedRun], first: u32) -> Result<u32, StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let (mut number, mut new) = (first, 0);
        for run in runs {
            let Some(id) = insert_run(&mut tx, workshop, by, run, number).await? else { continue };
            (number, new) = (number + 1, new + 1);
            insert_readings(&mut tx, workshop, id, run).await?;
            insert_events_and_sweeps(&mut tx, workshop, id, run).await?;
            if run.has_verdict {
                crate::verdict::record_on(&mut tx, workshop, id, &run.judgement, None).await?;
            } else {
                crate::logbook::write_summary_on(&mut tx, workshop, id, &run.judgement).await?;
            }
        }
        tx.commit().await?;
        Ok(new)
    }
}

/// Inserts a run; none where its key is known.
async fn insert_run(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    by: PersonId,
    run: &ImportedRun,
    number: u32,
) -> Result<Option<RunId>, StoreError> {
    let document = serde_json::to_string(&run.design)
        .map_err(|error| StoreError::Unreadable { what: "design", detail: error.to_string() })?;
    let calibration = serde_json::to_string(&run.calibration.1)
        .map_err(|error| StoreError::Unreadable { what: "calibration", detail: error.to_string() })?;
    let done = sqlx::query(
        "INSERT INTO runs (workshop_id, number, client_key, revision_id, spool_id, operator_id, winder_id, \
         planned_turns, stops, document, remark, created_by, created_at, other_wire, calibration_id, calibration, control_sd, \
         void_reason, voided_at, voided_by) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, COALESCE(?, ''), IF(? IS NULL, NULL, UTC_TIMESTAMP(6)), \
         IF(? IS NULL, NULL, ?))",
    )
    .bind(workshop)
    .bind(number)
    .bind(run.key.as_str())
    .bind(run.revision)
    .bind(run.spool)
    .bind(run.operator)
    .bind(run.winder)
    .bind(run.planned_turns)
    .bind(TurnList(run.stops.clone()))
    .bind(document)
    .bind(&run.remark)
    .bind(by)
    .bind(run.at)
    .bind(&run.other_wire)
    .bind(run.calibration.0)
    .bind(calibration)
    .bind(run.tolerance.control_sd)
    .bind(&run.void)
    .bind(&run.void)
    .bind(&run.void)
    .bind(by)
    .execute(&mut *connection)
    .await;
    Ok(added_once("runs", done)?.map(|done| RunId(done.last_insert_id())))
}

/// Inserts what was read.
async fn insert_readings(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    id: RunId,
    run: &ImportedRun,
) -> Result<(), StoreError> {
    let mut logged: Vec<u64> = Vec::with_capacity(run.readings.len());
    for (place, ImportedReading { reading, corrects, by, at }) in (0_u32..).zip(&run.readings) {
        let done = sqlx::query(
            "INSERT INTO readings (workshop_id, run_id, batch_key, place, corrects_id, kind, pole, value, coil_c, \
             test_hz, probe_mm, words, taken_by, taken_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(id)
        .bind(run.key.as_str())
        .bind(place)
        .bind(corrects.and_then(|k| logged.get(k)))
        .bind(Stored(reading.kind))
        .bind(reading.pole)
        .bind(reading.value)
        .bind(reading.coil_c)
        .bind(reading.test_hz)
        .bind(reading.probe_mm)
        .bind(&reading.words)
        .bind(by)
        .bind(at)
        .execute(&mut *connection)
        .await?;
        logged.push(done.last_insert_id());
    }
    Ok(())
}

/// Inserts events and sweeps.
async fn insert_events_and_sweeps(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    id: RunId,
    run: &ImportedRun,
) -> Result<(), StoreError> {
    for event in &run.events {
        sqlx::query(
            "INSERT INTO run_events (workshop_id, run_id, client_key, what, at_turn, words, by_id, happened_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(id)
        .bind(ClientKey::random().as_str())
        .bind(Stored(event.what))
        .bind(event.at_turn)
        .bind(&event.words)
        .bind(run.operator)
        .bind(event.at)
        .execute(&mut *connection)
        .await?;
    }
    for sweep in &run.sweeps {
        let points = serde_json::to_string(&sweep.sweep)
            .map_err(|error| StoreError::Unreadable { what: "sweep", detail: error.to_string() })?;
        sqlx::query(
            "INSERT INTO sweeps (workshop_id, client_key, revision_id, run_id, label, points, taken_by, taken_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(ClientKey::random().as_str())
        .bind(run.revision)
        .bind(id)
        .bind(&sweep.label)
        .bind(points)
        .bind(run.operator)
        .bind(sweep.at)
        .execute(&mut *connection)
        .await?;
    }
    Ok(())
}
