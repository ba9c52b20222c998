//! What notices are made from, and where they are gathered.

use crate::design::Design;
use crate::prediction::inputs::Figures;
use crate::prediction::model::Model;
use crate::prediction::report::{Level, Notice};
use crate::prediction::solve::Solved;

/// What a notice is made from.
#[derive(Clone, Copy)]
pub(super) struct Case<'a> {
    pub(super) design: &'a Design,
    pub(super) model: &'a Model,
    pub(super) solved: &'a Solved,
    pub(super) figures: &'a Figures,
}

/// Notices as they are found.
#[derive(Default)]
pub(super) struct Gather(Vec<Notice>);

impl Gather {
    /// Adds one.
    pub(super) fn report(
        &mut self,
        level: Level,
        code: &str,
        at: &str,
        text: String,
        try_: impl Into<String>,
    ) {
        self.0.push(Notice { level, code: code.into(), at: at.into(), text, try_: try_.into() });
    }

    /// All of them, the most serious first.
    pub(super) fn sorted(mut self) -> Vec<Notice> {
        self.0.sort_by_key(|n| n.level);
        self.0
    }
}
