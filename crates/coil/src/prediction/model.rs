//! A design resolved to the parts that the physics takes, SI.

use super::ground::{Facing, Surfaces};
use crate::circuit::{Join, LoadCircuit};
use crate::design::{Coil, Design, Direction, Metal, MetalPart, Polarity, Pole, PoleShape, Sense};
use crate::eddy::panels_of;
use crate::former::Outline;
use crate::inductance::Winding;
use crate::magnet::{Block, Body, Magnetised, Material, Rod};
use crate::wind::{Bonds, GuidePlan, Lay, Pattern, Section, lay};
use crate::wire::{Pull, WireData, pull};

/// Share of the breaking pull that is usual, where the design names none (common practice, no source).
pub(super) const USUAL_PULL: f64 = 0.33;
/// Parts of more than this permeability count as magnetic.
const MAGNETIC: f64 = 1.02;

/// A coil resolved.
#[derive(Clone, Debug)]
pub(super) struct CoilModel {
    pub turns: f64,
    pub wire: WireData,
    /// Packing, measured or of the simulated lay.
    pub packing: f64,
    /// Relative standard deviation of the packing.
    pub packing_sd: f64,
    pub pattern: Pattern,
    pub core: Outline,
    pub center_m: (f64, f64),
    pub from_z_m: f64,
    pub to_z_m: f64,
    pub pull: Option<Pull>,
    pub plan: GuidePlan,
    pub section: Section,
    pub bonds: Bonds,
    /// Capacitance between its turns, F, and its slopes by the logarithms of overall diameter and packing.
    pub capacitance_f: f64,
    pub capacitance_slopes: (f64, f64),
    /// Zones of the lay for the inductance: one when it is even.
    pub zones: Vec<Winding>,
    /// +1 when the current towards the hot lead runs counter-clockwise seen from above.
    pub sense: f64,
    /// Whether its start, at the core, looks to ground.
    pub starts_at_ground: bool,
}

/// Where a body comes from in the design.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Origin {
    Pole(usize),
    Bar(usize),
    Metal(usize),
}

/// A conducting sheet.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Conductor {
    pub panels: Vec<crate::eddy::Panel>,
    pub thick_m: f64,
    pub sigma_s_m: f64,
    /// Permeability of what is one of the magnetic parts as well: steel.
    pub mu_r: Option<f64>,
}

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
    pub bodies: Vec<(Origin, Body)>,
    /// Conductivities of the bodies, S/m.
    pub body_sigma_s_m: Vec<f64>,
    pub conductors: Vec<Conductor>,
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

/// A coil's wire as it is, how it is pulled, what moves the guide, and the lay that comes of it.
pub(super) struct Laid {
    wire: WireData,
    pull: Option<Pull>,
    pub plan: GuidePlan,
    pub section: Section,
}

impl Laid {
    pub(super) fn of(coil: &Coil) -> Self {
        let wire = coil.wire.data();
        let pulled = coil.wind.tension_n.map(|tension| pull(tension, wire.bare_m));
        let plan = GuidePlan::of(&coil.wind, coil.former.height_mm * 1e-3, wire.overall_m);
        let of_breaking = pulled.map_or(USUAL_PULL, |p| p.of_breaking);
        let section = lay(&plan, coil.former.room_mm * 1e-3, of_breaking);
        Self { wire, pull: pulled, plan, section }
    }
}

impl CoilModel {
    /// `medium` is the relative permittivity of what fills the gaps.
    fn of(coil: &Coil, (sense, starts_at_ground): (f64, bool), medium: f64) -> Self {
        const STEP: f64 = 0.03;
        let Laid { wire, pull: pulled, plan, section } = Laid::of(coil);
        let height_m = coil.former.height_mm * 1e-3;
        let from_z_m = (coil.base_mm + coil.former.flange_bottom_mm) * 1e-3;
        let core = coil.former.core.outline();
        let bonds = Bonds::of(&section, &core);
        let laid = section.packing();
        let packing = coil.wind.packing.unwrap_or(laid);
        let center_m = (coil.center_mm[0] * 1e-3, coil.center_mm[1] * 1e-3);
        // A looser packing than the simulated one spreads the turns apart, a tighter one brings them closer until they touch.
        let between = |overall: f64, by_packing: f64| {
            let spread = (laid / (packing * (1.0 + by_packing))).sqrt();
            let overall_m = wire.overall_m * (1.0 + overall);
            bonds.capacitance_f(wire.bare_m, overall_m, wire.permittivity, medium, spread).max(1e-18)
        };
        let mut model = Self {
            turns: f64::from(coil.wind.turns),
            wire,
            packing,
            // A measured packing still varies from coil to coil by hand; an assumed one twice as much.
            packing_sd: if coil.wind.packing.is_some() { 0.025 } else { 0.05 },
            pattern: Pattern::of_wander(coil.wind.wander),
            core,
            center_m,
            from_z_m,
            to_z_m: from_z_m + height_m,
            pull: pulled,
            plan,
            section,
            capacitance_f: between(0.0, 0.0),
            capacitance_slopes: (
                (between(STEP, 0.0) / between(0.0, 0.0)).ln() / STEP,
                (between(0.0, -STEP) / between(0.0, 0.0)).ln() / -STEP,
            ),
            bonds,
            zones: Vec::new(),
            sense,
            starts_at_ground,
        };
        model.zones = model.zones(coil.wind.packing.is_some());
        model
    }

    /// The same coil in another place.
    fn moved_to(&self, coil: &Coil, (sense, starts_at_ground): (f64, bool)) -> Self {
        let center_m = (coil.center_mm[0] * 1e-3, coil.center_mm[1] * 1e-3);
        let from_z_m = (coil.base_mm + coil.former.flange_bottom_mm) * 1e-3;
        let up = from_z_m - self.from_z_m;
        let moved =
            |w: &Winding| Winding { center_m, from_z_m: w.from_z_m + up, to_z_m: w.to_z_m + up, ..*w };
        Self {
            center_m,
            from_z_m,
            to_z_m: self.to_z_m + up,
            zones: self.zones.iter().map(moved).collect(),
            sense,
            starts_at_ground,
            ..self.clone()
        }
    }

    pub(super) fn height_m(&self) -> f64 {
        self.to_z_m - self.from_z_m
    }

    pub(super) fn lay(&self) -> Lay {
        Lay::uniform(self.turns, self.wire.overall_m, self.packing, &self.core, self.height_m())
    }

    /// The coil as one even window.
    pub(super) fn winding(&self) -> Winding {
        Winding {
            core: self.core,
            center_m: self.center_m,
            from_z_m: self.from_z_m,
            to_z_m: self.to_z_m,
            build_m: self.lay().build_m,
            turns: self.turns,
        }
    }

    fn surfaces(&self) -> Surfaces<'_> {
        Surfaces {
            core: self.core,
            wire: &self.wire,
            section: &self.section,
            build_m: self.lay().build_m,
            from_z_m: self.from_z_m,
            to_z_m: self.to_z_m,
        }
    }

    /// Three zones where the lay is uneven by more than a tenth; a measured packing is that of an even one.
    fn zones(&self, measured: bool) -> Vec<Winding> {
        const ZONES: usize = 3;
        let whole = self.winding();
        let laid = self.section.zones(ZONES);
        let even = self.turns / ZONES as f64;
        let uneven = |&(turns, build): &(f64, f64)| {
            (turns / even - 1.0).abs().max((build / whole.build_m - 1.0).abs()) > 0.1
        };
        if measured || !laid.iter().any(uneven) || laid.iter().any(|z| z.0 < 1.0) {
            return vec![whole];
        }
        let step = self.height_m() / ZONES as f64;
        laid.iter()
            .enumerate()
            .map(|(i, &(turns, build_m))| Winding {
                from_z_m: self.from_z_m + step * i as f64,
                to_z_m: self.from_z_m + step * (i + 1) as f64,
                build_m,
                turns,
                ..whole
            })
            .collect()
    }

    /// Mean area of a turn, m².
    pub(super) fn mean_area_m2(&self) -> f64 {
        let build = self.lay().build_m;
        let thirds = [0.112_701_665, 0.5, 0.887_298_335].map(|t| self.core.offset(t * build).area_m2());
        (5.0 * thirds[0] + 8.0 * thirds[1] + 5.0 * thirds[2]) / 18.0
    }
}

impl Model {
    /// Resolves a checked design.
    pub(super) fn of(design: &Design) -> Self {
        let (joined, join) = joined(design);
        let medium = design.potting().permittivity();
        let mut coils: Vec<CoilModel> = Vec::with_capacity(design.coils.len());
        for (i, coil) in design.coils.iter().enumerate() {
            let sense = (sense(design, coil), starts_at_ground(design, coil));
            // Coils wound alike are laid alike: their common plan and seed make one lay of them.
            let same = |other: &Coil| {
                other.former == coil.former && other.wire == coil.wire && same_wind(&other.wind, &coil.wind)
            };
            let twin = design.coils[..i].iter().position(same);
            let made =
                twin.map_or_else(|| CoilModel::of(coil, sense, medium), |k| coils[k].moved_to(coil, sense));
            coils.push(made);
        }
        let mut model = Self {
            joined,
            join,
            bodies: Vec::new(),
            body_sigma_s_m: Vec::new(),
            conductors: Vec::new(),
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
                .map(|(i, coil)| Facing::of(design, i, &coil.surfaces()))
                .collect(),
            coils,
        };
        for (i, pole) in design.poles.iter().enumerate() {
            model.add(Origin::Pole(i), pole_body(design, pole), pole.material);
        }
        for (i, bar) in design.bars.iter().enumerate() {
            let north = if bar.north == crate::design::End::Positive { 1.0 } else { -1.0 };
            let block = Block {
                center_m: bar.center_mm.map(|v| v * 1e-3),
                size_m: bar.size_mm.map(|v| v * 1e-3),
                mu_r: bar.material.recoil_mu(),
                magnet: bar
                    .material
                    .demagnetisation()
                    .map(|curve| (bar.magnetised as usize, Magnetised { curve, charge: bar.charge * north })),
            };
            model.add(Origin::Bar(i), Body::Block(block), bar.material);
        }
        for (i, metal) in design.metal.iter().enumerate() {
            model.add_metal(i, metal);
        }
        model
    }

    fn add(&mut self, origin: Origin, body: Body, material: Material) {
        if body.magnet().is_some() || body.mu_r() > MAGNETIC {
            self.bodies.push((origin, body));
            self.body_sigma_s_m.push(material.conductivity_s_m());
        }
    }

    fn add_metal(&mut self, index: usize, metal: &Metal) {
        let (center_m, size_m) = (metal.center_mm.map(|v| v * 1e-3), metal.size_mm.map(|v| v * 1e-3));
        let wall_m = metal.wall_mm.map(|w| w * 1e-3);
        let boxed = metal.part == MetalPart::Cover;
        let wall = wall_m.unwrap_or(0.5e-3).min(size_m[2] / 2.0);
        let mu_r = metal.material.recoil_mu();
        let is_magnetic = mu_r > MAGNETIC;
        if is_magnetic {
            let sides = if boxed { walls_of(center_m, size_m, wall) } else { vec![(center_m, size_m)] };
            for (center_m, size_m) in sides {
                let block = Block { center_m, size_m, mu_r, magnet: None };
                self.add(Origin::Metal(index), Body::Block(block), metal.material);
            }
        }
        let sigma_s_m = metal.material.conductivity_s_m();
        if sigma_s_m > 0.0 {
            let panels = panels_of(center_m, size_m, boxed.then_some(wall));
            let thinnest = size_m.iter().copied().fold(f64::INFINITY, f64::min);
            let thick_m = if boxed { wall } else { thinnest };
            self.conductors.push(Conductor { panels, thick_m, sigma_s_m, mu_r: is_magnetic.then_some(mu_r) });
        }
    }

    /// Whether anything in it is a magnet with a charge.
    pub(super) fn has_magnet(&self) -> bool {
        self.bodies.iter().any(|(_, body)| body.magnet().is_some_and(|m| m.charge != 0.0))
    }
}

/// Top and four walls of a box open below, as blocks: centre and size.
fn walls_of(center_m: [f64; 3], size_m: [f64; 3], wall_m: f64) -> Vec<([f64; 3], [f64; 3])> {
    let side = |axis: usize, sign: f64, size: [f64; 3]| {
        let mut center = center_m;
        center[axis] += sign * (size_m[axis] - wall_m) / 2.0;
        if axis != 2 {
            center[2] -= wall_m / 2.0;
        }
        (center, size)
    };
    let high = size_m[2] - wall_m;
    let across = [wall_m, size_m[1] - 2.0 * wall_m, high];
    let along = [size_m[0], wall_m, high];
    vec![
        side(2, 1.0, [size_m[0], size_m[1], wall_m]),
        side(0, 1.0, across),
        side(0, -1.0, across),
        side(1, 1.0, along),
        side(1, -1.0, along),
    ]
}

/// Whether two windings lay their turns alike: all but the direction.
fn same_wind(a: &crate::design::Wind, b: &crate::design::Wind) -> bool {
    *a == crate::design::Wind { direction: a.direction, ..b.clone() }
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

fn pole_body(design: &Design, pole: &Pole) -> Body {
    let coil = design.coils.iter().find(|c| c.name == pole.coil);
    let [x_m, y_m] = design.place_of_pole_mm(pole).map(|mm| mm * 1e-3);
    let (thick_m, length_m) = (pole.diameter_mm * 1e-3, pole.length_mm * 1e-3);
    let charge = if pole.up == Polarity::North { pole.charge } else { -pole.charge };
    let magnet = pole.material.demagnetisation().map(|curve| Magnetised { curve, charge });
    let mu_r = pole.material.recoil_mu();
    let block = |along_m: f64| {
        Body::Block(Block {
            center_m: [x_m, y_m, pole.bottom_mm * 1e-3 + length_m / 2.0],
            size_m: [along_m, thick_m, length_m],
            mu_r,
            magnet: magnet.map(|m| (2, m)),
        })
    };
    match pole.shape {
        PoleShape::Blade => {
            // A blade runs through the core from end to end, within its outline.
            let along = coil.map_or(thick_m, |c| {
                let (half_x, half_y) = c.former.core.outline().half_size_m();
                (2.0 * (half_x - half_y) + thick_m).max(thick_m)
            });
            block(along)
        }
        PoleShape::Square => block(thick_m),
        _ => Body::Rod(Rod {
            axis_m: (x_m, y_m),
            bottom_m: pole.bottom_mm * 1e-3,
            length_m,
            radius_m: thick_m / 2.0,
            bevel_m: pole.bevel_mm * 1e-3,
            mu_r,
            magnet,
        }),
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
