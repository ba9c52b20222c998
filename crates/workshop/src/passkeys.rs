//! Passkeys beside passwords: a key of the person's own device, which checks the person itself, so that it counts for both factors.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::settings::WorkshopSettings;
use identity::{HANDLE_BYTES, PasskeyError, PasskeySite, UserHandle};
use rand::RngExt as _;
use serde_json::Value;
use std::net::IpAddr;
use store::passkey::{AddPasskey, PasskeyOfPerson, PasskeyRow};
use store::{PasskeyId, PersonId, StoreError};

/// Most passkeys of one person.
const MOST_PASSKEYS: u32 = 10;
/// Longest name of a passkey, in letters.
pub const LONGEST_PASSKEY_NAME: usize = 60;
/// What attempts are counted under, beside their address.
const ATTEMPT: &str = "passkey";

fn refused(error: &PasskeyError) -> Refusal {
    Refusal::WrongPasskey(error.to_string())
}

impl Workshop {
    /// With passkeys, where browsers make any for the address that people reach the program at.
    #[must_use]
    pub fn with_passkeys_at(self, address: &str) -> Self {
        Self { passkey_site: PasskeySite::new(address), ..self }
    }

    /// The address that passkeys are made for; `None` where there are none.
    #[must_use]
    pub fn passkey_address(&self) -> Option<&str> {
        self.passkey_site.as_ref().map(PasskeySite::address)
    }

    fn site(&self) -> Result<&PasskeySite, Refusal> {
        self.passkey_site.as_ref().ok_or(Refusal::PasskeysOff)
    }

    /// The actor's passkeys, the oldest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn passkeys(&self, actor: &Actor) -> Result<Vec<PasskeyRow>, Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store_of(actor).passkeys(actor.person).await?)
    }

    /// Begins to make a passkey for the actor: what their browser is given, and what is kept until it answers.
    ///
    /// # Errors
    /// [`Refusal::PasskeysOff`], [`Refusal::TooManyPasskeys`].
    pub async fn begin_passkey(&self, actor: &Actor) -> Result<(Value, String), Refusal> {
        actor.require(Action::OwnAccount)?;
        let site = self.site()?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        if !WorkshopSettings::from_person(&person).passkeys_allowed {
            return Err(Refusal::PasskeysOff);
        }
        let known = self.store_of(actor).credential_ids(actor.person).await?;
        if known.len() >= MOST_PASSKEYS as usize {
            return Err(Refusal::TooManyPasskeys);
        }
        let new: UserHandle = rand::rng().random::<[u8; HANDLE_BYTES]>();
        let handle = self.store_of(actor).passkey_handle(actor.person, &new).await?;
        site.begin_registration(handle, &person.sign_in, &person.name, known).map_err(|error| refused(&error))
    }

    /// Keeps the passkey that the actor's browser answers with, and ends their other sessions.
    ///
    /// # Errors
    /// [`Refusal::WrongPasskey`], [`Refusal::UnusableName`], [`Refusal::TooManyPasskeys`], [`Refusal::PasskeysOff`].
    pub async fn add_passkey(
        &self,
        actor: &Actor,
        name: &str,
        answer: &str,
        kept: &str,
        session: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let name = name.trim();
        let length = name.chars().count();
        if !(1..=LONGEST_PASSKEY_NAME).contains(&length) || name.contains(char::is_control) {
            return Err(Refusal::UnusableName);
        }
        let made = self.site()?.finish_registration(answer, kept).map_err(|error| refused(&error))?;
        let passkey = AddPasskey { name, credential_id: &made.credential_id, credential: &made.credential };
        let added = self.store_of(actor).add_passkey(actor.person, passkey, MOST_PASSKEYS, session).await;
        added.map_err(|error| match error {
            StoreError::Missing("passkey") => Refusal::TooManyPasskeys,
            StoreError::Taken(_) => Refusal::WrongPasskey("it is kept already".to_owned()),
            other => other.into(),
        })
    }

    /// Removes a passkey of the actor, and ends their other sessions.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when they have no such passkey.
    pub async fn remove_passkey(&self, actor: &Actor, id: PasskeyId, session: &str) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        Ok(self.store_of(actor).remove_passkey(actor.person, id, session).await?)
    }

    /// Begins to ask for a passkey: what the browser is given, and what is kept until it answers.
    ///
    /// # Errors
    /// [`Refusal::PasskeysOff`]; [`Refusal::TooManyAttempts`] when one address begins too much.
    pub fn begin_passkey_sign_in(&self, address: IpAddr) -> Result<(Value, String), Refusal> {
        let site = self.site()?;
        self.begin_anonymous(address)?;
        site.begin_sign_in().map_err(|error| refused(&error))
    }

    /// Whose passkey a browser answers with.
    ///
    /// # Errors
    /// [`Refusal::WrongPasskey`], also for one that is unknown; [`Refusal::PasskeysOff`]; [`Refusal::TooManyAttempts`].
    pub async fn sign_in_by_passkey(
        &self,
        answer: &str,
        kept: &str,
        address: IpAddr,
    ) -> Result<PersonId, Refusal> {
        let site = self.site()?;
        self.begin_attempt(ATTEMPT, address)?;
        let (handle, credential_id) = site.claimed(answer).map_err(|error| refused(&error))?;
        let found = self.store.passkey(&credential_id, &handle).await?;
        let unknown = || Refusal::WrongPasskey("it is not known here".to_owned());
        let PasskeyOfPerson { id, person, credential } = found.ok_or_else(unknown)?;
        if !WorkshopSettings::from_person(&person).passkeys_allowed {
            return Err(Refusal::PasskeysOff);
        }
        let changed = site.finish_sign_in(answer, kept, &credential).map_err(|error| refused(&error))?;
        self.store.use_passkey(id, changed.as_deref()).await?;
        self.attempts.succeeded(ATTEMPT, address);
        Ok(person.id)
    }

    /// Whether a browser answers with a passkey of the actor's own.
    ///
    /// # Errors
    /// As [`Self::sign_in_by_passkey`].
    pub async fn prove_by_passkey(
        &self,
        actor: &Actor,
        answer: &str,
        kept: &str,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let person = self.sign_in_by_passkey(answer, kept, address).await?;
        if person == actor.person {
            Ok(())
        } else {
            Err(Refusal::WrongPasskey("it is of somebody else".to_owned()))
        }
    }
}
