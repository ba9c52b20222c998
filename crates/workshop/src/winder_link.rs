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
use std::time::{Duration, Instant};
use store::event::NewEvent;
use store::{ClientKey, InstrumentId, PersonId, RunId, Store, StoreError, WorkshopId, WorkshopStore};
use strum::IntoStaticStr;
use tokio::sync::watch;
use trade::winding::{
    Event, FASTEST_RPM, Progress, WindingEventKind, is_broken, is_possible_in, is_within_plan,
};

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
    /// The counter went on faster than a winder turns, or far beyond the plan: nothing is logged until somebody says whose
    /// turns those are.
    CounterAhead {
        /// What the counter shows.
        counter: u32,
        /// What the log has.
        log: u32,
    },
    /// Nobody said yet that the counter counts for this run: it is shown, and nothing is logged.
    CounterNotTaken {
        /// What the counter shows.
        counter: u32,
        /// What the log has.
        log: u32,
        /// The number of the open run that it counts for.
        other_run: Option<u32>,
    },
    /// The run is signed off or void: its counter is shown, and nothing is logged.
    RunClosed,
}

/// A run as its link needs it.
#[derive(Clone, Debug)]
pub(crate) struct FollowedRun {
    /// Its workshop.
    pub workshop: WorkshopId,
    /// Its number in the database.
    pub run: RunId,
    /// Who began to follow it; what a winder reports is shown in the winder's name.
    pub by: PersonId,
    /// Turns planned.
    pub planned: u32,
    /// Where to stop.
    pub stops: Vec<u32>,
    /// The winder; none where turns are told by hand.
    pub winder: Option<FollowedWinder>,
}

/// A winder as a link needs it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct FollowedWinder {
    /// The instrument.
    pub id: InstrumentId,
    /// Its address.
    pub address: String,
    /// A simulated one turns faster than life.
    pub simulated: bool,
}

/// All links, by run.
#[derive(Clone, Default)]
pub(crate) struct WinderLinks(Arc<Mutex<Links>>);

type Links = HashMap<u64, Link>;

/// A link as those find it who look on.
struct Link {
    winder: Option<FollowedWinder>,
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
        Some(all.values().find(|link| link.stop_key.text() == key)?.winder.as_ref()?.address.clone())
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
    /// Whether the counter counts for this run; else the number of the open run that it counts for.
    counter: CounterOwner,
    /// When something was logged last.
    logged_at: Option<time::PrimitiveDateTime>,
    /// Whether the break that the winder reports is logged already.
    is_broken: bool,
}

/// Whose turns a counter counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum CounterOwner {
    /// This run's.
    This,
    /// Another run's that is open: its number.
    Other(u32),
    /// Nobody's.
    Nobody,
}

/// Whose turns a winder's counter counts, seen from a run.
pub(crate) async fn counter_owner(
    store: &WorkshopStore,
    winder: InstrumentId,
    run: RunId,
) -> Result<CounterOwner, StoreError> {
    let Some(counted) = store.counted_run(winder).await? else { return Ok(CounterOwner::Nobody) };
    if counted == run {
        return Ok(CounterOwner::This);
    }
    let is_open = !is_closed(store, counted).await?;
    Ok(if is_open { CounterOwner::Other(store.run(counted).await?.row.number) } else { CounterOwner::Nobody })
}

/// Whether every operation of a run is signed, or it was voided.
pub(crate) async fn is_closed(store: &WorkshopStore, run: RunId) -> Result<bool, StoreError> {
    if store.run(run).await?.row.voided_at.is_some() {
        return Ok(true);
    }
    let Some(traveller) = store.traveller_of_run(run).await? else { return Ok(false) };
    Ok(traveller.is_done(&store.signatures(run).await?))
}

async fn read_log(store: &Store, of: &FollowedRun) -> Option<Known> {
    let store = store.workshop(of.workshop);
    let events = store.events(of.run).await.ok()?;
    let closed = is_closed(&store, of.run).await.ok()?;
    let counter = match &of.winder {
        Some(winder) => counter_owner(&store, winder.id, of.run).await.ok()?,
        None => CounterOwner::This,
    };
    let logged_at = events.last().map(|row| row.at);
    let events: Vec<Event> = events.into_iter().map(|row| row.event).collect();
    let presets = events.iter().filter(|e| e.what == WindingEventKind::Preset).count();
    Some(Known {
        progress: Progress::from_events(&events, of.planned, &of.stops),
        presets,
        closed,
        counter,
        logged_at,
        is_broken: is_broken(&events),
    })
}

async fn follow_winder(
    store: &Store,
    of: FollowedRun,
    sender: &watch::Sender<StationState>,
    notify: &tokio::sync::Notify,
) {
    let mut winder = of.winder.as_ref().map(|winder| Line::to(&winder.address));
    let mut known = None;
    let (mut alone, mut lost, mut last) = (0, false, Progress::default());
    let mut seen = None;
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
                    seen = Some(look(&of, None, seen, now.turns));
                    if now.turns >= last.turns && seen.is_some_and(|s| s.is_trusted) {
                        advance(&mut state.progress, now.turns, &of);
                    }
                }
            }
            Some(log) => {
                let mut logged = true;
                if winder.is_none() && log.closed {
                    state.trouble = Some(StationTrouble::RunClosed);
                }
                if let Some(line) = &mut winder {
                    logged = poll((store, &of), line, log, &mut state, (&mut lost, &mut seen)).await;
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

fn utc_now() -> time::PrimitiveDateTime {
    let now = time::OffsetDateTime::now_utc();
    time::PrimitiveDateTime::new(now.date(), now.time())
}

/// A simulated winder turns up to so many times faster than life.
const SIMULATED_PACE: f64 = 250.0;

/// What was last seen of a counter.
#[derive(Clone, Copy, Debug)]
struct Sight {
    at: Instant,
    turns: u32,
    /// Whether it can have come there from what was logged.
    is_trusted: bool,
}

/// Looks at a counter: whether it can have gone on from where it was seen, or else from what is logged, to where it stands.
fn look(of: &FollowedRun, log: Option<&Known>, seen: Option<Sight>, counter: u32) -> Sight {
    let pace = if of.winder.as_ref().is_some_and(|w| w.simulated) { SIMULATED_PACE } else { 1.0 };
    let can = |from: u32, seconds: f64| {
        is_possible_in(counter.saturating_sub(from), seconds, FASTEST_RPM * pace)
            && is_within_plan(counter, of.planned)
    };
    let from_log = |log: &Known| {
        let since = log.logged_at.map_or(f64::INFINITY, |at| (utc_now() - at).as_seconds_f64());
        counter <= log.progress.turns || can(log.progress.turns, since)
    };
    let is_trusted = match (seen, log) {
        (_, Some(log)) if counter <= log.progress.turns => true,
        (Some(seen), _) => seen.is_trusted && can(seen.turns, seen.at.elapsed().as_secs_f64()),
        (None, Some(log)) => from_log(log),
        (None, None) => true,
    };
    Sight { at: Instant::now(), turns: counter, is_trusted }
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
    (store, of): (&Store, &FollowedRun),
    line: &mut Line,
    log: &mut Known,
    state: &mut StationState,
    (lost, seen): (&mut bool, &mut Option<Sight>),
) -> bool {
    let presets = log.presets;
    let note = async |what: WindingEventKind, at_turn: u32, words: &str| {
        let key = key_of(of.run, what.key(), at_turn, presets);
        let instrument = of.winder.as_ref().map(|winder| winder.id);
        let new = NewEvent { key, event: Event { what, at_turn }, words, instrument };
        store.workshop(of.workshop).note_event(of.run, of.by, &new).await.is_ok()
    };
    let progress = &log.progress;
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
    let sight = look(of, Some(log), *seen, now.turns);
    *seen = Some(sight);
    let progress = &mut log.progress;
    if log.closed {
        state.trouble = Some(StationTrouble::RunClosed);
        return true;
    }
    let (counter, logged) = (now.turns, progress.turns);
    let other_run = match log.counter {
        CounterOwner::This => None,
        CounterOwner::Other(run) => Some(Some(run)),
        CounterOwner::Nobody => Some(None),
    };
    if let Some(other_run) = other_run {
        state.counter = Some(counter);
        state.trouble = Some(StationTrouble::CounterNotTaken { counter, log: logged, other_run });
        return true;
    }
    if counter < logged {
        state.counter = Some(counter);
        state.trouble = Some(StationTrouble::CounterBehind { counter, log: logged });
        return true;
    }
    let more = counter - logged;
    if !sight.is_trusted {
        state.counter = Some(counter);
        state.trouble = Some(StationTrouble::CounterAhead { counter, log: logged });
        return true;
    }
    // One break is one line, however far the spindle coasts.
    if now.state != WinderState::WireBroke {
        log.is_broken &= now.state != WinderState::Running;
    } else if !log.is_broken {
        if !note(WindingEventKind::Broke, counter, "").await {
            state.trouble = Some(StationTrouble::NotLogged);
            return false;
        }
        log.is_broken = true;
    }
    if more >= LOG_EVERY || (more > 0 && now.state != WinderState::Running) {
        if !note(WindingEventKind::Count, now.turns, "").await {
            state.trouble = Some(StationTrouble::NotLogged);
            return false;
        }
        advance(progress, now.turns, of);
        log.logged_at = Some(utc_now());
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

    fn followed(simulated: bool) -> FollowedRun {
        FollowedRun {
            workshop: WorkshopId(1),
            run: RunId(7),
            by: PersonId(1),
            planned: 7500,
            stops: Vec::new(),
            winder: Some(FollowedWinder { id: InstrumentId(1), address: "127.0.0.1:9".into(), simulated }),
        }
    }

    fn known(turns: u32, seconds_ago: i64) -> Known {
        Known {
            progress: Progress { turns, ..Progress::default() },
            presets: 0,
            closed: false,
            counter: CounterOwner::This,
            logged_at: Some(utc_now() - time::Duration::seconds(seconds_ago)),
            is_broken: false,
        }
    }

    /// A counter is believed as far as a winder can have turned since it was last seen; what came while nobody looked on, as
    /// far as it can since something was logged.
    #[test]
    fn a_counter_is_believed_as_far_as_a_winder_turns() {
        let of = followed(false);
        let trusted =
            |log: &Known, seen: Option<Sight>, counter| look(&of, Some(log), seen, counter).is_trusted;
        let sight = |turns, is_trusted| Some(Sight { at: Instant::now(), turns, is_trusted });
        // The server was away for a quarter of an hour while the winder ran on.
        assert!(trusted(&known(300, 900), None, 7500));
        assert!(!trusted(&known(300, 2), None, 7500), "not in two seconds");
        assert!(!trusted(&known(300, 900), None, 60_000), "and never so far beyond the plan");
        // Seen a moment ago, with the spindle standing: the log's age does not matter.
        assert!(trusted(&known(300, 900), sight(300, true), 304));
        assert!(!trusted(&known(300, 900), sight(300, true), 7000));
        assert!(!trusted(&known(300, 900), sight(7000, false), 7000), "seen again is not believed");
        assert!(trusted(&known(7000, 900), sight(7000, false), 7000), "confirmed is");
        // Nothing could be logged for a while: it was seen going on all the time.
        assert!(trusted(&known(300, 2), sight(7000, true), 7010));
        assert!(look(&followed(true), Some(&known(300, 2)), None, 7500).is_trusted, "faster than life");
    }
}
