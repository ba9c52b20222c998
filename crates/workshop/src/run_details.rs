//! Everything that a run's page shows, as it was recorded.

use crate::actor::Actor;
use crate::permission::Action;
use crate::prediction_cache::PredictionResult;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::travellers::TravellerProgress;
use coil::design::Targets;
use coil::magnet::{AlloyGuess, Grade, estimate_alloy};
use coil::prediction::{Prediction, PredictionSummary};
use std::sync::Arc;
use store::RunId;
use store::event::WindingEventRow;
use store::instrument::Instrument;
use store::reading::ReadingRow;
use store::run::Run;
use store::sweep::SweepRow;
use trade::comparison::{Comparison, PoleCharge, as_wound, pole_charges};
use trade::plan::Plan;
use trade::reading::{Kind, Reading, standing};
use trade::run::Stage;
use trade::traveller::OperationStatus;
use trade::verdict::{Verdict, judge};
use trade::winding::{Event, Progress};

/// Most sweeps that are laid over a response.
const MOST_SWEEPS: u32 = 4;
/// Alloys less likely than this are not worth a word.
const LEAST_LIKELY: f64 = 0.08;

/// A run with everything that is recorded of it.
#[derive(Clone, Debug)]
pub struct RunDetails {
    /// The run.
    pub run: Run,
    /// Its log, in the order of entry.
    pub readings: Vec<ReadingRow>,
    /// How far it has come.
    pub stage: Stage,
    /// The last verdict, as it was recorded.
    pub verdict: Verdict,
    /// What it was based on.
    pub comparisons: Vec<Comparison>,
    /// What the coil, as wound, was expected to be; `None` where it cannot be predicted.
    pub prediction: Option<PredictionSummary>,
    /// The document as it was wound.
    pub wound: coil::design::Design,
    /// Its traveller.
    pub progress: TravellerProgress,
    /// All instruments of the workshop.
    pub instruments: Vec<Instrument>,
    /// What happened while it was wound, in order.
    pub events: Vec<WindingEventRow>,
    /// Turns on the coil, by those.
    pub turns_counted: u32,
    /// What was swept on it, and the response to lay it over.
    pub sweeps: Vec<SweepRow>,
    /// The whole prediction, where a sweep is to be laid over its response.
    pub response: Option<Arc<Prediction>>,
    /// Kinds of part that its design takes.
    pub parts: usize,
    /// Whether they were taken out of stock.
    pub parts_taken: bool,
    /// While its magnets are charged: what each pole should read, and what it has read.
    pub charging: Vec<PoleCharge>,
    /// Alloys that fit the flux readings of fully charged rods, likeliest first.
    pub alloys: Vec<AlloyGuess>,
    /// Whether the verdict was judged by another version of the engine.
    pub judged_by_other_engine: bool,
}

impl Workshop {
    /// Everything that a run's page shows. Nothing is solved when the recorded verdict and prediction serve.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn run_details(&self, actor: &Actor, id: RunId) -> Result<RunDetails, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let (mut run, log, traveller, signed, recorded, sweeps, events, parts_taken, instruments) = tokio::try_join!(
            store.run(id),
            store.readings(id),
            store.traveller_of_run(id),
            store.signatures(id),
            store.run_prediction(id),
            store.sweeps_of_run(id, MOST_SWEEPS),
            store.events(id),
            store.parts_taken(id),
            store.instruments(),
        )?;
        if !actor.may(Action::ReadDesigns) {
            // What it should become is the design's business; what was predicted is the run's.
            run.design.targets = Targets::default();
        }
        let readings: Vec<Reading> = log.iter().map(|row| row.reading.clone()).collect();
        let progress = TravellerProgress::new(traveller.as_ref(), &signed, &readings);
        let wound = as_wound(&run.design, &readings);
        let prediction = match recorded {
            Some(recorded) => Some(recorded),
            None => self.prediction_as_wound(&run, &readings).await?.ok().map(|p| p.summary()),
        };
        let response =
            if sweeps.is_empty() { None } else { self.prediction_as_wound(&run, &readings).await?.ok() };
        let is_charging = progress
            .operations
            .iter()
            .any(|(one, status)| matches!(status, OperationStatus::Now(_)) && one.hold.contains(&Kind::Flux));
        let charging = if is_charging {
            let solution = self.predictions.solution(&wound).await?;
            solution.map_or_else(|_| Vec::new(), |solution| pole_charges(&solution, &readings))
        } else {
            Vec::new()
        };
        let happened: Vec<Event> = events.iter().map(|row| row.event).collect();
        let verdict =
            run.row.stored_verdict()?.unwrap_or_else(|| judge(&[], &readings, None, &Plan::default()));
        let comparisons = run.row.stored_comparisons()?;
        Ok(RunDetails {
            stage: Stage::from_readings(&readings),
            turns_counted: Progress::from_events(&happened, run.row.planned_turns, &run.row.stops).turns,
            parts: store.design_parts(run.row.design_id).await?.len(),
            parts_taken,
            instruments,
            charging,
            alloys: alloys(&wound, &readings),
            judged_by_other_engine: run.row.engine.as_deref().is_some_and(|e| e != coil::ENGINE),
            readings: log,
            verdict,
            comparisons,
            prediction,
            wound,
            progress,
            events,
            sweeps,
            response,
            run,
        })
    }

    /// What a run's coil, as wound, should be by what the workshop knew when it was started.
    pub(crate) async fn prediction_as_wound(
        &self,
        run: &Run,
        readings: &[Reading],
    ) -> Result<PredictionResult, Refusal> {
        self.predictions.prediction(&as_wound(&run.design, readings), run.calibration).await
    }
}

/// Alloys that fit the flux over the poles, were every rod fully charged and alone: by the median reading, so that one
/// odd pole does not decide.
fn alloys(design: &coil::design::Design, readings: &[Reading]) -> Vec<AlloyGuess> {
    let mut read: Vec<(f64, f64, u32)> = standing(readings)
        .into_iter()
        .filter(|r| r.kind == Kind::Flux)
        .filter_map(|r| Some((r.value?.abs(), r.probe_mm.unwrap_or(0.5), r.pole?)))
        .collect();
    read.sort_by(|a, b| a.0.total_cmp(&b.0));
    let Some(&(tesla, probe_mm, number)) = read.get(read.len() / 2) else { return Vec::new() };
    let Some(pole) = design.pole_numbered(number).map(|index| &design.poles[index]) else {
        return Vec::new();
    };
    let (length_m, diameter_m) = (pole.length_mm * 1e-3, pole.diameter_mm * 1e-3);
    let mut found = estimate_alloy(length_m, diameter_m, probe_mm * 1e-3, tesla, &Grade::MAGNETS);
    found.retain(|guess| guess.probability >= LEAST_LIKELY);
    found.truncate(4);
    found
}
