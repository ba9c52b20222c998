//! Who acts.

use crate::permission::Action;
use crate::refusal::Refusal;
use store::person::{Person, Role};
use store::{PersonId, WorkshopId};

/// Who does something, and in which workshop. Every use case takes one, asks whether their role may do it, and everything
/// that it reads or writes belongs to that workshop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Actor {
    /// The person.
    pub person: PersonId,
    /// The workshop.
    pub workshop: WorkshopId,
    /// What they are in it, and at this place: at a shared station less than at their own computer.
    pub role: Role,
    /// Whether they stand at a shared station, where a PIN and no password says who they are.
    pub is_at_station: bool,
}

impl Actor {
    /// A person at a computer of their own.
    #[must_use]
    pub fn from_person(person: &Person) -> Self {
        Self { person: person.id, workshop: person.workshop_id, role: person.role.0, is_at_station: false }
    }

    /// A person at a shared station: no more than an operator, whatever they are elsewhere, and without their own account,
    /// since others stand at it too.
    #[must_use]
    pub fn at_station(person: &Person) -> Self {
        Self { role: person.role.0.min(Role::Operator), is_at_station: true, ..Self::from_person(person) }
    }

    /// Whether they may do something.
    #[must_use]
    pub const fn may(&self, action: Action) -> bool {
        let is_account = matches!(action, Action::OwnAccount);
        action.is_allowed(self.role) && !(is_account && self.is_at_station)
    }

    /// Refuses what they may not do.
    ///
    /// # Errors
    /// [`Refusal::NotAllowed`].
    pub const fn require(&self, action: Action) -> Result<(), Refusal> {
        if self.may(action) { Ok(()) } else { Err(Refusal::NotAllowed(action)) }
    }
}
