//! Causes: where the differences between predicted and measured come from.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing::chart::{histogram, interval, shares};
use crate::error::AppError;
use crate::format;
use crate::layout::Frame;
use crate::query::Asked;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use std::collections::BTreeMap;
use std::sync::Arc;
use store::CalibrationId;
use store::logbook::FORMATS;
use trade::calibration::{
    CalibrationModel, EffectStatus, EffectText, Factor, Quantity, QuantityModel, describe_effects,
};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/causes", web::get().to(show));
}

/// Names of levels.
pub struct Named(BTreeMap<(Factor, u64), String>);

impl Named {
    /// Of a workshop.
    pub async fn of(app: &App, user: &CurrentUser) -> Result<Self, AppError> {
        let workshop = user.workshop();
        let mut all = BTreeMap::new();
        for (id, label) in app.store.of(workshop).spool_labels().await? {
            all.insert((Factor::Spool, id.0), label);
        }
        for person in app.store.of(workshop).people().await? {
            all.insert((Factor::Operator, person.id.0), person.name);
        }
        for instrument in app.store.of(workshop).instruments().await? {
            all.insert((Factor::Winder, instrument.id.0), instrument.name);
        }
        for (id, name, _) in app.store.of(workshop).logged_designs().await? {
            all.insert((Factor::Design, id.0), name);
        }
        for (level, word) in [(0, "straight"), (1, "scattered")] {
            all.insert((Factor::Pattern, level), word.to_owned());
        }
        for (level, format) in (0_u64..).zip(FORMATS) {
            all.insert((Factor::Format, level), format.replace('-', " "));
        }
        Ok(Self(all))
    }

    /// The name of a level.
    pub fn of_level(&self, factor: Factor, level: u64) -> String {
        self.0.get(&(factor, level)).cloned().unwrap_or_else(|| format!("{} {level}", factor.name()))
    }
}

/// An effect in the table.
struct EffectCell {
    drawing: String,
    text: String,
    clear: bool,
}

struct CauseRow {
    text: String,
    class: &'static str,
    word: &'static str,
    cells: Vec<Option<EffectCell>>,
    runs: String,
    link: String,
}

/// How a quantity's spread is made up.
struct Makeup {
    name: &'static str,
    drawing: String,
    words: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "causes/causes.html")]
struct CausesPage {
    frame: Frame,
    tab: &'static str,
    version: String,
    runs: u32,
    factors: Vec<(bool, String, String)>,
    quantities: Vec<&'static str>,
    told: Vec<CauseRow>,
    quiet: Vec<CauseRow>,
    makeups: Vec<Makeup>,
    histograms: Vec<(&'static str, String, String)>,
    outliers: Vec<(u32, u64, String)>,
}

/// The newest lesson of a workshop with its number and runs.
pub async fn newest(
    app: &App,
    user: &CurrentUser,
) -> Result<Option<(CalibrationId, u32, u32, Arc<CalibrationModel>)>, AppError> {
    match app.store.of(user.workshop()).newest_calibration().await? {
        None => Ok(None),
        Some(row) => {
            let model = app.calibrations.version(&app.store, user.workshop(), row.id).await?;
            Ok(Some((row.id, row.number, row.runs, model)))
        }
    }
}

fn per_cent(ln: f64) -> String {
    format!("{:+.1} %", ln.exp_m1() * 100.0).replace('-', "−")
}

fn row(effect: &EffectText, shown: &[Quantity]) -> CauseRow {
    /// Effects are drawn up to this.
    const REACH: f64 = 0.06;
    let (class, word) = match effect.status {
        EffectStatus::Clear => ("look", "differs"),
        EffectStatus::Confounded(_) => ("waiting", "cannot tell apart yet"),
        EffectStatus::NoDifference => ("pass", "no difference"),
        EffectStatus::SingleLevel => ("waiting", "only one"),
        EffectStatus::TooFew => ("waiting", "too few runs"),
    };
    let cells = shown
        .iter()
        .map(|quantity| {
            let (_, e, _) = effect.effects.iter().find(|(q, _, _)| q == quantity)?;
            let (from, to) = (e.value - 1.645 * e.sd, e.value + 1.645 * e.sd);
            // Capacitance and build spread ten times as far.
            let reach = if matches!(quantity, Quantity::Capacitance | Quantity::Build) { 0.4 } else { REACH };
            Some(EffectCell {
                drawing: interval(e.value, from, to, reach),
                text: format!("{} ± {:.1}", per_cent(e.value), 164.5 * e.sd),
                clear: from > 0.0 || to < 0.0,
            })
        })
        .collect();
    let filter = match effect.factor {
        Factor::Spool => "spool",
        Factor::Operator => "operator",
        Factor::Winder => "winder",
        Factor::Design => "design",
        Factor::Pattern | Factor::Format => "",
    };
    CauseRow {
        text: effect.text.clone(),
        class,
        word,
        cells,
        runs: format!("{} run{}", effect.runs, if effect.runs == 1 { "" } else { "s" }),
        link: if filter.is_empty() { String::new() } else { format!("/logbook?{filter}={}", effect.level) },
    }
}

/// What the spread of one coil against the next is made up of.
fn makeup(fitted: &QuantityModel) -> Makeup {
    let mut parts: Vec<(String, f64)> = Factor::ALL
        .iter()
        .filter(|f| fitted.levels(**f).count() > 1)
        .map(|f| (f.name().to_owned(), fitted.factor_sd(*f).powi(2)))
        .collect();
    parts.push(("coil to coil".into(), fitted.noise_sd().powi(2)));
    parts.sort_by(|a, b| b.1.total_cmp(&a.1));
    let whole: f64 = parts.iter().map(|(_, v)| v).sum();
    let first = parts.first().map_or_else(String::new, |(word, _)| word.clone());
    Makeup {
        name: fitted.quantity.name(),
        drawing: shares(&parts),
        words: format!(
            "Coils spread by {:.1} % in all, and by {:.1} % when everything is alike. Most comes from: {first}.",
            whole.sqrt() * 100.0,
            fitted.noise_sd() * 100.0
        ),
    }
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<CausesPage, AppError> {
    let asked = Asked(query.into_inner());
    let chosen = Factor::ALL.into_iter().find(|f| f.name() == asked.get("by"));
    let mut page = CausesPage {
        frame: Frame::new(&user, "logbook", "Causes"),
        tab: "causes",
        version: String::new(),
        runs: 0,
        factors: std::iter::once((chosen.is_none(), "all".to_owned(), "/causes".to_owned()))
            .chain(
                Factor::ALL
                    .iter()
                    .map(|f| (Some(*f) == chosen, f.name().to_owned(), format!("/causes?by={}", f.name()))),
            )
            .collect(),
        quantities: Vec::new(),
        told: Vec::new(),
        quiet: Vec::new(),
        makeups: Vec::new(),
        histograms: Vec::new(),
        outliers: Vec::new(),
    };
    let Some((_, number, runs, model)) = newest(&app, &user).await? else { return Ok(page) };
    let names = Named::of(&app, &user).await?;
    let learned = Arc::clone(&model);
    let effects =
        web::block(move || describe_effects(&learned, &|f: Factor, l: u64| names.of_level(f, l))).await?;
    let shown: Vec<Quantity> = model.quantities.iter().map(|l| l.quantity).collect();
    page.version = number.to_string();
    page.runs = runs;
    page.quantities = shown.iter().map(|q| q.name()).collect();
    let mut pairs: Vec<[(Factor, u64); 2]> = Vec::new();
    for effect in effects.iter().filter(|s| chosen.is_none_or(|f| f == s.factor)) {
        // A pair that is not told apart is said once.
        if let EffectStatus::Confounded(confounding) = &effect.status {
            let own = (effect.factor, effect.level);
            if pairs.contains(&[confounding.with, own]) {
                continue;
            }
            pairs.push([own, confounding.with]);
        }
        let list = match effect.status {
            EffectStatus::Clear | EffectStatus::Confounded(_) => &mut page.told,
            _ => &mut page.quiet,
        };
        list.push(row(effect, &shown));
    }
    page.quiet.truncate(200);
    page.makeups = model.quantities.iter().map(makeup).collect();
    let observations = app.store.of(user.workshop()).recent_observations(5000).await?;
    for (quantity, step, reach) in [(Quantity::Resistance, 0.005, 0.06), (Quantity::Inductance, 0.005, 0.06)]
    {
        let Some(fitted) = model.of(quantity) else { continue };
        let before: Vec<f64> = observations.iter().filter_map(|l| l.ratios[quantity as usize]).collect();
        let after: Vec<f64> = observations.iter().filter_map(|l| fitted.residual(l)).collect();
        page.histograms.push((
            quantity.name(),
            histogram(&before, step, reach, &per_cent),
            histogram(&after, step, reach, &per_cent),
        ));
    }
    let mut left: BTreeMap<u32, Vec<&str>> = BTreeMap::new();
    for fitted in &model.quantities {
        for run in &fitted.outliers {
            left.entry(*run).or_default().push(fitted.quantity.name());
        }
    }
    for (number, of) in left.into_iter().rev().take(12) {
        if let Some(id) = app.store.of(user.workshop()).run_numbered(number).await? {
            page.outliers.push((number, id.0, of.join(" and ")));
        }
    }
    Ok(page)
}

/// Runs behind a version, as they are read.
pub fn runs_words(runs: impl std::borrow::Borrow<u32>) -> String {
    let runs = *runs.borrow();
    format!("{} run{}", format::turns(runs), if runs == 1 { "" } else { "s" })
}
