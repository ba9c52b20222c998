//! Single sign-on: a provider of OpenID Connect says who somebody is, and each workshop says what that makes them.

use crate::actor::Actor;
use crate::credentials::{LONGEST_SIGN_IN, sign_in_name};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::settings::WorkshopSettings;
use identity::{ExternalIdentity, OpenIdError, OpenIdProvider, ProviderSettings, StartedSignIn};
use std::net::IpAddr;
use store::external_identity::ExternalName;
use store::person::{NewPerson, Person, PersonChange, Role};
use store::{PersonId, StoreError, WorkshopId};

/// Names that are tried for somebody new before they are called by a number.
const MOST_NAMES: u32 = 20;

/// Somebody whom the provider signed in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SingleSignOn {
    /// Who.
    pub person: PersonId,
    /// Whether the provider asked for more than one factor.
    pub has_second_factor: bool,
    /// Whether a code of their authenticator here is needed as well.
    pub needs_code: bool,
}

/// How people can sign in without a password.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SignInWays {
    /// The address that passkeys are made for.
    pub passkeys_at: Option<String>,
    /// What people call the provider of single sign-on.
    pub provider: Option<String>,
}

fn refused(error: OpenIdError) -> Refusal {
    match error {
        OpenIdError::Away(why) | OpenIdError::Settings(why) => Refusal::ProviderAway(why),
        OpenIdError::Refused(why) | OpenIdError::NotProven(why) => Refusal::NotProven(why),
    }
}

fn external(identity: &ExternalIdentity) -> ExternalName<'_> {
    ExternalName { issuer: &identity.issuer, subject: &identity.subject }
}

/// A text without what no name holds, no longer than names are.
fn as_name(text: &str) -> String {
    let plain: String = text.chars().filter(|c| !c.is_control()).take(LONGEST_SIGN_IN).collect();
    plain.trim().to_owned()
}

/// What somebody new may be called at signing in here: as at the provider, else with a number after it.
fn candidate(identity: &ExternalIdentity, number: u32) -> Option<String> {
    let said = [&identity.user_name, &identity.name].into_iter().find(|text| !text.trim().is_empty());
    let base = said.map_or("member", String::as_str);
    let ending = if number == 0 { String::new() } else { format!("-{}", number + 1) };
    let base: String = base.chars().take(LONGEST_SIGN_IN / 2).collect();
    sign_in_name(&format!("{}{ending}", base.trim()))
}

impl Workshop {
    /// With a provider of single sign-on.
    ///
    /// # Errors
    /// [`OpenIdError::Settings`] when its settings cannot be used.
    pub fn with_provider(self, settings: ProviderSettings) -> Result<Self, OpenIdError> {
        Ok(Self { provider: Some(OpenIdProvider::new(settings)?), ..self })
    }

    /// What people call the provider; `None` where none is configured.
    #[must_use]
    pub fn provider_name(&self) -> Option<&str> {
        self.provider.as_ref().map(OpenIdProvider::name)
    }

    fn known_provider(&self) -> Result<&OpenIdProvider, Refusal> {
        self.provider.as_ref().ok_or(Refusal::SingleSignOnOff)
    }

    /// How people can sign in without a password, where any workshop lets them.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn sign_in_ways(&self) -> Result<SignInWays, Refusal> {
        if self.provider.is_none() && self.passkey_site.is_none() {
            return Ok(SignInWays::default());
        }
        let all = self.store.all_settings().await?;
        let all: Vec<WorkshopSettings> =
            all.iter().map(|(_, text)| WorkshopSettings::read(text.as_deref())).collect();
        let provider = self.provider_name().filter(|_| all.iter().any(|s| s.single_sign_on.is_on));
        let passkeys_at = self.passkey_address().filter(|_| all.iter().any(|s| s.passkeys_allowed));
        Ok(SignInWays { passkeys_at: passkeys_at.map(str::to_owned), provider: provider.map(str::to_owned) })
    }

    /// Begins a sign-in at the provider: where the browser goes, and what is kept until it comes back to `back`.
    ///
    /// # Errors
    /// [`Refusal::SingleSignOnOff`], [`Refusal::ProviderAway`]; [`Refusal::TooManyAttempts`] when one address begins too much.
    pub async fn begin_single_sign_on(
        &self,
        back: &str,
        address: IpAddr,
    ) -> Result<(String, StartedSignIn), Refusal> {
        let provider = self.known_provider()?;
        self.begin_anonymous(address)?;
        provider.begin(back).await.map_err(refused)
    }

    /// Completes a sign-in with the parameters of the redirect. A new person joins the workshop that has a role for their groups; a
    /// known person gets the role of their current groups.
    ///
    /// # Errors
    /// [`Refusal::NotProven`], [`Refusal::ProviderAway`], [`Refusal::SingleSignOnOff`], [`Refusal::NoRole`],
    /// [`Refusal::SeveralWorkshops`].
    pub async fn finish_single_sign_on(
        &self,
        back: &str,
        started: StartedSignIn,
        (state, code): (&str, &str),
    ) -> Result<SingleSignOn, Refusal> {
        let found = self.known_provider()?.finish(back, started, state, code).await.map_err(refused)?;
        let known = self.store.person_by_external_name(external(&found)).await?;
        let person = match known {
            Some(person) => self.come_again(person, &found).await?,
            None => self.join(&found).await?,
        };
        self.store.use_external_name(external(&found)).await?;
        Ok(SingleSignOn {
            person: person.id,
            has_second_factor: found.has_second_factor,
            needs_code: person.has_second_factor && !found.has_second_factor,
        })
    }

    /// Somebody who is known: with the role that the provider says now.
    async fn come_again(&self, person: Person, found: &ExternalIdentity) -> Result<Person, Refusal> {
        let settings = WorkshopSettings::from_person(&person).single_sign_on;
        if !settings.is_on || person.disabled_at.is_some() {
            return Err(Refusal::SingleSignOnOff);
        }
        let role = settings.role(&found.words(&settings.claim)).ok_or(Refusal::NoRole)?;
        if role != person.role.0 {
            let store = self.store.workshop(person.workshop_id);
            match store.change_person(None, person.id, PersonChange::Role(role)).await {
                Ok(()) => tracing::info!(event = "role-by-provider", person = person.id.0, role = ?role),
                // The workshop is not left without anybody who may manage it.
                Err(StoreError::LastOwner) => {
                    tracing::warn!(
                        event = "role-by-provider-kept",
                        person = person.id.0,
                        "the last owner stays"
                    );
                }
                Err(other) => return Err(other.into()),
            }
        }
        Ok(person)
    }

    /// The one workshop that has a role for what a provider says.
    async fn workshop_for(&self, found: &ExternalIdentity) -> Result<(WorkshopId, Role), Refusal> {
        let mut one = None;
        for (workshop, text) in self.store.all_settings().await? {
            let settings = WorkshopSettings::read(text.as_deref()).single_sign_on;
            let role = settings.role(&found.words(&settings.claim)).filter(|_| settings.is_on);
            if let Some(role) = role
                && one.replace((workshop, role)).is_some()
            {
                return Err(Refusal::SeveralWorkshops);
            }
        }
        one.ok_or(Refusal::NoRole)
    }

    /// Somebody who comes for the first time.
    async fn join(&self, found: &ExternalIdentity) -> Result<Person, Refusal> {
        let (workshop, role) = self.workshop_for(found).await?;
        let store = self.store.workshop(workshop);
        for number in 0..MOST_NAMES {
            let Some(sign_in) = candidate(found, number) else { continue };
            let name = Some(as_name(&found.name)).filter(|name| !name.is_empty());
            let name = name.unwrap_or_else(|| sign_in.clone());
            let new = NewPerson { name: &name, sign_in: &sign_in, password_hash: None, role };
            match store.join(&new, external(found)).await {
                Ok(id) => {
                    tracing::info!(event = "joined-by-provider", person = id.0, role = ?role);
                    return self.store.person(id).await?.ok_or(Refusal::NotFound("person"));
                }
                Err(StoreError::Taken(_)) => {
                    // The same person may have come twice at the same moment.
                    if let Some(person) = self.store.person_by_external_name(external(found)).await? {
                        return Ok(person);
                    }
                }
                Err(other) => return Err(other.into()),
            }
        }
        Err(Refusal::NameTaken("person"))
    }

    /// Whether the actor is linked with the provider; `None` where their workshop does not use it.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn own_link(&self, actor: &Actor) -> Result<Option<bool>, Refusal> {
        actor.require(Action::OwnAccount)?;
        let Some(provider) = &self.provider else { return Ok(None) };
        if !self.settings_of(actor).await?.single_sign_on.is_on {
            return Ok(None);
        }
        Ok(Some(self.store_of(actor).is_linked(actor.person, provider.issuer()).await?))
    }

    /// Links the actor with whom the provider signed in, and ends their other sessions.
    ///
    /// # Errors
    /// As [`Self::finish_single_sign_on`]; [`Refusal::IdentityTaken`] when the provider means somebody else here.
    pub async fn link_single_sign_on(
        &self,
        actor: &Actor,
        back: &str,
        started: StartedSignIn,
        (state, code): (&str, &str),
        session: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let provider = self.known_provider()?;
        if !self.settings_of(actor).await?.single_sign_on.is_on {
            return Err(Refusal::SingleSignOnOff);
        }
        let found = provider.finish(back, started, state, code).await.map_err(refused)?;
        let subject = Some(found.subject.as_str());
        let linked =
            self.store_of(actor).link_external_name(actor.person, &found.issuer, subject, session).await;
        linked.map_err(|error| match error {
            StoreError::Taken(_) => Refusal::IdentityTaken,
            other => other.into(),
        })
    }

    /// Takes the actor's link with the provider away, and ends their other sessions.
    ///
    /// # Errors
    /// [`Refusal::SingleSignOnOff`] where no provider is configured.
    pub async fn unlink_single_sign_on(&self, actor: &Actor, session: &str) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        let issuer = self.known_provider()?.issuer();
        Ok(self.store_of(actor).link_external_name(actor.person, issuer, None, session).await?)
    }
}
