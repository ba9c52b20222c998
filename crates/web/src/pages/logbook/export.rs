//! What the filters leave, as a table or a document that can be imported again.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::pages::logbook::filter::filter;
use crate::query::QueryParameters;
use crate::respond::attachment;
use actix_web::{HttpResponse, web};
use presentation::format;
use presentation::spreadsheet::unformulated;
use serde_json::{Map, Value, json};
use store::logbook::LogbookRow;
use trade::run_import::{COLUMNS, FORMAT};
use trade::spreadsheet::SpreadsheetFormat;

/// Most lines of one export.
const MOST: u32 = 100_000;

/// A value to so many parts: no more digits than a meter has.
fn rounded(value: Option<f64>, parts: f64) -> Value {
    json!(value.map(|v| (v * parts).round() / parts))
}

/// A column's value: text, number or nothing.
fn value(row: &LogbookRow, column: &str, has_names: bool) -> Value {
    let text = |t: &Option<String>| t.clone().map_or(Value::Null, Value::from);
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
        "resistance_ohm" => rounded(row.resistance_ohm, 1e3),
        // What a row keeps is at 20 °C.
        "coil_c" => row.resistance_ohm.map_or(Value::Null, |_| json!(20.0)),
        "resistance_off" => rounded(row.resistance_off, 1e6),
        "inductance_h" => rounded(row.inductance_h, 1e6),
        "test_hz" => row.inductance_h.map_or(Value::Null, |_| json!(1000.0)),
        "inductance_off" => rounded(row.inductance_off, 1e6),
        "capacitance_f" => rounded(row.capacitance_f, 1e15),
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

/// Rows as a table.
fn csv_of(rows: &[LogbookRow], format: SpreadsheetFormat, has_names: bool) -> Result<Vec<u8>, csv::Error> {
    let mut out = csv::WriterBuilder::new().delimiter(format.delimiter()).from_writer(Vec::new());
    out.write_record(columns())?;
    for row in rows {
        out.write_record(columns().iter().map(|c| match value(row, c, has_names) {
            Value::String(text) => unformulated(&text),
            Value::Null => String::new(),
            number => format.number(&number.to_string()),
        }))?;
    }
    out.into_inner().map_err(|error| error.into_error().into())
}

/// Rows as a document.
fn json_of(rows: &[LogbookRow], has_names: bool) -> Value {
    let runs: Vec<Value> = rows
        .iter()
        .map(|row| {
            let values = columns().iter().map(|c| ((*c).to_owned(), value(row, c, has_names)));
            Value::Object(values.collect::<Map<_, _>>())
        })
        .collect();
    json!({ "format": FORMAT, "runs": runs })
}

pub(super) async fn csv(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let rows = app.workshop.logbook_rows(&user.actor, &filter(&query), MOST).await?;
    let (format, has_names) = (user.settings.spreadsheets, user.settings.privacy.names_in_exports);
    let written = web::block(move || csv_of(&rows, format, has_names)).await?.map_err(AppError::internal)?;
    Ok(attachment("text/csv; charset=utf-8", "logbook.csv", written))
}

pub(super) async fn json(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let rows = app.workshop.logbook_rows(&user.actor, &filter(&query), MOST).await?;
    Ok(attachment(
        "application/json",
        "logbook.json",
        json_of(&rows, user.settings.privacy.names_in_exports).to_string(),
    ))
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
            format: Stored(coil::design::Kind::TallSingle),
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

    /// The files as they are, byte by byte: a change of them is a change of a format that others read.
    #[test]
    fn exports_are_as_they_were() {
        let rows = [row(1), row(2)];
        insta::assert_snapshot!("logbook_csv", table(SpreadsheetFormat::Point, true));
        insta::assert_snapshot!("logbook_json", serde_json::to_string_pretty(&json_of(&rows, true)).unwrap());
    }

    fn table(format: SpreadsheetFormat, has_names: bool) -> String {
        String::from_utf8(csv_of(&[row(1), row(2)], format, has_names).unwrap()).unwrap()
    }

    /// What is exported is read by the import alike, with a decimal point or a decimal comma.
    #[test]
    fn a_table_with_decimal_commas_comes_back_as_it_went() {
        let of = |format| trade::run_import::read(&table(format, true)).unwrap();
        let commas = table(SpreadsheetFormat::Comma, true);
        assert!(commas.contains(";5750,123;"), "{commas}");
        assert_eq!(of(SpreadsheetFormat::Comma), of(SpreadsheetFormat::Point));
    }

    #[test]
    fn people_are_numbered_where_they_are_not_to_be_named() {
        let numbered = table(SpreadsheetFormat::Point, false);
        assert!(numbered.contains(",person 1,") && !numbered.contains("Farrow"), "{numbered}");
        assert!(!json_of(&[row(1)], false).to_string().contains("Farrow"));
    }
}
