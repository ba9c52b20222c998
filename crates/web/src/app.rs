//! What every handler can reach.

use crate::origin::Origin;
use workshop::Workshop;

/// What every handler can reach: the use cases, and what belongs to HTTP alone.
pub(crate) struct App {
    /// The use cases.
    pub workshop: Workshop,
    /// How the application is reached.
    pub origin: Origin,
}

impl App {
    /// An application over the use cases.
    pub(crate) fn new(workshop: Workshop, origin: Origin) -> Self {
        Self { workshop, origin }
    }
}
