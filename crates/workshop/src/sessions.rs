//! The sessions of those who signed in.

use crate::actor::Actor;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::session::{NewSession, SessionRow};
use time::Duration;

/// How long a session lasts without being used.
pub const IDLE_LIMIT: Duration = Duration::hours(12);
/// How long a session lasts at most.
pub const SESSION_LIMIT: Duration = Duration::days(7);

impl Workshop {
    /// The state of a session that has not expired, by the hash of its key.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, Refusal> {
        Ok(self.store.session_state(key_hash, SESSION_LIMIT).await?)
    }

    /// Writes a session's state and how long it lasts from now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn put_session(&self, new: &NewSession<'_>) -> Result<(), Refusal> {
        Ok(self.store.put_session(new).await?)
    }

    /// Lets a session last so long from now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn prolong_session(&self, key_hash: &[u8; 32], lasts: Duration) -> Result<(), Refusal> {
        Ok(self.store.prolong_session(key_hash, lasts).await?)
    }

    /// Ends a session.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn end_session(&self, key_hash: &[u8; 32]) -> Result<(), Refusal> {
        Ok(self.store.end_session(key_hash).await?)
    }

    /// Whether the session of that name is open: asked by what goes on for longer than one request.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn is_session_open(&self, public_id: &str) -> Result<bool, Refusal> {
        Ok(self.store.is_session_open(public_id, SESSION_LIMIT).await?)
    }

    /// The actor's own open sessions, the last used first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn own_sessions(&self, actor: &Actor) -> Result<Vec<SessionRow>, Refusal> {
        Ok(self.store.sessions_of(actor.person, SESSION_LIMIT).await?)
    }

    /// Ends one of the actor's own sessions.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when there is none of that name.
    pub async fn end_own_session(&self, actor: &Actor, public_id: &str) -> Result<(), Refusal> {
        let is_ended = self.store.end_session_of(actor.person, public_id).await?;
        if is_ended { Ok(()) } else { Err(Refusal::NotFound("session")) }
    }

    /// Ends all of the actor's own sessions but the one that is `kept`; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn end_own_other_sessions(&self, actor: &Actor, kept: &str) -> Result<u64, Refusal> {
        Ok(self.store.end_other_sessions_of(actor.person, kept).await?)
    }

    /// Removes sessions that have expired; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn remove_expired_sessions(&self) -> Result<u64, Refusal> {
        Ok(self.store.sweep_sessions(SESSION_LIMIT).await?)
    }
}
