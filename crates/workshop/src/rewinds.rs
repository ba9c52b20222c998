//! Pickups that are examined: to bring them back, or to copy what is good.

use crate::actor::Actor;
use crate::blocking::{blocking, blocking_for};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use coil::identification::{Candidate, Fault, Findings, Habits, Identification, Measurand, identify};
use coil::prediction::Effort;
use coil::wire::{Build, Gauge, Insulation};
use serde::{Deserialize, Serialize};
use store::logbook::{LogFilter, LogbookRow};
use store::rewind::{NewRewind, Purpose, RewindRow, RewindState};
use store::unreadable::RecordKind;
use store::{ClientKey, RevisionId, RewindId, StoreError};
use trade::diagnosis::{Expected, Outcome, QuickTest};
use trade::impedance_fit::{CurveFit, Known, Swept, fit_curve};
use trade::traveller::{RewindFinish, Traveller};

/// Coils that a spool on the shelf stands for among a workshop's habits.
const COILS_OF_SPOOL: f64 = 3.0;
/// Points of a pickup's own impedance, from 100 Hz to 28 kHz, of which its losses are read.
const LOSS_POINTS: i32 = 84;
/// About how many times the parts of a pickup are solved to explain it.
const SOLVED: usize = 4;
/// Most runs that are compared with the original.
const MOST_RUNS: u32 = 50;

/// What was seen of a pickup besides its measures, in words.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Looks {
    /// Colours of the leads.
    pub leads: String,
    /// Markings, stamps, dates.
    pub markings: String,
    /// Tape and string round the coil.
    pub tape: String,
    /// Solder joints.
    pub solder: String,
    /// Wax, lacquer, none.
    pub potting: String,
    /// Colour of the wire.
    pub wire_colour: String,
    /// What its owner or seller says of it.
    pub story: String,
    /// Anything else.
    pub notes: String,
}

/// An explanation that somebody settled on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ChosenExplanation {
    /// Gauge of the wire.
    pub gauge: Gauge,
    /// Its enamel.
    pub insulation: Insulation,
    /// How thick that is.
    pub build: Build,
    /// Turns of the first coil.
    pub turns: f64,
    /// Square of the wire's diameter over the window that a turn takes.
    pub packing: f64,
    /// What is the matter with the coil.
    #[serde(default)]
    pub fault: Option<Fault>,
    /// Its probability when it was chosen.
    pub probability: f64,
}

impl ChosenExplanation {
    fn from_candidate(candidate: &Candidate) -> Self {
        Self {
            gauge: candidate.gauge,
            insulation: candidate.insulation,
            build: candidate.build,
            turns: candidate.turns.nominal,
            packing: candidate.packing.nominal,
            fault: candidate.fault,
            probability: candidate.probability,
        }
    }

    /// The pickup wound so, sound; coils of several keep how their turns stand to one another.
    #[must_use]
    pub fn design(&self, findings: &Findings, name: &str) -> Design {
        let mut design = findings.pickup.clone();
        design.name = name.chars().take(80).collect();
        let first = f64::from(design.coils.first().map_or(1, |c| c.wind.turns.max(1)));
        for coil in &mut design.coils {
            (coil.wire.gauge, coil.wire.insulation, coil.wire.build) =
                (self.gauge, self.insulation, self.build);
            coil.wind.turns = whole(self.turns * f64::from(coil.wind.turns) / first);
            coil.wind.packing = Some(self.packing.clamp(0.3, 1.0));
            coil.wind.wander = if self.packing > 0.86 { 0.0 } else { 0.3 };
        }
        design
    }
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to what a coil can have")]
fn whole(turns: f64) -> u32 {
    turns.round().clamp(1.0, 99_999.0) as u32
}

/// A pickup that is examined, as it is kept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RewindDraft {
    /// Why it is examined.
    pub purpose: Purpose,
    /// Tags, separated by commas.
    #[serde(default)]
    pub tags: String,
    /// What was measured.
    pub findings: Findings,
    /// What was seen.
    #[serde(default)]
    pub looks: Looks,
    /// Where the old coil's edge stood: from the core, mm.
    #[serde(default)]
    pub edge_mm: Option<f64>,
    /// Quick tests with what they showed, in their order.
    #[serde(default)]
    pub answers: Vec<(QuickTest, Outcome)>,
    /// How it is to be finished when it is brought back.
    #[serde(default)]
    pub finish: RewindFinish,
    /// The explanation that was settled on.
    #[serde(default)]
    pub chosen: Option<ChosenExplanation>,
}

impl RewindDraft {
    /// One of which nothing is known yet.
    #[must_use]
    pub fn begun(name: &str, pickup: Design) -> Self {
        Self {
            purpose: Purpose::Rewind,
            tags: String::new(),
            findings: Findings::begun(name, pickup),
            looks: Looks::default(),
            edge_mm: None,
            answers: Vec::new(),
            finish: RewindFinish::default(),
            chosen: None,
        }
    }
}

/// A rewind to save.
#[derive(Clone, Debug)]
pub struct SaveRewind {
    /// Key of the submission.
    pub key: ClientKey,
    /// The rewind and the version that was shown; `None` adds a new one.
    pub of: Option<(RewindId, u32)>,
    /// What it becomes.
    pub draft: RewindDraft,
}

impl Workshop {
    /// The rewinds that are not archived, or those that are.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn rewinds(&self, actor: &Actor, is_archived: bool) -> Result<Vec<RewindRow>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.store_of(actor).rewinds(is_archived).await?)
    }

    /// One rewind.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn rewind(&self, actor: &Actor, id: RewindId) -> Result<(RewindRow, RewindDraft), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let row = self.store_of(actor).rewind(id).await?;
        let draft = self.store_of(actor).noted(RecordKind::Rewind, row.id.0, &row.name, draft_of(&row))?;
        Ok((row, draft))
    }

    /// What a pickup can be, by its findings, the wires on the shelf, and what the workshop's own coils have shown.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] with every reason why they cannot be weighed; [`Refusal::TooManyAtOnce`].
    pub async fn identify_findings(
        &self,
        actor: &Actor,
        findings: &Findings,
    ) -> Result<Identification, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let problems = findings.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let habits = self.habits(actor).await?;
        let calibration = self.applied_calibration(actor, None).await?.for_design(&findings.pickup);
        let findings = findings.clone();
        let effort = Effort::estimate(&findings.pickup).times(SOLVED);
        let found = blocking_for(&effort, move || identify(&findings, &habits, &calibration)).await?;
        found.map_err(Refusal::NotPredictable)
    }

    /// The wires on the shelf, as what the workshop is used to.
    async fn habits(&self, actor: &Actor) -> Result<Habits, Refusal> {
        let mut habits = Habits::default();
        for spool in self.store_of(actor).spools().await? {
            habits.wires.push((spool.gauge.0, spool.build.0, COILS_OF_SPOOL));
            habits.insulations.push((spool.insulation.0, COILS_OF_SPOOL));
        }
        Ok(habits)
    }

    /// Saves a rewind; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] with what contradicts itself, by its place; [`Refusal::ChangedMeanwhile`].
    pub async fn save_rewind(&self, actor: &Actor, command: &SaveRewind) -> Result<RewindId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let found = self.identify_findings(actor, &command.draft.findings).await?;
        let store = self.store_of(actor);
        match command.of {
            None => {
                let document = serde_json::to_string(&command.draft)?;
                let conclusion = conclusion(&command.draft, &found);
                let state = state_of(&command.draft, RewindState::Open);
                let new = new_row(&command.draft, &document, &conclusion, state, None);
                Ok(store.add_rewind(actor.person, &command.key, &new).await?)
            }
            Some(of) => {
                let row = store.rewind(of.0).await?;
                self.write_rewind(actor, of, &row, &command.draft, &found).await?;
                Ok(of.0)
            }
        }
    }

    /// Writes a rewind as it became.
    pub(crate) async fn write_rewind(
        &self,
        actor: &Actor,
        of: (RewindId, u32),
        row: &RewindRow,
        draft: &RewindDraft,
        found: &Identification,
    ) -> Result<(), Refusal> {
        let document = serde_json::to_string(draft)?;
        let conclusion = conclusion(draft, found);
        let state = state_of(draft, row.state.0);
        let new = new_row(draft, &document, &conclusion, state, row.revision_id);
        match self.store_of(actor).change_rewind(actor.person, of, &new).await {
            Ok(()) => Ok(()),
            Err(StoreError::Changed(what)) => Err(Refusal::ChangedMeanwhile(what)),
            Err(error) => Err(error.into()),
        }
    }

    /// Archives a rewind, or restores it.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn archive_rewind(
        &self,
        actor: &Actor,
        id: RewindId,
        is_archived: bool,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        Ok(self.store_of(actor).archive_rewind(actor.person, id, is_archived).await?)
    }

    /// Settles on an explanation: that of a place in the list of what the findings tell now.
    ///
    /// # Errors
    /// When there is none at that place; [`Refusal::ChangedMeanwhile`].
    pub async fn choose_explanation(
        &self,
        actor: &Actor,
        of: (RewindId, u32),
        place: usize,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.rewind(actor, of.0).await?;
        let found = self.identify_findings(actor, &draft.findings).await?;
        let candidate = found.candidates.get(place).ok_or(Refusal::NotFound("explanation"))?;
        draft.chosen = Some(ChosenExplanation::from_candidate(candidate));
        self.write_rewind(actor, of, &row, &draft, &found).await
    }

    /// Notes what a quick test showed, in place of what was noted of it and after it; `None` takes the last answer back.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`].
    pub async fn answer_quick_test(
        &self,
        actor: &Actor,
        of: (RewindId, u32),
        answer: Option<(QuickTest, Outcome)>,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.rewind(actor, of.0).await?;
        match answer {
            Some((test, outcome)) => {
                if let Some(at) = draft.answers.iter().position(|(t, _)| *t == test) {
                    draft.answers.truncate(at);
                }
                draft.answers.push((test, outcome));
            }
            None => {
                draft.answers.pop();
            }
        }
        let found = self.identify_findings(actor, &draft.findings).await?;
        self.write_rewind(actor, of, &row, &draft, &found).await
    }

    /// What a pickup should read, sound, by the explanation that was settled on, else by the most probable one.
    ///
    /// # Errors
    /// When it cannot be predicted.
    pub async fn expected_readings(
        &self,
        actor: &Actor,
        draft: &RewindDraft,
        found: &Identification,
    ) -> Result<Expected, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let Some(design) = explained(draft, found) else { return Ok(Expected::default()) };
        let Ok(solution) = self.predictions.solution(&design).await? else { return Ok(Expected::default()) };
        let Ok(prediction) = self.prediction_of(actor, None, &design).await? else {
            return Ok(Expected::default());
        };
        let test_hz = draft
            .findings
            .measured
            .measurement(Measurand::InductanceH)
            .and_then(|m| m.test_hz)
            .unwrap_or(1000.0);
        let meter = prediction.circuit.meter(test_hz);
        let ratio = meter.ls_h / prediction.pickup.inductance_h.nominal;
        let low = prediction.pickup.inductance_h;
        let probe_mm = draft.findings.measured.probe_mm.unwrap_or(0.5);
        Ok(Expected {
            resistance_ohm: Some(prediction.pickup.resistance_ohm),
            inductance_h: Some(coil::prediction::Quantity {
                nominal: low.nominal * ratio,
                p05: low.p05 * ratio,
                p95: low.p95 * ratio,
            }),
            test_hz,
            quality: Some(meter.q),
            flux_t: solution.pole_flux_mt(probe_mm).into_iter().map(|v| v.map(|mt| mt * 1e-3)).collect(),
        })
    }

    /// The traveller of a revision: of one that brings a pickup back, with what is done to that first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub(crate) async fn traveller_of_revision(
        &self,
        actor: &Actor,
        revision: RevisionId,
        design: &Design,
    ) -> Result<Traveller, Refusal> {
        let store = self.store_of(actor);
        let (traveller, rewind) = tokio::try_join!(self.traveller_for(actor, design), async {
            Ok(store.rewind_of_revision(revision).await?)
        })?;
        Ok(match rewind.filter(|row| row.purpose.0 == Purpose::Rewind) {
            Some(row) => traveller.for_rewind(draft_of(&row)?.finish),
            None => traveller,
        })
    }

    /// Fits a measured curve of an examined pickup. Its resistance and inductance are those that were read; what hung on it is as `across`
    /// says, capacitance in F and resistance in Ω. Of what is not said there, the capacitance is told where that of the pickup was read,
    /// and the resistance where the pickup is explained, and so what its own losses are worth.
    ///
    /// # Errors
    /// [`Refusal::TooManyAtOnce`].
    pub async fn fit_curve(
        &self,
        actor: &Actor,
        draft: &RewindDraft,
        (swept, hz, values): (Swept, Vec<f64>, Vec<f64>),
        (across_f, across_ohm): (Option<f64>, Option<f64>),
    ) -> Result<Option<CurveFit>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let value = |what: Measurand| draft.findings.measured.measurement(what).map(|reading| reading.value);
        let mut known = Known {
            resistance_ohm: value(Measurand::ResistanceOhm),
            inductance_h: value(Measurand::InductanceH),
            capacitance_f: value(Measurand::CapacitancePf).map(|pf| pf * 1e-12),
            loss_ohm: None,
            across_f,
            across_ohm,
        };
        if across_f.is_none() && known.capacitance_f.is_some() && across_ohm.is_none() {
            known.loss_ohm = self.own_losses(actor, draft).await?;
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        blocking(move || fit_curve(swept, &hz, &values, &known)).await
    }

    /// What the losses of an explained pickup are worth as a resistance across it, Ω.
    async fn own_losses(&self, actor: &Actor, draft: &RewindDraft) -> Result<Option<f64>, Refusal> {
        let mut findings = draft.findings.clone();
        if findings.name.trim().is_empty() {
            "unnamed".clone_into(&mut findings.name);
        }
        if !findings.problems().is_empty() {
            return Ok(None);
        }
        let found = self.identify_findings(actor, &findings).await?;
        let Some(design) = explained(draft, &found) else { return Ok(None) };
        let Ok(prediction) = self.prediction_of(actor, None, &design).await? else { return Ok(None) };
        let resistance = prediction.pickup.resistance_ohm.nominal;
        let hz: Vec<f64> = (0..LOSS_POINTS).map(|k| 100.0 * 1.07_f64.powi(k)).collect();
        let ohms: Vec<f64> = hz.iter().map(|f| prediction.circuit.source(*f).impedance.norm()).collect();
        let known = Known { resistance_ohm: Some(resistance), ..Known::default() };
        let found = blocking(move || fit_curve(Swept::Impedance, &hz, &ohms, &known)).await?;
        Ok(found.and_then(|fit| fit.loss_ohm).map(|q| q.nominal))
    }

    /// The coils that were wound by the design that was made of a rewind, newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn coils_of_rewind(&self, actor: &Actor, row: &RewindRow) -> Result<Vec<LogbookRow>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let Some(revision) = row.revision_id else { return Ok(Vec::new()) };
        let store = self.store_of(actor);
        let design = store.revision(revision).await?.row.design_id;
        Ok(store.log_lines(&LogFilter { design: Some(design), ..LogFilter::default() }, MOST_RUNS).await?)
    }
}

/// The pickup as it is explained: by what was settled on, else by the most probable explanation.
pub(crate) fn explained(draft: &RewindDraft, found: &Identification) -> Option<Design> {
    let chosen =
        draft.chosen.clone().or_else(|| found.candidates.first().map(ChosenExplanation::from_candidate))?;
    Some(chosen.design(&draft.findings, &draft.findings.name))
}

fn new_row<'a>(
    draft: &'a RewindDraft,
    document: &'a str,
    conclusion: &'a str,
    state: RewindState,
    revision_id: Option<store::RevisionId>,
) -> NewRewind<'a> {
    NewRewind {
        name: &draft.findings.name,
        purpose: draft.purpose,
        tags: &draft.tags,
        document,
        conclusion,
        state,
        revision_id,
    }
}

/// A design once made stays; before it, an explanation that was settled on.
fn state_of(draft: &RewindDraft, before: RewindState) -> RewindState {
    match before {
        RewindState::Designed | RewindState::Left => before,
        _ if draft.chosen.is_some() => RewindState::Explained,
        _ => RewindState::Open,
    }
}

/// What it was, in words, for the list.
fn conclusion(draft: &RewindDraft, found: &Identification) -> String {
    let fault = found.faults.iter().find(|f| f.probability > 0.5);
    let fault = fault.map_or_else(String::new, |f| format!("; {}", coil::Word::spoken(f.value)));
    let text = match &draft.chosen {
        Some(chosen) => format!("{}, {:.0} turns, chosen{fault}", chosen.gauge, chosen.turns),
        None => {
            let taken = draft.findings.measured.taken().count();
            match found.marginal.gauge.first() {
                Some(first) if taken > 0 => format!(
                    "{} ({:.0} %), {:.0} turns{fault}",
                    first.value,
                    100.0 * first.probability,
                    found.marginal.turns.nominal
                ),
                _ => String::new(),
            }
        }
    };
    text.chars().take(300).collect()
}

pub(crate) fn draft_of(row: &RewindRow) -> Result<RewindDraft, StoreError> {
    serde_json::from_str(&row.document)
        .map_err(|error| StoreError::Unreadable { what: "rewind", detail: error.to_string() })
}
