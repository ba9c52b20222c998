//! What a design alone can reveal.

mod case;
mod circuit;
mod coil;
mod poles;

use super::inputs::Figures;
use super::model::Model;
use super::report::Notice;
use super::solve::Solved;
use crate::design::Design;
use case::{Case, Gather};

/// All notices, the most serious first.
pub(super) fn compute(design: &Design, model: &Model, solved: &Solved, figures: &Figures) -> Vec<Notice> {
    let mut gather = Gather::default();
    let case = Case { design, model, solved, figures };
    for index in 0..design.coils.len() {
        coil::notices(case, index, &mut gather);
    }
    poles::notices(case, &mut gather);
    circuit::notices(case, &mut gather);
    gather.sorted()
}
