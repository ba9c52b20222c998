//! Designs: the list, the workbench, revisions.

mod outlook;
mod seeking;
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
use coil::design::{Design, Kind, Step, starting_point, tall_single};
use coil::magnet::Grade;
use coil::predict::Prediction;
use coil::seek::Lever;
pub use outlook::predicted;
use outlook::{Outlook, View, outlook};
use serde::{Deserialize, Serialize};
pub use sheet::place_in_words;
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
        .route("/designs/import", web::post().to(import))
        .route("/designs/seek", web::post().to(seeking::start))
        .route("/designs/seek/{name}", web::get().to(seeking::standing))
        .route("/designs/seek/{name}/cancel", web::post().to(seeking::cancel))
        .route("/revisions/{id}/duplicate", web::get().to(duplicate))
        .route("/revisions/{id}/experiment", web::post().to(experiment))
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
    one_by_one: String,
    status: u16,
    key: ClientKey,
    fields: String,
    name: Field,
    note: Field,
    outlook: Outlook,
    refused: bool,
}

fn render(template: &impl Template) -> Result<String, Fault> {
    template.render().map_err(|error| Fault::Internal(error.to_string()))
}

async fn shelf(app: &App, visitor: &Visitor) -> Result<Vec<Shelf>, Fault> {
    let spools = app.store.spools(visitor.workshop()).await?;
    Ok(spools
        .into_iter()
        .map(|s| Shelf { id: s.id.0, label: format!("{} ({})", s.label, s.gauge), measured: s.measured() })
        .collect())
}

/// What a form goes on from: a revision, or nothing yet.
async fn parent_of(app: &App, visitor: &Visitor, parent: &str) -> Result<Option<Revision>, Fault> {
    if parent.is_empty() {
        return Ok(None);
    }
    let Ok(id) = parent.parse() else { return Err(Fault::Missing("revision")) };
    Ok(Some(app.store.revision(visitor.workshop(), RevisionId(id)).await?))
}

/// The design that the form's fields stand on: the one it carries, else its parent.
fn base_of(filled: &Filled, parent: Option<&Revision>) -> Design {
    sheet::base_of(filled)
        .or_else(|| parent.map(|p| p.design.clone()))
        .unwrap_or_else(|| tall_single("", USUAL_STRINGS, USUAL_PITCH_MM))
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

/// Only the fields, for a sheet that changes its shape while it is open.
#[derive(Template)]
#[template(path = "designs/_sheet.html")]
struct SheetFields {
    sections: Vec<Section>,
}

async fn workbench(
    app: &App,
    visitor: &Visitor,
    filled: &Filled,
    errors: &Errors,
    parent: Option<&Revision>,
    overtaken: Option<RevisionRow>,
) -> Result<HttpResponse, Fault> {
    let shelf = shelf(app, visitor).await?;
    let base = base_of(filled, parent);
    // A sheet that cannot be read shows what it stands on.
    let named = named(filled);
    let shown = sheet::read(&named, &base, &shelf).map_or_else(|_| base.clone(), |read| read.design);
    let view = View::named(filled.get("view"));
    let outlook = outlook(&shown, parent.map(|p| &p.design), view, Some(filled)).await?;
    let (heading, action) = match parent {
        None => (format!("New {}", base.kind.name()), "/designs".to_owned()),
        Some(p) => (format!("{}, after r{}", p.row.name, p.row.number), format!("/revisions/{}", p.row.id)),
    };
    let newest = match parent {
        Some(p) => newest(app, visitor, p).await?.number,
        None => 0,
    };
    let aims = shown.aims != coil::design::Aims::default();
    let frame = Frame::new(visitor, "designs", heading.clone());
    let page = Workbench {
        thread: thread(aims, None, false),
        heading,
        draft: if parent.is_some() { action.clone() } else { format!("{action}:{}", base.kind.name()) },
        action,
        parent: parent.map_or_else(String::new, |p| p.row.id.to_string()),
        seen: if filled.get("seen").is_empty() { newest.to_string() } else { filled.get("seen").to_owned() },
        document: serde_json::to_string(&base).map_err(|e| Fault::Internal(e.to_string()))?,
        view: filled.get("view").to_owned(),
        one_by_one: filled.get(sheet::ONE_BY_ONE).to_owned(),
        key: filled.key().unwrap_or_else(|_| ClientKey::random()),
        fields: render(&SheetFields { sections: sheet::sections(&base, filled, errors, &shelf) })?,
        name: Field { required: "yes", ..Field::typed("name", "Name", "").with(filled.get("name"), errors) },
        note: Field::typed("note", "Note", "Why this revision; what changed and what you expect.")
            .with(filled.get("note"), errors),
        outlook,
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
async fn newest(app: &App, visitor: &Visitor, of: &Revision) -> Result<RevisionRow, Fault> {
    let all = app.store.revisions(visitor.workshop(), of.row.design_id).await?;
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

fn formats_page(visitor: &Visitor, import: &str, problems: Vec<coil::design::Problem>) -> FormatsPage {
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
        frame: Frame::new(visitor, "designs", "New design"),
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
    visitor: Visitor,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, Fault> {
    let Some(kind) = query.kind else {
        let page = formats_page(&visitor, "", Vec::new());
        return Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(render(&page)?));
    };
    let strings = query.strings.unwrap_or(USUAL_STRINGS).clamp(4, 10);
    let filled = sheet::filled_from(&starting_point(kind, "", strings, USUAL_PITCH_MM));
    workbench(&app, &visitor, &filled, &Errors::new(), None, None).await
}

/// A design file becomes a new sheet; one that cannot be read says everything that is wrong with it.
async fn import(app: web::Data<App>, visitor: Visitor, filled: Filled) -> Result<HttpResponse, Fault> {
    match coil::design::read(filled.get("text")) {
        Ok(design) => {
            workbench(&app, &visitor, &sheet::filled_from(&design), &Errors::new(), None, None).await
        }
        Err(problems) => {
            let page = formats_page(&visitor, filled.get("text"), problems);
            Ok(HttpResponse::UnprocessableEntity()
                .content_type("text/html; charset=utf-8")
                .body(render(&page)?))
        }
    }
}

async fn edit(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<HttpResponse, Fault> {
    let revision = app.store.revision(visitor.workshop(), RevisionId(*id)).await?;
    workbench(&app, &visitor, &sheet::filled_from(&revision.design), &Errors::new(), Some(&revision), None)
        .await
}

/// A new design that begins as a revision is.
async fn duplicate(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<HttpResponse, Fault> {
    let mut design = app.store.revision(visitor.workshop(), RevisionId(*id)).await?.design;
    design.name = format!("{}, copy", design.name.chars().take(110).collect::<String>());
    workbench(&app, &visitor, &sheet::filled_from(&design), &Errors::new(), None, None).await
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

async fn preview(app: web::Data<App>, visitor: Visitor, filled: Filled) -> Result<web::Json<Preview>, Fault> {
    let parent = parent_of(&app, &visitor, filled.get("parent")).await?;
    let base = base_of(&filled, parent.as_ref());
    let shelf = shelf(&app, &visitor).await?;
    let mut design = match sheet::read(&named(&filled), &base, &shelf) {
        // A sheet is shown as it was kept even where it cannot be read.
        Err(errors) if filled.get("step") == "show" => {
            let fields = sheet::sections(&base, &filled, &errors, &shelf);
            let sheet = Some(render(&SheetFields { sections: fields })?);
            return Ok(web::Json(Preview { errors, sheet, ..Preview::default() }));
        }
        Err(errors) => return Ok(web::Json(Preview { errors, ..Preview::default() })),
        Ok(read) => read,
    };
    let mut kept = filled.clone();
    let mut anew = filled.get("step") == "show";
    match filled.get("step") {
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
            let done = match step.strip_prefix("try:") {
                Some(lever) => match lever.parse::<Lever>().ok().and_then(|l| l.applied(&design.design)) {
                    Some(next) => {
                        design.design = next;
                        Ok(())
                    }
                    None => Err("this step leads out of what is allowed".to_owned()),
                },
                None => {
                    let step = step.parse::<Step>();
                    step.and_then(|step| step.apply(&mut design.design)).map_err(|e| e.to_string())
                }
            };
            if let Err(error) = done {
                let errors = Errors::from([("name".to_owned(), format!("Not done: {error}."))]);
                return Ok(web::Json(Preview { errors, ..Preview::default() }));
            }
            anew = true;
        }
    }
    anew = anew || sheet::names(&design.design, &kept) != sheet::names(&base, &filled);
    let view = View::named(filled.get("view"));
    let outlook = outlook(&design.design, parent.as_ref().map(|p| &p.design), view, Some(&filled)).await?;
    let (mut sheet, mut document) = (None, None);
    if anew {
        // The fields show the design as it now is; what was typed has gone into it.
        let flag = kept.get(sheet::ONE_BY_ONE).to_owned();
        let only = Filled(BTreeMap::from([(sheet::ONE_BY_ONE.to_owned(), flag)]));
        let fields = sheet::sections(&design.design, &only, &Errors::new(), &shelf);
        sheet = Some(render(&SheetFields { sections: fields })?);
        let text = serde_json::to_string(&design.design).map_err(|e| Fault::Internal(e.to_string()))?;
        document = Some(text);
    }
    Ok(web::Json(Preview {
        strip: outlook.strip,
        drawings: outlook.drawings,
        notices: outlook.notices,
        errors: Errors::new(),
        meant: if anew { BTreeMap::new() } else { design.meant },
        sheet,
        document,
        one_by_one: kept.get(sheet::ONE_BY_ONE) == "yes",
    }))
}

async fn save(
    app: &App,
    visitor: &Visitor,
    filled: &Filled,
    parent: Option<Revision>,
) -> Result<HttpResponse, Fault> {
    let base = base_of(filled, parent.as_ref());
    let mut errors = Errors::new();
    if filled.get("note").chars().count() > 1000 {
        errors.insert("note".into(), "A note has up to 1,000 letters.".into());
    }
    let read = sheet::read(filled, &base, &shelf(app, visitor).await?);
    let design = match read {
        Ok(read) if errors.is_empty() => read.design,
        Ok(_) => return workbench(app, visitor, filled, &errors, parent.as_ref(), None).await,
        Err(more) => {
            errors.extend(more);
            return workbench(app, visitor, filled, &errors, parent.as_ref(), None).await;
        }
    };
    // Somebody else has gone on from here in the meantime: both go on, but not without a word.
    if let Some(parent) = &parent {
        let newest = newest(app, visitor, parent).await?;
        let seen: u32 = filled.get("seen").parse().unwrap_or(0);
        if newest.number > seen && filled.get("anyway") != newest.number.to_string() {
            return workbench(app, visitor, filled, &errors, Some(parent), Some(newest)).await;
        }
    }
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

/// What an experiment varies: field value, what it is called, and the step to either side.
const VARIED: [(&str, &str, [Lever; 2]); 7] = [
    ("turns", "turns, by 300", [Lever::Turns(-300), Lever::Turns(300)]),
    ("gauge", "gauge, by one", [Lever::Gauge(-1), Lever::Gauge(1)]),
    ("wander", "hand wander, by 15 %", [Lever::Wander(-0.15), Lever::Wander(0.15)]),
    ("gap", "gap to the strings, by 0.5 mm", [Lever::Gap(-0.5), Lever::Gap(0.5)]),
    ("height", "winding height, by 1 mm", [Lever::Height(-1.0), Lever::Height(1.0)]),
    ("charge", "charge: 100, 80 and 60 %", [Lever::Charge(0.8), Lever::Charge(0.6)]),
    (
        "alloy",
        "alloy: alnico 2 and 3 beside it",
        [Lever::Alloy(Grade::Alnico2), Lever::Alloy(Grade::Alnico3)],
    ),
];

/// Saves two branches that differ from a revision in one thing, so that three coils can be wound and told apart.
async fn experiment(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    filled: Filled,
) -> Result<HttpResponse, Fault> {
    let revision = app.store.revision(visitor.workshop(), RevisionId(*id)).await?;
    let Some((_, what, levers)) = VARIED.iter().find(|(name, _, _)| *name == filled.get("vary")) else {
        return Err(Fault::Unreadable("Choose what the experiment varies.".into()));
    };
    let mut family = vec![*id];
    for (k, lever) in levers.iter().enumerate() {
        let Some(design) = lever.applied(&revision.design) else {
            return Err(Fault::Unreadable(format!("{} leads out of what is allowed here.", lever.words())));
        };
        let prediction = predicted(design.clone()).await?.ok();
        // Sent twice, the family is the same one.
        let key = format!("{:.30}{k:02}", filled.key()?.to_string()).parse::<ClientKey>();
        let key = key.map_err(|error| Fault::Unreadable(error.to_string()))?;
        let note = format!(
            "Experiment on r{}, {what}: {}; nothing else differs.",
            revision.row.number,
            lever.words()
        );
        let new = NewRevision {
            key,
            parent: Some(revision.row.id),
            note: &note,
            design: &design,
            prediction: prediction.as_ref(),
        };
        family.push(app.store.save_revision(visitor.workshop(), visitor.person.id, &new).await?.0);
    }
    let of: Vec<String> = family.iter().map(|id| format!("of={id}")).collect();
    Ok(see(format!("/compare?{}", of.join("&"))))
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
    tree: Vec<Branch>,
    runs: Vec<RunRow>,
    newest: bool,
    why: Vec<Why>,
    varied: Vec<(&'static str, &'static str)>,
    key: ClientKey,
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
        if let Some((first, beside)) = children.split_first() {
            waiting.push(((*first).clone(), depth));
            waiting.extend(beside.iter().rev().map(|r| ((*r).clone(), depth + 1)));
        }
        let ticked = row.id == shown.id || shown.parent_id == Some(row.id);
        found.push(Branch { row, depth: depth.min(5), ticked });
    }
    found
}

/// What a band is made of, in words.
struct Why {
    what: &'static str,
    from: String,
}

#[derive(Deserialize)]
struct ShowQuery {
    #[serde(default)]
    view: String,
}

async fn show(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    query: web::Query<ShowQuery>,
) -> Result<RevisionPage, Fault> {
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
    let outlook = outlook(&design, parent.as_ref(), View::named(&query.view), None).await?;
    let why = outlook.prediction.as_ref().map(|p| whys(p, &design)).unwrap_or_default();
    let aims = design.aims != coil::design::Aims::default();
    Ok(RevisionPage {
        frame: Frame::new(&visitor, "designs", format!("{} r{}", revision.row.name, revision.row.number)),
        thread: thread(aims, None, false),
        when: present::moment(revision.row.created_at),
        when_iso: present::iso(revision.row.created_at),
        outlook,
        newest: siblings.first().is_some_and(|s| s.id == revision.row.id),
        tree: tree(siblings, &revision.row),
        runs,
        row: revision.row,
        why,
        varied: VARIED.iter().map(|(name, what, _)| (*name, *what)).collect(),
        key: ClientKey::random(),
    })
}

/// The inputs that widen the main bands, largest first.
fn whys(prediction: &Prediction, design: &Design) -> Vec<Why> {
    let named = |input: &str| match input.strip_prefix("model: ") {
        Some(model) => format!("the model of the {model} itself"),
        None => {
            let at = input.replace("[*]", "[0]");
            let said = sheet::place_in_words(&at, design);
            if said != at {
                return said;
            }
            match at.rsplit('.').next().unwrap_or_default() {
                "ohm_per_m" => "the wire's ohms per metre".into(),
                "overall" => "the wire's overall diameter".into(),
                "packing" => "the packing".into(),
                "core" => "the core's size".into(),
                "material" => "the alloy".into(),
                other => other.replace('_', " "),
            }
        }
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
