//! What happens while a run is wound.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::event::{NewEvent, WindingEventRow};
use store::run::Run;
use store::{ClientKey, RunId, WorkshopStore};
use trade::winding::{Event, Progress, WindingEventKind, is_within_plan};

/// An event to log.
#[derive(Clone, Debug)]
pub struct LogEvent {
    /// Made by whoever logs it: the same key again logs nothing more.
    pub key: ClientKey,
    /// What happened, and at which turn.
    pub event: Event,
    /// Remark.
    pub remark: String,
    /// Whether a person confirmed turns far beyond the plan.
    pub is_confirmed: bool,
}

impl Workshop {
    /// Logs what happened; returns whether it is new.
    ///
    /// # Errors
    /// [`Refusal::RunClosed`] when the run is signed off, [`Refusal::ImplausibleTurns`] when they are far beyond the plan and
    /// nobody confirmed them.
    pub async fn log_event(&self, actor: &Actor, run: RunId, command: &LogEvent) -> Result<bool, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        self.refuse_closed(&store, run).await?;
        let (turns, planned) = (command.event.at_turn, store.run(run).await?.row.planned_turns);
        if !command.is_confirmed && !is_within_plan(turns, planned) {
            return Err(Refusal::ImplausibleTurns { turns, planned });
        }
        let new = NewEvent {
            key: command.key.clone(),
            event: command.event,
            words: &command.remark,
            instrument: None,
        };
        let is_new = store.note_event(run, actor.person, &new).await?;
        self.winders.notify(run);
        Ok(is_new)
    }

    /// The latest events of a run but for plain counts, newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn latest_events(
        &self,
        actor: &Actor,
        run: RunId,
        most: usize,
    ) -> Result<Vec<WindingEventRow>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let all = self.store_of(actor).events(run).await?;
        Ok(all.into_iter().rev().filter(|row| row.event.what != WindingEventKind::Count).take(most).collect())
    }

    /// Turns that are on the coil by what was counted, of each of some runs.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn turns_of_runs(&self, actor: &Actor, runs: &[RunId]) -> Result<Vec<u32>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let mut turns = Vec::with_capacity(runs.len());
        for run in runs {
            let happened: Vec<Event> = store.events(*run).await?.iter().map(|row| row.event).collect();
            turns.push(Progress::from_events(&happened, u32::MAX, &[]).turns);
        }
        Ok(turns)
    }

    /// Takes over what a counter's own log says: its last count becomes the run's.
    ///
    /// # Errors
    /// [`Refusal::RunClosed`] when the run is signed off.
    pub async fn import_counter_log(
        &self,
        actor: &Actor,
        run: RunId,
        key: ClientKey,
        (turns, lines): (u32, usize),
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let event = Event { what: WindingEventKind::Count, at_turn: turns };
        let remark = format!("from the counter's log, {lines} lines");
        self.log_event(actor, run, &LogEvent { key, event, remark, is_confirmed: false }).await.map(drop)
    }

    /// Turns on the coil, as far as the winding log knows.
    pub(crate) async fn turns_counted(&self, store: &WorkshopStore, run: &Run) -> Result<u32, Refusal> {
        let events: Vec<Event> = store.events(run.row.id).await?.into_iter().map(|row| row.event).collect();
        Ok(Progress::from_events(&events, run.row.planned_turns, &run.row.stops).turns)
    }
}
