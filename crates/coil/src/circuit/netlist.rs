//! The circuit as text for general circuit simulators.

use super::network::{Join, LoadCircuit, Network};
use std::fmt::Write as _;

/// The pickup with its load as a netlist: coupled coils with their induced voltages as sources, eddy currents as
/// closed loops coupled to them, load, and an analysis from 50 Hz to 20 kHz. The output is the node `out`.
///
/// `title` becomes the first line; control characters in it are left out.
#[must_use]
pub fn netlist(title: &str, network: &Network, load: Option<&LoadCircuit>) -> String {
    let mut text = begun(title);
    write_pickup(&mut text, network, &Place { prefix: "", gain: 1.0, low: "0", hot: "hot" });
    write_load(&mut text, load);
    text
}

/// Several pickups with what each of them sends, joined at a switch, as [`netlist`]; `own` are a volume and a tone across each of them.
#[must_use]
pub(crate) fn netlist_of_set(
    title: &str,
    pickups: &[(&Network, f64)],
    join: Join,
    load: &LoadCircuit,
    own: Option<&LoadCircuit>,
) -> String {
    let mut text = begun(title);
    for (i, (network, gain)) in pickups.iter().enumerate() {
        let k = i + 1;
        let prefix = format!("p{k}");
        let (low, hot) = match join {
            Join::Parallel => ("0".to_owned(), "hot".to_owned()),
            Join::Series => (
                if i == 0 { "0".to_owned() } else { format!("n{i}") },
                if k == pickups.len() { "hot".to_owned() } else { format!("n{k}") },
            ),
        };
        write_pickup(&mut text, network, &Place { prefix: &prefix, gain: *gain, low: &low, hot: &hot });
        if let Some(own) = own {
            let _ = writeln!(text, "Rvolume{k} {hot} {low} {:.6}", own.volume_ohm);
            if own.tone_ohm.is_finite() && own.tone_f > 0.0 {
                let _ = writeln!(text, "Rtone{k} {hot} t{k} {:.6}", own.tone_ohm.max(1e-3));
                let _ = writeln!(text, "Ctone{k} t{k} {low} {:.6e}", own.tone_f);
            }
        }
    }
    write_load(&mut text, Some(load));
    text
}

/// Where a pickup stands in a netlist.
struct Place<'a> {
    /// Before the names of its elements and nodes, so that several pickups keep apart.
    prefix: &'a str,
    /// What the strings induce in it, V.
    gain: f64,
    low: &'a str,
    hot: &'a str,
}

/// The title, and the strings as a source of one volt.
fn begun(title: &str) -> String {
    let clean: String = title.chars().filter(|c| !c.is_control()).take(120).collect();
    format!(
        "* {clean}\n* The voltage that the strings induce, less what eddy currents take of it.\nVstring s0 0 DC 0 AC 1\n"
    )
}

// Writing to a String cannot fail.
fn write_pickup(text: &mut String, network: &Network, place: &Place<'_>) {
    let Place { prefix: p, gain, low: ground, hot: leads } = place;
    let mut line = |args: std::fmt::Arguments<'_>| {
        let _ = writeln!(text, "{args}");
    };
    line(format_args!("Estring{p} {p}g0 0 s0 0 {gain}"));
    let mut signal = format!("{p}g0");
    let screening = network.screening.iter().filter(|s| s.time_s > 1e-12);
    for (k, screening) in (1..).zip(screening) {
        // The voltage across the inductance of a series R-L is jωτ/(1 + jωτ) of the whole.
        line(format_args!("Rs{p}{k} {p}g0 {p}s{k} 1"));
        line(format_args!("Ls{p}{k} {p}s{k} 0 {:.9e}", screening.time_s));
        line(format_args!(
            "Es{p}{k} {p}g{k} {signal} {p}s{k} 0 {:.9e}",
            -screening.coupling_s / screening.time_s
        ));
        signal = format!("{p}g{k}");
    }
    line(format_args!("* Coils: their share of the voltage, resistance, inductance, own capacitance."));
    let n = network.coils.len();
    for (i, coil) in network.coils.iter().enumerate() {
        let k = i + 1;
        let (low, high) = match network.join {
            Join::Parallel => ((*ground).to_owned(), (*leads).to_owned()),
            Join::Series => (
                if i == 0 { (*ground).to_owned() } else { format!("{p}c{i}") },
                if k == n { (*leads).to_owned() } else { format!("{p}c{k}") },
            ),
        };
        line(format_args!("E{p}{k} {p}e{k} {low} {signal} 0 {:.9}", coil.signal));
        line(format_args!("R{p}{k} {p}e{k} {p}r{k} {:.6}", coil.resistance_ohm));
        // An inductor's first node is where counter-clockwise current enters, so that couplings keep their sign.
        let inner = format!("{p}r{k}");
        let (from, to) = if coil.sense >= 0.0 { (&inner, &high) } else { (&high, &inner) };
        line(format_args!("L{p}{k} {from} {to} {:.9}", network.inductance_h[i][i]));
        if coil.capacitance_f > 0.0 {
            line(format_args!("C{p}{k} {high} {low} {:.6e}", coil.capacitance_f));
        }
    }
    for a in 0..n {
        for b in 0..a {
            let m = network.inductance_h[a][b];
            let k = m / (network.inductance_h[a][a] * network.inductance_h[b][b]).sqrt();
            line(format_args!("K{p}{}_{} L{p}{} L{p}{} {k:.9}", b + 1, a + 1, b + 1, a + 1));
        }
    }
    line(format_args!("* Eddy currents: closed loops coupled to the coils."));
    let eddies = network.relaxations.iter().filter(|r| r.time_s > 1e-12 && r.strength_hs > 0.0);
    for (e, relaxation) in (1..).zip(eddies) {
        line(format_args!("Le{p}{e} {p}x{e} 0 {:.9e}", relaxation.time_s));
        line(format_args!("Re{p}{e} {p}x{e} 0 1"));
        for (i, coil) in network.coils.iter().enumerate() {
            // Sense: the share is counted towards the hot lead, the inductor counter-clockwise.
            let m = coil.eddy_share * coil.sense * relaxation.strength_hs.sqrt();
            let k = m / (network.inductance_h[i][i] * relaxation.time_s).sqrt();
            line(format_args!("Ke{p}{e}_{} Le{p}{e} L{p}{} {k:.9}", i + 1, i + 1));
        }
    }
    line(format_args!("Cleads{p} {leads} {ground} {:.6e}", network.leads_f));
}

fn write_load(text: &mut String, load: Option<&LoadCircuit>) {
    let mut line = |args: std::fmt::Arguments<'_>| {
        let _ = writeln!(text, "{args}");
    };
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
}
