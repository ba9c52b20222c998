//! What flux readings tell: which alloys they fit at full charge, and which poles are not as they should be.

use super::findings::Findings;
use super::report::{Fault, Probable};
use crate::design::{Design, Polarity};
use crate::magnet::{Grade, Material};
use crate::prediction::Solution;

/// Where the element of a usual flat probe sits behind its tip, mm (common practice, no source).
const PROBE_MM: f64 = 0.5;
/// Relative standard deviation of a prediction from a grade's Br and Hc alone, with a reading by hand.
const SPREAD: f64 = 0.09;
/// The same between neighbouring poles of one pickup.
const POLE_SPREAD: f64 = 0.05;
/// Charge below which a magnet counts as half-charged.
const FULL: f64 = 0.85;
/// Share of pickups whose magnets are below full charge. Judgement, no source.
const AGED: f64 = 0.15;

/// What the magnets are.
#[derive(Clone, Debug, Default)]
pub(super) struct MagnetFindings {
    pub alloys: Vec<Probable<Grade>>,
    pub faults: Vec<Probable<Fault>>,
    /// Charge that the document's own alloy would have, as a share of full.
    pub charge: Option<f64>,
    /// Poles (from 1) that are reversed, and those that are weak.
    pub reversed: Vec<usize>,
    pub weak: Vec<usize>,
    /// Whether all poles are the other way up than the document says.
    pub all_reversed: bool,
}

fn magnets_mut(design: &mut Design) -> impl Iterator<Item = (&mut Material, &mut f64)> {
    let poles = design.poles.iter_mut().map(|p| (&mut p.material, &mut p.charge));
    let bars = design.bars.iter_mut().map(|b| (&mut b.material, &mut b.charge));
    poles.chain(bars).filter(|(material, _)| material.demagnetisation().is_some())
}

/// What the poles should read with all magnets of one grade, fully charged.
fn expected(design: &Design, grade: Option<Grade>, probe_mm: f64) -> Option<Vec<Option<f64>>> {
    let mut other = design.clone();
    for (material, charge) in magnets_mut(&mut other) {
        if let Some(grade) = grade {
            *material = Material::Named(grade);
        }
        *charge = 1.0;
    }
    Some(Solution::compute(&other).ok()?.pole_flux_mt(probe_mm))
}

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or_default()
}

/// Likelihood of a mean deviation under full charge and under any lower one.
fn likelihoods(off: f64) -> (f64, f64) {
    let density =
        |x: f64| (-0.5 * (x / SPREAD).powi(2)).exp() / (SPREAD * (2.0 * std::f64::consts::PI).sqrt());
    let lower: Vec<f64> = (1..=60).map(|k| FULL * f64::from(k) / 60.0).collect();
    let partly = lower.iter().map(|c| density(off - c.ln())).sum::<f64>() / lower.len() as f64;
    (density(off), partly)
}

impl MagnetFindings {
    pub(super) fn from_findings(findings: &Findings) -> Self {
        let design = &findings.pickup;
        let read = &findings.measured.flux_mt;
        let probe_mm = findings.measured.probe_mm.unwrap_or(PROBE_MM);
        if read.iter().flatten().next().is_none() || design.problems().iter().any(|_| true) {
            return Self::default();
        }
        let Some(own) = expected(design, None, probe_mm) else { return Self::default() };
        let offs = |expected: &[Option<f64>]| -> Vec<Option<f64>> {
            read.iter()
                .zip(expected)
                .map(|(read, expected)| {
                    let (read, expected) = ((*read)?, expected.filter(|v| v.abs() > 1e-6)?);
                    (read.abs() > 1e-3).then(|| (read.abs() / expected.abs()).ln())
                })
                .collect()
        };
        let own_offs = offs(&own);
        let mut known: Vec<f64> = own_offs.iter().flatten().copied().collect();
        if known.is_empty() {
            return Self::default();
        }
        let off = median(&mut known);
        let mut alloys: Vec<Probable<Grade>> = Grade::MAGNETS
            .iter()
            .filter_map(|&grade| {
                let mut each: Vec<f64> =
                    offs(&expected(design, Some(grade), probe_mm)?).into_iter().flatten().collect();
                let off = median(&mut each);
                Some(Probable { value: grade, probability: (-0.5 * (off / SPREAD).powi(2)).exp() })
            })
            .collect();
        let all: f64 = alloys.iter().map(|a| a.probability).sum();
        for alloy in &mut alloys {
            alloy.probability = if all > 1e-9 { alloy.probability / all } else { 0.0 };
        }
        alloys.retain(|a| a.probability > 0.002);
        alloys.sort_by(|a, b| b.probability.total_cmp(&a.probability));
        let (full, partly) = likelihoods(off);
        let half_charged = AGED * partly / (AGED * partly + (1.0 - AGED) * full).max(1e-300);
        let weak: Vec<usize> = own_offs
            .iter()
            .enumerate()
            .filter(|(_, o)| o.is_some_and(|o| o < off - 5.0 * POLE_SPREAD))
            .map(|(i, _)| i + 1)
            .collect();
        let (reversed, all_reversed) = signs(design, read, &own);
        let mut faults = vec![Probable { value: Fault::HalfChargedMagnets, probability: half_charged }];
        if !reversed.is_empty() {
            faults.push(Probable { value: Fault::ReversedPole, probability: 0.97 });
        }
        if !weak.is_empty() {
            faults.push(Probable { value: Fault::WeakPole, probability: 0.95 });
        }
        faults.retain(|f| f.probability > 0.005);
        Self { alloys, faults, charge: Some(off.exp().min(1.2)), reversed, weak, all_reversed }
    }
}

/// Poles whose sign differs from what the document and the others say, from 1; and whether all differ from the document. Signs count only
/// where some reading is negative: else they were not read.
fn signs(design: &Design, read: &[Option<f64>], own: &[Option<f64>]) -> (Vec<usize>, bool) {
    let designed: Vec<f64> = design
        .poles
        .iter()
        .zip(own)
        .map(|(pole, own)| own.unwrap_or(if pole.up == Polarity::North { 1.0 } else { -1.0 }))
        .collect();
    let are_signed = read.iter().flatten().any(|v| *v < 0.0);
    if !are_signed {
        return (Vec::new(), false);
    }
    // Of the poles that were read: the pole from 1, and whether it differs.
    let differs: Vec<(usize, bool)> = (1..)
        .zip(read.iter().zip(&designed))
        .filter_map(|(pole, (read, designed))| Some((pole, (*read)? * designed < 0.0)))
        .collect();
    let count = differs.iter().filter(|(_, differs)| *differs).count();
    if count == differs.len() {
        return (Vec::new(), true);
    }
    // The fewer are wrong: more than half turned over means that the document has the others the wrong way up.
    let known = differs.len();
    let is_odd = |differs: bool| differs == (2 * count <= known);
    (differs.into_iter().filter(|(_, differs)| is_odd(*differs)).map(|(pole, _)| pole).collect(), false)
}
