//! Judging: what is shown as a run's verdict is what was recorded; judging anew is a deliberate act.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::jobs::{Job, JobOutcome};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::BTreeSet;
use std::sync::Arc;
use store::run::Run;
use store::{PersonId, RunId, WorkshopId, WorkshopStore};
use trade::comparison::as_wound;
use trade::judgement::{Judgement, judge_solved};
use trade::plan::Plan;
use trade::reading::Reading;

/// Fewest letters of a reason.
const SHORTEST_REASON: usize = 3;

/// What judging anew came to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct RejudgeSummary {
    /// Runs judged.
    pub judged: u32,
    /// Runs whose verdict has another level than before.
    pub changed: u32,
}

impl Workshop {
    /// Judges a run by its readings. The coil, as wound, is solved once, and by others' requests not again.
    pub(crate) async fn judgement_of(
        &self,
        store: &WorkshopStore,
        run: &Run,
        readings: Vec<Reading>,
    ) -> Result<Judgement, Refusal> {
        let wound = as_wound(&run.design, &readings);
        let solution = self.predictions.solution(&wound).await?.ok();
        let (calibration, tolerance) = (run.calibration, run.tolerance);
        let plan = self.plan_of(store, run).await?;
        blocking(move || {
            judge_solved(&wound, solution.as_deref(), &readings, (&calibration, tolerance), &plan)
        })
        .await
    }

    /// What was asked of a run's coil: its planned turns and the design's targets; where it was wound of other wire, also what
    /// the design promises with its own.
    async fn plan_of(&self, store: &WorkshopStore, run: &Run) -> Result<Plan, Refusal> {
        let mut plan = Plan::from_design(&run.design);
        if !run.row.other_wire.is_empty() {
            let mut design = store.revision(run.row.revision_id).await?.design;
            if let (true, Some(coil)) =
                (run.design.coils.len() < design.coils.len(), run.design.coils.first())
            {
                design = design.alone(&coil.name).unwrap_or(design);
            }
            if let Some(coil) = design.coils.first_mut() {
                coil.wind.turns = run.row.planned_turns;
            }
            plan.designed = self.uncalibrated_prediction(&design).await?.ok().map(|p| p.summary());
        }
        Ok(plan)
    }

    /// Judges a run by what is logged of it, and records the judgement.
    pub(crate) async fn judge(
        &self,
        store: &WorkshopStore,
        run: &Run,
        requested_by: Option<PersonId>,
    ) -> Result<Judgement, Refusal> {
        if run.row.voided_at.is_some() {
            return Err(Refusal::RunVoid);
        }
        let readings = readings_of(store, run.row.id).await?;
        let judgement = self.judgement_of(store, run, readings).await?;
        store.record_judgement(run.row.id, &judgement, requested_by).await?;
        Ok(judgement)
    }

    /// Judges one run anew, by the engine as it is now. The verdicts before stay in its history; who asked is recorded.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn rejudge_run(&self, actor: &Actor, run: RunId) -> Result<RejudgeSummary, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        let before = run.row.verdict_level();
        let judgement = self.judge(&store, &run, Some(actor.person)).await?;
        self.schedule_fit(actor.workshop);
        Ok(RejudgeSummary { judged: 1, changed: u32::from(before != Some(judgement.verdict.level)) })
    }

    /// Begins to judge all runs anew that were judged by another version of the engine, as a job; returns its name.
    ///
    /// # Errors
    /// [`Refusal::TooManyJobs`] while others run.
    pub async fn begin_rejudging(&self, actor: &Actor) -> Result<String, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let runs = self.store_of(actor).runs_of_other_engines().await?;
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        let (this, actor) = (self.clone(), *actor);
        tokio::spawn(async move {
            let outcome = this.rejudge_all(&actor, &runs, &job).await;
            job.finish(match outcome {
                Ok(Some(sum)) => JobOutcome::Rejudged { judged: sum.judged, changed: sum.changed },
                Ok(None) => JobOutcome::Stopped,
                Err(error) => {
                    tracing::warn!(%error, "judging anew ended early");
                    JobOutcome::Failed(error.code())
                }
            });
        });
        Ok(name)
    }

    /// Voids a run that was begun by mistake, with a reason: it is kept, marked void and read-only, and counts nowhere.
    ///
    /// # Errors
    /// [`Refusal::ReasonMissing`]; when there is no such run.
    pub async fn void_run(&self, actor: &Actor, run: RunId, reason: &str) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        if reason.trim().chars().count() < SHORTEST_REASON {
            return Err(Refusal::ReasonMissing);
        }
        let store = self.store_of(actor);
        store.run(run).await?;
        store.void_run(actor.person, run, reason.trim()).await?;
        self.winders.notify(run);
        self.schedule_fit(actor.workshop);
        Ok(())
    }

    /// Takes a voided run back: it stands as it did, judged anew.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn unvoid_run(&self, actor: &Actor, run: RunId) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        store.unvoid_run(run).await?;
        let run = store.run(run).await?;
        self.judge(&store, &run, Some(actor.person)).await?;
        self.schedule_fit(actor.workshop);
        Ok(())
    }

    /// How many runs were judged by another version of the engine.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn runs_to_rejudge(&self, actor: &Actor) -> Result<usize, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        Ok(self.store_of(actor).runs_of_other_engines().await?.len())
    }

    async fn rejudge_all(
        &self,
        actor: &Actor,
        runs: &[RunId],
        job: &Arc<Job>,
    ) -> Result<Option<RejudgeSummary>, Refusal> {
        let mut sum = RejudgeSummary::default();
        for (k, run) in runs.iter().enumerate() {
            if !job.advance(k as f64 / runs.len().max(1) as f64) {
                return Ok(None);
            }
            let one = self.rejudge_run(actor, *run).await?;
            (sum.judged, sum.changed) = (sum.judged + one.judged, sum.changed + one.changed);
        }
        Ok(Some(sum))
    }

    /// A job by its name.
    ///
    /// # Errors
    /// When there is none of that name in the actor's workshop, or it is long over.
    pub fn job(&self, actor: &Actor, name: &str) -> Result<Arc<Job>, Refusal> {
        actor.require(Action::ReadRuns)?;
        self.jobs.find(actor.workshop, name).ok_or(Refusal::NotFound("job"))
    }

    /// Mends what an older version left: rows of the logbook that there are none of, and runs whose last readings were never judged.
    /// To be run once, behind the requests; what was learned is fitted again at the end, when all rows are there. Answers how many
    /// runs were mended.
    pub async fn mend_records(&self) -> u32 {
        let mut workshops = BTreeSet::new();
        let (mut mended, mut after) = (0_u32, RunId(0));
        while let Ok(some) = self.store.runs_without_summary(after).await
            && !some.is_empty()
        {
            for (workshop, id) in some {
                // One that cannot be read is passed over.
                after = id;
                match self.write_summary(&self.store.workshop(workshop), id).await {
                    Ok(()) => mended += 1,
                    Err(error) => tracing::warn!(%error, run = id.0, "this run has no row in the logbook"),
                }
                workshops.insert(workshop.0);
            }
            tracing::info!(mended, "rows of the logbook written");
        }
        after = RunId(0);
        while let Ok(some) = self.store.runs_not_judged_to_the_end(after).await
            && !some.is_empty()
        {
            for (workshop, id) in some {
                after = id;
                match self.judge_as_read(&self.store.workshop(workshop), id).await {
                    Ok(()) => mended += 1,
                    Err(error) => {
                        tracing::warn!(%error, run = id.0, "the last readings of this run are not judged");
                    }
                }
                workshops.insert(workshop.0);
            }
            tracing::info!(mended, "readings judged that were not");
        }
        let mut searchable = 0;
        while let Ok(some @ 1..) = self.store.fill_word_search().await {
            searchable += some;
            tracing::info!(searchable, "rows of the logbook made searchable inside words");
        }
        for workshop in workshops {
            self.schedule_whole_fit(WorkshopId(workshop));
        }
        mended
    }

    /// Judges a run by its readings and records that, as it would have been when they were logged.
    async fn judge_as_read(&self, store: &WorkshopStore, id: RunId) -> Result<(), Refusal> {
        let run = store.run(id).await?;
        self.judge(store, &run, None).await?;
        Ok(())
    }

    async fn write_summary(&self, store: &WorkshopStore, id: RunId) -> Result<(), Refusal> {
        let run = store.run(id).await?;
        let readings = readings_of(store, id).await?;
        let judgement = self.judgement_of(store, &run, readings).await?;
        Ok(store.write_summary(id, &judgement).await?)
    }
}

/// All readings of a run, as the rules of the trade take them.
pub(crate) async fn readings_of(store: &WorkshopStore, run: RunId) -> Result<Vec<Reading>, Refusal> {
    Ok(store.readings(run).await?.into_iter().map(|row| row.reading).collect())
}
