//! What needs attention, and why: the most pressing first.

use crate::actor::Actor;
use crate::inventory::is_low;
use crate::level_names::LevelNames;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::unsteady_designs::UnsteadyDesign;
use store::DesignId;
use store::instrument::Instrument;
use store::logbook::{LogFilter, LogbookRow};
use store::part::Part;
use store::person::Guessing;
use store::spool::Spool;
use time::OffsetDateTime;
use trade::calibration::{EffectStatus, EffectText, Factor, Quantity, describe_effects};
use trade::consistency::Rule;
use trade::stock::SpoolWarning;
use trade::verdict::Level;

/// Days for which the bench lists that somebody guessed at a secret.
const DAYS_GUESSING: u32 = 7;
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
    /// Somebody's PIN or second factor was guessed at.
    Guessing(Guessing),
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
            Self::Guessing(_) => Urgency::Now,
            Self::Unmeasured { .. } | Self::Confounded(_) => Urgency::Later,
            _ => Urgency::Soon,
        }
    }
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

impl From<UnsteadyDesign> for AttentionItem {
    fn from(found: UnsteadyDesign) -> Self {
        let UnsteadyDesign { design, name, quantity, rule, run } = found;
        Self::Unsteady { design, name, quantity, rule, run }
    }
}

impl Workshop {
    /// Everything that needs attention, the most pressing first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn attention(&self, actor: &Actor) -> Result<Vec<AttentionItem>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let reads_analysis = actor.may(Action::ReadAnalysis);
        let waiting = LogFilter { level: Some(Level::Waiting), ..LogFilter::default() };
        let (unsteady, spools, parts, instruments, waiting, effects, guessing) = tokio::try_join!(
            async {
                if !reads_analysis {
                    return Ok(Vec::new());
                }
                self.unsteady.load(&store, actor.workshop).await
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
            async {
                if !actor.may(Action::ReadAudit) {
                    return Ok(Vec::new());
                }
                Ok(store.guessing(DAYS_GUESSING).await?)
            },
        )?;
        let mut all: Vec<AttentionItem> = unsteady.into_iter().map(AttentionItem::from).collect();
        for (spool, warnings) in spools {
            all.extend(
                warnings.into_iter().map(|warning| AttentionItem::Spool(Box::new(spool.clone()), warning)),
            );
        }
        all.extend(guessing.into_iter().map(AttentionItem::Guessing));
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
        let names = LevelNames::load(&self.store_of(actor)).await?;
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
