//! Designs: the list, the workbench, revisions.

mod audition;
mod context;
mod differences;
mod list;
mod preview;
mod revision;
mod search;
mod share;
pub mod sheet;
mod strip;

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::layout::{Field, Frame, ProgressStep, progress_steps};
use crate::pages::redirect;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::design::{Aims, Design, Kind, Step, starting_point, tall_single};
use coil::search::{Adjustment, TonePreset, aims_like};
use context::context;
pub use differences::{Difference, differences_in_words};
use preview::{Outlook, View, render_preview};
use serde::{Deserialize, Serialize};
use sheet::{Section, SpoolOption};
use std::collections::BTreeMap;
use store::design::{NewRevision, Revision, RevisionRow};
use store::{ClientKey, RevisionId};
pub use strip::{Cell, cells};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/designs", web::get().to(list::show))
        .route("/designs", web::post().to(save_new))
        .route("/designs/new", web::get().to(new))
        .route("/designs/preview", web::post().to(preview))
        .route("/designs/audition", web::post().to(audition::sound))
        .route("/designs/import", web::post().to(import))
        .route("/designs/seek", web::post().to(search::start))
        .route("/designs/seek/{name}", web::get().to(search::standing))
        .route("/designs/seek/{name}/cancel", web::post().to(search::cancel))
        .route("/revisions/{id}/duplicate", web::get().to(duplicate))
        .route("/revisions/{id}/experiment", web::post().to(revision::experiment))
        .route("/revisions/{id}/restore", web::post().to(revision::restore))
        .route("/revisions/{id}/keep", web::post().to(revision::keep))
        .route("/revisions/{id}/sweeps", web::post().to(revision::add_sweep))
        .route("/revisions/{id}/share", web::get().to(share::show))
        .route("/revisions/{id}", web::get().to(revision::show))
        .route("/revisions/{id}", web::post().to(save_next))
        .route("/revisions/{id}/edit", web::get().to(edit))
        .route("/revisions/{id}/design.json", web::get().to(revision::export));
}

#[derive(Template, WebTemplate)]
#[template(path = "designs/workbench.html")]
struct Workbench {
    frame: Frame,
    thread: Vec<ProgressStep>,
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
    one_by_one: String,
    status: u16,
    key: ClientKey,
    fields: String,
    name: Field,
    note: Field,
    preview: Outlook,
    refused: bool,
}

fn render(template: &impl Template) -> Result<String, AppError> {
    template.render().map_err(|error| AppError::Internal(error.to_string()))
}

async fn shelf(app: &App, user: &CurrentUser) -> Result<Vec<SpoolOption>, AppError> {
    let spools = app.store.of(user.workshop()).spools().await?;
    Ok(spools
        .into_iter()
        .filter(|s| s.emptied_at.is_none())
        .map(|s| SpoolOption {
            id: s.id.0,
            label: format!("{} ({})", s.label, s.gauge),
            measured: s.measured(),
        })
        .collect())
}

/// What a form goes on from: a revision, or nothing yet.
async fn parent_of(app: &App, user: &CurrentUser, parent: &str) -> Result<Option<Revision>, AppError> {
    if parent.is_empty() {
        return Ok(None);
    }
    let Ok(id) = parent.parse() else { return Err(AppError::Missing("revision")) };
    Ok(Some(app.store.of(user.workshop()).revision(RevisionId(id)).await?))
}

/// The design that the form's fields stand on: the one it carries, else its parent.
fn base_of(form: &FormData, parent: Option<&Revision>) -> Design {
    sheet::base_of(form)
        .or_else(|| parent.map(|p| p.design.clone()))
        .unwrap_or_else(|| tall_single("", USUAL_STRINGS, USUAL_PITCH_MM))
}

/// The sheet with a stand-in where the name is still empty: a design gets its name when it is saved, and
/// shows its numbers before.
fn named(form: &FormData) -> FormData {
    let mut named = form.clone();
    if named.get("name").is_empty() {
        named.0.insert("name".into(), "unnamed".into());
    }
    named
}

/// Only the fields, for a sheet that changes its shape while it is open.
#[derive(Template)]
#[template(path = "designs/_sheet.html")]
struct SheetFields {
    sections: Vec<Section>,
}

async fn workbench(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    parent: Option<&Revision>,
    overtaken: Option<RevisionRow>,
) -> Result<HttpResponse, AppError> {
    let shelf = shelf(app, user).await?;
    let base = base_of(form, parent);
    // A sheet that cannot be read shows what it stands on.
    let named = named(form);
    let shown = sheet::read(&named, &base, &shelf).map_or_else(|_| base.clone(), |read| read.design);
    let view = View::named(form.get("view"));
    let context = context(app, user, Some(form), parent).await?;
    let preview = render_preview(app, &shown, parent.map(|p| &p.design), (view, Some(form)), context).await?;
    let (heading, action) = match parent {
        None => (format!("New {}", base.kind.name()), "/designs".to_owned()),
        Some(p) => (format!("{}, after r{}", p.row.name, p.row.number), format!("/revisions/{}", p.row.id)),
    };
    let newest = match parent {
        Some(p) => newest(app, user, p).await?.number,
        None => 0,
    };
    let aims = shown.aims != coil::design::Aims::default();
    let frame = Frame::new(user, "designs", heading.clone());
    let page = Workbench {
        thread: progress_steps(aims, None, false),
        heading,
        draft: if parent.is_some() { action.clone() } else { format!("{action}:{}", base.kind.name()) },
        action,
        parent: parent.map_or_else(String::new, |p| p.row.id.to_string()),
        seen: if form.get("seen").is_empty() { newest.to_string() } else { form.get("seen").to_owned() },
        document: serde_json::to_string(&base).map_err(|e| AppError::Internal(e.to_string()))?,
        view: form.get("view").to_owned(),
        overlay: form.get("overlay").to_owned(),
        one_by_one: form.get(sheet::ONE_BY_ONE).to_owned(),
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields: render(&SheetFields { sections: sheet::sections(&base, form, errors, &shelf) })?,
        name: Field { required: "yes", ..Field::typed("name", "Name", "").with(form.get("name"), errors) },
        note: Field::typed("note", "Note", "Why this revision; what changed and what you expect.")
            .with(form.get("note"), errors),
        preview,
        refused: !errors.is_empty() || overtaken.is_some(),
        status: if errors.is_empty() && overtaken.is_none() {
            200
        } else if errors.is_empty() {
            409
        } else {
            422
        },
        overtaken,
        frame,
    };
    let status = actix_web::http::StatusCode::from_u16(page.status).unwrap_or_default();
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(render(&page)?))
}

/// The newest revision of a revision's design.
async fn newest(app: &App, user: &CurrentUser, of: &Revision) -> Result<RevisionRow, AppError> {
    let all = app.store.of(user.workshop()).revisions(of.row.design_id).await?;
    Ok(all.into_iter().next().unwrap_or_else(|| of.row.clone()))
}

/// Strings of a new design, until the sheet says otherwise.
const USUAL_STRINGS: u32 = 6;
const USUAL_PITCH_MM: f64 = 10.4;

/// A format to begin with.
struct Start {
    word: String,
    name: &'static str,
    about: &'static str,
    drawing: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "designs/formats.html")]
struct FormatsPage {
    frame: Frame,
    starts: Vec<Start>,
    import: Field,
    problems: Vec<coil::design::Problem>,
}

fn word_of(kind: Kind) -> String {
    serde_json::to_value(kind).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

fn formats_page(user: &CurrentUser, import: &str, problems: Vec<coil::design::Problem>) -> FormatsPage {
    let about = |kind| match kind {
        Kind::TallSingle => "Rod magnets in a tall narrow coil: bright, clear, hums.",
        Kind::ShortSingle => "Rods in a low coil over a steel plate: more inductance, a little thicker.",
        Kind::WideSingle => "Screws in a wide flat coil over two bar magnets: fuller.",
        Kind::TwinCoil => "Two coils side by side over one bar, wound against each other: quiet.",
        Kind::StackedTwin => "Two coils one above the other: quiet in a single's outline.",
        Kind::Blade => "One blade under all strings: even when strings are bent.",
        Kind::ButtonMagnet => "Short fat magnets in a wide core, for few or wide-set strings.",
        Kind::Concentric => "A coil inside another, to be tapped or joined in series.",
        Kind::PerString => "One small coil for each string.",
    };
    FormatsPage {
        frame: Frame::new(user, "designs", "New design"),
        starts: Kind::ALL
            .iter()
            .map(|&kind| {
                let design = starting_point(kind, "", USUAL_STRINGS, 10.0);
                let builds: Vec<f64> = design.coils.iter().map(|c| 0.75 * c.former.room_mm).collect();
                Start {
                    word: word_of(kind),
                    name: kind.name(),
                    about: about(kind),
                    drawing: crate::drawing::section(&design, &builds),
                }
            })
            .collect(),
        import: Field::typed(
            "text",
            "Design file",
            "Paste a filamentum-design/1 document, or choose its file.",
        )
        .with(import, &Errors::new()),
        problems,
    }
}

#[derive(Deserialize)]
struct NewQuery {
    kind: Option<Kind>,
    strings: Option<u32>,
}

async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, AppError> {
    let Some(kind) = query.kind else {
        let page = formats_page(&user, "", Vec::new());
        return Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(render(&page)?));
    };
    let strings = query.strings.unwrap_or(USUAL_STRINGS).clamp(4, 10);
    let form = sheet::form_of(&starting_point(kind, "", strings, USUAL_PITCH_MM));
    workbench(&app, &user, &form, &Errors::new(), None, None).await
}

/// A design file becomes a new sheet; one that cannot be read says everything that is wrong with it.
async fn import(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    match coil::design::read(form.get("text")) {
        Ok(design) => workbench(&app, &user, &sheet::form_of(&design), &Errors::new(), None, None).await,
        Err(problems) => {
            let page = formats_page(&user, form.get("text"), problems);
            Ok(HttpResponse::UnprocessableEntity()
                .content_type("text/html; charset=utf-8")
                .body(render(&page)?))
        }
    }
}

async fn edit(app: web::Data<App>, user: CurrentUser, id: web::Path<u64>) -> Result<HttpResponse, AppError> {
    let revision = app.store.of(user.workshop()).revision(RevisionId(*id)).await?;
    workbench(&app, &user, &sheet::form_of(&revision.design), &Errors::new(), Some(&revision), None).await
}

/// A new design that begins as a revision is.
async fn duplicate(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let mut design = app.store.of(user.workshop()).revision(RevisionId(*id)).await?.design;
    design.name = format!("{}, copy", design.name.chars().take(110).collect::<String>());
    workbench(&app, &user, &sheet::form_of(&design), &Errors::new(), None, None).await
}

/// What a preview answers.
#[derive(Serialize, Default)]
struct Preview {
    strip: String,
    drawings: String,
    notices: String,
    errors: Errors,
    meant: BTreeMap<String, String>,
    /// The fields anew and the design they stand on, when the sheet has changed its shape.
    sheet: Option<String>,
    document: Option<String>,
    one_by_one: bool,
}

/// Does a whole step to a design: a lever, aims from a word or from another pickup, or a step of arrangement. What is in
/// the way is said at its field.
async fn stepped(
    app: &App,
    user: &CurrentUser,
    step: &str,
    form: &FormData,
    parent: Option<&Revision>,
    design: &mut Design,
) -> Result<Result<(), Errors>, AppError> {
    let not_done = |why: String| Errors::from([("name".to_owned(), format!("Not done: {why}."))]);
    if let Some(adjustment) = step.strip_prefix("try:") {
        return Ok(match adjustment.parse::<Adjustment>().ok().and_then(|l| l.applied(design)) {
            Some(next) => {
                *design = next;
                Ok(())
            }
            None => Err(not_done("this step leads out of what is allowed".into())),
        });
    }
    if let Some(word) = step.strip_prefix("wish:") {
        // What is wished for is wished of the revision that one goes on from, or of what stands there now.
        let from = parent.map_or(&*design, |p| &p.design);
        let of = parent.map(|p| p.row.design_id);
        return Ok(match (word.parse::<TonePreset>(), app.predicted(user.workshop(), of, from).await?) {
            (Ok(wish), Ok(now)) => {
                design.aims = wish.aims(&now);
                Ok(())
            }
            _ => Err(not_done("there are no numbers to begin from".into())),
        });
    }
    if step == "like" {
        return Ok(match like(app, user, form).await? {
            Ok(aims) => {
                design.aims = aims;
                Ok(())
            }
            Err(message) => Err(Errors::from([("seek_like_by".to_owned(), message)])),
        });
    }
    let step = step.parse::<Step>();
    Ok(step.and_then(|step| step.apply(design)).map_err(|e| not_done(e.to_string())))
}

/// Aims "as that pickup, but so much more of this".
async fn like(app: &App, user: &CurrentUser, form: &FormData) -> Result<Result<Aims, String>, AppError> {
    let by = form.get("seek_like_by").trim_end_matches('%').trim().replace('−', "-").replace(',', ".");
    let by = if by.is_empty() { Ok(0.0) } else { by.parse::<f64>() };
    let Ok(by) = by else { return Ok(Err("Type per cent: 15 or -10.".into())) };
    if !(-60.0..=300.0).contains(&by) {
        return Ok(Err("Between 60 % less and 300 % more.".into()));
    }
    let Ok(id) = form.get("seek_like_of").parse() else { return Ok(Err("Choose a pickup.".into())) };
    let reference = app.store.of(user.workshop()).revision(RevisionId(id)).await?;
    let goal = search::goal_named_or(form.get("seek_like_goal"), coil::search::Goal::Output);
    let moved = (by != 0.0).then_some((goal, by / 100.0));
    let of = Some(reference.row.design_id);
    Ok(match app.predicted(user.workshop(), of, &reference.design).await? {
        Ok(prediction) => Ok(aims_like(&prediction, moved)),
        Err(_) => Err("That pickup has no numbers.".into()),
    })
}

async fn preview(
    app: web::Data<App>,
    user: CurrentUser,
    mut form: FormData,
) -> Result<web::Json<Preview>, AppError> {
    let parent = parent_of(&app, &user, form.get("parent")).await?;
    let base = base_of(&form, parent.as_ref());
    let shelf = shelf(&app, &user).await?;
    let mut design = match sheet::read(&named(&form), &base, &shelf) {
        // A sheet is shown as it was kept even where it cannot be read.
        Err(errors) if form.get("step") == "show" => {
            let fields = sheet::sections(&base, &form, &errors, &shelf);
            let sheet = Some(render(&SheetFields { sections: fields })?);
            return Ok(web::Json(Preview { errors, sheet, ..Preview::default() }));
        }
        Err(errors) => return Ok(web::Json(Preview { errors, ..Preview::default() })),
        Ok(read) => read,
    };
    let mut kept = form.clone();
    let mut anew = form.get("step") == "show";
    match form.get("step") {
        "" | "show" => {}
        "poles.each" => {
            kept.0.insert(sheet::ONE_BY_ONE.into(), "yes".into());
            anew = true;
        }
        // A design found by a search, in place of what the fields say.
        "load" => {
            design.design = base.clone();
            anew = true;
        }
        step => {
            if let Err(refused) =
                stepped(&app, &user, step, &form, parent.as_ref(), &mut design.design).await?
            {
                return Ok(web::Json(Preview { errors: refused, ..Preview::default() }));
            }
            anew = true;
        }
    }
    anew = anew || sheet::names(&design.design, &kept) != sheet::names(&base, &form);
    if form.get("step") == "like" || form.get("step").starts_with("wish:") {
        // The panel shows the aims just made, not what was typed over the ones before.
        let end = |n: &str| n.starts_with("seek_") && (n.ends_with("_from") || n.ends_with("_to"));
        form.0.retain(|name, _| !end(name) || name.starts_with("seek_turns"));
    }
    let view = View::named(form.get("view"));
    let context = context(&app, &user, Some(&form), parent.as_ref()).await?;
    let before = parent.as_ref().map(|p| &p.design);
    let preview = render_preview(&app, &design.design, before, (view, Some(&form)), context).await?;
    let (mut sheet, mut document) = (None, None);
    if anew {
        // The fields show the design as it now is; what was typed has gone into it.
        let flag = kept.get(sheet::ONE_BY_ONE).to_owned();
        let only = FormData(BTreeMap::from([(sheet::ONE_BY_ONE.to_owned(), flag)]));
        let fields = sheet::sections(&design.design, &only, &Errors::new(), &shelf);
        sheet = Some(render(&SheetFields { sections: fields })?);
        let text = serde_json::to_string(&design.design).map_err(|e| AppError::Internal(e.to_string()))?;
        document = Some(text);
    }
    Ok(web::Json(Preview {
        strip: preview.strip,
        drawings: preview.drawings,
        notices: preview.notices,
        errors: Errors::new(),
        meant: if anew { BTreeMap::new() } else { design.meant },
        sheet,
        document,
        one_by_one: kept.get(sheet::ONE_BY_ONE) == "yes",
    }))
}

async fn save(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    parent: Option<Revision>,
) -> Result<HttpResponse, AppError> {
    let base = base_of(form, parent.as_ref());
    let mut errors = Errors::new();
    if form.get("note").chars().count() > 1000 {
        errors.insert("note".into(), "A note has up to 1,000 letters.".into());
    }
    let read = sheet::read(form, &base, &shelf(app, user).await?);
    let design = match read {
        Ok(read) if errors.is_empty() => read.design,
        Ok(_) => return workbench(app, user, form, &errors, parent.as_ref(), None).await,
        Err(more) => {
            errors.extend(more);
            return workbench(app, user, form, &errors, parent.as_ref(), None).await;
        }
    };
    // Somebody else has gone on from here in the meantime: both go on, but not without a word.
    if let Some(parent) = &parent {
        let newest = newest(app, user, parent).await?;
        let seen: u32 = form.get("seen").parse().unwrap_or(0);
        if newest.number > seen && form.get("anyway") != newest.number.to_string() {
            return workbench(app, user, form, &errors, Some(parent), Some(newest)).await;
        }
    }
    let of = parent.as_ref().map(|p| p.row.design_id);
    let prediction = app.predicted(user.workshop(), of, &design).await?.ok();
    let new = NewRevision {
        key: form.key()?,
        parent: parent.map(|p| p.row.id),
        note: form.get("note"),
        design: &design,
        prediction: prediction.as_deref(),
    };
    let id = app.store.of(user.workshop()).save_revision(user.person.id, &new).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

async fn save_new(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    save(&app, &user, &form, None).await
}

async fn save_next(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let parent = app.store.of(user.workshop()).revision(RevisionId(*id)).await?;
    save(&app, &user, &form, Some(parent)).await
}
