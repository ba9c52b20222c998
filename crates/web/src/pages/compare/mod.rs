//! Any number of designs, revisions and wound pickups side by side: figures, curves, what differs.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::attachment;
use crate::route_table::routes;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::quantity::Units;
use presentation::differences::{Difference, differences_in_words};
use presentation::drawing::{section_over, top_over};
use presentation::figures::Figure;
use presentation::plot::{Curve, curves, measured, partials_of, plot};
use presentation::spreadsheet::unformulated;
use store::design::{DesignFilter, DesignOrder, RevisionRow};
use trade::spreadsheet::SpreadsheetFormat;
use workshop::{ComparedId, ComparedPickup};

routes! {
    GET "/compare" [ReadDesigns] => show;
    GET "/compare.csv" [ReadDesigns] => export;
}

/// Most pickups side by side: what a plot still tells apart.
const MOST: usize = 24;

/// The columns that can be chosen.
const COLUMNS: [Figure; 9] = [
    Figure::Resistance,
    Figure::Inductance,
    Figure::Capacitance,
    Figure::Resonance,
    Figure::Peak,
    Figure::PeakHeight,
    Figure::Minus3Db,
    Figure::Output,
    Figure::RelativeOutput,
];
/// What is shown until columns are chosen.
const USUAL: [Figure; 6] = [
    Figure::Resistance,
    Figure::Inductance,
    Figure::Capacitance,
    Figure::Peak,
    Figure::PeakHeight,
    Figure::Output,
];

/// What the address asks for.
struct Asked {
    of: Vec<ComparedId>,
    columns: Vec<Figure>,
    search: String,
    /// The string whose partials are shown, from 1; the lowest of each where none is named.
    string: Option<u32>,
}

impl Asked {
    fn from(query: &QueryParameters) -> Self {
        let mut of: Vec<ComparedId> = Vec::new();
        for id in query.all("of").filter_map(|v| v.parse().ok()) {
            if !of.contains(&id) && of.len() < MOST {
                of.push(id);
            }
        }
        let chosen: Vec<Figure> = query.all("col").filter_map(Figure::from_key).collect();
        let chosen = if chosen.is_empty() { USUAL.to_vec() } else { chosen };
        Self {
            of,
            columns: COLUMNS.into_iter().filter(|c| chosen.contains(c)).collect(),
            search: query.get("q").to_owned(),
            string: query.number("string").and_then(|n| u32::try_from(n).ok()),
        }
    }
}

/// A row of the table.
struct ComparedRow {
    name: String,
    link: String,
    tone: usize,
    measured: bool,
    /// Number and band by column.
    cells: Vec<(String, String)>,
}

/// Where a pickup has its page.
fn link(id: ComparedId) -> String {
    match id {
        ComparedId::Revision(id) => format!("/revisions/{id}"),
        ComparedId::Rewind(id) => format!("/rewinds/{id}"),
    }
}

fn lines(all: &[ComparedPickup], columns: &[Figure]) -> Vec<ComparedRow> {
    let mut lines = Vec::new();
    for (tone, one) in all.iter().enumerate() {
        let cell = |c: &Figure| match one.prediction.as_ref().map(|p| c.find_in(&p.pickup)) {
            Some(Some(q)) => (c.scale().text(q.nominal), c.scale().band(q)),
            Some(None) => ("none".to_owned(), String::new()),
            None => ("–".to_owned(), String::new()),
        };
        lines.push(ComparedRow {
            name: one.name.clone(),
            link: link(one.id),
            tone: tone % 6,
            measured: false,
            cells: columns.iter().map(cell).collect(),
        });
        for taken in &one.measured {
            let cell = |c: &Figure| {
                let value = c.measured().and_then(|kind| taken.values.get(&kind));
                (value.map_or_else(String::new, |v| c.scale().text(*v)), String::new())
            };
            lines.push(ComparedRow {
                name: taken
                    .run
                    .map_or_else(|| "As it was read".to_owned(), |(number, _)| format!("Run {number}")),
                link: taken.run.map_or_else(|| link(one.id), |(_, id)| format!("/runs/{id}")),
                tone: tone % 6,
                measured: true,
                cells: columns.iter().map(cell).collect(),
            });
        }
    }
    lines
}

/// Drawings of the first two over one another, when just two are compared.
fn over(all: &[ComparedPickup], units: Units) -> Vec<(&'static str, String)> {
    let [a, b] = all else { return Vec::new() };
    let builds = |one: &ComparedPickup| -> Vec<f64> {
        one.prediction.iter().flat_map(|p| p.coils.iter().map(|c| c.build_mm)).collect()
    };
    let (builds_a, builds_b) = (builds(a), builds(b));
    let (one, other) = ((&a.design, &builds_a[..]), (&b.design, &builds_b[..]));
    vec![
        ("From above", top_over(one, other, units)),
        ("Section through a pole", section_over(one, other, units)),
    ]
}

#[derive(Template, WebTemplate)]
#[template(path = "compare/compare.html")]
struct ComparePage {
    frame: Frame,
    names: Vec<String>,
    heads: Vec<&'static str>,
    lines: Vec<ComparedRow>,
    plot: String,
    /// How each of them hears one string, partial by partial; empty for one alone.
    heard: String,
    /// The strings that can be chosen for that: whether it is this one, what it is called, its address.
    strings: Vec<(bool, String, String)>,
    /// The first two over one another.
    over: Vec<(&'static str, String)>,
    differs: Vec<Difference>,
    columns: Vec<(&'static str, &'static str, bool)>,
    choices: Vec<(RevisionRow, bool)>,
    /// Examined pickups to choose from: what they are in the address, their name, whether they are chosen.
    examined: Vec<(ComparedId, String, bool)>,
    kept: Vec<ComparedId>,
    csv: String,
}

/// The strings to choose from, the lowest of each pickup first.
fn strings(query: &QueryParameters, chosen: Option<u32>, most: usize) -> Vec<(bool, String, String)> {
    let lowest = (chosen.is_none(), "Lowest".to_owned(), query.link("/compare", "string", ""));
    let one = |number: usize| {
        let is_chosen = chosen.is_some_and(|c| c as usize == number);
        (is_chosen, number.to_string(), query.link("/compare", "string", &number.to_string()))
    };
    std::iter::once(lowest).chain((1..=most).map(one)).collect()
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<ComparePage, AppError> {
    let asked = Asked::from(&query);
    let all = app.workshop.compare(&user.actor, &asked.of).await?;
    let filter =
        DesignFilter { search: asked.search.clone(), order: DesignOrder::Name, ..DesignFilter::default() };
    let rows = app.workshop.designs(&user.actor, &filter).await?;
    let mut most_strings = 0;
    let (mut drawn, mut heard): (Vec<Curve>, Vec<Curve>) = (Vec::new(), Vec::new());
    for (tone, one) in all.iter().enumerate() {
        if let Some(p) = &one.prediction {
            let name = &one.name;
            drawn.extend(curves(name, tone, &p.response));
            most_strings = most_strings.max(p.strings.len());
            let string = match asked.string {
                Some(number) => p.strings.iter().find(|s| s.string == number),
                None => p.strings.last(),
            };
            heard.extend(string.map(|string| partials_of(name, tone, string)));
        }
        for taken in &one.sweeps {
            drawn.push(measured(&taken.label, tone, &taken.sweep().map_err(AppError::internal)?));
        }
    }
    let mut examined: Vec<(ComparedId, String, bool)> = app
        .workshop
        .explained_rewinds(&user.actor)
        .await?
        .into_iter()
        .map(|(id, name)| (ComparedId::Rewind(id), name))
        .map(|(id, name)| (id, name, asked.of.contains(&id)))
        .collect();
    // One that is asked for stands among them, though nobody settled what it is.
    for one in all.iter().filter(|one| matches!(one.id, ComparedId::Rewind(_))) {
        if examined.iter().all(|(id, ..)| *id != one.id) {
            examined.push((one.id, one.name.clone(), true));
        }
    }
    let shown: Vec<ComparedId> = rows.iter().map(|r| ComparedId::Revision(r.id)).collect();
    let choices: Vec<(RevisionRow, bool)> = rows
        .into_iter()
        .map(|r| {
            let is_chosen = asked.of.contains(&ComparedId::Revision(r.id));
            (r, is_chosen)
        })
        .collect();
    let is_shown = |id: &ComparedId| shown.contains(id) || examined.iter().any(|(other, ..)| other == id);
    let kept = asked.of.iter().copied().filter(|id| !is_shown(id)).collect();
    let pairs = asked
        .of
        .iter()
        .map(|id| format!("of={id}"))
        .chain(asked.columns.iter().map(|c| format!("col={}", c.key())));
    Ok(ComparePage {
        frame: Frame::new(&user, "designs", "Compare"),
        names: all.iter().map(|o| o.name.clone()).collect(),
        heads: asked.columns.iter().map(|c| c.label()).collect(),
        lines: lines(&all, &asked.columns),
        strings: if all.len() < 2 { Vec::new() } else { strings(&query, asked.string, most_strings) },
        heard: if heard.is_empty() || all.len() < 2 {
            String::new()
        } else {
            plot(&heard, "Partials of a string as each pickup hears them, in decibels over frequency")
        },
        plot: if drawn.is_empty() {
            String::new()
        } else {
            plot(&drawn, "Responses of all pickups compared, in decibels over frequency")
        },
        over: over(&all, user.settings.units),
        differs: all.split_first().map_or_else(Vec::new, |(first, rest)| {
            let rest: Vec<_> = rest.iter().map(|o| &o.design).collect();
            differences_in_words(&first.design, &rest, user.settings.units)
        }),
        columns: COLUMNS.iter().map(|c| (c.key(), c.label(), asked.columns.contains(c))).collect(),
        choices,
        // Older revisions are in no list, and stay.
        kept,
        examined,
        csv: format!("/compare.csv?{}", pairs.collect::<Vec<_>>().join("&")),
    })
}

async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let asked = Asked::from(&query);
    let all = app.workshop.compare(&user.actor, &asked.of).await?;
    let body = csv_of(&all, &asked.columns, user.settings.spreadsheets).map_err(AppError::internal)?;
    Ok(attachment("text/csv; charset=utf-8", "compare.csv", body))
}

/// The table as CSV.
fn csv_of(
    all: &[ComparedPickup],
    columns: &[Figure],
    format: SpreadsheetFormat,
) -> Result<Vec<u8>, csv::Error> {
    let mut writer = csv::WriterBuilder::new().delimiter(format.delimiter()).from_writer(Vec::new());
    let mut head = vec!["pickup".to_owned(), "what".to_owned()];
    for c in columns {
        head.extend([
            format!("{} ({})", c.label(), c.scale().unit),
            format!("{} 5 %", c.label()),
            format!("{} 95 %", c.label()),
        ]);
    }
    writer.write_record(&head)?;
    for one in all {
        let name = unformulated(&one.name);
        let mut cells = vec![name.clone(), "predicted".to_owned()];
        for c in columns {
            let q = one.prediction.as_ref().and_then(|p| c.find_in(&p.pickup));
            let number = |v: Option<f64>| {
                v.map_or_else(String::new, |v| format.number(&format!("{:.6}", c.scale().scaled(v))))
            };
            cells.extend([number(q.map(|q| q.nominal)), number(q.map(|q| q.p05)), number(q.map(|q| q.p95))]);
        }
        writer.write_record(&cells)?;
        for taken in &one.measured {
            let what =
                taken.run.map_or_else(|| "read".to_owned(), |(number, _)| format!("run {number}, measured"));
            let mut cells = vec![name.clone(), what];
            for c in columns {
                let value = c.measured().and_then(|kind| taken.values.get(&kind));
                cells.extend([
                    value
                        .map_or_else(String::new, |v| format.number(&format!("{:.6}", c.scale().scaled(*v)))),
                    String::new(),
                    String::new(),
                ]);
            }
            writer.write_record(&cells)?;
        }
    }
    writer.into_inner().map_err(|error| error.into_error().into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use store::{RevisionId, RewindId};

    #[test]
    fn an_address_says_what_is_compared() {
        let pairs = |text: &[(&str, &str)]| {
            QueryParameters(text.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect())
        };
        let asked = Asked::from(&pairs(&[
            ("of", "3"),
            ("of", "x"),
            ("of", "3"),
            ("of", "examined-1"),
            ("col", "peak"),
        ]));
        assert_eq!(asked.of, [ComparedId::Revision(RevisionId(3)), ComparedId::Rewind(RewindId(1))]);
        assert_eq!(asked.columns, [Figure::Peak]);
        assert_eq!(Asked::from(&QueryParameters::default()).columns.len(), USUAL.len());
        let many: Vec<(String, String)> = (0..99).map(|i| ("of".to_owned(), i.to_string())).collect();
        assert_eq!(Asked::from(&QueryParameters(many)).of.len(), MOST);
    }
}
