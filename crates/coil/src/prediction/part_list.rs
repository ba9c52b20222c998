//! Magnets, poles, plates and covers of a design as the physics takes them, SI.

use crate::cache::{CacheKey, fingerprint};
use crate::design::{Design, Metal, MetalPart, Polarity, Pole, PoleShape};
use crate::eddy::{Panel, panels_of};
use crate::magnet::{Block, Body, Magnetised, Material, Rod};

/// Parts of more than this permeability count as magnetic.
const MAGNETIC: f64 = 1.02;

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
    pub panels: Vec<Panel>,
    pub thick_m: f64,
    pub sigma_s_m: f64,
    /// Permeability of what is one of the magnetic parts as well: steel.
    pub mu_r: Option<f64>,
}

impl CacheKey for Conductor {
    fn fingerprint(&self) -> u64 {
        let places = |p: &Panel| p.center_m.into_iter().chain(p.half_m);
        fingerprint(self.panels.iter().flat_map(places).chain([self.thick_m, self.sigma_s_m]))
    }
}

/// What stands in the magnets' field, and what conducts.
#[derive(Clone, Debug, Default)]
pub(super) struct PartList {
    pub bodies: Vec<(Origin, Body)>,
    /// Conductivities of the bodies, S/m.
    pub body_sigma_s_m: Vec<f64>,
    pub conductors: Vec<Conductor>,
}

impl PartList {
    /// The parts of a checked design.
    pub(super) fn from_design(design: &Design) -> Self {
        let mut list = Self::default();
        for (i, pole) in design.poles.iter().enumerate() {
            list.add(Origin::Pole(i), pole_body(design, pole), pole.material);
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
            list.add(Origin::Bar(i), Body::Block(block), bar.material);
        }
        for (i, metal) in design.metal.iter().enumerate() {
            list.add_metal(i, metal);
        }
        list
    }

    /// Whether anything in it is a magnet with a charge.
    pub(super) fn has_magnet(&self) -> bool {
        self.bodies.iter().any(|(_, body)| body.magnet().is_some_and(|m| m.charge != 0.0))
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
