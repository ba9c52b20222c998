//! Consistency: the coils of a design in the order they were wound, and where their level moved.

use crate::actor::Actor;
use crate::level_names::LevelNames;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Targets;
use store::DesignId;
use store::logbook::{LogFilter, LogbookRow};
use trade::calibration::{Factor, Observation, Quantity};

/// Most runs of one chart: the newest.
const MOST: u32 = 2000;
/// How much commoner a level must be after a change than before, to count as new.
const COMMONER: f64 = 0.25;

/// What a change of level comes from.
#[derive(Clone, Debug, PartialEq)]
pub struct ShiftPart {
    /// The factor; `None` for what is not explained.
    pub factor: Option<Factor>,
    /// Names of the levels that came in with the change.
    pub came_in: Vec<String>,
    /// How much of the change, in the logarithm, and its standard deviation.
    pub value: f64,
    /// Standard deviation of that; `None` for what is not explained.
    pub sd: Option<f64>,
}

/// A change of level, split into what it comes from.
#[derive(Clone, Debug, PartialEq)]
pub struct ShiftExplanation {
    /// The whole change against the prediction, in the logarithm.
    pub whole: f64,
    /// What it comes from, the unexplained rest last.
    pub parts: Vec<ShiftPart>,
}

/// Levels that are commoner after a change than before.
fn newcomers(factor: Factor, earlier: &[&Observation], later: &[&Observation]) -> Vec<u64> {
    let share = |runs: &[&Observation], level: u64| {
        runs.iter().filter(|r| r.factor_levels.level(factor) == Some(level)).count() as f64
            / runs.len().max(1) as f64
    };
    let mut levels: Vec<u64> = later.iter().filter_map(|r| r.factor_levels.level(factor)).collect();
    levels.sort_unstable();
    levels.dedup();
    levels.retain(|level| share(later, *level) > share(earlier, *level) + COMMONER);
    levels
}

impl Workshop {
    /// Designs with runs: number, name, runs.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn logged_designs(&self, actor: &Actor) -> Result<Vec<(DesignId, String, i64)>, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        Ok(self.store_of(actor).logged_designs().await?)
    }

    /// The runs of a design, oldest first, and the targets of the newest of them.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn series(
        &self,
        actor: &Actor,
        design: DesignId,
    ) -> Result<(Vec<LogbookRow>, Targets), Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.store_of(actor);
        let filter = LogFilter { design: Some(design), ..LogFilter::default() };
        let mut rows = store.log_lines(&filter, MOST).await?;
        rows.reverse();
        let targets = match rows.last() {
            Some(newest) => {
                store.documents(&[newest.revision_id]).await?.pop().map(|(_, design)| design.targets)
            }
            None => None,
        };
        Ok((rows, targets.unwrap_or_default()))
    }

    /// What a change of level at row `at` of a series comes from; `None` before anything was calibrated.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn explain_shift(
        &self,
        actor: &Actor,
        rows: &[LogbookRow],
        at: usize,
        quantity: Quantity,
    ) -> Result<Option<ShiftExplanation>, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let Some(version) = self.newest_calibration(actor).await? else { return Ok(None) };
        let observations: Vec<Observation> = rows.iter().map(LogbookRow::observation).collect();
        let (earlier, later) = observations.split_at(at.min(observations.len()));
        let (earlier, later): (Vec<&Observation>, Vec<&Observation>) =
            (earlier.iter().collect(), later.iter().collect());
        let Some(shift) = version.model.quantity(quantity).and_then(|m| m.shift(&earlier, &later)) else {
            return Ok(None);
        };
        let names = LevelNames::load(&self.store_of(actor)).await?;
        let parts = shift.parts.iter().filter(|(_, e)| e.value.abs() > 5e-4).map(|(factor, e)| ShiftPart {
            factor: Some(*factor),
            came_in: newcomers(*factor, &earlier, &later)
                .into_iter()
                .map(|level| names.name_of(*factor, level))
                .collect(),
            value: e.value,
            sd: Some(e.sd),
        });
        let rest = ShiftPart { factor: None, came_in: Vec::new(), value: shift.left, sd: None };
        Ok(Some(ShiftExplanation { whole: shift.whole, parts: parts.chain([rest]).collect() }))
    }
}
