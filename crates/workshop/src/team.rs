//! The people of a workshop: inviting them, what they may do, and what becomes of them when they leave.

use crate::actor::Actor;
use crate::blocking::hashing;
use crate::credentials::{LONGEST_SIGN_IN, check_password, hash_password, sign_in_name};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::secret::Secret;
use crate::service::Workshop;
use serde_json::Value;
use store::person::{NewPerson, Person, PersonChange, Role};
use store::{PersonId, StoreError, WorkshopId};
use time::{Duration, PrimitiveDateTime};

/// How long a link to set a password can be used.
pub const LINK_LASTS: Duration = Duration::hours(24);
/// What someone is called after they left for good.
const FORMER: &str = "Former member";

/// Who manages people: somebody signed in who may, or whoever has the command line of the machine.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PeopleManager {
    workshop: WorkshopId,
    person: Option<PersonId>,
}

impl PeopleManager {
    /// Somebody signed in.
    ///
    /// # Errors
    /// [`Refusal::NotAllowed`] when they may not manage people.
    pub fn new(actor: &Actor) -> Result<Self, Refusal> {
        actor.require(Action::ManagePeople)?;
        Ok(Self { workshop: actor.workshop, person: Some(actor.person) })
    }

    pub(crate) const fn workshop(&self) -> WorkshopId {
        self.workshop
    }

    pub(crate) const fn person(&self) -> Option<PersonId> {
        self.person
    }

    /// Whoever has the command line.
    #[must_use]
    pub const fn command_line(workshop: WorkshopId) -> Self {
        Self { workshop, person: None }
    }
}

/// Someone to invite.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invitation {
    /// Name as others read it.
    pub name: String,
    /// Name to sign in with.
    pub sign_in: String,
    /// What they are to be.
    pub role: Role,
}

/// What becomes of a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MemberChange {
    /// Another role.
    Role(Role),
    /// May no longer sign in; what they did stays theirs.
    Disable,
    /// May sign in again.
    Enable,
    /// Left for good: their name is replaced everywhere, and nobody can sign in as them.
    Anonymise,
}

/// Someone of the workshop as the owner sees them.
#[derive(Clone, Debug)]
pub struct WorkshopMember {
    /// The person.
    pub person: Person,
    /// Until when their link to set a password is open, UTC.
    pub link_until: Option<PrimitiveDateTime>,
}

impl Workshop {
    /// Everyone of the workshop, by name.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn members(&self, manager: &PeopleManager) -> Result<Vec<WorkshopMember>, Refusal> {
        let store = self.store.workshop(manager.workshop);
        let links = store.password_links().await?;
        let until = |id| links.iter().find(|(person, _)| *person == id).map(|(_, until)| *until);
        let people = store.people().await?;
        Ok(people.into_iter().map(|person| WorkshopMember { link_until: until(person.id), person }).collect())
    }

    /// Invites somebody: they are there at once, and set their password by a link that holds once and for
    /// [`LINK_LASTS`]. Returns the link's token, which is shown now and never again.
    ///
    /// # Errors
    /// [`Refusal::UnusableName`], [`Refusal::UnusableSignIn`]; [`Refusal::NameTaken`] when another person signs in so.
    pub async fn invite(
        &self,
        manager: &PeopleManager,
        invitation: &Invitation,
    ) -> Result<(PersonId, Secret), Refusal> {
        let name = shown_name(&invitation.name)?;
        let sign_in = sign_in_name(&invitation.sign_in).ok_or(Refusal::UnusableSignIn)?;
        let token = Secret::random();
        let new = NewPerson { name, sign_in: &sign_in, password_hash: None, role: invitation.role };
        let store = self.store.workshop(manager.workshop);
        let id =
            store.invite(manager.person, &new, &token.hash(), LINK_LASTS).await.map_err(sign_in_taken)?;
        Ok((id, token))
    }

    /// A new link to set a person's password, where it was forgotten or the one before ran out.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when there is no such person, or they are disabled.
    pub async fn link_password(&self, manager: &PeopleManager, person: PersonId) -> Result<Secret, Refusal> {
        let token = Secret::random();
        let store = self.store.workshop(manager.workshop);
        store.link_password(manager.person, person, &token.hash(), LINK_LASTS).await?;
        Ok(token)
    }

    /// Changes what becomes of a person. It holds from their next request on.
    ///
    /// # Errors
    /// [`Refusal::LastOwner`]; [`Refusal::NotFound`] when there is no such person.
    pub async fn change_member(
        &self,
        manager: &PeopleManager,
        person: PersonId,
        change: MemberChange,
    ) -> Result<(), Refusal> {
        let name = format!("{FORMER} {person}");
        let change = match change {
            MemberChange::Role(role) => PersonChange::Role(role),
            MemberChange::Disable => PersonChange::Disable,
            MemberChange::Enable => PersonChange::Enable,
            MemberChange::Anonymise => PersonChange::Anonymise { name: &name },
        };
        Ok(self.store.workshop(manager.workshop).change_person(manager.person, person, change).await?)
    }

    /// Whom a link to set a password is for; `None` when it was used, ran out, or never was.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn invited(&self, token: &str) -> Result<Option<Person>, Refusal> {
        match Secret::parse(token) {
            Some(token) => Ok(self.store.person_by_password_link(&token.hash()).await?),
            None => Ok(None),
        }
    }

    /// Sets a password by a link, which holds once.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when the link does not hold, [`Refusal::WeakPassword`].
    pub async fn accept_invitation(&self, token: &str, password: String) -> Result<PersonId, Refusal> {
        let person = self.invited(token).await?.ok_or(Refusal::NotFound("link"))?;
        let hash = Secret::parse(token).ok_or(Refusal::NotFound("link"))?.hash();
        let names = [person.workshop, person.name, person.sign_in];
        let password = hashing(move || {
            let names: Vec<&str> = names.iter().map(String::as_str).collect();
            check_password(&password, &names).map(|()| hash_password(&password))
        })
        .await?
        .map_err(Refusal::WeakPassword)?;
        Ok(self.store.use_password_link(&hash, &password).await?)
    }

    /// Everything that is kept about the actor: who they are, their sessions, and what they did, as JSON.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn own_data(&self, actor: &Actor) -> Result<Value, Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store_of(actor).person_data(actor.person).await?)
    }
}

/// A name as others read it, without blanks at its ends.
fn shown_name(typed: &str) -> Result<&str, Refusal> {
    let name = typed.trim();
    let length = name.chars().count();
    let is_sound = (1..=LONGEST_SIGN_IN).contains(&length) && !name.contains(char::is_control);
    if is_sound { Ok(name) } else { Err(Refusal::UnusableName) }
}

fn sign_in_taken(error: StoreError) -> Refusal {
    match error {
        StoreError::Taken(_) => Refusal::NameTaken("person"),
        other => other.into(),
    }
}
