//! Matching: which coils in stock belong together, and the sets that were made of them.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::{BTreeMap, BTreeSet};
use store::logbook::{LogFilter, LogbookRow};
use store::set::SetMember;
use store::{ClientKey, DesignId, RunId, SetId, StoreError};
use trade::matching::{Coil, MatchCriterion, Pair, pairs};
use trade::verdict::Level;

/// Most coils of a role: the newest.
const MOST: usize = 200;
/// Runs among which those are looked for.
const LOOKED_AT: u32 = 1000;
/// Most coils of sets whose figures are shown.
const MOST_SHOWN: usize = 500;

/// What is to be matched.
#[derive(Clone, Debug)]
pub struct MatchingQuery {
    /// The designs of two or three roles.
    pub roles: Vec<DesignId>,
    /// What they are matched on.
    pub criteria: Vec<MatchCriterion>,
    /// Whether they must be wound and magnetised the other way round.
    pub opposite: bool,
}

/// A proposed set.
#[derive(Clone, Debug)]
pub struct MatchedCoils {
    /// The pair, by places among the coils in stock.
    pub pair: Pair,
    /// The third, where three were asked for.
    pub third: Option<usize>,
}

/// Coils in stock and what they make.
#[derive(Clone, Debug, Default)]
pub struct MatchingPools {
    /// The coils in stock of all roles.
    pub coils: Vec<LogbookRow>,
    /// The proposals.
    pub proposals: Vec<MatchedCoils>,
}

/// A logbook's row as matching takes it.
fn candidate(row: &LogbookRow) -> Coil {
    Coil {
        run: row.run_id.0,
        values: [
            row.resistance_ohm,
            row.inductance_h,
            row.peak_hz,
            row.turns,
            row.output_db.map(|db| 10f64.powf(db / 20.0)),
        ],
        clockwise: row.clockwise,
        north: row.north,
    }
}

/// Pairs of the first two roles; a third joins the pair that it suits best, by what it shares with the first.
fn propose(
    coils: &[Coil],
    pools: &[Vec<usize>],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<MatchedCoils> {
    let found = pairs(coils, &pools[0], &pools[1], criteria, opposite);
    let Some(thirds) = pools.get(2) else {
        return found.into_iter().map(|pair| MatchedCoils { pair, third: None }).collect();
    };
    let used: BTreeSet<usize> = found.iter().flat_map(|p| [p.first, p.second]).collect();
    let free: Vec<usize> = thirds.iter().copied().filter(|k| !used.contains(k)).collect();
    let firsts: Vec<usize> = found.iter().map(|p| p.first).collect();
    // A third is to be like the first: no hotter, and of either sense.
    let alike: Vec<MatchCriterion> = criteria.iter().map(|w| MatchCriterion { ratio: 1.0, ..*w }).collect();
    let joined: BTreeMap<usize, usize> =
        pairs(coils, &firsts, &free, &alike, false).into_iter().map(|p| (p.first, p.second)).collect();
    found
        .into_iter()
        .filter_map(|pair| {
            let third = Some(*joined.get(&pair.first)?);
            Some(MatchedCoils { pair, third })
        })
        .collect()
}

impl Workshop {
    /// The coils in stock of some designs, and the sets that they make: coils that passed or were only remarked upon,
    /// were measured, and are in no set.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn match_coils(
        &self,
        actor: &Actor,
        query: &MatchingQuery,
        in_sets: &[SetMember],
    ) -> Result<MatchingPools, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let taken: BTreeSet<RunId> = in_sets.iter().map(|m| m.run_id).collect();
        let mut coils: Vec<LogbookRow> = Vec::new();
        let mut pools: Vec<Vec<usize>> = Vec::new();
        for design in &query.roles {
            let known: Vec<usize> = (0..coils.len()).filter(|k| coils[*k].design_id == *design).collect();
            if !known.is_empty() {
                pools.push(known);
                continue;
            }
            let stock = self.stock(actor, *design, &taken).await?;
            pools.push((coils.len()..coils.len() + stock.len()).collect());
            coils.extend(stock);
        }
        let mut proposals = Vec::new();
        if pools.len() >= 2 && !query.criteria.is_empty() {
            let candidates: Vec<Coil> = coils.iter().map(candidate).collect();
            let (criteria, opposite) = (query.criteria.clone(), query.opposite);
            proposals = blocking(move || propose(&candidates, &pools, &criteria, opposite)).await?;
        }
        Ok(MatchingPools { coils, proposals })
    }

    async fn stock(
        &self,
        actor: &Actor,
        design: DesignId,
        taken: &BTreeSet<RunId>,
    ) -> Result<Vec<LogbookRow>, Refusal> {
        let filter = LogFilter { design: Some(design), ..LogFilter::default() };
        let mut rows = self.of(actor).log_lines(&filter, LOOKED_AT).await?;
        rows.retain(|row| {
            matches!(row.level.0, Level::Pass | Level::Look)
                && row.resistance_ohm.is_some()
                && !taken.contains(&row.run_id)
        });
        rows.truncate(MOST);
        Ok(rows)
    }

    /// Every coil that is in a set, newest set first, and the rows of the newest of them.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn sets(&self, actor: &Actor) -> Result<(Vec<SetMember>, Vec<LogbookRow>), Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.of(actor);
        let members = store.set_members().await?;
        let runs: Vec<RunId> = members.iter().map(|m| m.run_id).take(MOST_SHOWN).collect();
        let rows = store.log_lines_of(&runs).await?;
        Ok((members, rows))
    }

    /// Sets coils aside as one set; the same key again makes nothing more.
    ///
    /// # Errors
    /// [`Refusal::CoilInAnotherSet`] when one of them is in another.
    pub async fn make_set(
        &self,
        actor: &Actor,
        key: &ClientKey,
        name: &str,
        coils: &[(RunId, &str)],
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        match self.of(actor).make_set(actor.person, key, name, coils).await {
            Err(StoreError::Taken(_)) => Err(Refusal::CoilInAnotherSet),
            done => Ok(done?),
        }
    }

    /// Dissolves a set: its coils are in stock again.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn dissolve_set(&self, actor: &Actor, set: SetId) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.of(actor).dissolve_set(actor.person, set).await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use trade::matching::Measure;

    fn coil(run: u64, ohms: f64) -> Coil {
        Coil { run, values: [Some(ohms), None, None, None, None], clockwise: true, north: true }
    }

    #[test]
    fn a_third_joins_the_pair_it_suits_and_a_pair_without_is_no_set() {
        let coils = [coil(1, 5000.0), coil(2, 6000.0), coil(3, 5000.0), coil(4, 6000.0), coil(5, 6010.0)];
        let criterion = MatchCriterion { measure: Measure::Resistance, ratio: 1.0, tolerance: 0.02 };
        let found = propose(&coils, &[vec![0, 1], vec![2, 3], vec![4]], &[criterion], false);
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].pair.first, found[0].pair.second, found[0].third), (1, 3, Some(4)));
    }
}
