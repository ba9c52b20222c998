//! Causes: where the differences between predicted and measured come from.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::route_table::routes;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use presentation::drawing::chart::{histogram, interval, shares};
use presentation::format::{counted, signed_percent_of_ln};
use trade::calibration::{EffectStatus, EffectText, Factor, Quantity, QuantityModel};

routes! {
    GET "/causes" [ReadAnalysis] => show;
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
    clear: Vec<CauseRow>,
    others: Vec<CauseRow>,
    makeups: Vec<Makeup>,
    histograms: Vec<(&'static str, String, String)>,
    outliers: Vec<(u32, u64, String)>,
}

fn row(effect: &EffectText, shown: &[Quantity]) -> CauseRow {
    /// Effects are drawn up to this.
    const REACH: f64 = 0.06;
    let (class, word) = match effect.status {
        EffectStatus::Clear => ("look", "differs"),
        EffectStatus::Confounded(_) => ("waiting", "cannot be separated yet"),
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
                text: format!("{} ± {:.1}", percent(e.value), 164.5 * e.sd),
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
        runs: counted(effect.runs, "run"),
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
    query: QueryParameters,
) -> Result<CausesPage, AppError> {
    let chosen = Factor::ALL.into_iter().find(|f| f.name() == query.get("by"));
    let all = (chosen.is_none(), "all".to_owned(), "/causes".to_owned());
    let by_factor = Factor::ALL
        .iter()
        .map(|f| (Some(*f) == chosen, f.name().to_owned(), format!("/causes?by={}", f.name())));
    let mut page = CausesPage {
        frame: Frame::new(&user, "logbook", "Causes"),
        tab: "causes",
        version: String::new(),
        runs: 0,
        factors: std::iter::once(all).chain(by_factor).collect(),
        quantities: Vec::new(),
        clear: Vec::new(),
        others: Vec::new(),
        makeups: Vec::new(),
        histograms: Vec::new(),
        outliers: Vec::new(),
    };
    let Some(found) = app.workshop.effects(&user.actor).await? else { return Ok(page) };
    let model = &found.version.model;
    let quantities: Vec<Quantity> = model.quantities.iter().map(|q| q.quantity).collect();
    page.version = found.version.row.number.to_string();
    page.runs = found.version.row.runs;
    page.quantities = quantities.iter().map(|q| q.name()).collect();
    let mut pairs: Vec<[(Factor, u64); 2]> = Vec::new();
    for effect in found.effects.iter().filter(|s| chosen.is_none_or(|f| f == s.factor)) {
        // A pair that is not separated is shown once.
        if let EffectStatus::Confounded(confounding) = &effect.status {
            let own = (effect.factor, effect.level);
            if pairs.contains(&[confounding.with, own]) {
                continue;
            }
            pairs.push([own, confounding.with]);
        }
        let list = match effect.status {
            EffectStatus::Clear | EffectStatus::Confounded(_) => &mut page.clear,
            _ => &mut page.others,
        };
        list.push(row(effect, &quantities));
    }
    page.others.truncate(200);
    page.makeups = model.quantities.iter().map(makeup).collect();
    for (quantity, step, reach) in [(Quantity::Resistance, 0.005, 0.06), (Quantity::Inductance, 0.005, 0.06)]
    {
        let Some(fitted) = model.quantity(quantity) else { continue };
        let before: Vec<f64> =
            found.observations.iter().filter_map(|l| l.ratios[quantity as usize]).collect();
        let after: Vec<f64> = found.observations.iter().filter_map(|l| fitted.residual(l)).collect();
        page.histograms.push((
            quantity.name(),
            histogram(&before, step, reach, &percent),
            histogram(&after, step, reach, &percent),
        ));
    }
    page.outliers = found.outliers.iter().map(|(number, id, of)| (*number, id.0, of.join(" and "))).collect();
    Ok(page)
}

fn percent(ln: f64) -> String {
    signed_percent_of_ln(ln, 1)
}
