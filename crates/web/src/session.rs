//! Sessions on the server: the browser holds a random name, the table its hash, the state, and whose it is.

use crate::current_user::{ADDRESS, AGENT, PERSON, SESSION_ID, STATION};
use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError};
use actix_web::cookie::time::Duration;
use rand::RngExt as _;
use serde::de::DeserializeOwned;
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;
use store::session::NewSession;
use store::{PersonId, StationId};
use workshop::{Refusal, Workshop};

/// A session that was used is written down again after so long.
const NOTED_FOR: std::time::Duration = std::time::Duration::from_mins(1);
/// Sessions whose last use is remembered, so that not every request writes.
const REMEMBERED: usize = 10_000;

/// Sessions kept in the database, which decides how long each lasts: the browser keeps its cookie for longer than any.
#[derive(Clone)]
pub(crate) struct DatabaseSessions {
    workshop: Workshop,
    noted: Arc<Mutex<HashMap<[u8; 32], Instant>>>,
}

type State = HashMap<String, String>;

impl DatabaseSessions {
    /// Sessions in the database of the use cases.
    pub(crate) fn new(workshop: Workshop) -> Self {
        Self { workshop, noted: Arc::default() }
    }

    async fn put(&self, key: &SessionKey, state: &State) -> Result<(), Fault> {
        let text = serde_json::to_string(state).map_err(Fault::Text)?;
        let field = |name| value::<String>(state, name).unwrap_or_default();
        let (public_id, address, agent) = (value::<String>(state, SESSION_ID), field(ADDRESS), field(AGENT));
        let new = NewSession {
            key_hash: &hash(key),
            state: &text,
            person: value::<PersonId>(state, PERSON),
            station: value::<StationId>(state, STATION),
            public_id: public_id.as_deref(),
            address: &address,
            agent: &agent,
        };
        self.workshop.put_session(&new).await.map_err(Fault::Store)
    }

    /// Whether the last use of a session is to be written down.
    fn is_due(&self, key: &[u8; 32]) -> bool {
        let now = Instant::now();
        let mut noted = self.noted.lock().unwrap_or_else(PoisonError::into_inner);
        if noted.get(key).is_some_and(|at| now.duration_since(*at) < NOTED_FOR) {
            return false;
        }
        if noted.len() >= REMEMBERED {
            noted.retain(|_, at| now.duration_since(*at) < NOTED_FOR);
            // Whoever makes that many sessions in a minute may cost some writes.
            if noted.len() >= REMEMBERED {
                noted.clear();
            }
        }
        noted.insert(*key, now);
        true
    }
}

/// Why a session could not be written.
enum Fault {
    Text(serde_json::Error),
    Store(Refusal),
}

fn hash(key: &SessionKey) -> [u8; 32] {
    Sha256::digest(key.as_ref().as_bytes()).into()
}

/// Who is signed in by a session's state, as it is kept.
pub(crate) fn person_in(state: &str) -> Option<PersonId> {
    serde_json::from_str(state).ok().and_then(|state: State| value(&state, PERSON))
}

/// A value of a session's state.
fn value<T: DeserializeOwned>(state: &State, name: &str) -> Option<T> {
    state.get(name).and_then(|text| serde_json::from_str(text).ok())
}

impl SessionStore for DatabaseSessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<State>, LoadError> {
        let state = self.workshop.session_state(&hash(key)).await.map_err(|e| LoadError::Other(e.into()))?;
        state
            .map(|text| serde_json::from_str(&text))
            .transpose()
            .map_err(|e| LoadError::Deserialization(e.into()))
    }

    async fn save(&self, state: State, _: &Duration) -> Result<SessionKey, SaveError> {
        let bits: [u8; 32] = rand::rng().random();
        let name: String = bits.iter().map(|byte| format!("{byte:02x}")).collect();
        let key = SessionKey::try_from(name).map_err(|e| SaveError::Other(e.into()))?;
        match self.put(&key, &state).await {
            Ok(()) => Ok(key),
            Err(Fault::Text(error)) => Err(SaveError::Serialization(error.into())),
            Err(Fault::Store(error)) => Err(SaveError::Other(error.into())),
        }
    }

    async fn update(&self, key: SessionKey, state: State, _: &Duration) -> Result<SessionKey, UpdateError> {
        match self.put(&key, &state).await {
            Ok(()) => Ok(key),
            Err(Fault::Text(error)) => Err(UpdateError::Serialization(error.into())),
            Err(Fault::Store(error)) => Err(UpdateError::Other(error.into())),
        }
    }

    async fn update_ttl(&self, key: &SessionKey, _: &Duration) -> Result<(), anyhow::Error> {
        let key = hash(key);
        if self.is_due(&key) {
            self.workshop.prolong_session(&key).await?;
        }
        Ok(())
    }

    async fn delete(&self, key: &SessionKey) -> Result<(), anyhow::Error> {
        Ok(self.workshop.end_session(&hash(key)).await?)
    }
}
