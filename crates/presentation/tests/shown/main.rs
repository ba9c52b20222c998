//! What people are shown, from a design and its prediction: drawings that any reader of SVG understands, figures, lists.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod drawings;
mod numbers;
mod shared;

use coil::design::{Design, Format, starting_point};
use coil::prediction::{Calibration, Prediction, Solution};

fn solved(design: &Design) -> (Solution, Prediction) {
    let solution = Solution::compute(design).unwrap();
    let prediction = solution.prediction(&Calibration::default());
    (solution, prediction)
}

fn of(kind: Format) -> Design {
    starting_point(kind, "Sedge", 6, 10.4)
}
