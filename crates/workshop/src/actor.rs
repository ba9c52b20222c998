//! Who acts.

use store::{PersonId, WorkshopId};

/// Who does something, and in which workshop. Every use case takes one, and everything that it reads or writes belongs
/// to that workshop. What a person may do in it is to be added here.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Actor {
    /// The person.
    pub person: PersonId,
    /// The workshop.
    pub workshop: WorkshopId,
}
