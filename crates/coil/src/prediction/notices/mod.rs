//! What a design alone can reveal.

mod circuit;
mod coil;
mod poles;

use super::inputs::Figures;
use super::model::Model;
use super::report::{Level, Notice};
use super::solve::Solved;
use crate::design::Design;

/// What a notice is made from.
#[derive(Clone, Copy)]
struct Case<'a> {
    design: &'a Design,
    model: &'a Model,
    solved: &'a Solved,
    figures: &'a Figures,
}

struct Gather(Vec<Notice>);

impl Gather {
    fn report(&mut self, level: Level, code: &str, at: &str, text: String, try_: impl Into<String>) {
        self.0.push(Notice { level, code: code.into(), at: at.into(), text, try_: try_.into() });
    }
}

/// All notices, the most serious first.
pub(super) fn of(design: &Design, model: &Model, solved: &Solved, figures: &Figures) -> Vec<Notice> {
    let mut gather = Gather(Vec::new());
    let case = Case { design, model, solved, figures };
    for index in 0..design.coils.len() {
        coil::notices(case, index, &mut gather);
    }
    poles::notices(case, &mut gather);
    circuit::notices(case, &mut gather);
    gather.0.sort_by_key(|n| n.level);
    gather.0
}
