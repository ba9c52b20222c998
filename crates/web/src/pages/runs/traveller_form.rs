//! A workshop's own travellers, written as text: an operation a block, its parts a line each.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::design::Format;
use serde::Deserialize;
use std::fmt::Write as _;
use trade::reading::Kind;
use trade::traveller::{Operation, Traveller};

#[derive(Template)]
#[template(path = "runs/travellers.html")]
struct TravellersPage {
    frame: Frame,
    formats: Vec<(&'static str, &'static str, bool)>,
    format: &'static str,
    text: String,
    /// Whether the workshop has one of its own.
    is_own: bool,
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

#[derive(Deserialize)]
pub(super) struct FormatQuery {
    kind: Option<Format>,
}

fn travellers_page(
    user: &CurrentUser,
    kind: Format,
    text: String,
    is_own: bool,
    error: String,
) -> Result<HttpResponse, AppError> {
    let page = TravellersPage {
        frame: Frame::new(user, "logbook", "Travellers"),
        formats: Format::ALL.iter().map(|k| (k.word(), k.name(), *k == kind)).collect(),
        format: kind.word(),
        text,
        is_own,
        error,
    };
    render_page(&page, !page.error.is_empty())
}

/// The traveller of a format, to be changed.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<FormatQuery>,
) -> Result<HttpResponse, AppError> {
    let kind = query.kind.unwrap_or(Format::TallSingle);
    let (traveller, is_own) = app.workshop.format_traveller(&user.actor, kind).await?;
    travellers_page(&user, kind, written(&traveller), is_own, String::new())
}

/// Saves a workshop's own traveller, or restores the usual one.
pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let kind: Format = form.get("kind").parse().ok().ok_or(AppError::NotFound("format"))?;
    let back = || redirect(format!("/travellers?kind={}", kind.word()));
    if form.is_ticked("usual") {
        app.workshop.save_format_traveller(&user.actor, kind, None).await?;
        return Ok(back());
    }
    // The lines' own blanks matter.
    let text = form.untrimmed("text").to_owned();
    match read(&text) {
        Ok(traveller) => {
            app.workshop.save_format_traveller(&user.actor, kind, Some(&traveller)).await?;
            Ok(back())
        }
        Err(error) => travellers_page(&user, kind, text, true, error),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::starting_point;
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
    fn what_is_wrong_is_told_by_line(#[case] text: &str, #[case] words: &str) {
        assert!(read(text).unwrap_err().contains(words), "{:?}", read(text));
    }
}
