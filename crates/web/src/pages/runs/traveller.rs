//! The traveller of a run on its page, and a workshop's own travellers.

use super::{AppError, FormData, Frame, readings_of, redirect};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::format;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::{Design, Kind as Format, starting_point};
use std::fmt::Write as _;
use store::design::Revision;
use store::{RunId, WorkshopId};
use trade::reading::{Kind, Reading};
use trade::traveller::{Operation, Signature, Standing, Traveller};

/// An operation as the run's page shows it.
pub struct OperationRow {
    pub operation: Operation,
    /// `done`, `now` or `later`.
    pub state: &'static str,
    pub signed: Option<Signature>,
    /// What it still waits for.
    pub waits: String,
}

/// What the traveller of a run comes to.
pub struct Course {
    pub rows: Vec<OperationRow>,
    /// Whether all is signed: then readings are only corrected.
    pub closed: bool,
}

/// The traveller of a run with its signatures; `None` for runs from before there were any.
pub async fn course(
    app: &App,
    workshop: WorkshopId,
    run: RunId,
    readings: &[Reading],
) -> Result<Option<Course>, AppError> {
    let Some(traveller) = app.store.of(workshop).traveller_of_run(run).await? else { return Ok(None) };
    let signed = app.store.of(workshop).signatures(run, format::moment).await?;
    let closed = traveller.is_done(&signed);
    let rows = traveller.standing(&signed, readings).into_iter().map(|(operation, standing)| {
        let (state, signed, missing) = match standing {
            Standing::Done(signed) => ("done", Some(signed), Vec::new()),
            Standing::Now(missing) => ("now", None, missing),
            Standing::Later => ("later", None, Vec::new()),
        };
        let waits = missing.iter().map(|kind: &Kind| kind.name()).collect::<Vec<_>>().join(" and ");
        OperationRow { operation, state, signed, waits }
    });
    Ok(Some(Course { rows: rows.collect(), closed }))
}

/// The traveller that a new run of a design follows: the workshop's own, or the usual one.
pub async fn traveller_for(app: &App, workshop: WorkshopId, design: &Design) -> Result<Traveller, AppError> {
    let own = app.store.of(workshop).traveller(&word(design.kind)).await?;
    Ok(own.unwrap_or_else(|| Traveller::usual(design)))
}

fn word(kind: Format) -> String {
    serde_json::to_value(kind).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

/// Signs an operation.
pub async fn sign(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (workshop, run) = (user.workshop(), RunId(*id));
    let Some(traveller) = app.store.of(workshop).traveller_of_run(run).await? else {
        return Err(AppError::Missing("traveller"));
    };
    let signed = app.store.of(workshop).signatures(run, format::moment).await?;
    let readings = readings_of(&app, workshop, run).await?;
    let (key, waived) = (form.get("operation"), form.get("waived"));
    if waived.chars().count() > 500 {
        return Err(AppError::Unreadable("A reason has up to 500 letters.".into()));
    }
    // What was read and lies off is not signed over without a word.
    let holds = traveller.0.iter().any(|one| one.key == key && !one.hold.is_empty());
    let level = app.store.of(workshop).run(run).await?.row.level;
    if let (true, true, Some(level @ ("look" | "stop"))) = (holds, waived.is_empty(), level.as_deref()) {
        return Err(AppError::Unreadable(format!(
            "Not signed: the verdict is “{}”. Read again, wind it again, or sign with a reason.",
            super::level_name(level)
        )));
    }
    match traveller.may_sign(key, &signed, &readings, waived) {
        // Sent twice, it is signed once.
        Ok(()) | Err(trade::traveller::SigningRefusal::Signature) => {
            app.store.of(workshop).sign(run, user.person.id, key, waived).await?;
            Ok(redirect(format!("/runs/{id}#operations")))
        }
        Err(why) => Err(AppError::Unreadable(format!("Not signed: {why}."))),
    }
}

#[derive(Template)]
#[template(path = "runs/travellers.html")]
struct TravellersPage {
    frame: Frame,
    kinds: Vec<(String, &'static str, bool)>,
    kind: String,
    text: String,
    own: bool,
    error: String,
}

/// A traveller as people write it: an operation a block, its parts a line each.
fn written(traveller: &Traveller) -> String {
    // Writing to a string cannot fail.
    let mut text = String::new();
    for one in &traveller.0 {
        text.push_str(&one.name);
        text.push('\n');
        for (what, value) in [("how", one.how.as_str()), ("caution", one.caution.as_str())] {
            if !value.is_empty() {
                let _ = writeln!(text, "  {what}: {value}");
            }
        }
        if !one.hold.is_empty() {
            let all: Vec<&str> = one.hold.iter().map(|kind| kind.key()).collect();
            let _ = writeln!(text, "  hold: {}", all.join(", "));
        }
        if let Some(minutes) = one.minutes {
            let _ = writeln!(text, "  minutes: {minutes}");
        }
        text.push('\n');
    }
    text
}

/// Reads it again; keys are made of the names.
fn read(text: &str) -> Result<Traveller, String> {
    let mut all: Vec<Operation> = Vec::new();
    for (k, line) in text.lines().enumerate() {
        if line.trim().is_empty() {
            continue;
        }
        if !line.starts_with(' ') && !line.starts_with('\t') {
            let name = line.trim().to_owned();
            let mut key: String =
                name.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
            key.truncate(key.char_indices().nth(36).map_or(key.len(), |(at, _)| at));
            all.push(Operation {
                key,
                name,
                how: String::new(),
                caution: String::new(),
                hold: Vec::new(),
                minutes: None,
            });
            continue;
        }
        let wrong = |why: &str| format!("Line {}: {why}", k + 1);
        let one = all.last_mut().ok_or_else(|| wrong("an operation's name comes first, at the left."))?;
        let (what, value) = line
            .trim()
            .split_once(':')
            .ok_or_else(|| wrong("write how, caution, hold or minutes, and a colon."))?;
        let value = value.trim();
        match what.trim() {
            "how" => value.clone_into(&mut one.how),
            "caution" => value.clone_into(&mut one.caution),
            "hold" => {
                one.hold = value
                    .split(',')
                    .map(|word| {
                        let held = [Kind::Turns, Kind::Resistance, Kind::Inductance, Kind::Flux];
                        held.into_iter()
                            .find(|kind| kind.key() == word.trim())
                            .ok_or_else(|| wrong("hold for turns, resistance, inductance or flux."))
                    })
                    .collect::<Result<_, _>>()?;
            }
            "minutes" => {
                let minutes = value.parse::<u32>().ok().filter(|m| (1..=20_000).contains(m));
                one.minutes = Some(minutes.ok_or_else(|| wrong("minutes are a whole number, 1 to 20,000."))?);
            }
            _ => return Err(wrong("write how, caution, hold or minutes, and a colon.")),
        }
    }
    let traveller = Traveller(all);
    traveller.check()?;
    Ok(traveller)
}

#[derive(serde::Deserialize)]
pub struct KindQuery {
    kind: Option<Format>,
}

fn travellers_page(
    user: &CurrentUser,
    kind: Format,
    text: String,
    own: bool,
    error: String,
) -> Result<HttpResponse, AppError> {
    let status = if error.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = TravellersPage {
        frame: Frame::new(user, "logbook", "Travellers"),
        kinds: Format::ALL.iter().map(|k| (word(*k), k.name(), *k == kind)).collect(),
        kind: word(kind),
        text,
        own,
        error,
    };
    let html = page.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(html))
}

/// The traveller of a format, to be changed.
pub async fn travellers(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<KindQuery>,
) -> Result<HttpResponse, AppError> {
    let kind = query.kind.unwrap_or(Format::TallSingle);
    let own = app.store.of(user.workshop()).traveller(&word(kind)).await?;
    let usual = Traveller::usual(&starting_point(kind, "usual", 6, 10.0));
    let text = written(own.as_ref().unwrap_or(&usual));
    travellers_page(&user, kind, text, own.is_some(), String::new())
}

/// Keeps a workshop's own traveller, or goes back to the usual one.
pub async fn keep_traveller(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let kind: Format = serde_json::from_value(form.get("kind").into())
        .map_err(|error: serde_json::Error| AppError::Unreadable(error.to_string()))?;
    let (workshop, by) = (user.workshop(), user.person.id);
    if form.get("usual") == "yes" {
        app.store.of(workshop).keep_traveller(by, &word(kind), None).await?;
        return Ok(redirect(format!("/travellers?kind={}", word(kind))));
    }
    // The lines' own blanks matter.
    let text = form.0.get("text").cloned().unwrap_or_default();
    match read(&text) {
        Ok(traveller) => {
            app.store.of(workshop).keep_traveller(by, &word(kind), Some(&traveller)).await?;
            Ok(redirect(format!("/travellers?kind={}", word(kind))))
        }
        Err(error) => travellers_page(&user, kind, text, true, error),
    }
}

/// What a new run shows of its plan before it is begun: operations, and the minutes and wire that it takes.
pub async fn plan_lines(
    app: &App,
    workshop: WorkshopId,
    revision: &Revision,
) -> Result<Vec<String>, AppError> {
    let traveller = traveller_for(app, workshop, &revision.design).await?;
    Ok(traveller.0.into_iter().map(|o| o.name).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn a_traveller_is_written_and_read_again() {
        let usual = Traveller::usual(&starting_point(Format::TallSingle, "Sedge", 6, 10.4));
        let again = read(&written(&usual)).unwrap();
        assert_eq!(again.0.len(), usual.0.len());
        for (a, b) in again.0.iter().zip(&usual.0) {
            assert_eq!(
                (&a.name, &a.how, &a.caution, &a.hold, a.minutes),
                (&b.name, &b.how, &b.caution, &b.hold, b.minutes)
            );
        }
    }

    #[rstest]
    #[case("  how: alone", "Line 1: an operation's name")]
    #[case("Wind\n  hold: weather", "hold for turns")]
    #[case("Wind\n  minutes: soon", "Line 2: minutes")]
    #[case("Wind\n  dance", "write how")]
    #[case("Wind\nWind", "Two operations")]
    #[case("", "1 to 40")]
    fn what_is_wrong_is_said_by_line(#[case] text: &str, #[case] words: &str) {
        assert!(read(text).unwrap_err().contains(words), "{:?}", read(text));
    }
}
