//! What magnets, poles, plates and covers are to one another, without any coil.
//!
//! It depends on those parts alone, and takes half of a prediction. While a winding is changed the parts stay: the last few are
//! kept. While one part is changed the others stay, and with them what they are to one another: that is kept as well.

use super::part_list::{Conductor, PartList};
use crate::cache::{Cache, MemorySize, bounds};
use crate::eddy::Sheet;
use crate::inductance::MU_0;
use crate::magnet::{Body, Charged, Reduced, Resolution, Source, System};
use nalgebra::DMatrix;
use std::cell::LazyCell;
use std::sync::Arc;

/// Size of the cells of conducting sheets, m.
pub(super) const SHEET_CELL_M: f64 = 14e-3;

static PARTS: Cache<(Vec<Body>, Vec<Conductor>), Parts> = Cache::new(bounds::PARTS);

static SHEETS: Cache<Conductor, Sheet> = Cache::new(bounds::SHEETS);

/// What a sheet drives in one magnetic part.
static DRIVES: Cache<(Conductor, Source), DMatrix<f64>> = Cache::new(bounds::SHEET_DRIVES);

/// What a sheet drives in all plain parts, as [`System::forward_plain`] has it: while magnets are changed the plates stay.
static PLAIN_DRIVES: Cache<(Conductor, Vec<Source>), DMatrix<f64>> = Cache::new(bounds::PLAIN_DRIVES);

/// A conducting sheet among the magnetic parts.
#[derive(Debug)]
pub(super) struct PartSheet {
    pub sheet: Arc<Sheet>,
    /// What unit stream functions of its nodes drive in the magnetic parts: one column per node.
    pub loops: DMatrix<f64>,
    /// Those, as [`System::products_between`] takes them.
    pub reduced: Reduced,
    /// What the magnetic parts add to its inductance over nodes, H; none without magnetic parts.
    pub answer: Option<DMatrix<f64>>,
    /// What the skin effect in it goes by, μσt²/4, s, where that counts.
    pub diffusion_s: Option<f64>,
}

/// The parts, solved.
#[derive(Debug)]
pub(super) struct Parts {
    pub system: System,
    /// Charges of what the magnets hold by themselves.
    pub charges: Vec<Charged>,
    pub sheets: Vec<PartSheet>,
}

impl Parts {
    /// The solved parts of a list.
    pub(super) fn solve(list: &PartList) -> Arc<Self> {
        let key = Self::key(list);
        PARTS.get(&key).unwrap_or_else(|| {
            let parts = Self::compute(list, &key.0);
            PARTS.insert(key, parts)
        })
    }

    /// The solved parts of a list, if they are cached.
    pub(super) fn cached(list: &PartList) -> Option<Arc<Self>> {
        PARTS.get(&Self::key(list))
    }

    fn key(list: &PartList) -> (Vec<Body>, Vec<Conductor>) {
        (list.bodies.iter().map(|(_, body)| *body).collect(), list.conductors.clone())
    }

    fn compute(list: &PartList, bodies: &[Body]) -> Self {
        let system = System::new(bodies, Resolution::default());
        let (sheets, charges) = crate::threads::side_by_side(
            || list.conductors.iter().map(|c| PartSheet::new(c, &system)).collect(),
            || system.charged(&system.remanent_state()),
        );
        Self { system, charges, sheets }
    }
}

impl MemorySize for Parts {
    fn bytes(&self) -> usize {
        let of_sheet = |s: &PartSheet| {
            let nodes = s.loops.ncols();
            (2 * s.loops.nrows() * nodes + 3 * nodes * nodes) * std::mem::size_of::<f64>()
        };
        let charges = self.charges.len() * std::mem::size_of::<Charged>();
        self.system.bytes() + charges + self.sheets.iter().map(of_sheet).sum::<usize>() + 16_384
    }
}

impl PartSheet {
    fn new(conductor: &Conductor, system: &System) -> Self {
        let thick_m = conductor.thick_m;
        let sheet = SHEETS.get_or_compute(conductor.clone(), || {
            Sheet::new(&conductor.panels, thick_m, conductor.sigma_s_m, SHEET_CELL_M)
        });
        let diffusion_s = conductor.mu_r.map(|mu| mu * MU_0 * conductor.sigma_s_m * thick_m * thick_m / 4.0);
        let loops =
            if system.is_empty() { DMatrix::zeros(0, 0) } else { compute_drives(conductor, &sheet, system) };
        let plain = PLAIN_DRIVES
            .get_or_compute((conductor.clone(), system.plain_parts()), || system.forward_plain(&loops));
        let reduced = system.reduced_from(&loops, (*plain).clone());
        let answer = (!system.is_empty()).then(|| System::products_between(&reduced, &reduced) * MU_0);
        Self { sheet, loops, reduced, answer, diffusion_s }
    }
}

/// What unit stream functions of a sheet's nodes drive in all parts: one column per node.
fn compute_drives(conductor: &Conductor, sheet: &Sheet, system: &System) -> DMatrix<f64> {
    let half_m = conductor.mu_r.is_some().then_some(conductor.thick_m / 2.0);
    let mirror = LazyCell::new(|| sheet.mirrored_across_x());
    let mut all = DMatrix::zeros(system.unknowns(), sheet.nodes());
    let mut before: Vec<(Source, Arc<DMatrix<f64>>)> = Vec::new();
    for part in system.surfaces() {
        let drives = DRIVES.get_or_compute((conductor.clone(), part.source), || {
            let from_image = before.iter().find_map(|(source, drives)| {
                let (middle_m, nodes) = (*mirror).as_ref()?;
                let is_image = part.source.is_mirrored_across_x(source, *middle_m);
                is_image.then(|| drives.select_columns(nodes))
            });
            from_image.unwrap_or_else(|| sheet.drives(&part, half_m))
        });
        all.rows_mut(part.first, drives.nrows()).copy_from(&*drives);
        before.push((part.source, drives));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, starting_point};

    fn list(change: impl FnOnce(&mut crate::design::Design)) -> PartList {
        let mut design = starting_point(Format::ShortSingle, "Parts", 6, 10.0);
        change(&mut design);
        PartList::from_design(&design)
    }

    /// Another winding over the same parts finds them; another charge, length or thickness does not.
    #[test]
    fn the_parts_stay_cached_while_only_the_winding_changes() {
        let first = Parts::solve(&list(|_| {}));
        // Other tests of this process keep theirs beside, and may push these out in between.
        let is_found = || {
            Arc::ptr_eq(&Parts::solve(&list(|_| {})), &Parts::solve(&list(|d| d.coils[0].wind.turns += 300)))
        };
        assert!((0..20).any(|_| is_found()));
        for change in [
            (|d: &mut crate::design::Design| d.poles[0].charge = 0.7) as fn(&mut _),
            |d| d.poles[0].length_mm += 0.5,
            |d| d.metal[0].size_mm[2] += 0.1,
        ] {
            assert!(!Arc::ptr_eq(&first, &Parts::solve(&list(change))));
        }
    }
}
