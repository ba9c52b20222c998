//! What the filters leave, as a table or a document that can be imported again.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::pages::logbook::filter::filter;
use crate::query::QueryParameters;
use actix_web::http::header;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use futures_util::stream;
use presentation::format;
use presentation::spreadsheet::unformulated;
use serde_json::{Map, Value, json};
use store::RunId;
use store::logbook::LogbookRow;
use trade::reading::Kind;
use trade::run_import::{COLUMNS, FORMAT};
use trade::run_record::{ReadingRecord, RunRecord};
use trade::spreadsheet::SpreadsheetFormat;

/// Most lines of one export.
const MOST: u32 = 100_000;

/// Runs that are read and written at a time.
const PIECE: usize = 200;

/// A run to export: its row of the logbook, and what else it holds.
type Exported = (LogbookRow, RunRecord);

/// A value to so many parts: no more digits than a meter has.
fn rounded(value: Option<f64>, parts: f64) -> Value {
    json!(value.map(|v| (v * parts).round() / parts))
}

/// The last reading of a kind that stands: as it was read, with its conditions.
fn last(record: &RunRecord, kind: Kind) -> Option<(usize, &ReadingRecord)> {
    let is_corrected = |k: usize| record.readings.iter().any(|r| r.corrects == Some(k));
    record.readings.iter().enumerate().rev().find(|(k, r)| r.kind == kind && !is_corrected(*k))
}

/// A column's value: text, number or nothing.
fn value((row, record): &Exported, column: &str, has_names: bool) -> Value {
    let text = |t: &Option<String>| t.clone().map_or(Value::Null, Value::from);
    let read = |kind: Kind| last(record, kind).map(|(_, reading)| reading);
    match column {
        "key" => row.client_key.clone().into(),
        "run" => row.number.into(),
        "started_utc" => format::iso(row.started_at).into(),
        "design" => row.name.clone().into(),
        "revision" => format!("r{}", row.revision).into(),
        "spool" => text(&row.spool),
        "operator" if !has_names => format!("person {}", row.operator_id).into(),
        "operator" => row.operator.clone().into(),
        "winder" => text(&row.winder),
        "planned_turns" => row.planned_turns.into(),
        "turns" => json!(row.turns),
        "resistance_ohm" => rounded(read(Kind::Resistance).and_then(|r| r.value), 1e3),
        "coil_c" => rounded(read(Kind::Resistance).and_then(|r| r.coil_c), 1e3),
        "open" => {
            let (open, ohms) = (last(record, Kind::Open), last(record, Kind::Resistance));
            let is_open = open.is_some_and(|(k, _)| ohms.is_none_or(|(before, _)| before < k));
            if is_open { "yes".into() } else { Value::Null }
        }
        "resistance_off" => rounded(row.resistance_off, 1e6),
        "inductance_h" => rounded(read(Kind::Inductance).and_then(|r| r.value), 1e6),
        "test_hz" => rounded(read(Kind::Inductance).and_then(|r| r.test_hz), 1e3),
        "inductance_off" => rounded(row.inductance_off, 1e6),
        "capacitance_f" => rounded(read(Kind::Capacitance).and_then(|r| r.value), 1e15),
        "verdict" => row.level.key().into(),
        "words" => row.verdict.clone().into(),
        "remark" => row.remark.clone().into(),
        _ => Value::Null,
    }
}

/// The columns of an export: the last of the list only an import takes.
fn columns() -> &'static [&'static str] {
    &COLUMNS[..COLUMNS.len() - 1]
}

/// Runs as lines of a table, with the line of names before the first piece.
fn csv_of(
    runs: &[Exported],
    is_first: bool,
    format: SpreadsheetFormat,
    has_names: bool,
) -> Result<Vec<u8>, csv::Error> {
    let mut out = csv::WriterBuilder::new().delimiter(format.delimiter()).from_writer(Vec::new());
    if is_first {
        out.write_record(columns())?;
    }
    for run in runs {
        out.write_record(columns().iter().map(|c| match value(run, c, has_names) {
            Value::String(text) => unformulated(&text),
            Value::Null => String::new(),
            number => format.number(&number.to_string()),
        }))?;
    }
    out.into_inner().map_err(|error| error.into_error().into())
}

/// Runs as elements of a document's list, with a comma before each but the very first.
fn json_of(runs: &[Exported], is_first: bool, has_names: bool) -> Result<Vec<u8>, serde_json::Error> {
    let mut out = Vec::new();
    for (k, run) in runs.iter().enumerate() {
        let values = columns().iter().map(|c| ((*c).to_owned(), value(run, c, has_names)));
        let mut all: Map<String, Value> = values.filter(|(_, value)| !value.is_null()).collect();
        all.insert("record".into(), serde_json::to_value(&run.1)?);
        out.extend_from_slice(if is_first && k == 0 { b"\n" } else { b",\n" });
        serde_json::to_writer(&mut out, &all)?;
    }
    Ok(out)
}

/// What is written, piece by piece, of all runs that a filter leaves.
struct Export {
    app: web::Data<App>,
    user: CurrentUser,
    runs: Vec<RunId>,
    written: usize,
    form: Form,
    has_names: bool,
}

/// The form of an export.
#[derive(Clone, Copy)]
enum Form {
    Table(SpreadsheetFormat),
    Document,
}

impl Export {
    async fn load(
        app: web::Data<App>,
        user: CurrentUser,
        query: &QueryParameters,
        form: Form,
    ) -> Result<Self, AppError> {
        let runs = app.workshop.runs_to_export(&user.actor, &filter(query), MOST).await?;
        let has_names = user.settings.privacy.names_in_exports;
        Ok(Self { app, user, runs, written: 0, form, has_names })
    }

    /// The next piece; none at the end.
    async fn piece(&mut self) -> Result<Option<Bytes>, AppError> {
        let is_first = self.written == 0;
        let to = (self.written + PIECE).min(self.runs.len());
        if to == self.written && !is_first {
            return Ok(None);
        }
        let runs = &self.runs[self.written..to];
        let runs = self.app.workshop.export_runs(&self.user.actor, runs, self.has_names).await?;
        self.written = to;
        let (form, has_names, is_last) = (self.form, self.has_names, to == self.runs.len());
        let written = web::block(move || -> Result<Vec<u8>, AppError> {
            match form {
                Form::Table(format) => csv_of(&runs, is_first, format, has_names).map_err(AppError::internal),
                Form::Document => {
                    let mut all = Vec::new();
                    if is_first {
                        all.extend(format!("{{\"format\":\"{FORMAT}\",\"runs\":[").bytes());
                    }
                    all.extend(json_of(&runs, is_first, has_names)?);
                    if is_last {
                        all.extend_from_slice(b"\n]}\n");
                    }
                    Ok(all)
                }
            }
        })
        .await??;
        // Of an empty list the first piece is the last.
        self.written = if self.runs.is_empty() { usize::MAX } else { self.written };
        Ok(Some(written.into()))
    }

    /// The answer: what goes wrong on the way breaks it off, so that no half of a file looks whole.
    fn response(self, kind: &str, name: &str) -> HttpResponse {
        let pieces = stream::try_unfold(self, |mut export| async move {
            if export.written == usize::MAX {
                return Ok(None);
            }
            let piece = export.piece().await?;
            Ok::<_, AppError>(piece.map(|piece| (piece, export)))
        });
        HttpResponse::Ok()
            .content_type(kind)
            .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
            .streaming(pieces)
    }
}

pub(super) async fn csv(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let form = Form::Table(user.settings.spreadsheets);
    Ok(Export::load(app, user, &query, form).await?.response("text/csv; charset=utf-8", "logbook.csv"))
}

pub(super) async fn json(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    Ok(Export::load(app, user, &query, Form::Document).await?.response("application/json", "logbook.json"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use store::Stored;
    use store::{DesignId, PersonId, RevisionId, RunId};
    use time::macros::datetime;

    fn row(number: u32) -> LogbookRow {
        LogbookRow {
            run_id: RunId(u64::from(number)),
            number,
            revision_id: RevisionId(3),
            revision: 2,
            design_id: DesignId(1),
            name: "=Sedge, \"neck\"".into(),
            format: Stored(coil::design::Format::TallSingle),
            gauge: "42 AWG".into(),
            straight: false,
            clockwise: true,
            north: true,
            spool_id: None,
            spool: None,
            operator_id: PersonId(1),
            operator: "Ode Farrow".into(),
            winder_id: None,
            winder: None,
            started_at: datetime!(2026-03-01 10:00),
            level: Stored(trade::verdict::Level::Pass),
            verdict: "All inside their bands.".into(),
            planned_turns: 7500,
            turns: Some(7500.0),
            coil_c: Some(21.5),
            resistance_ohm: Some(5_750.123_456),
            resistance_off: Some(0.012_345_678),
            resistance_bands: Some(0.5),
            inductance_h: None,
            inductance_off: None,
            inductance_bands: None,
            capacitance_f: Some(4.4e-11),
            flux_ratio: None,
            peak_hz: None,
            output_db: None,
            wire_m: None,
            resistance_ratio: None,
            inductance_ratio: None,
            capacitance_ratio: None,
            build_ratio: None,
            remark: "first\nsecond".into(),
            client_key: "0".repeat(32),
            calibrated: false,
            control_sd: 3.0,
            wire_ohm_per_m: None,
            spool_ohm_per_m: None,
            spool_at_c: None,
        }
    }

    /// A coil read warm at 120 Hz, and found open after that.
    fn run(number: u32) -> Exported {
        let of = |kind, value| ReadingRecord {
            kind,
            value,
            pole: None,
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            words: String::new(),
            corrects: None,
            by: String::new(),
            at: datetime!(2026-03-01 10:30),
        };
        let readings = vec![
            of(Kind::Turns, Some(7500.0)),
            ReadingRecord { coil_c: Some(26.5), ..of(Kind::Resistance, Some(5_300.0)) },
            ReadingRecord { test_hz: Some(120.0), ..of(Kind::Inductance, Some(2.25)) },
            of(Kind::Capacitance, Some(4.4e-11)),
            of(Kind::Open, None),
        ];
        (row(number), RunRecord { readings, ..RunRecord::default() })
    }

    fn document(has_names: bool) -> String {
        let runs = String::from_utf8(json_of(&[run(1), run(2)], true, has_names).unwrap()).unwrap();
        format!("{{\"format\":\"{FORMAT}\",\"runs\":[{runs}]}}")
    }

    /// The files as they are, byte by byte: a change of them is a change of a format that others read.
    #[test]
    fn exports_are_as_they_were() {
        insta::assert_snapshot!("logbook_csv", table(SpreadsheetFormat::Point, true));
        insta::assert_snapshot!("logbook_json", document(true));
    }

    fn table(format: SpreadsheetFormat, has_names: bool) -> String {
        String::from_utf8(csv_of(&[run(1), run(2)], true, format, has_names).unwrap()).unwrap()
    }

    /// What is exported is read by the import alike, with a decimal point or a decimal comma.
    #[test]
    fn a_table_with_decimal_commas_comes_back_as_it_went() {
        let of = |format| trade::run_import::read(&table(format, true)).unwrap();
        let commas = table(SpreadsheetFormat::Comma, true);
        assert!(commas.contains(";5300,0;yes;26,5;") || commas.contains(";5300;yes;26,5;"), "{commas}");
        assert_eq!(of(SpreadsheetFormat::Comma), of(SpreadsheetFormat::Point));
    }

    /// Both forms say what was read, under which conditions, as it was read.
    #[test]
    fn readings_keep_their_conditions() {
        for text in [table(SpreadsheetFormat::Point, true), document(true)] {
            let lines = trade::run_import::read(&text).unwrap();
            let entry = &lines[0].entry;
            assert!(lines[0].errors.is_empty(), "{:?}", lines[0].errors);
            assert_eq!((entry.resistance_ohm, entry.coil_c), (Some(5300.0), Some(26.5)));
            assert_eq!((entry.inductance_h, entry.test_hz), (Some(2.25), Some(120.0)));
            assert!(entry.is_open);
        }
        let lines = trade::run_import::read(&document(true)).unwrap();
        assert_eq!(lines[1].entry.record.as_deref(), Some(&run(2).1));
    }

    #[test]
    fn people_are_numbered_where_they_are_not_to_be_named() {
        let numbered = table(SpreadsheetFormat::Point, false);
        assert!(numbered.contains(",person 1,") && !numbered.contains("Farrow"), "{numbered}");
        assert!(!document(false).contains("Farrow"));
    }
}
