//! A message for the next page that the same person sees, kept in the session.

use actix_session::Session;
use serde::{Deserialize, Serialize};

const FLASH: &str = "flash";

/// Whether something was done or not.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum FlashKind {
    /// It was done.
    Done,
    /// It was not.
    NotDone,
}

/// A message.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Flash {
    /// Whether something was done.
    pub kind: FlashKind,
    /// In words.
    pub text: String,
}

impl Flash {
    /// Whether it tells of something that was not done.
    pub(crate) fn is_warning(&self) -> bool {
        self.kind == FlashKind::NotDone
    }
}

/// Keeps a message for the next page. One that cannot be kept is lost: what it tells of is done all the same.
pub(crate) fn put(session: &Session, kind: FlashKind, text: impl Into<String>) {
    if let Err(error) = session.insert(FLASH, Flash { kind, text: text.into() }) {
        tracing::warn!(%error, "a message was not kept");
    }
}

/// Takes the message.
pub(crate) fn take(session: &Session) -> Option<Flash> {
    let found = session.get(FLASH).ok().flatten();
    if found.is_some() {
        session.remove(FLASH);
    }
    found
}
