//! Experiments: two revisions that differ in one thing, what that does, and what was heard blind.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::prediction::PickupPrediction;
use rand::RngExt as _;
use store::design::{Revision, RevisionRow};
use store::experiment::{Experiment, Listening, NewExperiment, Sample, Score};
use store::logbook::{LogFilter, LogbookRow};
use store::{ClientKey, ExperimentId, ListeningId, RevisionId};
use trade::calibration::{CalibrationModel, Quantity};
use trade::experiment::{Effect, Noise, coils_needed, effect, letters, spread};

/// Most runs of a family.
const MOST_RUNS: u32 = 500;
/// Most coils of each family in a listening.
const MOST_SAMPLES: usize = 3;
/// Most revisions of a design among the choices.
const MOST_REVISIONS: u32 = 12;

/// The runs of a revision.
#[derive(Clone, Debug)]
pub struct FamilyRuns {
    /// The revision.
    pub revision: Revision,
    /// Its runs that were measured and not stopped, oldest first.
    pub runs: Vec<LogbookRow>,
}

/// What one quantity says.
#[derive(Clone, Debug)]
pub struct QuantityEffect {
    /// The quantity.
    pub quantity: Quantity,
    /// Means of both families with spool, operator and winder taken off, SI; `None` where none was measured.
    pub means: [Option<f64>; 2],
    /// The predicted difference, as a ratio less one.
    pub predicted: Option<f64>,
    /// The measured one; `None` where there is nothing to compare.
    pub effect: Option<Effect>,
    /// Coils of each family that would show the difference that matters.
    pub coils_needed: Option<u32>,
    /// Coils of the smaller family.
    pub coils: usize,
}

/// An experiment with all that is known of it.
#[derive(Clone, Debug)]
pub struct ExperimentDetails {
    /// The experiment.
    pub experiment: Experiment,
    /// Both families.
    pub families: [FamilyRuns; 2],
    /// What each quantity says.
    pub quantities: Vec<QuantityEffect>,
    /// What was heard, newest first.
    pub listenings: Vec<Listening>,
}

impl ExperimentDetails {
    /// Whether samples are under letters now: then nothing that tells them apart is shown.
    #[must_use]
    pub fn is_blind(&self) -> bool {
        self.listenings.iter().any(|l| l.scored_at.is_none())
    }

    /// Whether a listening can begin.
    #[must_use]
    pub fn can_listen(&self) -> bool {
        self.families.iter().all(|f| !f.runs.is_empty())
            && self.experiment.closed.is_empty()
            && !self.is_blind()
    }
}

/// A coil's logarithm with spool, operator and winder taken off, as far as they are calibrated.
fn adjusted(row: &LogbookRow, quantity: Quantity, model: Option<&CalibrationModel>) -> Option<f64> {
    let value = match quantity {
        Quantity::Resistance => row.resistance_ohm,
        Quantity::Inductance => row.inductance_h,
        Quantity::Capacitance => row.capacitance_f,
        Quantity::Build => None,
    }?;
    let others = model
        .and_then(|m| m.of(quantity))
        .map_or(0.0, |fitted| fitted.factor_effects(&row.observation().factor_levels));
    Some(value.ln() - others)
}

fn quantity_effect(
    quantity: Quantity,
    families: [&[LogbookRow]; 2],
    model: Option<&CalibrationModel>,
    predicted: Option<f64>,
    matters: f64,
) -> QuantityEffect {
    let values =
        families.map(|f| f.iter().filter_map(|r| adjusted(r, quantity, model)).collect::<Vec<f64>>());
    let noise =
        model.and_then(|m| m.of(quantity)).map(|fitted| Noise { sd: fitted.noise_sd(), runs: fitted.runs() });
    let spread = spread(&[&values[0], &values[1]], noise);
    let mean = |v: &[f64]| (!v.is_empty()).then(|| trade::consistency::mean(v).exp());
    QuantityEffect {
        quantity,
        means: [mean(&values[0]), mean(&values[1])],
        predicted,
        effect: effect(&values[0], &values[1], noise),
        coils_needed: spread.and_then(|(sd, _)| coils_needed(matters / 100.0, sd)),
        coils: values[0].len().min(values[1].len()),
    }
}

impl Workshop {
    /// All experiments, those that go on first, and the revisions that a new one can be chosen from.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn experiments(&self, actor: &Actor) -> Result<(Vec<Experiment>, Vec<RevisionRow>), Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.of(actor);
        Ok((store.experiments().await?, store.recent_revisions(MOST_REVISIONS).await?))
    }

    /// Begins an experiment; the same key again begins nothing more.
    ///
    /// # Errors
    /// When one of the revisions is not there.
    pub async fn begin_experiment(
        &self,
        actor: &Actor,
        new: &NewExperiment<'_>,
    ) -> Result<ExperimentId, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.of(actor).begin_experiment(actor.person, new).await?)
    }

    async fn family(&self, actor: &Actor, revision: RevisionId) -> Result<FamilyRuns, Refusal> {
        let store = self.of(actor);
        let revision = store.revision(revision).await?;
        let filter = LogFilter {
            design: Some(revision.row.design_id),
            revision: Some(revision.row.number),
            rising: true,
            ..LogFilter::default()
        };
        let mut runs = store.log_lines(&filter, MOST_RUNS).await?;
        runs.retain(|r| r.level.0.counts() && (r.resistance_ohm.is_some() || r.inductance_h.is_some()));
        Ok(FamilyRuns { revision, runs })
    }

    /// An experiment with all that is known of it.
    ///
    /// # Errors
    /// When there is no such experiment.
    pub async fn experiment(&self, actor: &Actor, id: ExperimentId) -> Result<ExperimentDetails, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.of(actor);
        let experiment = store.experiment(id).await?;
        let families =
            [self.family(actor, experiment.first_id).await?, self.family(actor, experiment.second_id).await?];
        let model = self.newest_calibration(actor).await?.map(|version| version.model);
        let predicted = [
            self.uncalibrated_prediction(&families[0].revision.design).await?.ok(),
            self.uncalibrated_prediction(&families[1].revision.design).await?.ok(),
        ];
        let ratio = |pick: fn(&PickupPrediction) -> f64| match &predicted {
            [Some(a), Some(b)] => Some(pick(&b.pickup) / pick(&a.pickup) - 1.0),
            _ => None,
        };
        let of = [
            (Quantity::Resistance, ratio(|p| p.resistance_20c_ohm.nominal)),
            (Quantity::Inductance, ratio(|p| p.inductance_h.nominal)),
            (Quantity::Capacitance, ratio(|p| p.capacitance_f.nominal)),
        ];
        let quantities = of
            .into_iter()
            .map(|(quantity, predicted)| {
                let rows = [families[0].runs.as_slice(), families[1].runs.as_slice()];
                quantity_effect(quantity, rows, model.as_deref(), predicted, experiment.cares_percent)
            })
            .filter(|q| q.quantity != Quantity::Capacitance || q.effect.is_some())
            .collect();
        let listenings = store.listenings(id).await?;
        Ok(ExperimentDetails { experiment, families, quantities, listenings })
    }

    /// Closes an experiment with what came of it, for good.
    ///
    /// # Errors
    /// [`Refusal::ExperimentClosed`] when it is closed already.
    pub async fn close_experiment(
        &self,
        actor: &Actor,
        id: ExperimentId,
        conclusion: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let store = self.of(actor);
        store.experiment(id).await?;
        if store.close_experiment(id, conclusion).await? { Ok(()) } else { Err(Refusal::ExperimentClosed) }
    }

    /// Begins a blind listening: up to three coils of each family, under letters drawn at random.
    ///
    /// # Errors
    /// [`Refusal::ExperimentClosed`] when the experiment is closed.
    pub async fn begin_listening(
        &self,
        actor: &Actor,
        id: ExperimentId,
        key: &ClientKey,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let store = self.of(actor);
        let experiment = store.experiment(id).await?;
        if !experiment.closed.is_empty() {
            return Err(Refusal::ExperimentClosed);
        }
        let mut runs = Vec::new();
        for revision in [experiment.first_id, experiment.second_id] {
            let family = self.family(actor, revision).await?;
            runs.extend(family.runs.iter().rev().take(MOST_SAMPLES).map(|r| r.run_id));
        }
        let drawn = letters(runs.len(), rand::rng().random());
        let samples: Vec<Sample> =
            runs.into_iter().zip(drawn).map(|(run, letter)| Sample { letter, run }).collect();
        Ok(store.begin_listening(id, actor.person, key, &samples).await?)
    }

    /// The samples of a listening, in the order of their letters.
    ///
    /// # Errors
    /// When there is no such listening.
    pub async fn listening_samples(
        &self,
        actor: &Actor,
        experiment: ExperimentId,
        listening: ListeningId,
    ) -> Result<Vec<Sample>, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let all = self.of(actor).listenings(experiment).await?;
        let found = all.iter().find(|l| l.id == listening).ok_or(Refusal::NotFound("listening"))?;
        Ok(found.samples()?)
    }

    /// Scores a listening, once.
    ///
    /// # Errors
    /// [`Refusal::ListeningScored`] when it was scored before.
    pub async fn score_listening(
        &self,
        actor: &Actor,
        listening: ListeningId,
        scores: &[Score],
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let is_new = self.of(actor).score_listening(listening, scores).await?;
        if is_new { Ok(()) } else { Err(Refusal::ListeningScored) }
    }
}
