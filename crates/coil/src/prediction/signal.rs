//! What a pickup sends, with its signs: what stands beside others must know which way round it is.

use super::Solution;
use super::inputs::reference;
use super::solve::gathered_m2;
use super::strings::HIGHEST_HZ;
use crate::string::{Pluck, speed_rms_m_s};
use std::f64::consts::PI;

/// Distance from the bridge of the reference coil, over the usual scale.
const REFERENCE_PLACE: f64 = 45.0 / 648.0;

/// What a pickup sends and gathers, counted towards its hot lead.
#[derive(Clone, Debug, PartialEq)]
pub struct PickupSignal {
    /// String by string, string 1 first.
    pub strings: Vec<StringAtPickup>,
    /// Turns times area, with what the poles gather, that an even field meets along x, y and z, m²: hum is induced in it.
    pub hum_area_m2: [f64; 3],
    /// The same with all joined coils counted in one sense, m²: what it would gather if nothing cancelled.
    pub hum_area_whole_m2: f64,
    /// +1 when the current of the joined coils runs counter-clockwise seen from above on the way to the hot lead, −1 otherwise; of
    /// coils that are in both senses, what is left of them counts.
    pub sense: f64,
}

/// A string over a pickup.
#[derive(Clone, Debug, PartialEq)]
pub struct StringAtPickup {
    /// Its pitch, Hz.
    pub fundamental_hz: f64,
    /// Change of flux linkage as each partial moves the string up, Wb/m, from the first, by its place and the aperture: signed towards
    /// the hot lead.
    pub partials_wb_m: Vec<f64>,
    /// What a place that hears every partial whole would have, Wb/m.
    pub whole_wb_m: f64,
    /// How fast it falls as the string is raised, 1/m: by exp(−k·Δ) for a change Δ of the gap.
    pub falls_per_m: f64,
    /// Output of the reference coil under this string, 45 mm from the bridge, mV.
    pub reference_mv: f64,
}

impl PickupSignal {
    /// Sum over the strings of what the fundamental sends, Wb/m: its sign tells which way round the pickup is.
    #[must_use]
    pub fn fundamental_wb_m(&self) -> f64 {
        self.strings.iter().filter_map(|s| s.partials_wb_m.first()).sum()
    }

    /// Output of every string by itself, mV RMS just after a pluck of 1 mm at a fifth of the length, partials to 5 kHz.
    #[must_use]
    pub fn outputs_mv(&self) -> Vec<f64> {
        let of = |s: &StringAtPickup| {
            1e3 * speed_rms_m_s(Pluck::default(), s.fundamental_hz, &s.partials_wb_m, HIGHEST_HZ)
        };
        self.strings.iter().map(of).collect()
    }

    /// Polarity: +1 when the poles that are heard have north up, −1 for south, from the signal's sign and the winding's sense.
    #[must_use]
    pub fn polarity(&self) -> f64 {
        // A string that rises takes flux out of a coil: with north up, a counter-clockwise coil sends a negative voltage.
        if self.fundamental_wb_m() * self.sense < 0.0 { 1.0 } else { -1.0 }
    }
}

impl Solution {
    /// What the pickup sends and gathers, with signs.
    #[must_use]
    pub fn signal(&self) -> PickupSignal {
        let (model, solved) = (&self.model, &self.solved);
        let strings = model.strings.iter().zip(&solved.strings).map(|(at, signal)| {
            let heard = signal.by_coil.iter().zip(&solved.pattern);
            let whole_wb_m: f64 = heard.map(|(by_coil, share)| (by_coil * share).abs()).sum();
            let partials = (1..=signal.places.len()).map(|n| (n as f64 * PI * REFERENCE_PLACE).sin().abs());
            let speed =
                speed_rms_m_s(Pluck::default(), at.fundamental_hz, &partials.collect::<Vec<_>>(), HIGHEST_HZ);
            StringAtPickup {
                fundamental_hz: at.fundamental_hz,
                partials_wb_m: signal.places.iter().map(|place| place * whole_wb_m).collect(),
                whole_wb_m,
                falls_per_m: signal.falls_per_m,
                reference_mv: reference(at.core_m) * speed * 1e3,
            }
        });
        let (mut area, mut whole, mut largest) = ([0.0; 3], 0.0, (0.0_f64, 1.0));
        for &i in &model.joined {
            let share = solved.pattern[i];
            let own = gathered_m2(&model.coils[i], &solved.parts.system, &solved.responses[i]);
            let size = own.iter().map(|m| m * m).sum::<f64>().sqrt();
            whole += share.abs() * size;
            for (sum, m) in area.iter_mut().zip(own) {
                *sum += share * m;
            }
            if share.abs() * size > largest.0 {
                largest = (share.abs() * size, share * own[2]);
            }
        }
        // Where two coils cancel to the last, the larger of them tells.
        let telling = if area[2].abs() > 1e-6 * whole { area[2] } else { largest.1 };
        PickupSignal {
            strings: strings.collect(),
            hum_area_m2: area,
            hum_area_whole_m2: whole,
            sense: if telling < 0.0 { -1.0 } else { 1.0 },
        }
    }
}
