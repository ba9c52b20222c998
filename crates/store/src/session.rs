//! Server-side sessions: the browser holds a random key, the table its hash, the state, and whose it is.

use crate::audit::AuditAction;
use crate::{PersonId, StationId, Store, StoreError, Stored};
use sqlx::{AssertSqlSafe, FromRow};
use time::{Duration, PrimitiveDateTime};

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

/// How long a session lasts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SessionLimits {
    /// Without being used; whole seconds.
    pub idle: Duration,
    /// At most, however much it is used; whole seconds.
    pub longest: Duration,
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

/// What holds for an open session. One that was begun in the future was begun by a clock that was wrong, and is over.
macro_rules! is_open {
    () => {
        "expires_at > UTC_TIMESTAMP(6) AND created_at > UTC_TIMESTAMP(6) - INTERVAL longest_s SECOND \
         AND created_at < UTC_TIMESTAMP(6) + INTERVAL 5 MINUTE"
    };
}

/// Moves a session's end to as long from now as it may rest.
macro_rules! prolong {
    () => {
        "UPDATE sessions SET expires_at = UTC_TIMESTAMP(6) + INTERVAL idle_s SECOND, seen_at = UTC_TIMESTAMP(6) WHERE "
    };
}

impl Store {
    /// The state of a session that has not expired.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, StoreError> {
        let found =
            sqlx::query_scalar(concat!("SELECT state FROM sessions WHERE key_hash = ? AND ", is_open!()))
                .bind(&key_hash[..])
                .fetch_optional(&self.pool)
                .await?;
        Ok(found)
    }

    /// Writes a session's state, its limits and its new end; whose it is and where it was begun stay as they were.
    pub async fn put_session(&self, new: &NewSession<'_>, limits: SessionLimits) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO sessions \
             (key_hash, state, person_id, station_id, public_id, address, agent, idle_s, longest_s, expires_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(6) + INTERVAL ? SECOND) \
             ON DUPLICATE KEY UPDATE state = VALUES(state), idle_s = VALUES(idle_s), \
             longest_s = VALUES(longest_s), expires_at = VALUES(expires_at)",
        )
        .bind(&new.key_hash[..])
        .bind(new.state)
        // A station's session is nobody's: who stands at it changes, and none of them may end it.
        .bind(new.person.filter(|_| new.station.is_none()))
        .bind(new.station)
        .bind(new.public_id)
        .bind(new.address)
        .bind(new.agent)
        .bind(limits.idle.whole_seconds())
        .bind(limits.longest.whole_seconds())
        .bind(limits.idle.whole_seconds())
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Moves a session's end: it was used now. One that is over stays over.
    pub async fn prolong_session(&self, key_hash: &[u8; 32]) -> Result<(), StoreError> {
        sqlx::query(concat!(prolong!(), "key_hash = ? AND ", is_open!()))
            .bind(&key_hash[..])
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The same of the session of that name; one that is over stays over.
    pub async fn prolong_named_session(&self, public_id: &str) -> Result<(), StoreError> {
        sqlx::query(concat!(prolong!(), "public_id = ? AND ", is_open!()))
            .bind(public_id)
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

    /// The state of the open session of that name.
    pub async fn named_session_state(&self, public_id: &str) -> Result<Option<String>, StoreError> {
        let found =
            sqlx::query_scalar(concat!("SELECT state FROM sessions WHERE public_id = ? AND ", is_open!()))
                .bind(public_id)
                .fetch_optional(&self.pool)
                .await?;
        Ok(found)
    }

    /// How many seconds the session of that name lasts unless it is used; `None` where there is none.
    pub async fn session_lasts(&self, public_id: &str) -> Result<Option<i64>, StoreError> {
        let left =
            "SELECT TIMESTAMPDIFF(SECOND, UTC_TIMESTAMP(6), expires_at) FROM sessions WHERE public_id = ?";
        Ok(sqlx::query_scalar(left).bind(public_id).fetch_optional(&self.pool).await?)
    }

    /// A person's open sessions, the last used first.
    pub async fn sessions_of(&self, person: PersonId) -> Result<Vec<SessionRow>, StoreError> {
        Ok(sqlx::query_as(concat!(
            "SELECT public_id, created_at, seen_at, address, agent FROM sessions \
             WHERE person_id = ? AND public_id IS NOT NULL AND ",
            is_open!(),
            " ORDER BY seen_at DESC, public_id LIMIT 200"
        ))
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Ends one session of a person's, with its line; returns whether there was one.
    pub async fn end_session_of(&self, person: PersonId, public_id: &str) -> Result<bool, StoreError> {
        let which = "person_id = ? AND public_id = ?";
        Ok(self.end_sessions_where(which, person, public_id).await? > 0)
    }

    /// Ends all sessions of a person's but one, each with its line; returns how many.
    pub async fn end_other_sessions_of(&self, person: PersonId, kept: &str) -> Result<u64, StoreError> {
        self.end_sessions_where("person_id = ? AND public_id <> ?", person, kept).await
    }

    async fn end_sessions_where(
        &self,
        which: &'static str,
        person: PersonId,
        public_id: &str,
    ) -> Result<u64, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let line = format!(
            "INSERT INTO audit (workshop_id, person_id, action, object, before_text, after_text) \
             SELECT p.workshop_id, p.id, ?, CONCAT('session of person ', p.id), \
             JSON_OBJECT('address', s.address, 'browser', s.agent), NULL \
             FROM sessions s JOIN people p ON p.id = s.person_id WHERE {which}"
        );
        sqlx::query(AssertSqlSafe(line))
            .bind(Stored(AuditAction::Session))
            .bind(person)
            .bind(public_id)
            .execute(&mut *transaction)
            .await?;
        let done = sqlx::query(AssertSqlSafe(format!("DELETE FROM sessions WHERE {which}")))
            .bind(person)
            .bind(public_id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(done.rows_affected())
    }

    /// Removes sessions that are over; returns how many.
    pub async fn sweep_sessions(&self) -> Result<u64, StoreError> {
        let done = sqlx::query(concat!("DELETE FROM sessions WHERE NOT (", is_open!(), ")"))
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }
}
