//! Matched sets: coils set aside for one another.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, PersonId, RunId, SetId, StoreError, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A coil in a set.
#[derive(Clone, Debug, FromRow)]
pub struct SetMember {
    /// The set.
    pub set_id: SetId,
    /// Its name.
    pub set_name: String,
    /// When it was made, UTC.
    pub made_at: PrimitiveDateTime,
    /// By whom.
    pub by: String,
    /// The coil's run.
    pub run_id: RunId,
    /// Its role.
    pub role: String,
    /// When the set was sold, UTC; none while it is reserved.
    pub sold_at: Option<PrimitiveDateTime>,
}

/// How a set stands, for the audit trail.
const STANDS: &str = "SELECT s.name, JSON_OBJECT('coils', COALESCE((SELECT GROUP_CONCAT(CONCAT(m.role, ': run ', u.number) \
     ORDER BY u.number SEPARATOR ', ') FROM matched_set_runs m JOIN runs u ON u.id = m.run_id WHERE m.set_id = s.id), ''), \
     'sold', s.sold_at IS NOT NULL) FROM matched_sets s WHERE s.workshop_id = ? AND s.id = ? FOR UPDATE";

impl WorkshopStore {
    /// Sets coils aside as one set; the same key again makes nothing more.
    ///
    /// A coil that is in another set is refused as taken.
    pub async fn make_set(
        &self,
        by: PersonId,
        key: &ClientKey,
        name: &str,
        coils: &[(RunId, &str)],
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let made = sqlx::query(
            "INSERT INTO matched_sets (workshop_id, client_key, name, made_by) VALUES (?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(key.as_str())
        .bind(name)
        .bind(by)
        .execute(&mut *tx)
        .await;
        let Some(made) = added_once("matched_sets", made)? else { return Ok(()) };
        let set = SetId(made.last_insert_id());
        for (run, role) in coils {
            let done = sqlx::query(
                "INSERT INTO matched_set_runs (run_id, workshop_id, set_id, role) SELECT u.id, u.workshop_id, ?, ? FROM runs u \
                 WHERE u.workshop_id = ? AND u.id = ?",
            )
            .bind(set)
            .bind(role)
            .bind(workshop)
            .bind(run)
            .execute(&mut *tx)
            .await?;
            if done.rows_affected() == 0 {
                return Err(StoreError::Missing("run"));
            }
        }
        tx.commit().await?;
        Ok(())
    }

    /// Marks a set as sold, or as reserved again.
    pub async fn mark_set_sold(&self, by: PersonId, id: SetId, is_sold: bool) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Set, ("set", STANDS), id.0).await?;
        sqlx::query(
            "UPDATE matched_sets SET sold_at = IF(?, COALESCE(sold_at, UTC_TIMESTAMP(6)), NULL) \
             WHERE workshop_id = ? AND id = ? AND dissolved_at IS NULL",
        )
        .bind(is_sold)
        .bind(self.workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }

    /// Dissolves a set: its coils are in stock again. What was sold is gone, and stays as it is.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when it was sold.
    pub async fn dissolve_set(&self, by: PersonId, id: SetId) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut change = self.begin_change(by, AuditAction::Set, ("set", STANDS), id.0).await?;
        let is_sold: bool = sqlx::query_scalar("SELECT sold_at IS NOT NULL FROM matched_sets WHERE id = ?")
            .bind(id)
            .fetch_one(&mut *change.tx)
            .await?;
        if is_sold {
            return Err(StoreError::Changed("set"));
        }
        sqlx::query("DELETE FROM matched_set_runs WHERE workshop_id = ? AND set_id = ?")
            .bind(workshop)
            .bind(id)
            .execute(&mut *change.tx)
            .await?;
        sqlx::query(
            "UPDATE matched_sets SET dissolved_at = COALESCE(dissolved_at, UTC_TIMESTAMP(6)) WHERE workshop_id = ? AND id = ?",
        )
        .bind(workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }

    /// Every coil that is in a set, newest set first.
    pub async fn set_members(&self) -> Result<Vec<SetMember>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT s.id AS set_id, s.name AS set_name, s.made_at, p.name AS `by`, c.run_id, c.role, s.sold_at FROM matched_set_runs c \
             JOIN matched_sets s ON s.id = c.set_id JOIN people p ON p.id = s.made_by WHERE c.workshop_id = ? \
             ORDER BY s.id DESC, c.run_id",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }
}
