//! Designs: the list, the workbench, revisions.

pub mod sheet;
mod view;

use crate::app::App;
use crate::fault::Fault;
use crate::filled::{Errors, Filled};
use crate::layout::{Field, Frame, Knot, thread};
use crate::pages::see;
use crate::present;
use crate::visitor::Visitor;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::design::{Design, tall_single};
use coil::predict::{Prediction, predict};
use serde::{Deserialize, Serialize};
use sheet::{Section, Shelf};
use std::collections::BTreeMap;
use store::design::{DesignOrder, NewRevision, Revision, RevisionRow};
use store::run::{RunFilter, RunRow};
use store::{ClientKey, RevisionId};
pub use view::{Cell, cells};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/designs", web::get().to(list))
        .route("/designs", web::post().to(save_new))
        .route("/designs/new", web::get().to(new))
        .route("/designs/preview", web::post().to(preview))
        .route("/revisions/{id}", web::get().to(show))
        .route("/revisions/{id}", web::post().to(save_next))
        .route("/revisions/{id}/edit", web::get().to(edit))
        .route("/revisions/{id}/design.json", web::get().to(export));
}

#[derive(Template, WebTemplate)]
#[template(path = "designs/list.html")]
struct ListPage {
    frame: Frame,
    rows: Vec<RevisionRow>,
    search: String,
    sort: String,
}

#[derive(Deserialize)]
struct ListQuery {
    #[serde(default)]
    q: String,
    #[serde(default)]
    sort: String,
}

async fn list(
    app: web::Data<App>,
    visitor: Visitor,
    query: web::Query<ListQuery>,
) -> Result<ListPage, Fault> {
    let order = match query.sort.as_str() {
        "name" => DesignOrder::Name,
        "resistance" => DesignOrder::Resistance,
        "inductance" => DesignOrder::Inductance,
        _ => DesignOrder::Newest,
    };
    let rows = app.store.designs(visitor.workshop(), &query.q, order).await?;
    Ok(ListPage {
        frame: Frame::new(&visitor, "designs", "Designs"),
        rows,
        search: query.q.clone(),
        sort: query.sort.clone(),
    })
}

/// The workbench: sheet on the left, what it will be on the right.
#[derive(Template, WebTemplate)]
#[template(path = "designs/workbench.html")]
struct Workbench {
    frame: Frame,
    thread: Vec<Knot>,
    heading: String,
    /// Where the sheet is sent.
    action: String,
    /// The revision that this goes on from; empty for a new design.
    parent: String,
    key: ClientKey,
    sections: Vec<Section>,
    name: Field,
    note: Field,
    outlook: Outlook,
    refused: bool,
}

/// What the sheet will be: the strip, drawings and notices.
struct Outlook {
    strip: String,
    drawings: String,
    notices: String,
}

#[derive(Template)]
#[template(path = "designs/_strip.html")]
struct Strip {
    cells: Vec<Cell>,
}

#[derive(Template)]
#[template(path = "designs/_drawings.html")]
struct Drawings {
    top: String,
    section: String,
    response: String,
}

#[derive(Template)]
#[template(path = "designs/_notices.html")]
struct Notices<'a> {
    all: &'a [coil::predict::Notice],
    changes: &'a [Changed],
    compared: bool,
}

/// A change in words.
struct Changed {
    what: String,
    before: String,
    after: String,
}

impl From<coil::design::Change> for Changed {
    fn from(change: coil::design::Change) -> Self {
        let value = |v: Option<String>| v.map_or_else(|| "–".to_owned(), |v| v.trim_matches('"').to_owned());
        Self {
            what: view::place_in_words(&change.at),
            before: value(change.before),
            after: value(change.after),
        }
    }
}

fn render(template: &impl Template) -> Result<String, Fault> {
    template.render().map_err(|error| Fault::Internal(error.to_string()))
}

/// Predicts off the threads that serve pages.
async fn predicted(design: Design) -> Result<Result<Prediction, Vec<coil::design::Problem>>, Fault> {
    Ok(web::block(move || predict(&design)).await?)
}

async fn outlook(design: &Design, parent: Option<&Design>) -> Result<Outlook, Fault> {
    let before = match parent {
        Some(parent) => predicted(parent.clone()).await?.ok(),
        None => None,
    };
    let changes = parent.map(|p| coil::design::differences(p, design)).unwrap_or_default();
    let changes: Vec<Changed> = changes.into_iter().map(Changed::from).collect();
    match predicted(design.clone()).await? {
        Ok(prediction) => {
            let build = prediction.coils.first().map_or(0.0, |c| c.build_mm);
            Ok(Outlook {
                strip: render(&Strip {
                    cells: cells(design, &prediction, before.as_ref(), &BTreeMap::new()),
                })?,
                drawings: render(&Drawings {
                    top: crate::drawing::top(design, build),
                    section: crate::drawing::section(design, build),
                    response: crate::drawing::response(&prediction.response),
                })?,
                notices: render(&Notices {
                    all: &prediction.notices,
                    changes: &changes,
                    compared: parent.is_some(),
                })?,
            })
        }
        Err(problems) => {
            let notices: Vec<coil::predict::Notice> = problems
                .into_iter()
                .map(|p| coil::predict::Notice {
                    level: coil::predict::Level::Stop,
                    code: "not-predicted".into(),
                    at: p.at,
                    text: p.text,
                    try_: p.try_,
                })
                .collect();
            Ok(Outlook {
                strip: render(&Strip { cells: Vec::new() })?,
                drawings: render(&Drawings {
                    top: crate::drawing::top(design, 0.0),
                    section: crate::drawing::section(design, 0.0),
                    response: String::new(),
                })?,
                notices: render(&Notices { all: &notices, changes: &changes, compared: parent.is_some() })?,
            })
        }
    }
}

async fn shelf(app: &App, visitor: &Visitor) -> Result<Vec<Shelf>, Fault> {
    let spools = app.store.spools(visitor.workshop()).await?;
    Ok(spools
        .into_iter()
        .map(|s| Shelf { id: s.id.0, label: format!("{} ({})", s.label, s.gauge), measured: s.measured() })
        .collect())
}

/// What a sheet goes on from: a revision, or the start of a format.
async fn base(app: &App, visitor: &Visitor, parent: &str) -> Result<(Design, Option<Revision>), Fault> {
    if parent.is_empty() {
        return Ok((tall_single("", 6, 10.4), None));
    }
    let Ok(id) = parent.parse() else { return Err(Fault::Missing("revision")) };
    let revision = app.store.revision(visitor.workshop(), RevisionId(id)).await?;
    Ok((revision.design.clone(), Some(revision)))
}

/// The sheet with a stand-in where the name is still empty: a design gets its name when it is saved, and
/// shows its numbers before.
fn named(filled: &Filled) -> Filled {
    let mut named = filled.clone();
    if named.get("name").is_empty() {
        named.0.insert("name".into(), "unnamed".into());
    }
    named
}

async fn workbench(
    app: &App,
    visitor: &Visitor,
    filled: &Filled,
    errors: &Errors,
    parent: Option<&Revision>,
) -> Result<HttpResponse, Fault> {
    let shelf = shelf(app, visitor).await?;
    let start = parent.map_or_else(|| tall_single("", 6, 10.4), |p| p.design.clone());
    // A sheet that cannot be read shows what it went on from.
    let named = named(filled);
    let shown = sheet::read(&named, &start, &shelf).map_or_else(|_| start.clone(), |read| read.design);
    let outlook = outlook(&shown, parent.map(|p| &p.design)).await?;
    let (heading, action) = match parent {
        None => ("New design".to_owned(), "/designs".to_owned()),
        Some(p) => (format!("{}, after r{}", p.row.name, p.row.number), format!("/revisions/{}", p.row.id)),
    };
    let aims = shown.aims.resistance_ohm.is_some() || shown.aims.inductance_h.is_some();
    let page = Workbench {
        frame: Frame::new(visitor, "designs", heading.clone()),
        thread: thread(aims, None, false),
        heading,
        action,
        parent: parent.map_or_else(String::new, |p| p.row.id.to_string()),
        key: filled.key().unwrap_or_else(|_| ClientKey::random()),
        sections: sheet::sections(filled, errors, &shelf),
        name: Field { required: "yes", ..Field::typed("name", "Name", "").with(filled.get("name"), errors) },
        note: Field::typed("note", "Note", "Why this revision; what changed and what you expect.")
            .with(filled.get("note"), errors),
        outlook,
        refused: !errors.is_empty(),
    };
    let status = if errors.is_empty() {
        actix_web::http::StatusCode::OK
    } else {
        actix_web::http::StatusCode::UNPROCESSABLE_ENTITY
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(render(&page)?))
}

async fn new(app: web::Data<App>, visitor: Visitor) -> Result<HttpResponse, Fault> {
    let filled = sheet::filled_from(&tall_single("", 6, 10.4));
    workbench(&app, &visitor, &filled, &Errors::new(), None).await
}

async fn edit(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<HttpResponse, Fault> {
    let revision = app.store.revision(visitor.workshop(), RevisionId(*id)).await?;
    workbench(&app, &visitor, &sheet::filled_from(&revision.design), &Errors::new(), Some(&revision)).await
}

/// What a preview answers.
#[derive(Serialize, Default)]
struct Preview {
    strip: String,
    drawings: String,
    notices: String,
    errors: Errors,
    meant: BTreeMap<String, String>,
}

async fn preview(app: web::Data<App>, visitor: Visitor, filled: Filled) -> Result<web::Json<Preview>, Fault> {
    let (start, parent) = base(&app, &visitor, filled.get("parent")).await?;
    match sheet::read(&named(&filled), &start, &shelf(&app, &visitor).await?) {
        Err(errors) => Ok(web::Json(Preview { errors, ..Preview::default() })),
        Ok(read) => {
            let outlook = outlook(&read.design, parent.as_ref().map(|p| &p.design)).await?;
            Ok(web::Json(Preview {
                strip: outlook.strip,
                drawings: outlook.drawings,
                notices: outlook.notices,
                errors: Errors::new(),
                meant: read.meant,
            }))
        }
    }
}

async fn save(
    app: &App,
    visitor: &Visitor,
    filled: &Filled,
    parent: Option<Revision>,
) -> Result<HttpResponse, Fault> {
    let start = parent.as_ref().map_or_else(|| tall_single("", 6, 10.4), |p| p.design.clone());
    let mut errors = Errors::new();
    if filled.get("note").chars().count() > 1000 {
        errors.insert("note".into(), "A note has up to 1,000 letters.".into());
    }
    let read = sheet::read(filled, &start, &shelf(app, visitor).await?);
    let design = match read {
        Ok(read) if errors.is_empty() => read.design,
        Ok(_) => return workbench(app, visitor, filled, &errors, parent.as_ref()).await,
        Err(more) => {
            errors.extend(more);
            return workbench(app, visitor, filled, &errors, parent.as_ref()).await;
        }
    };
    let prediction = predicted(design.clone()).await?.ok();
    let new = NewRevision {
        key: filled.key()?,
        parent: parent.map(|p| p.row.id),
        note: filled.get("note"),
        design: &design,
        prediction: prediction.as_ref(),
    };
    let id = app.store.save_revision(visitor.workshop(), visitor.person.id, &new).await?;
    Ok(see(format!("/revisions/{id}")))
}

async fn save_new(app: web::Data<App>, visitor: Visitor, filled: Filled) -> Result<HttpResponse, Fault> {
    save(&app, &visitor, &filled, None).await
}

async fn save_next(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    filled: Filled,
) -> Result<HttpResponse, Fault> {
    let parent = app.store.revision(visitor.workshop(), RevisionId(*id)).await?;
    save(&app, &visitor, &filled, Some(parent)).await
}

#[derive(Template, WebTemplate)]
#[template(path = "designs/revision.html")]
struct RevisionPage {
    frame: Frame,
    thread: Vec<Knot>,
    row: RevisionRow,
    when: String,
    when_iso: String,
    outlook: Outlook,
    siblings: Vec<RevisionRow>,
    runs: Vec<RunRow>,
    newest: bool,
    why: Vec<Why>,
}

/// What a band is made of, in words.
struct Why {
    what: &'static str,
    from: String,
}

async fn show(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<RevisionPage, Fault> {
    let workshop = visitor.workshop();
    let revision = app.store.revision(workshop, RevisionId(*id)).await?;
    let parent = match revision.row.parent_id {
        Some(parent) => Some(app.store.revision(workshop, parent).await?.design),
        None => None,
    };
    let design = revision.design;
    let siblings = app.store.revisions(workshop, revision.row.design_id).await?;
    let filter = RunFilter { design: Some(revision.row.design_id), ..RunFilter::default() };
    let runs = app.store.runs(workshop, &filter).await?;
    let why = predicted(design.clone()).await?.map(|p| whys(&p)).unwrap_or_default();
    let aims = design.aims.resistance_ohm.is_some() || design.aims.inductance_h.is_some();
    Ok(RevisionPage {
        frame: Frame::new(&visitor, "designs", format!("{} r{}", revision.row.name, revision.row.number)),
        thread: thread(aims, None, false),
        when: present::moment(revision.row.created_at),
        when_iso: present::iso(revision.row.created_at),
        outlook: outlook(&design, parent.as_ref()).await?,
        newest: siblings.first().is_some_and(|s| s.id == revision.row.id),
        siblings,
        runs,
        row: revision.row,
        why,
    })
}

/// The inputs that widen the main bands, largest first.
fn whys(prediction: &Prediction) -> Vec<Why> {
    let named = |input: &str| {
        match input {
            "coils[0].wire.ohm_per_m" => "the wire's ohms per metre",
            "coils[0].wire.overall" => "the wire's overall diameter",
            "coils[0].wind.packing" => "the packing",
            "coils[0].wind.turns" => "the turns counted",
            "coils[0].former.height_mm" => "the winding height",
            "coils[0].former.core" => "the core's size",
            "room_c" => "the room's temperature",
            "poles[*].material" => "the alloy's recoil permeability",
            "poles[*].diameter_mm" => "the rods' diameter",
            "model: inductance" => "the inductance model itself",
            "model: self-capacitance" => "the capacitance model itself",
            _ => "the model itself",
        }
        .to_owned()
    };
    [
        ("resistance_20c_ohm", "Resistance"),
        ("inductance_h", "Inductance"),
        ("capacitance_f", "Capacitance"),
        ("peak_hz", "Loaded peak"),
    ]
    .into_iter()
    .map(|(key, what)| Why {
        what,
        from: prediction
            .contributions
            .iter()
            .filter(|c| c.to == key)
            .take(3)
            .map(|c| format!("{} {:.0} %", named(&c.input), c.share * 100.0))
            .collect::<Vec<_>>()
            .join(", "),
    })
    .collect()
}

async fn export(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<HttpResponse, Fault> {
    let revision = app.store.revision(visitor.workshop(), RevisionId(*id)).await?;
    let text = serde_json::to_string_pretty(&revision.design).map_err(|e| Fault::Internal(e.to_string()))?;
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
