//! What magnets, poles, plates and covers are to one another, without any coil.
//!
//! It depends on those parts alone, and takes half of a prediction. While a winding is changed the parts stay: the last few are
//! kept. While one part is changed the others stay, and with them what they are to one another: that is kept as well.

use super::part_list::{Conductor, PartList};
use crate::eddy::Sheet;
use crate::inductance::MU_0;
use crate::kept::Kept;
use crate::magnet::{Body, Charged, Reduced, Resolution, Source, System};
use nalgebra::DMatrix;
use std::cell::LazyCell;
use std::sync::Arc;

/// Size of the cells of conducting sheets, m.
pub(super) const SHEET_CELL_M: f64 = 14e-3;

/// The parts kept: at most 24 MB of them.
static KEPT: Kept<Parts> = Kept::new(24 << 20);

/// Conducting sheets kept, by themselves.
static SHEETS: Kept<(Conductor, Arc<Sheet>)> = Kept::new(2 << 20);

/// What a sheet drives in a magnetic part.
struct SheetDrive {
    conductor: Conductor,
    source: Source,
    drives: DMatrix<f64>,
}

/// The drives kept.
static DRIVES: Kept<SheetDrive> = Kept::new(4 << 20);

/// What a sheet drives in the plain parts, as [`System::forward_plain`] has it.
struct PlainDrive {
    conductor: Conductor,
    parts: Vec<Source>,
    forward: DMatrix<f64>,
}

/// Those kept: while magnets are changed the plates stay.
static PLAIN_DRIVES: Kept<PlainDrive> = Kept::new(2 << 20);

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
    bodies: Vec<Body>,
    conductors: Vec<Conductor>,
    pub system: System,
    /// Charges of what the magnets hold by themselves.
    pub charges: Vec<Charged>,
    pub sheets: Vec<PartSheet>,
}

impl Parts {
    /// The parts of a list: those kept, where they are the same.
    pub(super) fn of(list: &PartList) -> Arc<Self> {
        Self::kept(list).unwrap_or_else(|| {
            let parts = Self::solved(list);
            let bytes = parts.bytes();
            KEPT.keep(list.mark(), parts, bytes)
        })
    }

    /// The parts of a list, where they are kept.
    pub(super) fn kept(list: &PartList) -> Option<Arc<Self>> {
        let is_same = |parts: &Self| {
            parts.bodies.iter().eq(list.bodies.iter().map(|(_, body)| body))
                && parts.conductors == list.conductors
        };
        KEPT.find(list.mark(), is_same)
    }

    /// Works everything out anew.
    fn solved(list: &PartList) -> Self {
        let bodies: Vec<Body> = list.bodies.iter().map(|(_, body)| *body).collect();
        let system = System::new(&bodies, Resolution::default());
        let (sheets, charges) = crate::threads::side_by_side(
            || list.conductors.iter().map(|c| PartSheet::of(c, &system)).collect(),
            || system.charged(&system.held()),
        );
        Self { bodies, conductors: list.conductors.clone(), system, charges, sheets }
    }

    /// Memory that it takes, bytes; a little more than that of its matrices.
    pub(super) fn bytes(&self) -> usize {
        let of_sheet = |s: &PartSheet| {
            let nodes = s.loops.ncols();
            (2 * s.loops.nrows() * nodes + 3 * nodes * nodes) * std::mem::size_of::<f64>()
        };
        let charges = self.charges.len() * std::mem::size_of::<Charged>();
        self.system.bytes() + charges + self.sheets.iter().map(of_sheet).sum::<usize>() + 16_384
    }
}

impl PartSheet {
    fn of(conductor: &Conductor, system: &System) -> Self {
        let thick_m = conductor.thick_m;
        let sheet = sheet_of(conductor);
        let diffusion_s = conductor.mu_r.map(|mu| mu * MU_0 * conductor.sigma_s_m * thick_m * thick_m / 4.0);
        let loops =
            if system.is_empty() { DMatrix::zeros(0, 0) } else { drives_of(conductor, &sheet, system) };
        let reduced = system.reduced_from(&loops, forward_plain(conductor, &loops, system));
        let answer = (!system.is_empty()).then(|| System::products_between(&reduced, &reduced) * MU_0);
        Self { sheet, loops, reduced, answer, diffusion_s }
    }
}

/// The part in [`System::reduced`] of what a sheet drives that plain parts alone have.
fn forward_plain(conductor: &Conductor, loops: &DMatrix<f64>, system: &System) -> DMatrix<f64> {
    let (mark, parts) = system.plain_parts();
    let mark = mark.rotate_left(1) ^ conductor.mark();
    let parts: Vec<Source> = parts.collect();
    let is_same = |kept: &PlainDrive| kept.parts == parts && kept.conductor == *conductor;
    let found = PLAIN_DRIVES.find(mark, is_same).map(|kept| kept.forward.clone());
    found.unwrap_or_else(|| {
        let forward = system.forward_plain(loops);
        let bytes = forward.len() * size_of::<f64>() + size_of_val(&parts[..]) + size_of::<PlainDrive>();
        let kept = PlainDrive { conductor: conductor.clone(), parts, forward: forward.clone() };
        PLAIN_DRIVES.keep(mark, kept, bytes);
        forward
    })
}

fn sheet_of(conductor: &Conductor) -> Arc<Sheet> {
    let mark = conductor.mark();
    let kept = SHEETS.find(mark, |(other, _)| other == conductor).unwrap_or_else(|| {
        let sheet = Sheet::new(&conductor.panels, conductor.thick_m, conductor.sigma_s_m, SHEET_CELL_M);
        let bytes = sheet.bytes();
        SHEETS.keep(mark, (conductor.clone(), Arc::new(sheet)), bytes)
    });
    Arc::clone(&kept.1)
}

/// What unit stream functions of a sheet's nodes drive in all parts: one column per node.
fn drives_of(conductor: &Conductor, sheet: &Sheet, system: &System) -> DMatrix<f64> {
    let half_m = conductor.mu_r.is_some().then_some(conductor.thick_m / 2.0);
    let mirror = LazyCell::new(|| sheet.mirrored_across_x());
    let mut all = DMatrix::zeros(system.unknowns(), sheet.nodes());
    let mut before: Vec<Arc<SheetDrive>> = Vec::new();
    for part in system.surfaces() {
        let mark = conductor.mark().rotate_left(1) ^ part.source.mark();
        let is_same = |kept: &SheetDrive| kept.source == part.source && kept.conductor == *conductor;
        let kept = DRIVES.find(mark, is_same).unwrap_or_else(|| {
            let from_image = || {
                before.iter().find_map(|other| {
                    let (middle_m, nodes) = (*mirror).as_ref()?;
                    let is_image = part.source.is_mirrored_across_x(&other.source, *middle_m);
                    is_image.then(|| other.drives.select_columns(nodes))
                })
            };
            let drives = from_image().unwrap_or_else(|| sheet.drives(&part, half_m));
            let bytes = drives.len() * size_of::<f64>() + size_of::<SheetDrive>();
            DRIVES.keep(mark, SheetDrive { conductor: conductor.clone(), source: part.source, drives }, bytes)
        });
        all.rows_mut(part.first, kept.drives.nrows()).copy_from(&kept.drives);
        before.push(kept);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Kind, starting_point};

    fn list(change: impl FnOnce(&mut crate::design::Design)) -> PartList {
        let mut design = starting_point(Kind::ShortSingle, "Parts", 6, 10.0);
        change(&mut design);
        PartList::of(&design)
    }

    /// Another winding over the same parts finds them; another charge, length or thickness does not.
    #[test]
    fn the_parts_are_kept_while_only_the_winding_changes() {
        let first = Parts::of(&list(|_| {}));
        // Other tests of this process keep theirs beside, and may push these out in between.
        let is_found =
            || Arc::ptr_eq(&Parts::of(&list(|_| {})), &Parts::of(&list(|d| d.coils[0].wind.turns += 300)));
        assert!((0..20).any(|_| is_found()));
        for change in [
            (|d: &mut crate::design::Design| d.poles[0].charge = 0.7) as fn(&mut _),
            |d| d.poles[0].length_mm += 0.5,
            |d| d.metal[0].size_mm[2] += 0.1,
        ] {
            assert!(!Arc::ptr_eq(&first, &Parts::of(&list(change))));
        }
    }
}
