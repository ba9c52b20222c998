//! Capacitance from the windings to what is tied to ground: poles inside, foil and cover round them, plates above and
//! below.
//!
//! Each surface of a winding stands at a share of the pickup's voltage, and what faces it at ground stores the square of
//! that share. With the start at ground the inner turns are quiet and the outer ones are not; the other way about with the
//! start hot.

use crate::design::{Coil, Design, Grounded, MetalPart, Pole, PoleShape};
use crate::former::Outline;
use crate::wind::Section;
use crate::wire::WireData;
use std::f64::consts::PI;

/// Permittivity of vacuum, F/m [CODATA].
const EPSILON_0: f64 = 8.854_187_8e-12;
/// Relative permittivity of a flange of vulcanised fibre (from memory: 3.5 to 5).
const FLANGE: f64 = 4.0;
/// Relative permittivity between poles and the first turns: tape or a thin wall, and air, in series (from memory).
const LINER: f64 = 1.6;
/// Least distance from a pole's surface to the first turns' films, m: a layer of tape or lacquer, also where the core is
/// drawn round the bare rods.
const LINER_M: f64 = 0.06e-3;
/// Where a row of touching wires stands as an even surface, behind its front, in wire diameters: half a diameter less
/// ln(2π·r/p)/2π of the pitch p, r the bare radius [Smythe].
const GRID: f64 = 0.34;
/// Wall of a cover whose thickness is not given, mm.
const USUAL_WALL_MM: f64 = 0.5;

/// A winding as laid, as far as its surfaces go.
pub(super) struct Surfaces<'a> {
    pub core: Outline,
    pub wire: &'a WireData,
    pub section: &'a Section,
    /// Build over the core, m: the section's own or that of a measured packing.
    pub build_m: f64,
    /// Heights of the window's ends, m.
    pub from_z_m: f64,
    pub to_z_m: f64,
}

/// What faces the three sides of one winding, F at the full voltage of that side.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[allow(clippy::struct_field_names, reason = "the unit")]
pub(super) struct Facing {
    /// Poles, against the first turns.
    pub inner_f: f64,
    /// Foil and cover walls, against the outermost turns.
    pub outer_f: f64,
    /// Plates and the tops of covers, against the winding's upper and lower faces, over which the voltage rises evenly.
    pub faces_f: f64,
}

impl Facing {
    /// What faces coil `index` of a design.
    pub(super) fn compute(design: &Design, index: usize, winding: &Surfaces<'_>) -> Self {
        let coil = &design.coils[index];
        let mut facing = Self::default();
        if design.is_grounded(Grounded::Poles) {
            let own = design.poles.iter().filter(|p| p.coil == coil.name);
            facing.inner_f =
                own.filter(|p| p.material.conductivity_s_m() > 0.0).map(|p| pole_f(p, coil, winding)).sum();
        }
        if let Some(gap_mm) = design.foil_gap_mm() {
            facing.outer_f += round_f(winding, |_| gap_mm * 1e-3);
        }
        for metal in &design.metal {
            let is_cover = metal.part == MetalPart::Cover;
            if !design.is_grounded(if is_cover { Grounded::Cover } else { Grounded::Plate }) {
                continue;
            }
            facing.faces_f += face_f(metal, coil);
            if is_cover {
                facing.outer_f += walls_f(metal, coil, winding);
            }
        }
        facing
    }

    /// Capacitance that counts at the leads, F, for the shares of the pickup's voltage at the coil's two ends.
    pub(super) fn at_leads_f(&self, inner: f64, outer: f64) -> f64 {
        self.inner_f * inner * inner
            + self.outer_f * outer * outer
            + self.faces_f * (inner * inner + inner * outer + outer * outer) / 3.0
    }
}

/// A pole against the first turns round it: a cylinder before a plane on either side, and round the ends of the core half
/// a coaxial line [Smythe]; a blade as plates.
fn pole_f(pole: &Pole, coil: &Coil, winding: &Surfaces<'_>) -> f64 {
    let (half_x, half_y) = winding.core.half_size_m();
    let film = winding.wire.overall_m - winding.wire.bare_m / 2.0;
    let (low, high) = (pole.bottom_mm * 1e-3, (pole.bottom_mm + pole.length_mm) * 1e-3);
    let length = (high.min(winding.to_z_m) - low.max(winding.from_z_m)).max(0.0);
    let radius = pole.diameter_mm * 1e-3 / 2.0;
    // What stands beside the middle is nearer to one side by as much as it is farther from the other: the mean of both ways.
    let [near, far] =
        [-1.0, 1.0].map(|side| (half_y - radius + side * pole.y_mm.abs() * 1e-3).max(LINER_M) + film);
    let gap = 2.0 / (1.0 / near + 1.0 / far);
    let per_m = if !pole.is_round() {
        let along = if pole.shape == PoleShape::Blade { 2.0 * half_x } else { 2.0 * radius };
        2.0 * along / gap
    } else if winding.core.straight_x_m < 1e-9 && winding.core.straight_y_m < 1e-9 {
        2.0 * PI / ((half_y.max(radius + LINER_M) + film) / radius).max(1.001).ln()
    } else {
        let beside = 2.0 * PI / ((radius + gap) / radius).acosh();
        let to_end = half_x - (pole.x_mm - coil.center_mm[0]).abs() * 1e-3;
        // The row's last poles have the end's half circle for one of their sides.
        let end = if to_end < 1.5 * half_y {
            PI / ((to_end.max(radius + LINER_M) + film) / radius).max(1.001).ln()
        } else {
            0.0
        };
        2.0 * beside + end
    };
    EPSILON_0 * LINER * length * per_m
}

/// A grounded wall all round the winding, `gap_m` from its thickest place at a place of its height: strip by strip, each at
/// the voltage of its outermost turn.
fn round_f(winding: &Surfaces<'_>, gap_m: impl Fn(f64) -> f64) -> f64 {
    let section = &winding.section;
    let scale = winding.build_m / section.mean_build_m();
    let strip = 2.0 * section.overall_m;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some hundred strips")]
    let count = (section.height_m / strip).ceil().max(1.0) as usize;
    let mut outermost = vec![(0.0_f64, 0.0_f64); count];
    let last = (section.turns.len().max(2) - 1) as f64;
    for (order, turn) in section.turns.iter().enumerate() {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to the strips")]
        let at = ((turn.height_m / strip).max(0.0) as usize).min(count - 1);
        if turn.out_m > outermost[at].0 {
            outermost[at] = (turn.out_m, order as f64 / last);
        }
    }
    // What is wound round rests on the thicker places; a turn that stands out alone is pressed in.
    let mut outs: Vec<f64> = outermost.iter().map(|o| o.0).collect();
    outs.sort_by(f64::total_cmp);
    let rests_on = outs[(outs.len() - 1) * 3 / 4];
    let mut sum = 0.0;
    for (k, (out, share)) in outermost.iter().enumerate() {
        let away =
            gap_m((k as f64 + 0.5) * strip) + scale * (rests_on - out).max(0.0) + GRID * section.overall_m;
        let round = winding.core.offset(scale * out).perimeter_m();
        sum += EPSILON_0 * round * section.height_m / count as f64 * share * share / away;
    }
    sum
}

/// A cover's walls: where they lie beside the winding, at the mean of their distances along and across the row.
fn walls_f(cover: &crate::design::Metal, coil: &Coil, winding: &Surfaces<'_>) -> f64 {
    let wall_mm = cover.wall_mm.unwrap_or(USUAL_WALL_MM);
    let bottom = (cover.center_mm[2] - cover.size_mm[2] / 2.0) * 1e-3 - winding.from_z_m;
    let build = winding.build_m;
    let (half_x, half_y) = winding.core.half_size_m();
    let side = |axis: usize, half: f64, sign: f64| {
        let inside = (cover.size_mm[axis] / 2.0 - wall_mm) * 1e-3;
        let off = sign * (coil.center_mm[axis] - cover.center_mm[axis]) * 1e-3;
        (inside - off - half - build).max(0.1e-3)
    };
    // Each side by itself: a twin's coils have a wall on their outer side alone, and each other within.
    let lengths = [2.0 * half_y, 2.0 * half_x];
    let mean = [(0, half_x), (1, half_y)].into_iter().flat_map(|(axis, half)| {
        [1.0, -1.0].map(|sign| (lengths[axis] + PI / 2.0 * build, side(axis, half, sign)))
    });
    let (round, weighed) = mean.fold((0.0, 0.0), |(r, w), (length, gap)| (r + length, w + length / gap));
    let gap = round / weighed;
    round_f(winding, |height| if height >= bottom { gap } else { f64::INFINITY })
}

/// A plate or the top of a cover over the winding's face: plates with the flange between.
fn face_f(metal: &crate::design::Metal, coil: &Coil) -> f64 {
    let (half_x, half_y) = coil.former.core.outline().half_size_m();
    let room = coil.former.room_mm * 1e-3;
    let face = 4.0 * (half_x + room) * (half_y + room) - 4.0 * half_x * half_y;
    let size = metal.size_mm.map(|v| v * 1e-3);
    let covered = (size[0] * size[1] / (4.0 * (half_x + room) * (half_y + room))).min(1.0);
    let top = metal.center_mm[2] + metal.size_mm[2] / 2.0;
    let window = (coil.base_mm + coil.former.flange_bottom_mm, coil.former.height_mm);
    let gap_mm = match metal.part {
        MetalPart::Cover => top - metal.wall_mm.unwrap_or(USUAL_WALL_MM) - window.0 - window.1,
        _ if top <= window.0 => window.0 - top,
        _ => metal.center_mm[2] - metal.size_mm[2] / 2.0 - window.0 - window.1,
    };
    EPSILON_0 * FLANGE * face * covered / (gap_mm.max(0.5) * 1e-3)
}
