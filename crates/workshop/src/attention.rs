//! What needs attention, and why: the most pressing first.

use crate::actor::Actor;
use crate::inventory::is_low;
use crate::level_names::LevelNames;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::{BTreeMap, BTreeSet};
use store::DesignId;
use store::instrument::Instrument;
use store::logbook::{LogFilter, LogbookRow};
use store::part::Part;
use store::spool::Spool;
use time::OffsetDateTime;
use trade::calibration::{EffectStatus, EffectText, Factor, Quantity, describe_effects};
use trade::consistency::{Rule, breaches_within, stretches};
use trade::stock::SpoolWarning;
use trade::verdict::Level;

/// Runs looked at for designs that are not steady.
const RECENT: u32 = 400;
/// A broken rule is news as long as it reaches into the last so many coils.
const NEWS: usize = 4;
/// Days after which a coil that was wound and not measured is pointed out.
const DAYS_UNMEASURED: i64 = 3;
/// Most of those.
const MOST_UNMEASURED: usize = 4;

/// How pressing something is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Urgency {
    /// Before going on.
    Now,
    /// Soon.
    Soon,
    /// When there is time.
    Later,
}

/// The readings that a wound coil lacks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MissingReading {
    /// Resistance alone.
    Resistance,
    /// Inductance alone.
    Inductance,
    /// Both.
    Both,
}

/// Something that needs attention.
#[derive(Clone, Debug)]
pub enum AttentionItem {
    /// A spool is short, uneven or drifts.
    Spool(Box<Spool>, SpoolWarning),
    /// Fewer of a part are left than are wanted.
    PartLow(Part),
    /// An instrument's calibration was due, so many days ago.
    CalibrationOverdue(Instrument, i64),
    /// The last coils of a design break a rule.
    Unsteady {
        /// The design.
        design: DesignId,
        /// Its name.
        name: String,
        /// In what.
        quantity: Quantity,
        /// Which rule.
        rule: Rule,
        /// The last run that breaks it.
        run: u32,
    },
    /// A coil was wound so many days ago and lacks readings.
    Unmeasured {
        /// Its row in the logbook.
        run: Box<LogbookRow>,
        /// How long ago, days.
        days: i64,
        /// What it lacks.
        missing: MissingReading,
    },
    /// A spool, a hand or a winder makes a difference.
    Effect(EffectText),
    /// Two of those cannot be separated yet.
    Confounded(EffectText),
}

impl AttentionItem {
    /// How pressing it is.
    #[must_use]
    pub fn urgency(&self) -> Urgency {
        match self {
            Self::Spool(_, SpoolWarning::RunsOut { left_m, coil_m }) if left_m < coil_m => Urgency::Now,
            Self::Unmeasured { .. } | Self::Confounded(_) => Urgency::Later,
            _ => Urgency::Soon,
        }
    }
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
fn unsteady(rows: &[LogbookRow]) -> Vec<AttentionItem> {
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
                found.push(AttentionItem::Unsteady { design, name, quantity, rule: breach.rule, run });
            }
        }
    }
    found
}

/// Coils that were wound days ago and lack readings.
fn unmeasured(rows: Vec<LogbookRow>, now: OffsetDateTime) -> Vec<AttentionItem> {
    rows.into_iter()
        .filter_map(|row| {
            let days = (now - row.started_at.assume_utc()).whole_days();
            let missing = match (row.turns, row.resistance_ohm, row.inductance_h) {
                (None, ..) => return None,
                (_, None, None) => MissingReading::Both,
                (_, None, _) => MissingReading::Resistance,
                _ => MissingReading::Inductance,
            };
            let item = AttentionItem::Unmeasured { run: Box::new(row), days, missing };
            (days >= DAYS_UNMEASURED).then_some(item)
        })
        .take(MOST_UNMEASURED)
        .collect()
}

impl Workshop {
    /// Everything that needs attention, the most pressing first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn attention(&self, actor: &Actor) -> Result<Vec<AttentionItem>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.of(actor);
        let reads_analysis = actor.may(Action::ReadAnalysis);
        let waiting = LogFilter { level: Some(Level::Waiting), ..LogFilter::default() };
        let recent = LogFilter::default();
        let (recent, spools, parts, instruments, waiting, effects) = tokio::try_join!(
            async {
                if !reads_analysis {
                    return Ok(Vec::new());
                }
                Ok(store.log_lines(&recent, RECENT).await?)
            },
            self.spools(actor),
            async { Ok(store.parts().await?) },
            async { Ok(store.instruments().await?) },
            async { Ok(store.log_lines(&waiting, 60).await?) },
            async {
                if !reads_analysis {
                    return Ok(Vec::new());
                }
                self.clearest_effects(actor).await
            },
        )?;
        let mut all = unsteady(&recent);
        for (spool, warnings) in spools {
            all.extend(
                warnings.into_iter().map(|warning| AttentionItem::Spool(Box::new(spool.clone()), warning)),
            );
        }
        all.extend(parts.into_iter().filter(is_low).map(AttentionItem::PartLow));
        let now = OffsetDateTime::now_utc();
        for instrument in instruments {
            if let Some(due) = instrument.due.filter(|due| *due < now.date()) {
                let days = (now.date() - due).whole_days();
                all.push(AttentionItem::CalibrationOverdue(instrument, days));
            }
        }
        all.extend(unmeasured(waiting, now));
        all.extend(effects);
        all.sort_by_key(AttentionItem::urgency);
        Ok(all)
    }

    /// The clearest effects of spools, hands and machines, and what cannot be separated.
    async fn clearest_effects(&self, actor: &Actor) -> Result<Vec<AttentionItem>, Refusal> {
        let Some(version) = self.newest_calibration(actor).await? else { return Ok(Vec::new()) };
        let names = LevelNames::of(&self.of(actor)).await?;
        let effects = describe_effects(&version.model.effects, &|f: Factor, l: u64| names.name_of(f, l));
        let of_interest =
            |e: &&EffectText| matches!(e.factor, Factor::Spool | Factor::Operator | Factor::Winder);
        let clear = effects.iter().filter(of_interest).filter(|e| e.status == EffectStatus::Clear).take(2);
        // A pair that is not separated is shown once.
        let confounded = effects
            .iter()
            .filter(of_interest)
            .filter(|e| matches!(e.status, EffectStatus::Confounded(_)))
            .take(1);
        Ok(clear
            .cloned()
            .map(AttentionItem::Effect)
            .chain(confounded.cloned().map(AttentionItem::Confounded))
            .collect())
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
            format: Stored(coil::design::Kind::TallSingle),
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
        assert!(matches!(found[..], [AttentionItem::Unsteady { quantity: Quantity::Resistance, .. }]));
    }
}
