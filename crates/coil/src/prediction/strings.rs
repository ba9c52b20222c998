//! What every string sends into every coil.

use super::model::{Model, StringAt};
use super::string_fields::{Common, StringField};
use crate::cache::{Cache, MemorySize, bounds};
use crate::eddy::{Mode, Screening, Sheet};
use crate::inductance::MU_0;
use crate::magnet::{Charged, Line, State, System};
use crate::string::{Along, Linkage, Magnetisation, Pluck, Steel, speed_rms_m_s};
use crate::symmetry::is_symmetric;
use crate::threads::side_by_side;
use nalgebra::DVector;
use std::f64::consts::PI;
use wide::f64x4;

/// Half the step of height for derivatives, m.
const STEP_M: f64 = 0.1e-3;
/// Highest partial that counts for the output, Hz.
pub(super) const HIGHEST_HZ: f64 = 5000.0;
/// Highest partial of which the place is told, Hz, and most of them.
const HIGHEST_PARTIAL_HZ: f64 = 12_000.0;
const MOST_PARTIALS: f64 = 300.0;

/// One string's signal.
#[derive(Clone, Debug)]
pub(super) struct StringSignal {
    /// Change of flux linkage per height in every coil, Wb/m, currents counter-clockwise.
    pub by_coil: Vec<f64>,
    /// How fast that falls with height, 1/m.
    pub falls_per_m: f64,
    /// Speed of the plucked string as the joined coils hear it, m/s RMS: every partial by its place.
    pub speed_m_s: f64,
    /// How each partial is heard by its place and the aperture, from the first: 1 at an antinode, with its sign.
    pub places: Vec<f64>,
    /// What eddy currents take from the signal of the joined coils.
    pub screening: Vec<Screening>,
    /// Pull of the magnets, N, and its change with height, N/m.
    pub pull: (f64, f64),
    /// Places along the string, m, what the joined coils hear there, Wb/m, and the magnetisation as a share of saturation.
    pub along_m: Vec<f64>,
    pub aperture: Vec<f64>,
    pub magnetised: Vec<f64>,
}

/// What answers to currents in the coils.
pub(super) struct Answers<'a> {
    /// What one ampere in each coil magnetises.
    pub responses: &'a [State],
    /// Currents in all coils for one ampere at the leads, counter-clockwise.
    pub pattern: &'a [f64],
    /// Conducting sheets with the ways of their currents dying away, and what those magnetise.
    pub sheets: &'a [(&'a Sheet, Vec<(Mode, State)>)],
    /// Groups of conducting magnetic parts: what the pattern magnetises in them alone, and the shares of it that are lost.
    pub groups: &'a [(State, Vec<Loss>)],
    /// Whether the same strings are likely to be asked for again, over other parts or other windings.
    pub are_likely_again: bool,
}

/// A share of a part's magnetisation that is lost as jωτ/(1 + jωτ).
#[derive(Clone, Copy, Debug)]
pub(super) struct Loss {
    pub share: f64,
    pub time_s: f64,
}

/// Charges on all surfaces of the parts, A/m: of what the magnets hold, and of what is induced.
struct Charges<'a> {
    system: &'a System,
    common: Common,
    /// The place of the mirror, and by each sheet its cells that are images of others in it.
    sheet_images: (f64, Vec<Vec<Option<usize>>>),
    held: DVector<f64>,
    induced: Vec<DVector<f64>>,
}

/// Signals of all strings: `held` are the magnets' charges.
pub(super) fn signals(
    model: &Model,
    system: &System,
    held: &[Charged],
    answers: &Answers<'_>,
) -> Vec<StringSignal> {
    let ys = model.coils.iter().map(|c| c.center_m.1);
    let (from, to) = ys.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), y| (a.min(y), b.max(y)));
    let modes = answers.sheets.iter().flat_map(|(_, modes)| modes.iter().map(|(_, state)| state));
    let states = answers.responses.iter().chain(modes).chain(answers.groups.iter().map(|(state, _)| state));
    let densities =
        |charged: &[Charged]| DVector::from_iterator(charged.len(), charged.iter().map(|c| c.density_a_m));
    let induced: Vec<DVector<f64>> = states.map(|r| densities(&system.charged(r))).collect();
    let middle_m = 0.5 * (from + to);
    let common = Common::new(system, middle_m);
    let of_sheets = answers.sheets.iter().map(|(sheet, _)| sheet.images_across_y(middle_m));
    let sheet_images = (middle_m, of_sheets.collect());
    let charges = Charges { system, common, sheet_images, held: densities(held), induced };
    // Neighbours are magnetised alike: each begins where the one before it ended, in two rows that know nothing of each other.
    let row = |strings: &[StringAt]| -> Vec<StringSignal> {
        let mut beside = None;
        let of = |string: &StringAt| {
            let radius_m = string.core_m / 2.0;
            let line = STRINGS.get_or_compute([radius_m, from, to], || Linkage::new(radius_m, from, to));
            signal(model, string, &line, (&charges, answers), &mut beside)
        };
        strings.iter().map(of).collect()
    };
    let (first, second) = model.strings.split_at(model.strings.len().div_ceil(2));
    let (mut all, rest) = side_by_side(|| row(first), || row(second));
    all.extend(rest);
    all
}

/// Strings by the radius of their core and the first and last place along y of the poles, m.
static STRINGS: Cache<[f64; 3], Linkage> = Cache::new(bounds::STRINGS);

impl MemorySize for Linkage {
    fn bytes(&self) -> usize {
        self.points().len().pow(2) * size_of::<f64>() + size_of::<Self>()
    }
}

/// Largest power of the distance that a field over poles falls with: an octupole's.
const STEEPEST: f64 = 5.0;

fn signal(
    model: &Model,
    string: &StringAt,
    line: &Linkage,
    (charges, answers): (&Charges<'_>, &Answers<'_>),
    beside: &mut Option<DVector<f64>>,
) -> StringSignal {
    let ys = line.points();
    let lines = [STEP_M, -STEP_M].map(|lift| Line::new(string.x_m, string.z_m + lift, ys.clone()));
    let (of_coils, of_losses) = charges.induced.split_at(model.coils.len());
    let fields =
        StringField::compute(charges.system, lines.clone(), &charges.common, answers.are_likely_again);
    let poles = middle_and_slope(&fields.flux_densities(charges.held.as_view()));
    let magnetised = line.magnetised(Steel::default(), poles, beside.as_ref());
    let mut by_coil = Vec::with_capacity(model.coils.len());
    let mut aperture = vec![0.0; ys.len()];
    let (mut falls, mut largest, mut sizes) = (0.0, 0.0_f64, 0.0);
    // What lies along the string, for the share that is screened: across it lies too little to tell.
    let mut along = 0.0;
    for ((coil, induced), share) in model.coils.iter().zip(of_coils).zip(answers.pattern) {
        let winding = coil.winding();
        let air = lines
            .iter()
            .flat_map(|line| line.even_field(coil.center_m.1, |points| winding.field_beyond(points)));
        let induced = fields.flux_densities(induced.as_view());
        let total: Vec<[f64; 3]> =
            air.zip(&induced).map(|(a, b)| std::array::from_fn(|i| a[i] + b[i])).collect();
        let field = middle_and_slope(&total);
        let (linked, own) = (magnetised.linkage(&field), magnetised.aperture(&field));
        let by_m = magnetised.linkage_by_m(&field);
        along += share * magnetised.along_linkage_by_m(&field);
        sizes += (share * by_m).abs();
        for (sum, value) in aperture.iter_mut().zip(&own) {
            *sum += share * value;
        }
        // What falls off like exp(−kz) has its slope fall off alike; the coil that hears most tells.
        if linked != 0.0 && by_m.abs() > largest {
            // No multipole falls faster than with a few powers of the distance. Where what the coil links cancels along the
            // string, the quotient grows without end and says nothing.
            (falls, largest) = ((by_m / linked).abs().min(STEEPEST / string.above_m), by_m.abs());
        }
        by_coil.push(by_m);
    }
    *beside = Some(magnetised.along().clone());
    let places = places(model, string, &ys, &aperture, sizes);
    let audible = places.iter().map(|p| p.abs()).collect::<Vec<_>>();
    let speed = speed_rms_m_s(Pluck::default(), string.fundamental_hz, &audible, HIGHEST_HZ);
    // Of coils out of phase little is left, and that little is heard as it is.
    let left = (aperture.iter().sum::<f64>().abs() / sizes.max(1e-300)).max(0.02);
    // By reciprocity a coil's or a sheet's currents link the string by the sum over the charges that they bring.
    let by_patch = fields.weighed_along(&magnetised.lifted_weights(STEP_M));
    StringSignal {
        by_coil,
        falls_per_m: falls,
        speed_m_s: speed / left,
        places,
        screening: screening(&magnetised, string, (&by_patch, of_losses), (charges, answers), along),
        pull: magnetised.pull(),
        magnetised: magnetised.saturation(),
        along_m: ys,
        aperture,
    }
}

/// How each partial of a string is heard: ∫a(y)·sin(nπ(x − y)/L) dy over Σ∫a, with the aperture a of the joined coils, x the
/// pickup's distance from the bridge, y counted towards it.
fn places(model: &Model, string: &StringAt, ys: &[f64], aperture: &[f64], sizes: f64) -> Vec<f64> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some hundred partials")]
    let count = (HIGHEST_PARTIAL_HZ / string.fundamental_hz).clamp(1.0, MOST_PARTIALS) as usize;
    let mut places = vec![0.0; count];
    if sizes <= 0.0 {
        return places;
    }
    // Four places along the string at once: what each counts, sin((n − 1)θ), sin(nθ) and 2·cos θ.
    let four = |values: &[f64], of: &dyn Fn(f64) -> f64| {
        f64x4::from(std::array::from_fn(|k| values.get(k).map_or(0.0, |value| of(*value))))
    };
    let angle = |y: f64| PI * (model.from_bridge - y / model.scale_m);
    let mut fours: Vec<[f64x4; 4]> = ys
        .chunks(4)
        .zip(aperture.chunks(4))
        .map(|(ys, weights)| {
            let (sin, cos) = (four(ys, &|y| angle(y).sin()), four(ys, &|y| angle(y).cos()));
            [four(weights, &|weight| weight / sizes), f64x4::ZERO, sin, cos + cos]
        })
        .collect();
    for place in &mut places {
        let mut sum = f64x4::ZERO;
        for [weight, before, now, twice_cos] in &mut fours {
            sum += *weight * *now;
            // sin((n + 1)θ) from its neighbours: 2·cos θ·sin(nθ) − sin((n − 1)θ).
            (*before, *now) = (*now, *twice_cos * *now - *before);
        }
        *place = sum.reduce_add();
    }
    places
}

/// What eddy currents take from a string's signal. A sheet's currents meet the string in air and by what they magnetise;
/// magnetic parts lose a share of their own answer.
fn screening(
    magnetised: &Magnetisation<'_>,
    string: &StringAt,
    (by_patch, of_losses): (&DVector<f64>, &[DVector<f64>]),
    (all, answers): (&Charges<'_>, &Answers<'_>),
    whole: f64,
) -> Vec<Screening> {
    if whole.abs() < 1e-30 {
        return Vec::new();
    }
    let linked = |densities: &DVector<f64>| -> f64 { densities.dot(by_patch) };
    let mut charges = of_losses.iter();
    let mut found = Vec::new();
    let (middle_m, images) = &all.sheet_images;
    for ((sheet, modes), images) in answers.sheets.iter().zip(images) {
        let lifted = |lift: f64| {
            let charges = magnetised.charges_lifted(lift);
            let images = is_even_about(&charges, *middle_m).then_some(&images[..]);
            let charges = in_fours(&charges);
            sheet.flux_of_line((string.x_m, string.z_m), images, |at, axis| {
                let from_line = [at[0] - string.x_m, at[1], at[2] - string.z_m - lift];
                MU_0 / (4.0 * PI) * field_of_line(&charges, from_line, axis)
            })
        };
        let in_air = (lifted(STEP_M) - lifted(-STEP_M)) / (2.0 * STEP_M);
        for (mode, _) in modes {
            let by_parts = charges.next().map_or(0.0, linked);
            let coupling_s = (in_air.dot(&mode.currents) + by_parts) / whole;
            found.push(Screening { coupling_s, time_s: mode.relaxation.time_s });
        }
    }
    for (_, losses) in answers.groups {
        let share = charges.next().map_or(0.0, linked) / whole;
        found.extend(
            losses.iter().map(|l| Screening { coupling_s: share * l.share * l.time_s, time_s: l.time_s }),
        );
    }
    // What takes less than a ten-thousandth at any frequency is left out.
    found.retain(|s| s.coupling_s.abs() > 1e-4 * s.time_s && s.time_s > 0.0);
    found
}

/// Whether charges on a line, place and charge in rising order, are their own mirror image at a place, to a millionth.
fn is_even_about(charges: &[(f64, f64)], middle_m: f64) -> bool {
    let largest = charges.iter().fold(0.0_f64, |largest, (_, charge)| largest.max(charge.abs()));
    let is_same = |((_, a), (_, b)): (&(f64, f64), &(f64, f64))| (a - b).abs() <= 1e-6 * largest;
    is_symmetric(charges.iter().map(|(y, _)| *y), middle_m)
        && charges.iter().zip(charges.iter().rev()).all(is_same)
}

/// Point charges on a line, place and charge, four by four; nothing, far away, in place of those that lack.
fn in_fours(charges: &[(f64, f64)]) -> Vec<(f64x4, f64x4)> {
    let four = |some: &[(f64, f64)]| {
        let at = |k: usize| some.get(k).copied().unwrap_or((1e3, 0.0));
        (f64x4::from([0, 1, 2, 3].map(|k| at(k).0)), f64x4::from([0, 1, 2, 3].map(|k| at(k).1)))
    };
    charges.chunks(4).map(four).collect()
}

/// Σ q·r/r³ along an axis at a place beside a line along y of point charges.
fn field_of_line(charges: &[(f64x4, f64x4)], at: [f64; 3], axis: usize) -> f64 {
    let across_sq = f64x4::splat(at[0] * at[0] + at[2] * at[2]);
    let mut sum = f64x4::ZERO;
    for (y, charge) in charges {
        let along = f64x4::splat(at[1]) - *y;
        let distance_sq = across_sq + along * along;
        let strength = *charge / (distance_sq * distance_sq.sqrt());
        sum += if axis == 1 { strength * along } else { strength };
    }
    sum.reduce_add() * if axis == 1 { 1.0 } else { at[axis] }
}

/// Means and slopes of values taken above (first half) and below.
fn middle_and_slope(values: &[[f64; 3]]) -> Along {
    let (up, down) = values.split_at(values.len() / 2);
    let middle = up.iter().zip(down).map(|(a, b)| std::array::from_fn(|i| 0.5 * (a[i] + b[i])));
    let slope = up.iter().zip(down).map(|(a, b)| std::array::from_fn(|i| (a[i] - b[i]) / (2.0 * STEP_M)));
    Along { field: middle.collect(), by_m: slope.collect() }
}
