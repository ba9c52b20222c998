//! A saved revision: what it will be, its place in the tree, what was measured on it, and what can be made of it.

use super::preview::{PreviewMarkup, preview_markup};
use super::view::View;
use crate::app::App;
use crate::components::frame::{Frame, ProgressStep, progress_steps};
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{attachment, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::design::Targets;
use coil::search::Varied;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format;
use serde::Deserialize;
use store::design::RevisionRow;
use store::sweep::SweepRow;
use store::{ClientKey, RevisionId};
use trade::verdict::Level;

/// Most steps that a branch is shown further in.
const MOST_DEPTH: usize = 5;

/// What a revision can be varied in, as people say it.
const VARIED: [(Varied, &str); 9] = [
    (Varied::Turns, "turns"),
    (Varied::Gauge, "gauge"),
    (Varied::Build, "build of the enamel: single or heavy"),
    (Varied::Wander, "hand wander, %"),
    (Varied::Height, "winding height"),
    (Varied::Gap, "gap to the strings"),
    (Varied::PoleLength, "length of the poles, at the same gap"),
    (Varied::Charge, "charge of the magnets, %"),
    (Varied::Alloy, "alloy of the magnets"),
];

#[derive(Template)]
#[template(path = "designs/revision.html")]
struct RevisionPage {
    frame: Frame,
    steps: Vec<ProgressStep>,
    row: RevisionRow,
    when: String,
    when_iso: String,
    preview: PreviewMarkup,
    tree: Vec<Branch>,
    runs: Vec<RunLine>,
    /// Runs whose verdict is that of another engine.
    of_other_engine: usize,
    is_newest: bool,
    vary: Vec<Field>,
    key: ClientKey,
    labels: Vec<Field>,
    sweeps: Vec<SweepLine>,
    sweep_label: Field,
    sweep_input: Field,
    sweep_points: Field,
    /// Which part is open because something in it is wrong; empty for none.
    open: &'static str,
}

/// A run of the design.
struct RunLine {
    id: u64,
    number: u32,
    revision: u32,
    operator: String,
    level: Option<Level>,
}

/// A measured response in the list.
struct SweepLine {
    label: String,
    revision: u32,
    revision_id: u64,
    run: Option<u64>,
    peak: String,
    by: String,
    when: String,
    when_iso: String,
}

/// A revision in the tree of its design.
struct Branch {
    row: RevisionRow,
    /// How far it is indented: one more for every branch beside a first child.
    depth: usize,
    /// Whether it is selected to be compared: the one shown, and the one before it.
    selected: bool,
}

/// All revisions, each below the one it was made from; what continues directly stays in line, a branch is indented.
fn tree(mut rows: Vec<RevisionRow>, shown: &RevisionRow) -> Vec<Branch> {
    rows.sort_by_key(|r| r.number);
    let mut found = Vec::with_capacity(rows.len());
    let mut waiting: Vec<(RevisionRow, usize)> = Vec::new();
    let is_root = |r: &RevisionRow, rows: &[RevisionRow]| !rows.iter().any(|o| Some(o.id) == r.parent_id);
    let roots: Vec<RevisionRow> = rows.iter().filter(|r| is_root(r, &rows)).cloned().collect();
    waiting.extend(roots.into_iter().rev().map(|r| (r, 0)));
    while let Some((row, depth)) = waiting.pop() {
        let children: Vec<&RevisionRow> = rows.iter().filter(|r| r.parent_id == Some(row.id)).collect();
        // The first child goes straight on and comes last, so that branches stand beside their parent.
        if let Some((first, others)) = children.split_first() {
            waiting.push(((*first).clone(), depth));
            waiting.extend(others.iter().rev().map(|r| ((*r).clone(), depth + 1)));
        }
        let selected = row.id == shown.id || shown.parent_id == Some(row.id);
        found.push(Branch { row, depth: depth.min(MOST_DEPTH), selected });
    }
    found
}

/// What was sent to the page, where it is shown again.
#[derive(Default)]
pub(super) struct RevisionForm {
    /// The form.
    pub form: FormData,
    /// Messages by field.
    pub errors: Errors,
    /// Which drawings are shown.
    pub view: View,
}

/// Which drawings the address asks for.
#[derive(Deserialize)]
pub(super) struct ShowQuery {
    #[serde(default)]
    view: String,
}

/// The revision's page.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<ShowQuery>,
) -> Result<HttpResponse, AppError> {
    let shown = RevisionForm { view: View::named(&query.view), ..RevisionForm::default() };
    revision_page(&app, &user, RevisionId(*id), &shown).await
}

fn sweep_line(row: SweepRow, siblings: &[RevisionRow]) -> Result<SweepLine, AppError> {
    let revision = siblings.iter().find(|s| s.id == row.revision_id).map_or(0, |s| s.number);
    let peak = row.sweep().map_err(AppError::internal)?.peak().map_or_else(
        || "no peak".to_owned(),
        |(hz, db)| format!("peak {}, {}", format::KILOHERTZ.text(hz), format::DECIBEL.text(db)),
    );
    let (when, when_iso) = (format::moment(row.taken_at), format::iso(row.taken_at));
    Ok(SweepLine {
        label: row.label,
        revision,
        revision_id: row.revision_id.0,
        run: row.run_id.map(|run| run.0),
        peak,
        by: row.by,
        when,
        when_iso,
    })
}

/// The part of the page that holds what is wrong.
fn open_part(errors: &Errors) -> &'static str {
    let parts = [
        ("vary", &["values"][..]),
        ("labels", &["label", "tags"]),
        ("sweep", &["points", "sweep_label", "sweep_input"]),
    ];
    let is_wrong = |fields: &[&str]| fields.iter().any(|field| errors.contains_key(*field));
    parts.iter().find(|(_, fields)| is_wrong(fields)).map_or("", |(part, _)| part)
}

/// The page of a revision, with what was sent to it where that is shown again.
pub(super) async fn revision_page(
    app: &App,
    user: &CurrentUser,
    id: RevisionId,
    shown: &RevisionForm,
) -> Result<HttpResponse, AppError> {
    let RevisionForm { form, errors, view } = shown;
    let details = app.workshop.revision_details(&user.actor, id).await?;
    let revision = details.revision;
    let parent = details.parent.as_ref();
    let preview =
        preview_markup((app, user), &revision.design, parent, Some(&revision), (*view, None)).await?;
    let row = revision.row;
    let tags = row.tags.split(',').filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ");
    let sweep_hint = "As the analyser writes them, beginning at 400 Hz or below.";
    let sweeps = details
        .sweeps
        .into_iter()
        .map(|s| sweep_line(s, &details.siblings))
        .collect::<Result<Vec<_>, _>>()?;
    let page = RevisionPage {
        frame: Frame::new(user, "designs", format!("{} r{}", row.name, row.number)),
        steps: progress_steps(revision.design.targets != Targets::default(), None, false),
        when: format::moment(row.created_at),
        when_iso: format::iso(row.created_at),
        preview,
        is_newest: details.siblings.iter().find(|s| !s.is_variant).is_some_and(|s| s.id == row.id),
        tree: tree(details.siblings, &row),
        of_other_engine: details
            .runs
            .iter()
            .filter(|run| run.engine.as_deref().is_some_and(|engine| engine != coil::ENGINE))
            .count(),
        runs: details
            .runs
            .into_iter()
            .map(|run| RunLine {
                level: run.verdict_level(),
                id: run.id.0,
                number: run.number,
                revision: run.revision,
                operator: run.operator,
            })
            .collect(),
        vary: vec![
            Field::chosen(
                "vary",
                "What differs",
                "",
                VARIED.map(|(v, what)| Choice::new(v.word(), what)).to_vec(),
            )
            .filled(form, errors),
            Field::typed(
                "values",
                "Values",
                "A list, such as “7200, 7400, 7800”, or a range, such as “7000 to 8000 by 250”. Up to seven.",
            )
            .filled(form, errors),
        ],
        key: ClientKey::random(),
        labels: vec![
            Field::typed(
                "label",
                "Label of this revision",
                "A name among its siblings, such as “neck version”.",
            )
            .filled_or(form, errors, &row.label),
            Field::typed(
                "tags",
                "Tags of the design",
                "Separated by commas. The list of designs can be filtered by them.",
            )
            .filled_or(form, errors, &tags),
        ],
        sweep_label: Field::typed("sweep_label", "Label", "Which coil, which exciter.").filled(form, errors),
        sweep_input: Field {
            unit: "pF".into(),
            ..Field::typed(
                "sweep_input",
                "Input of the analyser with its lead",
                "What stood across the coil. Left empty, the sweep is taken as it is.",
            )
            .filled(form, errors)
        },
        sweep_points: Field::typed("points", "Hz and dB, one pair per line", sweep_hint).filled(form, errors),
        open: open_part(errors),
        sweeps,
        row,
    };
    render_page(&page, !errors.is_empty())
}

/// The design file.
pub(super) async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let revision = app.workshop.revision(&user.actor, RevisionId(*id)).await?;
    let text = serde_json::to_string_pretty(&revision.design)?;
    let letter = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let name: String = revision.row.name.chars().map(letter).collect();
    Ok(attachment("application/json", &format!("{name}-r{}.json", revision.row.number), text))
}
