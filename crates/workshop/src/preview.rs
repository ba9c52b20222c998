//! What stands beside a design on its page: its prediction and its parent's, curves laid over its response, pickups to
//! take as a reference, what the coils wound from it say. Only what the visible view shows is asked for.

use crate::actor::Actor;
use crate::blocking::{blocking, blocking_for};
use crate::calibration_versions::AppliedCalibration;
use crate::permission::Action;
use crate::prediction_cache::{PredictionResult, SolutionResult};
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::circuit::InstrumentInput;
use coil::design::{Design, Problem};
use coil::prediction::{BendMap, Calibration, Effort, FieldMap, Plane, Prediction};
use coil::search::{AssumptionComparison, Goal, Sensitivity, compare_assumptions, sensitivities};
use std::fmt;
use std::str::FromStr;
use std::sync::Arc;
use store::design::Revision;
use store::logbook::MeasuredDeviations;
use store::spool::Spool;
use store::sweep::OverlayNames;
use store::{DesignId, RevisionId, RewindId, SpoolId, SweepId};
use trade::sweep::Sweep;

/// Most pickups laid over one response: what can still be told apart.
pub const MOST_OVERLAYS: usize = 4;
/// About how many predictions a list of changes and their effects takes.
const VARIANTS: usize = 20;

/// What is laid over a response: a revision's prediction (`r7`), a sweep (`s7`), or an examined pickup as it is explained (`p7`).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OverlayRef {
    /// A revision's prediction.
    Revision(RevisionId),
    /// A sweep.
    Sweep(SweepId),
    /// An examined pickup, by the explanation that was settled on.
    Rewind(RewindId),
}

impl fmt::Display for OverlayRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Revision(id) => write!(f, "r{id}"),
            Self::Sweep(id) => write!(f, "s{id}"),
            Self::Rewind(id) => write!(f, "p{id}"),
        }
    }
}

impl FromStr for OverlayRef {
    type Err = ();
    fn from_str(text: &str) -> Result<Self, ()> {
        let id = |text: &str| text.parse().map_err(drop);
        match text.split_at_checked(1) {
            Some(("r", rest)) => id(rest).map(RevisionId).map(Self::Revision),
            Some(("s", rest)) => id(rest).map(SweepId).map(Self::Sweep),
            Some(("p", rest)) => id(rest).map(RewindId).map(Self::Rewind),
            _ => Err(()),
        }
    }
}

/// A curve laid over a response.
#[derive(Clone, Debug)]
pub enum Overlay {
    /// The prediction of another revision.
    Prediction(Arc<Prediction>),
    /// A measured response.
    Sweep(Sweep),
}

/// What a page asks for beside the prediction.
#[derive(Clone, Debug, Default)]
pub struct ContextQuery {
    /// What is laid over the response.
    pub overlays: Vec<OverlayRef>,
    /// Whether the choice of what else could be is shown.
    pub overlay_choices: bool,
    /// Whether the choice of reference pickups is shown.
    pub references: bool,
    /// Whether the revision's own sweeps are laid over, whatever else is.
    pub own_sweeps: bool,
}

/// How the coils wound from a design deviate from their predictions.
pub type MeasuredCoils = MeasuredDeviations;

/// What stands beside a design.
#[derive(Clone, Debug, Default)]
pub struct DesignContext {
    /// What is laid over the response: its reference where it can be taken off, its name, its curve.
    pub overlays: Vec<(Option<OverlayRef>, String, Overlay)>,
    /// What else could be laid over.
    pub overlay_choices: Vec<(OverlayRef, String)>,
    /// Pickups that can be taken as a reference.
    pub references: Vec<(RevisionId, String)>,
    /// The calibration that its prediction uses.
    pub applied: AppliedCalibration,
    /// What that says of this document.
    pub calibration: Calibration,
    /// What the coils wound from it say.
    pub measured: MeasuredCoils,
    /// The workshop's analyser with its input, which shows a resonance of its own.
    pub analyser: Option<(String, InstrumentInput)>,
}

/// A design's prediction with that of its parent and what stands beside it.
#[derive(Clone, Debug)]
pub struct Preview {
    /// Its prediction, or every reason why there is none.
    pub prediction: PredictionResult,
    /// Its solution, for the field and the lay.
    pub solution: SolutionResult,
    /// The prediction of its parent.
    pub before: Option<Arc<Prediction>>,
    /// What stands beside it.
    pub context: DesignContext,
}

/// Points across and up of a map of the field.
const MAP_POINTS: (usize, usize) = (120, 80);

/// What coils of one design scatter by from one to the next, relative standard deviations.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scatter {
    /// Inductance.
    pub inductance: f64,
    /// Capacitance.
    pub capacitance: f64,
    /// Whether the workshop's own runs say so; else what is usual is taken.
    pub is_own: bool,
}

impl Scatter {
    /// What is assumed of hand-wound coils where no runs say otherwise.
    const USUAL: Self = Self { inductance: 0.015, capacitance: 0.08, is_own: false };

    fn from_calibration(calibration: &Calibration) -> Self {
        let usual = Self::USUAL;
        Self {
            inductance: calibration.inductance.map_or(usual.inductance, |c| c.sd),
            capacitance: calibration.capacitance.map_or(usual.capacitance, |c| c.sd),
            is_own: calibration.inductance.is_some() || calibration.capacitance.is_some(),
        }
    }

    /// Of a resonance: it goes with the square root of both.
    #[must_use]
    pub fn resonance(self) -> f64 {
        0.5 * self.inductance.hypot(self.capacitance)
    }

    /// Of a loaded peak, in which the cable's capacitance counts for most.
    #[must_use]
    pub fn peak(self) -> f64 {
        0.5 * self.inductance
    }
}

impl Workshop {
    /// Predicts a document and gathers what its page shows beside it: of revision `of`, or of a new design; `parent` is
    /// what it is compared with.
    ///
    /// # Errors
    /// When an overlay is not there, or the database does not answer; [`Refusal::TooManyAtOnce`].
    pub async fn preview(
        &self,
        actor: &Actor,
        document: &Design,
        parent: Option<&Design>,
        of: Option<&Revision>,
        query: &ContextQuery,
    ) -> Result<Preview, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let mut context = self.context(actor, of, query).await?;
        context.calibration = context.applied.for_design(document);
        let before = match parent {
            Some(parent) => {
                self.predictions.prediction(parent, context.applied.for_design(parent)).await?.ok()
            }
            None => None,
        };
        let (prediction, solution) =
            self.predictions.prediction_and_solution(document, context.calibration).await?;
        Ok(Preview { prediction, solution, before, context })
    }

    async fn context(
        &self,
        actor: &Actor,
        of: Option<&Revision>,
        query: &ContextQuery,
    ) -> Result<DesignContext, Refusal> {
        let store = self.store_of(actor);
        let design: Option<DesignId> = of.map(|r| r.row.design_id);
        let own_sweeps = of.filter(|_| query.own_sweeps).map(|r| r.row.id);
        let wants_choices = query.overlay_choices && query.overlays.len() < MOST_OVERLAYS;
        let ((applied, measured), analyser, sweeps, names) = tokio::try_join!(
            async {
                let (choice, measured) = store.calibration_and_deviations(design).await?;
                Ok::<_, Refusal>((self.calibrations.chosen(&store, design, &choice).await?, measured))
            },
            self.analyser(actor),
            async {
                match own_sweeps {
                    Some(of) => Ok(store.sweeps(Some(of)).await?),
                    None => Ok(Vec::new()),
                }
            },
            async {
                if wants_choices || query.references {
                    Ok(store.overlay_names().await?)
                } else {
                    Ok(OverlayNames::default())
                }
            },
        )?;
        let mut context = DesignContext { applied, measured, analyser, ..Default::default() };
        for row in sweeps.into_iter().take(MOST_OVERLAYS) {
            context.overlays.push((None, row.label.clone(), Overlay::Sweep(row.sweep()?)));
        }
        for reference in query.overlays.iter().take(MOST_OVERLAYS) {
            let (name, overlay) = self.overlay(actor, *reference).await?;
            let Some(overlay) = overlay else { continue };
            context.overlays.push((Some(*reference), name, overlay));
        }
        let named = |(id, name, number): &(RevisionId, String, u32)| (*id, format!("{name} r{number}"));
        if query.references {
            context.references = names.revisions.iter().map(named).collect();
        }
        if wants_choices {
            let own = of.map(|r| r.row.id);
            let pickups = names
                .revisions
                .iter()
                .filter(|(id, _, _)| Some(*id) != own)
                .map(|r| (OverlayRef::Revision(r.0), named(r).1));
            let examined = names.rewinds.into_iter().map(|(id, name)| (OverlayRef::Rewind(id), name));
            let swept = names.sweeps.into_iter().map(|(id, label)| (OverlayRef::Sweep(id), label));
            context.overlay_choices =
                swept.chain(examined).chain(pickups).filter(|(r, _)| !query.overlays.contains(r)).collect();
        }
        Ok(context)
    }

    async fn overlay(
        &self,
        actor: &Actor,
        reference: OverlayRef,
    ) -> Result<(String, Option<Overlay>), Refusal> {
        let store = self.store_of(actor);
        Ok(match reference {
            OverlayRef::Sweep(id) => {
                let row = store.sweep(id).await?;
                let sweep = row.sweep()?;
                (row.label, Some(Overlay::Sweep(sweep)))
            }
            OverlayRef::Rewind(id) => {
                let draft = crate::rewinds::draft_of(&store.rewind(id).await?)?;
                let name = draft.findings.name.clone();
                let Some(chosen) = draft.chosen else { return Ok((name, None)) };
                let design = chosen.design(&draft.findings, &name);
                let prediction = self.prediction_of(actor, None, &design).await?.ok();
                (name, prediction.map(Overlay::Prediction))
            }
            OverlayRef::Revision(id) => {
                let revision = store.revision(id).await?;
                let name = format!("{} r{}", revision.row.name, revision.row.number);
                let of = Some(revision.row.design_id);
                let prediction = self.prediction_of(actor, of, &revision.design).await?.ok();
                (name, prediction.map(Overlay::Prediction))
            }
        })
    }

    /// What every adjustment changes, largest on `goal` first: about twenty predictions.
    ///
    /// # Errors
    /// When the computation ends early; [`Refusal::TooManyAtOnce`].
    pub async fn sensitivities(
        &self,
        actor: &Actor,
        document: &Design,
        goal: Goal,
    ) -> Result<Vec<Sensitivity>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let document = document.clone();
        blocking_for(&Effort::estimate(&document).times(VARIANTS), move || sensitivities(&document, goal))
            .await
    }

    /// What choices that makers differ about change in a design, with what its workshop's coils scatter by: about twenty
    /// predictions.
    ///
    /// # Errors
    /// When the computation ends early; [`Refusal::TooManyAtOnce`].
    pub async fn compare_assumptions(
        &self,
        actor: &Actor,
        document: &Design,
    ) -> Result<(Vec<AssumptionComparison>, Scatter), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let calibration = self.applied_calibration(actor, None).await?.for_design(document);
        let document = document.clone();
        let all = blocking_for(&Effort::estimate(&document).times(VARIANTS), move || {
            compare_assumptions(&document, &calibration)
        })
        .await?;
        Ok((all, Scatter::from_calibration(&calibration)))
    }

    /// The field in a plane of a design, and how loudly a string of it is heard over the plane of the strings.
    ///
    /// # Errors
    /// When the computation ends early; [`Refusal::TooManyAtOnce`].
    pub async fn maps(
        &self,
        actor: &Actor,
        document: &Design,
        plane: Plane,
        string: u32,
    ) -> Result<Result<(FieldMap, Option<BendMap>), Vec<Problem>>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let solution = match self.predictions.solution(document).await? {
            Ok(solution) => solution,
            Err(problems) => return Ok(Err(problems)),
        };
        blocking(move || {
            Ok((solution.field_map(plane, MAP_POINTS.0, MAP_POINTS.1), solution.bend_map(string)))
        })
        .await
    }

    /// The spools that are not used up.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn spools_in_use(&self, actor: &Actor) -> Result<Vec<Spool>, Refusal> {
        actor.require(Action::ReadStock)?;
        let mut all = self.store_of(actor).spools().await?;
        all.retain(|s| s.emptied_at.is_none());
        Ok(all)
    }

    /// What was measured on a spool, for a design's document.
    ///
    /// # Errors
    /// When there is no such spool.
    pub async fn spool_measurements(&self, actor: &Actor, id: SpoolId) -> Result<Spool, Refusal> {
        actor.require(Action::ReadStock)?;
        Ok(self.store_of(actor).spool(id).await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reference_is_read_as_it_is_written() {
        for reference in [
            OverlayRef::Revision(RevisionId(7)),
            OverlayRef::Sweep(SweepId(12)),
            OverlayRef::Rewind(RewindId(3)),
        ] {
            assert_eq!(reference.to_string().parse(), Ok(reference));
        }
        for text in ["", "r", "x7", "sé", "r-1"] {
            assert!(text.parse::<OverlayRef>().is_err(), "{text}");
        }
    }
}
