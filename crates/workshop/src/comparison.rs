//! Pickups side by side: predictions, and what was measured on the coils wound from them.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::rewinds::{draft_of, explained};
use crate::service::Workshop;
use coil::design::Design;
use coil::identification::{Findings, Measurand};
use coil::prediction::Prediction;
use coil::wire::at_temperature;
use std::collections::BTreeMap;
use std::fmt;
use std::str::FromStr;
use std::sync::Arc;
use store::sweep::SweepRow;
use store::{RevisionId, RewindId, RunId};
use trade::reading::Kind;

/// What can stand beside others. In addresses a revision is its number, an examined pickup `examined-` and its number.
///
/// ```
/// use workshop::ComparedId;
/// let id: ComparedId = "examined-3".parse().unwrap();
/// assert_eq!(id, ComparedId::Rewind(store::RewindId(3)));
/// assert_eq!(id.to_string(), "examined-3");
/// assert!("three".parse::<ComparedId>().is_err());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ComparedId {
    /// A revision of a design.
    Revision(RevisionId),
    /// A pickup that was examined, as it is explained.
    Rewind(RewindId),
}

/// What stands before the number of an examined pickup.
const EXAMINED: &str = "examined-";

impl fmt::Display for ComparedId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Revision(id) => write!(f, "{id}"),
            Self::Rewind(id) => write!(f, "{EXAMINED}{id}"),
        }
    }
}

impl FromStr for ComparedId {
    type Err = std::num::ParseIntError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Ok(match text.strip_prefix(EXAMINED) {
            Some(number) => Self::Rewind(RewindId(number.parse()?)),
            None => Self::Revision(RevisionId(text.parse()?)),
        })
    }
}

/// What was measured on one pickup.
#[derive(Clone, Debug)]
pub struct MeasuredPickup {
    /// The run in which it was wound: its number and itself; `None` for the examined pickup.
    pub run: Option<(u32, RunId)>,
    /// What was measured, SI, the resistance at 20 °C.
    pub values: BTreeMap<Kind, f64>,
}

/// A pickup with what it is predicted to be and what was measured on it, or on the coils wound from it.
#[derive(Clone, Debug)]
pub struct ComparedPickup {
    /// Which.
    pub id: ComparedId,
    /// What it is called, with its revision.
    pub name: String,
    /// Its document; of an examined pickup as it is explained.
    pub design: Design,
    /// Its prediction; `None` where it cannot be predicted.
    pub prediction: Option<Arc<Prediction>>,
    /// What was swept.
    pub sweeps: Vec<SweepRow>,
    /// What was measured.
    pub measured: Vec<MeasuredPickup>,
}

impl Workshop {
    /// Pickups side by side, in the order asked for.
    ///
    /// # Errors
    /// When one of them is not there.
    pub async fn compare(
        &self,
        actor: &Actor,
        pickups: &[ComparedId],
    ) -> Result<Vec<ComparedPickup>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let mut all = Vec::with_capacity(pickups.len());
        for &id in pickups {
            all.push(match id {
                ComparedId::Revision(revision) => self.compared_revision(actor, revision).await?,
                ComparedId::Rewind(rewind) => self.compared_rewind(actor, rewind).await?,
            });
        }
        Ok(all)
    }

    async fn compared_revision(&self, actor: &Actor, id: RevisionId) -> Result<ComparedPickup, Refusal> {
        let store = self.store_of(actor);
        let revision = store.revision(id).await?;
        let prediction =
            self.prediction_of(actor, Some(revision.row.design_id), &revision.design).await?.ok();
        let sweeps = store.sweeps(Some(id)).await?;
        let measured = store
            .runs_of_revision(id)
            .await?
            .iter()
            .filter_map(|run| {
                let values: BTreeMap<Kind, f64> = run
                    .stored_comparisons()
                    .ok()?
                    .iter()
                    .filter(|c| c.pole.is_none())
                    .map(|c| (c.kind, c.measured))
                    .collect();
                run.level.is_some().then_some(MeasuredPickup { run: Some((run.number, run.id)), values })
            })
            .collect();
        Ok(ComparedPickup {
            id: ComparedId::Revision(id),
            name: format!("{} r{}", revision.row.name, revision.row.number),
            design: revision.design,
            prediction,
            sweeps,
            measured,
        })
    }

    async fn compared_rewind(&self, actor: &Actor, id: RewindId) -> Result<ComparedPickup, Refusal> {
        let row = self.store_of(actor).rewind(id).await?;
        let draft = draft_of(&row)?;
        let found = self.identify_findings(actor, &draft.findings).await?;
        let design = explained(&draft, &found).ok_or(Refusal::NotFound("explanation"))?;
        let prediction = self.prediction_of(actor, None, &design).await?.ok();
        let values = readings_of(&draft.findings);
        let measured =
            if values.is_empty() { Vec::new() } else { vec![MeasuredPickup { run: None, values }] };
        Ok(ComparedPickup {
            id: ComparedId::Rewind(id),
            name: row.name,
            design,
            prediction,
            sweeps: Vec::new(),
            measured,
        })
    }

    /// Examined pickups of which an explanation was chosen: number and name, the one changed last first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn explained_rewinds(&self, actor: &Actor) -> Result<Vec<(RewindId, String)>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.store_of(actor).explained_rewinds().await?)
    }
}

/// What was read of an examined pickup, by the kinds of readings that coils have.
fn readings_of(findings: &Findings) -> BTreeMap<Kind, f64> {
    findings
        .measured
        .taken()
        .filter_map(|(what, reading)| {
            Some(match what {
                Measurand::ResistanceOhm => {
                    (Kind::Resistance, at_temperature(reading.value, reading.coil_c.unwrap_or(20.0), 20.0))
                }
                Measurand::InductanceH => (Kind::Inductance, reading.value),
                Measurand::CapacitancePf => (Kind::Capacitance, reading.value * 1e-12),
                _ => return None,
            })
        })
        .collect()
}
