//! Any number of designs, revisions and wound pickups side by side: figures, curves, what differs.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing::{section_over, top_over};
use crate::error::AppError;
use crate::format::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, MILLIVOLT, PICOFARAD, Scale};
use crate::layout::Frame;
use crate::pages::designs::{Difference, differences_in_words};
use crate::pages::logbook::unformulated;
use crate::plot::{Curve, curves, measured, plot};
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::design::Design;
use coil::prediction::{PickupPrediction, Prediction, Quantity};
use std::collections::BTreeMap;
use std::sync::Arc;
use store::RevisionId;
use store::design::{DesignFilter, DesignOrder, RevisionRow};
use store::run::RunFilter;
use store::sweep::SweepRow;
use trade::comparison::Comparison;
use trade::reading::Kind;

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/compare", web::get().to(show)).route("/compare.csv", web::get().to(export));
}

/// Most pickups side by side: what a plot still tells apart.
const MOST: usize = 24;

/// A column that can be chosen.
struct Column {
    key: &'static str,
    label: &'static str,
    scale: Scale,
    of: fn(&PickupPrediction) -> &Quantity,
    measured: Option<Kind>,
}

static COLUMNS: [Column; 9] = [
    Column {
        key: "resistance",
        label: "R at 20 °C",
        scale: KILOOHM,
        of: |p| &p.resistance_20c_ohm,
        measured: Some(Kind::Resistance),
    },
    Column {
        key: "inductance",
        label: "Inductance",
        scale: HENRY,
        of: |p| &p.inductance_h,
        measured: Some(Kind::Inductance),
    },
    Column {
        key: "capacitance",
        label: "Capacitance",
        scale: PICOFARAD,
        of: |p| &p.capacitance_f,
        measured: None,
    },
    Column {
        key: "resonance",
        label: "Resonance alone",
        scale: KILOHERTZ,
        of: |p| &p.resonance_unloaded_hz,
        measured: None,
    },
    Column { key: "peak", label: "Peak loaded", scale: KILOHERTZ, of: |p| &p.peak_hz, measured: None },
    Column { key: "height", label: "Its height", scale: DECIBEL, of: |p| &p.peak_db, measured: None },
    Column { key: "down", label: "Down 3 dB at", scale: KILOHERTZ, of: |p| &p.minus3db_hz, measured: None },
    Column { key: "output", label: "Output", scale: MILLIVOLT, of: |p| &p.output_mv, measured: None },
    Column {
        key: "relative",
        label: "To reference",
        scale: DECIBEL,
        of: |p| &p.relative_output_db,
        measured: None,
    },
];
/// What is shown until columns are chosen.
const USUAL: [&str; 6] = ["resistance", "inductance", "capacitance", "peak", "height", "output"];

/// What the address asks for.
struct Asked {
    of: Vec<u64>,
    columns: Vec<&'static Column>,
    search: String,
}

impl Asked {
    fn from(query: &[(String, String)]) -> Self {
        let all = |key: &'static str| query.iter().filter(move |(k, _)| k == key).map(|(_, v)| v.as_str());
        let mut of: Vec<u64> = Vec::new();
        for id in all("of").filter_map(|v| v.parse().ok()) {
            if !of.contains(&id) && of.len() < MOST {
                of.push(id);
            }
        }
        let chosen: Vec<&str> = all("col").collect();
        let chosen = if chosen.is_empty() { USUAL.to_vec() } else { chosen };
        Self {
            of,
            columns: COLUMNS.iter().filter(|c| chosen.contains(&c.key)).collect(),
            search: all("q").next().unwrap_or_default().to_owned(),
        }
    }
}

/// A pickup with what it is predicted to be and what was measured on the coils wound from it.
struct One {
    row: RevisionRow,
    design: Design,
    prediction: Option<Arc<Prediction>>,
    sweeps: Vec<SweepRow>,
    measured: Vec<(u32, u64, BTreeMap<Kind, f64>)>,
}

async fn gathered(app: &App, user: &CurrentUser, asked: &Asked) -> Result<Vec<One>, AppError> {
    let mut all = Vec::with_capacity(asked.of.len());
    for &id in &asked.of {
        let revision = app.store.of(user.workshop()).revision(RevisionId(id)).await?;
        let applied =
            app.calibrations.applied(&app.store, user.workshop(), Some(revision.row.design_id)).await?;
        let calibration = applied.calibration(&revision.design);
        let prediction = app.predictions.calibrated(&revision.design, calibration).await?.ok();
        let sweeps = app.store.of(user.workshop()).sweeps(Some(revision.row.id)).await?;
        let filter = RunFilter { design: Some(revision.row.design_id), ..RunFilter::default() };
        let runs = app.store.of(user.workshop()).runs(&filter).await?;
        let measured = runs
            .into_iter()
            .filter(|r| r.revision_id == revision.row.id)
            .filter_map(|r| {
                let comparisons: Vec<Comparison> = serde_json::from_str(r.comparisons.as_deref()?).ok()?;
                let values: BTreeMap<Kind, f64> =
                    comparisons.iter().filter(|c| c.pole.is_none()).map(|c| (c.kind, c.measured)).collect();
                Some((r.number, r.id.0, values))
            })
            .collect();
        all.push(One { row: revision.row, design: revision.design, prediction, sweeps, measured });
    }
    Ok(all)
}

/// A row of the table.
struct Line {
    name: String,
    link: String,
    tone: usize,
    measured: bool,
    /// Number and band by column.
    cells: Vec<(String, String)>,
}

fn lines(all: &[One], columns: &[&Column]) -> Vec<Line> {
    let mut lines = Vec::new();
    for (tone, one) in all.iter().enumerate() {
        let cell = |c: &&Column| match &one.prediction {
            Some(p) => {
                let q = (c.of)(&p.pickup);
                (c.scale.text(q.nominal), c.scale.band(q))
            }
            None => ("–".to_owned(), String::new()),
        };
        lines.push(Line {
            name: format!("{} r{}", one.row.name, one.row.number),
            link: format!("/revisions/{}", one.row.id),
            tone: tone % 6,
            measured: false,
            cells: columns.iter().map(cell).collect(),
        });
        for (number, id, values) in &one.measured {
            let cell = |c: &&Column| {
                let value = c.measured.and_then(|kind| values.get(&kind));
                (value.map_or_else(String::new, |v| c.scale.text(*v)), String::new())
            };
            lines.push(Line {
                name: format!("Run {number}"),
                link: format!("/runs/{id}"),
                tone: tone % 6,
                measured: true,
                cells: columns.iter().map(cell).collect(),
            });
        }
    }
    lines
}

/// Drawings of the first two over one another, when just two are compared.
fn over(all: &[One]) -> Vec<(&'static str, String)> {
    let [a, b] = all else { return Vec::new() };
    let builds = |one: &One| -> Vec<f64> {
        one.prediction.iter().flat_map(|p| p.coils.iter().map(|c| c.build_mm)).collect()
    };
    let (builds_a, builds_b) = (builds(a), builds(b));
    let (one, other) = ((&a.design, &builds_a[..]), (&b.design, &builds_b[..]));
    vec![("From above", top_over(one, other)), ("Section through a pole", section_over(one, other))]
}

#[derive(Template, WebTemplate)]
#[template(path = "compare/compare.html")]
struct ComparePage {
    frame: Frame,
    names: Vec<String>,
    heads: Vec<&'static str>,
    lines: Vec<Line>,
    plot: String,
    /// The first two over one another.
    over: Vec<(&'static str, String)>,
    differs: Vec<Difference>,
    columns: Vec<(&'static str, &'static str, bool)>,
    choices: Vec<(RevisionRow, bool)>,
    kept: Vec<u64>,
    csv: String,
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<ComparePage, AppError> {
    let asked = Asked::from(&query);
    let all = gathered(&app, &user, &asked).await?;
    let filter =
        DesignFilter { search: asked.search.clone(), order: DesignOrder::Name, ..DesignFilter::default() };
    let rows = app.store.of(user.workshop()).designs(&filter).await?;
    let mut drawn: Vec<Curve> = Vec::new();
    for (tone, one) in all.iter().enumerate() {
        if let Some(p) = &one.prediction {
            drawn.extend(curves(&format!("{} r{}", one.row.name, one.row.number), tone, &p.response));
        }
        for taken in &one.sweeps {
            drawn.push(measured(&taken.label, tone, &taken.sweep()?));
        }
    }
    let shown: Vec<u64> = rows.iter().map(|r| r.id.0).collect();
    let choices = rows.into_iter().map(|r| (asked.of.contains(&r.id.0), r)).map(|(on, r)| (r, on)).collect();
    let pairs = asked
        .of
        .iter()
        .map(|id| format!("of={id}"))
        .chain(asked.columns.iter().map(|c| format!("col={}", c.key)));
    Ok(ComparePage {
        frame: Frame::new(&user, "designs", "Compare"),
        names: all.iter().map(|o| format!("{} r{}", o.row.name, o.row.number)).collect(),
        heads: asked.columns.iter().map(|c| c.label).collect(),
        lines: lines(&all, &asked.columns),
        plot: if drawn.is_empty() {
            String::new()
        } else {
            plot(&drawn, "Responses of all pickups compared, in decibels over frequency")
        },
        over: over(&all),
        differs: all.split_first().map_or_else(Vec::new, |(first, rest)| {
            differences_in_words(&first.design, &rest.iter().map(|o| &o.design).collect::<Vec<_>>())
        }),
        columns: COLUMNS
            .iter()
            .map(|c| (c.key, c.label, asked.columns.iter().any(|a| a.key == c.key)))
            .collect(),
        choices,
        // Older revisions are in no list, and stay.
        kept: asked.of.iter().copied().filter(|id| !shown.contains(id)).collect(),
        csv: format!("/compare.csv?{}", pairs.collect::<Vec<_>>().join("&")),
    })
}

async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<HttpResponse, AppError> {
    let asked = Asked::from(&query);
    let all = gathered(&app, &user, &asked).await?;
    let mut writer = csv::Writer::from_writer(Vec::new());
    let failed = |e: csv::Error| AppError::Internal(e.to_string());
    let mut head = vec!["pickup".to_owned(), "what".to_owned()];
    for c in &asked.columns {
        head.extend([
            format!("{} ({})", c.label, c.scale.unit),
            format!("{} 5 %", c.label),
            format!("{} 95 %", c.label),
        ]);
    }
    writer.write_record(&head).map_err(failed)?;
    for one in &all {
        let name = unformulated(&format!("{} r{}", one.row.name, one.row.number));
        let mut cells = vec![name.clone(), "predicted".to_owned()];
        for c in &asked.columns {
            let q = one.prediction.as_ref().map(|p| (c.of)(&p.pickup));
            let number = |v: Option<f64>| v.map_or_else(String::new, |v| format!("{:.6}", c.scale.scaled(v)));
            cells.extend([number(q.map(|q| q.nominal)), number(q.map(|q| q.p05)), number(q.map(|q| q.p95))]);
        }
        writer.write_record(&cells).map_err(failed)?;
        for (number, _, values) in &one.measured {
            let mut cells = vec![name.clone(), format!("run {number}, measured")];
            for c in &asked.columns {
                let value = c.measured.and_then(|kind| values.get(&kind));
                cells.extend([
                    value.map_or_else(String::new, |v| format!("{:.6}", c.scale.scaled(*v))),
                    String::new(),
                    String::new(),
                ]);
            }
            writer.write_record(&cells).map_err(failed)?;
        }
    }
    let body = writer.into_inner().map_err(|e| AppError::Internal(e.to_string()))?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"compare.csv\""))
        .body(body))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_says_what_is_compared() {
        let pairs = |text: &[(&str, &str)]| -> Vec<(String, String)> {
            text.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
        };
        let asked =
            Asked::from(&pairs(&[("of", "3"), ("of", "x"), ("of", "3"), ("of", "1"), ("col", "peak")]));
        assert_eq!(asked.of, [3, 1]);
        assert_eq!(asked.columns.iter().map(|c| c.key).collect::<Vec<_>>(), ["peak"]);
        assert_eq!(Asked::from(&[]).columns.len(), USUAL.len());
        let many: Vec<(String, String)> = (0..99).map(|i| ("of".to_owned(), i.to_string())).collect();
        assert_eq!(Asked::from(&many).of.len(), MOST);
    }
}
