//! The second factor of a person: the secret that their authenticator shares, and codes for when it is lost.

use crate::audit::{AuditAction, snapshot};
use crate::person::{PERSON_SNAPSHOT, end_sessions_on};
use crate::{PersonId, Store, StoreError, WorkshopStore};

impl Store {
    /// Everybody's secrets as they are kept, with whose they are.
    pub async fn second_factors(&self) -> Result<Vec<(PersonId, String)>, StoreError> {
        let all = sqlx::query_as("SELECT id, totp_secret FROM people WHERE totp_secret IS NOT NULL");
        Ok(all.fetch_all(&self.pool).await?)
    }

    /// Keeps a person's secret in another way, where it is still kept as `before`; it stays the same secret.
    pub async fn rekeep_second_factor(
        &self,
        person: PersonId,
        before: &str,
        after: &str,
    ) -> Result<(), StoreError> {
        sqlx::query("UPDATE people SET totp_secret = ? WHERE id = ? AND totp_secret = ?")
            .bind(after)
            .bind(person)
            .bind(before)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// A person's secret as it is kept; `None` where they have no second factor.
    pub async fn second_factor(&self, person: PersonId) -> Result<Option<String>, StoreError> {
        Ok(sqlx::query_scalar("SELECT totp_secret FROM people WHERE id = ? AND totp_secret IS NOT NULL")
            .bind(person)
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Uses a time step, once; returns whether it was still unused. A code that somebody read over a shoulder is worth nothing
    /// after it was typed.
    pub async fn use_time_step(&self, person: PersonId, step: u64) -> Result<bool, StoreError> {
        let done = sqlx::query("UPDATE people SET totp_step = ? WHERE id = ? AND COALESCE(totp_step, 0) < ?")
            .bind(step)
            .bind(person)
            .bind(step)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Uses a recovery code, once; returns whether it was one of the person's that was unused.
    pub async fn use_recovery_code(
        &self,
        person: PersonId,
        code_hash: &[u8; 32],
    ) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "UPDATE recovery_codes SET used_at = UTC_TIMESTAMP(6) \
             WHERE code_hash = ? AND person_id = ? AND used_at IS NULL",
        )
        .bind(&code_hash[..])
        .bind(person)
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected() > 0)
    }
}

impl WorkshopStore {
    /// Sets a person's second factor with its recovery codes, or takes it away, and ends their sessions but the one of that
    /// name; `by` is `None` on the command line.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such person.
    pub async fn set_second_factor(
        &self,
        by: Option<PersonId>,
        person: PersonId,
        secret: Option<(&str, &[[u8; 32]])>,
        session: &str,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, PERSON_SNAPSHOT, self.workshop, person.0).await?;
        let before = before.ok_or(StoreError::Missing("person"))?;
        sqlx::query("UPDATE people SET totp_secret = ?, totp_step = NULL WHERE id = ?")
            .bind(secret.map(|(secret, _)| secret))
            .bind(person)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("DELETE FROM recovery_codes WHERE person_id = ?")
            .bind(person)
            .execute(&mut *transaction)
            .await?;
        for hash in secret.map_or(&[][..], |(_, codes)| codes) {
            sqlx::query("INSERT INTO recovery_codes (code_hash, person_id) VALUES (?, ?)")
                .bind(&hash[..])
                .bind(person)
                .execute(&mut *transaction)
                .await?;
        }
        end_sessions_on(&mut transaction, person, session).await?;
        let audit = self.audit(by.unwrap_or(person), AuditAction::Person);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, person.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// How many recovery codes a person has left.
    pub async fn recovery_codes_left(&self, person: PersonId) -> Result<i64, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT COUNT(*) FROM recovery_codes c JOIN people p ON p.id = c.person_id \
             WHERE p.workshop_id = ? AND p.id = ? AND c.used_at IS NULL",
        )
        .bind(self.workshop)
        .bind(person)
        .fetch_one(&self.pool)
        .await?)
    }
}
