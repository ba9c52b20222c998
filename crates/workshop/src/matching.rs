//! Matching: which coils in stock belong together, and the sets that were made of them.

use crate::actor::Actor;
use crate::blocking::blocking_long;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use coil::prediction::predict;
use std::collections::BTreeSet;
use store::logbook::{LogFilter, LogbookRow};
use store::set::SetMember;
use store::{ClientKey, DesignId, RunId, SetId, StoreError};
use trade::matching::{Coil, MatchCriterion, Measure, Pair, pairs, triples};
use trade::verdict::Level;

/// Most coils of a role: the newest.
const MOST: usize = 200;
/// Runs among which those are looked for.
const LOOKED_AT: u32 = 1000;
/// Most coils of sets whose figures are shown.
const MOST_SHOWN: usize = 500;

/// What a second coil is stronger in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Strength {
    /// Turns.
    #[default]
    Turns,
    /// Output.
    Output,
}

/// What is to be matched.
#[derive(Clone, Debug)]
pub struct MatchingQuery {
    /// The designs of two or three roles.
    pub roles: Vec<DesignId>,
    /// What they are matched on: measures with their tolerances, as ratios.
    pub criteria: Vec<(Measure, f64)>,
    /// How much stronger the second is to be, and in what; what every measure is to come to follows from the first's design.
    pub stronger: (Strength, f64),
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
    /// What was asked of second over first in each measure.
    pub criteria: Vec<MatchCriterion>,
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

/// Pairs of the first two roles, or sets of three chosen together. A third is to be like the first: no stronger, and of either sense.
fn propose(
    coils: &[Coil],
    pools: &[Vec<usize>],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<MatchedCoils> {
    let [firsts, seconds, rest @ ..] = pools else { return Vec::new() };
    let Some(thirds) = rest.first() else {
        let found = pairs(coils, firsts, seconds, criteria, opposite).into_iter();
        return found.map(|pair| MatchedCoils { pair, third: None }).collect();
    };
    let alike: Vec<MatchCriterion> = criteria.iter().map(|w| MatchCriterion { ratio: 1.0, ..*w }).collect();
    let found = triples(coils, [firsts, seconds, thirds], criteria, &alike, opposite).into_iter();
    found.map(|set| MatchedCoils { pair: set.pair, third: Some(set.third) }).collect()
}

/// What every measure of a coil comes to when it is wound stronger by a share, over what it was: by the engine. Ten per cent more
/// turns are more than that in resistance, since the turns on top are longer, and twice that in inductance. `None` where either
/// cannot be predicted.
#[must_use]
pub fn stronger(design: &Design, by: Strength, share: f64) -> Option<[f64; 5]> {
    let with = |more: f64| {
        let mut wound = design.clone();
        for coil in &mut wound.coils {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to counts")]
            {
                coil.wind.turns =
                    (f64::from(coil.wind.turns) * (1.0 + more)).round().clamp(10.0, 50_000.0) as u32;
            }
        }
        let pickup = predict(&wound).ok()?.pickup;
        let turns: u32 = wound.coils.iter().map(|coil| coil.wind.turns).sum();
        Some([
            pickup.resistance_20c_ohm.nominal,
            pickup.inductance_h.nominal,
            pickup.peak_hz.map_or(f64::NAN, |q| q.nominal),
            f64::from(turns),
            10f64.powf(pickup.relative_output_db.nominal / 20.0),
        ])
    };
    let base = with(0.0)?;
    let ratios = |more: f64| {
        let wound = with(more)?;
        // Without a peak in either there is no ratio of peaks to ask for.
        Some(std::array::from_fn(|k| {
            if wound[k].is_finite() && base[k] > 0.0 { wound[k] / base[k] } else { 1.0 }
        }))
    };
    let mut more = share;
    if by == Strength::Output {
        // Output grows about as the turns do: a few corrections reach the share asked for.
        for _ in 0..4 {
            let found: [f64; 5] = ratios(more)?;
            more = ((1.0 + more) * (1.0 + share) / found[4] - 1.0).clamp(-0.9, 4.0);
        }
    }
    ratios(more)
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
        let (mut proposals, mut criteria) = (Vec::new(), Vec::new());
        if pools.len() >= 2 && !query.criteria.is_empty() {
            let candidates: Vec<Coil> = coils.iter().map(candidate).collect();
            let (strength, share) = query.stronger;
            let first = pools[0].first().map(|k| coils[*k].revision_id).filter(|_| share != 0.0);
            let document = match first {
                Some(revision) => self.store_of(actor).documents(&[revision]).await?.pop(),
                None => None,
            };
            let (asked, opposite) = (query.criteria.clone(), query.opposite);
            let (found, used) = blocking_long(move || {
                let ratios =
                    document.and_then(|(_, design)| stronger(&design, strength, share)).unwrap_or([1.0; 5]);
                let criterion = |(measure, tolerance): &(Measure, f64)| {
                    let at = Measure::ALL.iter().position(|m| m == measure).unwrap_or(0);
                    MatchCriterion { measure: *measure, ratio: ratios[at], tolerance: *tolerance }
                };
                let criteria: Vec<MatchCriterion> = asked.iter().map(criterion).collect();
                (propose(&candidates, &pools, &criteria, opposite), criteria)
            })
            .await?;
            (proposals, criteria) = (found, used);
        }
        Ok(MatchingPools { coils, proposals, criteria })
    }

    async fn stock(
        &self,
        actor: &Actor,
        design: DesignId,
        taken: &BTreeSet<RunId>,
    ) -> Result<Vec<LogbookRow>, Refusal> {
        let filter = LogFilter { design: Some(design), ..LogFilter::default() };
        let mut rows = self.store_of(actor).log_lines(&filter, LOOKED_AT).await?;
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
        let store = self.store_of(actor);
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
        match self.store_of(actor).make_set(actor.person, key, name, coils).await {
            Err(StoreError::Taken(_)) => Err(Refusal::CoilInAnotherSet),
            done => Ok(done?),
        }
    }

    /// Marks a set as sold, or as reserved again: sold by mistake, or come back.
    ///
    /// # Errors
    /// When there is no such set.
    pub async fn mark_set_sold(&self, actor: &Actor, set: SetId, is_sold: bool) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.store_of(actor).mark_set_sold(actor.person, set, is_sold).await?)
    }

    /// Dissolves a set: its coils are in stock again.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn dissolve_set(&self, actor: &Actor, set: SetId) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.store_of(actor).dissolve_set(actor.person, set).await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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

    /// Ten per cent more turns are eleven in resistance and twenty-one in inductance (common practice, no source), and the peak goes
    /// down by about as much as the root of that; asked for in output, the output is what was asked for.
    #[test]
    fn what_stronger_means_follows_from_the_physics() {
        let design = coil::design::tall_single("Sedge", 6, 10.4);
        let [r, l, peak, turns, _] = stronger(&design, Strength::Turns, 0.1).unwrap();
        assert!((turns - 1.1).abs() < 1e-9 && (r - 1.11).abs() < 0.015, "{r} {turns}");
        assert!((l - 1.2).abs() < 0.02 && (0.88..0.96).contains(&peak), "{l} {peak}");
        let [.., turns, output] = stronger(&design, Strength::Output, 0.1).unwrap();
        assert!((output - 1.1).abs() < 0.002 && (1.02..1.25).contains(&turns), "{output} {turns}");
        let same = stronger(&design, Strength::Output, 0.0).unwrap();
        assert!(same.iter().all(|ratio| (ratio - 1.0).abs() < 1e-3), "{same:?}");
    }
}
