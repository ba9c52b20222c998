//! The circuit as text for general circuit simulators.

use super::network::{Join, LoadCircuit, Network};
use std::fmt::Write as _;

/// The pickup with its load as a netlist: coupled coils with their induced voltages as sources, eddy currents as
/// closed loops coupled to them, load, and an analysis from 50 Hz to 20 kHz. The output is the node `out`.
///
/// `title` becomes the first line; control characters in it are left out.
#[must_use]
pub fn netlist(title: &str, network: &Network, load: Option<&LoadCircuit>) -> String {
    let mut text = String::new();
    let clean: String = title.chars().filter(|c| !c.is_control()).take(120).collect();
    // Writing to a String cannot fail.
    let mut line = |args: std::fmt::Arguments<'_>| {
        let _ = writeln!(text, "{args}");
    };
    line(format_args!("* {clean}"));
    line(format_args!("* The voltage that the strings induce, less what eddy currents take of it."));
    line(format_args!("Vstring s0 0 DC 0 AC 1"));
    line(format_args!("Estring g0 0 s0 0 1"));
    let mut signal = "g0".to_owned();
    let screening = network.screening.iter().filter(|s| s.time_s > 1e-12);
    for (k, screening) in (1..).zip(screening) {
        // The voltage across the inductance of a series R-L is jωτ/(1 + jωτ) of the whole.
        line(format_args!("Rs{k} s0 s{k} 1"));
        line(format_args!("Ls{k} s{k} 0 {:.9e}", screening.time_s));
        line(format_args!("Es{k} g{k} {signal} s{k} 0 {:.9e}", -screening.coupling_s / screening.time_s));
        signal = format!("g{k}");
    }
    line(format_args!("* Coils: their share of the voltage, resistance, inductance, own capacitance."));
    let n = network.coils.len();
    for (i, coil) in network.coils.iter().enumerate() {
        let k = i + 1;
        let (low, high) = match network.join {
            Join::Parallel => ("0".to_owned(), "hot".to_owned()),
            Join::Series => (
                if i == 0 { "0".to_owned() } else { format!("c{i}") },
                if k == n { "hot".to_owned() } else { format!("c{k}") },
            ),
        };
        line(format_args!("E{k} e{k} {low} {signal} 0 {:.9}", coil.signal));
        line(format_args!("R{k} e{k} r{k} {:.6}", coil.resistance_ohm));
        // An inductor's first node is where counter-clockwise current enters, so that couplings keep their sign.
        let (from, to) =
            if coil.sense >= 0.0 { (format!("r{k}"), high.clone()) } else { (high.clone(), format!("r{k}")) };
        line(format_args!("L{k} {from} {to} {:.9}", network.inductance_h[i][i]));
        if coil.capacitance_f > 0.0 {
            line(format_args!("C{k} {high} {low} {:.6e}", coil.capacitance_f));
        }
    }
    for a in 0..n {
        for b in 0..a {
            let m = network.inductance_h[a][b];
            let k = m / (network.inductance_h[a][a] * network.inductance_h[b][b]).sqrt();
            line(format_args!("K{}_{} L{} L{} {k:.9}", b + 1, a + 1, b + 1, a + 1));
        }
    }
    line(format_args!("* Eddy currents: closed loops coupled to the coils."));
    let eddies = network.relaxations.iter().filter(|r| r.time_s > 1e-12 && r.strength_hs > 0.0);
    for (e, relaxation) in (1..).zip(eddies) {
        line(format_args!("Le{e} x{e} 0 {:.9e}", relaxation.time_s));
        line(format_args!("Re{e} x{e} 0 1"));
        for (i, coil) in network.coils.iter().enumerate() {
            // Sense: the share is counted towards the hot lead, the inductor counter-clockwise.
            let m = coil.eddy_share * coil.sense * relaxation.strength_hs.sqrt();
            let k = m / (network.inductance_h[i][i] * relaxation.time_s).sqrt();
            line(format_args!("Ke{e}_{} Le{e} L{} {k:.9}", i + 1, i + 1));
        }
    }
    line(format_args!("Cleads hot 0 {:.6e}", network.leads_f));
    line(format_args!("* Load."));
    match load {
        Some(load) => {
            let lower = (load.volume_ohm * load.volume_at).max(1e-3);
            let upper = (load.volume_ohm - lower).max(1e-3);
            if load.tone_ohm.is_finite() && load.tone_f > 0.0 {
                line(format_args!("Rtone hot t {:.6}", load.tone_ohm.max(1e-3)));
                line(format_args!("Ctone t 0 {:.6e}", load.tone_f));
            }
            line(format_args!("Rvol1 hot out {upper:.6}"));
            line(format_args!("Rvol2 out 0 {lower:.6}"));
            if load.cable_f > 0.0 {
                line(format_args!("Ccable out 0 {:.6e}", load.cable_f));
            }
            line(format_args!("Rinput out 0 {:.6}", load.input_ohm));
        }
        None => line(format_args!("Rlead hot out 0.001\nRopen out 0 1e12")),
    }
    line(format_args!(".ac dec 200 50 20k"));
    line(format_args!(".print ac vdb(out) vp(out)"));
    line(format_args!(".end"));
    text
}
