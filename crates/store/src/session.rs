//! Server-side sessions: the browser holds a random key, the table its hash, the state, and whose it is.

use crate::{PersonId, StationId, Store, StoreError};
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
    /// The shared station that it belongs to, whoever stands at it.
    pub station: Option<StationId>,
    /// What it is called in lists, 32 hexadecimal digits: not its key.
    pub public_id: Option<&'a str>,
    /// The address that it was begun from.
    pub address: &'a str,
    /// The browser that it was begun with, as it calls itself.
    pub agent: &'a str,
}

/// How long sessions last: one of a person's, and one of a shared station's.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SessionLimits {
    /// Of a person's: without being used, and at most.
    pub person: (Duration, Duration),
    /// Of a station's: without being used, and at most.
    pub station: (Duration, Duration),
}

impl SessionLimits {
    const fn idle(&self, station: Option<StationId>) -> Duration {
        if station.is_some() { self.station.0 } else { self.person.0 }
    }

    /// The earliest moments that a person's and a station's session may have been begun at.
    fn oldest(&self) -> (PrimitiveDateTime, PrimitiveDateTime) {
        (from_now(-self.person.1), from_now(-self.station.1))
    }
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

/// What holds for an open session; takes two earliest beginnings, of a person's and of a station's.
macro_rules! is_open {
    () => {
        "expires_at > UTC_TIMESTAMP(6) AND created_at > IF(station_id IS NULL, ?, ?)"
    };
}

impl Store {
    /// The state of a session that has not expired.
    pub async fn session_state(
        &self,
        key_hash: &[u8; 32],
        limits: &SessionLimits,
    ) -> Result<Option<String>, StoreError> {
        let (person, station) = limits.oldest();
        let found =
            sqlx::query_scalar(concat!("SELECT state FROM sessions WHERE key_hash = ? AND ", is_open!()))
                .bind(&key_hash[..])
                .bind(person)
                .bind(station)
                .fetch_optional(&self.pool)
                .await?;
        Ok(found)
    }

    /// Writes a session's state and its new end; whose it is and where it was begun stay as they were.
    pub async fn put_session(&self, new: &NewSession<'_>, limits: &SessionLimits) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO sessions (key_hash, state, person_id, station_id, public_id, address, agent, expires_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE state = VALUES(state), expires_at = VALUES(expires_at)",
        )
        .bind(&new.key_hash[..])
        .bind(new.state)
        // A station's session is nobody's: who stands at it changes, and none of them may end it.
        .bind(new.person.filter(|_| new.station.is_none()))
        .bind(new.station)
        .bind(new.public_id)
        .bind(new.address)
        .bind(new.agent)
        .bind(from_now(limits.idle(new.station)))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Moves a session's end: it was used now.
    pub async fn prolong_session(
        &self,
        key_hash: &[u8; 32],
        limits: &SessionLimits,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE sessions SET expires_at = IF(station_id IS NULL, ?, ?), seen_at = UTC_TIMESTAMP(6) \
             WHERE key_hash = ?",
        )
        .bind(from_now(limits.person.0))
        .bind(from_now(limits.station.0))
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
    pub async fn is_session_open(&self, public_id: &str, limits: &SessionLimits) -> Result<bool, StoreError> {
        let (person, station) = limits.oldest();
        let found: Option<i32> =
            sqlx::query_scalar(concat!("SELECT 1 FROM sessions WHERE public_id = ? AND ", is_open!()))
                .bind(public_id)
                .bind(person)
                .bind(station)
                .fetch_optional(&self.pool)
                .await?;
        Ok(found.is_some())
    }

    /// A person's open sessions, the last used first.
    pub async fn sessions_of(
        &self,
        person: PersonId,
        limits: &SessionLimits,
    ) -> Result<Vec<SessionRow>, StoreError> {
        let (oldest, oldest_of_station) = limits.oldest();
        Ok(sqlx::query_as(concat!(
            "SELECT public_id, created_at, seen_at, address, agent FROM sessions \
             WHERE person_id = ? AND public_id IS NOT NULL AND ",
            is_open!(),
            " ORDER BY seen_at DESC, public_id LIMIT 200"
        ))
        .bind(person)
        .bind(oldest)
        .bind(oldest_of_station)
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

    /// Removes sessions that are over; returns how many.
    pub async fn sweep_sessions(&self, limits: &SessionLimits) -> Result<u64, StoreError> {
        let (person, station) = limits.oldest();
        let done = sqlx::query(concat!("DELETE FROM sessions WHERE NOT (", is_open!(), ")"))
            .bind(person)
            .bind(station)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }
}

fn from_now(by: Duration) -> PrimitiveDateTime {
    let end = OffsetDateTime::now_utc() + by;
    PrimitiveDateTime::new(end.date(), end.time())
}
