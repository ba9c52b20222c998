//! A saved revision: what it will be, its place in the tree, what was measured on it, and what can be made of it.

use super::context::context;
use super::preview::{Outlook, View, render_preview};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format;
use crate::layout::{Field, Frame, ProgressStep, progress_steps};
use crate::pages::redirect;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::magnet::Grade;
use coil::search::Adjustment;
use serde::Deserialize;
use store::design::{NewRevision, RevisionRow};
use store::run::{RunFilter, RunRow};
use store::sweep::NewSweep;
use store::{ClientKey, RevisionId};
use trade::sweep::Sweep;

/// What an experiment varies: field value, what it is called, and the step to either side.
const VARIED: [(&str, &str, [Adjustment; 2]); 7] = [
    ("turns", "turns, by 300", [Adjustment::Turns(-300), Adjustment::Turns(300)]),
    ("gauge", "gauge, by one", [Adjustment::Gauge(-1), Adjustment::Gauge(1)]),
    ("wander", "hand wander, by 15 %", [Adjustment::Wander(-0.15), Adjustment::Wander(0.15)]),
    ("gap", "gap to the strings, by 0.5 mm", [Adjustment::Gap(-0.5), Adjustment::Gap(0.5)]),
    ("height", "winding height, by 1 mm", [Adjustment::Height(-1.0), Adjustment::Height(1.0)]),
    ("charge", "charge: 100, 80 and 60 %", [Adjustment::Charge(0.8), Adjustment::Charge(0.6)]),
    (
        "alloy",
        "alloy: alnico 2 and 3 beside it",
        [Adjustment::Alloy(Grade::Alnico2), Adjustment::Alloy(Grade::Alnico3)],
    ),
];

/// Saves two branches that differ from a revision in one thing, so that three coils can be wound and told apart.
pub async fn experiment(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let revision = app.store.of(user.workshop()).revision(RevisionId(*id)).await?;
    let Some((_, what, adjustments)) = VARIED.iter().find(|(name, _, _)| *name == form.get("vary")) else {
        return Err(AppError::Unreadable("Choose what the experiment varies.".into()));
    };
    let mut family = vec![*id];
    for (k, adjustment) in adjustments.iter().enumerate() {
        let Some(design) = adjustment.applied(&revision.design) else {
            return Err(AppError::Unreadable(format!(
                "{} leads out of what is allowed here.",
                adjustment.words()
            )));
        };
        let of = Some(revision.row.design_id);
        let prediction = app.predicted(user.workshop(), of, &design).await?.ok();
        // Sent twice, the family is the same one.
        let key = format!("{:.30}{k:02}", form.key()?.to_string()).parse::<ClientKey>();
        let key = key.map_err(|error| AppError::Unreadable(error.to_string()))?;
        let note = format!(
            "Experiment on r{}, {what}: {}; nothing else differs.",
            revision.row.number,
            adjustment.words()
        );
        let new = NewRevision {
            key,
            parent: Some(revision.row.id),
            note: &note,
            design: &design,
            prediction: prediction.as_deref(),
        };
        family.push(app.store.of(user.workshop()).save_revision(user.person.id, &new).await?.0);
    }
    let of: Vec<String> = family.iter().map(|id| format!("of={id}")).collect();
    Ok(redirect(format!("/compare?{}", of.join("&"))))
}

#[derive(Template)]
#[template(path = "designs/revision.html")]
struct RevisionPage {
    frame: Frame,
    thread: Vec<ProgressStep>,
    row: RevisionRow,
    when: String,
    when_iso: String,
    preview: Outlook,
    tree: Vec<Branch>,
    runs: Vec<RunRow>,
    newest: bool,
    varied: Vec<(&'static str, &'static str)>,
    key: ClientKey,
    keeping: Vec<Field>,
    sweeps: Vec<SweepLine>,
    sweep: Vec<Field>,
    sweep_open: bool,
}

/// A measured response in the list.
struct SweepLine {
    label: String,
    peak: String,
    by: String,
    when: String,
    when_iso: String,
}

/// A revision in the tree of its design.
struct Branch {
    row: RevisionRow,
    /// How far in it stands: one more for every branch beside a first child.
    depth: usize,
    /// Whether it is ticked to be compared: the one shown, and the one before it.
    ticked: bool,
}

/// All revisions, each below the one it was made from; what goes straight on stays in line, a branch stands further in.
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
        if let Some((first, context)) = children.split_first() {
            waiting.push(((*first).clone(), depth));
            waiting.extend(context.iter().rev().map(|r| ((*r).clone(), depth + 1)));
        }
        let ticked = row.id == shown.id || shown.parent_id == Some(row.id);
        found.push(Branch { row, depth: depth.min(5), ticked });
    }
    found
}

/// Which drawings the address asks for.
#[derive(Deserialize)]
pub struct ShowQuery {
    #[serde(default)]
    view: String,
}

/// The revision's page.
pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<ShowQuery>,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, RevisionId(*id), &query.view, &FormData::default(), &Errors::new()).await
}

async fn page(
    app: &App,
    user: &CurrentUser,
    id: RevisionId,
    view: &str,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let revision = app.store.of(workshop).revision(id).await?;
    let parent = match revision.row.parent_id {
        Some(parent) => Some(app.store.of(workshop).revision(parent).await?.design),
        None => None,
    };
    let siblings = app.store.of(workshop).revisions(revision.row.design_id).await?;
    let filter = RunFilter { design: Some(revision.row.design_id), ..RunFilter::default() };
    let runs = app.store.of(workshop).runs(&filter).await?;
    let context = context(app, user, None, Some(&revision)).await?;
    let preview =
        render_preview(app, &revision.design, parent.as_ref(), (View::named(view), None), context).await?;
    let aims = revision.design.aims != coil::design::Aims::default();
    let row = revision.row;
    let typed = |name: &str, usual: &str| {
        if form.0.contains_key(name) { form.get(name).to_owned() } else { usual.to_owned() }
    };
    let tags = row.tags.split(',').filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ");
    let mut sweeps = Vec::new();
    for one in app.store.of(workshop).sweeps(Some(id)).await? {
        let peak = one.sweep()?.peak().map_or_else(
            || "no peak in it".to_owned(),
            |(hz, db)| format!("peak {}, {}", format::KILOHERTZ.text(hz), format::DECIBEL.text(db)),
        );
        let (when, when_iso) = (format::moment(one.taken_at), format::iso(one.taken_at));
        sweeps.push(SweepLine { label: one.label, peak, by: one.by, when, when_iso });
    }
    let template = RevisionPage {
        frame: Frame::new(user, "designs", format!("{} r{}", row.name, row.number)),
        thread: progress_steps(aims, None, false),
        when: format::moment(row.created_at),
        when_iso: format::iso(row.created_at),
        preview,
        newest: siblings.first().is_some_and(|s| s.id == row.id),
        tree: tree(siblings, &row),
        runs,
        varied: VARIED.iter().map(|(name, what, _)| (*name, *what)).collect(),
        key: ClientKey::random(),
        keeping: vec![
            Field::typed(
                "label",
                "Call this revision",
                "A name among its siblings, such as “the one for the neck”.",
            )
            .with(&typed("label", &row.label), errors),
            Field::typed(
                "tags",
                "Tags of the design",
                "Parted by commas; the list of designs can be narrowed to one.",
            )
            .with(&typed("tags", &tags), errors),
        ],
        sweep: vec![
            Field::typed("sweep_label", "Called", "Which coil, which exciter.")
                .with(form.get("sweep_label"), errors),
            Field::typed(
                "points",
                "Hz and dB, a line each",
                "As the analyser writes them; begin at 400 Hz or below.",
            )
            .with(form.get("points"), errors),
        ],
        sweep_open: errors.contains_key("points") || errors.contains_key("sweep_label"),
        sweeps,
        row,
    };
    let status = if errors.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let markup = template.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(markup))
}

/// Tags as they were typed: trimmed, each once.
fn tags(text: &str) -> Result<Vec<String>, String> {
    let mut all: Vec<String> = Vec::new();
    for tag in text.split(',').map(str::trim).filter(|t| !t.is_empty()) {
        if tag.chars().count() > 40 {
            return Err(format!("“{tag:.20}…” is longer than 40 letters."));
        }
        if !all.iter().any(|t| t.to_lowercase() == tag.to_lowercase()) {
            all.push(tag.to_owned());
        }
    }
    if all.len() > 12 { Err("Up to twelve tags.".into()) } else { Ok(all) }
}

/// Keeps what a revision is called, and its design's tags and shelf.
pub async fn keep(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (workshop, id) = (user.workshop(), RevisionId(*id));
    let row = app.store.of(workshop).revision(id).await?.row;
    let mut errors = Errors::new();
    if form.get("label").chars().count() > 60 {
        errors.insert("label".into(), "Up to 60 letters.".into());
    }
    let tags = tags(form.get("tags"));
    if let Err(message) = &tags {
        errors.insert("tags".into(), message.clone());
    }
    let Ok(tags) = tags else { return page(&app, &user, id, "", &form, &errors).await };
    if !errors.is_empty() {
        return page(&app, &user, id, "", &form, &errors).await;
    }
    app.store.of(workshop).label_revision(id, form.get("label")).await?;
    app.store.of(workshop).tag_design(row.design_id, &tags).await?;
    match form.get("shelf") {
        "away" => app.store.of(workshop).archive_design(row.design_id, true).await?,
        "back" => app.store.of(workshop).archive_design(row.design_id, false).await?,
        _ => {}
    }
    Ok(redirect(format!("/revisions/{id}")))
}

/// Goes back to an older revision: its design becomes the newest one, and nothing in between is lost.
pub async fn restore(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let revision = app.store.of(workshop).revision(RevisionId(*id)).await?;
    let newest = app.store.of(workshop).revisions(revision.row.design_id).await?.into_iter().next();
    let parent = newest.map_or(revision.row.id, |r| r.id);
    let of = Some(revision.row.design_id);
    let prediction = app.predicted(workshop, of, &revision.design).await?.ok();
    let note = format!("Back to r{}.", revision.row.number);
    let new = NewRevision {
        key: form.key()?,
        parent: Some(parent),
        note: &note,
        design: &revision.design,
        prediction: prediction.as_deref(),
    };
    let id = app.store.of(workshop).save_revision(user.person.id, &new).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

/// Keeps a measured response with a revision.
pub async fn add_sweep(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = RevisionId(*id);
    let mut errors = Errors::new();
    let label = form.get("sweep_label");
    if label.is_empty() || label.chars().count() > 80 {
        errors.insert("sweep_label".into(), "Say which coil it is of, in up to 80 letters.".into());
    }
    let sweep = Sweep::read(form.get("points"));
    if let Err(error) = &sweep {
        let text = error.to_string();
        let mut letters = text.chars();
        let first = letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default();
        errors.insert("points".into(), format!("{first}{}.", letters.as_str()));
    }
    let (Ok(sweep), true) = (sweep, errors.is_empty()) else {
        return page(&app, &user, id, "", &form, &errors).await;
    };
    let new = NewSweep { key: form.key()?, revision: id, run: None, label, sweep: &sweep, at: None };
    app.store.of(user.workshop()).add_sweep(user.person.id, &new).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

/// The design file.
pub async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let revision = app.store.of(user.workshop()).revision(RevisionId(*id)).await?;
    let text =
        serde_json::to_string_pretty(&revision.design).map_err(|e| AppError::Internal(e.to_string()))?;
    let name: String = revision
        .row
        .name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
        .collect();
    Ok(HttpResponse::Ok()
        .content_type("application/json")
        .insert_header((
            "Content-Disposition",
            format!("attachment; filename=\"{name}-r{}.json\"", revision.row.number),
        ))
        .body(text))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_are_each_once_and_short() {
        assert_eq!(tags(" neck, Neck ,, order 12 ").unwrap(), ["neck", "order 12"]);
        assert!(tags(&"x".repeat(41)).is_err() && tags("a,b,c,d,e,f,g,h,i,j,k,l,m").is_err());
    }
}
