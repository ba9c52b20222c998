//! The contract that both kinds of driver keep: the simulated instruments themselves, and the driver that reaches them over
//! TCP; and what the driver says when the line is bad.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

use coil::design::tall_single;
use instruments::net::Line;
use instruments::simulated::{Bench, Fault, Line as Wire, Piece};
use instruments::{
    Gaussmeter, Instrument, InstrumentError, LcrMeter, OhmMeter, Ohms, SweepAnalyser, Winder, WinderState,
    server,
};
use rstest::rstest;
use std::time::Duration;

fn piece(faults: &[Fault]) -> Piece {
    Piece { design: tall_single("Sedge", 6, 10.4), seed: 7, faults: faults.to_vec(), warmer_k: 0.0 }
}

async fn served(bench: &Bench) -> Line {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(server::serve(bench.clone(), listener));
    Line::to(address).patient(Duration::from_millis(800))
}

/// What every driver of every instrument must do, on one coil.
async fn contract(bench: &Bench, mut of: impl LcrMeter + OhmMeter + Gaussmeter + SweepAnalyser + Winder) {
    assert!(of.identify().await.unwrap().contains(','));
    assert!(matches!(of.resistance().await, Err(InstrumentError::Refused { .. })), "nothing is connected");
    bench.lay(piece(&[])).unwrap();
    // Three equal coils of this kind read 5.83 to 5.89 k and 2.22 to 2.29 H (common practice, no source).
    let Ohms::Of(ohms) = of.resistance().await.unwrap() else { panic!("open") };
    assert!((5500.0..6200.0).contains(&ohms), "{ohms}");
    assert!((15.0..30.0).contains(&of.temperature().await.unwrap()));
    let read = of.inductance(1000.0).await.unwrap();
    assert!((2.0..2.5).contains(&read.henries) && (1.0..4.0).contains(&read.q), "{read:?}");
    // The capacitance range reads tens of nanofarads near 500 Hz: inductance and resistance (common practice, no source).
    let farads = of.capacitance(500.0).await.unwrap();
    assert!((2e-8..6e-8).contains(&farads), "{farads}");
    assert!(matches!(of.inductance(1.0).await, Err(InstrumentError::Refused { .. })));
    bench.hold_probe(3, 0.5);
    let south = of.flux().await.unwrap();
    assert!((-0.2..-0.04).contains(&south), "south is up by design: {south}");
    let sweep = of.sweep(100.0, 20_000.0, 60).await.unwrap();
    assert_eq!(sweep.len(), 60);
    let top = sweep.iter().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap();
    assert!((3000.0..6000.0).contains(&top.0) && sweep.windows(2).all(|p| p[0].0 < p[1].0), "{top:?}");
    // The winder counts while it runs, keeps its count while it stands, and takes a preset.
    of.preset(10).await.unwrap();
    assert_eq!(of.status().await.unwrap().turns, 10);
    of.run(600.0, None).await.unwrap();
    let mut now = of.status().await.unwrap();
    while now.turns < 60 {
        assert_eq!(now.state, WinderState::Running);
        tokio::time::sleep(Duration::from_millis(10)).await;
        now = of.status().await.unwrap();
    }
    of.stop().await.unwrap();
    let stands = of.status().await.unwrap();
    assert_eq!((stands.state, stands.turns), (WinderState::Stopped, of.status().await.unwrap().turns));
    // Told where to stop it stops there, to the turn; behind it there is nothing to run to.
    of.preset(100).await.unwrap();
    of.run(1500.0, Some(180)).await.unwrap();
    while of.status().await.unwrap().state == WinderState::Running {
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    assert_eq!(of.status().await.unwrap().turns, 180);
    assert!(matches!(of.run(1500.0, Some(180)).await, Err(InstrumentError::Refused { .. })));
    assert!(matches!(of.run(1e9, None).await, Err(InstrumentError::Refused { .. })));
}

#[tokio::test]
async fn the_simulated_instruments_keep_the_contract() {
    let bench = Bench::new(1, 20.0);
    contract(&bench, bench.clone()).await;
}

#[tokio::test]
async fn the_driver_over_tcp_keeps_the_contract() {
    let bench = Bench::new(1, 20.0);
    contract(&bench, served(&bench).await).await;
}

/// What a bad line does is said, never waited for without end, and over when the line is good again.
#[rstest]
#[case(Wire::Silent, InstrumentError::Silent { seconds: 1 })]
#[case(Wire::Lost, InstrumentError::Lost)]
#[tokio::test]
async fn a_bad_line_is_said(#[case] wire: Wire, #[case] error: InstrumentError) {
    let bench = Bench::new(1, 1.0);
    let mut line = served(&bench).await;
    bench.lay(piece(&[])).unwrap();
    bench.set_line(wire);
    assert_eq!(line.resistance().await, Err(error));
    bench.set_line(Wire::Good);
    assert!(matches!(line.resistance().await, Ok(Ohms::Of(_))));
}

#[tokio::test]
async fn nonsense_is_no_reading_and_nobody_home_is_said() {
    let bench = Bench::new(1, 1.0);
    let mut line = served(&bench).await;
    bench.lay(piece(&[])).unwrap();
    bench.set_line(Wire::Garbage);
    assert!(matches!(line.flux().await, Err(InstrumentError::Garbled { .. })));
    assert!(matches!(line.status().await, Err(InstrumentError::Garbled { .. })));
    assert!(matches!(line.sweep(100.0, 1000.0, 10).await, Err(InstrumentError::Garbled { .. })));
    let nobody = Line::to("127.0.0.1:9").identify().await;
    assert!(matches!(nobody, Err(InstrumentError::Unreachable { .. })), "{nobody:?}");
}

/// Faults show as the trade knows them: an open coil, enamel that has not burned through, shorted turns that barely move the
/// ohms and drag the henries down, weak and reversed magnets (common practice, no source).
#[tokio::test]
async fn faults_show_in_the_readings() {
    let mut bench = Bench::new(3, 1.0);
    let good = {
        bench.lay(piece(&[])).unwrap();
        (bench.resistance().await.unwrap(), bench.inductance(1000.0).await.unwrap().henries)
    };
    let Ohms::Of(good_ohms) = good.0 else { panic!("open") };
    bench.lay(piece(&[Fault::Open])).unwrap();
    assert_eq!(bench.resistance().await, Ok(Ohms::Open));
    bench.lay(piece(&[Fault::Unburned])).unwrap();
    for _ in 0..8 {
        assert_eq!(bench.resistance().await, Ok(Ohms::Open));
    }
    assert!(matches!(bench.resistance().await, Ok(Ohms::Of(_))));
    bench.lay(piece(&[Fault::Ranging])).unwrap();
    assert_eq!(bench.resistance().await, Ok(Ohms::Open));
    assert!(matches!(bench.resistance().await, Ok(Ohms::Of(_))));
    bench.lay(piece(&[Fault::ShortedTurns])).unwrap();
    let Ohms::Of(ohms) = bench.resistance().await.unwrap() else { panic!("open") };
    assert!((ohms / good_ohms - 1.0).abs() < 0.01);
    assert!(bench.inductance(1000.0).await.unwrap().henries < 0.9 * good.1);
    bench.lay(piece(&[Fault::Reversed(2), Fault::HalfCharge])).unwrap();
    bench.hold_probe(2, 0.5);
    let reversed = bench.flux().await.unwrap();
    bench.hold_probe(3, 0.5);
    assert!(reversed > 0.0 && bench.flux().await.unwrap() < 0.0 && reversed < 0.09);
}

/// A warm coil reads high and cools (a rise of 10 K is 3.9 %: IEC 60028's coefficient).
#[tokio::test]
async fn a_warm_coil_cools_on_the_bench() {
    let mut bench = Bench::new(3, 600.0);
    bench.lay(Piece { warmer_k: 10.0, ..piece(&[]) }).unwrap();
    let Ohms::Of(warm) = bench.resistance().await.unwrap() else { panic!("open") };
    tokio::time::sleep(Duration::from_secs(3)).await;
    let Ohms::Of(cold) = bench.resistance().await.unwrap() else { panic!("open") };
    assert!((1.03..1.045).contains(&(warm / cold)), "{warm} {cold}");
}

/// The wire breaks where it breaks, the winder stands, and a preset lets it go on from there.
#[tokio::test]
async fn a_broken_wire_stops_the_winder_at_its_turn() {
    let mut bench = Bench::new(3, 100.0);
    bench.lay(piece(&[Fault::BreaksAt(400)])).unwrap();
    bench.preset(0).await.unwrap();
    bench.run(1000.0, None).await.unwrap();
    let mut now = bench.status().await.unwrap();
    while now.state == WinderState::Running {
        tokio::time::sleep(Duration::from_millis(5)).await;
        now = bench.status().await.unwrap();
    }
    assert_eq!((now.state, now.turns), (WinderState::WireBroke, 400));
    bench.run(1000.0, None).await.unwrap();
    tokio::time::sleep(Duration::from_millis(20)).await;
    assert!(bench.status().await.unwrap().turns > 400);
}
