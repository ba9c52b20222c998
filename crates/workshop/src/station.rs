//! The winding station: following a winder, commanding it, and how the coil should lie.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::measuring::lay_on_bench;
use crate::permission::Action;
use crate::permits::Permit;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::winder_link::{CounterOwner, FollowedRun, FollowedWinder, StationState, StopKey, counter_owner};
use coil::prediction::lay_coil;
use coil::wind::Section;
use instruments::Winder as _;
use instruments::net::Line;
use store::event::NewEvent;
use store::instrument::Instrument;
use store::run::Run;
use store::{ClientKey, InstrumentId, RunId, WorkshopStore};
use tokio::sync::watch;
use trade::instrument::InstrumentKind;
use trade::winding::{Event, WindingEventKind};

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
    /// The run's own: the one that counts for it or that it was noted on, else one that is on no other open run.
    OfRun,
    /// None: turns are logged by hand.
    None,
    /// This one.
    This(InstrumentId),
}

/// How a winder's counter is taken over for a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TakeOver {
    /// The counter is set to the turns that are logged.
    SetToLog,
    /// The turns that it shows are on this coil.
    TheseTurns,
}

/// A winder of the workshop, and the open run that it counts for.
#[derive(Clone, Debug)]
pub struct WinderOnRun {
    /// The winder.
    pub winder: Instrument,
    /// The number of the open run that it counts for, other than the one that was asked about.
    pub other_run: Option<u32>,
}

impl Workshop {
    /// The winders of a workshop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn winders(&self, actor: &Actor) -> Result<Vec<Instrument>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let mut all = self.store_of(actor).instruments().await?;
        all.retain(|i| i.kind.0 == InstrumentKind::Winder);
        Ok(all)
    }

    /// The winders of a workshop, each with the open run that it counts for other than `run`.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn winders_for(&self, actor: &Actor, run: RunId) -> Result<Vec<WinderOnRun>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let mut all = Vec::new();
        for winder in self.winders(actor).await? {
            let other_run = match counter_owner(&store, winder.id, run).await? {
                CounterOwner::Other(number) => Some(number),
                CounterOwner::This | CounterOwner::Nobody => None,
            };
            all.push(WinderOnRun { winder, other_run });
        }
        Ok(all)
    }

    /// The winder that a choice means for a run; `None` for none.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn chosen_winder(
        &self,
        actor: &Actor,
        run: RunId,
        choice: WinderChoice,
    ) -> Result<Option<Instrument>, Refusal> {
        actor.require(Action::ReadRuns)?;
        if choice == WinderChoice::None {
            return Ok(None);
        }
        let mut all = self.winders_for(actor, run).await?;
        let place = match choice {
            WinderChoice::None => None,
            WinderChoice::This(id) => all.iter().position(|w| w.winder.id == id),
            WinderChoice::OfRun => {
                let noted = self.store_of(actor).run(run).await?.row.winder_id;
                let counts = all.iter().position(|w| w.winder.counts_run_id == Some(run));
                counts.or_else(|| match noted {
                    Some(noted) => all.iter().position(|w| w.winder.id == noted),
                    None => all.iter().position(|w| w.other_run.is_none()),
                })
            }
        };
        Ok(place.map(|k| all.swap_remove(k).winder))
    }

    /// Takes a winder's counter over for a run: from now on what it counts is logged for this run and no other. Looking on
    /// alone never does that.
    ///
    /// # Errors
    /// [`Refusal::WinderInUse`] when it counts for another open run and `from_other` is not said; [`Refusal::RunClosed`];
    /// [`Refusal::Instrument`] when the winder does not answer.
    pub async fn take_over_counter(
        &self,
        actor: &Actor,
        run: RunId,
        choice: WinderChoice,
        (how, from_other): (TakeOver, bool),
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        self.refuse_closed(&store, run.row.id).await?;
        let winder = self.chosen_winder(actor, run.row.id, choice).await?;
        let winder = self.reachable(actor, winder.ok_or(Refusal::NotFound("winder"))?).await?;
        if let (CounterOwner::Other(number), false) =
            (counter_owner(&store, winder.id, run.row.id).await?, from_other)
        {
            return Err(Refusal::WinderInUse { run: number });
        }
        let logged = self.turns_counted(&store, &run).await?;
        let mut line = Line::to(&winder.address);
        let failed = |source| Refusal::Instrument { name: winder.name.clone(), source };
        let on_coil = match how {
            TakeOver::SetToLog => {
                line.preset(logged).await.map_err(failed)?;
                logged
            }
            TakeOver::TheseTurns => line.status().await.map_err(failed)?.turns,
        };
        self.count_for(&store, &winder, &run).await?;
        // The log says when the counter was taken over, and at which turn.
        let event = Event { what: WindingEventKind::Preset, at_turn: on_coil };
        let words = format!("counter of {} taken over", winder.name);
        store
            .note_event(
                run.row.id,
                actor.person,
                &NewEvent { key: ClientKey::random(), event, words: &words, instrument: None },
            )
            .await?;
        self.winders.notify(run.row.id);
        Ok(())
    }

    async fn count_for(&self, store: &WorkshopStore, winder: &Instrument, run: &Run) -> Result<(), Refusal> {
        let before = store.counted_run(winder.id).await?;
        if before != Some(run.row.id) && !store.count_for(winder.id, before, run.row.id).await? {
            return Err(Refusal::ChangedMeanwhile("winder"));
        }
        if let Some(before) = before {
            self.winders.notify(before);
        }
        Ok(())
    }

    /// Lets a winder run for a run only when its counter counts for it: one that shows just the turns that are logged, and
    /// is on no other open run, is taken over with that.
    async fn require_counter(
        &self,
        store: &WorkshopStore,
        winder: &Instrument,
        run: &Run,
        line: &mut Line,
    ) -> Result<(), Refusal> {
        match counter_owner(store, winder.id, run.row.id).await? {
            CounterOwner::This => return Ok(()),
            CounterOwner::Other(number) => return Err(Refusal::WinderInUse { run: number }),
            CounterOwner::Nobody => {}
        }
        let log = self.turns_counted(store, run).await?;
        let failed = |source| Refusal::Instrument { name: winder.name.clone(), source };
        let counter = line.status().await.map_err(failed)?.turns;
        if counter != log {
            return Err(Refusal::CounterNotTaken { counter, log });
        }
        self.count_for(store, winder, run).await
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
        let run = self.store_of(actor).run(run).await?;
        let winder = match self.chosen_winder(actor, run.row.id, choice).await? {
            Some(winder) => {
                let Instrument { id, address, simulated, .. } = self.reachable(actor, winder).await?;
                Some(FollowedWinder { id, address, simulated })
            }
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
    /// [`Refusal::WinderInUse`] when it counts for another open run, [`Refusal::CounterNotTaken`] when its counter shows other
    /// turns than are logged and was not taken over;
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
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        let winder = self.chosen_winder(actor, run.row.id, choice).await?;
        let winder = self.reachable(actor, winder.ok_or(Refusal::NotFound("winder"))?).await?;
        let mut line = Line::to(&winder.address);
        let done = match command {
            WinderCommand::Run { rpm } => {
                self.refuse_closed(&store, run.row.id).await?;
                self.require_counter(&store, &winder, &run, &mut line).await?;
                if winder.simulated {
                    lay_on_bench(&winder.address, &run.design, run.row.id).await.ok();
                }
                let on = self.turns_counted(&store, &run).await?;
                let ends = run.row.stops.iter().copied().chain([run.row.planned_turns]);
                line.run(rpm, ends.filter(|turn| *turn > on).min()).await
            }
            WinderCommand::Stop => line.stop().await,
            WinderCommand::Preset { turns } => {
                self.refuse_closed(&store, run.row.id).await?;
                if let CounterOwner::Other(number) = counter_owner(&store, winder.id, run.row.id).await? {
                    return Err(Refusal::WinderInUse { run: number });
                }
                let done = line.preset(turns).await;
                if done.is_ok() {
                    self.count_for(&store, &winder, &run).await?;
                }
                done
            }
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
        let mut design = self.store_of(actor).run(run).await?.design;
        let section = blocking(move || {
            let coil = design.coils.first_mut()?;
            coil.wind.turns = turns.clamp(10, 50_000);
            lay_coil(&design, 0).map(|(_, section)| section)
        })
        .await?;
        section.ok_or(Refusal::NotFound("section"))
    }
}
