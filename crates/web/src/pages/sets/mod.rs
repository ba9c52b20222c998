//! Sets: pickups under the same strings, on one switch.

mod compare;
mod figures;
mod form;
mod search;
mod set_up;
mod share;

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::{attachment, redirect, render, render_page};
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::Design;
use coil::quantity::Measure;
use coil::set::{Balanced, Freedom};
use form::SetFields;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOOHM, MILLIVOLT, signed_percent};
use presentation::read::measured;
use serde_json::json;
use store::pickup_set::PickupSetRow;
use store::{ClientKey, PickupSetId, RevisionId, RunId};
use trade::pairing::{PickupChange, ReverseWinding};
use workshop::{AuditionSide, MakePartner, Refusal, SavePickupSet, SetDraft};

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/sets", web::get().to(list))
        .route("/sets", web::post().to(save_new))
        .route("/sets/new", web::get().to(new))
        .route("/sets/compare", web::get().to(compare::show))
        .route("/sets/preview", web::post().to(preview))
        .route("/sets/audition", web::post().to(audition))
        .route("/sets/import", web::post().to(import))
        .route("/sets/search", web::post().to(search::begin))
        .route("/sets/search/{name}", web::get().to(search::progress))
        .route("/sets/{id}", web::get().to(show))
        .route("/sets/{id}", web::post().to(save))
        .route("/sets/{id}/archive", web::post().to(archive))
        .route("/sets/{id}/partner", web::post().to(partner))
        .route("/sets/{id}/balance", web::post().to(balance))
        .route("/sets/{id}/moves", web::post().to(search::apply))
        .route("/sets/{id}/mend", web::post().to(mend))
        .route("/sets/{id}/runs", web::post().to(runs))
        .route("/sets/{id}/set.json", web::get().to(export))
        .route("/sets/{id}/set-up", web::get().to(set_up::show))
        .route("/sets/{id}/share", web::get().to(share::show));
}

#[derive(Template)]
#[template(path = "sets/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    rows: Vec<ListRow>,
    has_designs: bool,
    q: String,
    by_name: bool,
    is_archived: bool,
    key: ClientKey,
    document: String,
    import_error: String,
}

struct ListRow {
    id: PickupSetId,
    name: String,
    pickups: String,
    positions: usize,
    trouble: String,
    when: String,
    by: String,
}

impl ListRow {
    fn of(row: PickupSetRow, draft: &SetDraft) -> Self {
        let mut order: Vec<_> = draft.pickups.iter().collect();
        order.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        Self {
            id: row.id,
            name: row.name,
            pickups: order.iter().map(|p| p.name.as_str()).collect::<Vec<_>>().join(", "),
            positions: draft.switch.len(),
            trouble: row.trouble,
            when: format::moment(row.changed_at),
            by: row.by,
        }
    }
}

async fn list_page(
    app: &App,
    user: &CurrentUser,
    query: &QueryParameters,
    refused: Option<(&FormData, String)>,
) -> Result<HttpResponse, AppError> {
    let is_archived = query.get("archived") == "yes";
    let (q, by_name) = (query.get("q").to_owned(), query.get("sort") == "name");
    let sets = app.workshop.pickup_sets(&user.actor, is_archived).await?;
    let words = q.to_lowercase();
    let mut rows: Vec<ListRow> = sets.into_iter().map(|(row, draft)| ListRow::of(row, &draft)).collect();
    rows.retain(|r| format!("{} {}", r.name, r.pickups).to_lowercase().contains(&words));
    if by_name {
        rows.sort_by_key(|r| r.name.to_lowercase());
    }
    let (form, import_error) = refused.map_or((None, String::new()), |(form, error)| (Some(form), error));
    let page = ListPage {
        frame: Frame::new(user, "sets", "Sets"),
        tab: "sets",
        rows,
        has_designs: !app.workshop.revisions_for_sets(&user.actor).await?.is_empty(),
        q,
        by_name,
        is_archived,
        key: ClientKey::random(),
        document: form.map_or_else(String::new, |f| f.untrimmed("document").to_owned()),
        import_error,
    };
    render_page(&page, !page.import_error.is_empty())
}

async fn list(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    list_page(&app, &user, &query, None).await
}

/// What brings a pickup to the level of the others.
struct Offer {
    freedom: &'static str,
    what: String,
    comes: String,
}

/// A coil of the set.
struct CoilRow {
    pickup: String,
    revision: u64,
    /// Whether it runs the other way round than the first pickup's.
    is_reversed: bool,
    run: Option<(u64, u32)>,
    resistance: String,
    inductance: String,
    verdict: String,
}

#[derive(Template)]
#[template(path = "sets/set.html")]
struct SetPage {
    frame: Frame,
    title: String,
    id: Option<PickupSetId>,
    version: u32,
    is_archived: bool,
    key: ClientKey,
    mend_key: ClientKey,
    balance_key: ClientKey,
    partner_key: ClientKey,
    refused: String,
    fields: String,
    figures: String,
    string: u32,
    partner: Vec<Field>,
    offers: Vec<Offer>,
    offered: String,
    offered_index: usize,
    coils: Vec<CoilRow>,
    stock: Vec<(String, String)>,
    /// Positions of the switch to listen to: index and name.
    positions: Vec<(usize, String)>,
    /// Pickups of which something may change in a search.
    ranges: Vec<search::RangeFields>,
}

#[derive(Template)]
#[template(path = "sets/_fields.html")]
struct FieldsPart {
    fields: SetFields,
}

/// What a form says, checked and predicted.
struct Checked {
    draft: SetDraft,
    errors: Errors,
    fields: String,
    figures: String,
}

fn string_of(form: &FormData) -> u32 {
    form.get("string").parse().unwrap_or(6)
}

/// Reads a form, after the step that it may ask for, and predicts what it says.
async fn checked(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    can_mend: bool,
) -> Result<Checked, AppError> {
    let units = user.settings.units;
    let rows = app.workshop.revisions_for_sets(&user.actor).await?;
    let (mut draft, mut errors) = form::read(form, units);
    let mut shown = form.0.clone();
    if !form.get("step").is_empty() {
        form::step(&mut draft, form.get("step"), &rows);
        let kept = form::filled(&draft, units);
        // What could not be read stays as it was typed.
        let unread: Vec<(String, String)> =
            errors.keys().filter(|n| kept.has(n)).map(|n| (n.clone(), form.get(n).to_owned())).collect();
        shown = kept;
        for (name, value) in unread {
            shown.set(name, value);
        }
    }
    let mut designs: Vec<Option<Design>> = vec![None; draft.pickups.len()];
    let mut figures = String::new();
    let is_complete = !errors.keys().any(|name| name.ends_with("_revision"));
    if is_complete {
        match app.workshop.preview_set(&user.actor, &draft).await {
            Ok(found) => {
                designs = found.set.pickups.iter().map(|p| Some(p.design.clone())).collect();
                if let Err(problems) = &found.predicted {
                    form::at_fields(problems, &mut errors);
                }
                let reason = |p: &workshop::DraftPickup| {
                    rows.iter().find(|r| r.id == p.revision).map_or_else(String::new, |r| r.note.clone())
                };
                let reasons: Vec<String> = draft.pickups.iter().map(reason).collect();
                figures = figures::figures(&found, &reasons, string_of(form), can_mend, units)?;
            }
            Err(Refusal::NotFound(_)) => {
                for i in 0..draft.pickups.len() {
                    if !rows.iter().any(|r| r.id == draft.pickups[i].revision) {
                        errors.insert(format!("p{i}_revision"), "Choose the design.".into());
                    }
                }
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    let known: Vec<Option<&Design>> = designs.iter().map(Option::as_ref).collect();
    let fields = form::Shown { form: &shown, errors: &errors, rows: &rows, designs: &known, units }.fields();
    Ok(Checked { draft, errors, fields: render(&FieldsPart { fields })?, figures })
}

/// Fields of the partner's form.
fn partner_fields(draft: &SetDraft, form: &FormData, errors: &Errors, user: &CurrentUser) -> Vec<Field> {
    let units = user.settings.units;
    let choices = draft.pickups.iter().enumerate().map(|(i, p)| Choice::new(i.to_string(), p.name.clone()));
    let schools = vec![
        Choice::new("turn-the-other-way", "the winder turns the other way"),
        Choice::new("exchange-start-and-finish", "wound as always; start and finish exchanged at the leads"),
    ];
    let school_hint = "The same to the circuit. Turned the other way, the start inside stays at ground; with the ends exchanged the start \
        inside is hot and the outside of the coil lies at ground.";
    let turns = vec![Choice::new("yes", "for the same level as the first"), Choice::new("", "as the first")];
    let field = |f: Field| f.filled(form, errors);
    vec![
        field(Field::chosen("partner_of", "Partner of", "", choices.collect())),
        field(Field::typed("partner_name", "Its name in the set", "")),
        field(Field::measured("partner_place", "From the bridge", "", (Measure::Length, units))),
        Field::chosen("school", "How it runs the other way", school_hint, schools).filled_or(
            form,
            errors,
            coil::Word::word(user.settings.reverse_winding),
        ),
        Field::chosen("partner_balance", "Turns", "", turns).filled_or(form, errors, "yes"),
    ]
}

fn offer_of(balanced: &Balanced, reaches: bool, units: coil::quantity::Units) -> Offer {
    let what = match balanced.freedom {
        Freedom::Turns => {
            let turns: Vec<String> =
                balanced.design.coils.iter().map(|c| format::turns(c.wind.turns)).collect();
            format!("{} turns ({})", turns.join(" + "), signed_percent(balanced.change - 1.0, 1))
        }
        Freedom::Height if balanced.change < 0.0 => {
            format!("{} nearer to the strings", units.length(-balanced.change, 1))
        }
        Freedom::Height => format!("{} further from the strings", units.length(balanced.change, 1)),
        Freedom::Plate => "a plate of mild steel under it".to_owned(),
        Freedom::Charge => {
            format!("magnets charged {} of what they are now", format_percent(balanced.change))
        }
    };
    let comes = format!(
        "{} then{}{}",
        MILLIVOLT.text(balanced.output_mv),
        if reaches { "" } else { ", which is as near as this goes" },
        if balanced.freedom == Freedom::Turns {
            "; makers use 10 to 15 % at the bridge (common practice, no source)"
        } else {
            ""
        },
    );
    Offer { freedom: coil::Word::word(balanced.freedom), what, comes }
}

fn format_percent(ratio: f64) -> String {
    format!("{} %", format::plain(100.0 * ratio, 0))
}

/// What a page of a set shows beside the form.
struct Shown<'a> {
    set: Option<&'a PickupSetRow>,
    refused: String,
    offered: Option<usize>,
    partner_errors: Errors,
}

async fn set_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    shown: Shown<'_>,
) -> Result<HttpResponse, AppError> {
    let id = shown.set.map(|row| row.id);
    let checked =
        checked(app, user, form, id.is_some() && user.actor.may(workshop::Action::ChangeDesigns)).await?;
    let (mut coils, mut stock, mut offers) = (Vec::new(), Vec::new(), Vec::new());
    if let Some(id) = id {
        (coils, stock) = coils_of(app, user, id, &checked.draft).await?;
        if let Some(pickup) = shown.offered {
            let found = app.workshop.balance_pickup(&user.actor, &checked.draft, pickup).await?;
            offers = found.iter().map(|(b, reaches)| offer_of(b, *reaches, user.settings.units)).collect();
        }
    }
    let title = shown.set.map_or_else(|| "New set".to_owned(), |row| row.name.clone());
    let is_refused = !shown.refused.is_empty() || !shown.partner_errors.is_empty();
    let page = SetPage {
        frame: Frame::new(user, "sets", title.clone()),
        title,
        id,
        version: shown.set.map_or(0, |row| row.version),
        is_archived: shown.set.is_some_and(|row| row.archived_at.is_some()),
        key: form.key_or_new(),
        mend_key: ClientKey::random(),
        balance_key: ClientKey::random(),
        partner_key: ClientKey::random(),
        refused: shown.refused,
        fields: checked.fields,
        figures: checked.figures,
        string: string_of(form),
        partner: partner_fields(&checked.draft, form, &shown.partner_errors, user),
        offered: shown
            .offered
            .and_then(|i| checked.draft.pickups.get(i))
            .map_or_else(String::new, |p| p.name.clone()),
        offered_index: shown.offered.unwrap_or_default(),
        offers,
        coils,
        stock,
        ranges: checked
            .draft
            .pickups
            .iter()
            .enumerate()
            .map(|(index, p)| search::RangeFields { index, name: p.name.clone() })
            .collect(),
        positions: checked
            .draft
            .switch
            .iter()
            .map(|p| format!("{}: {}", p.name, p.on.join(" + ")))
            .enumerate()
            .collect(),
    };
    render_page(&page, is_refused)
}

/// The coils of a set, pickup by pickup, and those in stock that it could take: their values and words.
async fn coils_of(
    app: &App,
    user: &CurrentUser,
    id: PickupSetId,
    draft: &SetDraft,
) -> Result<(Vec<CoilRow>, Vec<(String, String)>), AppError> {
    let wound = app.workshop.coils_of_set(&user.actor, id).await?;
    let set = app.workshop.set_document(&user.actor, draft).await?;
    let way = |i: usize| set.pickups[i].design.coils.first().map(|c| c.wind.direction);
    let mut rows = Vec::new();
    for (i, pickup) in draft.pickups.iter().enumerate() {
        let is_reversed = way(i) != way(0);
        let coils: Vec<_> = wound.iter().filter(|c| c.run.pickup == pickup.name).collect();
        for coil in &coils {
            let line = coil.line.as_ref();
            rows.push(CoilRow {
                pickup: pickup.name.clone(),
                revision: coil.run.revision_id.0,
                is_reversed,
                run: Some((coil.run.run_id.0, coil.run.number)),
                resistance: line.and_then(|l| l.resistance_ohm).map_or_else(String::new, |v| KILOOHM.text(v)),
                inductance: line.and_then(|l| l.inductance_h).map_or_else(String::new, |v| HENRY.text(v)),
                verdict: if coil.run.is_voided {
                    "void".to_owned()
                } else {
                    line.map_or_else(|| "waiting".to_owned(), |l| l.level.0.name().to_owned())
                },
            });
        }
        if coils.iter().all(|c| c.run.is_voided) {
            rows.push(CoilRow {
                pickup: pickup.name.clone(),
                revision: pickup.revision.0,
                is_reversed,
                run: None,
                resistance: String::new(),
                inductance: String::new(),
                verdict: String::new(),
            });
        }
    }
    let stock = app.workshop.stock_for_set(&user.actor, draft).await?;
    let stock = stock.into_iter().map(|(i, line)| {
        let read = line.resistance_ohm.map_or_else(String::new, |v| KILOOHM.text(v));
        (format!("{i}:{}", line.run_id), format!("{}: run {}, {read}", draft.pickups[i].name, line.number))
    });
    Ok((rows, stock.collect()))
}

async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let rows = app.workshop.revisions_for_sets(&user.actor).await?;
    let chosen: Vec<RevisionId> = query.all("of").filter_map(|v| v.parse().ok()).map(RevisionId).collect();
    let count = if chosen.is_empty() { 2 } else { chosen.len() };
    let draft = form::begun(&rows, &chosen, count);
    let form = FormData(form::filled(&draft, user.settings.units));
    let shown = Shown { set: None, refused: String::new(), offered: None, partner_errors: Errors::new() };
    set_page(&app, &user, &form, shown).await
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let form = FormData(form::filled(&draft, user.settings.units));
    let offered =
        query.number("pickup").and_then(|n| usize::try_from(n).ok()).filter(|i| *i < draft.pickups.len());
    let shown = Shown { set: Some(&row), refused: String::new(), offered, partner_errors: Errors::new() };
    set_page(&app, &user, &form, shown).await
}

/// The figures, the fields after a step, and messages by field, while the form is filled in.
async fn preview(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    // What is typed is not what is saved: changes are made to what was saved.
    let checked = checked(&app, &user, &form, false).await?;
    let fields = (!form.get("step").is_empty()).then_some(checked.fields);
    Ok(HttpResponse::Ok()
        .json(json!({ "errors": checked.errors, "figures": checked.figures, "fields": fields })))
}

/// One of two positions as a WAV file, as the form says them; `Filamentum-Louder` tells by how many dB B is louder at true level.
async fn audition(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(&form, user.settings.units);
    if !errors.is_empty() {
        return Err(AppError::BadRequest("Correct the marked fields first.".into()));
    }
    let position = |name: &str| form.id(name).and_then(|n| usize::try_from(n).ok()).unwrap_or(usize::MAX);
    let side = if form.get("listen_which") == "b" { AuditionSide::B } else { AuditionSide::A };
    let (positions, equal) =
        ((position("listen_a"), position("listen_b")), form.get("listen_level") != "true");
    let (bytes, louder) = app.workshop.audition_set(&user.actor, &draft, positions, equal, side).await?;
    let louder = ("Filamentum-Louder", format!("{louder:.2}"));
    Ok(HttpResponse::Ok().content_type("audio/wav").insert_header(louder).body(bytes))
}

async fn save_as(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    form: &FormData,
    set: Option<&PickupSetRow>,
) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(form, user.settings.units);
    let refused = if errors.is_empty() {
        let version = form.get("version").parse().unwrap_or_default();
        let command = SavePickupSet { key: form.key()?, of: set.map(|row| (row.id, version)), draft };
        match app.workshop.save_pickup_set(&user.actor, &command).await {
            Ok(id) => {
                flash::put(session, FlashKind::Done, "The set is saved.");
                return Ok(redirect(format!("/sets/{id}")));
            }
            // A design that is not there is marked at its field as well.
            Err(Refusal::NotPredictable(_) | Refusal::NotFound("revision")) => {
                "Not saved: see the marked fields.".to_owned()
            }
            Err(refusal @ Refusal::ChangedMeanwhile(_)) => refusal_text(&refusal),
            Err(refusal) => return Err(refusal.into()),
        }
    } else {
        "Not saved: see the marked fields.".to_owned()
    };
    set_page(app, user, form, Shown { set, refused, offered: None, partner_errors: Errors::new() }).await
}

async fn save_new(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    save_as(&app, &user, &session, &form, None).await
}

async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (row, _) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    save_as(&app, &user, &session, &form, Some(&row)).await
}

async fn archive(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let is_archived = form.get("archived") == "yes";
    app.workshop.archive_pickup_set(&user.actor, PickupSetId(*id), is_archived).await?;
    Ok(redirect(format!("/sets/{id}")))
}

async fn import(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let read = coil::set::read(form.untrimmed("document"));
    let done = match read {
        Ok(set) => match app.workshop.import_set(&user.actor, &form.key()?, &set).await {
            Ok(id) => return Ok(redirect(format!("/sets/{id}"))),
            Err(Refusal::NotPredictable(problems)) => problems,
            Err(refusal) => return Err(refusal.into()),
        },
        Err(problems) => problems,
    };
    let words: Vec<String> =
        done.iter().take(5).map(|p| format!("{}: {}; {}.", p.at, p.text, p.try_)).collect();
    let query = QueryParameters::default();
    list_page(&app, &user, &query, Some((&form, words.join(" ")))).await
}

async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let (_, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let set = app.workshop.set_document(&user.actor, &draft).await?;
    let body = serde_json::to_vec_pretty(&set).map_err(AppError::internal)?;
    Ok(attachment("application/json", &format!("set-{id}.json"), body))
}

/// The set and the version that a form was shown with.
fn version_of(id: u64, form: &FormData) -> (PickupSetId, u32) {
    (PickupSetId(id), form.get("version").parse().unwrap_or_default())
}

/// Says what was done, or why it was not, on the set's page.
pub(super) fn told(
    session: &Session,
    id: u64,
    done: Result<(), Refusal>,
    words: &str,
) -> Result<HttpResponse, AppError> {
    match done {
        Ok(()) => flash::put(session, FlashKind::Done, words),
        Err(
            refusal @ (Refusal::ChangedMeanwhile(_)
            | Refusal::NotPredictable(_)
            | Refusal::AdjustmentOutOfRange),
        ) => {
            flash::put(session, FlashKind::NotDone, refusal_text(&refusal));
        }
        Err(refusal) => return Err(refusal.into()),
    }
    Ok(redirect(format!("/sets/{id}")))
}

async fn mend(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let asked = form.get("mend").split_once(':').and_then(|(pickup, change)| {
        Some((pickup.parse::<usize>().ok()?, change.parse::<PickupChange>().ok()?))
    });
    let (pickup, change) = asked.ok_or(AppError::NotFound("change"))?;
    let of = version_of(*id, &form);
    let done = app.workshop.mend_pickup(&user.actor, &form.key()?, of, pickup, change).await;
    told(&session, *id, done, "Done: the set holds the change.")
}

async fn balance(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let freedom: Freedom = form.get("freedom").parse().ok().ok_or(AppError::NotFound("change"))?;
    let pickup =
        form.id("pickup").and_then(|p| usize::try_from(p).ok()).ok_or(AppError::NotFound("pickup"))?;
    let of = version_of(*id, &form);
    let done = app.workshop.apply_balance(&user.actor, &form.key()?, of, pickup, freedom).await;
    told(&session, *id, done, "Saved as the next revision, and put into the set.")
}

async fn partner(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let mut errors = Errors::new();
    let name = form.get("partner_name").to_owned();
    if name.is_empty() || name.chars().count() > 40 || draft.pickups.iter().any(|p| p.name == name) {
        errors.insert("partner_name".into(), "A name of its own, in up to 40 letters.".into());
    }
    let of = (Measure::Length, user.settings.units);
    let place = measured(&form, &mut errors, "partner_place", (1.0, 1200.0), of);
    if place.is_none() {
        errors.entry("partner_place".into()).or_insert_with(|| "Type its distance from the bridge.".into());
    }
    let school = form.get("school").parse::<ReverseWinding>().unwrap_or(ReverseWinding::TurnTheOtherWay);
    let pickup = form.id("partner_of").and_then(|p| usize::try_from(p).ok()).unwrap_or_default();
    let mut refused = String::new();
    if let (Some(from_bridge_mm), true) = (place, errors.is_empty()) {
        let command = MakePartner {
            key: form.key()?,
            set: version_of(*id, &form),
            pickup,
            name,
            from_bridge_mm,
            school,
            is_balanced: form.get("partner_balance") == "yes",
        };
        match app.workshop.make_partner(&user.actor, &command).await {
            Ok(_) => {
                return told(
                    &session,
                    *id,
                    Ok(()),
                    "The partner is made: mind its direction when it is wound.",
                );
            }
            Err(refusal @ (Refusal::ChangedMeanwhile(_) | Refusal::NotPredictable(_))) => {
                refused = refusal_text(&refusal);
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    // The set as saved, with what was typed for its partner.
    let mut shown = FormData(form::filled(&draft, user.settings.units));
    for (name, value) in form.iter().filter(|(n, _)| n.starts_with("partner_") || *n == "school") {
        shown.set(name, value);
    }
    set_page(&app, &user, &shown, Shown { set: Some(&row), refused, offered: None, partner_errors: errors })
        .await
}

/// Puts a coil from stock into the set, or takes one out.
async fn runs(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let set = PickupSetId(*id);
    if let Some(run) = form.id("release") {
        app.workshop.release_run_from_set(&user.actor, RunId(run)).await?;
    } else if let Some((pickup, run)) = form.get("take").split_once(':') {
        let (_, draft) = app.workshop.pickup_set(&user.actor, set).await?;
        let pickup = pickup
            .parse::<usize>()
            .ok()
            .and_then(|i| draft.pickups.get(i))
            .ok_or(AppError::NotFound("pickup"))?;
        let run = run.parse().ok().map(RunId).ok_or(AppError::NotFound("run"))?;
        app.workshop.assign_run_to_set(&user.actor, run, set, &pickup.name).await?;
    }
    Ok(redirect(format!("/sets/{id}")))
}
