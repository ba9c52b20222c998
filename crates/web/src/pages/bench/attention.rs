//! What needs attention today, and why: the most pressing first.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::pages::causes::{Named, newest};
use crate::pages::inventory::{parts::is_low, seen_to};
use std::collections::BTreeMap;
use store::logbook::{LogFilter, LogbookRow};
use time::OffsetDateTime;
use trade::calibration::{EffectStatus, Factor, describe_effects};
use trade::consistency::{Rule, breaches, individuals};

/// Something to see to.
pub struct Item {
    /// `stop`, `look` or `waiting`: how pressing it is.
    pub class: &'static str,
    /// What.
    pub what: String,
    /// Why.
    pub why: String,
    /// Where to do something about it.
    pub link: String,
}

fn item(
    class: &'static str,
    what: impl Into<String>,
    why: impl Into<String>,
    link: impl Into<String>,
) -> Item {
    Item { class, what: what.into(), why: why.into(), link: link.into() }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// Gathers everything.
pub async fn attention(app: &App, user: &CurrentUser) -> Result<Vec<Item>, AppError> {
    let mut all = unsteady(app, user).await?;
    for (spool, warnings) in seen_to(app, user).await? {
        for words in warnings {
            let class = if words.contains("run out in the next") { "stop" } else { "look" };
            all.push(item(
                class,
                format!("Spool {}", spool.label),
                capital(&words),
                format!("/spools/{}", spool.id),
            ));
        }
    }
    for part in app.store.of(user.workshop()).parts().await?.iter().filter(|p| is_low(p)) {
        let below =
            part.order_below.map_or_else(String::new, |n| format!(", and more are ordered below {n}"));
        all.push(item("look", capital(&part.name), format!("{} are left{below}", part.stock), "/parts"));
    }
    let today = OffsetDateTime::now_utc().date();
    for instrument in app.store.of(user.workshop()).instruments().await? {
        if let Some(due) = instrument.due.filter(|due| *due < today) {
            let days = (today - due).whole_days();
            let why = format!("Its calibration was due {days} day{} ago", if days == 1 { "" } else { "s" });
            all.push(item("look", instrument.name, why, "/instruments"));
        }
    }
    all.extend(waiting(app, user).await?);
    all.extend(causes(app, user).await?);
    let rank = |i: &Item| match i.class {
        "stop" => 0,
        "look" => 1,
        _ => 2,
    };
    all.sort_by_key(rank);
    Ok(all)
}

/// Designs whose last coils break a rule: in resistance or inductance against the prediction.
async fn unsteady(app: &App, user: &CurrentUser) -> Result<Vec<Item>, AppError> {
    /// Runs looked at.
    const RECENT: u32 = 400;
    /// A breach is news as long as it reaches into the last so many coils.
    const NEWS: usize = 4;
    let lines = app.store.of(user.workshop()).log_lines(&LogFilter::default(), RECENT).await?;
    let mut designs: BTreeMap<u64, Vec<&LogbookRow>> = BTreeMap::new();
    for line in lines.iter().rev().filter(|l| l.level != "stop") {
        designs.entry(line.design_id.0).or_default().push(line);
    }
    let mut found = Vec::new();
    for (design, lines) in designs {
        for (key, name, pick) in [
            ("r", "resistance", (|l: &LogbookRow| l.resistance_ratio) as fn(&LogbookRow) -> Option<f64>),
            ("l", "inductance", |l: &LogbookRow| l.inductance_ratio),
        ] {
            let told: Vec<(&LogbookRow, f64)> = lines.iter().filter_map(|l| Some((*l, pick(l)?))).collect();
            let values: Vec<f64> = told.iter().map(|(_, v)| *v).collect();
            let Some((limits, _)) = individuals(&values) else { continue };
            let news = values.len().saturating_sub(NEWS);
            // Rules that hold for many a good series are for the chart; the bench says what is worth stopping for.
            let pressing =
                |rule: Rule| matches!(rule, Rule::FarOut | Rule::OneSide | Rule::Steady | Rule::NearLimit);
            let found_here = breaches(&values, &limits).into_iter().rev();
            if let Some(breach) = found_here.into_iter().find(|b| b.to >= news && pressing(b.rule)) {
                found.push(item(
                    "look",
                    format!("{}: {name} is not steady", told[0].0.name),
                    format!(
                        "Up to run {}, {}; {}",
                        told[breach.to].0.number,
                        breach.rule.what(),
                        breach.rule.why()
                    ),
                    format!("/consistency?design={design}&of={key}&against=predicted"),
                ));
            }
        }
    }
    Ok(found)
}

/// Coils that were wound days ago and not measured.
async fn waiting(app: &App, user: &CurrentUser) -> Result<Vec<Item>, AppError> {
    let filter = LogFilter { level: Some("waiting".into()), ..LogFilter::default() };
    let lines = app.store.of(user.workshop()).log_lines(&filter, 60).await?;
    let now = OffsetDateTime::now_utc();
    Ok(lines
        .iter()
        .filter_map(|line| {
            let days = (now - line.started_at.assume_utc()).whole_days();
            let missing = match (line.turns, line.resistance_ohm, line.inductance_h) {
                (None, ..) => return None,
                (_, None, None) => "resistance and inductance",
                (_, None, _) => "resistance",
                _ => "inductance",
            };
            (days >= 3).then(|| {
                item(
                    "waiting",
                    format!("Run {}, {}", line.number, line.name),
                    format!("Wound {days} days ago; its {missing} is still to be read"),
                    format!("/runs/{}", line.run_id),
                )
            })
        })
        .take(4)
        .collect())
}

/// The clearest of what was learned of spools, hands and machines, and what cannot be told apart.
async fn causes(app: &App, user: &CurrentUser) -> Result<Vec<Item>, AppError> {
    let Some((_, _, _, model)) = newest(app, user).await? else { return Ok(Vec::new()) };
    let names = Named::of(app, user).await?;
    let effects = describe_effects(&model, &|f: Factor, l: u64| names.of_level(f, l));
    let mut found = Vec::new();
    for (status, class, what) in
        [(true, "look", "Learned from your runs"), (false, "waiting", "Cannot be told apart yet")]
    {
        let of = effects.iter().filter(|s| {
            matches!(s.factor, Factor::Spool | Factor::Operator | Factor::Winder)
                && if status {
                    s.status == EffectStatus::Clear
                } else {
                    matches!(s.status, EffectStatus::Confounded(_))
                }
        });
        // A pair that is not told apart is said once.
        found.extend(
            of.take(if status { 2 } else { 1 }).map(|s| item(class, what, s.text.clone(), "/causes")),
        );
    }
    Ok(found)
}
