//! Experiments: revisions that differ in one thing, what that does, and what was heard blind.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::prediction::PickupPrediction;
use rand::RngExt as _;
use store::design::{Revision, RevisionRow};
use store::experiment::{Experiment, Listening, NewExperiment, Sample, Score};
use store::logbook::{LogFilter, LogbookRow};
use store::{ClientKey, ExperimentId, ListeningId, RevisionId, StoreError};
use trade::calibration::{CalibrationModel, Quantity};
use trade::experiment::{Effect, Noise, coils_needed, effects, letters, spread};
use trade::listening::{Comparison, Heard, compare};

/// Most runs of a family.
const MOST_RUNS: u32 = 500;
/// Most coils of each family in a listening.
const MOST_SAMPLES: usize = 3;
/// The difference that matters where nobody said which, per cent.
pub(crate) const USUAL_DIFFERENCE_PERCENT: f64 = 2.0;
/// Most revisions that an experiment compares.
pub const MOST_ARMS: usize = coil::search::MOST_VARIANTS + 1;
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

/// What one quantity says of one revision against the first.
#[derive(Clone, Debug)]
pub struct QuantityEffect {
    /// The place of the revision among those compared, from 1.
    pub arm: usize,
    /// The predicted difference, as a ratio less one.
    pub predicted: Option<f64>,
    /// The measured one; `None` where there is nothing to compare.
    pub effect: Option<Effect>,
    /// Coils of the smaller family.
    pub coils: usize,
}

/// What one quantity says.
#[derive(Clone, Debug)]
pub struct QuantityEffects {
    /// The quantity.
    pub quantity: Quantity,
    /// Means of all families with spool, operator and winder taken off, SI; `None` where none was measured.
    pub means: Vec<Option<f64>>,
    /// Every further revision against the first.
    pub effects: Vec<QuantityEffect>,
    /// Coils of each family that would show the difference that matters.
    pub coils_needed: Option<u32>,
}

/// What listeners score.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HeardWord {
    /// Brighter is more.
    Bright,
    /// Fuller is more.
    Full,
    /// Liked.
    Liked,
}

impl HeardWord {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Bright, Self::Full, Self::Liked];

    /// Its score, 0 to 10.
    #[must_use]
    pub const fn value_in(self, score: &Score) -> u8 {
        match self {
            Self::Bright => score.bright,
            Self::Full => score.full,
            Self::Liked => score.liked,
        }
    }
}

/// How the revisions were heard in one word, each further one against the first.
#[derive(Clone, Debug)]
pub struct HeardEffects {
    /// The word.
    pub word: HeardWord,
    /// The comparisons, in the order of the further revisions.
    pub comparisons: Vec<Option<Comparison>>,
}

/// An experiment with all that is known of it.
#[derive(Clone, Debug)]
pub struct ExperimentDetails {
    /// The experiment.
    pub experiment: Experiment,
    /// The families, the one that the others are compared with first.
    pub families: Vec<FamilyRuns>,
    /// What each quantity says.
    pub quantities: Vec<QuantityEffects>,
    /// What was heard, word by word; empty while nothing was scored.
    pub heard: Vec<HeardEffects>,
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
        self.families.iter().filter(|f| !f.runs.is_empty()).count() > 1
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
        .and_then(|m| m.quantity(quantity))
        .map_or(0.0, |fitted| fitted.factor_effects(&row.observation().factor_levels));
    Some(value.ln() - others)
}

fn quantity_effects(
    quantity: Quantity,
    families: &[FamilyRuns],
    model: Option<&CalibrationModel>,
    predicted: &[Option<f64>],
    matters: f64,
) -> QuantityEffects {
    let values: Vec<Vec<f64>> = families
        .iter()
        .map(|f| f.runs.iter().filter_map(|r| adjusted(r, quantity, model)).collect())
        .collect();
    let noise = model
        .and_then(|m| m.quantity(quantity))
        .map(|fitted| Noise { sd: fitted.noise_sd(), runs: fitted.runs() });
    let slices: Vec<&[f64]> = values.iter().map(Vec::as_slice).collect();
    let spread = spread(&slices, noise);
    let mean = |v: &Vec<f64>| (!v.is_empty()).then(|| trade::consistency::mean(v).exp());
    let ratio =
        |arm: usize| match (predicted.first().copied().flatten(), predicted.get(arm).copied().flatten()) {
            (Some(first), Some(other)) => Some(other / first - 1.0),
            _ => None,
        };
    let effects = (1..).zip(effects(&values, noise)).map(|(arm, effect)| QuantityEffect {
        arm,
        predicted: ratio(arm),
        effect,
        coils: values[0].len().min(values[arm].len()),
    });
    QuantityEffects {
        quantity,
        means: values.iter().map(mean).collect(),
        effects: effects.collect(),
        coils_needed: spread.and_then(|(sd, _)| coils_needed(matters / 100.0, sd)),
    }
}

/// What was heard in all scored listenings, word by word.
fn heard_effects(families: &[FamilyRuns], listenings: &[Listening]) -> Result<Vec<HeardEffects>, StoreError> {
    let family_of = |run| families.iter().position(|f| f.runs.iter().any(|r| r.run_id == run));
    let mut heard: Vec<(usize, usize, Score)> = Vec::new();
    for (k, listening) in listenings.iter().enumerate() {
        let samples = listening.samples()?;
        for score in listening.scores()? {
            let sample = samples.iter().find(|s| s.letter == score.letter);
            if let Some(family) = sample.and_then(|s| family_of(s.run)) {
                heard.push((family, k, score));
            }
        }
    }
    if heard.is_empty() {
        return Ok(Vec::new());
    }
    let of = |word: HeardWord| {
        let scores: Vec<Heard> = heard
            .iter()
            .map(|(family, listening, score)| Heard {
                family: *family,
                listening: *listening,
                score: f64::from(word.value_in(score)),
            })
            .collect();
        HeardEffects { word, comparisons: compare(&scores, families.len()) }
    };
    Ok(HeardWord::ALL.map(of).into())
}

impl Workshop {
    /// All experiments, those that go on first, and the revisions that a new one can be chosen from.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn experiments(&self, actor: &Actor) -> Result<(Vec<Experiment>, Vec<RevisionRow>), Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.store_of(actor);
        Ok((store.experiments().await?, store.recent_revisions(MOST_REVISIONS).await?))
    }

    /// Begins an experiment; the same key again begins nothing more.
    ///
    /// # Errors
    /// [`Refusal::NotComparable`] when there are fewer than two revisions or one stands twice; when one of them is not there.
    pub async fn begin_experiment(
        &self,
        actor: &Actor,
        new: &NewExperiment<'_>,
    ) -> Result<ExperimentId, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let is_each_once = (1..new.arms.len()).all(|k| !new.arms[..k].contains(&new.arms[k]));
        if !(2..=MOST_ARMS).contains(&new.arms.len()) || !is_each_once {
            return Err(Refusal::NotComparable);
        }
        Ok(self.store_of(actor).begin_experiment(actor.person, new).await?)
    }

    async fn family(&self, actor: &Actor, revision: RevisionId) -> Result<FamilyRuns, Refusal> {
        let store = self.store_of(actor);
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
        let store = self.store_of(actor);
        let experiment = store.experiment(id).await?;
        let mut families = Vec::new();
        let mut predicted = Vec::new();
        for revision in experiment.arms() {
            let family = self.family(actor, revision).await?;
            predicted.push(self.uncalibrated_prediction(&family.revision.design).await?.ok());
            families.push(family);
        }
        let model = self.newest_calibration(actor).await?.map(|version| version.model);
        let each = |pick: fn(&PickupPrediction) -> f64| -> Vec<Option<f64>> {
            predicted.iter().map(|p| p.as_ref().map(|p| pick(&p.pickup))).collect()
        };
        let of = [
            (Quantity::Resistance, each(|p| p.resistance_20c_ohm.nominal)),
            (Quantity::Inductance, each(|p| p.inductance_h.nominal)),
            (Quantity::Capacitance, each(|p| p.capacitance_f.nominal)),
        ];
        let quantities = of
            .into_iter()
            .map(|(quantity, predicted)| {
                let model = model.as_deref();
                quantity_effects(quantity, &families, model, &predicted, experiment.cares_percent)
            })
            .filter(|q| q.quantity != Quantity::Capacitance || q.effects.iter().any(|e| e.effect.is_some()))
            .collect();
        let listenings = store.listenings(id).await?;
        let heard = heard_effects(&families, &listenings)?;
        Ok(ExperimentDetails { experiment, families, quantities, heard, listenings })
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
        let store = self.store_of(actor);
        store.experiment(id).await?;
        if store.close_experiment(actor.person, id, conclusion).await? {
            Ok(())
        } else {
            Err(Refusal::ExperimentClosed)
        }
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
        let store = self.store_of(actor);
        let experiment = store.experiment(id).await?;
        if !experiment.closed.is_empty() {
            return Err(Refusal::ExperimentClosed);
        }
        let mut runs = Vec::new();
        for revision in experiment.arms() {
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
        let all = self.store_of(actor).listenings(experiment).await?;
        let found = all.iter().find(|l| l.id == listening).ok_or(Refusal::NotFound("listening"))?;
        Ok(found.samples()?)
    }

    /// Which coil is under which letter, for whoever fits the coils: who is shown it cannot score the listening any more.
    ///
    /// # Errors
    /// When there is no such listening.
    pub async fn see_listening_key(
        &self,
        actor: &Actor,
        experiment: ExperimentId,
        listening: ListeningId,
    ) -> Result<Vec<Sample>, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let samples = self.listening_samples(actor, experiment, listening).await?;
        self.store_of(actor).see_listening_key(listening, actor.person).await?;
        Ok(samples)
    }

    /// Whether whoever asks was shown which letter is which coil.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn has_seen_listening_key(
        &self,
        actor: &Actor,
        listening: ListeningId,
    ) -> Result<bool, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        Ok(self.store_of(actor).has_seen_listening_key(listening, actor.person).await?)
    }

    /// Scores a listening, once.
    ///
    /// # Errors
    /// [`Refusal::ListeningScored`] when it was scored before; [`Refusal::ListeningKeySeen`] to whoever was shown which letter is
    /// which coil.
    pub async fn score_listening(
        &self,
        actor: &Actor,
        listening: ListeningId,
        scores: &[Score],
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        if self.store_of(actor).has_seen_listening_key(listening, actor.person).await? {
            return Err(Refusal::ListeningKeySeen);
        }
        let is_new = self.store_of(actor).score_listening(actor.person, listening, scores).await?;
        if is_new { Ok(()) } else { Err(Refusal::ListeningScored) }
    }
}
