//! Sessions on the server: the browser holds a random name, the table its hash and the state.

use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError};
use actix_web::cookie::time::Duration;
use rand::RngExt as _;
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use workshop::Workshop;

/// Sessions kept in the database.
pub(crate) struct DatabaseSessions {
    workshop: Workshop,
}

type State = HashMap<String, String>;

impl DatabaseSessions {
    /// Sessions in the database of the use cases.
    pub(crate) fn new(workshop: Workshop) -> Self {
        Self { workshop }
    }
}

fn hash(key: &SessionKey) -> [u8; 32] {
    Sha256::digest(key.as_ref().as_bytes()).into()
}

fn lasts(ttl: &Duration) -> time::Duration {
    time::Duration::seconds(ttl.whole_seconds())
}

impl SessionStore for DatabaseSessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<State>, LoadError> {
        let state = self.workshop.session_state(&hash(key)).await.map_err(|e| LoadError::Other(e.into()))?;
        state
            .map(|text| serde_json::from_str(&text))
            .transpose()
            .map_err(|e| LoadError::Deserialization(e.into()))
    }

    async fn save(&self, state: State, ttl: &Duration) -> Result<SessionKey, SaveError> {
        let bits: [u8; 32] = rand::rng().random();
        let name: String = bits.iter().map(|byte| format!("{byte:02x}")).collect();
        let key = SessionKey::try_from(name).map_err(|e| SaveError::Other(e.into()))?;
        let text = serde_json::to_string(&state).map_err(|e| SaveError::Serialization(e.into()))?;
        self.workshop
            .put_session(&hash(&key), &text, lasts(ttl))
            .await
            .map_err(|e| SaveError::Other(e.into()))?;
        Ok(key)
    }

    async fn update(&self, key: SessionKey, state: State, ttl: &Duration) -> Result<SessionKey, UpdateError> {
        let text = serde_json::to_string(&state).map_err(|e| UpdateError::Serialization(e.into()))?;
        self.workshop
            .put_session(&hash(&key), &text, lasts(ttl))
            .await
            .map_err(|e| UpdateError::Other(e.into()))?;
        Ok(key)
    }

    async fn update_ttl(&self, key: &SessionKey, ttl: &Duration) -> Result<(), anyhow::Error> {
        Ok(self.workshop.prolong_session(&hash(key), lasts(ttl)).await?)
    }

    async fn delete(&self, key: &SessionKey) -> Result<(), anyhow::Error> {
        Ok(self.workshop.end_session(&hash(key)).await?)
    }
}
