//! A second factor beside the password: a code of six digits that an authenticator makes of the time (RFC 6238).

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::sealed::{SecretKey, is_sealed};
use crate::service::Workshop;
use crate::sign_in_limit::ShortSecret;
use crate::spoken_code::SpokenCode;
use crate::team::PeopleManager;
use rand::RngExt as _;
use std::net::IpAddr;
use store::PersonId;
use time::OffsetDateTime;
use totp_rs::{Builder, Secret, Totp};

/// How many recovery codes there are, for an authenticator that is lost.
const RECOVERY_CODES: usize = 8;
/// Bytes of the secret: as long as the sum that is made of it (RFC 4226, section 4).
const SECRET_BYTES: usize = 20;

/// What an authenticator is told: by its code for cameras, or typed.
#[derive(Clone, PartialEq, Eq)]
pub struct SharedSecret {
    /// The secret in base 32.
    pub text: String,
    /// The same as an address that authenticators read.
    pub uri: String,
}

impl std::fmt::Debug for SharedSecret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("SharedSecret")
    }
}

fn codes_of(secret: &str) -> Option<Totp> {
    let secret = Secret::try_from_base32(secret).ok()?;
    Builder::new().with_secret(secret).build().ok()
}

/// The time step of a code that is right now or was 30 seconds ago.
fn step_of(secret: &str, code: &str) -> Option<u64> {
    let now = u64::try_from(OffsetDateTime::now_utc().unix_timestamp()).ok()?;
    let digits: String = code.chars().filter(|c| !c.is_whitespace()).collect();
    codes_of(secret)?.check(&digits, now)
}

fn escaped(text: &str) -> String {
    let is_plain = |b: u8| b.is_ascii_alphanumeric() || b"-_.~".contains(&b);
    text.bytes().map(|b| if is_plain(b) { char::from(b).to_string() } else { format!("%{b:02X}") }).collect()
}

/// Where a person's secret is kept.
fn place(person: PersonId) -> String {
    format!("second factor of person {person}")
}

/// Where the secret is kept that a person shows to their authenticator.
fn pending_place(person: PersonId) -> String {
    format!("second factor to be set of person {person}")
}

impl Workshop {
    /// With a key that seals what the database keeps of second factors. Secrets that were kept before are sealed by it.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn with_secret_key(self, key: SecretKey) -> Result<Self, Refusal> {
        for (person, kept) in self.store.second_factors().await? {
            if !is_sealed(&kept) {
                let sealed = key.seal(&place(person), &kept);
                self.store.rekeep_second_factor(person, &kept, &sealed).await?;
            }
        }
        Ok(Self { secret_key: Some(key), ..self })
    }

    /// What was kept at a place, opened where it was sealed.
    fn opened(&self, place: &str, kept: &str) -> Option<String> {
        if !is_sealed(kept) {
            return Some(kept.to_owned());
        }
        self.secret_key.as_ref().and_then(|key| key.open(place, kept))
    }

    /// A person's secret; `None` where another key sealed it: a recovery code then still holds.
    fn opened_secret(&self, person: PersonId, kept: &str) -> Option<String> {
        let opened = self.opened(&place(person), kept);
        if opened.is_none() {
            tracing::warn!(event = "second-factor-unreadable", person = person.0, "another key sealed it");
        }
        opened
    }

    /// A secret for the actor, which holds nothing until [`Self::set_second_factor`] proves that their authenticator has it: the
    /// one that `kept` holds, or a new one. Returned beside it is what the server keeps of it until then.
    ///
    /// # Errors
    /// When there is no such person.
    pub async fn new_second_factor(
        &self,
        actor: &Actor,
        kept: Option<&str>,
    ) -> Result<(SharedSecret, String), Refusal> {
        actor.require(Action::OwnAccount)?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        let place = pending_place(actor.person);
        let known = kept.and_then(|kept| self.opened(&place, kept)).filter(|text| codes_of(text).is_some());
        let text = match known {
            Some(text) => text,
            None => {
                let bytes: [u8; SECRET_BYTES] = rand::rng().random();
                Secret::from(bytes.to_vec()).to_base32()
            }
        };
        let issuer = escaped(&person.workshop);
        let uri =
            format!("otpauth://totp/{issuer}:{}?secret={text}&issuer={issuer}", escaped(&person.sign_in));
        let kept = self.secret_key.as_ref().map_or_else(|| text.clone(), |key| key.seal(&place, &text));
        Ok((SharedSecret { text, uri }, kept))
    }

    /// Sets the actor's second factor from what the server kept of its secret, and ends their other sessions; returns the recovery codes, which are shown now and never again.
    ///
    /// # Errors
    /// [`Refusal::WrongCode`] when the code is not of this secret and this moment; [`Refusal::SecondFactorSet`] where there is one,
    /// which whoever has only the session may not replace.
    pub async fn set_second_factor(
        &self,
        actor: &Actor,
        secret: &str,
        code: &str,
        session: &str,
        address: IpAddr,
    ) -> Result<Vec<String>, Refusal> {
        actor.require(Action::OwnAccount)?;
        let secret = &self.opened(&pending_place(actor.person), secret).ok_or(Refusal::WrongCode)?;
        let key = format!("code {}", actor.person);
        self.begin_attempt(&key, address)?;
        if self.store.second_factor(actor.person).await?.is_some() {
            return Err(Refusal::SecondFactorSet);
        }
        let step = step_of(secret, code).ok_or(Refusal::WrongCode)?;
        let codes: Vec<SpokenCode> = (0..RECOVERY_CODES).map(|_| SpokenCode::random()).collect();
        let hashes: Vec<[u8; 32]> = codes.iter().map(SpokenCode::hash).collect();
        let sealed = self.secret_key.as_ref().map(|key| key.seal(&place(actor.person), secret));
        let kept = Some((sealed.as_deref().unwrap_or(secret), hashes.as_slice()));
        self.store_of(actor).set_second_factor(Some(actor.person), actor.person, kept, session).await?;
        self.store.use_time_step(actor.person, step).await?;
        self.attempts.succeeded(&key, address);
        Ok(codes.iter().map(|code| code.text().to_owned()).collect())
    }

    /// Takes the actor's second factor away, and ends their other sessions.
    ///
    /// # Errors
    /// [`Refusal::WrongPassword`].
    pub async fn remove_second_factor(
        &self,
        actor: &Actor,
        password: String,
        session: &str,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        self.prove_password(actor, password, address).await?;
        Ok(self.store_of(actor).set_second_factor(Some(actor.person), actor.person, None, session).await?)
    }

    /// How many recovery codes the actor has left; `None` without a second factor.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn recovery_codes_left(&self, actor: &Actor) -> Result<Option<i64>, Refusal> {
        actor.require(Action::OwnAccount)?;
        match self.store.second_factor(actor.person).await? {
            Some(_) => Ok(Some(self.store_of(actor).recovery_codes_left(actor.person).await?)),
            None => Ok(None),
        }
    }

    /// Takes a person's second factor away, for somebody who lost theirs.
    ///
    /// # Errors
    /// When there is no such person.
    pub async fn reset_second_factor(
        &self,
        manager: &PeopleManager,
        person: PersonId,
    ) -> Result<(), Refusal> {
        let store = self.store.workshop(manager.workshop());
        Ok(store.set_second_factor(manager.person(), person, None, "").await?)
    }

    /// Whether a code, of the authenticator or for recovery, belongs to a person whose password was right. Each holds once.
    ///
    /// # Errors
    /// [`Refusal::WrongCode`]; [`Refusal::TooManyAttempts`] when codes are guessed.
    pub async fn check_second_factor(
        &self,
        person: PersonId,
        code: &str,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        let (key, of) = (format!("code {person}"), ShortSecret { person, station: None });
        self.begin_secret_attempt(of, &key, address).await?;
        let kept = self.store.second_factor(person).await?.ok_or(Refusal::WrongCode)?;
        let secret = self.opened_secret(person, &kept);
        let is_right = match secret.and_then(|secret| step_of(&secret, code)) {
            Some(step) => self.store.use_time_step(person, step).await?,
            None => self.store.use_recovery_code(person, &SpokenCode::hash_typed(code)).await?,
        };
        if !is_right {
            return Err(Refusal::WrongCode);
        }
        self.attempts.secret_succeeded(of, &key, address);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::codes_of;
    use rstest::rstest;

    /// RFC 6238, appendix B: the secret is the ASCII text 12345678901234567890, SHA-1; of its eight digits an authenticator
    /// shows the last six.
    #[rstest]
    #[case(59, "287082")]
    #[case(1_111_111_109, "081804")]
    #[case(1_111_111_111, "050471")]
    #[case(1_234_567_890, "005924")]
    #[case(2_000_000_000, "279037")]
    fn codes_are_those_of_the_standard(#[case] time: u64, #[case] code: &str) {
        let totp = codes_of("GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ").unwrap();
        assert_eq!(totp.generate(time).to_string(), code);
        assert!(totp.check(code, time).is_some() && totp.check(code, time + 30).is_some());
        assert!(totp.check(code, time + 120).is_none() && totp.check("000000", time).is_none());
    }
}
