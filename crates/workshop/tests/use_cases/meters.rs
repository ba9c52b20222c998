//! Instruments of a workshop: what is kept of them, and by which one resonances are shown.

use crate::{design, run, set_up, with_bench};
use instruments::simulated::Fault;
use store::ClientKey;
use store::instrument::NewInstrument;
use trade::instrument::InstrumentKind;
use trade::reading::{Kind, open_coil};
use trade::verdict::Level;
use workshop::{MeasureCommand, Refusal};

fn analyser(name: &'static str, input_pf: Option<f64>) -> NewInstrument<'static> {
    NewInstrument {
        key: ClientKey::random(),
        kind: InstrumentKind::Sweep,
        name,
        address: "127.0.0.1:9",
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf,
        input_mohm: None,
        simulated: true,
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn resonances_are_shown_as_the_chosen_instrument_shows_them() {
    let (workshop, actor, _) = set_up().await;
    for (name, input_pf) in [("Analyser", Some(110.0)), ("Probe", Some(15.0)), ("Plain", None)] {
        workshop.add_instrument(&actor, &analyser(name, input_pf)).await.unwrap();
    }
    let all = workshop.instruments(&actor).await.unwrap();
    let id = |name: &str| all.iter().find(|i| i.name == name).unwrap().id;
    let shown = async || workshop.analyser(&actor).await.unwrap().unwrap().0;
    assert_eq!(shown().await, "Analyser", "the first, while none is chosen");
    workshop.show_resonances_by(&actor, id("Probe")).await.unwrap();
    assert_eq!(shown().await, "Probe");
    workshop.show_resonances_by(&actor, id("Analyser")).await.unwrap();
    assert_eq!(shown().await, "Analyser", "one at a time");
    let unknown = workshop.show_resonances_by(&actor, id("Plain")).await;
    assert!(matches!(unknown, Err(Refusal::InputUnknown)));
}

/// A calibration is renewed; of two who change one instrument the second is told, and nothing is lost in silence.
#[tokio::test(flavor = "multi_thread")]
async fn an_instrument_is_changed_by_who_saw_it_last() {
    let (workshop, actor, _) = set_up().await;
    for name in ["Analyser", "Probe"] {
        workshop.add_instrument(&actor, &analyser(name, Some(110.0))).await.unwrap();
    }
    let seen = workshop.instruments(&actor).await.unwrap().remove(0);
    let due = time::Date::from_ordinal_date(2027, 120).unwrap();
    let renewed = NewInstrument { due: Some(due), ..analyser("Analyser", Some(95.0)) };
    workshop.change_instrument(&actor, seen.id, seen.version, &renewed).await.unwrap();
    let now = workshop.instrument(&actor, seen.id).await.unwrap();
    assert_eq!((now.due, now.input_pf), (Some(due), Some(95.0)));
    let late = workshop.change_instrument(&actor, seen.id, seen.version, &analyser("Analyser", None)).await;
    assert!(matches!(late, Err(Refusal::ChangedMeanwhile("instrument"))));
    let twin = workshop.change_instrument(&actor, seen.id, now.version, &analyser("Probe", None)).await;
    assert!(matches!(twin, Err(Refusal::NameTaken("instrument"))));
    assert_eq!(workshop.instrument(&actor, seen.id).await.unwrap().input_pf, Some(95.0));
}

/// An overload is believed when the meter shows it again and again; a resistance that is read later supersedes it.
#[tokio::test(flavor = "multi_thread")]
async fn an_overload_while_the_meter_ranges_is_no_open_coil() {
    let (workshop, actor, store) = set_up().await;
    let bench = with_bench(&store, &actor, "Ohmmeter", InstrumentKind::Ohm).await;
    let meter = workshop.instruments(&actor).await.unwrap().remove(0).id;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let measure = async |fault: Fault| {
        bench.set_faults(vec![fault]);
        let command =
            MeasureCommand { key: ClientKey::random(), instrument: meter, coil_c: Some(20.0), pole: None };
        workshop.measure(&actor, id, &command).await.unwrap();
        workshop.run_details(&actor, id).await.unwrap()
    };
    let ranged = measure(Fault::Ranging).await;
    assert_eq!(ranged.readings.iter().map(|r| r.reading.kind).collect::<Vec<_>>(), [Kind::Resistance]);
    let open = measure(Fault::Open).await;
    assert_eq!((open.readings.len(), open.verdict.level), (2, Level::Stop));
    let again = measure(Fault::Ranging).await;
    let readings: Vec<_> = again.readings.iter().map(|row| row.reading.clone()).collect();
    assert!(open_coil(&readings).is_none() && again.verdict.level != Level::Stop, "{:?}", again.verdict);
}
