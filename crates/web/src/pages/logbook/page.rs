//! The logbook's page: every run, filtered, sorted, with columns of choice.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::pages::logbook::filter::{filter, not_understood};
use crate::query::QueryParameters;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::Word as _;
use coil::design::Format;
use coil::quantity::Units;
use presentation::field::Choice;
use presentation::format::{self, signed_percent};
use store::logbook::{LogbookRow, Order, PAGE};
use trade::comparison::TolerancePolicy;
use trade::run::RunState;
use trade::verdict::Level;
use workshop::Action;
use workshop::FilterChoices;

/// A column that can be shown: its name in addresses, its heading, the order it sorts by, and whether it is a number.
struct Column {
    key: &'static str,
    title: &'static str,
    sorts: Option<&'static str>,
    number: bool,
}

const fn column(key: &'static str, title: &'static str, sorts: Option<&'static str>, number: bool) -> Column {
    Column { key, title, sorts, number }
}

const COLUMNS: [Column; 17] = [
    column("design", "Design", Some("design"), false),
    column("format", "Format", None, false),
    column("spool", "Spool", Some("spool"), false),
    column("who", "Operator", Some("operator"), false),
    column("winder", "Winder", None, false),
    column("turns", "Turns", None, true),
    column("coil_c", "Coil temperature", None, true),
    column("r", "R at 20 °C", Some("r"), true),
    column("r-off", "R deviation", Some("r-off"), true),
    column("l", "L", Some("l"), true),
    column("l-off", "L deviation", Some("l-off"), true),
    column("c", "C", None, true),
    column("peak", "Peak", None, true),
    column("flux", "Flux deviation", None, true),
    column("verdict", "Verdict", None, false),
    column("remark", "Remark", None, false),
    column("started", "Started", Some("started"), false),
];
/// Columns shown when none were chosen.
const USUAL: [&str; 8] = ["design", "spool", "who", "turns", "r", "l", "verdict", "started"];

/// A choice among the filters.
struct Chooser {
    name: &'static str,
    label: &'static str,
    any: &'static str,
    options: Vec<Choice>,
    value: String,
}

/// A cell of the table.
struct Cell {
    class: &'static str,
    text: String,
    small: String,
    off: bool,
    link: String,
    level: String,
    iso: String,
}

struct Row {
    id: u64,
    number: u32,
    cells: Vec<Cell>,
}

struct Heading {
    title: &'static str,
    number: bool,
    /// Where a click sorts by it; empty where it does not sort.
    link: String,
    /// `ascending`, `descending` or nothing.
    sorted: &'static str,
}

#[derive(Template, WebTemplate)]
#[template(path = "logbook/logbook.html")]
pub(super) struct LogbookPage {
    frame: Frame,
    tab: &'static str,
    query: QueryParameters,
    words: String,
    choosers: Vec<Chooser>,
    more: Vec<Chooser>,
    revision: String,
    from: String,
    to: String,
    /// Filters that were not understood, with what was asked.
    not_understood: Vec<(&'static str, String)>,
    /// More filters than the first are set.
    more_open: bool,
    columns: Vec<(&'static str, &'static str, bool)>,
    headings: Vec<Heading>,
    rows: Vec<Row>,
    all: u64,
    /// Whether a search found more than are counted.
    is_more: bool,
    filtered: bool,
    first: u64,
    last: u64,
    earlier: String,
    later: String,
    csv: String,
    json: String,
}

fn off(value: Option<f64>) -> String {
    value.map_or_else(String::new, |v| signed_percent(v, 1))
}

fn cell(line: &LogbookRow, key: &str, links_designs: bool, units: Units) -> Cell {
    let mut cell = Cell {
        class: "",
        text: "–".into(),
        small: String::new(),
        off: false,
        link: String::new(),
        level: String::new(),
        iso: String::new(),
    };
    let policy = TolerancePolicy { control_sd: line.control_sd };
    let limit = if line.calibrated { policy.limit() } else { 1.0 };
    let beyond = |bands: Option<f64>| bands.is_some_and(|b| b.abs() > limit);
    let named = |name: &Option<String>| name.clone().unwrap_or_else(|| "–".into());
    match key {
        "design" => {
            cell.text = format!("{} r{}", line.name, line.revision);
            if links_designs {
                cell.link = format!("/revisions/{}", line.revision_id);
            }
        }
        "format" => line.format.name().clone_into(&mut cell.text),
        "spool" => {
            cell.text = named(&line.spool);
            cell.link = line.spool_id.map_or_else(String::new, |id| format!("/spools/{id}"));
        }
        "who" => cell.text.clone_from(&line.operator),
        "winder" => cell.text = named(&line.winder),
        "turns" => cell.text = line.turns.map_or_else(|| "–".into(), format::turns),
        "coil_c" => {
            cell.text = line.coil_c.map_or_else(|| "–".into(), |c| units.temperature(c, 1));
        }
        "r" | "r-off" => {
            let text = line.resistance_ohm.map_or_else(|| "–".into(), |v| format::KILOOHM.text(v));
            let deviation = off(line.resistance_off);
            (cell.class, cell.off) = ("measured", beyond(line.resistance_bands));
            (cell.text, cell.small) = if key == "r" { (text, deviation) } else { (deviation, String::new()) };
        }
        "l" | "l-off" => {
            let text = line.inductance_h.map_or_else(|| "–".into(), |v| format::HENRY.text(v));
            let deviation = off(line.inductance_off);
            (cell.class, cell.off) = ("measured", beyond(line.inductance_bands));
            (cell.text, cell.small) = if key == "l" { (text, deviation) } else { (deviation, String::new()) };
        }
        "c" => {
            cell.class = "measured";
            cell.text = line.capacitance_f.map_or_else(|| "–".into(), |v| format::PICOFARAD.text(v));
        }
        "peak" => cell.text = line.peak_hz.map_or_else(|| "–".into(), |v| format::KILOHERTZ.text(v)),
        "flux" => {
            (cell.class, cell.text) = ("measured", off(line.flux_ratio.map(f64::exp_m1)));
        }
        "verdict" => {
            line.level.key().clone_into(&mut cell.level);
            line.level.name().clone_into(&mut cell.text);
        }
        "remark" => cell.text.clone_from(&line.remark),
        _ => {
            cell.text = format::moment(line.started_at);
            cell.iso = format::iso(line.started_at);
        }
    }
    if cell.text.is_empty() {
        cell.text = "–".into();
    }
    cell
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<LogbookPage, AppError> {
    let filter = filter(&query);
    let page = u32::try_from(query.number("page").unwrap_or(1).max(1) - 1).unwrap_or(0);
    let ((lines, all), choices) = tokio::try_join!(
        app.workshop.logbook_page(&user.actor, &filter, page),
        app.workshop.filter_choices(&user.actor),
    )?;
    let chosen: Vec<&str> = query.all("col").collect();
    let chosen: Vec<&Column> = COLUMNS
        .iter()
        .filter(|c| if chosen.is_empty() { USUAL.contains(&c.key) } else { chosen.contains(&c.key) })
        .collect();
    let headings = chosen
        .iter()
        .map(|c| {
            let sorted = c.sorts.is_some_and(|s| Order::from_key(s) == Some(filter.order));
            let way = if sorted && !filter.rising { "up" } else { "" };
            Heading {
                title: c.title,
                number: c.number,
                link: c.sorts.map_or_else(String::new, |s| {
                    query.links("/logbook", &[("sort", s), ("way", way), ("page", "")])
                }),
                sorted: match (sorted, filter.rising) {
                    (true, true) => "ascending",
                    (true, false) => "descending",
                    _ => "",
                },
            }
        })
        .collect();
    let first = u64::from(page) * u64::from(PAGE);
    let last = first + lines.len() as u64;
    let turn = |to: u32| query.link("/logbook", "page", &(to + 1).to_string());
    let (choosers, more) = choosers(&choices, &query);
    let more_open = more.iter().any(|c| !c.value.is_empty())
        || ["from", "to", "revision"].iter().any(|n| !query.get(n).is_empty());
    Ok(LogbookPage {
        frame: Frame::new(&user, "logbook", "Logbook"),
        tab: "runs",
        words: filter.words.clone(),
        revision: query.get("revision").to_owned(),
        from: query.get("from").to_owned(),
        to: query.get("to").to_owned(),
        filtered: more_open || !filter.words.is_empty() || choosers.iter().any(|c| !c.value.is_empty()),
        not_understood: not_understood(&query),
        more_open,
        choosers,
        more,
        columns: COLUMNS.iter().map(|c| (c.key, c.title, chosen.iter().any(|x| x.key == c.key))).collect(),
        headings,
        rows: lines
            .iter()
            .map(|line| Row {
                id: line.run_id.0,
                number: line.number,
                cells: chosen
                    .iter()
                    .map(|c| cell(line, c.key, user.actor.may(Action::ReadDesigns), user.settings.units))
                    .collect(),
            })
            .collect(),
        is_more: !filter.words.is_empty() && all >= u64::from(store::logbook::MOST_COUNTED),
        all,
        first: first + 1,
        last,
        earlier: if page > 0 { turn(page - 1) } else { String::new() },
        later: if last < all { turn(page + 1) } else { String::new() },
        csv: query.link("/logbook.csv", "page", ""),
        json: query.link("/logbook.json", "page", ""),
        query,
    })
}

/// What can be chosen from, the usual ones first.
fn choosers(choices: &FilterChoices, query: &QueryParameters) -> (Vec<Chooser>, Vec<Chooser>) {
    let chooser = |name: &'static str, label, any, options: Vec<Choice>| Chooser {
        name,
        label,
        any,
        options,
        value: query.get(name).to_owned(),
    };
    let designs = choices.designs.iter();
    let designs = designs.map(|(id, name, n)| Choice::new(id.to_string(), format!("{name} ({n})")));
    let spools = choices.spools.iter().map(|(id, label)| Choice::new(id.to_string(), label.clone()));
    let people = choices.people.iter().map(|p| Choice::new(p.id.to_string(), p.name.clone()));
    let winders = choices.winders.iter().map(|i| Choice::new(i.id.to_string(), i.name.clone()));
    let levels = Level::ALL.iter().map(|l| Choice::new(l.key(), l.name()));
    let states = RunState::ALL.iter().map(|s| Choice::new(s.key(), s.name()));
    let formats = Format::ALL.iter().map(|kind| Choice::new(kind.word(), kind.name()));
    let tags = choices.tags.iter().map(|t| Choice::new(t.clone(), t.clone()));
    let first = vec![
        chooser("design", "Design", "any design", designs.collect()),
        chooser("spool", "Spool", "any spool", spools.collect()),
        chooser("operator", "Operator", "anyone", people.collect()),
        chooser("verdict", "Verdict", "any verdict", levels.collect()),
        chooser("state", "State", "any state", states.collect()),
    ];
    let more = vec![
        chooser("format", "Format", "any format", formats.collect()),
        chooser("winder", "Winder", "any winder", winders.collect()),
        chooser("tag", "Tag", "any tag", tags.collect()),
    ];
    (first, more)
}
