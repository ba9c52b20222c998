//! The workbench: a sheet to fill in, saved as a design or its next revision.

use super::posted_sheet::{base_of, named};
use super::preview::{PreviewMarkup, preview_markup};
use super::spools;
use super::view::View;
use crate::app::App;
use crate::components::frame::{Frame, ProgressStep, progress_steps};
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render, render_with};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::{Design, Targets};
use coil::quantity::Units;
use presentation::field::Field;
use presentation::form_fields::{Errors, FormFields};
use presentation::read::limit_letters;
use presentation::sheet::{self, OneByOne, Section, SpoolOption};
use store::design::{Revision, RevisionRow};
use store::{ClientKey, RevisionId};
use workshop::{Refusal, SaveRevision};

/// Most letters of a note.
const MOST_LETTERS: usize = 1000;
/// Letters of a name that are kept in a copy's.
const COPIED_LETTERS: usize = 110;

#[derive(Template)]
#[template(path = "designs/workbench.html")]
struct Workbench {
    frame: Frame,
    steps: Vec<ProgressStep>,
    heading: String,
    /// Where the sheet is sent.
    action: String,
    /// Under which name the browser keeps a draft of it.
    draft: String,
    /// The revision that this goes on from; empty for a new design.
    parent: String,
    /// The newest revision when the sheet was opened.
    seen: String,
    /// A revision that somebody saved since.
    overtaken: Option<RevisionRow>,
    document: String,
    view: String,
    overlay: String,
    one_by_one: OneByOne,
    key: ClientKey,
    fields: String,
    name: Field,
    note: Field,
    preview: PreviewMarkup,
    refused: bool,
}

/// Only the fields, for a sheet that changes its shape while it is open.
#[derive(Template)]
#[template(path = "designs/_sheet.html")]
struct SheetFields {
    sections: Vec<Section>,
}

/// The fields of a design's sheet.
pub(super) fn sheet_markup(
    design: &Design,
    form: &FormFields,
    errors: &Errors,
    spools: &[SpoolOption],
    units: Units,
) -> Result<String, AppError> {
    render(&SheetFields { sections: sheet::sections(design, form, errors, spools, units) })
}

/// The page with a sheet.
pub(super) async fn workbench(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    parent: Option<&Revision>,
    overtaken: Option<RevisionRow>,
) -> Result<HttpResponse, AppError> {
    let spools = spools::offered(app, user).await?;
    let base = base_of(form, parent);
    // A sheet that cannot be read shows the design it began with.
    let shown = sheet::read(&named(form), &base, &spools, user.settings.units)
        .map_or_else(|_| base.clone(), |read| read.design);
    let view = View::named(form.get("view"));
    let before = parent.map(|p| &p.design);
    let preview = preview_markup((app, user), &shown, before, parent, (view, Some(form))).await?;
    let (heading, action) = match parent {
        None => (format!("New {}", base.kind.name()), "/designs".to_owned()),
        Some(p) => (format!("{}, after r{}", p.row.name, p.row.number), format!("/revisions/{}", p.row.id)),
    };
    let seen = match (parent, form.get("seen")) {
        (None, _) => "0".to_owned(),
        (Some(p), "") => app.workshop.newest_revision(&user.actor, p).await?.number.to_string(),
        (Some(_), seen) => seen.to_owned(),
    };
    let status = match (errors.is_empty(), &overtaken) {
        (false, _) => StatusCode::UNPROCESSABLE_ENTITY,
        (true, Some(_)) => StatusCode::CONFLICT,
        (true, None) => StatusCode::OK,
    };
    let page = Workbench {
        frame: Frame::new(user, "designs", heading.clone()),
        steps: progress_steps(shown.targets != Targets::default(), None, false),
        heading,
        draft: if parent.is_some() { action.clone() } else { format!("{action}:{}", base.kind.name()) },
        action,
        parent: parent.map_or_else(String::new, |p| p.row.id.to_string()),
        seen,
        document: serde_json::to_string(&base)?,
        view: form.get("view").to_owned(),
        overlay: form.get("overlay").to_owned(),
        one_by_one: (&form.0).into(),
        key: form.key_or_new(),
        fields: sheet_markup(&base, form, errors, &spools, user.settings.units)?,
        name: Field { required: "yes", ..Field::typed("name", "Name", "").filled(form, errors) },
        note: Field::typed("note", "Note", "Why this revision, what changed and what you expect.")
            .filled(form, errors),
        preview,
        refused: status != StatusCode::OK,
        overtaken,
    };
    render_with(&page, status)
}

/// The sheet of a revision, to make the next one.
pub(super) async fn edit(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let revision = app.workshop.revision(&user.actor, RevisionId(*id)).await?;
    workbench(
        &app,
        &user,
        &FormData(sheet::form_of(&revision.design, user.settings.units)),
        &Errors::new(),
        Some(&revision),
        None,
    )
    .await
}

/// A new design that begins as a revision is.
pub(super) async fn duplicate(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let mut design = app.workshop.revision(&user.actor, RevisionId(*id)).await?.design;
    design.name = format!("{}, copy", design.name.chars().take(COPIED_LETTERS).collect::<String>());
    workbench(
        &app,
        &user,
        &FormData(sheet::form_of(&design, user.settings.units)),
        &Errors::new(),
        None,
        None,
    )
    .await
}

async fn save(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    parent: Option<Revision>,
) -> Result<HttpResponse, AppError> {
    let base = base_of(form, parent.as_ref());
    let mut errors = Errors::new();
    limit_letters(form, &mut errors, "note", MOST_LETTERS);
    let referred = spools::referred(app, user, form).await?;
    let design = match sheet::read(form, &base, &referred, user.settings.units) {
        Ok(read) => read.design,
        Err(more) => {
            errors.extend(more);
            base
        }
    };
    if !errors.is_empty() {
        return workbench(app, user, form, &errors, parent.as_ref(), None).await;
    }
    let command = SaveRevision {
        key: form.key()?,
        parent: parent.as_ref().map(|p| p.row.id),
        newest_seen: form.get("seen").parse().unwrap_or(0),
        accept_beside: form.get("beside").parse().ok(),
        note: form.get("note").to_owned(),
        design,
    };
    match app.workshop.save_revision(&user.actor, &command).await {
        Ok(id) => Ok(redirect(format!("/revisions/{id}"))),
        Err(refusal @ Refusal::NothingNew) => {
            errors.insert("note".into(), refusal_text(&refusal));
            workbench(app, user, form, &errors, parent.as_ref(), None).await
        }
        Err(Refusal::NewerRevision(newest)) => {
            workbench(app, user, form, &errors, parent.as_ref(), Some(*newest)).await
        }
        Err(refusal) => Err(refusal.into()),
    }
}

/// Saves a new design.
pub(super) async fn save_new(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    save(&app, &user, &form, None).await
}

/// Saves the next revision of a design.
pub(super) async fn save_next(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let parent = app.workshop.revision(&user.actor, RevisionId(*id)).await?;
    save(&app, &user, &form, Some(parent)).await
}
