//! Pickups that are assembled of coils wound by themselves, each on its own spool, with its own turns and readings.

use crate::actor::Actor;
use crate::permission::Action;
use crate::readings::LogReadings;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use store::reading::NewReading;
use store::run::{NewRun, Run};
use store::run_coil::WoundCoil;
use store::{ClientKey, RunId, StoreError};
use trade::comparison::as_wound;
use trade::judgement::judge_solved;
use trade::plan::Plan;
use trade::reading::Kind;

/// How a run stands to other runs of the same pickup.
#[derive(Clone, Debug, Default)]
pub struct Assembly {
    /// The pickup that this coil is in: its run and that run's number.
    pub whole: Option<(RunId, u32)>,
    /// The coils that this pickup was assembled of.
    pub coils: Vec<WoundCoil>,
    /// What this coil can be assembled with: the other coils of the design by name, each with those that are wound and free.
    pub others: Vec<(String, Vec<WoundCoil>)>,
}

impl Workshop {
    /// How a run stands to the other runs of its pickup.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn assembly(&self, actor: &Actor, run: &Run) -> Result<Assembly, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let id = run.row.id;
        if run.design.coils.len() != 1 {
            return Ok(Assembly { coils: store.coils_of_run(id).await?, ..Assembly::default() });
        }
        let whole = store.whole_of_run(id).await?;
        if whole.is_some() || run.row.voided_at.is_some() {
            return Ok(Assembly { whole, ..Assembly::default() });
        }
        let design = store.revision(run.row.revision_id).await?.design;
        if design.coils.len() < 2 {
            return Ok(Assembly::default());
        }
        let free = store.free_coils(run.row.design_id).await?;
        let own = &run.design.coils[0].name;
        let others = design.coils.iter().filter(|c| c.name != *own).map(|coil| {
            let found = free.iter().filter(|w| w.coil == coil.name && w.run_id != id).cloned().collect();
            (coil.name.clone(), found)
        });
        Ok(Assembly { others: others.collect(), ..Assembly::default() })
    }

    /// Assembles a pickup of coils that were wound by themselves: one of every coil of the design of the first. A run of its own begins,
    /// with each coil's wire and counted turns in its document, for what is done to the whole and its readings. The same key again
    /// assembles nothing more.
    ///
    /// # Errors
    /// [`Refusal::NotOneOfEachCoil`] when they are not one of each coil of one design; [`Refusal::CoilInAnotherSet`] when one is in a pickup
    /// already; [`Refusal::RunVoid`].
    pub async fn assemble(
        &self,
        actor: &Actor,
        key: &ClientKey,
        first: RunId,
        others: &[RunId],
    ) -> Result<RunId, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let first = store.run(first).await?;
        let revision = store.revision(first.row.revision_id).await?;
        let mut runs = vec![first];
        for id in others {
            runs.push(store.run(*id).await?);
        }
        let mut design: Design = revision.design;
        let mut numbers = Vec::new();
        for coil in &mut design.coils {
            let of_it = |run: &&Run| run.design.coils.len() == 1 && run.design.coils[0].name == coil.name;
            let run = runs.iter().find(of_it).ok_or(Refusal::NotOneOfEachCoil)?;
            if run.row.voided_at.is_some() {
                return Err(Refusal::RunVoid);
            }
            let readings = crate::judging::readings_of(&store, run.row.id).await?;
            let wound = as_wound(&run.design, &readings);
            if let Some(own) = wound.coils.into_iter().next() {
                coil.wire = own.wire;
                coil.wind = own.wind;
            }
            numbers.push(run.row.number.to_string());
        }
        if runs.len() != design.coils.len() || runs.iter().any(|r| r.row.design_id != revision.row.design_id)
        {
            return Err(Refusal::NotOneOfEachCoil);
        }
        let turns = design.coils[0].wind.turns;
        let traveller = self.traveller_for(actor, &design).await?.for_assembly().readable_on(&design);
        let applied = self.calibrations.applied(&store, Some(revision.row.design_id)).await?;
        let (spool, winder) = (runs[0].row.spool_id, runs[0].row.winder_id);
        let calibration = applied.on(&design, spool, Some(actor.person), winder);
        let solution = self.predictions.solution(&design).await?.ok();
        let (judged, tolerance) = (design.clone(), self.settings_of(actor).await?.tolerance);
        let judgement = crate::blocking::blocking(move || {
            let plan = Plan::from_design(&judged);
            judge_solved(&judged, solution.as_deref(), &[], (&calibration, tolerance), &plan)
        })
        .await?;
        let coils: Vec<RunId> = runs.iter().map(|r| r.row.id).collect();
        let remark = format!("Assembled of the coils of runs {}", numbers.join(" and "));
        let new = NewRun {
            tolerance,
            key: key.clone(),
            revision: revision.row.id,
            spool,
            operator: actor.person,
            planned_turns: turns,
            stops: &[],
            design: &design,
            remark: &remark,
            other_wire: "",
            traveller: &traveller,
            winder,
            calibration: (applied.version.map(|(id, _)| id), calibration),
            judgement: Some(&judgement),
            coils: &coils,
            at: None,
        };
        let whole = match store.start_run(actor.person, &new).await {
            Err(StoreError::Taken(_)) => return Err(Refusal::CoilInAnotherSet),
            done => done?,
        };
        // What was counted on its first coil, so that it does not wait for turns.
        let counted = LogReadings {
            key: key.derived(1),
            readings: vec![NewReading::new(Kind::Turns, Some(f64::from(turns)))],
            corrects: None,
            accept_doubtful: true,
        };
        self.log_readings(actor, whole, counted).await?;
        Ok(whole)
    }
}
