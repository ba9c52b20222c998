//! Timers: what dries, soaks or cools.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, PersonId, RunId, StoreError, TimerId, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A timer that was not taken off yet.
#[derive(Clone, Debug, FromRow)]
pub struct Timer {
    /// Number in the database.
    pub id: TimerId,
    /// The run that it is of.
    pub run_id: Option<RunId>,
    /// The run's number in the workshop.
    pub run_number: Option<u32>,
    /// The operation that it is of, by its key.
    pub operation: Option<String>,
    /// What it is of.
    pub label: String,
    /// How long.
    pub minutes: u32,
    /// When it was started, UTC.
    pub started_at: PrimitiveDateTime,
}

/// A timer to start.
#[derive(Clone, Debug)]
pub struct NewTimer<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// The run that it is of.
    pub run: Option<RunId>,
    /// The operation that it is of, by its key.
    pub operation: Option<&'a str>,
    /// What it is of.
    pub label: &'a str,
    /// How long.
    pub minutes: u32,
    /// When it began; now when absent.
    pub at: Option<PrimitiveDateTime>,
}

impl WorkshopStore {
    /// Starts a timer; the same key again starts nothing more.
    pub async fn start_timer(&self, by: PersonId, new: &NewTimer<'_>) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let done = sqlx::query(
            "INSERT INTO timers (workshop_id, client_key, run_id, operation, label, minutes, started_by, started_at) \
             VALUES (?, ?, (SELECT id FROM runs WHERE workshop_id = ? AND id = ?), ?, ?, ?, ?, \
             COALESCE(?, CURRENT_TIMESTAMP(6)))",
        )
        .bind(workshop)
        .bind(new.key.as_str())
        .bind(workshop)
        .bind(new.run)
        .bind(new.operation)
        .bind(new.label)
        .bind(new.minutes)
        .bind(by)
        .bind(new.at)
        .execute(&self.pool)
        .await;
        added_once("timers", done).map(drop)
    }

    /// The timers that are running or rang and were not taken off, the first due first.
    pub async fn timers(&self) -> Result<Vec<Timer>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT t.id, t.run_id, u.number AS run_number, t.operation, t.label, t.minutes, t.started_at \
             FROM timers t LEFT JOIN runs u ON u.id = t.run_id \
             WHERE t.workshop_id = ? AND t.ended_at IS NULL \
             ORDER BY DATE_ADD(t.started_at, INTERVAL t.minutes MINUTE), t.id LIMIT 50",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Takes a timer off.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn end_timer(&self, by: PersonId, id: TimerId) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT label, JSON_OBJECT('minutes', minutes, 'ended', IF(ended_at IS NULL, 'no', 'yes')) \
             FROM timers WHERE workshop_id = ? AND id = ? FOR UPDATE";
        let mut change = self.begin_change(by, AuditAction::Timer, ("timer", STANDS), id.0).await?;
        sqlx::query(
            "UPDATE timers SET ended_at = COALESCE(ended_at, CURRENT_TIMESTAMP(6)) WHERE workshop_id = ? AND id = ?",
        )
        .bind(self.workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }
}
