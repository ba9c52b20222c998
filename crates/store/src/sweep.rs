//! Measured responses.

use crate::submission::added_once;
use crate::{ClientKey, DesignId, PersonId, RevisionId, RewindId, RunId, StoreError, SweepId, WorkshopStore};
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

/// Names of what can be laid over a response.
#[derive(Clone, Debug, Default)]
pub struct OverlayNames {
    /// The newest revisions of designs that are not archived, with name and number; the newest first, up to 500.
    pub revisions: Vec<(RevisionId, String, u32)>,
    /// The last sweeps, each under its design; up to 200.
    pub sweeps: Vec<(SweepId, String)>,
    /// Rewinds for which an explanation was settled on; the one changed last first, up to 100.
    pub rewinds: Vec<(RewindId, String)>,
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
        .await;
        match added_once("sweeps", done)? {
            Some(done) if done.rows_affected() == 0 => Err(StoreError::Missing("revision")),
            _ => Ok(()),
        }
    }

    /// One sweep.
    pub async fn sweep(&self, id: SweepId) -> Result<SweepRow, StoreError> {
        sqlx::query_as(sweep_columns!("WHERE s.workshop_id = ? AND s.id = ?"))
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("sweep"))
    }

    /// Names of what can be laid over a response, without documents and points.
    pub async fn overlay_names(&self) -> Result<OverlayNames, StoreError> {
        let rows: Vec<(i64, u64, String)> = sqlx::query_as(
            "(SELECT CAST(r.number AS SIGNED), r.id, r.name FROM designs d JOIN revisions r ON r.id = \
               (SELECT MAX(id) FROM revisions WHERE design_id = d.id AND NOT is_variant) \
               WHERE d.workshop_id = ? AND d.archived_at IS NULL ORDER BY r.id DESC LIMIT 500) \
             UNION ALL (SELECT 0, s.id, CONCAT(r.name, ' r', r.number, ': ', s.label) FROM sweeps s \
               JOIN revisions r ON r.id = s.revision_id WHERE s.workshop_id = ? \
               ORDER BY s.taken_at DESC, s.id DESC LIMIT 200) \
             UNION ALL (SELECT -1, id, name FROM rewinds WHERE workshop_id = ? AND archived_at IS NULL \
               AND state IN ('explained', 'designed') ORDER BY changed_at DESC, id DESC LIMIT 100)",
        )
        .bind(self.workshop)
        .bind(self.workshop)
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?;
        let mut names = OverlayNames::default();
        for (number, id, name) in rows {
            // Revisions are numbered from 1; what has no number is told apart by what is none.
            match u32::try_from(number) {
                Ok(0) => names.sweeps.push((SweepId(id), name)),
                Ok(number) => names.revisions.push((RevisionId(id), name, number)),
                Err(_) => names.rewinds.push((RewindId(id), name)),
            }
        }
        Ok(names)
    }

    /// Sweeps of all revisions of a design, newest first.
    pub async fn sweeps_of_design(&self, design: DesignId) -> Result<Vec<SweepRow>, StoreError> {
        Ok(sqlx::query_as(sweep_columns!(
            "JOIN revisions r ON r.id = s.revision_id WHERE s.workshop_id = ? AND r.design_id = ? \
             ORDER BY s.taken_at DESC, s.id DESC LIMIT 200"
        ))
        .bind(self.workshop)
        .bind(design)
        .fetch_all(&self.pool)
        .await?)
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

    /// The last sweeps of a run, up to `most`, the newest first.
    pub async fn sweeps_of_run(&self, run: RunId, most: u32) -> Result<Vec<SweepRow>, StoreError> {
        Ok(sqlx::query_as(sweep_columns!(
            "WHERE s.workshop_id = ? AND s.run_id = ? ORDER BY s.taken_at DESC, s.id DESC LIMIT ?"
        ))
        .bind(self.workshop)
        .bind(run)
        .bind(most)
        .fetch_all(&self.pool)
        .await?)
    }
}
