//! Typed row numbers, and the keys that make a repeated submission harmless.

use rand::RngExt as _;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

macro_rules! id {
    ($($(#[$doc:meta])* $name:ident)+) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, sqlx::Type)]
        #[sqlx(transparent)]
        #[serde(transparent)]
        pub struct $name(pub u64);

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }
    )+};
}

id! {
    /// A workshop.
    WorkshopId
    /// A person of a workshop.
    PersonId
    /// A spool of wire.
    SpoolId
    /// A design with all its revisions.
    DesignId
    /// One revision of a design.
    RevisionId
    /// A winding run.
    RunId
    /// A reading in a run's log.
    ReadingId
    /// A measured response.
    SweepId
    /// An instrument.
    InstrumentId
    /// A timer.
    TimerId
    /// A version of what was learned.
    CalibrationId
    /// A kind of part.
    PartId
    /// A matched set.
    SetId
    /// A set of pickups.
    PickupSetId
    /// An experiment.
    ExperimentId
    /// A blind listening.
    ListeningId
    /// A shared station.
    StationId
    /// A passkey of a person.
    PasskeyId
    /// An examined pickup.
    RewindId
    /// A photo.
    PhotoId
    /// An order.
    OrderId
    /// A calendar feed.
    FeedId
    /// A report that something is broken, or somebody away.
    OutageId
}

/// A key made by whoever submits: the same key twice is the same submission.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct ClientKey(String);

/// A key that is not 32 hexadecimal digits.
#[derive(Debug, Error)]
#[error("a submission key is 32 hexadecimal digits: load the page again")]
pub struct ClientKeyError;

impl ClientKey {
    /// A new random key.
    pub fn random() -> Self {
        let bits: u128 = rand::rng().random();
        Self(format!("{bits:032x}"))
    }

    /// The key of part `part` of a submission: the same submission again has the same.
    #[must_use]
    pub fn derived(&self, part: u8) -> Self {
        Self(format!("{:.30}{part:02x}", self.0))
    }

    /// Its text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for ClientKey {
    type Err = ClientKeyError;
    fn from_str(text: &str) -> Result<Self, ClientKeyError> {
        let fits = text.len() == 32 && text.bytes().all(|b| b.is_ascii_hexdigit());
        if fits { Ok(Self(text.to_ascii_lowercase())) } else { Err(ClientKeyError) }
    }
}

impl TryFrom<String> for ClientKey {
    type Error = ClientKeyError;
    fn try_from(text: String) -> Result<Self, ClientKeyError> {
        text.parse()
    }
}

impl From<ClientKey> for String {
    fn from(key: ClientKey) -> Self {
        key.0
    }
}

impl fmt::Display for ClientKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
