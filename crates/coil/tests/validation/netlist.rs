//! The netlist, run in a general circuit simulator (ngspice, Debian's package), against our own response: within 0.1 dB
//! and 0.5 % in frequency.

use coil::design::{Format, starting_point};
use coil::prediction::{Solution, predict};
use rstest::rstest;
use std::io::Write as _;
use std::process::{Command, Stdio};

/// Frequencies and levels (dB) of the node `out`: the netlist runs as it is written.
pub(crate) fn simulate(netlist: &str) -> Vec<(f64, f64)> {
    let mut child = Command::new("ngspice")
        .args(["-b", "/dev/stdin"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("ngspice is needed: script/setup --tests installs it");
    child.stdin.take().unwrap().write_all(netlist.as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let rows: Vec<(f64, f64)> = text
        .lines()
        .filter_map(|line| {
            let mut words = line.split_whitespace();
            words.next()?.parse::<u32>().ok()?;
            Some((words.next()?.parse().ok()?, words.next()?.parse().ok()?))
        })
        .collect();
    assert!(rows.len() > 400, "{text}\n{}", String::from_utf8_lossy(&output.stderr));
    rows
}

#[rstest]
#[case(Format::TallSingle, "single")]
#[case(Format::ShortSingle, "single")]
#[case(Format::TwinCoil, "series")]
#[case(Format::TwinCoil, "parallel")]
#[case(Format::TwinCoil, "split:B")]
#[case(Format::Concentric, "sections")]
fn a_circuit_simulator_agrees(#[case] kind: Format, #[case] join: &str) {
    let mut design = starting_point(kind, "netlist\nwith a second line .end", 6, 10.0);
    design.wiring.join = join.into();
    let prediction = predict(&design).unwrap();
    let rows = simulate(&Solution::compute(&design).unwrap().netlist());
    let load = coil::circuit::LoadCircuit {
        volume_ohm: 250e3,
        volume_at: 1.0,
        tone_ohm: 250e3,
        tone_f: 22e-9,
        cable_f: 470e-12,
        input_ohm: 1e6,
    };
    let ours = |hz: f64| 20.0 * prediction.circuit.response(Some(&load), hz).norm().log10();
    for (hz, theirs) in &rows {
        assert!(
            (theirs - ours(*hz)).abs() < 0.1,
            "{kind:?} {join} at {hz} Hz: {theirs} against {}",
            ours(*hz)
        );
    }
    // The peak of the simulator's points by the parabola through the highest three.
    let highest = (1..rows.len() - 1).max_by(|&a, &b| rows[a].1.total_cmp(&rows[b].1)).unwrap();
    if highest > 1 && highest < rows.len() - 2 && rows[highest].1 > 0.2 + rows[0].1 {
        let [a, b, c] = [highest - 1, highest, highest + 1].map(|i| (rows[i].0.ln(), rows[i].1));
        let shift = 0.5 * (a.1 - c.1) / (a.1 - 2.0 * b.1 + c.1);
        let peak = (b.0 + shift * (c.0 - b.0)).exp();
        assert!((peak / prediction.pickup.peak_hz.unwrap().nominal - 1.0).abs() < 0.005, "{peak}");
    }
}
