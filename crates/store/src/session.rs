//! Server-side sessions: the browser holds a random key, the table its hash, the state, and whose it is.

use crate::{PersonId, Store, StoreError};
use sqlx::FromRow;
use time::{Duration, OffsetDateTime, PrimitiveDateTime};

/// A session to write.
#[derive(Clone, Debug)]
pub struct NewSession<'a> {
    /// SHA-256 of the key that the browser holds.
    pub key_hash: &'a [u8; 32],
    /// The state, as text.
    pub state: &'a str,
    /// Whose it is; `None` where nobody is signed in.
    pub person: Option<PersonId>,
    /// What it is called in lists, 32 hexadecimal digits: not its key.
    pub public_id: Option<&'a str>,
    /// The address that it was begun from.
    pub address: &'a str,
    /// The browser that it was begun with, as it calls itself.
    pub agent: &'a str,
    /// How long it lasts from now when it rests.
    pub lasts: Duration,
}

/// A session as its owner sees it.
#[derive(Clone, Debug, FromRow)]
pub struct SessionRow {
    /// What it is called.
    pub public_id: String,
    /// Since when, UTC.
    pub created_at: PrimitiveDateTime,
    /// When it was used last, to the minute, UTC.
    pub seen_at: PrimitiveDateTime,
    /// The address that it was begun from.
    pub address: String,
    /// The browser that it was begun with.
    pub agent: String,
}

impl Store {
    /// The state of a session that has not expired and is no older than `at_most`.
    pub async fn session_state(
        &self,
        key_hash: &[u8; 32],
        at_most: Duration,
    ) -> Result<Option<String>, StoreError> {
        let found = sqlx::query_scalar(
            "SELECT state FROM sessions WHERE key_hash = ? AND expires_at > UTC_TIMESTAMP(6) AND created_at > ?",
        )
        .bind(&key_hash[..])
        .bind(from_now(-at_most))
        .fetch_optional(&self.pool)
        .await?;
        Ok(found)
    }

    /// Writes a session's state and its new end; whose it is and where it was begun stay as they were.
    pub async fn put_session(&self, new: &NewSession<'_>) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO sessions (key_hash, state, person_id, public_id, address, agent, expires_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE state = VALUES(state), expires_at = VALUES(expires_at)",
        )
        .bind(&new.key_hash[..])
        .bind(new.state)
        .bind(new.person)
        .bind(new.public_id)
        .bind(new.address)
        .bind(new.agent)
        .bind(from_now(new.lasts))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Moves a session's end: it was used now.
    pub async fn prolong_session(&self, key_hash: &[u8; 32], lasts: Duration) -> Result<(), StoreError> {
        sqlx::query("UPDATE sessions SET expires_at = ?, seen_at = UTC_TIMESTAMP(6) WHERE key_hash = ?")
            .bind(from_now(lasts))
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

    /// Whether the session of that name is open.
    pub async fn is_session_open(&self, public_id: &str, at_most: Duration) -> Result<bool, StoreError> {
        let found: Option<i32> = sqlx::query_scalar(
            "SELECT 1 FROM sessions WHERE public_id = ? AND expires_at > UTC_TIMESTAMP(6) AND created_at > ?",
        )
        .bind(public_id)
        .bind(from_now(-at_most))
        .fetch_optional(&self.pool)
        .await?;
        Ok(found.is_some())
    }

    /// A person's open sessions, the last used first.
    pub async fn sessions_of(
        &self,
        person: PersonId,
        at_most: Duration,
    ) -> Result<Vec<SessionRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT public_id, created_at, seen_at, address, agent FROM sessions \
             WHERE person_id = ? AND public_id IS NOT NULL AND expires_at > UTC_TIMESTAMP(6) AND created_at > ? \
             ORDER BY seen_at DESC, public_id LIMIT 200",
        )
        .bind(person)
        .bind(from_now(-at_most))
        .fetch_all(&self.pool)
        .await?)
    }

    /// Ends one session of a person's; returns whether there was one.
    pub async fn end_session_of(&self, person: PersonId, public_id: &str) -> Result<bool, StoreError> {
        let done = sqlx::query("DELETE FROM sessions WHERE person_id = ? AND public_id = ?")
            .bind(person)
            .bind(public_id)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Ends all sessions of a person's but one; returns how many.
    pub async fn end_other_sessions_of(&self, person: PersonId, kept: &str) -> Result<u64, StoreError> {
        let done = sqlx::query("DELETE FROM sessions WHERE person_id = ? AND public_id <> ?")
            .bind(person)
            .bind(kept)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }

    /// Removes expired sessions, and those older than `at_most`; returns how many.
    pub async fn sweep_sessions(&self, at_most: Duration) -> Result<u64, StoreError> {
        let done =
            sqlx::query("DELETE FROM sessions WHERE expires_at <= UTC_TIMESTAMP(6) OR created_at <= ?")
                .bind(from_now(-at_most))
                .execute(&self.pool)
                .await?;
        Ok(done.rows_affected())
    }
}

fn from_now(by: Duration) -> PrimitiveDateTime {
    let end = OffsetDateTime::now_utc() + by;
    PrimitiveDateTime::new(end.date(), end.time())
}
