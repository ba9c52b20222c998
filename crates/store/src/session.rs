//! Server-side sessions: the browser holds a random key, the table its hash and the state.

use crate::{Store, StoreError};
use time::{Duration, OffsetDateTime, PrimitiveDateTime};

impl Store {
    /// The state of a session that has not expired.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, StoreError> {
        let found = sqlx::query_scalar(
            "SELECT state FROM sessions WHERE key_hash = ? AND expires_at > UTC_TIMESTAMP(6)",
        )
        .bind(&key_hash[..])
        .fetch_optional(&self.pool)
        .await?;
        Ok(found)
    }

    /// Writes a session's state and its new end.
    pub async fn put_session(
        &self,
        key_hash: &[u8; 32],
        state: &str,
        lasts: Duration,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO sessions (key_hash, state, expires_at) VALUES (?, ?, ?) \
             ON DUPLICATE KEY UPDATE state = VALUES(state), expires_at = VALUES(expires_at)",
        )
        .bind(&key_hash[..])
        .bind(state)
        .bind(end_of(lasts))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Moves a session's end.
    pub async fn prolong_session(&self, key_hash: &[u8; 32], lasts: Duration) -> Result<(), StoreError> {
        sqlx::query("UPDATE sessions SET expires_at = ? WHERE key_hash = ?")
            .bind(end_of(lasts))
            .bind(&key_hash[..])
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Ends a session.
    pub async fn end_session(&self, key_hash: &[u8; 32]) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM sessions WHERE key_hash = ?")
            .bind(&key_hash[..])
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Removes expired sessions and returns how many.
    pub async fn sweep_sessions(&self) -> Result<u64, StoreError> {
        let done = sqlx::query("DELETE FROM sessions WHERE expires_at <= UTC_TIMESTAMP(6)")
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }
}

fn end_of(lasts: Duration) -> PrimitiveDateTime {
    let end = OffsetDateTime::now_utc() + lasts;
    PrimitiveDateTime::new(end.date(), end.time())
}
