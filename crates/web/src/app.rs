//! What every handler can reach.

use crate::intake::Intake;
use crate::origin::{Origin, Timeouts};
use crate::queue::Queue;
use crate::route_table::RouteTable;
use workshop::Workshop;

/// What every handler can reach: the use cases, and what belongs to HTTP alone.
pub(crate) struct App {
    /// The use cases.
    pub workshop: Workshop,
    /// How the application is reached.
    pub origin: Origin,
    /// How long requests may take to come in.
    pub timeouts: Timeouts,
    /// Bodies that come in.
    pub intake: Intake,
    /// Who waits for a turn.
    pub queue: Queue,
    /// What routes ask of the caller.
    pub routes: RouteTable,
}

impl App {
    /// An application over the use cases.
    pub(crate) fn new(workshop: Workshop, origin: Origin, timeouts: Timeouts, routes: RouteTable) -> Self {
        Self { workshop, origin, timeouts, intake: Intake::default(), queue: Queue::default(), routes }
    }
}
