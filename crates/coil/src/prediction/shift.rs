//! How far the figures of a pickup move when something about it is not as designed.

use super::Solution;
use super::inputs::{Inputs, circuit};

/// What is not as designed, of every coil of the pickup.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Shift {
    /// More turns than were told, as a share of them; −0.5 to 1.
    pub turns: f64,
    /// More resistance of a metre of wire, as a share.
    pub wire_ohm: f64,
    /// Thicker wire over its enamel, as a share.
    pub overall: f64,
    /// A fuller winding, as a share of its packing.
    pub packing: f64,
    /// Share of what poles and other magnetic parts bring to the inductance that is missing; negative where they bring more.
    pub missing_parts: f64,
}

/// Logarithms of what the figures become over what they are.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Moved {
    /// Resistance of the pickup at one temperature.
    pub resistance: f64,
    /// Inductance as a meter shows it at 1 kHz.
    pub inductance: f64,
    /// Capacitance with what hangs on the pickup.
    pub capacitance: f64,
    /// Build of the first coil.
    pub build: f64,
}

impl Solution {
    /// How far resistance, inductance, capacitance and build move under a shift, without solving anew.
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// use coil::prediction::{Shift, Solution};
    /// let solution = Solution::compute(&reference_coil()).unwrap();
    /// let moved = solution.moved(Shift { turns: 0.1, ..Shift::default() });
    /// // Outer turns are longer: a tenth more turns is more than a tenth more wire, and a fifth more inductance.
    /// assert!(moved.resistance > 1.1_f64.ln() && moved.inductance > 2.0 * 1.09_f64.ln());
    /// assert_eq!(solution.moved(Shift::default()).resistance, 0.0);
    /// ```
    #[must_use]
    pub fn moved(&self, shift: Shift) -> Moved {
        let nominal = Inputs::nominal(&self.model);
        let mut inputs = nominal.clone();
        inputs.missing_parts = shift.missing_parts;
        for coil in &mut inputs.coils {
            (coil.turns, coil.ohm) = (shift.turns, shift.wire_ohm);
            (coil.overall, coil.packing) = (shift.overall, shift.packing);
        }
        let [before, after] = [&nominal, &inputs].map(|inputs| {
            let (coils, network) = circuit(&self.model, &self.solved, inputs);
            Moved {
                resistance: network.resistance_ohm().ln(),
                inductance: network.meter(1000.0).ls_h.max(1e-9).ln(),
                capacitance: network.capacitance_f().ln(),
                build: coils.first().map_or(0.0, |c| c.lay.build_m.ln()),
            }
        });
        Moved {
            resistance: after.resistance - before.resistance,
            inductance: after.inductance - before.inductance,
            capacitance: after.capacitance - before.capacitance,
            build: after.build - before.build,
        }
    }
}
