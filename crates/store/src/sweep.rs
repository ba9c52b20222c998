//! Measured responses.

use crate::{ClientKey, PersonId, RevisionId, RunId, StoreError, SweepId, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::sweep::Sweep;

/// A sweep as lists need it.
#[derive(Clone, Debug, FromRow)]
pub struct SweepRow {
    /// Number in the database.
    pub id: SweepId,
    /// The revision that the pickup was wound from.
    pub revision_id: RevisionId,
    /// The run that it was taken in.
    pub run_id: Option<RunId>,
    /// What it is called.
    pub label: String,
    /// Who took it.
    pub by: String,
    /// When, UTC.
    pub taken_at: PrimitiveDateTime,
    points: String,
}

impl SweepRow {
    /// The points.
    pub fn sweep(&self) -> Result<Sweep, StoreError> {
        serde_json::from_str(&self.points)
            .map_err(|error| StoreError::Unreadable { what: "sweep", detail: error.to_string() })
    }
}

/// A sweep to keep.
#[derive(Clone, Debug)]
pub struct NewSweep<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// The revision that the pickup was wound from.
    pub revision: RevisionId,
    /// The run that it was taken in.
    pub run: Option<RunId>,
    /// What it is called.
    pub label: &'a str,
    /// The points.
    pub sweep: &'a Sweep,
    /// When; now when absent.
    pub at: Option<PrimitiveDateTime>,
}

macro_rules! sweep_columns {
    ($rest:literal) => {
        concat!(
            "SELECT s.id, s.revision_id, s.run_id, s.label, p.name AS `by`, s.taken_at, s.points \
             FROM sweeps s JOIN people p ON p.id = s.taken_by ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// Keeps a sweep; the same key again keeps nothing more.
    pub async fn add_sweep(&self, by: PersonId, new: &NewSweep<'_>) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let points = serde_json::to_string(new.sweep)
            .map_err(|error| StoreError::Unreadable { what: "sweep", detail: error.to_string() })?;
        let done = sqlx::query(
            "INSERT INTO sweeps (workshop_id, client_key, revision_id, run_id, label, points, taken_by, taken_at) \
             SELECT r.workshop_id, ?, r.id, ?, ?, ?, ?, COALESCE(?, CURRENT_TIMESTAMP(6)) FROM revisions r \
             WHERE r.workshop_id = ? AND r.id = ?",
        )
        .bind(new.key.as_str())
        .bind(new.run)
        .bind(new.label)
        .bind(points)
        .bind(by)
        .bind(new.at)
        .bind(workshop)
        .bind(new.revision)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(done) if done.rows_affected() == 0 => Err(StoreError::Missing("revision")),
            Ok(_) => Ok(()),
            Err(StoreError::Taken(index)) if index == "sweeps_client_key" => Ok(()),
            Err(error) => Err(error),
        }
    }

    /// Sweeps of a workshop, newest first; of one revision when it is given.
    pub async fn sweeps(&self, revision: Option<RevisionId>) -> Result<Vec<SweepRow>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(sweep_columns!(
            "WHERE s.workshop_id = ? AND (? IS NULL OR s.revision_id = ?) ORDER BY s.taken_at DESC, s.id DESC LIMIT 200"
        ))
        .bind(workshop)
        .bind(revision)
        .bind(revision)
        .fetch_all(&self.pool)
        .await?)
    }
}
