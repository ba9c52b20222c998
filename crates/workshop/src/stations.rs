//! Shared stations: a tablet at the winder stays signed in as itself, and whoever stands at it says so with a PIN.

use crate::actor::Actor;
use crate::blocking::hashing;
use crate::credentials::{hash_password, verify_password};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::sign_in_limit::ShortSecret;
use crate::spoken_code::SpokenCode;
use std::net::IpAddr;
use store::person::{Person, Role};
use store::station::Station;
use store::{PersonId, StationId};
use time::Duration;

/// How long a station's code can be typed.
pub const STATION_CODE_LASTS: Duration = Duration::minutes(10);
/// Fewest and most digits of a PIN.
pub const PIN_DIGITS: (usize, usize) = (4, 12);
/// Longest name of a station, characters.
const LONGEST_NAME: usize = 60;

/// Whether a PIN can be taken: digits, and neither all the same nor a row of neighbours.
#[must_use]
pub fn is_sound_pin(pin: &str) -> bool {
    let digits: Vec<i16> = pin.bytes().map(|b| i16::from(b) - i16::from(b'0')).collect();
    let in_range = (PIN_DIGITS.0..=PIN_DIGITS.1).contains(&pin.len());
    let steps: Vec<i16> = digits.windows(2).map(|pair| pair[1] - pair[0]).collect();
    let is_plain = steps.iter().all(|step| steps.first() == Some(step) && step.abs() <= 1);
    in_range && pin.bytes().all(|b| b.is_ascii_digit()) && !is_plain
}

impl Workshop {
    /// The stations, by name.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn stations(&self, actor: &Actor) -> Result<Vec<Station>, Refusal> {
        actor.require(Action::ManageSettings)?;
        Ok(self.store_of(actor).stations().await?)
    }

    /// Adds a station; returns the code that its tablet takes, once, within [`STATION_CODE_LASTS`].
    ///
    /// # Errors
    /// [`Refusal::UnusableName`].
    pub async fn add_station(&self, actor: &Actor, name: &str) -> Result<String, Refusal> {
        actor.require(Action::ManageSettings)?;
        let name = name.trim();
        let length = name.chars().count();
        if !(1..=LONGEST_NAME).contains(&length) || name.contains(char::is_control) {
            return Err(Refusal::UnusableName);
        }
        let code = SpokenCode::random();
        self.store_of(actor).add_station(actor.person, name, &code.hash(), STATION_CODE_LASTS).await?;
        Ok(code.text().to_owned())
    }

    /// Retires a station: its tablet is signed out.
    ///
    /// # Errors
    /// When there is no such station.
    pub async fn retire_station(&self, actor: &Actor, id: StationId) -> Result<(), Refusal> {
        actor.require(Action::ManageSettings)?;
        Ok(self.store_of(actor).retire_station(actor.person, id).await?)
    }

    /// Takes a station's code, typed on its tablet.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when no station waits for it, [`Refusal::TooManyAttempts`] when codes are guessed.
    pub async fn enrol_station(&self, code: &str, address: IpAddr) -> Result<Station, Refusal> {
        self.begin_attempt("station", address)?;
        let station = self.store.enrol_station(&SpokenCode::hash_typed(code)).await?;
        self.attempts.succeeded("station", address);
        Ok(station)
    }

    /// A station by number, until it is retired.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn station(&self, id: StationId) -> Result<Option<Station>, Refusal> {
        Ok(self.store.station(id).await?)
    }

    /// Who can stand at a station: those who may wind and have a PIN.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn people_at(&self, station: &Station) -> Result<Vec<Person>, Refusal> {
        let mut people = self.store.workshop(station.workshop_id).people().await?;
        people.retain(|p| can_stand(p) && p.pin_hash.is_some());
        Ok(people)
    }

    /// Whether somebody is who they say at a station.
    ///
    /// # Errors
    /// [`Refusal::WrongPin`], [`Refusal::NotFound`]; [`Refusal::TooManyAttempts`] when PINs are guessed.
    pub async fn stand_at(
        &self,
        station: &Station,
        person: PersonId,
        pin: String,
        address: IpAddr,
    ) -> Result<Person, Refusal> {
        let found = self.people_at(station).await?.into_iter().find(|p| p.id == person);
        let found = found.ok_or(Refusal::NotFound("person"))?;
        let (key, of) =
            (format!("pin {}", found.id), ShortSecret { person: found.id, station: Some(station.id) });
        self.begin_secret_attempt(of, &key, address).await?;
        let hash = found.pin_hash.clone();
        if !hashing(move || verify_password(&pin, hash.as_deref())).await? {
            return Err(Refusal::WrongPin);
        }
        self.attempts.secret_succeeded(of, &key, address);
        Ok(found)
    }

    /// Sets the actor's own PIN, and ends their other sessions.
    ///
    /// # Errors
    /// [`Refusal::UnusablePin`].
    pub async fn set_own_pin(&self, actor: &Actor, pin: String, session: &str) -> Result<(), Refusal> {
        actor.require(Action::OwnAccount)?;
        if !is_sound_pin(&pin) {
            return Err(Refusal::UnusablePin);
        }
        let hash = hashing(move || hash_password(&pin)).await?;
        Ok(self.store_of(actor).set_pin(actor.person, Some(&hash), session).await?)
    }
}

fn can_stand(person: &Person) -> bool {
    person.disabled_at.is_none() && Action::Wind.is_allowed(person.role.0.min(Role::Operator))
}

#[cfg(test)]
mod tests {
    use super::is_sound_pin;
    use rstest::rstest;

    #[rstest]
    #[case("2580", true)]
    #[case("407193", true)]
    #[case("1212", true)]
    #[case("0000", false)]
    #[case("1234", false)]
    #[case("9876", false)]
    #[case("407", false)]
    #[case("4071930000001", false)]
    #[case("40a1", false)]
    #[case("٤٠٧١", false)]
    #[case("", false)]
    fn pins_are_digits_that_are_not_the_first_to_be_tried(#[case] pin: &str, #[case] is_sound: bool) {
        assert_eq!(is_sound_pin(pin), is_sound);
    }
}
