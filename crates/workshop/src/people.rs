//! People: setting the workshop up, signing in, and the sessions of those who did.

use crate::blocking::blocking;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::person::{NewPerson, Person};
use store::{PersonId, StoreError};
use time::Duration;

/// What came of a name and a password.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SignInOutcome {
    /// They belong together.
    SignedIn(PersonId),
    /// They do not.
    Wrong,
}

impl Workshop {
    /// Whether the workshop was set up.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn is_set_up(&self) -> Result<bool, Refusal> {
        Ok(self.store.has_workshop().await?)
    }

    /// Sets the workshop up with its owner.
    ///
    /// # Errors
    /// [`Refusal::AlreadySetUp`] when somebody else did.
    pub async fn set_up(
        &self,
        workshop: &str,
        name: &str,
        sign_in: &str,
        password: String,
    ) -> Result<PersonId, Refusal> {
        if self.is_set_up().await? {
            return Err(Refusal::AlreadySetUp);
        }
        let hash = blocking(move || password_auth::generate_hash(password)).await?;
        let owner = NewPerson { name, sign_in, password_hash: Some(&hash) };
        match self.store.create_workshop(workshop, &owner).await {
            Ok((_, person)) => Ok(person),
            Err(StoreError::Taken(_)) => Err(Refusal::AlreadySetUp),
            Err(error) => Err(error.into()),
        }
    }

    /// Checks a name and a password. An unknown name takes as long as a known one.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn sign_in(&self, name: &str, password: String) -> Result<SignInOutcome, Refusal> {
        let person = self.store.person_by_sign_in(name).await?;
        let id = person.as_ref().map(|p| p.id);
        let hash = person.and_then(|p| p.password_hash);
        let right = blocking(move || {
            let known = hash.is_some();
            let hash = hash.unwrap_or_else(|| password_auth::generate_hash("nobody"));
            password_auth::verify_password(password, &hash).is_ok() && known
        })
        .await?;
        Ok(id.filter(|_| right).map_or(SignInOutcome::Wrong, SignInOutcome::SignedIn))
    }

    /// A person by number.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn person(&self, id: PersonId) -> Result<Option<Person>, Refusal> {
        Ok(self.store.person(id).await?)
    }

    /// The state of a session that has not expired, by the hash of its key.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn session_state(&self, key_hash: &[u8; 32]) -> Result<Option<String>, Refusal> {
        Ok(self.store.session_state(key_hash).await?)
    }

    /// Writes a session's state and how long it lasts from now.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn put_session(
        &self,
        key_hash: &[u8; 32],
        state: &str,
        lasts: Duration,
    ) -> Result<(), Refusal> {
        Ok(self.store.put_session(key_hash, state, lasts).await?)
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

    /// Removes sessions that have expired; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn remove_expired_sessions(&self) -> Result<u64, Refusal> {
        Ok(self.store.sweep_sessions().await?)
    }
}

/// The hash of a password, for people who are added outside the pages. Takes a tenth of a second.
#[must_use]
pub fn hash_password(password: &str) -> String {
    password_auth::generate_hash(password)
}
