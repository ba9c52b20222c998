//! Schools of thought settled by numbers: what one choice changes in this design, with the band of the change.

use super::Adjustment;
use crate::Word as _;
use crate::design::{Coil, Design, Direction, Grounded, Medium, Metal, MetalPart, Potting, Sense};
use crate::magnet::{Grade, Material};
use crate::prediction::{Calibration, Differences, Solution};
use crate::wire::{Build, Insulation, WireData};

/// A choice that makers differ about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Assumption {
    /// Wax in the gaps, or air.
    Potting,
    /// A scattered lay, or a straight one.
    Lay,
    /// Heavy build, or single.
    Build,
    /// Another enamel of equal size.
    Enamel,
    /// Another alloy, charged to equal flux at the strings.
    Alloy,
    /// A steel base plate, or none.
    BasePlate,
    /// A cover of nickel silver, or none.
    Cover,
    /// A cover of brass instead of nickel silver.
    CoverMetal,
    /// A bevel on the upper edge of round poles, or a sharp edge.
    Bevel,
    /// Reversed by swapping the leads, instead of by the winder's direction.
    Reverse,
}

/// What a choice changes.
#[derive(Clone, Debug)]
pub struct AssumptionComparison {
    /// The choice.
    pub choice: Assumption,
    /// What it is compared from, in words: the design as it is, unless it is compared at equal terms.
    pub from: String,
    /// What it becomes.
    pub to: String,
    /// The changes.
    pub differences: Differences,
}

impl Assumption {
    /// Every choice, in the order lists show them.
    pub const ALL: [Self; 10] = [
        Self::Potting,
        Self::Lay,
        Self::Build,
        Self::Enamel,
        Self::Alloy,
        Self::BasePlate,
        Self::Cover,
        Self::CoverMetal,
        Self::Bevel,
        Self::Reverse,
    ];

    /// Both sides of the choice for a design, with words; `None` where it is none for this design.
    fn sides(self, design: &Design) -> Option<(Side, Side)> {
        Some(match self {
            Self::Potting => potting(design),
            Self::Lay => {
                // A measured packing belongs to the lay that it was measured of.
                let with = |words: &str, wander: f64| {
                    each_coil(design, words, |c| (c.wind.wander, c.wind.packing) = (wander, None))
                };
                let scattered = design.coils.first()?.wind.wander.max(0.3);
                (with("straight lay", 0.0), with("scattered lay", scattered))
            }
            Self::Build => {
                let with = |words: &str, build: Build| {
                    each_coil(design, words, |c| {
                        c.wire.build = build;
                        if let Some(spool) = &mut c.wire.spool {
                            spool.overall_mm = None;
                        }
                    })
                };
                (with("single build", Build::Single), with("heavy build", Build::Heavy))
            }
            Self::Enamel => enamel(design)?,
            Self::Alloy => at_equal_flux(design)?,
            Self::BasePlate => base_plate(design),
            Self::Cover => (without_cover(design), covered(design, Grade::NickelSilver)),
            Self::CoverMetal => (covered(design, Grade::NickelSilver), covered(design, Grade::Brass)),
            Self::Bevel => bevel(design)?,
            Self::Reverse => reverse(design),
        })
    }
}

/// One side of a choice, with words.
type Side = (Design, String);

fn changed(design: &Design, words: &str, change: impl FnOnce(&mut Design)) -> Side {
    let mut next = design.clone();
    change(&mut next);
    (next, words.to_owned())
}

fn each_coil(design: &Design, words: &str, change: impl Fn(&mut Coil)) -> Side {
    changed(design, words, |d| d.coils.iter_mut().for_each(change))
}

fn potting(design: &Design) -> (Side, Side) {
    let is_potted = design.potting().medium != Medium::None;
    let (now, next, words) = if is_potted {
        ("potted", Medium::None, "not potted")
    } else {
        ("not potted", Medium::Wax, "potted in wax")
    };
    let other = changed(design, words, |d| d.potting = Some(Potting { medium: next, fill: 1.0 }));
    ((design.clone(), now.to_owned()), other)
}

/// Two enamels on wire of one size: that of the first, measured or ordered.
fn enamel(design: &Design) -> Option<(Side, Side)> {
    let now = design.coils.first()?.wire.insulation;
    let next =
        if now == Insulation::Polyurethane { Insulation::PolyvinylAcetal } else { Insulation::Polyurethane };
    let with = |insulation: Insulation| {
        each_coil(design, &insulation.spoken(), |coil| {
            let wire = &mut coil.wire;
            let size_mm = WireData::ordered(wire.gauge, now, wire.build, wire.range).overall_m * 1e3;
            wire.spool.get_or_insert_default().overall_mm.get_or_insert(size_mm);
            wire.insulation = insulation;
        })
    };
    Some((with(now), with(next)))
}

fn base_plate(design: &Design) -> (Side, Side) {
    let without = |d: &mut Design| {
        d.metal.retain(|m| m.part != MetalPart::BasePlate);
        d.drop_missing_grounds();
    };
    let (length, width, bottom) = footprint(design);
    let with = changed(design, "steel base plate", |d| {
        without(d);
        d.metal.push(Metal {
            part: MetalPart::BasePlate,
            material: Material::Named(Grade::Steel),
            size_mm: [length, width, 1.0],
            center_mm: [0.0, 0.0, bottom - 0.7],
            wall_mm: None,
        });
    });
    (changed(design, "no base plate", without), with)
}

/// Sharp edges against bevelled ones: as wide as the design has them, or half a millimetre.
fn bevel(design: &Design) -> Option<(Side, Side)> {
    let round = || design.poles.iter().filter(|p| p.is_round());
    round().next()?;
    let given = round().map(|p| p.bevel_mm).fold(0.0, f64::max);
    let width = if given > 0.0 { given } else { 0.5 };
    let with = |words: String, mm: f64| {
        changed(design, &words, |d| {
            for pole in d.poles.iter_mut().filter(|p| p.is_round()) {
                pole.bevel_mm = mm.min(0.2 * pole.diameter_mm).min(0.4 * pole.length_mm);
            }
        })
    };
    Some((with("sharp edges".into(), 0.0), with(format!("bevelled by {width} mm"), width)))
}

fn reverse(design: &Design) -> (Side, Side) {
    let motor = each_coil(design, "wound the other way", |coil| {
        coil.wind.direction = match coil.wind.direction {
            Direction::Clockwise => Direction::CounterClockwise,
            Direction::CounterClockwise => Direction::Clockwise,
        };
    });
    let leads = changed(design, "leads swapped", |d| {
        for coil in &design.coils {
            let next = match design.wiring.sense.get(&coil.name) {
                Some(Sense::FinishToGround) => Sense::StartToGround,
                _ => Sense::FinishToGround,
            };
            d.wiring.sense.insert(coil.name.clone(), next);
        }
    });
    (motor, leads)
}

/// Length and width of the coils over all, and the lowest place of what they stand in, mm.
fn footprint(design: &Design) -> (f64, f64, f64) {
    let half = |axis: usize| {
        let reach = |c: &Coil| {
            let size = c.former.core.size_mm();
            c.center_mm[axis].abs() + [size.0, size.1][axis] / 2.0 + c.former.room_mm
        };
        design.coils.iter().map(reach).fold(0.0, f64::max)
    };
    let coils = design.coils.iter().map(|c| c.base_mm);
    let poles = design.poles.iter().map(|p| p.bottom_mm);
    let bars = design.bars.iter().map(|b| b.center_mm[2] - b.size_mm[2] / 2.0);
    let bottom = coils.chain(poles).chain(bars).fold(f64::INFINITY, f64::min);
    (2.0 * half(0), 2.0 * half(1), bottom)
}

fn without_cover(design: &Design) -> Side {
    let mut open = design.clone();
    open.metal.retain(|m| m.part != MetalPart::Cover);
    open.drop_missing_grounds();
    (open, "no cover".into())
}

/// The design with its cover of another metal, or with one that fits closely, half a millimetre thick, its top over the poles.
fn covered(design: &Design, metal: Grade) -> Side {
    let mut covered = design.clone();
    let words = format!("{} cover", metal.spoken());
    let covers = || design.metal.iter().filter(|m| m.part == MetalPart::Cover);
    if covers().next().is_some() {
        for cover in covered.metal.iter_mut().filter(|m| m.part == MetalPart::Cover) {
            cover.material = Material::Named(metal);
        }
        return (covered, words);
    }
    let (length, width, _) = footprint(design);
    let tops = design
        .coils
        .iter()
        .map(|c| c.base_mm + c.former.flange_bottom_mm + c.former.height_mm + c.former.flange_top_mm);
    let top = design.poles.iter().map(|p| p.bottom_mm + p.length_mm).chain(tops).fold(0.0, f64::max) + 0.6;
    let bottom = design.coils.iter().map(|c| c.base_mm).fold(f64::INFINITY, f64::min);
    covered.metal.push(Metal {
        part: MetalPart::Cover,
        material: Material::Named(metal),
        size_mm: [length + 2.0, width + 2.0, top - bottom],
        center_mm: [0.0, 0.0, (top + bottom) / 2.0],
        wall_mm: Some(0.5),
    });
    covered.ground(Grounded::Cover, true);
    (covered, words)
}

/// Two alloys with the stronger one charged down to the weaker one's flux at the strings.
fn at_equal_flux(design: &Design) -> Option<(Side, Side)> {
    let (one, other) = (Grade::Alnico5, Grade::Alnico2);
    let with = |grade: Grade, charge: f64| {
        let next = Adjustment::Alloy(grade).applied(design).unwrap_or_else(|| design.clone());
        Adjustment::Charge(charge).applied(&next).unwrap_or(next)
    };
    let flux = |d: &Design| -> Option<f64> {
        let gap = d.strings.core_and_gap_mm(1).1;
        let all: Vec<f64> =
            Solution::compute(d).ok()?.pole_flux_mt(gap).into_iter().flatten().map(f64::abs).collect();
        (!all.is_empty()).then(|| all.iter().sum::<f64>() / all.len() as f64)
    };
    let (strong, weak) = (flux(&with(one, 1.0))?, flux(&with(other, 1.0))?);
    if strong <= 0.0 || weak <= 0.0 || (with(one, 1.0) == with(other, 1.0)) {
        return None;
    }
    // A charge scales what its magnet gives.
    let charges = [(weak / strong).min(1.0), (strong / weak).min(1.0)].map(|c| (c * 1e3).round() / 1e3);
    let words = |grade: Grade, charge: f64| {
        let full =
            if charge < 0.999 { format!(", charged to {:.0} %", charge * 100.0) } else { String::new() };
        format!("{}{full}", grade.word().replace('-', " "))
    };
    let side = |grade: Grade, charge: f64| (with(grade, charge), words(grade, charge));
    Some((side(one, charges[0]), side(other, charges[1])))
}

/// What every choice changes in a design; choices that are none for it are left out. Each takes two predictions.
///
/// ```
/// use coil::design::reference_coil;
/// use coil::prediction::Calibration;
/// use coil::search::{Assumption, compare_assumptions};
/// let all = compare_assumptions(&reference_coil(), &Calibration::default());
/// let of = |choice| all.iter().find(|m| m.choice == choice).unwrap().differences;
/// // Wax lowers the unloaded resonance and leaves the output alone.
/// assert!(of(Assumption::Potting).resonance_hz.p95 < 0.0);
/// assert!(of(Assumption::Potting).output_db.nominal.abs() < 1e-9);
/// ```
#[must_use]
pub fn compare_assumptions(design: &Design, calibration: &Calibration) -> Vec<AssumptionComparison> {
    Assumption::ALL
        .into_iter()
        .filter_map(|choice| {
            let ((a, from), (b, to)) = choice.sides(design)?;
            let (a, b) = (Solution::compute(&a).ok()?, Solution::compute(&b).ok()?);
            Some(AssumptionComparison { choice, from, to, differences: a.differences(&b, calibration) })
        })
        .collect()
}
