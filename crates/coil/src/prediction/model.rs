//! A design resolved to the parts that the physics takes, SI.

use super::ground::Facing;
use super::part_list::PartList;
use super::wound::CoilModel;
use crate::circuit::{Join, LoadCircuit};
use crate::design::{Coil, Design, Direction, Pole, Sense};

/// A string over the pickup.
#[derive(Clone, Copy, Debug)]
pub(super) struct StringAt {
    pub x_m: f64,
    pub core_m: f64,
    pub z_m: f64,
    /// From the top of what is under it to its axis, m.
    pub above_m: f64,
    pub fundamental_hz: f64,
}

/// Everything that a prediction depends on.
#[derive(Clone, Debug)]
pub(super) struct Model {
    pub coils: Vec<CoilModel>,
    /// Coils in the circuit, and how they are joined.
    pub joined: Vec<usize>,
    pub join: Join,
    pub parts: PartList,
    pub strings: Vec<StringAt>,
    /// Distance of the strings' pluck-bearing length: share of the scale from the bridge.
    pub from_bridge: f64,
    /// The strings' length, m.
    pub scale_m: f64,
    pub load: LoadCircuit,
    pub room_c: f64,
    /// Capacitance of the leads, F, and its relative standard deviation.
    pub leads_f: f64,
    pub leads_sd: f64,
    /// What faces each coil at ground.
    pub facing: Vec<Facing>,
}

impl Model {
    /// Resolves a checked design round its coils and parts.
    pub(super) fn new(design: &Design, coils: Vec<CoilModel>, parts: PartList) -> Self {
        let (joined, join) = joined(design);
        Self {
            joined,
            join,
            parts,
            strings: strings(design),
            from_bridge: design.strings.place_of_pickup(),
            scale_m: design.strings.scale_mm * 1e-3,
            load: design.load.circuit(),
            room_c: design.room_c,
            leads_f: design.leads().capacitance_f(),
            leads_sd: design.leads().relative_sd(),
            facing: coils
                .iter()
                .enumerate()
                .map(|(i, coil)| Facing::compute(design, i, &coil.surfaces()))
                .collect(),
            coils,
        }
    }
}

/// The coils of a checked design.
pub(super) fn coils(design: &Design) -> Vec<CoilModel> {
    let medium = design.potting().permittivity();
    let coil =
        |coil: &Coil| CoilModel::compute(coil, (sense(design, coil), starts_at_ground(design, coil)), medium);
    design.coils.iter().map(coil).collect()
}

/// +1 when the current towards the hot lead runs counter-clockwise seen from above.
pub(super) fn sense(design: &Design, coil: &Coil) -> f64 {
    let turn = if coil.wind.direction == Direction::CounterClockwise { 1.0 } else { -1.0 };
    if starts_at_ground(design, coil) { turn } else { -turn }
}

/// Whether a coil's start looks to ground, as it does where nothing is said.
fn starts_at_ground(design: &Design, coil: &Coil) -> bool {
    design.wiring.sense.get(&coil.name) != Some(&Sense::FinishToGround)
}

/// The coils in the circuit. Several coils called single are taken in series, with a notice.
fn joined(design: &Design) -> (Vec<usize>, Join) {
    let all: Vec<usize> = (0..design.coils.len()).collect();
    match design.wiring.join.as_str() {
        "parallel" => (all, Join::Parallel),
        join => match join.strip_prefix("split:") {
            Some(name) => {
                let one = all.into_iter().filter(|&i| design.coils[i].name == name).collect();
                (one, Join::Series)
            }
            None => (all, Join::Series),
        },
    }
}

/// The strings over their poles; a string without a pole of its own stands where the pitch puts it.
fn strings(design: &Design) -> Vec<StringAt> {
    let count = design.strings.count;
    (1..=count)
        .map(|number| {
            let poles = design.poles.iter().filter(|p| p.string == Some(number));
            let top_of = |p: &Pole| p.bottom_mm + p.length_mm;
            let pole = poles.max_by(|a, b| top_of(a).total_cmp(&top_of(b)));
            let (core_mm, gap_mm) = design.strings.core_and_gap_mm(number);
            let row_mm =
                crate::design::place_in_row(number, count, design.strings.pitch_mm, design.strings.handed);
            let top_mm = pole.map_or_else(|| highest_mm(design), top_of);
            StringAt {
                x_m: pole.map_or(row_mm, |p| p.x_mm) * 1e-3,
                core_m: core_mm * 1e-3,
                // The gap is to the underside; the axis lies half a core higher.
                z_m: (top_mm + gap_mm + core_mm / 2.0) * 1e-3,
                above_m: (gap_mm + core_mm / 2.0) * 1e-3,
                fundamental_hz: design.strings.fundamental_hz(number),
            }
        })
        .collect()
}

/// The highest pole or flange, from which the gap of a string without a pole of its own counts, mm.
fn highest_mm(design: &Design) -> f64 {
    let flanges = design.coils.iter().map(|coil| {
        let former = &coil.former;
        coil.base_mm + former.flange_bottom_mm + former.height_mm + former.flange_top_mm
    });
    let poles = design.poles.iter().filter(|p| p.string.is_none()).map(|p| p.bottom_mm + p.length_mm);
    poles.chain(flanges).fold(f64::NEG_INFINITY, f64::max)
}
