//! The logbook: every run, and its export.

use crate::app::App;
use crate::fault::Fault;
use crate::layout::Frame;
use crate::present;
use crate::visitor::Visitor;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use serde::Deserialize;
use shop::comparison::Comparison;
use shop::reading::Kind;
use shop::verdict::Level;
use store::run::{RunFilter, RunOrder, RunRow};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/logbook", web::get().to(show)).route("/logbook.csv", web::get().to(export));
}

#[derive(Deserialize)]
struct Query {
    #[serde(default)]
    q: String,
    #[serde(default)]
    verdict: String,
    #[serde(default)]
    sort: String,
}

impl Query {
    fn filter(&self) -> RunFilter {
        RunFilter {
            search: self.q.trim().to_owned(),
            level: Level::from_key(&self.verdict).map_or("", Level::key).to_owned(),
            design: None,
            order: match self.sort.as_str() {
                "oldest" => RunOrder::Oldest,
                "design" => RunOrder::Design,
                "operator" => RunOrder::Operator,
                _ => RunOrder::Newest,
            },
        }
    }
}

#[derive(Template, WebTemplate)]
#[template(path = "logbook/logbook.html")]
struct LogbookPage {
    frame: Frame,
    lines: Vec<Line>,
    query: Query,
    levels: Vec<(&'static str, &'static str)>,
    csv: String,
}

/// A run in the list.
struct Line {
    run: RunRow,
    resistance: Option<Compared>,
    inductance: Option<Compared>,
}

/// A measured value beside its prediction.
struct Compared {
    measured: String,
    deviation: String,
    inside: bool,
}

fn comparisons(run: &RunRow) -> Vec<Comparison> {
    run.comparisons.as_deref().and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default()
}

fn line(run: RunRow) -> Line {
    let all = comparisons(&run);
    let of = |kind: Kind, scale: present::Scale| {
        all.iter().find(|c| c.kind == kind).map(|c| Compared {
            measured: scale.text(c.measured),
            deviation: format!("{:+.1} %", c.deviation * 100.0).replace('-', "−"),
            inside: c.bands.abs() <= 1.0,
        })
    };
    Line {
        resistance: of(Kind::Resistance, present::KILOOHM),
        inductance: of(Kind::Inductance, present::HENRY),
        run,
    }
}

async fn show(app: web::Data<App>, visitor: Visitor, query: web::Query<Query>) -> Result<LogbookPage, Fault> {
    let query = query.into_inner();
    let runs = app.store.runs(visitor.workshop(), &query.filter()).await?;
    let encode = |text: &str| {
        text.bytes()
            .map(|b| if b.is_ascii_alphanumeric() { (b as char).to_string() } else { format!("%{b:02X}") })
            .collect::<String>()
    };
    Ok(LogbookPage {
        frame: Frame::new(&visitor, "logbook", "Logbook"),
        lines: runs.into_iter().map(line).collect(),
        levels: Level::ALL.iter().map(|l| (l.key(), l.name())).collect(),
        csv: format!(
            "/logbook.csv?q={}&verdict={}&sort={}",
            encode(&query.q),
            encode(&query.verdict),
            encode(&query.sort)
        ),
        query,
    })
}

/// Text that a spreadsheet would take for a formula gets a mark before it.
pub fn unformulated(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text.to_owned() }
}

async fn export(
    app: web::Data<App>,
    visitor: Visitor,
    query: web::Query<Query>,
) -> Result<HttpResponse, Fault> {
    let runs = app.store.runs(visitor.workshop(), &query.filter()).await?;
    let mut out = csv::Writer::from_writer(Vec::new());
    let failed = |error: csv::Error| Fault::Internal(error.to_string());
    out.write_record([
        "run",
        "started_utc",
        "design",
        "revision",
        "spool",
        "operator",
        "planned_turns",
        "turns",
        "predicted_resistance_20c_ohm",
        "measured_resistance_20c_ohm",
        "predicted_inductance_h",
        "measured_inductance_h",
        "verdict",
        "words",
    ])
    .map_err(failed)?;
    for run in runs {
        let all = comparisons(&run);
        let pair = |kind: Kind| {
            all.iter().find(|c| c.kind == kind).map_or_else(Default::default, |c| {
                (format!("{:.6}", c.predicted.nominal), format!("{:.6}", c.measured))
            })
        };
        let (r, l): ((String, String), (String, String)) = (pair(Kind::Resistance), pair(Kind::Inductance));
        out.write_record([
            run.number.to_string(),
            present::iso(run.created_at),
            unformulated(&run.design),
            format!("r{}", run.revision),
            unformulated(run.spool.as_deref().unwrap_or("")),
            unformulated(&run.operator),
            run.planned_turns.to_string(),
            run.turns.map_or_else(String::new, |t| format!("{t:.0}")),
            r.0,
            r.1,
            l.0,
            l.1,
            run.level.unwrap_or_else(|| Level::Waiting.key().into()),
            unformulated(run.verdict.as_deref().unwrap_or("")),
        ])
        .map_err(failed)?;
    }
    let body = out.into_inner().map_err(|error| Fault::Internal(error.to_string()))?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"logbook.csv\""))
        .body(body))
}

#[cfg(test)]
mod tests {
    #[test]
    fn no_cell_becomes_a_formula() {
        assert_eq!(super::unformulated("=1+1"), "'=1+1");
        assert_eq!(super::unformulated("Reed"), "Reed");
    }
}
