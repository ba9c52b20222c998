//! Whose turns a winder counts: a counter belongs to a run that took it over, and to no other.

use crate::{close, design, measure_well, run, set_up, with_winder};
use instruments::Winder as _;
use std::time::Duration;
use store::{InstrumentId, RunId};
use tokio::time::timeout;
use trade::winding::{Event, WindingEventKind};
use workshop::{
    Actor, LogEvent, Refusal, StationState, StationTrouble, TakeOver, WinderChoice, WinderCommand, Workshop,
};

const RUN: WinderCommand = WinderCommand::Run { rpm: 500.0 };

async fn winder(workshop: &Workshop, actor: &Actor, name: &str) -> InstrumentId {
    workshop.winders(actor).await.unwrap().into_iter().find(|w| w.name == name).unwrap().id
}

async fn chosen(workshop: &Workshop, actor: &Actor, id: RunId) -> Option<String> {
    workshop.chosen_winder(actor, id, WinderChoice::OfRun).await.unwrap().map(|w| w.name)
}

/// What a station shows as soon as `is_it`.
async fn seen(
    workshop: &Workshop,
    actor: &Actor,
    id: RunId,
    choice: WinderChoice,
    is_it: impl FnMut(&StationState) -> bool,
) -> StationState {
    let (mut state, _) = workshop.follow(actor, id, choice).await.unwrap();
    timeout(Duration::from_secs(20), state.wait_for(is_it)).await.expect("it comes").unwrap().clone()
}

async fn events(workshop: &Workshop, actor: &Actor, id: RunId) -> usize {
    workshop.run_details(actor, id).await.unwrap().events.len()
}

/// A run noted on the second winder opens there; another one that counts for an open run is not offered by itself.
#[tokio::test(flavor = "multi_thread")]
async fn a_station_opens_on_the_winder_of_its_run() {
    let (workshop, actor, store) = set_up().await;
    with_winder(&store, &actor, "Winder one").await;
    with_winder(&store, &actor, "Winder two").await;
    let two = winder(&workshop, &actor, "Winder two").await;
    let revision = design(&workshop, &actor).await;
    let start = workshop::StartRun {
        key: store::ClientKey::random(),
        revision,
        coil: None,
        spool: None,
        operator: actor.person,
        winder: Some(two),
        turns: 7500,
        stops: vec![7500],
        wire_g: None,
        remark: String::new(),
        accept_short_spool: false,
        other_wire: None,
    };
    let noted = workshop.start_run(&actor, &start).await.unwrap();
    assert_eq!(chosen(&workshop, &actor, noted).await.as_deref(), Some("Winder two"));
    let other = run(&workshop, &actor, revision).await;
    assert_eq!(chosen(&workshop, &actor, other).await.as_deref(), Some("Winder one"));
    workshop.command_winder(&actor, other, WinderChoice::OfRun, RUN).await.unwrap();
    let third = run(&workshop, &actor, revision).await;
    assert_eq!(chosen(&workshop, &actor, third).await.as_deref(), Some("Winder two"));
    workshop.command_winder(&actor, noted, WinderChoice::OfRun, RUN).await.unwrap();
    assert_eq!(chosen(&workshop, &actor, third).await, None, "both are on open runs");
    let refused = workshop.command_winder(&actor, third, WinderChoice::This(two), RUN).await;
    assert!(matches!(refused, Err(Refusal::WinderInUse { run: 1 })), "{refused:?}");
    let preset = WinderCommand::Preset { turns: 0 };
    let refused = workshop.command_winder(&actor, third, WinderChoice::This(two), preset).await;
    assert!(matches!(refused, Err(Refusal::WinderInUse { run: 1 })));
    let stopped = workshop.command_winder(&actor, third, WinderChoice::This(two), WinderCommand::Stop).await;
    assert!(stopped.is_ok(), "anybody may stop a spindle");
    // A run that is closed lets its winder go.
    measure_well(&workshop, &actor, noted).await;
    close(&workshop, &actor, noted).await;
    assert_eq!(chosen(&workshop, &actor, third).await.as_deref(), Some("Winder two"));
}

/// After a coil of 7,430 turns its winder's counter still stands there: looking at a fresh run logs nothing, and neither does
/// running it, until somebody says whose turns those are.
#[tokio::test(flavor = "multi_thread")]
async fn looking_at_a_run_logs_no_other_coils_turns() {
    let (workshop, actor, store) = set_up().await;
    let bench = with_winder(&store, &actor, "Winder one").await;
    let revision = design(&workshop, &actor).await;
    let fresh = run(&workshop, &actor, revision).await;
    bench.clone().preset(7430).await.unwrap();
    let untaken = |s: &StationState| {
        s.trouble == Some(StationTrouble::CounterNotTaken { counter: 7430, log: 0, other_run: None })
    };
    let state = seen(&workshop, &actor, fresh, WinderChoice::OfRun, untaken).await;
    assert_eq!((state.progress.turns, state.counter), (0, Some(7430)));
    tokio::time::sleep(Duration::from_secs(1)).await;
    assert_eq!(events(&workshop, &actor, fresh).await, 0);
    let refused = workshop.command_winder(&actor, fresh, WinderChoice::OfRun, RUN).await;
    assert!(matches!(refused, Err(Refusal::CounterNotTaken { counter: 7430, log: 0 })));
    let set = (TakeOver::SetToLog, false);
    workshop.take_over_counter(&actor, fresh, WinderChoice::OfRun, set).await.unwrap();
    assert_eq!(bench.clone().status().await.unwrap().turns, 0);
    workshop.command_winder(&actor, fresh, WinderChoice::OfRun, RUN).await.unwrap();
    seen(&workshop, &actor, fresh, WinderChoice::OfRun, |s| s.progress.turns > 50).await;
    // Another run does not get these turns either, whatever it looks at; it may take the winder over when it says so.
    let next = run(&workshop, &actor, revision).await;
    let one = WinderChoice::This(winder(&workshop, &actor, "Winder one").await);
    let held = |s: &StationState| {
        matches!(s.trouble, Some(StationTrouble::CounterNotTaken { other_run: Some(1), .. }))
    };
    seen(&workshop, &actor, next, one, held).await;
    workshop.command_winder(&actor, fresh, WinderChoice::OfRun, WinderCommand::Stop).await.unwrap();
    let refused = workshop.take_over_counter(&actor, next, one, (TakeOver::TheseTurns, false)).await;
    assert!(matches!(refused, Err(Refusal::WinderInUse { run: 1 })));
    workshop.take_over_counter(&actor, next, one, (TakeOver::TheseTurns, true)).await.unwrap();
    let turns = bench.clone().status().await.unwrap().turns;
    seen(&workshop, &actor, next, one, |s| s.progress.turns == turns && s.trouble.is_none()).await;
    let lost = |s: &StationState| {
        matches!(s.trouble, Some(StationTrouble::CounterNotTaken { other_run: Some(2), .. }))
    };
    seen(&workshop, &actor, fresh, one, lost).await;
}

/// A counter that jumps far beyond the plan is not believed; a break that the winder reports is logged by itself, once.
#[tokio::test(flavor = "multi_thread")]
async fn a_counter_that_cannot_be_is_asked_about() {
    let (workshop, actor, store) = set_up().await;
    let bench = with_winder(&store, &actor, "Winder one").await;
    bench.set_faults(vec![instruments::simulated::Fault::BreaksAt(200)]);
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    workshop.command_winder(&actor, id, WinderChoice::OfRun, RUN).await.unwrap();
    seen(&workshop, &actor, id, WinderChoice::OfRun, |s| s.progress.turns == 200).await;
    tokio::time::sleep(Duration::from_secs(1)).await;
    let log = workshop.run_details(&actor, id).await.unwrap().events;
    let breaks = log.iter().filter(|e| e.event == Event { what: WindingEventKind::Broke, at_turn: 200 });
    assert_eq!(breaks.count(), 1);
    bench.clone().preset(60_000).await.unwrap();
    let ahead =
        |s: &StationState| s.trouble == Some(StationTrouble::CounterAhead { counter: 60_000, log: 200 });
    let state = seen(&workshop, &actor, id, WinderChoice::OfRun, ahead).await;
    assert_eq!(state.progress.turns, 200);
    let event = Event { what: WindingEventKind::Count, at_turn: 60_000 };
    let mut by_hand =
        LogEvent { key: store::ClientKey::random(), event, remark: String::new(), is_confirmed: false };
    let refused = workshop.log_event(&actor, id, &by_hand).await;
    assert!(matches!(refused, Err(Refusal::ImplausibleTurns { turns: 60_000, planned: 7500 })));
    by_hand.is_confirmed = true;
    assert!(workshop.log_event(&actor, id, &by_hand).await.unwrap());
}
