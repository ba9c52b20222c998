//! Instruments: which there are, whether they answer, and what is the matter on a simulated bench.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::circuit::InstrumentInput;
use instruments::net::Line;
use instruments::simulated::Fault;
use instruments::{Gaussmeter as _, Instrument as _, LcrMeter as _, OhmMeter as _, Ohms, Winder as _};
use std::time::Duration;
use store::instrument::{Instrument, NewInstrument};
use store::{InstrumentId, StoreError};
use trade::instrument::InstrumentKind;

/// How long a test waits for an answer.
const TIMEOUT: Duration = Duration::from_secs(3);

/// What an instrument that was asked shows just now.
#[derive(Clone, Debug, PartialEq)]
pub enum InstrumentState {
    /// A resistance, Ω.
    Ohms(f64),
    /// An open circuit.
    Open,
    /// An inductance, H, and its quality.
    Inductance(f64, f64),
    /// A flux density, T.
    Tesla(f64),
    /// A counter, turns.
    Turns(u32),
    /// It answers, and reads nothing by itself.
    Ready,
    /// It says what it is, and cannot read now.
    CannotRead(String),
}

/// The instrument whose input stands across a coil when its resonance is read, of all of a workshop: the chosen one, else the
/// first with a known input, a sweep analyser before others.
#[must_use]
pub fn analyser_of(all: &[Instrument]) -> Option<(&Instrument, InstrumentInput)> {
    let known = all.iter().filter_map(|i| Some((i, i.input()?)));
    known.min_by_key(|(i, _)| (!i.shown, i.kind.0 != InstrumentKind::Sweep))
}

impl Workshop {
    /// All instruments of a workshop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn instruments(&self, actor: &Actor) -> Result<Vec<Instrument>, Refusal> {
        actor.require(Action::ReadInstruments)?;
        Ok(self.store_of(actor).instruments().await?)
    }

    /// The instrument whose input stands across a coil when its resonance is read: the chosen one; without a choice the first
    /// with a known input, a sweep analyser before others.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn analyser(&self, actor: &Actor) -> Result<Option<(String, InstrumentInput)>, Refusal> {
        actor.require(Action::ReadInstruments)?;
        let all = self.instruments(actor).await?;
        Ok(analyser_of(&all).map(|(of, input)| (of.name.clone(), input)))
    }

    /// Changes an instrument of which `version` was shown: its name, how well it reads, when its calibration is due.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`] when somebody else changed it after that; as [`Self::add_instrument`] otherwise.
    pub async fn change_instrument(
        &self,
        actor: &Actor,
        id: InstrumentId,
        version: u32,
        new: &NewInstrument<'_>,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        if !self.instrument(actor, id).await?.simulated {
            self.allowed_target(actor, new.address).await?;
        }
        match self.store_of(actor).change_instrument(actor.person, id, version, new).await {
            Err(StoreError::Taken(index)) if index == "instruments_name" => {
                Err(Refusal::NameTaken("instrument"))
            }
            done => Ok(done?),
        }
    }

    /// Shows resonances from now on as one instrument shows them.
    ///
    /// # Errors
    /// [`Refusal::InputUnknown`] when nothing is known of its input.
    pub async fn show_resonances_by(&self, actor: &Actor, id: InstrumentId) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        self.instrument(actor, id).await?.input().ok_or(Refusal::InputUnknown)?;
        Ok(self.store_of(actor).show_resonances_by(actor.person, id).await?)
    }

    /// One instrument.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn instrument(&self, actor: &Actor, id: InstrumentId) -> Result<Instrument, Refusal> {
        actor.require(Action::ReadInstruments)?;
        let all = self.store_of(actor).instruments().await?;
        all.into_iter().find(|i| i.id == id).ok_or(Refusal::NotFound("instrument"))
    }

    /// Adds an instrument; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NameTaken`] when another one has its name; [`Refusal::AddressNotAllowed`] when a real one lies in no
    /// network that is allowed.
    pub async fn add_instrument(&self, actor: &Actor, new: &NewInstrument<'_>) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        if !new.simulated {
            self.allowed_target(actor, new.address).await?;
        }
        match self.store_of(actor).add_instrument(actor.person, new).await {
            Err(StoreError::Taken(index)) if index == "instruments_name" => {
                Err(Refusal::NameTaken("instrument"))
            }
            done => Ok(done?),
        }
    }

    /// Takes an instrument off the list; its readings keep its name.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn retire_instrument(&self, actor: &Actor, id: InstrumentId) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        Ok(self.store_of(actor).retire_instrument(actor.person, id).await?)
    }

    /// Asks an instrument what it is, and what it reads just now.
    ///
    /// # Errors
    /// [`Refusal::Instrument`] when it does not say what it is.
    pub async fn test_instrument(
        &self,
        actor: &Actor,
        id: InstrumentId,
    ) -> Result<(Instrument, String, InstrumentState), Refusal> {
        actor.require(Action::Wind)?;
        let of = self.reachable(actor, self.instrument(actor, id).await?).await?;
        let mut line = Line::to(&of.address).patient(TIMEOUT);
        let identity = match line.identify().await {
            Ok(identity) => identity,
            Err(source) => return Err(Refusal::Instrument { name: of.name, source }),
        };
        let state = match of.kind.0 {
            InstrumentKind::Ohm => line.resistance().await.map(|r| match r {
                Ohms::Of(ohms) => InstrumentState::Ohms(ohms),
                Ohms::Open => InstrumentState::Open,
            }),
            InstrumentKind::Lcr => {
                let read = line.inductance(of.test_hz.unwrap_or(1000.0)).await;
                read.map(|l| InstrumentState::Inductance(l.henries, l.q))
            }
            InstrumentKind::Gauss => line.flux().await.map(InstrumentState::Tesla),
            InstrumentKind::Winder => line.status().await.map(|w| InstrumentState::Turns(w.turns)),
            InstrumentKind::Sweep => Ok(InstrumentState::Ready),
        };
        Ok((of, identity, state.unwrap_or_else(|error| InstrumentState::CannotRead(error.to_string()))))
    }

    /// Sets what is the matter on a simulated bench: with its coils, and with its line (by the bench's own word).
    ///
    /// # Errors
    /// [`Refusal::NotSimulated`] for a real instrument.
    pub async fn set_simulated_faults(
        &self,
        actor: &Actor,
        id: InstrumentId,
        faults: &[Fault],
        line_state: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        let of = self.instrument(actor, id).await?;
        if !of.simulated {
            return Err(Refusal::NotSimulated);
        }
        let faults = serde_json::to_string(faults)?;
        let mut line = Line::to(&of.address);
        for command in [format!("SIM:FAULTS {faults}"), format!("SIM:LINE {line_state}")] {
            if let Err(source) = line.ask(&command).await {
                return Err(Refusal::Instrument { name: of.name, source });
            }
        }
        Ok(())
    }
}
