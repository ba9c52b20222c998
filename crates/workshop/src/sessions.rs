//! The sessions of those who signed in.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::settings::WorkshopSettings;
use store::session::{NewSession, SessionLimits, SessionRow};
use time::Duration;

/// How long a shared station's session lasts. It stays signed in as itself; who stands at it types a PIN.
pub const STATION_SESSION: SessionLimits =
    SessionLimits { idle: Duration::days(30), longest: Duration::days(365) };
/// How long a session lasts in which nobody has signed in.
const ANONYMOUS_SESSION: SessionLimits =
    SessionLimits { idle: Duration::minutes(30), longest: Duration::hours(12) };

impl Workshop {
    /// The state of a session that has not expired, by the hash of its key.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, Refusal> {
        Ok(self.store.session_state(key_hash).await?)
    }

    /// Writes a session's state and how long it lasts from now, as the workshop has it for the person's role.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn put_session(&self, new: &NewSession<'_>) -> Result<(), Refusal> {
        let limits = match (new.station, new.person) {
            (Some(_), _) => STATION_SESSION,
            (None, None) => ANONYMOUS_SESSION,
            (None, Some(person)) => {
                let person = self.store.person(person).await?;
                person
                    .map_or(ANONYMOUS_SESSION, |p| WorkshopSettings::from_person(&p).session_limits(p.role.0))
            }
        };
        Ok(self.store.put_session(new, limits).await?)
    }

    /// Lets a session last on: it is used now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn prolong_session(&self, key_hash: &[u8; 32]) -> Result<(), Refusal> {
        Ok(self.store.prolong_session(key_hash).await?)
    }

    /// Ends a session.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn end_session(&self, key_hash: &[u8; 32]) -> Result<(), Refusal> {
        Ok(self.store.end_session(key_hash).await?)
    }

    /// The state of the open session of that name: asked by what goes on for longer than one request.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn named_session_state(&self, public_id: &str) -> Result<Option<String>, Refusal> {
        Ok(self.store.named_session_state(public_id).await?)
    }

    /// Lets the session of that name last on: a winder runs before whoever watches it.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn prolong_named_session(&self, public_id: &str) -> Result<(), Refusal> {
        Ok(self.store.prolong_named_session(public_id).await?)
    }

    /// The actor's own open sessions, the last used first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn own_sessions(&self, actor: &Actor) -> Result<Vec<SessionRow>, Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store.sessions_of(actor.person).await?)
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
        Ok(self.store.sweep_sessions().await?)
    }
}
