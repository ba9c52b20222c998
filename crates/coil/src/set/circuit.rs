//! Pickups joined at a switch, with their controls: what each of them sends to the amplifier.

use super::document::{ControlWiring, Set};
use crate::circuit::{Join, LoadCircuit, Network, Source};
use nalgebra::Complex;
use std::f64::consts::PI;

type Number = Complex<f64>;

/// Share of the signals below which so little is left of pickups out of phase that it has no shape of its own.
const CANCELLED: f64 = 0.02;

/// Pickups that are on together.
///
/// Fluxes that one sends through another are left out: pickups stand some centimetres apart, where two coils share about a
/// hundredth of what they link.
#[derive(Clone, Debug)]
pub(super) struct JoinedPickups {
    pub networks: Vec<Network>,
    /// What each sends, signed towards its hot lead in the set; only the ratios count.
    pub signals: Vec<f64>,
    /// The same for the shape of the response: where nothing is left of what is out of phase, as if it were in phase.
    weights: Vec<f64>,
    pub join: Join,
    /// What follows the switch.
    pub load: LoadCircuit,
    /// A volume and a tone across every pickup before the switch.
    pub own: Option<LoadCircuit>,
}

impl JoinedPickups {
    pub(super) fn new(set: &Set, networks: Vec<Network>, signals: Vec<f64>, join: Join) -> Self {
        let controls = &set.controls;
        let pots = LoadCircuit {
            volume_ohm: controls.volume_kohm * 1e3,
            volume_at: 1.0,
            tone_ohm: if controls.tone_nf > 0.0 { controls.tone_kohm * 1e3 } else { f64::INFINITY },
            tone_f: controls.tone_nf * 1e-9,
            cable_f: set.cable_pf * 1e-12,
            input_ohm: set.input_mohm * 1e6,
        };
        let after = LoadCircuit { volume_ohm: 1e15, tone_ohm: f64::INFINITY, tone_f: 0.0, ..pots };
        let (load, own) = match controls.wiring {
            ControlWiring::Shared => (pots, None),
            ControlWiring::Own => (after, Some(pots)),
        };
        let (left, whole) = (signals.iter().sum::<f64>().abs(), signals.iter().map(|s| s.abs()).sum::<f64>());
        let weights = if left > CANCELLED * whole {
            signals.clone()
        } else {
            signals.iter().map(|s| s.abs().max(f64::MIN_POSITIVE)).collect()
        };
        Self { networks, signals, weights, join, load, own }
    }

    /// What each pickup adds to the shape of the response.
    pub(super) fn weights(&self) -> &[f64] {
        &self.weights
    }

    /// Each pickup seen from the switch.
    fn sources(&self, hz: f64) -> Vec<Source> {
        let across = self.own.map_or(Number::from(0.0), |own| {
            let tone = if own.tone_ohm.is_finite() && own.tone_f > 0.0 {
                (Number::new(0.0, -1.0 / (2.0 * PI * hz * own.tone_f)) + own.tone_ohm).inv()
            } else {
                Number::from(0.0)
            };
            tone + 1.0 / own.volume_ohm
        });
        let shunted = |network: &Network| {
            let source = network.source(hz);
            let shunt = Number::from(1.0) + source.impedance * across;
            Source { open: source.open / shunt, impedance: source.impedance / shunt }
        };
        self.networks.iter().map(shunted).collect()
    }

    /// Volts at the amplifier's input for one volt induced in each pickup.
    pub(super) fn transfers(&self, hz: f64) -> Vec<Number> {
        let sources = self.sources(hz);
        let one = |impedance| self.load.output(Source { open: Number::from(1.0), impedance }, hz);
        match self.join {
            Join::Series => {
                let through = one(sources.iter().map(|s| s.impedance).sum());
                sources.iter().map(|s| s.open * through).collect()
            }
            Join::Parallel => {
                let together = sources.iter().map(|s| s.impedance.inv()).sum::<Number>().inv();
                let through = one(together) * together;
                sources.iter().map(|s| s.open / s.impedance * through).collect()
            }
        }
    }

    /// Size of what comes out for what the strings induce, in the units of the signals.
    pub(super) fn amplitude(&self, hz: f64) -> f64 {
        self.transfers(hz).iter().zip(&self.weights).map(|(t, s)| t * *s).sum::<Number>().norm()
    }

    /// Size of what is left of what the strings induce, with the signs as they are, in the units of the signals.
    pub(super) fn left(&self, hz: f64) -> f64 {
        self.transfers(hz).iter().zip(&self.signals).map(|(t, s)| t * *s).sum::<Number>().norm()
    }

    /// Each pickup's part of the voltage between the joined leads with nothing connected and no capacitance anywhere: one in series,
    /// by their admittances in parallel.
    pub(super) fn parts(&self, hz: f64) -> Vec<Number> {
        match self.join {
            Join::Series => vec![Number::from(1.0); self.networks.len()],
            Join::Parallel => {
                let admittances: Vec<Number> = self
                    .networks
                    .iter()
                    .map(|n| n.scaled(0.0, 0.0, f64::NEG_INFINITY).impedance(hz).inv())
                    .collect();
                let all: Number = admittances.iter().sum();
                admittances.into_iter().map(|y| y / all).collect()
            }
        }
    }

    pub(super) fn resistance_ohm(&self) -> f64 {
        self.together(Network::resistance_ohm)
    }

    pub(super) fn inductance_h(&self) -> f64 {
        self.together(Network::inductance_h)
    }

    fn together(&self, of: impl Fn(&Network) -> f64) -> f64 {
        let each = self.networks.iter().map(of);
        match self.join {
            Join::Series => each.sum(),
            Join::Parallel => each.map(f64::recip).sum::<f64>().recip(),
        }
    }
}
