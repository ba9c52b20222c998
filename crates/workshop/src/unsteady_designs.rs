//! Designs whose last coils break a rule of control charts.

use crate::refusal::Refusal;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use store::logbook::{LogFilter, LogbookRow};
use store::{DesignId, WorkshopId, WorkshopStore};
use trade::calibration::Quantity;
use trade::consistency::{Rule, breaches_within, stretches};

/// Runs looked at for designs that are not steady.
const RECENT: u32 = 400;
/// A broken rule is news as long as it reaches into the last so many coils.
const NEWS: usize = 4;
/// A design whose last coils break a rule.
#[derive(Clone, Debug)]
pub(crate) struct UnsteadyDesign {
    /// The design.
    pub(crate) design: DesignId,
    /// Its name.
    pub(crate) name: String,
    /// In what.
    pub(crate) quantity: Quantity,
    /// Which rule.
    pub(crate) rule: Rule,
    /// The last run that breaks it.
    pub(crate) run: u32,
}

/// Rules that hold for many a good series are for the chart; these are worth stopping for.
const fn is_pressing(rule: Rule) -> bool {
    matches!(rule, Rule::FarOut | Rule::OneSide | Rule::Steady | Rule::NearLimit)
}

/// Where something is known to have changed in runs, the oldest first: the place of the first run after it, and what is new: a spool,
/// a person, a winder, a revision. What is seen for the first time is a change; going to and fro between known ones is none.
#[must_use]
pub fn known_changes(rows: &[&LogbookRow]) -> Vec<(usize, Vec<String>)> {
    let of = |row: &LogbookRow| {
        [
            row.spool.as_ref().map(|spool| format!("spool {spool}")),
            Some(row.operator.clone()),
            row.winder.clone(),
            Some(format!("r{}", row.revision)),
        ]
    };
    let mut seen: Vec<BTreeSet<String>> = vec![BTreeSet::new(); 4];
    let mut found = Vec::new();
    for (at, row) in rows.iter().enumerate() {
        let now = of(row).into_iter().zip(&mut seen);
        let new: Vec<String> =
            now.filter_map(|(what, seen)| what.filter(|what| seen.insert(what.clone()))).collect();
        if at > 0 && !new.is_empty() {
            found.push((at, new));
        }
    }
    found
}

/// Designs whose last coils break a rule, in resistance or inductance against the prediction.
fn unsteady(rows: &[LogbookRow]) -> Vec<UnsteadyDesign> {
    let mut designs: BTreeMap<u64, Vec<&LogbookRow>> = BTreeMap::new();
    for row in rows.iter().rev().filter(|row| row.level.0.counts()) {
        designs.entry(row.design_id.0).or_default().push(row);
    }
    let mut found = Vec::new();
    for rows in designs.into_values() {
        for (quantity, pick) in [
            (
                Quantity::Resistance,
                (|row: &LogbookRow| row.resistance_ratio) as fn(&LogbookRow) -> Option<f64>,
            ),
            (Quantity::Inductance, |row: &LogbookRow| row.inductance_ratio),
        ] {
            let measured: Vec<(&LogbookRow, f64)> =
                rows.iter().filter_map(|row| Some((*row, pick(row)?))).collect();
            let values: Vec<f64> = measured.iter().map(|(_, v)| *v).collect();
            let rows: Vec<&LogbookRow> = measured.iter().map(|(row, _)| *row).collect();
            let changes: Vec<usize> = known_changes(&rows).into_iter().map(|(at, _)| at).collect();
            let by_level = stretches(&values, &changes);
            let news = values.len().saturating_sub(NEWS);
            let newest_first = breaches_within(&values, &by_level).into_iter().rev();
            if let Some(breach) = newest_first.into_iter().find(|b| b.to >= news && is_pressing(b.rule)) {
                let (design, name) = (measured[0].0.design_id, measured[0].0.name.clone());
                let run = measured[breach.to].0.number;
                found.push(UnsteadyDesign { design, name, quantity, rule: breach.rule, run });
            }
        }
    }
    found
}

/// What was found of each workshop's last coils, with the stamp of the logbook that it was found in: the bench is looked at far more often
/// than a coil is judged.
#[derive(Clone, Debug, Default)]
pub(crate) struct UnsteadyDesigns(Arc<Mutex<HashMap<u64, FoundAt>>>);

/// Designs whose last coils break a rule, and the logbook's stamp at that time.
type FoundAt = ((u64, i64), Vec<UnsteadyDesign>);

impl UnsteadyDesigns {
    /// Those of a workshop as its logbook is now.
    pub(crate) async fn load(
        &self,
        store: &WorkshopStore,
        workshop: WorkshopId,
    ) -> Result<Vec<UnsteadyDesign>, Refusal> {
        let stamp = store.log_stamp().await?;
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&workshop.0).cloned();
        if let Some((at, found)) = known
            && at == stamp
        {
            return Ok(found);
        }
        let found = unsteady(&store.log_lines(&LogFilter::default(), RECENT).await?);
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(workshop.0, (stamp, found.clone()));
        Ok(found)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use store::{DesignId, PersonId, RevisionId, RunId, Stored};
    use time::macros::datetime;
    use trade::verdict::Level;

    fn row(number: u32, spool: &str, operator: &str, revision: u32, off: f64) -> LogbookRow {
        LogbookRow {
            run_id: RunId(u64::from(number)),
            number,
            revision_id: RevisionId(1),
            revision,
            design_id: DesignId(1),
            name: "Sedge".into(),
            format: Stored(coil::design::Format::TallSingle),
            gauge: "42 AWG".into(),
            straight: false,
            clockwise: true,
            north: true,
            spool_id: None,
            spool: (!spool.is_empty()).then(|| spool.to_owned()),
            operator_id: PersonId(1),
            operator: operator.into(),
            winder_id: None,
            winder: None,
            started_at: datetime!(2026-03-01 10:00),
            level: Stored(Level::Pass),
            verdict: String::new(),
            planned_turns: 7500,
            turns: Some(7500.0),
            coil_c: None,
            resistance_ohm: Some(5_700.0),
            resistance_off: None,
            resistance_bands: None,
            inductance_h: None,
            inductance_off: None,
            inductance_bands: None,
            capacitance_f: None,
            flux_ratio: None,
            peak_hz: None,
            output_db: None,
            wire_m: None,
            resistance_ratio: Some(off),
            inductance_ratio: None,
            capacitance_ratio: None,
            build_ratio: None,
            remark: String::new(),
            client_key: String::new(),
            calibrated: true,
            control_sd: 3.0,
            wire_ohm_per_m: None,
            spool_ohm_per_m: None,
            spool_at_c: None,
        }
    }

    /// What is seen for the first time is a change, named by what is new; going back to what is known is none, and neither is the
    /// first run.
    #[test]
    fn changes_are_what_was_never_there_before() {
        let rows = [
            row(1, "K-7", "Ode", 1, 0.0),
            row(2, "K-8", "Ode", 1, 0.0),
            row(3, "K-7", "Ivo", 2, 0.0),
            row(4, "K-8", "Ode", 1, 0.0),
            row(5, "", "Ode", 2, 0.0),
        ];
        let found = known_changes(&rows.iter().collect::<Vec<_>>());
        let expected = [(1, vec!["spool K-8".to_owned()]), (2, vec!["Ivo".to_owned(), "r2".to_owned()])];
        assert_eq!(found, expected);
        assert!(known_changes(&[]).is_empty());
    }

    /// A new spool that reads higher is no series out of control; the same step without anything new is.
    #[test]
    fn a_known_change_needs_no_attention_and_an_unknown_one_does() {
        let wobble = |k: u32| 0.002 * (f64::from(k * 7 % 11) / 5.0 - 1.0);
        let rows = |spool: &str| -> Vec<LogbookRow> {
            let step = |k: u32| if k < 12 { 0.0 } else { 0.03 };
            let of = |k: u32| row(k + 1, if k < 12 { "K-7" } else { spool }, "Ode", 1, step(k) + wobble(k));
            // The newest first, as lists have them.
            (0..24).rev().map(of).collect()
        };
        assert!(unsteady(&rows("K-8")).is_empty());
        let found = unsteady(&rows("K-7"));
        assert!(matches!(found[..], [UnsteadyDesign { quantity: Quantity::Resistance, .. }]));
    }
}
