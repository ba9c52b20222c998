//! What brings a pickup of a set to a level: turns, height or magnet.

use super::document::Set;
use super::placed::PlacedPickup;
use crate::design::{Design, MetalPart, Problem, Step, limit_at};
use crate::magnet::{Grade, Material};
use crate::prediction::Calibration;
use crate::word::document_word;

document_word! {
    /// What is changed to bring a pickup to a level.
    pub enum Freedom {
        /// Turns of all its coils, in proportion.
        Turns,
        /// How far it stands below the strings.
        Height,
        /// Charge of its magnets.
        Charge,
        /// A plate of mild steel under it, where it has none: it leads flux round.
        Plate,
    }
}

/// A pickup that was brought to a level.
#[derive(Clone, Debug)]
pub struct Balanced {
    /// What was changed.
    pub freedom: Freedom,
    /// The design with the change.
    pub design: Design,
    /// By how much: turns and charge as a ratio to what they were, height as mm further from the strings, a plate as the ratio of the
    /// levels.
    pub change: f64,
    /// The level that comes of it, mV.
    pub output_mv: f64,
}

impl Balanced {
    /// Whether the level was reached, to half a decibel.
    #[must_use]
    pub fn reaches(&self, target_mv: f64) -> bool {
        (self.output_mv / target_mv.max(1e-12)).ln().abs() < 0.058
    }
}

/// Steps of the search: the level is a smooth function of each freedom.
const STEPS: usize = 6;
/// Gaps that are tried, mm.
const GAPS_MM: (f64, f64) = (0.8, 8.0);

/// Brings pickup `index` of a set to `target_mv`, as near as the freedom allows: turns stay within what winds, gaps between 0.8 and
/// 8 mm, the charge at most full. `None` where it cannot be predicted, has no magnet to charge, or the freedom brings it no nearer.
///
/// # Errors
/// When the pickup cannot be predicted as it is.
pub fn balanced(
    set: &Set,
    index: usize,
    freedom: Freedom,
    target_mv: f64,
    calibration: &Calibration,
) -> Result<Option<Balanced>, Vec<Problem>> {
    let level = |design: &Design| -> Result<f64, Vec<Problem>> {
        let mut other = set.clone();
        other.pickups[index].design = design.clone();
        let outputs = PlacedPickup::try_new(&other.placed(index, None), calibration)?.signal.outputs_mv();
        Ok(outputs.iter().sum::<f64>() / outputs.len().max(1) as f64)
    };
    let base = &set.pickups[index].design;
    let now = level(base)?;
    if now <= 0.0 || target_mv <= 0.0 {
        return Ok(None);
    }
    if freedom == Freedom::Plate {
        return Ok(with_plate(base).and_then(|design| {
            let output_mv = level(&design).ok()?;
            let is_nearer = (output_mv / target_mv).ln().abs() < (now / target_mv).ln().abs();
            is_nearer.then_some(Balanced { freedom, design, change: output_mv / now, output_mv })
        }));
    }
    // In the logarithm the level goes about straight with the logarithm of turns and charge, and with the height.
    let wanted = (target_mv / now).ln();
    let (mut x, mut slope) = match freedom {
        Freedom::Height => (-wanted / 0.3, -0.3),
        _ => (wanted, 1.0),
    };
    let mut best = Balanced { freedom, design: base.clone(), change: neutral(freedom), output_mv: now };
    for _ in 0..STEPS {
        let Some((design, applied)) = changed(base, freedom, x) else { break };
        let Ok(mv) = level(&design) else { break };
        let off = (mv / target_mv).ln();
        if off.abs() <= (best.output_mv / target_mv).ln().abs() {
            best = Balanced { freedom, design, change: change(freedom, applied), output_mv: mv };
        }
        // At the end of what is allowed, or near enough.
        if off.abs() < 1e-3 || (applied - x).abs() > 1e-9 {
            break;
        }
        if applied.abs() > 1e-6 {
            slope = (mv / now).ln() / applied;
        }
        if slope.abs() < 1e-6 {
            break;
        }
        x -= off / slope;
    }
    Ok((best.design != *base).then_some(best))
}

/// A design with other turns (a ratio) and another height (mm further from the strings); `None` where that leads outside what is
/// allowed.
pub(super) fn moved(base: &Design, turns: f64, height_mm: f64) -> Option<Design> {
    let (wound, _) = changed(base, Freedom::Turns, turns.max(1e-3).ln())?;
    if height_mm == 0.0 {
        return Some(wound);
    }
    let (design, applied) = changed(&wound, Freedom::Height, height_mm)?;
    ((applied - height_mm).abs() < 1e-9).then_some(design)
}

fn neutral(freedom: Freedom) -> f64 {
    if freedom == Freedom::Height { 0.0 } else { 1.0 }
}

fn change(freedom: Freedom, x: f64) -> f64 {
    if freedom == Freedom::Height { x } else { x.exp() }
}

/// The design on a plate of mild steel; `None` where it has a plate already.
fn with_plate(base: &Design) -> Option<Design> {
    if base.metal.iter().any(|m| m.part == MetalPart::BasePlate) {
        return None;
    }
    let mut design = base.clone();
    Step::AddMetal.apply(&mut design).ok()?;
    let plate = design.metal.last_mut()?;
    plate.material = Material::Named(Grade::Steel);
    design.problems().is_empty().then_some(design)
}

/// The design with a freedom moved by `x`, and by how much it was moved within what is allowed.
fn changed(base: &Design, freedom: Freedom, x: f64) -> Option<(Design, f64)> {
    let mut design = base.clone();
    match freedom {
        Freedom::Turns => {
            let limit = limit_at("coils[].wind.turns")?;
            for coil in &mut design.coils {
                let turns = (f64::from(coil.wind.turns) * x.exp()).round().clamp(limit.low, limit.high);
                #[allow(
                    clippy::cast_possible_truncation,
                    clippy::cast_sign_loss,
                    reason = "within the limits of turns"
                )]
                {
                    coil.wind.turns = turns as u32;
                }
            }
            Some((design, x))
        }
        Freedom::Height => {
            let each: Vec<_> = (1..=design.strings.count).map(|n| design.strings.as_it_is(n)).collect();
            let least = each.iter().map(|s| s.gap_mm).fold(f64::INFINITY, f64::min);
            let most = each.iter().map(|s| s.gap_mm).fold(0.0, f64::max);
            let x = x.clamp((GAPS_MM.0 - least).min(0.0), (GAPS_MM.1 - most).max(0.0));
            design.strings.each = each;
            for string in &mut design.strings.each {
                string.gap_mm += x;
            }
            Some((design, x))
        }
        Freedom::Plate => None,
        Freedom::Charge => {
            let magnets = |d: &Design| -> Vec<f64> {
                let poles =
                    d.poles.iter().filter(|p| p.material.demagnetisation().is_some()).map(|p| p.charge);
                poles.chain(d.bars.iter().map(|b| b.charge)).collect()
            };
            let strongest = magnets(&design).into_iter().fold(0.0, f64::max);
            if strongest <= 0.0 {
                return None;
            }
            let x = x.min((1.0 / strongest).ln().max(0.0));
            for pole in &mut design.poles {
                pole.charge *= x.exp();
            }
            for bar in &mut design.bars {
                bar.charge *= x.exp();
            }
            Some((design, x))
        }
    }
}
