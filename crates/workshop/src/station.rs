//! The winding station: following a winder, commanding it, and how the coil should lie.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::measuring::lay_on_bench;
use crate::permission::Action;
use crate::permits::Permit;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::winder_link::{FollowedRun, StationState, StopKey};
use coil::prediction::lay_coil;
use coil::wind::Section;
use instruments::Winder as _;
use instruments::net::Line;
use store::instrument::Instrument;
use store::{InstrumentId, RunId};
use tokio::sync::watch;
use trade::instrument::InstrumentKind;

/// What a winder is told.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum WinderCommand {
    /// Run to the next stop at so many turns a minute.
    Run {
        /// Turns a minute.
        rpm: f64,
    },
    /// Stop.
    Stop,
    /// Set the counter.
    Preset {
        /// To so many turns.
        turns: u32,
    },
}

/// Which winder a station follows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WinderChoice {
    /// The first there is.
    First,
    /// None: turns are logged by hand.
    None,
    /// This one.
    This(InstrumentId),
}

fn chosen(all: &[Instrument], choice: WinderChoice) -> Option<&Instrument> {
    match choice {
        WinderChoice::First => all.first(),
        WinderChoice::None => None,
        WinderChoice::This(id) => all.iter().find(|i| i.id == id),
    }
}

impl Workshop {
    /// The winders of a workshop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn winders(&self, actor: &Actor) -> Result<Vec<Instrument>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let mut all = self.of(actor).instruments().await?;
        all.retain(|i| i.kind.0 == InstrumentKind::Winder);
        Ok(all)
    }

    /// The winder that a choice means; `None` for none.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn chosen_winder(
        &self,
        actor: &Actor,
        choice: WinderChoice,
    ) -> Result<Option<Instrument>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(chosen(&self.winders(actor).await?, choice).cloned())
    }

    /// A stream that a person follows for as long as the permit is held.
    ///
    /// # Errors
    /// [`Refusal::TooManyAtOnce`] when the person follows as many as they may.
    pub fn permit_stream(&self, actor: &Actor) -> Result<Permit, Refusal> {
        actor.require(Action::ReadRuns)?;
        self.permits.streams.acquire(actor.person)
    }

    /// Follows a run at its winder: the state now, and every change.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn follow(
        &self,
        actor: &Actor,
        run: RunId,
        choice: WinderChoice,
    ) -> Result<(watch::Receiver<StationState>, Option<StopKey>), Refusal> {
        actor.require(Action::ReadRuns)?;
        let run = self.of(actor).run(run).await?;
        let winder = match self.chosen_winder(actor, choice).await? {
            Some(winder) => Some(self.reachable(actor, winder).await?.address),
            None => None,
        };
        let followed = FollowedRun {
            workshop: actor.workshop,
            run: run.row.id,
            by: actor.person,
            planned: run.row.planned_turns,
            stops: run.row.stops.to_vec(),
            winder,
        };
        let (receiver, stop_key) = self.winders.follow(&self.store, followed);
        Ok((receiver, Some(stop_key).filter(|_| actor.may(Action::Wind))))
    }

    /// Stops the winder that belongs to a key; it asks nothing of the database, which may be away while the winder runs.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] for a key that stops nothing, [`Refusal::Instrument`] when the winder does not answer.
    pub async fn stop_winder(&self, key: &str) -> Result<(), Refusal> {
        let address = self.winders.stopped_by(key).ok_or(Refusal::NotFound("winder"))?;
        let done = Line::to(&address).stop().await;
        done.map_err(|source| Refusal::Instrument { name: "The winder".into(), source })
    }

    /// Commands a run's winder. It runs only to the next stop: one that nobody can reach any more stops there by itself.
    ///
    /// # Errors
    /// [`Refusal::Instrument`] when the winder refuses or does not answer; [`Refusal::RunClosed`] when it is to run and
    /// the run is signed off.
    pub async fn command_winder(
        &self,
        actor: &Actor,
        run: RunId,
        choice: WinderChoice,
        command: WinderCommand,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.of(actor);
        let run = store.run(run).await?;
        let winder = self.chosen_winder(actor, choice).await?.ok_or(Refusal::NotFound("winder"))?;
        let winder = self.reachable(actor, winder).await?;
        let mut line = Line::to(&winder.address);
        let done = match command {
            WinderCommand::Run { rpm } => {
                self.refuse_closed(&store, run.row.id).await?;
                if winder.simulated {
                    lay_on_bench(&winder.address, &run.design, run.row.id).await.ok();
                }
                let on = self.turns_counted(&store, &run).await?;
                let ends = run.row.stops.iter().copied().chain([run.row.planned_turns]);
                line.run(rpm, ends.filter(|turn| *turn > on).min()).await
            }
            WinderCommand::Stop => line.stop().await,
            WinderCommand::Preset { turns } => line.preset(turns).await,
        };
        self.winders.notify(run.row.id);
        done.map_err(|source| Refusal::Instrument { name: winder.name, source })
    }

    /// How the first coil of a run should lie after so many turns.
    ///
    /// # Errors
    /// When there is no such run, or its coil cannot be laid.
    pub async fn expected_lay(&self, actor: &Actor, run: RunId, turns: u32) -> Result<Section, Refusal> {
        actor.require(Action::ReadRuns)?;
        let mut design = self.of(actor).run(run).await?.design;
        let section = blocking(move || {
            let coil = design.coils.first_mut()?;
            coil.wind.turns = turns.clamp(10, 50_000);
            lay_coil(&design, 0).map(|(_, section)| section)
        })
        .await?;
        section.ok_or(Refusal::NotFound("section"))
    }
}
