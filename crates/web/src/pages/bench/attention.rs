//! What needs attention, in words.

use coil::capital;
use presentation::format::{self, counted};
use trade::stock::SpoolWarning;
use workshop::{AttentionItem, MissingReading, Urgency};

/// Something that needs attention, as the bench shows it.
pub(super) struct AttentionRow {
    /// `stop`, `look` or `waiting`: how pressing it is.
    pub class: &'static str,
    /// What.
    pub what: String,
    /// Why.
    pub why: String,
    /// Where to do something about it.
    pub link: String,
}

/// Puts an item in words.
pub(super) fn row(item: &AttentionItem) -> AttentionRow {
    let class = match item.urgency() {
        Urgency::Now => "stop",
        Urgency::Soon => "look",
        Urgency::Later => "waiting",
    };
    let (what, why, link) = match item {
        AttentionItem::Spool(spool, warning) => (
            format!("Spool {}", spool.label),
            capital(&SpoolWarning::text(warning)),
            format!("/spools/{}", spool.id),
        ),
        AttentionItem::PartLow(part) => {
            let below =
                part.order_below.map_or_else(String::new, |n| format!(", and more are ordered below {n}"));
            (capital(&part.name), format!("{} are left{below}", part.stock), "/parts".to_owned())
        }
        AttentionItem::CalibrationOverdue(instrument, days) => (
            instrument.name.clone(),
            format!("Its calibration was due {} ago", counted(days.unsigned_abs(), "day")),
            "/instruments".to_owned(),
        ),
        AttentionItem::Unsteady { design, name, quantity, rule, run } => (
            format!("{name}: {} is not in control", quantity.name()),
            format!("Up to run {run}, {}; {}", rule.what(), rule.why()),
            format!("/consistency?design={design}&of={}&against=predicted", quantity.name()),
        ),
        AttentionItem::Unmeasured { run, days, missing } => (
            format!("Run {}, {}", run.number, run.name),
            format!(
                "Wound {} ago; {} not measured yet",
                counted(days.unsigned_abs(), "day"),
                match missing {
                    MissingReading::Both => "resistance and inductance are",
                    MissingReading::Resistance => "resistance is",
                    MissingReading::Inductance => "inductance is",
                }
            ),
            format!("/runs/{}", run.run_id),
        ),
        AttentionItem::Guessing(of) => (
            format!("The {} of {} was guessed at", of.what, of.person),
            format!(
                "{} wrong tries, last on {}. Ask them; change the {} if it was not them",
                of.tries,
                format::moment(of.at),
                of.what
            ),
            "/audit?action=guessing".to_owned(),
        ),
        AttentionItem::Effect(effect) => {
            ("From your runs".to_owned(), effect.text.clone(), "/causes".to_owned())
        }
        AttentionItem::Confounded(effect) => {
            ("Cannot be separated yet".to_owned(), effect.text.clone(), "/causes".to_owned())
        }
    };
    AttentionRow { class, what, why, link }
}
