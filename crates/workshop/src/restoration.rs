//! From a pickup that was examined to a design: as it was, to its old edge, better, or like it and different.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::rewinds::{RewindDraft, explained};
use crate::service::Workshop;
use coil::design::{Design, Problem, Targets, limit_at};
use coil::identification::Identification;
use coil::prediction::Prediction;
use coil::wire::Gauge;
use std::sync::Arc;
use store::rewind::RewindState;
use store::{ClientKey, RevisionId, RewindId};

/// How a pickup is brought back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Restoration {
    /// Wire, turns and packing as they were.
    Original,
    /// The same wire or another, laid as the workshop lays it, until the winding stands where the old one did.
    OldEdge,
    /// As it was, with magnets fully charged and so many turns more or fewer.
    Improved,
}

/// What its owner wants other than it was.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct RestorationWishes {
    /// Turns more, for [`Restoration::Improved`], per cent.
    pub more_turns_percent: f64,
    /// Wire other than that which was found, for [`Restoration::OldEdge`].
    pub gauge: Option<Gauge>,
}

/// One way of bringing a pickup back.
#[derive(Clone, Debug)]
pub struct RestorationOffer {
    /// Which.
    pub way: Restoration,
    /// The design.
    pub design: Design,
    /// What it will be.
    pub prediction: Arc<Prediction>,
}

/// A design to make of a rewind.
#[derive(Clone, Debug)]
pub struct RestoreRewind {
    /// Key of the submission.
    pub key: ClientKey,
    /// The rewind, at the version that was shown.
    pub of: (RewindId, u32),
    /// How.
    pub way: Restoration,
    /// What is wanted other than it was.
    pub wishes: RestorationWishes,
}

/// A design to begin from a rewind: like it, but for what should differ.
#[derive(Clone, Debug)]
pub struct CopyRewind {
    /// Key of the submission.
    pub key: ClientKey,
    /// The rewind.
    pub of: RewindId,
    /// What it is called.
    pub name: String,
    /// Output more than that of the rewind, per cent.
    pub more_output_percent: f64,
    /// The peak is to be no lower than this, Hz.
    pub least_peak_hz: Option<f64>,
}

/// Turns of the first coil that fill a winding as thick as the old one, as the design would be laid.
fn fill_to(design: &mut Design, edge_mm: f64) {
    for coil in &mut design.coils {
        coil.wind.packing = None;
    }
    // Turns and packing depend on one another a little: a few rounds settle it.
    for _ in 0..4 {
        let Some((_, section)) = coil::prediction::lay_coil(design, 0) else { return };
        let now_mm = section.thickest_m() * 1e3;
        let by = (edge_mm / now_mm.max(1e-6)).clamp(0.3, 3.0);
        let turns = (f64::from(design.coils[0].wind.turns) * by).round();
        let scale = turns / f64::from(design.coils[0].wind.turns.max(1));
        for coil in &mut design.coils {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
            let own = (f64::from(coil.wind.turns) * scale).round().clamp(1.0, 99_999.0) as u32;
            coil.wind.turns = own;
        }
        if (by - 1.0).abs() < 0.002 {
            break;
        }
    }
}

/// The design of a way; `None` where nothing is known that it needs.
fn restored(
    draft: &RewindDraft,
    found: &Identification,
    way: Restoration,
    wishes: RestorationWishes,
) -> Option<Design> {
    let mut design = explained(draft, found)?;
    match way {
        Restoration::Original => {}
        Restoration::OldEdge => {
            let core = design.coils.first()?.former.core.size_mm();
            let by_width = draft.findings.measured.outer_width_mm.map(|m| (m.value - core.1) / 2.0);
            let by_length = draft.findings.measured.outer_length_mm.map(|m| (m.value - core.0) / 2.0);
            if let Some(gauge) = wishes.gauge {
                for coil in &mut design.coils {
                    coil.wire.gauge = gauge;
                    coil.wire.spool = None;
                }
            }
            fill_to(&mut design, draft.edge_mm.or(by_width).or(by_length)?);
        }
        Restoration::Improved => {
            for coil in &mut design.coils {
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
                let turns = (f64::from(coil.wind.turns) * (1.0 + wishes.more_turns_percent / 100.0))
                    .round()
                    .clamp(1.0, 99_999.0) as u32;
                coil.wind.turns = turns;
            }
            for pole in &mut design.poles {
                pole.charge = 1.0;
            }
            for bar in &mut design.bars {
                bar.charge = 1.0;
            }
        }
    }
    Some(design)
}

impl Workshop {
    /// The ways of bringing a pickup back, as it was first; without those for which a reading is missing, or that cannot be wound.
    ///
    /// # Errors
    /// When the machine is too busy to predict them.
    pub async fn restorations(
        &self,
        actor: &Actor,
        draft: &RewindDraft,
        found: &Identification,
        wishes: RestorationWishes,
    ) -> Result<Vec<RestorationOffer>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let mut all = Vec::new();
        for &way in <Restoration as strum::VariantArray>::VARIANTS {
            let Some(design) = restored(draft, found, way, wishes) else { continue };
            if let Ok(prediction) = self.prediction_of(actor, None, &design).await? {
                all.push(RestorationOffer { way, design, prediction });
            }
        }
        Ok(all)
    }

    /// Makes the design that brings a pickup back, and notes it at the rewind; the same key again makes no other.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when it cannot be wound; [`Refusal::ChangedMeanwhile`]; when a reading is missing that the way needs.
    pub async fn restore_rewind(
        &self,
        actor: &Actor,
        command: &RestoreRewind,
    ) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (mut row, draft) = self.rewind(actor, command.of.0).await?;
        if row.version != command.of.1 {
            return Err(Refusal::ChangedMeanwhile("rewind"));
        }
        let found = self.identify_findings(actor, &draft.findings).await?;
        let design = restored(&draft, &found, command.way, command.wishes)
            .ok_or(Refusal::NotFound("size over the old winding"))?;
        let problems = design.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let note = match command.way {
            Restoration::Original => format!("As {} was.", draft.findings.name),
            Restoration::OldEdge => match command.wishes.gauge {
                Some(gauge) => format!("To the old edge of {}, of {gauge}.", draft.findings.name),
                None => format!("To the old edge of {}.", draft.findings.name),
            },
            Restoration::Improved => {
                format!(
                    "{}, {:+.1} % turns, fully charged.",
                    draft.findings.name, command.wishes.more_turns_percent
                )
            }
        };
        let revision = self.save_design(actor, &command.key.derived(1), None, &note, &design).await?;
        row.revision_id = Some(revision);
        row.state = store::Stored(RewindState::Designed);
        self.write_rewind(actor, command.of, &row, &draft, &found).await?;
        Ok(revision)
    }

    /// Begins a design like a rewind, with targets that say what should differ; the search for it starts from there.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when the rewind cannot be predicted, or a target is out of range, by its place.
    pub async fn copy_rewind(&self, actor: &Actor, command: &CopyRewind) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (_, draft) = self.rewind(actor, command.of).await?;
        let found = self.identify_findings(actor, &draft.findings).await?;
        let mut design = explained(&draft, &found).ok_or(Refusal::NotFound("explanation"))?;
        design.name.clone_from(&command.name);
        let prediction = self
            .prediction_of(actor, None, &design)
            .await?
            .map_err(|p| Refusal::NotPredictable(p.clone()))?;
        let now = prediction.pickup.relative_output_db.nominal;
        let wanted = now + 20.0 * (1.0 + command.more_output_percent / 100.0).max(0.05).log10();
        let most_hz = limit_at("aims.peak_hz[]").map_or(100_000.0, |limit| limit.high);
        design.targets = Targets {
            output_db: Some([wanted - 0.5, wanted + 0.5]),
            peak_hz: command.least_peak_hz.map(|hz| [hz, most_hz]),
            ..Targets::default()
        };
        let problems: Vec<Problem> = design.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let note = format!("Like {}, {:+.0} % output.", draft.findings.name, command.more_output_percent);
        self.save_design(actor, &command.key, None, &note, &design).await
    }
}
