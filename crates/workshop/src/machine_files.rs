//! Files for a motorised traverse, and what goes on the paper traveller.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::judging::readings_of;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::travellers::TravellerProgress;
use coil::prediction::{Prediction, lay_coil};
use std::sync::Arc;
use store::RunId;
use store::run::Run;
use trade::machine::{Limits, csv, gcode};

impl Workshop {
    /// The guide plan of a run for a motorised traverse, as G-code or as CSV, with the run's number.
    ///
    /// # Errors
    /// [`Refusal::MachineLimits`] when the machine cannot lay it.
    pub async fn guide_file(
        &self,
        actor: &Actor,
        run: RunId,
        is_gcode: bool,
        rpm: f64,
        limits: Limits,
    ) -> Result<(u32, String), Refusal> {
        actor.require(Action::Wind)?;
        let run = self.of(actor).run(run).await?;
        let (stops, number) = (run.row.stops.to_vec(), run.row.number);
        let name = format!("{} r{}, run {number}", run.row.design, run.row.revision);
        let design = run.design;
        let made = blocking(move || {
            let (plan, _) = lay_coil(&design, 0)?;
            let path_mm: Vec<f64> = plan.path().iter().map(|z| z * 1e3).collect();
            Some(if is_gcode {
                gcode(&name, &path_mm, &stops, rpm, &limits)
            } else {
                csv(&path_mm, rpm, &limits)
            })
        })
        .await?
        .ok_or(Refusal::NotFound("guide plan"))?;
        Ok((number, made.map_err(Refusal::MachineLimits)?))
    }

    /// What goes on the paper traveller of a run: the run, how far it has come, and its uncalibrated prediction.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn paper_traveller(
        &self,
        actor: &Actor,
        run: RunId,
    ) -> Result<(Run, TravellerProgress, Option<Arc<Prediction>>), Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.of(actor);
        let run = store.run(run).await?;
        let readings = readings_of(&store, run.row.id).await?;
        let traveller = store.traveller_of_run(run.row.id).await?;
        let signed = store.signatures(run.row.id).await?;
        let progress = TravellerProgress::of(traveller.as_ref(), &signed, &readings);
        let prediction = self.uncalibrated_prediction(&run.design).await?.ok();
        Ok((run, progress, prediction))
    }
}
