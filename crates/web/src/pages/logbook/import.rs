//! Importing runs: pasted or from a file, checked line by line, and only then taken, all or none.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::Word as _;
use coil::design::Format;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOOHM};
use std::collections::BTreeSet;
use store::ClientKey;
use trade::run_import::{COLUMNS, read};
use workshop::{
    ImportCheck, ImportOutcome, JobOutcome, LineProblem, NameColumn, NameDecision, NameDecisions,
    ReviewedLine, with_known_names,
};

/// Lines shown in the preview; all that are wrong are among them.
const SHOWN: usize = 200;

/// Letters beyond which a file stays on the server while it is looked through.
const LONG: usize = 200_000;

/// A line in the preview.
struct LineRow {
    number: usize,
    outcome: ImportOutcome,
    started: String,
    design: String,
    spool: String,
    who: String,
    turns: String,
    resistance: String,
    inductance: String,
    messages: Vec<String>,
    /// It is imported although a run like it is in the logbook.
    is_anyway: bool,
}

#[derive(Template)]
#[template(path = "logbook/import.html")]
struct ImportPage {
    frame: Frame,
    tab: &'static str,
    key: ClientKey,
    text: String,
    error: String,
    columns: String,
    shown: Vec<LineRow>,
    /// Lines beyond those shown.
    hidden: usize,
    new: usize,
    known: usize,
    wrong: usize,
    /// Lines in all.
    lines: usize,
    /// Under which key a long file is kept, instead of being sent back and forth; empty otherwise.
    kept: String,
    /// Names that are not known.
    names: Vec<NameRow>,
}

impl ImportPage {
    fn new(user: &CurrentUser, text: &str, error: &str, key: ClientKey) -> Self {
        Self {
            frame: Frame::new(user, "logbook", "Import runs"),
            tab: "runs",
            key,
            text: text.to_owned(),
            error: error.to_owned(),
            columns: COLUMNS[..COLUMNS.len() - 1].join(", "),
            shown: Vec::new(),
            hidden: 0,
            new: 0,
            known: 0,
            wrong: 0,
            lines: 0,
            kept: String::new(),
            names: Vec::new(),
        }
    }

    fn field(&self) -> Field {
        let errors = Errors::from([("text".to_owned(), self.error.clone())]);
        Field::typed("text", "Table or document", "").with(&self.text, &errors)
    }
}

const fn column_word(column: NameColumn) -> &'static str {
    match column {
        NameColumn::Design => "design",
        NameColumn::Spool => "spool",
        NameColumn::Operator => "operator",
        NameColumn::Winder => "winder",
    }
}

/// Between column and name in the value of a field.
const BETWEEN: char = '\u{1f}';

/// A name that is not known, with what can be done about it.
struct NameRow {
    /// Number of its fields.
    number: usize,
    /// Column and name, as a field carries them.
    of: String,
    label: String,
    choices: Vec<Choice>,
    chosen: String,
}

fn name_rows(check: &ImportCheck, decisions: &NameDecisions, user: &CurrentUser) -> Vec<NameRow> {
    // What was said before is said again with every check: the lines keep the name that they came with.
    let said = decisions
        .iter()
        .filter(|(_, d)| matches!(d, NameDecision::Is(_)))
        .map(|(of, _)| (of.clone(), (0, None)));
    let all = check.unknown_names().into_iter().chain(said);
    all.enumerate()
        .map(|(number, ((column, name), (count, suggestion)))| {
            let mut choices = vec![Choice::new("", "left as it is")];
            if user.actor.may(column.action()) {
                match column {
                    NameColumn::Design => choices.extend(Format::ALL.iter().map(|k| {
                        Choice::new(format!("add:{}", k.word()), format!("a new design, {}", k.name()))
                    })),
                    NameColumn::Spool => {
                        choices.push(Choice::new("add", "a new spool, of the wire of its design"));
                    }
                    NameColumn::Operator => choices.push(Choice::new("add", "a new operator")),
                    NameColumn::Winder => {}
                }
            }
            // What is most like it comes first, and is still to be chosen: two spools may differ in one letter.
            let like = suggestion.iter().map(|known| (known, format!("the same as {known}, most like it")));
            let all = check.known_names.get(&column).into_iter().flatten();
            let others = all.filter(|known| suggestion.as_ref() != Some(*known));
            let others = others.map(|known| (known, format!("the same as {known}")));
            choices
                .extend(like.chain(others).map(|(known, label)| Choice::new(format!("is:{known}"), label)));
            let chosen = match decisions.get(&(column, name.clone())) {
                Some(NameDecision::Is(known)) => format!("is:{known}"),
                _ => String::new(),
            };
            let lines =
                if count == 0 { String::new() } else { format!(", {}", format::counted(count, "line")) };
            NameRow {
                number,
                of: format!("{}{BETWEEN}{name}", column_word(column)),
                label: format!("{} “{name}”{lines}", column_word(column)),
                choices,
                chosen,
            }
        })
        .collect()
}

/// What was said about names.
fn decisions_of(form: &FormData) -> NameDecisions {
    let mut all = NameDecisions::new();
    for (field, of) in form.iter().filter(|(field, _)| field.starts_with("name_of_")) {
        let Some((column, name)) = of.split_once(BETWEEN) else { continue };
        let Ok(column) = column.parse::<NameColumn>() else { continue };
        let decision = match form.get(&field.replace("name_of_", "name_is_")).split_once(':') {
            Some(("is", known)) => NameDecision::Is(known.to_owned()),
            Some(("add", kind)) => match kind.parse() {
                Ok(kind) => NameDecision::AddDesign(kind),
                Err(_) => continue,
            },
            _ if form.get(&field.replace("name_of_", "name_is_")) == "add" => NameDecision::Add,
            _ => continue,
        };
        all.insert((column, name.to_owned()), decision);
    }
    all
}

/// What is wrong with a line, in words.
fn problem_text(problem: &LineProblem) -> String {
    match problem {
        LineProblem::Unreadable { column, message } if column.is_empty() => message.clone(),
        LineProblem::Unreadable { column, message } => format!("{column}: {message}"),
        LineProblem::UnknownName { column, name, suggestion: Some(other) } => {
            format!("{}: there is no “{name}” here; did you mean “{other}”?", column_word(*column))
        }
        LineProblem::UnknownName { column, name, suggestion: None } => {
            format!(
                "{}: there is no “{name}” here: say above what it is, or correct the name.",
                column_word(*column)
            )
        }
        LineProblem::UnknownRevision { design, available } => {
            let all: Vec<String> = available.iter().map(|n| format!("r{n}")).collect();
            format!("revision: {design} has no such revision; there are {}.", all.join(", "))
        }
    }
}

/// What becomes of a line, where that needs words.
const fn outcome_text(outcome: ImportOutcome) -> Option<&'static str> {
    match outcome {
        ImportOutcome::New | ImportOutcome::Wrong => None,
        ImportOutcome::InLogbook => Some("in the logbook already"),
        ImportOutcome::Repeated => Some("the same as a line further up"),
        ImportOutcome::AlikeInLogbook => {
            Some("a run of that day with the same turns and resistance is in the logbook already")
        }
    }
}

fn line_row(reviewed: &ReviewedLine, anyway: &BTreeSet<usize>) -> LineRow {
    let entry = &reviewed.line.entry;
    let mut messages: Vec<String> = reviewed.problems.iter().map(problem_text).collect();
    messages.extend(outcome_text(reviewed.outcome).map(str::to_owned));
    LineRow {
        is_anyway: anyway.contains(&reviewed.line.number),
        number: reviewed.line.number,
        outcome: reviewed.outcome,
        started: entry.started.map_or_else(String::new, format::moment),
        design: entry.design.clone() + &entry.revision.map_or_else(String::new, |r| format!(" r{r}")),
        spool: entry.spool.clone(),
        who: entry.operator.clone(),
        turns: entry.turns.map_or_else(String::new, format::turns),
        resistance: entry.resistance_ohm.map_or_else(String::new, |v| KILOOHM.text(v)),
        inductance: entry.inductance_h.map_or_else(String::new, |v| HENRY.text(v)),
        messages,
    }
}

pub(super) async fn show(user: CurrentUser) -> Result<HttpResponse, AppError> {
    render_page(&ImportPage::new(&user, "", "", ClientKey::random()), false)
}

/// Reads what was sent and shows it; or takes it, once it was seen and nothing is wrong with it.
pub(super) async fn check(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let text = form.untrimmed("text").to_owned();
    let key = form.key()?;
    let numbers = form.iter().filter_map(|(name, _)| name.strip_prefix("anyway_"));
    let anyway: BTreeSet<usize> = numbers.filter_map(|line| line.parse().ok()).collect();
    let kept: Option<ClientKey> = form.get("kept").parse().ok().filter(|_| text.trim().is_empty());
    let again = match &kept {
        Some(kept) => match app.workshop.kept_import(&user.actor, kept)? {
            Some(lines) => Ok(lines),
            None => Err("This file was looked at too long ago: choose it again.".to_owned()),
        },
        None => read(&text),
    };
    let lines = match again {
        Ok(lines) => lines,
        Err(message) => return render_page(&ImportPage::new(&user, &text, &message, key), true),
    };
    let decisions = decisions_of(&form);
    let lines = with_known_names(lines, &decisions);
    app.workshop.add_import_names(&user.actor, &lines, &decisions).await?;
    let check = app.workshop.check_import(&user.actor, lines, &anyway).await?;
    let (new, wrong) = (check.count(ImportOutcome::New), check.count(ImportOutcome::Wrong));
    let confirmed = form.is_ticked("take") && (wrong == 0 || form.is_ticked("without"));
    if confirmed && new > 0 {
        let job = app.workshop.begin_import(&user.actor, check)?;
        return Ok(redirect(format!("/logbook/import/{job}")));
    }
    let is_long = kept.is_some() || text.len() > LONG;
    let mut page = ImportPage::new(&user, if is_long { "" } else { &text }, "", key);
    (page.new, page.wrong, page.known) = (new, wrong, check.lines.len() - new - wrong);
    page.lines = check.lines.len();
    page.names = name_rows(&check, &decisions, &user);
    let mut first: Vec<&ReviewedLine> = check.lines.iter().collect();
    // What is wrong first; beyond the room of the page the rest is as good as these.
    first.sort_by_key(|l| match l.outcome {
        ImportOutcome::Wrong => (0, l.line.number),
        ImportOutcome::AlikeInLogbook => (1, l.line.number),
        _ => (2, l.line.number),
    });
    page.hidden = first.len().saturating_sub(SHOWN);
    page.shown = first.into_iter().take(SHOWN).map(|line| line_row(line, &anyway)).collect();
    if is_long {
        let kept = ClientKey::random();
        page.kept = kept.to_string();
        app.workshop.keep_import(&user.actor, kept, check)?;
    }
    render_page(&page, wrong > 0)
}

#[derive(Template, WebTemplate)]
#[template(path = "logbook/import_progress.html")]
pub(super) struct ImportProgressPage {
    frame: Frame,
    tab: &'static str,
    job: String,
    /// How many were imported, once all is done.
    done: Option<u32>,
    failed: bool,
}

/// How far it is.
pub(super) async fn progress(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<ImportProgressPage, AppError> {
    let job = app.workshop.job(&user.actor, &name)?;
    let outcome = job.outcome();
    Ok(ImportProgressPage {
        frame: Frame::new(&user, "logbook", "Importing runs"),
        tab: "runs",
        job: name.into_inner(),
        done: if let Some(JobOutcome::Imported(new)) = outcome { Some(new) } else { None },
        failed: matches!(outcome, Some(JobOutcome::Failed(_) | JobOutcome::Stopped)),
    })
}
