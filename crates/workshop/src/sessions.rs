//! The sessions of those who signed in.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::session::{NewSession, SessionLimits, SessionRow};
use time::Duration;

/// How long sessions last. A station stays signed in as itself; who stands at it types a PIN.
pub const SESSION_LIMITS: SessionLimits = SessionLimits {
    person: (Duration::hours(12), Duration::days(7)),
    station: (Duration::days(30), Duration::days(365)),
};

impl Workshop {
    /// The state of a session that has not expired, by the hash of its key.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, Refusal> {
        Ok(self.store.session_state(key_hash, &SESSION_LIMITS).await?)
    }

    /// Writes a session's state and how long it lasts from now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn put_session(&self, new: &NewSession<'_>) -> Result<(), Refusal> {
        Ok(self.store.put_session(new, &SESSION_LIMITS).await?)
    }

    /// Lets a session last on: it is used now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn prolong_session(&self, key_hash: &[u8; 32]) -> Result<(), Refusal> {
        Ok(self.store.prolong_session(key_hash, &SESSION_LIMITS).await?)
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
        Ok(self.store.is_session_open(public_id, &SESSION_LIMITS).await?)
    }

    /// The actor's own open sessions, the last used first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn own_sessions(&self, actor: &Actor) -> Result<Vec<SessionRow>, Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store.sessions_of(actor.person, &SESSION_LIMITS).await?)
    }

    /// Ends one of the actor's own sessions.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when there is none of that name.
    pub async fn end_own_session(&self, actor: &Actor, public_id: &str) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let is_ended = self.store.end_session_of(actor.person, public_id).await?;
        if is_ended { Ok(()) } else { Err(Refusal::NotFound("session")) }
    }

    /// Ends all of the actor's own sessions but the one that is `kept`; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn end_own_other_sessions(&self, actor: &Actor, kept: &str) -> Result<u64, Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store.end_other_sessions_of(actor.person, kept).await?)
    }

    /// Removes sessions that have expired; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn remove_expired_sessions(&self) -> Result<u64, Refusal> {
        Ok(self.store.sweep_sessions(&SESSION_LIMITS).await?)
    }
}
