//! A coil resolved: its wire, its lay and what comes of them wherever the coil stands.
//!
//! The lay takes a quarter of a prediction and depends on former, wire and winding alone. While magnets or metal are changed
//! the coils stay: the last few are kept.

use super::ground::Surfaces;
use crate::cache::{Cache, CacheKey, MemorySize, bounds, fingerprint};
use crate::design::{Coil, Design, Wind};
use crate::former::Outline;
use crate::inductance::{Winding, inductance_of_zones};
use crate::wind::{Bonds, GuidePlan, LaidTurn, Lay, MACHINE_PLAY, Pattern, Section, WANDER_SCATTERED, lay};
use crate::wire::{Pull, WireData, pull};
use std::sync::Arc;

/// Share of the breaking pull that is usual, where the design names none (common practice, no source).
pub(super) const USUAL_PULL: f64 = 0.33;

/// Coils round the origin, with their windows from z = 0 up.
static COILS: Cache<CoilKey, CoilModel> = Cache::new(bounds::COILS);

/// What the model of a coil depends on but for its place and the sense that it is wound in.
struct CoilKey {
    coil: Coil,
    medium: f64,
}

/// How an inductance answers to small changes, relative: to ln(build), to height (1/m), to the core's growth (1/m).
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Slopes {
    pub build: f64,
    pub height: f64,
    pub core: f64,
}

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
    pub section: Arc<Section>,
    pub bonds: Bonds,
    /// Inductance in air, H, and how it answers to small changes.
    pub air_h: f64,
    pub air_slopes: Slopes,
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

/// A coil's wire as it is, how it is pulled, what moves the guide, and the lay that comes of it.
pub(super) struct Laid {
    wire: WireData,
    pull: Option<Pull>,
    pub plan: GuidePlan,
    pub section: Section,
}

impl Laid {
    pub(super) fn new(coil: &Coil) -> Self {
        let wire = coil.wire.data();
        let pulled = coil.wind.tension_n.map(|tension| pull(tension, wire.bare_m));
        let plan = GuidePlan::new(&coil.wind, coil.former.height_mm * 1e-3, wire.overall_m);
        let of_breaking = pulled.map_or(USUAL_PULL, |p| p.of_breaking);
        let section = lay(&plan, coil.former.room_mm * 1e-3, of_breaking);
        Self { wire, pull: pulled, plan, section }
    }
}

impl CoilModel {
    /// A coil in its place; `medium` is the relative permittivity of what fills the gaps. Coils wound alike are laid alike:
    /// their common plan and seed make one lay of them.
    pub(super) fn compute(coil: &Coil, (sense, starts_at_ground): (f64, bool), medium: f64) -> Self {
        let model = COILS.get_or_compute(CoilKey::new(coil, medium), || Self::laid(coil, medium));
        model.placed(coil, (sense, starts_at_ground))
    }

    /// Whether the models of all coils of a design are cached.
    pub(super) fn are_cached(design: &Design) -> bool {
        let medium = design.potting().permittivity();
        design.coils.iter().all(|coil| COILS.get(&CoilKey::new(coil, medium)).is_some())
    }

    /// A coil round the origin, with its window from z = 0 up.
    fn laid(coil: &Coil, medium: f64) -> Self {
        const STEP: f64 = 0.03;
        let Laid { wire, pull: pulled, plan, section } = Laid::new(coil);
        let core = coil.former.core.outline();
        let bonds = Bonds::from_section(&section, &core);
        let laid = section.packing();
        let packing = coil.wind.packing.unwrap_or(laid);
        // Turns of the simulated straight lay slide together until they touch; the guide's play keeps real ones apart, and they
        // cross those below twice a turn. A scattered lay crosses anyhow.
        let straight = (1.0 - coil.wind.wander / WANDER_SCATTERED).max(0.0);
        let clearance = 1.0 + MACHINE_PLAY * straight;
        // A looser packing than the simulated one spreads the turns apart, a tighter one brings them closer until they touch.
        let between = |overall: f64, by_packing: f64| {
            let spread = clearance * (laid / (packing * (1.0 + by_packing))).sqrt();
            let overall_m = wire.overall_m * (1.0 + overall);
            bonds.capacitance_f(wire.bare_m, overall_m, wire.permittivity, medium, spread).max(1e-18)
        };
        let capacitance_f = between(0.0, 0.0);
        let mut model = Self {
            turns: f64::from(coil.wind.turns),
            wire,
            packing,
            // A measured packing still varies from coil to coil by hand; an assumed one twice as much.
            packing_sd: if coil.wind.packing.is_some() { 0.025 } else { 0.05 },
            pattern: Pattern::from_wander(coil.wind.wander),
            core,
            center_m: (0.0, 0.0),
            from_z_m: 0.0,
            to_z_m: coil.former.height_mm * 1e-3,
            pull: pulled,
            plan,
            section: Arc::new(section),
            air_h: 0.0,
            air_slopes: Slopes::default(),
            capacitance_f,
            capacitance_slopes: (
                (between(STEP, 0.0) / capacitance_f).ln() / STEP,
                (between(0.0, -STEP) / capacitance_f).ln() / -STEP,
            ),
            bonds,
            zones: Vec::new(),
            sense: 1.0,
            starts_at_ground: true,
        };
        model.zones = model.zones(coil.wind.packing.is_some());
        model.air_h = inductance_of_zones(&model.winding(), &model.zones);
        model.air_slopes = slopes(&model.winding());
        model
    }

    /// The same coil in a place of its own.
    fn placed(&self, coil: &Coil, (sense, starts_at_ground): (f64, bool)) -> Self {
        let center_m = (coil.center_mm[0] * 1e-3, coil.center_mm[1] * 1e-3);
        let from_z_m = (coil.base_mm + coil.former.flange_bottom_mm) * 1e-3;
        let placed = |w: &Winding| Winding {
            center_m,
            from_z_m: w.from_z_m + from_z_m,
            to_z_m: w.to_z_m + from_z_m,
            ..*w
        };
        Self {
            center_m,
            from_z_m,
            to_z_m: self.to_z_m + from_z_m,
            zones: self.zones.iter().map(placed).collect(),
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

    pub(super) fn surfaces(&self) -> Surfaces<'_> {
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

impl CoilKey {
    fn new(coil: &Coil, medium: f64) -> Self {
        Self { coil: coil.clone(), medium }
    }
}

impl CacheKey for CoilKey {
    fn fingerprint(&self) -> u64 {
        let (former, wind, wire) = (&self.coil.former, &self.coil.wind, self.coil.wire.data());
        let core = former.core.outline().half_size_m();
        let given = [wind.turns_per_pass, wind.tension_n, wind.packing].map(|given| given.unwrap_or(-1.0));
        let former =
            [former.height_mm, former.room_mm, former.flange_bottom_mm, former.flange_top_mm, core.0, core.1];
        let wire = [wire.bare_m, wire.overall_m, wire.ohm_per_m, wire.permittivity, wire.overall_sd];
        #[allow(clippy::cast_precision_loss, reason = "seeds with one fingerprint differ as keys")]
        let wind = [f64::from(wind.turns), wind.wander, wind.margin_mm, wind.seed as f64];
        fingerprint(former.into_iter().chain(wire).chain(wind).chain(given).chain([self.medium]))
    }
}

impl PartialEq for CoilKey {
    /// Compared bit by bit: the cached model is the one that would be computed. The direction alone does not change the lay.
    fn eq(&self, other: &Self) -> bool {
        let (a, b) = (&self.coil, &other.coil);
        self.medium.to_bits() == other.medium.to_bits()
            && (&a.former, &a.wire) == (&b.former, &b.wire)
            && a.wind == Wind { direction: a.wind.direction, ..b.wind.clone() }
    }
}

impl MemorySize for CoilModel {
    fn bytes(&self) -> usize {
        self.section.turns.len() * size_of::<LaidTurn>() + 16_384
    }
}

/// By small differences of the even window.
fn slopes(winding: &Winding) -> Slopes {
    let base = winding.rough_inductance_h().ln();
    let change = |other: Winding| other.rough_inductance_h().ln() - base;
    let (build, height, core) = (0.02, 0.1e-3, 0.05e-3);
    let thicker = Winding { build_m: winding.build_m * (1.0 + build), ..*winding };
    let taller = Winding { to_z_m: winding.to_z_m + height, ..*winding };
    let mut wider = *winding;
    wider.core.corner_m += core;
    Slopes { build: change(thicker) / build, height: change(taller) / height, core: change(wider) / core }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Direction, reference_coil};

    fn of(coil: &Coil) -> CoilModel {
        CoilModel::compute(coil, (1.0, true), 1.0)
    }

    /// The lay is found again in another place and the other way round, and not with anything else of it changed.
    #[test]
    fn a_lay_stays_cached_while_the_coil_is_moved() {
        let coil = &reference_coil().coils[0];
        let first = of(coil);
        let is_found = |change: fn(&mut Coil)| {
            let mut other = coil.clone();
            change(&mut other);
            Arc::ptr_eq(&of(&other).section, &of(coil).section)
        };
        // Other tests of this process keep theirs beside, and may push this one out in between.
        let is_found = |change| (0..20).any(|_| is_found(change));
        assert!(is_found(|c| c.center_mm = [3.0, 9.0]) && is_found(|c| c.base_mm += 2.0));
        assert!(is_found(|c| c.wind.direction = Direction::Clockwise));
        assert!(is_found(|c| c.wind.direction = Direction::CounterClockwise));
        assert!(!is_found(|c| c.wind.turns += 1) && !is_found(|c| c.former.height_mm += 0.1));
        let mut moved = coil.clone();
        moved.base_mm += 2.0;
        let moved = of(&moved);
        assert!((moved.from_z_m - first.from_z_m - 2e-3).abs() < 1e-12);
        assert_eq!((moved.air_h, moved.capacitance_f), (first.air_h, first.capacitance_f));
    }

    /// A medium of its own makes a coil of its own: it decides the capacitance.
    #[test]
    fn wax_is_no_air() {
        let coil = &reference_coil().coils[0];
        let (air, wax) = (of(coil), CoilModel::compute(coil, (1.0, true), 2.25));
        assert!(wax.capacitance_f > 1.3 * air.capacitance_f);
    }
}
