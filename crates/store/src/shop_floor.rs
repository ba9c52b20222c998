//! What goes on in the shop beside its runs: operations that were begun, what is pinned in the plan, what is broken or away, and the plan
//! that people last saw.

use crate::audit::{AuditAction, Snapshot};
use crate::{ClientKey, OrderId, OutageId, PersonId, RunId, StoreError, WorkshopStore};
use sqlx::{FromRow, MySqlConnection};
use time::PrimitiveDateTime;

/// How an outage stands, for the trail of changes.
const OUTAGE: &str = "SELECT resource, JSON_OBJECT('reason', reason, 'from', CAST(from_at AS CHAR), \
     'until', CAST(until_at AS CHAR), 'ended', IF(ended_at IS NULL, 'no', 'yes')) \
     FROM outages WHERE workshop_id = ? AND id = ? FOR UPDATE";

/// An operation that somebody began and that is not signed.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct RunningOperation {
    /// Its run.
    pub run_id: RunId,
    /// Its key in the traveller.
    pub operation: String,
    /// Who began it.
    pub person: String,
    /// The winder of its run.
    pub winder: Option<String>,
    /// When, UTC.
    pub started_at: PrimitiveDateTime,
}

/// Where somebody pinned an operation.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct PlanPin {
    /// The job: `run:` or `order:` with its numbers.
    pub job: String,
    /// The operation's key.
    pub operation: String,
    /// When it begins, by the shop's clock.
    pub starts_at: PrimitiveDateTime,
    /// What it holds, a name a line.
    pub resources: String,
}

/// Something that is broken, or somebody who is away.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct Outage {
    /// Which.
    pub id: OutageId,
    /// What: `winder:` or `person:` with its number, or `pot`.
    pub resource: String,
    /// Why.
    pub reason: String,
    /// From when on, by the shop's clock.
    pub from_at: PrimitiveDateTime,
    /// Until when, by the shop's clock; not known when absent.
    pub until_at: Option<PrimitiveDateTime>,
    /// Who reported it.
    pub by: String,
}

/// An outage to report.
#[derive(Clone, Copy, Debug)]
pub struct NewOutage<'a> {
    /// What.
    pub resource: &'a str,
    /// Why.
    pub reason: &'a str,
    /// From when on, by the shop's clock.
    pub from_at: PrimitiveDateTime,
    /// Until when; not known when absent.
    pub until_at: Option<PrimitiveDateTime>,
}

impl WorkshopStore {
    /// Notes that an operation is begun; one that runs already goes on.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such run.
    pub async fn begin_operation(&self, by: PersonId, run: RunId, operation: &str) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO operation_starts (workshop_id, run_id, operation, started_by) \
             SELECT u.workshop_id, u.id, ?, ? FROM runs u WHERE u.workshop_id = ? AND u.id = ? AND NOT EXISTS \
             (SELECT 1 FROM operation_starts s WHERE s.run_id = u.id AND s.operation = ? AND s.ended_at IS NULL)",
        )
        .bind(operation)
        .bind(by)
        .bind(self.workshop)
        .bind(run)
        .bind(operation)
        .execute(&mut *tx)
        .await?;
        if done.rows_affected() > 0 {
            let after = self.begun_snapshot(&mut tx, run, operation).await?;
            self.audit(by, AuditAction::Operation).write(&mut tx, None, after.as_ref()).await?;
            tx.commit().await?;
            return Ok(());
        }
        tx.rollback().await?;
        let known: Option<i32> = sqlx::query_scalar("SELECT 1 FROM runs WHERE workshop_id = ? AND id = ?")
            .bind(self.workshop)
            .bind(run)
            .fetch_optional(&self.pool)
            .await?;
        known.map(|_| ()).ok_or(StoreError::Missing("run"))
    }

    /// Takes back that an operation was begun: it was laid down before it was finished, and nobody learns from how long it took.
    pub async fn lay_down_operation(
        &self,
        by: PersonId,
        run: RunId,
        operation: &str,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let before = self.begun_snapshot(&mut tx, run, operation).await?;
        sqlx::query(
            "DELETE FROM operation_starts WHERE workshop_id = ? AND run_id = ? AND operation = ? AND ended_at IS NULL",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(operation)
        .execute(&mut *tx)
        .await?;
        self.audit(by, AuditAction::Operation).write(&mut tx, before.as_ref(), None).await?;
        tx.commit().await?;
        Ok(())
    }

    /// How an operation stands that was begun, for the trail of changes.
    async fn begun_snapshot(
        &self,
        connection: &mut MySqlConnection,
        run: RunId,
        operation: &str,
    ) -> Result<Option<Snapshot>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT CONCAT('run ', u.number, ', ', s.operation), JSON_OBJECT('begun', CAST(s.started_at AS CHAR), 'person', s.started_by) \
             FROM operation_starts s JOIN runs u ON u.id = s.run_id \
             WHERE s.workshop_id = ? AND s.run_id = ? AND s.operation = ? AND s.ended_at IS NULL FOR UPDATE",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(operation)
        .fetch_optional(connection)
        .await?)
    }

    /// The operations that run: begun and not signed, of runs that are under way; the one begun first, first.
    pub async fn running_operations(&self) -> Result<Vec<RunningOperation>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT s.run_id, s.operation, p.name AS person, i.name AS winder, s.started_at FROM operation_starts s \
             JOIN people p ON p.id = s.started_by JOIN runs u ON u.id = s.run_id LEFT JOIN instruments i ON i.id = u.winder_id \
             WHERE s.workshop_id = ? AND s.ended_at IS NULL AND u.closed_at IS NULL AND u.voided_at IS NULL ORDER BY s.id LIMIT 200",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Pins an operation, in place of where it was pinned before.
    pub async fn pin_operation(&self, by: PersonId, pin: &PlanPin) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let before = self.pin_snapshot(&mut tx, &pin.job, &pin.operation).await?;
        sqlx::query(
            "INSERT INTO plan_pins (workshop_id, job, operation, starts_at, resources, pinned_by) VALUES (?, ?, ?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE starts_at = VALUES(starts_at), resources = VALUES(resources), pinned_by = VALUES(pinned_by)",
        )
        .bind(self.workshop)
        .bind(&pin.job)
        .bind(&pin.operation)
        .bind(pin.starts_at)
        .bind(&pin.resources)
        .bind(by)
        .execute(&mut *tx)
        .await?;
        let after = self.pin_snapshot(&mut tx, &pin.job, &pin.operation).await?;
        self.audit(by, AuditAction::Pin).write(&mut tx, before.as_ref(), after.as_ref()).await?;
        tx.commit().await?;
        Ok(())
    }

    /// How a pin stands, for the trail of changes.
    async fn pin_snapshot(
        &self,
        connection: &mut MySqlConnection,
        job: &str,
        operation: &str,
    ) -> Result<Option<Snapshot>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT CONCAT(job, ', ', operation), JSON_OBJECT('from', CAST(starts_at AS CHAR), 'with', resources) \
             FROM plan_pins WHERE workshop_id = ? AND job = ? AND operation = ? FOR UPDATE",
        )
        .bind(self.workshop)
        .bind(job)
        .bind(operation)
        .fetch_optional(connection)
        .await?)
    }

    /// Takes the pin off an operation.
    pub async fn unpin_operation(&self, by: PersonId, job: &str, operation: &str) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let before = self.pin_snapshot(&mut tx, job, operation).await?;
        sqlx::query("DELETE FROM plan_pins WHERE workshop_id = ? AND job = ? AND operation = ?")
            .bind(self.workshop)
            .bind(job)
            .bind(operation)
            .execute(&mut *tx)
            .await?;
        self.audit(by, AuditAction::Pin).write(&mut tx, before.as_ref(), None).await?;
        tx.commit().await?;
        Ok(())
    }

    /// What is pinned, the earliest first, up to 500.
    pub async fn plan_pins(&self) -> Result<Vec<PlanPin>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT job, operation, starts_at, resources FROM plan_pins WHERE workshop_id = ? ORDER BY starts_at, job LIMIT 500",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// What was pinned of a pickup that an order asks for holds for its run, once there is one.
    pub async fn move_pins(&self, order: OrderId, pickup: usize, run: RunId) -> Result<(), StoreError> {
        sqlx::query("UPDATE IGNORE plan_pins SET job = ? WHERE workshop_id = ? AND job = ?")
            .bind(format!("run:{run}"))
            .bind(self.workshop)
            .bind(format!("order:{order}:{pickup}"))
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Reports that something is broken, or somebody away; the same key again reports nothing more.
    pub async fn report_outage(
        &self,
        by: PersonId,
        key: &ClientKey,
        new: &NewOutage<'_>,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO outages (workshop_id, client_key, resource, reason, from_at, until_at, reported_by) VALUES (?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(key.as_str())
        .bind(new.resource)
        .bind(new.reason)
        .bind(new.from_at)
        .bind(new.until_at)
        .bind(by)
        .execute(&mut *tx)
        .await;
        let audit = self.audit(by, AuditAction::Outage);
        self.commit_added(tx, audit, OUTAGE, ("outages", key), done).await.map(drop)
    }

    /// Notes that it is there again.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn end_outage(&self, by: PersonId, id: OutageId) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Outage, ("outage", OUTAGE), id.0).await?;
        sqlx::query(
            "UPDATE outages SET ended_at = COALESCE(ended_at, UTC_TIMESTAMP(6)) WHERE workshop_id = ? AND id = ?",
        )
        .bind(self.workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }

    /// What is broken or away, or will be, at a moment of the shop's clock, the latest report first.
    pub async fn outages(&self, now: PrimitiveDateTime) -> Result<Vec<Outage>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT o.id, o.resource, o.reason, o.from_at, o.until_at, p.name AS `by` FROM outages o JOIN people p ON p.id = o.reported_by \
             WHERE o.workshop_id = ? AND o.ended_at IS NULL AND (o.until_at IS NULL OR o.until_at > ?) ORDER BY o.id DESC LIMIT 100",
        )
        .bind(self.workshop)
        .bind(now)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The plan that people last saw: since when, UTC, and its document.
    pub async fn plan_baseline(&self) -> Result<Option<(PrimitiveDateTime, String)>, StoreError> {
        Ok(sqlx::query_as("SELECT made_at, document FROM plan_baselines WHERE workshop_id = ?")
            .bind(self.workshop)
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Adds to the plan that people saw, as of when they saw it.
    pub async fn keep_plan_baseline_as_of(&self, document: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE plan_baselines SET document = ? WHERE workshop_id = ?")
            .bind(document)
            .bind(self.workshop)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Keeps the plan that people saw where none is kept; by somebody who marks it as seen, with a line, in place of the one before.
    pub async fn keep_plan_baseline(
        &self,
        document: &str,
        seen_by: Option<PersonId>,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        sqlx::query(if seen_by.is_some() {
            "INSERT INTO plan_baselines (workshop_id, document) VALUES (?, ?) \
             ON DUPLICATE KEY UPDATE document = VALUES(document), made_at = UTC_TIMESTAMP(6)"
        } else {
            "INSERT IGNORE INTO plan_baselines (workshop_id, document) VALUES (?, ?)"
        })
        .bind(self.workshop)
        .bind(document)
        .execute(&mut *transaction)
        .await?;
        if let Some(by) = seen_by {
            self.audit(by, AuditAction::Plan).note(&mut transaction, "plan", "seen").await?;
        }
        transaction.commit().await?;
        Ok(())
    }
}
