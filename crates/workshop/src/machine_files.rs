//! Files for a motorised traverse, and what goes on the paper traveller.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::judging::readings_of;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::station::WinderChoice;
use crate::travellers::TravellerProgress;
use coil::design::Direction;
use coil::prediction::{PredictionSummary, lay_coil};
use store::run::Run;
use store::{InstrumentId, RunId};
use trade::instrument::InstrumentKind;
use trade::machine::{MachineProfile, OutOfLimits, Plan, csv, execute, gcode};
use trade::reading::Reading;

/// Most that a turn of a file lies beside the plan, mm: what rounding leaves.
const MOST_OFF_MM: f64 = 0.003;

/// G-code that a controller has run: it lays the turns of the plan where the plan has them.
fn checked_gcode(plan: &Plan<'_>, machine: &MachineProfile) -> Result<String, OutOfLimits> {
    let text = gcode(plan, machine)?;
    let done = execute(&text, machine.rotary, machine.guide)
        .map_err(|stopped| OutOfLimits::NotRunnable { line: stopped.line })?;
    let lies = |(at, place): (&f64, &f64)| (at - machine.flange_at_mm - place).abs() < MOST_OFF_MM;
    let as_planned =
        done.turns_mm.len() == plan.path_mm.len() && done.turns_mm.iter().zip(plan.path_mm).all(lies);
    if as_planned { Ok(text) } else { Err(OutOfLimits::NotRunnable { line: 1 }) }
}

impl Workshop {
    /// The guide plan of a run for the winder that it is wound on, as G-code or as CSV, with the run's number. G-code is run by a
    /// simulated controller before it is handed over.
    ///
    /// # Errors
    /// [`Refusal::MachineLimits`] when the machine cannot lay it, or would stop at a line of the file.
    pub async fn guide_file(
        &self,
        actor: &Actor,
        run: RunId,
        is_gcode: bool,
        rpm: f64,
    ) -> Result<(u32, String), Refusal> {
        actor.require(Action::Wind)?;
        let run = self.store_of(actor).run(run).await?;
        let winder = self.chosen_winder(actor, run.row.id, WinderChoice::OfRun).await?;
        let machine = winder.map_or_else(|| Ok(MachineProfile::default()), |of| of.machine())?;
        let (stops, number) = (run.row.stops.to_vec(), run.row.number);
        let name = format!("{} r{}, run {number}", run.row.design, run.row.revision);
        let design = run.design;
        let made = blocking(move || {
            let (guide, _) = lay_coil(&design, 0)?;
            let path_mm: Vec<f64> = guide.machine_path().iter().map(|z| z * 1e3).collect();
            let clockwise = design.coils.first()?.wind.direction == Direction::Clockwise;
            let plan = Plan { name: &name, path_mm: &path_mm, clockwise, stops: &stops, rpm };
            Some(if is_gcode { checked_gcode(&plan, &machine) } else { csv(&plan, &machine) })
        })
        .await?
        .ok_or(Refusal::NotFound("guide plan"))?;
        Ok((number, made.map_err(Refusal::MachineLimits)?))
    }

    /// Keeps how files are written for a winder.
    ///
    /// # Errors
    /// [`Refusal::MachineProfile`] when that cannot be a machine; [`Refusal::NotFound`] for what is no winder.
    pub async fn keep_machine(
        &self,
        actor: &Actor,
        id: InstrumentId,
        machine: &MachineProfile,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeInstruments)?;
        let faults = machine.faults();
        if !faults.is_empty() {
            return Err(Refusal::MachineProfile(faults));
        }
        if self.instrument(actor, id).await?.kind.0 != InstrumentKind::Winder {
            return Err(Refusal::NotFound("winder"));
        }
        Ok(self.store_of(actor).keep_machine(actor.person, id, machine).await?)
    }

    /// What goes on the paper traveller of a run: the run, how far it has come, what its page says that it should be, and its readings.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn paper_traveller(
        &self,
        actor: &Actor,
        run: RunId,
    ) -> Result<(Run, TravellerProgress, Option<PredictionSummary>, Vec<Vec<Reading>>), Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        let readings = readings_of(&store, run.row.id).await?;
        let traveller = store.traveller_of_run(run.row.id).await?;
        let signed = store.signatures(run.row.id).await?;
        let progress = TravellerProgress::new(traveller.as_ref(), &signed, &readings);
        let prediction = match store.run_prediction(run.row.id).await? {
            Some(recorded) => Some(recorded),
            None => self.prediction_as_wound(&run, &readings).await?.ok().map(|p| p.summary()),
        };
        let read = traveller.map_or_else(Vec::new, |traveller| traveller.readings_for(&signed, &readings));
        Ok((run, progress, prediction, read))
    }
}
