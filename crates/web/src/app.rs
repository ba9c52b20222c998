//! What every handler can reach.

use governor::clock::DefaultClock;
use governor::state::keyed::DefaultKeyedStateStore;
use governor::{Quota, RateLimiter};
use std::num::NonZeroU32;
use workshop::Workshop;

/// Attempts to sign in a minute, by name and by address.
const ATTEMPTS: NonZeroU32 = NonZeroU32::new(10).expect("not zero");

/// What every handler can reach: the use cases, and what belongs to HTTP alone.
pub(crate) struct App {
    /// The use cases.
    pub workshop: Workshop,
    /// Attempts to sign in, by name and by address.
    pub attempts: RateLimiter<String, DefaultKeyedStateStore<String>, DefaultClock>,
}

impl App {
    /// An application over the use cases.
    pub(crate) fn new(workshop: Workshop) -> Self {
        Self { workshop, attempts: RateLimiter::keyed(Quota::per_minute(ATTEMPTS)) }
    }
}
