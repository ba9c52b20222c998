//! Runs written elsewhere: a table (CSV) or a `filamentum-logbook/1` document, read line by line, every error at once.

mod moment;

use crate::run_record::RunRecord;
use crate::spreadsheet::pointed;
use coil::quantity::{Capacitance, Frequency, Inductance, ParseQuantity, Resistance, Temperature, Turns};
use moment::{Written, moment};
use std::collections::BTreeMap;
use std::sync::Arc;
use time::PrimitiveDateTime;

/// The format that JSON carries.
pub const FORMAT: &str = "filamentum-logbook/1";
/// Most lines of one import.
pub const MOST: usize = 100_000;

/// The columns in the order of an export. An import needs `started_utc` and `design`, and takes the rest as far as it is
/// there; columns that only an export fills (expected values, verdict) are passed over.
pub const COLUMNS: [&str; 22] = [
    "key",
    "run",
    "started_utc",
    "design",
    "revision",
    "spool",
    "operator",
    "winder",
    "planned_turns",
    "turns",
    "resistance_ohm",
    "open",
    "coil_c",
    "resistance_off",
    "inductance_h",
    "test_hz",
    "inductance_off",
    "capacitance_f",
    "verdict",
    "words",
    "remark",
    "opened",
];

/// A run as it was written down.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ImportRow {
    /// Key of the run where it was exported; empty otherwise.
    pub key: String,
    /// When it was started, UTC.
    pub started: Option<PrimitiveDateTime>,
    /// The design's name.
    pub design: String,
    /// Its revision; the newest when absent.
    pub revision: Option<u32>,
    /// The spool's label.
    pub spool: String,
    /// Who wound.
    pub operator: String,
    /// The winder's name.
    pub winder: String,
    /// Final turns.
    pub turns: Option<u32>,
    /// Turns planned.
    pub planned_turns: Option<u32>,
    /// Resistance, Ω.
    pub resistance_ohm: Option<f64>,
    /// Temperature of the coil at that reading, °C.
    pub coil_c: Option<f64>,
    /// Inductance, H.
    pub inductance_h: Option<f64>,
    /// Test frequency of that reading, Hz.
    pub test_hz: Option<f64>,
    /// Capacitance, F.
    pub capacitance_f: Option<f64>,
    /// Remark.
    pub remark: String,
    /// The meter showed an open coil.
    pub is_open: bool,
    /// Number that the run had where it was exported.
    pub number: Option<u32>,
    /// Everything else that it holds, of a document.
    pub record: Option<Arc<RunRecord>>,
}

/// Columns whose numbers may have decimals.
const DECIMALS: [&str; 8] = [
    "resistance_ohm",
    "resistance",
    "resistance_20c_ohm",
    "coil_c",
    "inductance_h",
    "inductance",
    "capacitance_f",
    "capacitance",
];

/// A line of what was brought.
#[derive(Clone, Debug, PartialEq)]
pub struct ImportLine {
    /// Its number in the file: the header of a table is line 1.
    pub number: usize,
    /// What it says, as far as it could be read.
    pub entry: ImportRow,
    /// Everything that is wrong with it: column and message.
    pub errors: Vec<(String, String)>,
}

/// Reads a table or a document.
///
/// # Errors
/// What keeps the whole from being read.
pub fn read(text: &str) -> Result<Vec<ImportLine>, String> {
    let text = text.trim_start_matches('\u{feff}').trim();
    if text.is_empty() {
        return Err("Paste a table with a line of column names first, or choose a file.".into());
    }
    if text.contains('\u{fffd}') {
        return Err(
            "The file is not UTF-8: choose it again, and say in which encoding it was written.".into()
        );
    }
    if text.starts_with(['{', '[']) { from_json(text) } else { from_csv(text) }
}

fn from_csv(text: &str) -> Result<Vec<ImportLine>, String> {
    let head = text.lines().next().unwrap_or_default();
    let count = |c: char| head.matches(c).count();
    let delimiter = [';', '\t', ','].into_iter().max_by_key(|c| count(*c)).unwrap_or(',');
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(u8::try_from(delimiter).unwrap_or(b','))
        .flexible(true)
        .from_reader(text.as_bytes());
    let header: Vec<String> = reader
        .headers()
        .map_err(|error| format!("The line of column names cannot be read: {error}."))?
        .iter()
        .map(|name| name.trim().to_lowercase().replace([' ', '-'], "_"))
        .collect();
    check_columns(&header)?;
    let mut lines = Vec::new();
    let mut counted = Counted { text: text.as_bytes(), byte: 0, line: 1 };
    for (k, record) in reader.records().enumerate() {
        let number = k + 2;
        match record {
            Err(error) => {
                let errors = vec![(String::new(), format!("This line cannot be read: {error}."))];
                lines.push(ImportLine { number, entry: ImportRow::default(), errors });
            }
            Ok(record) if record.iter().all(|cell| cell.trim().is_empty()) => {}
            Ok(record) => {
                let number = record.position().map_or(number, |p| counted.line_at(p.byte()));
                let has_decimal_commas = delimiter == ';';
                let cells: Vec<String> = header
                    .iter()
                    .zip(record.iter())
                    .map(|(name, cell)| match cell.trim() {
                        cell if has_decimal_commas && DECIMALS.contains(&name.as_str()) => pointed(cell),
                        cell => cell.to_owned(),
                    })
                    .collect();
                let fields: BTreeMap<&str, &str> =
                    header.iter().map(String::as_str).zip(cells.iter().map(String::as_str)).collect();
                let mut line = line(number, &fields);
                if record.len() > header.len() {
                    line.errors.push((
                        String::new(),
                        format!("It has {} cells, and there are {} columns.", record.len(), header.len()),
                    ));
                }
                lines.push(line);
            }
        }
        if lines.len() > MOST {
            return Err(format!("More than {MOST} lines: bring them in in parts."));
        }
    }
    if lines.is_empty() { Err("There are column names, and no line below them.".into()) } else { Ok(lines) }
}

/// Counts lines up to a place in the text: the reader does not count the empty ones before a record.
struct Counted<'a> {
    text: &'a [u8],
    byte: usize,
    line: usize,
}

impl Counted<'_> {
    /// The line of the first letter at or after a byte; bytes are asked for in rising order.
    fn line_at(&mut self, byte: u64) -> usize {
        let byte = usize::try_from(byte).unwrap_or(usize::MAX);
        while let Some(letter) = self.text.get(self.byte) {
            if self.byte >= byte && !matches!(letter, b'\n' | b'\r') {
                break;
            }
            self.line += usize::from(*letter == b'\n');
            self.byte += 1;
        }
        self.line
    }
}

fn check_columns(header: &[String]) -> Result<(), String> {
    let mut needed: Vec<&str> =
        ["started_utc", "design"].into_iter().filter(|n| !header.iter().any(|h| h == n)).collect();
    if header.iter().any(|h| h == "date") {
        needed.retain(|n| *n != "started_utc");
    }
    if !needed.is_empty() {
        return Err(format!(
            "The first line must name the columns; missing: {}. Columns that are read: {}.",
            needed.join(", "),
            COLUMNS.join(", ")
        ));
    }
    let also = ["date", "resistance", "resistance_20c_ohm", "inductance", "capacitance"];
    let unknown: Vec<&str> = header
        .iter()
        .map(String::as_str)
        .filter(|h| !h.is_empty() && !COLUMNS.contains(h) && !also.contains(h))
        .collect();
    if unknown.is_empty() {
        return Ok(());
    }
    Err(format!(
        "Unknown column{}: {}. Take {} out, or call {} one of: {}.",
        if unknown.len() == 1 { "" } else { "s" },
        unknown.join(", "),
        if unknown.len() == 1 { "it" } else { "them" },
        if unknown.len() == 1 { "it" } else { "each" },
        COLUMNS.join(", ")
    ))
}

fn from_json(text: &str) -> Result<Vec<ImportLine>, String> {
    let value: serde_json::Value =
        serde_json::from_str(text).map_err(|error| format!("This is not JSON: {error}."))?;
    let runs = match &value {
        serde_json::Value::Object(all) => {
            if all.get("format").and_then(|f| f.as_str()) != Some(FORMAT) {
                return Err(format!("The document must say \"format\": \"{FORMAT}\"."));
            }
            all.get("runs").and_then(|r| r.as_array())
        }
        serde_json::Value::Array(all) => Some(all),
        _ => None,
    };
    let runs = runs.ok_or_else(|| "The document has no list of runs.".to_owned())?;
    if runs.len() > MOST {
        return Err(format!("More than {MOST} runs: bring them in in parts."));
    }
    let lines = runs.iter().enumerate().map(|(k, run)| {
        let number = k + 1;
        let Some(run) = run.as_object() else {
            let errors = vec![(String::new(), "This is not a run.".into())];
            return ImportLine { number, entry: ImportRow::default(), errors };
        };
        let texts: BTreeMap<String, String> = run
            .iter()
            .filter(|(_, value)| !value.is_null())
            .map(|(name, value)| {
                let text = match (name.as_str(), value.as_str()) {
                    ("record", _) => String::new(),
                    (_, Some(text)) => text.to_owned(),
                    _ => value.to_string(),
                };
                (name.clone(), text)
            })
            .collect();
        let mut line =
            line(number, &texts.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect());
        if let Some(record) = run.get("record").filter(|record| !record.is_null()) {
            take_record(record, &mut line);
        }
        line
    });
    let lines: Vec<ImportLine> = lines.collect();
    if lines.is_empty() { Err("The document's list of runs is empty.".into()) } else { Ok(lines) }
}

/// Takes everything else that a run holds, or says what is wrong with it.
fn take_record(record: &serde_json::Value, line: &mut ImportLine) {
    let column = |at: &str| if at.is_empty() { "record".to_owned() } else { format!("record.{at}") };
    match serde_path_to_error::deserialize::<_, RunRecord>(record) {
        Ok(record) => {
            let problems = record.problems();
            line.errors.extend(problems.iter().map(|(at, why)| (column(at), format!("{why}."))));
            line.entry.record = Some(Arc::new(record));
        }
        Err(error) => {
            let at = error.path().to_string();
            let at = if at == "." { "" } else { &at };
            line.errors.push((column(at), format!("This cannot be read: {}.", error.inner())));
        }
    }
}

fn line(number: usize, fields: &BTreeMap<&str, &str>) -> ImportLine {
    let mut errors: Vec<(String, String)> = Vec::new();
    let get = |name: &str| fields.get(name).copied().unwrap_or_default();
    let either = |a: &'static str, b: &'static str| if get(a).is_empty() { (b, get(b)) } else { (a, get(a)) };
    let mut wrong = |column: &str, message: String| errors.push((column.to_owned(), message));

    let mut entry = ImportRow {
        key: get("key").to_owned(),
        design: unquoted(get("design")),
        spool: unquoted(get("spool")),
        operator: unquoted(get("operator")),
        winder: unquoted(get("winder")),
        remark: unquoted(get("remark")),
        ..ImportRow::default()
    };
    let (column, text) = either("started_utc", "date");
    match moment(text) {
        Written::At(at) => entry.started = Some(at),
        _ if text.is_empty() => wrong(column, "The day is missing.".into()),
        Written::TwoWays(one, other) => {
            wrong(column, format!("“{text}” can be {one} or {other}: write one of them."));
        }
        Written::Year(year) => wrong(column, format!("{year} is no year of this logbook: write 2026-11-24.")),
        Written::Unreadable => {
            wrong(column, format!("“{text}” is not a day: write 2026-11-24, or 2026-11-24 03:14."));
        }
    }
    if entry.design.is_empty() {
        wrong("design", "The design's name is missing.".into());
    }
    if entry.remark.chars().count() > 1000 {
        wrong("remark", "A remark has up to 1,000 letters.".into());
    }
    entry.number = get("run").parse().ok();
    match get("open").to_lowercase().as_str() {
        "" | "no" | "false" => {}
        "yes" | "true" | "open" => entry.is_open = true,
        other => wrong("open", format!("“{other}” is neither yes nor no.")),
    }
    let revision = get("revision").trim_start_matches('r');
    if !revision.is_empty() {
        match revision.parse::<u32>() {
            Ok(number) if number > 0 => entry.revision = Some(number),
            _ => wrong("revision", format!("“{revision}” is not a revision: write r2 or 2.")),
        }
    }
    for (column, place) in [("turns", &mut entry.turns), ("planned_turns", &mut entry.planned_turns)] {
        let text = get(column);
        if text.is_empty() {
            continue;
        }
        match Turns::parse(text) {
            Ok(Turns(turns)) if (10..=50_000).contains(&turns) => *place = Some(turns),
            Ok(_) => wrong(column, "Between 10 and 50,000 turns.".into()),
            Err(error) => wrong(column, error.to_string()),
        }
    }
    let at_20 = get("resistance_ohm").is_empty() && get("resistance").is_empty();
    let (column, text) = if at_20 {
        ("resistance_20c_ohm", get("resistance_20c_ohm"))
    } else {
        either("resistance_ohm", "resistance")
    };
    // A meter shows an open coil by a word of its own.
    let is_open_word = ["open", "ol", "o.l.", "∞", "inf"].contains(&text.to_lowercase().as_str());
    entry.is_open |= is_open_word;
    let text = if is_open_word { "" } else { text };
    entry.resistance_ohm = ranged(column, text, (1.0, 1e6), "Ω", &mut wrong, |t| {
        Resistance::parse(t).map(Resistance::ohms).map_err(|e| e.to_string())
    });
    entry.coil_c = ranged("coil_c", get("coil_c"), (-20.0, 120.0), "°C", &mut wrong, |t| {
        Temperature::parse(t).map(Temperature::celsius).map_err(|e| e.to_string())
    });
    if at_20 && entry.resistance_ohm.is_some() {
        entry.coil_c = Some(20.0);
    }
    let (column, text) = either("inductance_h", "inductance");
    entry.inductance_h = ranged(column, text, (1e-6, 1000.0), "H", &mut wrong, |t| {
        Inductance::parse(t).map(Inductance::henries).map_err(|e| e.to_string())
    });
    entry.test_hz = ranged("test_hz", get("test_hz"), (20.0, 200_000.0), "Hz", &mut wrong, |t| {
        Frequency::parse(t).map(Frequency::hz).map_err(|e| e.to_string())
    });
    let (column, text) = either("capacitance_f", "capacitance");
    entry.capacitance_f = ranged(column, text, (1e-13, 1e-8), "F", &mut wrong, |t| {
        // A bare number is in farads here, as an export has it; what is spoken carries its unit.
        t.parse::<f64>()
            .or_else(|_| Capacitance::parse(t).map(Capacitance::farads))
            .map_err(|e| e.to_string())
    });
    // What a document holds besides says everything as it was read.
    let has_more = fields.contains_key("record");
    if !has_more && entry.turns.is_none() && (entry.resistance_ohm.is_some() || entry.inductance_h.is_some())
    {
        errors.push((
            "turns".into(),
            "A coil that was measured needs its turns: without them nothing can be compared.".into(),
        ));
    }
    ImportLine { number, entry, errors }
}

/// Without the mark that an export sets before what a spreadsheet would take for a formula.
fn unquoted(text: &str) -> String {
    match text.strip_prefix('\'') {
        Some(rest) if rest.starts_with(['=', '+', '-', '@']) => rest.to_owned(),
        _ => text.to_owned(),
    }
}

fn ranged(
    column: &str,
    text: &str,
    (low, high): (f64, f64),
    unit: &str,
    wrong: &mut impl FnMut(&str, String),
    parse: impl Fn(&str) -> Result<f64, String>,
) -> Option<f64> {
    if text.is_empty() {
        return None;
    }
    match parse(text) {
        Ok(value) if (low..=high).contains(&value) => return Some(value),
        Ok(value) => wrong(column, format!("{value} {unit} cannot be: between {low} and {high} {unit}.")),
        Err(message) => wrong(column, message),
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use time::macros::datetime;

    #[test]
    fn a_table_is_read_as_it_is_spoken() {
        let lines = read(
            "date;design;revision;spool;operator;turns;resistance;coil_c;inductance\n\
             2026-03-01;Reed;r2;K-7;Ivo;7,500;6.1k;73 F;2.4 H\n\n2026-03-02 14:05;Reed;;;;7500;;;\n",
        )
        .unwrap();
        assert_eq!(lines.len(), 2);
        let first = &lines[0];
        assert!(first.errors.is_empty(), "{first:?}");
        assert_eq!((first.number, first.entry.revision, first.entry.turns), (2, Some(2), Some(7500)));
        assert!((first.entry.resistance_ohm.unwrap() - 6100.0).abs() < 1e-9);
        assert!((first.entry.coil_c.unwrap() - 22.78).abs() < 0.01);
        assert_eq!(lines[1].entry.started, Some(datetime!(2026-03-02 14:05)));
        assert_eq!(lines[1].number, 4, "an empty line counts");
    }

    #[test]
    fn every_error_of_a_line_is_told_at_its_column() {
        let lines = read("started_utc,design,turns,resistance_ohm,revision\nsoon,,many,-3,x\n").unwrap();
        let columns: Vec<&str> = lines[0].errors.iter().map(|(c, _)| c.as_str()).collect();
        assert_eq!(columns, ["started_utc", "design", "revision", "turns", "resistance_ohm"]);
        let unwound = read("date,design,resistance\n2026-03-01,Reed,5.8k\n").unwrap();
        assert!(unwound[0].errors[0].1.contains("needs its turns"));
    }

    #[rstest]
    #[case("", "Paste")]
    #[case("name,turns\n", "missing: started_utc, design")]
    #[case("date,design,colour\n2026-01-01,Reed,red\n", "Unknown column: colour")]
    #[case("date,design\n", "no line")]
    #[case("{\"format\":\"else\"}", "filamentum-logbook/1")]
    #[case("{\"format\":\"filamentum-logbook/1\",\"runs\":[]}", "empty")]
    #[case("[1,", "not JSON")]
    fn what_cannot_be_read_at_all_says_why(#[case] text: &str, #[case] words: &str) {
        let message = read(text).unwrap_err();
        assert!(message.contains(words), "{message}");
    }

    #[test]
    fn a_document_is_read_like_a_table() {
        let lines = read(
            r#"{"format":"filamentum-logbook/1","runs":[{"started_utc":"2026-03-01T10:00:00Z","design":"Reed",
               "turns":7500,"resistance_ohm":6100.5,"coil_c":21.5,"capacitance_f":4.4e-11,"spool":null}, 3]}"#,
        )
        .unwrap();
        assert!(lines[0].errors.is_empty(), "{lines:?}");
        assert!((lines[0].entry.capacitance_f.unwrap() - 4.4e-11).abs() < 1e-20);
        assert!(lines[1].errors[0].1.contains("not a run"));
    }

    #[test]
    fn a_day_that_can_be_two_is_told_at_its_column() {
        let lines = read("date,design\n04/05/2026,Reed\n").unwrap();
        assert!(lines[0].errors[0].0 == "date" && lines[0].errors[0].1.contains("2026-05-04"));
    }

    /// Numbers that can be read two ways are not guessed; an open coil is known by what meters show.
    #[test]
    fn values_that_are_unclear_are_told_at_their_column() {
        let read_one = |ohms: &str| {
            read(&format!("date;design;turns;resistance\n2026-03-01;Reed;7500;{ohms}\n")).unwrap().remove(0)
        };
        assert!(read_one("5210,5").errors.is_empty());
        for unclear in ["5.210,5", "5,210.5,1", "5 210 ohm ohm"] {
            let line = read_one(unclear);
            assert_eq!(
                line.errors.first().map(|(c, _)| c.as_str()),
                Some("resistance"),
                "{unclear}: {line:?}"
            );
        }
        for open in ["OL", "open", "∞"] {
            let line = read_one(open);
            assert!(
                line.entry.is_open && line.entry.resistance_ohm.is_none() && line.errors.is_empty(),
                "{open}"
            );
        }
        assert!(read("date,design\n2026-03-01,R\u{fffd}d\n").unwrap_err().contains("UTF-8"));
    }

    /// What a document holds besides is told where it is wrong, by its place; sound, it stands beside the table's columns.
    #[rstest]
    #[case(r#"{"readings": [{"kind": "turns", "value": 7500, "at": "2026-03-01T10:00:00.000000Z"}]}"#, None)]
    #[case(
        r#"{"readings": [{"kind": "turns", "at": "2026-03-01T10:00:00.000000Z"}]}"#,
        Some("record.readings[0].value")
    )]
    #[case(
        r#"{"readings": [{"kind": "weight", "value": 3, "at": "2026-03-01T10:00:00.000000Z"}]}"#,
        Some("record.readings[0].kind")
    )]
    #[case(
        r#"{"readings": [{"kind": "turns", "value": 3, "at": "yesterday"}]}"#,
        Some("record.readings[0].at")
    )]
    #[case(
        r#"{"events": [{"what": "stop", "at_turn": -3, "at": "2026-03-01T10:00:00.000000Z"}]}"#,
        Some("record.events[0].at_turn")
    )]
    #[case(r#"{"moon": 1}"#, Some("record.moon"))]
    #[case("7", Some("record"))]
    fn a_record_is_read_or_refused_by_its_place(#[case] record: &str, #[case] wrong: Option<&str>) {
        let document = format!(
            r#"{{"format": "{FORMAT}", "runs": [{{"run": 12, "started_utc": "2026-03-01T10:00:00Z", "design": "Reed",
               "resistance_ohm": 5700, "record": {record}}}]}}"#
        );
        let line = read(&document).unwrap().remove(0);
        assert_eq!(line.errors.first().map(|(column, _)| column.as_str()), wrong, "{line:?}");
        assert_eq!(line.entry.number, Some(12));
        assert_eq!(line.entry.record.is_some(), wrong.is_none_or(|at| at == "record.readings[0].value"));
    }

    #[test]
    fn a_formula_mark_is_taken_off_again() {
        assert_eq!(unquoted("'=1+1"), "=1+1");
        assert_eq!(unquoted("'tis warm"), "'tis warm");
    }
}
