//! Maps for drawing: the field in a plane, and how loudly a string is heard over the plane of the strings.

use super::Solution;
use super::model::StringAt;
use super::strings::{self, Answers, StringSignal};
use crate::design::{Design, place_in_row};
use crate::magnet::Body;

/// A plane through the pickup.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Plane {
    /// Across the row at a place along it, mm: y to the right, z up.
    Section {
        /// Place along the row, mm.
        x_mm: f64,
    },
    /// Level at a height, mm: x to the right, y up.
    Above {
        /// Height, mm.
        z_mm: f64,
    },
}

/// The field in a plane on a grid, row by row from the lower left.
#[derive(Clone, Debug, PartialEq)]
pub struct FieldMap {
    /// The plane.
    pub plane: Plane,
    /// Lower left and upper right corner, mm.
    pub from_mm: [f64; 2],
    /// Upper right corner, mm.
    pub to_mm: [f64; 2],
    /// Points across and up.
    pub columns: usize,
    /// Points up.
    pub rows: usize,
    /// Flux density at every point, mT: across, up, and out of the plane; `None` inside magnets and steel.
    pub field_mt: Vec<Option<[f64; 3]>>,
    /// What the plane cuts: corners of rectangles and of round faces' boxes, mm, and whether it is a magnet.
    pub parts: Vec<CutPart>,
    /// Strings in the plane: places along the first axis, mm, and share of saturation, with its sign.
    pub strings: Vec<CutString>,
}

/// A part cut by a plane.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CutPart {
    /// Lower left corner, mm.
    pub from_mm: [f64; 2],
    /// Upper right corner, mm.
    pub to_mm: [f64; 2],
    /// Whether it is a magnet.
    pub is_magnet: bool,
    /// Whether the cut is round.
    pub is_round: bool,
}

/// A string that lies in a section.
#[derive(Clone, Debug, PartialEq)]
pub struct CutString {
    /// Height of its axis, mm.
    pub z_mm: f64,
    /// Places along it, mm.
    pub y_mm: Vec<f64>,
    /// Magnetisation along it as a share of saturation, −1…1.
    pub magnetised: Vec<f64>,
}

/// How loudly a string is heard over the plane of the strings.
#[derive(Clone, Debug, PartialEq)]
pub struct BendMap {
    /// The string whose steel and height are used, from 1.
    pub string: u32,
    /// Places along the row, mm.
    pub x_mm: Vec<f64>,
    /// Places along the string, mm.
    pub y_mm: Vec<f64>,
    /// Level of the whole string at each place along the row, dB: 0 at the loudest.
    pub level_db: Vec<f64>,
    /// Share of a millimetre of string at each place (row by row along x), relative to the largest, −1…1.
    pub shares: Vec<f64>,
    /// Level between the poles: the lowest between the outer strings, against the loudest there, dB.
    pub between_db: f64,
}

/// Space about the pickup that a map shows, mm.
const MARGIN_MM: f64 = 6.0;
/// Distance from a part within which no field is shown, m.
const NEAREST_M: f64 = 0.35e-3;
/// Points along the row and along the string of a [`BendMap`].
const BEND_POINTS: usize = 61;
/// Places of a string between two neighbouring poles, both included.
const BETWEEN_POINTS: usize = 9;

impl Solution {
    /// The field of the magnets and of what they magnetise, with strings and parts that the plane cuts.
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// use coil::prediction::{Plane, Solution};
    /// let solution = Solution::compute(&reference_coil()).unwrap();
    /// let map = solution.field_map(Plane::Section { x_mm: 5.2 }, 24, 16);
    /// assert_eq!(map.field_mt.len(), 24 * 16);
    /// // Points within the rod have no value, those in the air have one.
    /// assert!(map.field_mt.iter().any(Option::is_none) && map.field_mt.iter().any(Option::is_some));
    /// ```
    #[must_use]
    pub fn field_map(&self, plane: Plane, columns: usize, rows: usize) -> FieldMap {
        let (columns, rows) = (columns.clamp(2, 400), rows.clamp(2, 400));
        let (from_mm, to_mm) = extent(&self.design, plane);
        let point = |i: usize, j: usize| {
            let at = |axis: usize, share: f64| from_mm[axis] + (to_mm[axis] - from_mm[axis]) * share;
            let (a, b) = (at(0, i as f64 / (columns - 1) as f64), at(1, j as f64 / (rows - 1) as f64));
            match plane {
                Plane::Section { x_mm } => [x_mm * 1e-3, a * 1e-3, b * 1e-3],
                Plane::Above { z_mm } => [a * 1e-3, b * 1e-3, z_mm * 1e-3],
            }
        };
        let bodies: Vec<Body> = self.model.parts.bodies.iter().map(|(_, body)| *body).collect();
        let value = |at: [f64; 3]| {
            // Closer than this the discs that stand for a face would show one by one.
            if bodies.iter().any(|body| body.contains(at, NEAREST_M)) {
                return None;
            }
            let [x, y, z] = self.solved.flux_density(at).map(|t| t * 1e3);
            Some(match plane {
                Plane::Section { .. } => [y, z, x],
                Plane::Above { .. } => [x, y, z],
            })
        };
        // Row by row on the cores there are: a map is looked at while nothing else is computed.
        let threads = std::thread::available_parallelism().map_or(1, usize::from).min(4);
        let mut field_mt = vec![None; columns * rows];
        std::thread::scope(|scope| {
            let share = rows.div_ceil(threads);
            for (k, part) in field_mt.chunks_mut(share * columns).enumerate() {
                let (value, point) = (&value, &point);
                scope.spawn(move || {
                    for (n, slot) in part.iter_mut().enumerate() {
                        *slot = value(point(n % columns, k * share + n / columns));
                    }
                });
            }
        });
        let parts = bodies.iter().filter_map(|body| cut(body, plane)).collect();
        FieldMap { plane, from_mm, to_mm, columns, rows, field_mt, parts, strings: self.cut_strings(plane) }
    }

    fn cut_strings(&self, plane: Plane) -> Vec<CutString> {
        let Plane::Section { x_mm } = plane else { return Vec::new() };
        let strings = self.model.strings.iter().zip(&self.solved.strings);
        strings
            .filter(|(at, _)| (at.x_m * 1e3 - x_mm).abs() < 1.0)
            .map(|(at, signal)| CutString {
                z_mm: at.z_m * 1e3,
                y_mm: signal.along_m.iter().map(|y| y * 1e3).collect(),
                magnetised: signal.magnetised.clone(),
            })
            .collect()
    }

    /// Level of a string of the middle of the row bent to the next pole, where it is lowest on the way, over its highest, 0 to 1.
    /// `None` with fewer than two strings, or where nothing magnetises it.
    #[must_use]
    pub fn between_poles(&self) -> Option<f64> {
        let strings = &self.design.strings;
        let number = strings.count.div_ceil(2);
        let own = self.model.strings.get((number as usize).checked_sub(1)?)?;
        let place = |n: u32| place_in_row(n, strings.count, strings.pitch_mm, strings.handed);
        let (from, to) = (place(number), place(number + 1));
        if number == strings.count {
            return None;
        }
        let share = |k: usize| k as f64 / (BETWEEN_POINTS - 1) as f64;
        let x_mm: Vec<f64> = (0..BETWEEN_POINTS).map(|k| from + (to - from) * share(k)).collect();
        let signals = self.bent(own, &x_mm);
        let levels = || signals.iter().map(|s| s.aperture.iter().sum::<f64>().abs());
        let loudest = levels().fold(0.0, f64::max);
        (loudest > 0.0).then(|| levels().fold(f64::INFINITY, f64::min) / loudest)
    }

    /// What one string would send from several places along the row, at its own height.
    fn bent(&self, own: &StringAt, x_mm: &[f64]) -> Vec<StringSignal> {
        let mut model = self.model.clone();
        model.strings = x_mm.iter().map(|x| StringAt { x_m: x * 1e-3, ..*own }).collect();
        let pattern = &self.solved.pattern;
        let answers = Answers {
            responses: &self.solved.responses,
            pattern,
            sheets: &[],
            groups: &[],
            are_likely_again: false,
        };
        strings::signals(&model, &self.solved.parts.system, &self.solved.parts.charges, &answers)
    }

    /// How loudly a string of the design would be heard at every place along the row and along itself, at its own height.
    /// `None` when there is no such string, or nothing magnetises it.
    #[must_use]
    pub fn bend_map(&self, string: u32) -> Option<BendMap> {
        let strings = &self.design.strings;
        let own = self.model.strings.get((string as usize).checked_sub(1)?)?;
        let place = |n: u32| place_in_row(n, strings.count, strings.pitch_mm, strings.handed);
        let half = place(1).abs() + strings.pitch_mm / 2.0;
        let x_mm: Vec<f64> =
            (0..BEND_POINTS).map(|k| half * (2.0 * k as f64 / (BEND_POINTS - 1) as f64 - 1.0)).collect();
        let signals = self.bent(own, &x_mm);
        let levels: Vec<f64> = signals.iter().map(|s| s.aperture.iter().sum::<f64>().abs()).collect();
        let inner = |x: &f64| x.abs() <= place(1).abs() + 1e-9;
        let within = || levels.iter().zip(&x_mm).filter(|(_, x)| inner(x)).map(|(level, _)| *level);
        let loudest = within().fold(0.0, f64::max);
        if loudest <= 0.0 {
            return None;
        }
        let decibels = |level: f64| 20.0 * (level / loudest).max(1e-4).log10();
        let first = signals.first()?;
        // Per millimetre, since the points do not lie evenly.
        let width = |p: usize| {
            let ys = &first.along_m;
            let (low, high) = (p.saturating_sub(1), (p + 1).min(ys.len() - 1));
            (ys[high] - ys[low]) / (high - low) as f64
        };
        let dense: Vec<f64> =
            signals.iter().flat_map(|s| s.aperture.iter().enumerate().map(|(p, a)| a / width(p))).collect();
        let largest = dense.iter().fold(0.0_f64, |m, v| m.max(v.abs())).max(1e-300);
        // The sense of the whole is that of most of it.
        let sense = if dense.iter().sum::<f64>() < 0.0 { -1.0 } else { 1.0 };
        Some(BendMap {
            string,
            y_mm: first.along_m.iter().map(|y| y * 1e3).collect(),
            level_db: levels.iter().map(|l| decibels(*l)).collect(),
            shares: dense.iter().map(|v| sense * v / largest).collect(),
            between_db: decibels(within().fold(f64::INFINITY, f64::min)),
            x_mm,
        })
    }
}

/// What a map of a design shows, mm.
fn extent(design: &Design, plane: Plane) -> ([f64; 2], [f64; 2]) {
    let mut low = [f64::INFINITY; 3];
    let mut high = [f64::NEG_INFINITY; 3];
    let mut take = |center: [f64; 3], size: [f64; 3]| {
        for axis in 0..3 {
            low[axis] = low[axis].min(center[axis] - size[axis] / 2.0);
            high[axis] = high[axis].max(center[axis] + size[axis] / 2.0);
        }
    };
    for coil in &design.coils {
        let (length, width) = coil.former.core.size_mm();
        let former = &coil.former;
        let height = former.flange_bottom_mm + former.height_mm + former.flange_top_mm;
        let size = [length + 2.0 * former.room_mm, width + 2.0 * former.room_mm, height];
        take([coil.center_mm[0], coil.center_mm[1], coil.base_mm + height / 2.0], size);
    }
    for pole in &design.poles {
        let [x, y] = design.place_of_pole_mm(pole);
        let center = [x, y, pole.bottom_mm + pole.length_mm / 2.0];
        take(center, [pole.diameter_mm, pole.diameter_mm, pole.length_mm]);
    }
    design.bars.iter().for_each(|bar| take(bar.center_mm, bar.size_mm));
    let gap = design.strings.core_and_gap_mm(1).1;
    let [x, y, z] = [0, 1, 2].map(|axis| [low[axis] - MARGIN_MM, high[axis] + MARGIN_MM]);
    match plane {
        Plane::Section { .. } => ([y[0], z[0]], [y[1], z[1] + gap]),
        Plane::Above { .. } => ([x[0], y[0]], [x[1], y[1]]),
    }
}

/// What a plane cuts of a body.
fn cut(body: &Body, plane: Plane) -> Option<CutPart> {
    let (center, size) = match body {
        Body::Rod(rod) => (
            [rod.axis_m.0, rod.axis_m.1, rod.bottom_m + rod.length_m / 2.0],
            [2.0 * rod.radius_m, 2.0 * rod.radius_m, rod.length_m],
        ),
        Body::Block(block) => (block.center_m, block.size_m),
    };
    let (across, [a, b], at) = match plane {
        Plane::Section { x_mm } => (0, [1, 2], x_mm * 1e-3),
        Plane::Above { z_mm } => (2, [0, 1], z_mm * 1e-3),
    };
    let off = (at - center[across]).abs();
    if off > size[across] / 2.0 {
        return None;
    }
    let is_rod = matches!(body, Body::Rod(_));
    let mut half = [size[a] / 2.0, size[b] / 2.0];
    if is_rod && across == 0 {
        // A rod cut beside its middle is narrower.
        half[0] = (half[0] * half[0] - off * off).max(0.0).sqrt();
    }
    let corner = |sign: f64| [(center[a] + sign * half[0]) * 1e3, (center[b] + sign * half[1]) * 1e3];
    Some(CutPart {
        from_mm: corner(-1.0),
        to_mm: corner(1.0),
        is_magnet: body.magnet().is_some(),
        is_round: is_rod && across == 2,
    })
}
