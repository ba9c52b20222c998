//! What the filters leave, as a table or a document that can be brought in again.

use super::filter;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::format;
use crate::query::Asked;
use actix_web::{HttpResponse, web};
use serde_json::{Map, Value, json};
use store::logbook::LogbookRow;
use trade::run_import::{COLUMNS, FORMAT};

/// Most lines of one export.
const MOST: u32 = 100_000;

/// Text that a spreadsheet would take for a formula gets a mark before it.
pub fn unformulated(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text.to_owned() }
}

/// A value to so many parts: no more digits than a meter has.
fn rounded(value: Option<f64>, parts: f64) -> Value {
    json!(value.map(|v| (v * parts).round() / parts))
}

/// A column's value: text, number or nothing.
fn value(line: &LogbookRow, column: &str) -> Value {
    let text = |t: &Option<String>| t.clone().map_or(Value::Null, Value::from);
    match column {
        "key" => line.client_key.clone().into(),
        "run" => line.number.into(),
        "started_utc" => format::iso(line.started_at).into(),
        "design" => line.name.clone().into(),
        "revision" => format!("r{}", line.revision).into(),
        "spool" => text(&line.spool),
        "operator" => line.operator.clone().into(),
        "winder" => text(&line.winder),
        "planned_turns" => line.planned_turns.into(),
        "turns" => json!(line.turns),
        "resistance_ohm" => rounded(line.resistance_ohm, 1e3),
        // What a line keeps is at 20 °C.
        "coil_c" => line.resistance_ohm.map_or(Value::Null, |_| json!(20.0)),
        "resistance_off" => rounded(line.resistance_off, 1e6),
        "inductance_h" => rounded(line.inductance_h, 1e6),
        "test_hz" => line.inductance_h.map_or(Value::Null, |_| json!(1000.0)),
        "inductance_off" => rounded(line.inductance_off, 1e6),
        "capacitance_f" => rounded(line.capacitance_f, 1e15),
        "verdict" => line.level.clone().into(),
        "words" => line.verdict.clone().into(),
        "remark" => line.remark.clone().into(),
        _ => Value::Null,
    }
}

async fn lines(
    app: &App,
    user: &CurrentUser,
    query: Vec<(String, String)>,
) -> Result<Vec<LogbookRow>, AppError> {
    Ok(app.store.of(user.workshop()).log_lines(&filter(&Asked(query)), MOST).await?)
}

pub async fn csv(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<HttpResponse, AppError> {
    let lines = lines(&app, &user, query.into_inner()).await?;
    let written = web::block(move || {
        let mut out = csv::Writer::from_writer(Vec::new());
        let columns = &COLUMNS[..COLUMNS.len() - 1];
        out.write_record(columns).map_err(|e| e.to_string())?;
        for line in &lines {
            out.write_record(columns.iter().map(|c| match value(line, c) {
                Value::String(text) => unformulated(&text),
                Value::Null => String::new(),
                number => number.to_string(),
            }))
            .map_err(|e| e.to_string())?;
        }
        out.into_inner().map_err(|e| e.to_string())
    })
    .await?;
    let body = written.map_err(AppError::Internal)?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"logbook.csv\""))
        .body(body))
}

pub async fn json(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<HttpResponse, AppError> {
    let lines = lines(&app, &user, query.into_inner()).await?;
    let runs: Vec<Value> = lines
        .iter()
        .map(|line| {
            let columns = COLUMNS[..COLUMNS.len() - 1].iter();
            Value::Object(columns.map(|c| ((*c).to_owned(), value(line, c))).collect::<Map<_, _>>())
        })
        .collect();
    Ok(HttpResponse::Ok()
        .insert_header(("Content-Disposition", "attachment; filename=\"logbook.json\""))
        .json(json!({ "format": FORMAT, "runs": runs })))
}

#[cfg(test)]
mod tests {
    #[test]
    fn no_cell_becomes_a_formula() {
        assert_eq!(super::unformulated("=1+1"), "'=1+1");
        assert_eq!(super::unformulated("Reed"), "Reed");
    }
}
