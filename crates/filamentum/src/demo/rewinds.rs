//! Examined pickups: a dead one with a reading missing, one whose seller's story is not true, and one that is copied.

use super::past_runs::DemoWorkshop;
use coil::design::{Design, Format, starting_point};
use coil::identification::{Measurand, Measurement};
use coil::prediction::{Calibration, Prediction, Solution};
use store::ClientKey;
use store::person::Role;
use store::rewind::Purpose;
use workshop::{Actor, RewindDraft, SaveRewind, Workshop};

/// A pickup of the demo as it really is: nobody is told.
struct Hidden {
    format: Format,
    strings: u32,
    pitch_mm: f64,
    gauge: &'static str,
    turns: u32,
}

impl Hidden {
    fn wound(&self) -> anyhow::Result<(Design, Solution, Prediction)> {
        let mut design = starting_point(self.format, "Unknown", self.strings, self.pitch_mm);
        for coil in &mut design.coils {
            coil.wire.gauge = self.gauge.parse()?;
            coil.wind.turns = self.turns;
            coil.wind.wander = 0.25;
        }
        let solution = Solution::compute(&design)
            .map_err(|problems| anyhow::anyhow!("a pickup of the demo cannot be: {problems:?}"))?;
        let prediction = solution.prediction(&Calibration::default());
        Ok((design, solution, prediction))
    }

    /// A sheet on which nothing is noted yet.
    fn sheet(&self, name: &str) -> RewindDraft {
        RewindDraft::begun(name, starting_point(self.format, "Unknown", self.strings, self.pitch_mm))
    }
}

fn reading(value: f64, digits: i32) -> Measurement {
    let step = 10f64.powi(-digits);
    Measurement { value: (value / step).round() * step, ..Measurement::default() }
}

/// Over the winding of the first coil, along and across the row, mm.
fn outer(design: &Design, prediction: &Prediction) -> (f64, f64) {
    let core = design.coils[0].former.core.size_mm();
    let grown = 2.0 * prediction.coils[0].build_max_mm;
    (core.0 + grown, core.1 + grown)
}

fn dead_mandola() -> anyhow::Result<RewindDraft> {
    let hidden =
        Hidden { format: Format::TallSingle, strings: 4, pitch_mm: 12.5, gauge: "43 AWG", turns: 7900 };
    let (design, solution, prediction) = hidden.wound()?;
    let mut draft = hidden.sheet("Dead mandola pickup");
    draft.tags = "mandola, order 34".into();
    draft.looks.leads = "cloth, black and white".into();
    draft.looks.wire_colour = "dark brown".into();
    draft.looks.potting = "none".into();
    draft.looks.story = "went silent on stage".into();
    let (length, width) = outer(&design, &prediction);
    let measured = &mut draft.findings.measured;
    measured.open = true;
    measured.set(Measurand::OuterLengthMm, Some(reading(length, 1)));
    measured.set(Measurand::OuterWidthMm, Some(reading(width, 1)));
    measured.flux_mt =
        solution.pole_flux_mt(0.5).into_iter().flatten().map(|mt| Some((mt * 0.97).round())).collect();
    Ok(draft)
}

fn untrue_story() -> anyhow::Result<RewindDraft> {
    let hidden =
        Hidden { format: Format::WideSingle, strings: 6, pitch_mm: 10.4, gauge: "44 AWG", turns: 7300 };
    let (design, _, prediction) = hidden.wound()?;
    let mut draft = hidden.sheet("Wide single, “all original”");
    draft.tags = "bought, order 36".into();
    draft.looks.story = "the seller says: never opened, 42 AWG, 9,800 turns".into();
    draft.looks.solder = "newer than the plate".into();
    draft.findings.suspected.gauge = vec!["42 AWG".parse()?];
    draft.findings.suspected.turns = Some(9800.0);
    let (length, width) = outer(&design, &prediction);
    let measured = &mut draft.findings.measured;
    measured.set(
        Measurand::ResistanceOhm,
        Some(Measurement {
            coil_c: Some(20.5),
            ..reading(prediction.pickup.resistance_20c_ohm.nominal * 1.006, -1)
        }),
    );
    measured.set(Measurand::InductanceH, Some(reading(prediction.circuit.meter(1000.0).ls_h * 0.995, 2)));
    measured.set(Measurand::OuterLengthMm, Some(reading(length, 1)));
    measured.set(Measurand::OuterWidthMm, Some(reading(width, 1)));
    Ok(draft)
}

fn liked_twin() -> anyhow::Result<RewindDraft> {
    let hidden =
        Hidden { format: Format::TwinCoil, strings: 6, pitch_mm: 10.0, gauge: "42 AWG", turns: 4800 };
    let (design, solution, prediction) = hidden.wound()?;
    let mut draft = hidden.sheet("Twin that everybody likes");
    draft.purpose = Purpose::Model;
    draft.tags = "model".into();
    let (length, width) = outer(&design, &prediction);
    let measured = &mut draft.findings.measured;
    measured.set(
        Measurand::ResistanceOhm,
        Some(reading(prediction.pickup.resistance_20c_ohm.nominal * 0.99, -1)),
    );
    measured.set(Measurand::InductanceH, Some(reading(prediction.circuit.meter(1000.0).ls_h * 1.01, 2)));
    measured.set(Measurand::OuterLengthMm, Some(reading(length, 1)));
    measured.set(Measurand::OuterWidthMm, Some(reading(width, 1)));
    measured.set(Measurand::WireOverallMm, Some(reading(design.coils[0].wire.data().overall_m * 1e3, 3)));
    measured.flux_mt = solution.pole_flux_mt(0.5).into_iter().flatten().map(|mt| Some(mt.round())).collect();
    Ok(draft)
}

impl DemoWorkshop<'_> {
    /// Examines them.
    pub(super) async fn rewinds(&mut self) -> anyhow::Result<()> {
        let workshop = Workshop::new(self.store.clone());
        let actor =
            Actor { person: self.owner, workshop: self.workshop, role: Role::Owner, is_at_station: false };
        for draft in [liked_twin()?, untrue_story()?, dead_mandola()?] {
            let command = SaveRewind { key: ClientKey::random(), of: None, draft };
            workshop.save_rewind(&actor, &command).await?;
        }
        Ok(())
    }
}
