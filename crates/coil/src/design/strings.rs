//! The strings over a pickup.

use crate::string::note_hz;
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The strings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strings {
    /// How many, 4 to 10.
    pub count: u32,
    /// Distance between neighbours over the poles, mm.
    pub pitch_mm: f64,
    /// Vibrating length, mm; 648 when absent.
    #[serde(default = "default_scale")]
    pub scale_mm: f64,
    /// From the bridge to the poles, mm; 45 when absent.
    #[serde(default = "default_from_bridge")]
    pub from_bridge_mm: f64,
    /// Which hand plucks.
    #[serde(default)]
    pub handed: Handed,
    /// The strings one by one, string 1 first; a usual set when empty.
    #[serde(default)]
    pub each: Vec<OneString>,
}

document_word! {
    /// Which hand plucks.
    #[derive(Default)]
    pub enum Handed {
        /// The right.
        #[default]
        Right,
        /// The left.
        Left,
    }
}

/// One string.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OneString {
    /// The note it is tuned to, such as E4.
    #[serde(default)]
    pub note: String,
    /// Outer diameter, mm.
    pub diameter_mm: f64,
    /// Steel core of a wound string, mm; the whole of a plain one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub core_mm: Option<f64>,
    /// From the pole's face to the string's underside, mm; 2.4 when absent.
    #[serde(default = "default_gap")]
    pub gap_mm: f64,
}

impl Strings {
    /// Where the pickup stands, as a share of the strings' length from the bridge.
    #[must_use]
    pub fn place_of_pickup(&self) -> f64 {
        (self.from_bridge_mm / self.scale_mm).clamp(0.005, 0.6)
    }

    /// Pitch of string `number` (from 1), Hz: its note's, or from 330 Hz down to 82 Hz over the row (common practice, no
    /// source).
    #[must_use]
    pub fn fundamental_hz(&self, number: u32) -> f64 {
        let note = self.each.get((number as usize).saturating_sub(1)).and_then(|s| note_hz(&s.note));
        let share = f64::from(number.saturating_sub(1)) / f64::from(self.count.saturating_sub(1).max(1));
        note.unwrap_or_else(|| 330.0 * 0.25f64.powf(share))
    }

    /// Core diameter and gap of string `number` (from 1), mm. Where none is given, the core of a usual set from plain
    /// treble to wound bass strings (common practice, no source).
    #[must_use]
    pub fn core_and_gap_mm(&self, number: u32) -> (f64, f64) {
        let index = (number as usize).saturating_sub(1);
        if let Some(string) = self.each.get(index) {
            return (string.core_mm.unwrap_or(string.diameter_mm), string.gap_mm);
        }
        (self.usual_mm(index).0, default_gap())
    }

    /// Outer diameter of string `number` (from 1), mm; of a usual set where none is given.
    #[must_use]
    pub fn outer_mm(&self, number: u32) -> f64 {
        let index = (number as usize).saturating_sub(1);
        self.each.get(index).map_or_else(|| self.usual_mm(index).1, |string| string.diameter_mm)
    }

    /// String `number` (from 1) as it is taken to be, for a list of all of them.
    #[must_use]
    pub fn as_it_is(&self, number: u32) -> OneString {
        let ((core, gap_mm), diameter_mm) = (self.core_and_gap_mm(number), self.outer_mm(number));
        let given = self.each.get((number as usize).saturating_sub(1));
        OneString {
            note: given.map(|s| s.note.clone()).unwrap_or_default(),
            diameter_mm,
            core_mm: (core < diameter_mm).then_some(core),
            gap_mm,
        }
    }

    /// The gap of all strings where nothing else of them is given, mm; `None` where they are given one by one.
    #[must_use]
    pub fn one_gap_mm(&self) -> Option<f64> {
        let usual = Self { each: Vec::new(), ..self.clone() };
        let Some(first) = self.each.first() else { return Some(usual.core_and_gap_mm(1).1) };
        let is_usual = |(number, given): (u32, &OneString)| {
            *given == OneString { gap_mm: first.gap_mm, ..usual.as_it_is(number) }
        };
        (1_u32..).zip(&self.each).all(is_usual).then_some(first.gap_mm)
    }

    /// Sets the gap of all strings, mm, and nothing else of them.
    pub fn set_one_gap_mm(&mut self, gap_mm: f64) {
        self.each.clear();
        if (gap_mm - self.core_and_gap_mm(1).1).abs() > 1e-9 {
            self.each = (1..=self.count).map(|n| OneString { gap_mm, ..self.as_it_is(n) }).collect();
        }
    }

    /// Core and outer diameter of a usual set at a place in the row, mm.
    fn usual_mm(&self, index: usize) -> (f64, f64) {
        const USUAL_MM: [(f64, f64); 6] =
            [(0.254, 0.254), (0.330, 0.330), (0.432, 0.432), (0.356, 0.66), (0.406, 0.914), (0.457, 1.168)];
        let last = (self.count as usize).saturating_sub(1).max(1);
        let usual = (index * (USUAL_MM.len() - 1) + last / 2) / last;
        USUAL_MM[usual.min(USUAL_MM.len() - 1)]
    }
}

pub(super) fn default_scale() -> f64 {
    648.0
}

pub(super) fn default_from_bridge() -> f64 {
    45.0
}

pub(crate) fn default_gap() -> f64 {
    2.4
}
