//! The link between a run and its winder: it asks the counter, logs the turns, and tells every page that looks on.
//!
//! The winder's own counter is the truth. What it shows is logged about once a second under a key made of run and turn, so
//! that nothing is counted twice, and nothing is lost that the counter still knows when server or database come back.

use instruments::net::Line;
use instruments::{Winder as _, WinderState, Winding};
use rand::RngExt as _;
use serde::Serialize;
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use store::event::NewEvent;
use store::{ClientKey, PersonId, RunId, Store, WorkshopId};
use strum::IntoStaticStr;
use tokio::sync::watch;
use trade::winding::{Event, Progress, WindingEventKind};

/// Between two questions to the counter.
const POLL_INTERVAL: Duration = Duration::from_millis(400);
/// Polls without a listener, after which the link ends.
const POLLS_WITHOUT_LISTENER: u32 = 150;
/// A count is logged at least every so many turns, or when the spindle stands.
const LOG_EVERY: u32 = 8;

/// What a station shows.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct StationState {
    /// How far the coil is wound.
    #[serde(flatten)]
    pub progress: Progress,
    /// Turns per minute.
    pub rpm: f64,
    /// Minutes to the end at that speed.
    pub minutes: Option<f64>,
    /// Tension, N.
    pub tension_n: Option<f64>,
    /// What the winder does; `None` without a winder, and while it does not answer.
    pub winder: Option<WinderMotion>,
    /// What the counter shows, where it does not fit the log.
    pub counter: Option<u32>,
    /// What is the matter.
    pub trouble: Option<StationTrouble>,
}

/// What a winder does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WinderMotion {
    /// Its spindle turns.
    Run,
    /// It stands.
    Stop,
    /// It stands because the wire broke.
    Broke,
}

/// What is the matter at a station.
#[derive(Clone, Debug, PartialEq, Serialize, IntoStaticStr)]
#[serde(tag = "code", rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum StationTrouble {
    /// The log cannot be read; the counter goes on counting.
    LogAway,
    /// The turns could not be logged just now; the counter keeps them.
    NotLogged,
    /// The winder does not answer, or not so that it can be understood.
    Winder {
        /// What the driver says.
        detail: String,
    },
    /// The counter shows fewer turns than the log has.
    CounterBehind {
        /// What the counter shows.
        counter: u32,
        /// What the log has.
        log: u32,
    },
    /// The run is signed off: its counter is shown, and nothing is logged.
    RunClosed,
}

/// A run as its link needs it.
#[derive(Clone, Debug)]
pub(crate) struct FollowedRun {
    /// Its workshop.
    pub workshop: WorkshopId,
    /// Its number in the database.
    pub run: RunId,
    /// In whose name counts are logged.
    pub by: PersonId,
    /// Turns planned.
    pub planned: u32,
    /// Where to stop.
    pub stops: Vec<u32>,
    /// The winder's address; none where turns are told by hand.
    pub winder: Option<String>,
}

/// All links, by run.
#[derive(Clone, Default)]
pub(crate) struct WinderLinks(Arc<Mutex<Links>>);

type Links = HashMap<u64, Link>;

/// A link as those find it who look on.
struct Link {
    /// The winder's address.
    winder: Option<String>,
    sender: watch::Sender<StationState>,
    notify: Arc<tokio::sync::Notify>,
    stop_key: StopKey,
}

/// With this the winder of a link is stopped, also while the database does not answer: whoever may wind is told it.
#[derive(Clone, PartialEq, Eq)]
pub struct StopKey(Arc<str>);

impl StopKey {
    fn random() -> Self {
        let bits: u128 = rand::rng().random();
        Self(format!("{bits:032x}").into())
    }

    /// As it is sent.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.0
    }
}

impl std::fmt::Debug for StopKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("StopKey")
    }
}

/// The key of a count: the same turn of the same run is the same count.
fn key_of(run: RunId, what: &str, turn: u32, epoch: usize) -> ClientKey {
    let hash = Sha256::digest(format!("{run} {what} {turn} {epoch}"));
    let text: String = hash.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
    text.parse().unwrap_or_else(|_| ClientKey::random())
}

impl WinderLinks {
    /// Looks on at a run: what is known now, and every change; and what its winder is stopped with.
    pub(crate) fn follow(
        &self,
        store: &Store,
        followed: FollowedRun,
    ) -> (watch::Receiver<StationState>, StopKey) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(link) = all.get(&followed.run.0)
            && link.winder == followed.winder
        {
            return (link.sender.subscribe(), link.stop_key.clone());
        }
        let (sender, receiver) = watch::channel(StationState::default());
        let notify = Arc::new(tokio::sync::Notify::new());
        let entry = Link {
            winder: followed.winder.clone(),
            sender: sender.clone(),
            notify: Arc::clone(&notify),
            stop_key: StopKey::random(),
        };
        let stop_key = entry.stop_key.clone();
        all.insert(followed.run.0, entry);
        let (links, store) = (self.clone(), store.clone());
        tokio::spawn(async move {
            let run = followed.run.0;
            follow_winder(&store, followed, &sender, &notify).await;
            // Only its own place is given up: another link may have taken it.
            let mut all = links.0.lock().unwrap_or_else(PoisonError::into_inner);
            if all.get(&run).is_some_and(|other| other.sender.same_channel(&sender)) {
                all.remove(&run);
            }
        });
        (receiver, stop_key)
    }

    /// The address of the winder that a key stops; `None` where there is none.
    pub(crate) fn stopped_by(&self, key: &str) -> Option<String> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.values().find(|link| link.stop_key.text() == key)?.winder.clone()
    }

    /// Tells a run's link that something was logged, so that all see it at once.
    pub(crate) fn notify(&self, run: RunId) {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(link) = all.get(&run.0) {
            link.notify.notify_one();
        }
    }
}

/// What is in the log.
struct Known {
    progress: Progress,
    /// How often the counter was preset.
    presets: usize,
    /// Whether every operation of the run is signed.
    closed: bool,
}

async fn read_log(store: &Store, of: &FollowedRun) -> Option<Known> {
    let store = store.of(of.workshop);
    let events = store.events(of.run).await.ok()?;
    let closed = match store.traveller_of_run(of.run).await.ok()? {
        Some(traveller) => traveller.is_done(&store.signatures(of.run).await.ok()?),
        None => false,
    };
    let events: Vec<Event> = events.into_iter().map(|row| row.event).collect();
    let presets = events.iter().filter(|e| e.what == WindingEventKind::Preset).count();
    Some(Known { progress: Progress::of(&events, of.planned, &of.stops), presets, closed })
}

async fn follow_winder(
    store: &Store,
    of: FollowedRun,
    sender: &watch::Sender<StationState>,
    notify: &tokio::sync::Notify,
) {
    let mut winder = of.winder.clone().map(Line::to);
    let mut known = None;
    let (mut alone, mut lost, mut last) = (0, false, Progress::default());
    while alone < POLLS_WITHOUT_LISTENER {
        if known.is_none() {
            known = read_log(store, &of).await;
        }
        let mut state = StationState::default();
        match &mut known {
            None => {
                // The winder is watched all the same, and its turns go on from those that were known.
                state.progress = last;
                state.trouble = Some(StationTrouble::LogAway);
                if let Some(line) = &mut winder
                    && let Ok(now) = line.status().await
                {
                    shows(&mut state, &now);
                    if now.turns >= last.turns {
                        advance(&mut state.progress, now.turns, &of);
                    }
                }
            }
            Some(log) => {
                let mut logged = true;
                if let Some(line) = &mut winder {
                    logged = poll(store, &of, line, log, &mut state, &mut lost).await;
                }
                state.progress = log.progress;
                last = log.progress;
                state.minutes = log.progress.minutes_left(state.rpm);
                if !logged {
                    // What was to be logged was not: the log is read again before more is said.
                    known = None;
                }
            }
        }
        sender.send_if_modified(|old| {
            let changed = *old != state;
            *old = state;
            changed
        });
        alone = if sender.receiver_count() == 0 { alone + 1 } else { 0 };
        tokio::select! {
            () = tokio::time::sleep(POLL_INTERVAL) => {}
            () = notify.notified() => known = None,
        }
    }
}

/// Moves the progress of a coil on to so many turns.
fn advance(progress: &mut Progress, turns: u32, of: &FollowedRun) {
    progress.turns = turns;
    progress.to_go = of.planned.saturating_sub(turns);
    progress.next_stop = of.stops.iter().copied().chain([of.planned]).filter(|stop| *stop > turns).min();
}

/// What the winder shows of itself.
fn shows(state: &mut StationState, now: &Winding) {
    (state.rpm, state.tension_n) = (now.rpm, now.tension_n);
    state.winder = Some(match now.state {
        WinderState::Running => WinderMotion::Run,
        WinderState::Stopped => WinderMotion::Stop,
        WinderState::WireBroke => WinderMotion::Broke,
    });
}

/// Asks the winder once and logs what it shows; returns whether the log took it.
async fn poll(
    store: &Store,
    of: &FollowedRun,
    line: &mut Line,
    log: &mut Known,
    state: &mut StationState,
    lost: &mut bool,
) -> bool {
    let presets = log.presets;
    let note = async |what: WindingEventKind, at_turn: u32, words: &str| {
        let key = key_of(of.run, what.key(), at_turn, presets);
        let new = NewEvent { key, event: Event { what, at_turn }, words };
        store.of(of.workshop).note_event(of.run, of.by, &new).await.is_ok()
    };
    let progress = &mut log.progress;
    let now = match line.status().await {
        Ok(now) => now,
        Err(error) => {
            state.trouble = Some(StationTrouble::Winder { detail: error.to_string() });
            if log.closed {
                return true;
            }
            // Logged once, not at every poll.
            let noted = *lost || note(WindingEventKind::Lost, progress.turns, &error.to_string()).await;
            *lost = *lost || noted;
            return noted;
        }
    };
    *lost = false;
    shows(state, &now);
    if log.closed {
        state.trouble = Some(StationTrouble::RunClosed);
        return true;
    }
    if now.turns < progress.turns {
        state.counter = Some(now.turns);
        state.trouble = Some(StationTrouble::CounterBehind { counter: now.turns, log: progress.turns });
        return true;
    }
    let more = now.turns - progress.turns;
    if more >= LOG_EVERY || (more > 0 && now.state != WinderState::Running) {
        if !note(WindingEventKind::Count, now.turns, "").await {
            state.trouble = Some(StationTrouble::NotLogged);
            return false;
        }
        advance(progress, now.turns, of);
    }
    progress.stands = now.state != WinderState::Running;
    true
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_turn_is_the_same_count_until_the_counter_is_preset() {
        let key = |turn, epoch| key_of(RunId(7), "count", turn, epoch);
        assert_eq!(key(4120, 1), key(4120, 1));
        assert_ne!(key(4120, 1), key(4121, 1));
        assert_ne!(key(4120, 1), key(4120, 2));
    }
}
