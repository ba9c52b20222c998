//! Winding runs.

use crate::design::parse_document;
use crate::{
    CalibrationId, ClientKey, DesignId, InstrumentId, PersonId, RevisionId, RunId, SpoolId, StoreError,
    WorkshopStore,
};
use coil::design::Design;
use coil::prediction::Calibration;
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::judgement::Judgement;
use trade::traveller::Traveller;

/// A run as lists need it.
#[derive(Clone, Debug, FromRow)]
pub struct RunRow {
    /// Number in the database.
    pub id: RunId,
    /// Number in the workshop, from 1.
    pub number: u32,
    /// The revision wound.
    pub revision_id: RevisionId,
    /// Its design.
    pub design_id: DesignId,
    /// The design's name.
    pub design: String,
    /// The revision's number.
    pub revision: u32,
    /// The spool's label.
    pub spool: Option<String>,
    /// Who winds.
    pub operator: String,
    /// Turns planned.
    pub planned_turns: u32,
    /// Where to stop and look: turn counts with commas between.
    pub stops: String,
    /// Remark of the start.
    pub remark: String,
    /// When it was started, UTC.
    pub created_at: PrimitiveDateTime,
    /// Level of the last verdict.
    pub level: Option<String>,
    /// Words of the last verdict.
    pub verdict: Option<String>,
    /// The last verdict's comparisons, JSON.
    pub comparisons: Option<String>,
    /// The last verdict's causes, JSON; none in verdicts of older versions.
    pub causes: Option<String>,
    /// Version of the engine that the last verdict was judged by.
    pub engine: Option<String>,
    /// Final turns logged.
    pub turns: Option<f64>,
    /// The spool's number.
    pub spool_id: Option<SpoolId>,
    /// Who winds, by number.
    pub operator_id: PersonId,
    /// The winder that it is wound on.
    pub winder_id: Option<InstrumentId>,
    /// Its name.
    pub winder: Option<String>,
    /// Version of what had been learned when it was started.
    pub calibration_version: Option<u32>,
}

/// A run with the document it winds.
#[derive(Clone, Debug)]
pub struct Run {
    /// What lists need.
    pub row: RunRow,
    /// The revision's document with the spool's own measurements and the planned turns.
    pub design: Design,
    /// What the workshop's coils had shown when it was started: by this it is judged for good.
    pub calibration: Calibration,
}

/// A run to start.
#[derive(Clone, Debug)]
pub struct NewRun<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// The revision to wind.
    pub revision: RevisionId,
    /// The spool.
    pub spool: Option<SpoolId>,
    /// Who winds.
    pub operator: PersonId,
    /// Turns planned.
    pub planned_turns: u32,
    /// Where to stop and look.
    pub stops: &'a [u32],
    /// The document as it will be wound.
    pub design: &'a Design,
    /// Remark.
    pub remark: &'a str,
    /// The operations that it follows.
    pub traveller: &'a Traveller,
    /// The winder that it is wound on.
    pub winder: Option<InstrumentId>,
    /// What the workshop's coils have shown so far, with its version.
    pub calibration: (Option<CalibrationId>, Calibration),
    /// How it stands before anything was read; without it the row in the logbook is left to be written later.
    pub judgement: Option<&'a Judgement>,
    /// When; now when absent.
    pub at: Option<PrimitiveDateTime>,
}

/// What a list of runs shows.
#[derive(Clone, Debug, Default)]
pub struct RunFilter {
    /// Part of the design's name, the spool's label or the operator's name.
    pub search: String,
    /// Level of the verdict; empty for all.
    pub level: String,
    /// Only runs of this design.
    pub design: Option<DesignId>,
    /// How it is ordered.
    pub order: RunOrder,
}

/// How a list of runs is ordered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum RunOrder {
    /// Newest first.
    #[default]
    Newest,
    /// Oldest first.
    Oldest,
    /// By design.
    Design,
    /// By operator.
    Operator,
}

macro_rules! run_columns {
    ($rest:literal) => {
        concat!(
            "SELECT u.id, u.number, u.revision_id, r.design_id, r.name AS design, r.number AS revision, \
             s.label AS spool, p.name AS operator, u.planned_turns, u.stops, u.remark, u.created_at, \
             v.level, v.text AS verdict, v.comparisons, v.causes, v.engine, u.spool_id, u.operator_id, u.winder_id, i.name AS winder, \
             (SELECT number FROM calibrations WHERE calibrations.id = u.calibration_id) AS calibration_version, \
             (SELECT t.value FROM readings t WHERE t.run_id = u.id AND t.kind = 'turns' AND NOT EXISTS \
               (SELECT 1 FROM readings c WHERE c.corrects_id = t.id) ORDER BY t.id DESC LIMIT 1) AS turns \
             FROM runs u JOIN revisions r ON r.id = u.revision_id JOIN people p ON p.id = u.operator_id \
             LEFT JOIN spools s ON s.id = u.spool_id LEFT JOIN instruments i ON i.id = u.winder_id \
             LEFT JOIN verdicts v ON v.id = (SELECT MAX(id) FROM verdicts WHERE run_id = u.id) ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// Starts a run with the workshop's next number; the same key again returns the run started before.
    pub async fn start_run(&self, by: PersonId, new: &NewRun<'_>) -> Result<RunId, StoreError> {
        retry_deadlock!(self.start_once(by, new))
    }

    async fn start_once(&self, by: PersonId, new: &NewRun<'_>) -> Result<RunId, StoreError> {
        let workshop = self.workshop;
        if let Some(started) = self.run_by_key(&new.key).await? {
            return Ok(started);
        }
        let document = serde_json::to_string(new.design)
            .map_err(|error| StoreError::Unreadable { what: "design", detail: error.to_string() })?;
        let stops = new.stops.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
        let calibration = serde_json::to_string(&new.calibration.1)
            .map_err(|error| StoreError::Unreadable { what: "experience", detail: error.to_string() })?;
        let mut tx = self.pool.begin().await?;
        // The workshop's row is the lock under which run numbers are given out.
        sqlx::query("SELECT id FROM workshops WHERE id = ? FOR UPDATE")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let last: Option<u32> = sqlx::query_scalar("SELECT MAX(number) FROM runs WHERE workshop_id = ?")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let done = sqlx::query(
            "INSERT INTO runs (workshop_id, number, client_key, revision_id, spool_id, operator_id, planned_turns, \
             stops, document, remark, traveller, winder_id, calibration_id, calibration, created_by, created_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, COALESCE(?, UTC_TIMESTAMP(6)))",
        )
        .bind(workshop)
        .bind(last.unwrap_or(0) + 1)
        .bind(new.key.as_str())
        .bind(new.revision)
        .bind(new.spool)
        .bind(new.operator)
        .bind(new.planned_turns)
        .bind(stops)
        .bind(document)
        .bind(new.remark)
        .bind(crate::event::written(new.traveller)?)
        .bind(new.winder)
        .bind(new.calibration.0)
        .bind(calibration)
        .bind(by)
        .bind(new.at)
        .execute(&mut *tx)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(done) => {
                let run = RunId(done.last_insert_id());
                if let Some(judgement) = new.judgement {
                    crate::logbook::write_summary_on(&mut tx, self.workshop, run, judgement).await?;
                }
                tx.commit().await?;
                Ok(run)
            }
            Err(StoreError::Taken(index)) if index == "runs_client_key" => {
                tx.rollback().await?;
                self.run_by_key(&new.key).await?.ok_or(StoreError::Missing("run"))
            }
            Err(error) => Err(error),
        }
    }

    async fn run_by_key(&self, key: &ClientKey) -> Result<Option<RunId>, StoreError> {
        let workshop = self.workshop;
        let found: Option<u64> =
            sqlx::query_scalar("SELECT id FROM runs WHERE workshop_id = ? AND client_key = ?")
                .bind(workshop)
                .bind(key.as_str())
                .fetch_optional(&self.pool)
                .await?;
        Ok(found.map(RunId))
    }

    /// One run with its document.
    pub async fn run(&self, id: RunId) -> Result<Run, StoreError> {
        let workshop = self.workshop;
        let row: RunRow = sqlx::query_as(run_columns!("WHERE u.workshop_id = ? AND u.id = ?"))
            .bind(workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("run"))?;
        let (document, calibration): (String, Option<String>) =
            sqlx::query_as("SELECT document, calibration FROM runs WHERE id = ? AND workshop_id = ?")
                .bind(id)
                .bind(workshop)
                .fetch_one(&self.pool)
                .await?;
        let calibration =
            calibration.map_or_else(|| Ok(Calibration::default()), |text| serde_json::from_str(&text));
        let calibration = calibration
            .map_err(|error| StoreError::Unreadable { what: "experience", detail: error.to_string() })?;
        Ok(Run { row, design: parse_document(&document)?, calibration })
    }

    /// Runs of a workshop that pass the filter, up to 2,000.
    pub async fn runs(&self, filter: &RunFilter) -> Result<Vec<RunRow>, StoreError> {
        let workshop = self.workshop;
        let mut found: Vec<RunRow> = sqlx::query_as(run_columns!(
            "WHERE u.workshop_id = ? \
             AND (? = '' OR LOCATE(?, r.name) > 0 OR LOCATE(?, COALESCE(s.label, '')) > 0 OR LOCATE(?, p.name) > 0) \
             AND (? = '' OR COALESCE(v.level, 'waiting') = ?) AND (? = 0 OR r.design_id = ?) \
             ORDER BY u.id DESC LIMIT 2000"
        ))
        .bind(workshop)
        .bind(&filter.search)
        .bind(&filter.search)
        .bind(&filter.search)
        .bind(&filter.search)
        .bind(&filter.level)
        .bind(&filter.level)
        .bind(filter.design.map_or(0, |d| d.0))
        .bind(filter.design.map_or(0, |d| d.0))
        .fetch_all(&self.pool)
        .await?;
        match filter.order {
            RunOrder::Newest => {}
            RunOrder::Oldest => found.reverse(),
            RunOrder::Design => found.sort_by_key(|run| run.design.to_lowercase()),
            RunOrder::Operator => found.sort_by_key(|run| run.operator.to_lowercase()),
        }
        Ok(found)
    }
}
