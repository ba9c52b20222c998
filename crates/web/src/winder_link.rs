//! The link between a run and its winder: it asks the counter, logs the turns, and tells every page that looks on.
//!
//! The winder's own counter is the truth. What it shows is logged about once a second under a key made of run and turn, so
//! that nothing is counted twice, and nothing is lost that the counter still knows when server or database come back.

use instruments::net::Line;
use instruments::{Winder as _, WinderState};
use serde::Serialize;
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use store::event::NewEvent;
use store::{ClientKey, PersonId, RunId, Store, WorkshopId};
use tokio::sync::watch;
use trade::winding::{Event, Progress, WindingEventKind};

/// Between two questions to the counter.
const BEAT: Duration = Duration::from_millis(400);
/// Beats without anybody looking on, after which the link ends.
const ALONE: u32 = 150;
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
    /// `run`, `stop`, `broke`, or empty without a winder.
    pub winder: &'static str,
    /// What the counter shows, where it does not fit the log.
    pub counter: Option<u32>,
    /// What is the matter, in words.
    pub trouble: String,
}

/// A run as its link needs it.
#[derive(Clone, Debug)]
pub struct FollowedRun {
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
pub struct WinderLinks(Arc<Mutex<Links>>);

type Links = HashMap<u64, (Option<String>, watch::Sender<StationState>, Arc<tokio::sync::Notify>)>;

/// The key of a count: the same turn of the same run is the same count.
fn key_of(run: RunId, what: &str, turn: u32, epoch: usize) -> ClientKey {
    let hash = Sha256::digest(format!("{run} {what} {turn} {epoch}"));
    let text: String = hash.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
    text.parse().unwrap_or_else(|_| ClientKey::random())
}

impl WinderLinks {
    /// Looks on at a run: what is known now, and every change.
    pub fn follow(&self, store: &Store, followed: FollowedRun) -> watch::Receiver<StationState> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((winder, sender, _)) = all.get(&followed.run.0)
            && *winder == followed.winder
        {
            return sender.subscribe();
        }
        let (sender, receiver) = watch::channel(StationState::default());
        let notify = Arc::new(tokio::sync::Notify::new());
        all.insert(followed.run.0, (followed.winder.clone(), sender.clone(), Arc::clone(&notify)));
        let (links, store) = (self.clone(), store.clone());
        tokio::spawn(async move {
            let run = followed.run.0;
            link(&store, followed, &sender, &notify).await;
            // Only its own place is given up: another link may have taken it.
            let mut all = links.0.lock().unwrap_or_else(PoisonError::into_inner);
            if all.get(&run).is_some_and(|(_, other, _)| other.same_channel(&sender)) {
                all.remove(&run);
            }
        });
        receiver
    }

    /// Says that something was noted for a run, so that all see it at once.
    pub fn noted(&self, run: RunId) {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, _, notify)) = all.get(&run.0) {
            notify.notify_one();
        }
    }
}

/// What is in the log: the progress, and how often the counter was preset.
async fn logged(store: &Store, of: &FollowedRun) -> Option<(Progress, usize)> {
    let events = store.of(of.workshop).events(of.run).await.ok()?;
    let events: Vec<Event> = events.into_iter().map(|h| h.event).collect();
    let presets = events.iter().filter(|e| e.what == WindingEventKind::Preset).count();
    Some((Progress::of(&events, of.planned, &of.stops), presets))
}

async fn link(
    store: &Store,
    of: FollowedRun,
    sender: &watch::Sender<StationState>,
    notify: &tokio::sync::Notify,
) {
    let mut winder = of.winder.clone().map(Line::to);
    let mut known = None;
    let (mut alone, mut lost) = (0, false);
    while alone < ALONE {
        if known.is_none() {
            known = logged(store, &of).await;
        }
        let mut live = StationState::default();
        match &mut known {
            None => {
                "The database does not answer; the counter goes on counting.".clone_into(&mut live.trouble);
            }
            Some((progress, presets)) => {
                if let Some(line) = &mut winder {
                    let stands = beat(store, &of, line, (progress, *presets), &mut live, &mut lost).await;
                    if !stands {
                        // What was to be logged was not: the log is read again before more is said.
                        known = None;
                    }
                }
                if let Some((progress, _)) = &known {
                    live.progress = *progress;
                    live.minutes = progress.minutes_left(live.rpm);
                }
            }
        }
        sender.send_if_modified(|old| {
            let changed = *old != live;
            *old = live;
            changed
        });
        alone = if sender.receiver_count() == 0 { alone + 1 } else { 0 };
        tokio::select! {
            () = tokio::time::sleep(BEAT) => {}
            () = notify.notified() => known = None,
        }
    }
}

/// Asks the winder once and logs what it shows; answers whether the log took it.
async fn beat(
    store: &Store,
    of: &FollowedRun,
    line: &mut Line,
    (progress, presets): (&mut Progress, usize),
    live: &mut StationState,
    lost: &mut bool,
) -> bool {
    let note = async |what: WindingEventKind, at_turn: u32, words: &str| {
        let key = key_of(of.run, what.key(), at_turn, presets);
        let new = NewEvent { key, event: Event { what, at_turn }, words };
        store.of(of.workshop).note_event(of.run, of.by, &new).await.is_ok()
    };
    let now = match line.status().await {
        Ok(now) => now,
        Err(error) => {
            live.trouble = format!("Winder: {error}");
            // Said once, not at every beat.
            let noted = *lost || note(WindingEventKind::Lost, progress.turns, &error.to_string()).await;
            *lost = *lost || noted;
            return noted;
        }
    };
    *lost = false;
    (live.rpm, live.tension_n) = (now.rpm, now.tension_n);
    live.winder = match now.state {
        WinderState::Running => "run",
        WinderState::Stopped => "stop",
        WinderState::WireBroke => "broke",
    };
    if now.turns < progress.turns {
        live.counter = Some(now.turns);
        live.trouble = format!(
            "The counter shows {}, the log has {}: set the counter, or preset the log to what is on the coil.",
            now.turns, progress.turns
        );
        return true;
    }
    let more = now.turns - progress.turns;
    if more >= LOG_EVERY || (more > 0 && now.state != WinderState::Running) {
        if !note(WindingEventKind::Count, now.turns, "").await {
            "The turns could not be logged just now; the counter keeps them.".clone_into(&mut live.trouble);
            return false;
        }
        let stops = &of.stops;
        progress.turns = now.turns;
        progress.to_go = of.planned.saturating_sub(now.turns);
        progress.next_stop = stops.iter().copied().chain([of.planned]).filter(|s| *s > now.turns).min();
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
