//! People: setting the workshop up, and signing in.

use crate::actor::Actor;
use crate::blocking::hashing;
use crate::credentials::{
    LONGEST_PASSWORD_BYTES, WeakPassword, check_password, hash_password, password_strength, sign_in_name,
    verify_password,
};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::net::IpAddr;
use std::time::Instant;
use store::person::{NewPerson, Person, Role};
use store::{PersonId, StoreError};

/// What came of a name and a password.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SignInOutcome {
    /// They belong together.
    SignedIn(PersonId),
    /// They belong together, and a code of the person's authenticator is needed as well.
    NeedsCode(PersonId),
    /// They do not.
    Wrong,
}

/// A workshop to set up, with its owner.
#[derive(Clone, Debug)]
pub struct SetUp {
    /// The code that the program printed when it started: whoever reads its output may set it up, and nobody else.
    pub code: String,
    /// The workshop's name.
    pub workshop: String,
    /// The owner's name as others read it.
    pub name: String,
    /// The owner's name to sign in with.
    pub sign_in: String,
    /// The owner's password.
    pub password: String,
}

impl Workshop {
    /// Whether the workshop was set up.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn is_set_up(&self) -> Result<bool, Refusal> {
        Ok(self.store.has_workshop().await?)
    }

    /// The code that setting up takes, as it is printed.
    #[must_use]
    pub fn set_up_code(&self) -> &str {
        self.set_up_code.text()
    }

    /// Sets the workshop up with its owner.
    ///
    /// # Errors
    /// [`Refusal::AlreadySetUp`] when somebody else did, also at the same moment; [`Refusal::WrongSetUpCode`],
    /// [`Refusal::UnusableSignIn`], [`Refusal::WeakPassword`]; [`Refusal::TooManyAttempts`] when codes are guessed.
    pub async fn set_up(&self, command: SetUp, address: IpAddr) -> Result<PersonId, Refusal> {
        if self.is_set_up().await? {
            return Err(Refusal::AlreadySetUp);
        }
        let SetUp { code, workshop, name, sign_in, password } = command;
        self.begin_attempt("set-up", address)?;
        if !self.set_up_code.is(&code) {
            return Err(Refusal::WrongSetUpCode);
        }
        self.attempts.succeeded("set-up", address);
        let sign_in = sign_in_name(&sign_in).ok_or(Refusal::UnusableSignIn)?;
        let names = [workshop.clone(), name.clone(), sign_in.clone()];
        let hash = hashing(move || {
            let names: Vec<&str> = names.iter().map(String::as_str).collect();
            check_password(&password, &names).map(|()| hash_password(&password))
        })
        .await?
        .map_err(Refusal::WeakPassword)?;
        let owner =
            NewPerson { name: &name, sign_in: &sign_in, password_hash: Some(&hash), role: Role::Owner };
        match self.store.set_up(&workshop, &owner).await {
            Ok((_, person)) => Ok(person),
            Err(StoreError::Taken(_)) => Err(Refusal::AlreadySetUp),
            Err(error) => Err(error.into()),
        }
    }

    /// Checks a name and a password from an address. An unknown name takes as long as a known one.
    ///
    /// # Errors
    /// [`Refusal::TooManyAttempts`] when it comes too soon after wrong ones.
    pub async fn sign_in(
        &self,
        typed: &str,
        password: String,
        address: IpAddr,
    ) -> Result<SignInOutcome, Refusal> {
        let name = sign_in_name(typed);
        let key = name.as_deref().unwrap_or("");
        self.begin_attempt(key, address)?;
        let person = match &name {
            Some(name) => self.store.person_by_sign_in(name).await?.filter(|p| p.disabled_at.is_none()),
            None => None,
        };
        let needs_code = person.as_ref().is_some_and(|p| p.has_second_factor);
        let id = person.as_ref().map(|p| p.id);
        let hash = person.and_then(|p| p.password_hash);
        let is_right = hashing(move || verify_password(&password, hash.as_deref())).await?;
        match id.filter(|_| is_right) {
            Some(person) => {
                self.attempts.succeeded(key, address);
                Ok(if needs_code {
                    SignInOutcome::NeedsCode(person)
                } else {
                    SignInOutcome::SignedIn(person)
                })
            }
            None => Ok(SignInOutcome::Wrong),
        }
    }

    /// How strong a password is beside names, 0 to 4, and why it would not be taken. Nothing of it is kept.
    ///
    /// # Errors
    /// When the computation ends early.
    pub async fn weigh_password(
        &self,
        password: String,
        names: Vec<String>,
        address: IpAddr,
    ) -> Result<(u8, Option<WeakPassword>), Refusal> {
        let begun = self.attempts.begin_weighing(address, Instant::now());
        begun.map_err(|retry_after| Refusal::TooManyAttempts { retry_after })?;
        if password.len() > LONGEST_PASSWORD_BYTES {
            return Ok((0, Some(WeakPassword::Long)));
        }
        hashing(move || {
            let names: Vec<&str> = names.iter().map(String::as_str).collect();
            (password_strength(&password, &names), check_password(&password, &names).err())
        })
        .await
    }

    /// Whether a password is the actor's own.
    ///
    /// # Errors
    /// [`Refusal::WrongPassword`]; [`Refusal::TooManyAttempts`] when it is guessed.
    pub async fn prove_password(
        &self,
        actor: &Actor,
        password: String,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        self.begin_attempt(&person.sign_in, address)?;
        let hash = person.password_hash;
        if !hashing(move || verify_password(&password, hash.as_deref())).await? {
            return Err(Refusal::WrongPassword);
        }
        self.attempts.succeeded(&person.sign_in, address);
        Ok(())
    }

    /// Changes the actor's own password, and ends their other sessions: whoever knew the old one is out.
    ///
    /// # Errors
    /// [`Refusal::WrongPassword`], [`Refusal::WeakPassword`]; [`Refusal::TooManyAttempts`] when the current one is guessed.
    pub async fn change_password(
        &self,
        actor: &Actor,
        current: String,
        new: String,
        session: &str,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        self.prove_password(actor, current, address).await?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        let names = [person.workshop, person.name, person.sign_in];
        let hash = hashing(move || {
            let names: Vec<&str> = names.iter().map(String::as_str).collect();
            check_password(&new, &names).map(|()| hash_password(&new))
        })
        .await?
        .map_err(Refusal::WeakPassword)?;
        self.store.set_password(actor.person, &hash, session).await?;
        Ok(())
    }

    /// Everyone of the actor's workshop, by name.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn people(&self, actor: &Actor) -> Result<Vec<Person>, Refusal> {
        actor.require(Action::ReadAudit)?;
        Ok(self.store_of(actor).people().await?)
    }

    /// A person by number.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn person(&self, id: PersonId) -> Result<Option<Person>, Refusal> {
        Ok(self.store.person(id).await?)
    }
}

impl From<WeakPassword> for Refusal {
    fn from(why: WeakPassword) -> Self {
        Self::WeakPassword(why)
    }
}
