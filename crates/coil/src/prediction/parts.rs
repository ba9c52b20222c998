//! What magnets, poles, plates and covers are to one another, without any coil.
//!
//! It depends on those parts alone, and takes half of a prediction. While a winding is changed the parts stay: the last few are
//! kept.

use super::model::{Conductor, Model};
use crate::eddy::Sheet;
use crate::inductance::MU_0;
use crate::magnet::{Body, Charged, Reduced, Resolution, System};
use nalgebra::DMatrix;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Size of the cells of conducting sheets, m.
pub(super) const SHEET_CELL_M: f64 = 14e-3;

/// Memory that kept parts may take together, bytes.
const MOST_BYTES: usize = 24 << 20;

/// The parts kept, the last used last.
static KEPT: Mutex<VecDeque<Arc<Parts>>> = Mutex::new(VecDeque::new());

/// A conducting sheet among the magnetic parts.
#[derive(Debug)]
pub(super) struct PartSheet {
    pub sheet: Sheet,
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
    /// The parts of a model: those kept, where they are the same.
    pub(super) fn of(model: &Model) -> Arc<Self> {
        let is_same = |parts: &Arc<Self>| {
            parts.bodies.iter().eq(model.bodies.iter().map(|(_, body)| body))
                && parts.conductors == model.conductors
        };
        let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(parts) = kept.iter().position(is_same).and_then(|at| kept.remove(at)) {
            kept.push_back(Arc::clone(&parts));
            return parts;
        }
        // Not under the lock: others go on, and who needs the same parts just then works them out as well.
        drop(kept);
        let parts = Arc::new(Self::solved(model));
        if parts.bytes() > MOST_BYTES / 4 {
            return parts;
        }
        let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
        kept.push_back(Arc::clone(&parts));
        let mut bytes: usize = kept.iter().map(|p| p.bytes()).sum();
        while bytes > MOST_BYTES
            && let Some(oldest) = kept.pop_front()
        {
            bytes -= oldest.bytes();
        }
        parts
    }

    /// Works everything out anew.
    fn solved(model: &Model) -> Self {
        let bodies: Vec<Body> = model.bodies.iter().map(|(_, body)| *body).collect();
        let system = System::new(&bodies, Resolution::default());
        let sheets = model.conductors.iter().map(|c| PartSheet::of(c, &system)).collect();
        let charges = system.charged(&system.held());
        Self { bodies, conductors: model.conductors.clone(), system, charges, sheets }
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
        let sheet = Sheet::new(&conductor.panels, thick_m, conductor.sigma_s_m, SHEET_CELL_M);
        let half_m = conductor.mu_r.is_some().then_some(thick_m / 2.0);
        let diffusion_s = conductor.mu_r.map(|mu| mu * MU_0 * conductor.sigma_s_m * thick_m * thick_m / 4.0);
        let loops = if system.is_empty() { DMatrix::zeros(0, 0) } else { sheet.drives(system, half_m) };
        let reduced = system.reduced(&loops);
        let answer = (!system.is_empty()).then(|| System::products_between(&reduced, &reduced) * MU_0);
        Self { sheet, loops, reduced, answer, diffusion_s }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Kind, starting_point};

    fn model(change: impl FnOnce(&mut crate::design::Design)) -> Model {
        let mut design = starting_point(Kind::ShortSingle, "Parts", 6, 10.0);
        change(&mut design);
        Model::of(&design)
    }

    /// Another winding over the same parts finds them; another charge, length or thickness does not.
    #[test]
    fn the_parts_are_kept_while_only_the_winding_changes() {
        let first = Parts::of(&model(|_| {}));
        // Other tests of this process keep theirs beside, and may push these out in between.
        let is_found =
            || Arc::ptr_eq(&Parts::of(&model(|_| {})), &Parts::of(&model(|d| d.coils[0].wind.turns += 300)));
        assert!((0..20).any(|_| is_found()));
        for change in [
            (|d: &mut crate::design::Design| d.poles[0].charge = 0.7) as fn(&mut _),
            |d| d.poles[0].length_mm += 0.5,
            |d| d.metal[0].size_mm[2] += 0.1,
        ] {
            assert!(!Arc::ptr_eq(&first, &Parts::of(&model(change))));
        }
    }

    /// However many different parts are solved, what is kept stays within its bound.
    #[test]
    fn what_is_kept_is_bounded() {
        for k in 0..60_u32 {
            Parts::of(&model(|d| d.poles[0].length_mm += 0.01 * f64::from(k)));
        }
        let kept = KEPT.lock().unwrap();
        assert!(kept.iter().map(|p| p.bytes()).sum::<usize>() <= MOST_BYTES && !kept.is_empty());
    }
}
