//! Winding runs.

use crate::submission::added_once;
use crate::{
    CalibrationId, ClientKey, DesignId, InstrumentId, PersonId, RevisionId, RunId, SpoolId, StoreError,
    Stored, TurnList, WorkshopStore,
};
use coil::design::Design;
use coil::prediction::Calibration;
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::comparison::Comparison;
use trade::comparison::TolerancePolicy;
use trade::judgement::Judgement;
use trade::traveller::Traveller;
use trade::verdict::{Level, Verdict};

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
    /// Where to stop and look, in turns on the coil.
    pub stops: TurnList,
    /// Remark of the start.
    pub remark: String,
    /// Why it was wound of other wire than the design names; empty where it was not.
    pub other_wire: String,
    /// When it was started, UTC.
    pub created_at: PrimitiveDateTime,
    /// When it was voided, UTC.
    pub voided_at: Option<PrimitiveDateTime>,
    /// Level of the last verdict.
    pub level: Option<Stored<Level>>,
    /// Words of the last verdict.
    pub verdict: Option<String>,
    /// The last verdict's comparisons, JSON.
    pub comparisons: Option<String>,
    /// The last verdict's causes, JSON; none in verdicts of older versions.
    pub causes: Option<String>,
    /// What the last verdict says is not as asked, JSON; none in verdicts of older versions.
    pub missed: Option<String>,
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

impl RunRow {
    /// The level of the last verdict.
    #[must_use]
    pub fn verdict_level(&self) -> Option<Level> {
        self.level.map(|level| level.0)
    }

    /// The last verdict as it was recorded; `None` before there is one.
    pub fn stored_verdict(&self) -> Result<Option<Verdict>, StoreError> {
        let (Some(level), Some(text)) = (self.verdict_level(), self.verdict.clone()) else { return Ok(None) };
        let causes = parse("cause", self.causes.as_deref())?.unwrap_or_default();
        let missed = parse("missed target", self.missed.as_deref())?.unwrap_or_default();
        Ok(Some(Verdict { level, text, causes, missed }))
    }

    /// What the last verdict was based on.
    pub fn stored_comparisons(&self) -> Result<Vec<Comparison>, StoreError> {
        Ok(parse("comparison", self.comparisons.as_deref())?.unwrap_or_default())
    }
}

fn parse<T: serde::de::DeserializeOwned>(
    what: &'static str,
    text: Option<&str>,
) -> Result<Option<T>, StoreError> {
    text.map(serde_json::from_str)
        .transpose()
        .map_err(|error| StoreError::Unreadable { what, detail: error.to_string() })
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
    /// How far it may lie from that: fixed when it was started as well.
    pub tolerance: TolerancePolicy,
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
    /// Why other wire is taken than the design names; empty where it is not.
    pub other_wire: &'a str,
    /// The operations that it follows.
    pub traveller: &'a Traveller,
    /// The winder that it is wound on.
    pub winder: Option<InstrumentId>,
    /// What the workshop's coils have shown so far, with its version.
    pub calibration: (Option<CalibrationId>, Calibration),
    /// How far it may lie from that.
    pub tolerance: TolerancePolicy,
    /// How it stands before anything was read; without it the row in the logbook is left to be written later.
    pub judgement: Option<&'a Judgement>,
    /// The coils, wound by themselves, that it is assembled of; none where it is wound as a whole.
    pub coils: &'a [RunId],
    /// When; now when absent.
    pub at: Option<PrimitiveDateTime>,
}

macro_rules! run_columns {
    ($rest:literal) => {
        concat!(
            "SELECT u.id, u.number, u.revision_id, r.design_id, r.name AS design, r.number AS revision, \
             s.label AS spool, p.name AS operator, u.planned_turns, u.stops, u.remark, u.other_wire, u.created_at, u.voided_at, \
             v.level, v.text AS verdict, v.comparisons, v.causes, v.missed, v.engine, u.spool_id, u.operator_id, u.winder_id, i.name AS winder, \
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
        if let Some(started) = self.number_by_key("runs", &new.key).await?.map(RunId) {
            return Ok(started);
        }
        let document = serde_json::to_string(new.design)
            .map_err(|error| StoreError::Unreadable { what: "design", detail: error.to_string() })?;
        let calibration = serde_json::to_string(&new.calibration.1)
            .map_err(|error| StoreError::Unreadable { what: "calibration", detail: error.to_string() })?;
        let mut tx = self.pool.begin().await?;
        let number = first_of_next_numbers(&mut tx, workshop, 1).await?;
        let done = sqlx::query(
            "INSERT INTO runs (workshop_id, number, client_key, revision_id, spool_id, operator_id, planned_turns, \
             stops, document, remark, other_wire, traveller, winder_id, calibration_id, calibration, control_sd, created_by, created_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, COALESCE(?, UTC_TIMESTAMP(6)))",
        )
        .bind(workshop)
        .bind(number)
        .bind(new.key.as_str())
        .bind(new.revision)
        .bind(new.spool)
        .bind(new.operator)
        .bind(new.planned_turns)
        .bind(TurnList(new.stops.to_vec()))
        .bind(document)
        .bind(new.remark)
        .bind(new.other_wire)
        .bind(crate::event::written(new.traveller)?)
        .bind(new.winder)
        .bind(new.calibration.0)
        .bind(calibration)
        .bind(new.tolerance.control_sd)
        .bind(by)
        .bind(new.at)
        .execute(&mut *tx)
        .await;
        let Some(done) = added_once("runs", done)? else {
            tx.rollback().await?;
            return Ok(RunId(self.known_number("runs", &new.key).await?));
        };
        let run = RunId(done.last_insert_id());
        for coil in new.coils {
            sqlx::query("INSERT INTO run_coils (run_id, workshop_id, whole_id) VALUES (?, ?, ?)")
                .bind(coil)
                .bind(workshop)
                .bind(run)
                .execute(&mut *tx)
                .await
                .map_err(StoreError::from)?;
        }
        if let Some(judgement) = new.judgement {
            crate::logbook::write_summary_on(&mut tx, self.workshop, run, judgement).await?;
            crate::verdict::write_prediction_on(&mut tx, self.workshop, run, judgement).await?;
        }
        tx.commit().await?;
        Ok(run)
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
        let (document, calibration, control_sd): (String, Option<String>, f64) = sqlx::query_as(
            "SELECT document, calibration, control_sd FROM runs WHERE id = ? AND workshop_id = ?",
        )
        .bind(id)
        .bind(workshop)
        .fetch_one(&self.pool)
        .await?;
        let calibration =
            calibration.map_or_else(|| Ok(Calibration::default()), |text| serde_json::from_str(&text));
        let calibration = calibration
            .map_err(|error| StoreError::Unreadable { what: "calibration", detail: error.to_string() })?;
        let tolerance = TolerancePolicy { control_sd };
        Ok(Run { row, design: self.documents.design(&document)?, calibration, tolerance })
    }

    /// The runs of a design, newest first, up to 200.
    pub async fn runs_of_design(&self, design: DesignId) -> Result<Vec<RunRow>, StoreError> {
        Ok(sqlx::query_as(run_columns!(
            "WHERE u.workshop_id = ? AND r.design_id = ? ORDER BY u.id DESC LIMIT 200"
        ))
        .bind(self.workshop)
        .bind(design)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Voids a run that was begun by mistake: it stays with its log, read-only, and is counted nowhere.
    /// Its winder is free. Answers whether it was not void before.
    pub async fn void_run(&self, by: PersonId, run: RunId, reason: &str) -> Result<bool, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let done = sqlx::query(
            "UPDATE runs SET voided_at = UTC_TIMESTAMP(6), voided_by = ?, void_reason = ? \
             WHERE workshop_id = ? AND id = ? AND voided_at IS NULL",
        )
        .bind(by)
        .bind(reason)
        .bind(self.workshop)
        .bind(run)
        .execute(&mut *transaction)
        .await?;
        if done.rows_affected() == 0 {
            return Ok(false);
        }
        let void = Stored(Level::Void);
        sqlx::query(
            "INSERT INTO verdicts (workshop_id, run_id, level, text, comparisons, causes, engine, requested_by) \
             VALUES (?, ?, ?, ?, '[]', '[]', ?, ?)",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(void)
        .bind(reason)
        .bind(coil::ENGINE)
        .bind(by)
        .execute(&mut *transaction)
        .await?;
        sqlx::query("UPDATE logbook SET level = ?, verdict = ? WHERE workshop_id = ? AND run_id = ?")
            .bind(void)
            .bind(reason)
            .bind(self.workshop)
            .bind(run)
            .execute(&mut *transaction)
            .await?;
        sqlx::query(
            "UPDATE instruments SET counts_run_id = NULL WHERE workshop_id = ? AND counts_run_id = ?",
        )
        .bind(self.workshop)
        .bind(run)
        .execute(&mut *transaction)
        .await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// Takes a run back that was voided; it is to be judged anew then. Answers whether it was void.
    pub async fn unvoid_run(&self, run: RunId) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "UPDATE runs SET voided_at = NULL, voided_by = NULL, void_reason = '' \
             WHERE workshop_id = ? AND id = ? AND voided_at IS NOT NULL",
        )
        .bind(self.workshop)
        .bind(run)
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected() == 1)
    }

    /// The runs of a revision, newest first, up to 200.
    pub async fn runs_of_revision(&self, revision: RevisionId) -> Result<Vec<RunRow>, StoreError> {
        Ok(sqlx::query_as(run_columns!(
            "WHERE u.workshop_id = ? AND u.revision_id = ? ORDER BY u.id DESC LIMIT 200"
        ))
        .bind(self.workshop)
        .bind(revision)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Runs whose last verdict was judged by another version of the engine, oldest first.
    pub async fn runs_of_other_engines(&self) -> Result<Vec<RunId>, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT v.run_id FROM verdicts v JOIN (SELECT MAX(id) AS id FROM verdicts WHERE workshop_id = ? \
             GROUP BY run_id) m ON m.id = v.id WHERE v.engine <> ? AND v.level <> 'void' ORDER BY v.run_id",
        )
        .bind(self.workshop)
        .bind(coil::ENGINE)
        .fetch_all(&self.pool)
        .await?)
    }
}

/// Gives out the next `count` numbers for runs of a workshop, on a connection that is inside a transaction of the caller's: the
/// first of them. Who else asks waits until that transaction ends; one that is given up gives them back.
pub(crate) async fn first_of_next_numbers(
    connection: &mut sqlx::MySqlConnection,
    workshop: crate::WorkshopId,
    count: u32,
) -> Result<u32, StoreError> {
    sqlx::query(
        "INSERT INTO run_numbers (workshop_id, last_number) VALUES (?, ?) \
         ON DUPLICATE KEY UPDATE last_number = last_number + VALUES(last_number)",
    )
    .bind(workshop)
    .bind(count)
    .execute(&mut *connection)
    .await?;
    let last: u32 = sqlx::query_scalar("SELECT last_number FROM run_numbers WHERE workshop_id = ?")
        .bind(workshop)
        .fetch_one(&mut *connection)
        .await?;
    Ok(last + 1 - count)
}
