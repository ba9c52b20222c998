//! The page of an examined pickup: the sheet, what it tells, the diagnosis, and how it is brought back.

use super::diagnosis::{DiagnosisPart, diagnosis};
use super::form::{self, Part};
use super::ranking::ranking;
use crate::app::App;
use crate::components::frame::Frame;
use crate::components::live_form::LiveAnswer;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::pages::photos::PhotoStrip;
use crate::query::QueryParameters;
use crate::respond::{render, render_page};
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::design::{Format, Problem, starting_point};
use coil::identification::Identification;
use coil::prediction::Prediction;
use coil::quantity::Units;
use coil::wire::Gauge;
use presentation::field::Field;
use presentation::figures::Figure;
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOHERTZ, KILOOHM, signed_db, signed_percent};
use store::photo::PhotoSubject;
use store::rewind::RewindRow;
use store::{ClientKey, RewindId};
use workshop::{Refusal, Restoration, RestorationWishes, RewindDraft, SaveRewind};

/// Turns more for an improved coil, per cent, where nothing is asked for.
const MORE_TURNS_PERCENT: f64 = 5.0;

#[derive(Template)]
#[template(path = "rewinds/_fields.html")]
struct FieldsPart {
    parts: Vec<Part>,
    pickup: String,
}

/// A way of bringing it back.
struct Offer {
    way: &'static str,
    name: String,
    turns: String,
    wire: String,
    resistance: String,
    inductance: String,
    peak: String,
    output: String,
    fill: String,
    warnings: Vec<String>,
}

/// A coil that was wound for it.
struct CoilRow {
    run: u64,
    number: u32,
    turns: String,
    resistance: String,
    resistance_off: String,
    inductance: String,
    inductance_off: String,
}

#[derive(Template)]
#[template(path = "rewinds/page.html")]
struct RewindPage {
    frame: Frame,
    title: String,
    id: Option<RewindId>,
    version: u32,
    is_archived: bool,
    refused: String,
    key: ClientKey,
    restore_key: ClientKey,
    copy_key: ClientKey,
    fields: String,
    ranking: String,
    chosen: String,
    diagnosis: Option<DiagnosisPart>,
    offers: Vec<Offer>,
    original: Vec<(&'static str, String)>,
    more: f64,
    /// The wire of a rewind to the old edge, as typed, and what is wrong with it.
    wire: String,
    wire_error: String,
    revision: Option<u64>,
    coils: Vec<CoilRow>,
    copy: Vec<Field>,
    curve: Vec<Field>,
    photos: Option<PhotoStrip>,
}

/// A form, read and weighed.
struct Weighed {
    draft: RewindDraft,
    errors: Errors,
    fields: String,
    found: Result<Identification, Vec<Problem>>,
}

fn has_readings(draft: &RewindDraft) -> bool {
    let measured = &draft.findings.measured;
    measured.taken().next().is_some() || measured.open || !measured.flux_mt.is_empty()
}

async fn weighed(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    before: Option<&RewindDraft>,
) -> Result<Weighed, AppError> {
    let units = user.settings.units;
    let mut shown = form.0.clone();
    form::stepped(&mut shown, units);
    let (draft, mut errors) = form::read(&shown, before, units);
    if form::is_begun_anew(&shown, units) {
        // The sizes are those of the other format.
        for (name, value) in form::sizes(&draft, units).iter() {
            shown.set(name, value);
        }
    }
    let mut named = draft.findings.clone();
    if named.name.trim().is_empty() {
        // A name is asked for when it is saved, not before.
        "unnamed".clone_into(&mut named.name);
    }
    let found = match app.workshop.identify_findings(&user.actor, &named).await {
        Ok(found) => Ok(found),
        Err(Refusal::NotPredictable(problems)) => {
            form::at_fields(&problems, &mut errors);
            Err(problems)
        }
        Err(refusal) => return Err(refusal.into()),
    };
    let pickup = serde_json::to_string(&draft.findings.pickup)?;
    let fields =
        render(&FieldsPart { parts: form::parts(&shown, &errors, &draft.findings.pickup, units), pickup })?;
    Ok(Weighed { draft, errors, fields, found })
}

/// What a page shows beside its form.
struct Shown<'a> {
    row: Option<&'a RewindRow>,
    before: Option<&'a RewindDraft>,
    refused: String,
    more: f64,
    /// Wire for the old edge, as typed.
    wire: String,
    copy_form: Option<&'a FormData>,
    copy_errors: Errors,
}

async fn rewind_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    shown: Shown<'_>,
) -> Result<HttpResponse, AppError> {
    let units = user.settings.units;
    let weighed = weighed(app, user, form, shown.before).await?;
    let may_change = user.actor.may(workshop::Action::ChangeDesigns);
    let can_choose = shown.row.is_some() && may_change;
    let ranked = ranking(&weighed.found, can_choose, has_readings(&weighed.draft), units)?;
    let draft = &weighed.draft;
    let mut page = RewindPage {
        frame: Frame::new(user, "rewinds", shown.row.map_or("Examine a pickup", |r| r.name.as_str())),
        title: shown.row.map_or_else(|| "Examine a pickup".to_owned(), |r| r.name.clone()),
        id: shown.row.map(|r| r.id),
        version: shown.row.map_or(0, |r| r.version),
        is_archived: shown.row.is_some_and(|r| r.archived_at.is_some()),
        refused: shown.refused,
        key: form.key_or_new(),
        restore_key: ClientKey::random(),
        copy_key: ClientKey::random(),
        fields: weighed.fields,
        ranking: ranked,
        chosen: draft.chosen.as_ref().map_or_else(String::new, |c| {
            format!(
                "{}, {}, {} build, {} turns",
                c.gauge,
                c.insulation.spoken(),
                c.build.word(),
                format::turns(c.turns.round())
            )
        }),
        diagnosis: None,
        offers: Vec::new(),
        original: Vec::new(),
        more: shown.more,
        wire_error: if shown.wire.is_empty() {
            String::new()
        } else {
            shown.wire.parse::<Gauge>().err().map_or_else(String::new, |e| format!("Not a gauge: {e}."))
        },
        wire: shown.wire.clone(),
        revision: shown.row.and_then(|r| r.revision_id).map(|id| id.0),
        coils: Vec::new(),
        copy: copy_fields(draft, shown.copy_form, &shown.copy_errors),
        curve: curve_fields(),
        photos: None,
    };
    if let (Some(row), Ok(found)) = (shown.row, &weighed.found) {
        page.photos = Some(PhotoStrip::load(app, user, PhotoSubject::Rewind, row.id.0).await?);
        let expected = app.workshop.expected_readings(&user.actor, draft, found).await?;
        page.diagnosis = Some(diagnosis(draft, &expected, units));
        if has_readings(draft) {
            let wishes =
                RestorationWishes { more_turns_percent: shown.more, gauge: shown.wire.parse::<Gauge>().ok() };
            let offers = app.workshop.restorations(&user.actor, draft, found, wishes).await?;
            let first = offers.first().map(|o| o.prediction.clone());
            page.original = first.as_deref().map_or_else(Vec::new, figures);
            page.offers = offers.iter().map(|o| offer(o, first.as_deref(), wishes, units)).collect();
            let coils = app.workshop.coils_of_rewind(&user.actor, row).await?;
            page.coils = coils.iter().map(|line| coil_row(line, first.as_deref())).collect();
        }
    }
    let is_refused = !page.refused.is_empty() || !shown.copy_errors.is_empty();
    render_page(&page, is_refused)
}

fn figures(prediction: &Prediction) -> Vec<(&'static str, String)> {
    let p = &prediction.pickup;
    vec![
        ("R at 20 °C", Figure::Resistance.text_in(p)),
        ("L", Figure::Inductance.text_in(p)),
        ("Peak, loaded", Figure::Peak.text_in(p)),
        ("Output, to reference", Figure::RelativeOutput.text_in(p)),
    ]
}

/// A figure with how far it lies from the original's.
fn changed(text: String, value: f64, original: Option<f64>) -> String {
    match original.map(|o| value / o - 1.0).filter(|off| off.abs() >= 0.0005) {
        Some(off) => format!("{text} ({})", signed_percent(off, 1)),
        None => text,
    }
}

fn offer(
    offer: &workshop::RestorationOffer,
    original: Option<&Prediction>,
    wishes: RestorationWishes,
    units: Units,
) -> Offer {
    let (p, o) = (&offer.prediction.pickup, original.map(|p| &p.pickup));
    let turns: Vec<String> = offer.design.coils.iter().map(|c| format::turns(c.wind.turns)).collect();
    let name = match offer.way {
        Restoration::Original => "As it was".to_owned(),
        Restoration::OldEdge => wishes
            .gauge
            .map_or_else(|| "To the old edge".to_owned(), |gauge| format!("To the old edge, of {gauge}")),
        Restoration::Improved => {
            format!("{} turns, fully charged", signed_percent(wishes.more_turns_percent / 100.0, 1))
        }
    };
    let output = p.relative_output_db.nominal;
    let output_off = o.map(|o| output - o.relative_output_db.nominal).filter(|db| db.abs() >= 0.05);
    Offer {
        way: offer.way.into(),
        name,
        turns: turns.join(" + "),
        wire: units.wire_length(offer.prediction.coils.iter().map(|c| c.wire_length_m.nominal).sum()),
        resistance: changed(
            KILOOHM.text(p.resistance_20c_ohm.nominal),
            p.resistance_20c_ohm.nominal,
            o.map(|o| o.resistance_20c_ohm.nominal),
        ),
        inductance: changed(
            HENRY.text(p.inductance_h.nominal),
            p.inductance_h.nominal,
            o.map(|o| o.inductance_h.nominal),
        ),
        peak: p.peak_hz.map_or_else(
            || "none".to_owned(),
            |q| changed(KILOHERTZ.text(q.nominal), q.nominal, o.and_then(|o| o.peak_hz).map(|q| q.nominal)),
        ),
        output: match output_off {
            Some(off) => format!("{} ({})", signed_db(output, 1), signed_db(off, 1)),
            None => signed_db(output, 1),
        },
        fill: format!("{:.0} %", 100.0 * offer.prediction.coils.first().map_or(0.0, |c| c.fill)),
        warnings: offer
            .prediction
            .notices
            .iter()
            .filter(|n| n.level < coil::prediction::Level::Note)
            .map(|n| units.sentence(&n.text).into_owned())
            .collect(),
    }
}

fn coil_row(line: &store::logbook::LogbookRow, original: Option<&Prediction>) -> CoilRow {
    let p = original.map(|p| &p.pickup);
    let off = |value: Option<f64>, of: Option<f64>| {
        value.zip(of).map_or_else(String::new, |(v, o)| signed_percent(v / o - 1.0, 1))
    };
    CoilRow {
        run: line.run_id.0,
        number: line.number,
        turns: line.turns.map_or_else(|| "none yet".to_owned(), |n| format::turns(n.round())),
        resistance: line.resistance_ohm.map_or_else(String::new, |v| KILOOHM.text(v)),
        resistance_off: off(line.resistance_ohm, p.map(|p| p.resistance_20c_ohm.nominal)),
        inductance: line.inductance_h.map_or_else(String::new, |v| HENRY.text(v)),
        inductance_off: off(line.inductance_h, p.map(|p| p.inductance_1khz_h.nominal)),
    }
}

fn copy_fields(draft: &RewindDraft, form: Option<&FormData>, errors: &Errors) -> Vec<Field> {
    let empty = FormData::default();
    let form = form.unwrap_or(&empty);
    let name = format!("Like {}", draft.findings.name);
    vec![
        Field::typed("copy_name", "Name of the design", "").filled_or(form, errors, &name),
        Field::typed("more_output", "Output more than it has", "Such as 15; less with a minus.")
            .unit("%")
            .filled_or(form, errors, "0"),
        Field::typed("least_peak", "Peak no lower than", "Empty for any.")
            .unit("Hz")
            .filled_or(form, errors, ""),
    ]
}

fn curve_fields() -> Vec<Field> {
    use presentation::field::Choice;
    vec![
        Field::chosen(
            "swept",
            "What was swept",
            "An impedance tells inductance and capacitance; a response only how they go together.",
            vec![
                Choice::new("impedance", "impedance, Ω over Hz"),
                Choice::new("response", "response, dB over Hz"),
            ],
        ),
        Field::typed(
            "curve_across",
            "Stood across it",
            "The instrument’s input with its lead; empty when not known: it is told where the pickup’s own capacitance is in the sheet.",
        )
        .unit("pF"),
        Field::typed("curve_across_ohm", "Resistance across it", "Such as 1M; empty when not known.").unit("Ω"),
    ]
}

pub(super) async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let kind = Format::ALL.into_iter().find(|k| k.word() == query.get("kind")).unwrap_or(Format::TallSingle);
    let draft = RewindDraft::begun("", starting_point(kind, "Unknown", 6, 10.4));
    let form = FormData(form::filled(&draft, user.settings.units));
    rewind_page(&app, &user, &form, shown(None, None, String::new())).await
}

fn shown<'a>(row: Option<&'a RewindRow>, before: Option<&'a RewindDraft>, refused: String) -> Shown<'a> {
    Shown {
        row,
        before,
        refused,
        more: MORE_TURNS_PERCENT,
        wire: String::new(),
        copy_form: None,
        copy_errors: Errors::new(),
    }
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.rewind(&user.actor, RewindId(*id)).await?;
    let form = FormData(form::filled(&draft, user.settings.units));
    let more = query.get("more").replace('−', "-").parse().unwrap_or(MORE_TURNS_PERCENT);
    let shown = Shown {
        more: f64::clamp(more, -60.0, 60.0),
        wire: query.get("wire").trim().to_owned(),
        ..shown(Some(&row), Some(&draft), String::new())
    };
    rewind_page(&app, &user, &form, shown).await
}

/// The page with what was typed for a copy, and what is wrong with it.
pub(super) async fn page_with(
    app: &App,
    user: &CurrentUser,
    id: RewindId,
    copy: &FormData,
    errors: Errors,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.rewind(&user.actor, id).await?;
    let form = FormData(form::filled(&draft, user.settings.units));
    let shown = Shown {
        copy_form: Some(copy),
        copy_errors: errors,
        ..shown(Some(&row), Some(&draft), String::new())
    };
    rewind_page(app, user, &form, shown).await
}

/// What the pickup can be, and messages by field, while the sheet is filled in.
pub(super) async fn preview(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<web::Json<LiveAnswer>, AppError> {
    let before = match form.id("rewind") {
        Some(id) => Some(app.workshop.rewind(&user.actor, RewindId(id)).await?.1),
        None => None,
    };
    let weighed = weighed(&app, &user, &form, before.as_ref()).await?;
    let units = user.settings.units;
    // What is typed is not what is saved: an explanation is settled on for what was saved.
    let figures = ranking(&weighed.found, false, has_readings(&weighed.draft), units)?;
    let fields = (!form.get("step").is_empty()).then_some(weighed.fields);
    let parts = [("sheet-figures", figures)].into();
    Ok(web::Json(LiveAnswer { errors: weighed.errors, parts, fields, ..LiveAnswer::default() }))
}

async fn save_as(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    form: &FormData,
    of: Option<(&RewindRow, &RewindDraft)>,
) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(form, of.map(|o| o.1), user.settings.units);
    let refused = if errors.is_empty() {
        let version = form.get("version").parse().unwrap_or_default();
        let command = SaveRewind { key: form.key()?, of: of.map(|(row, _)| (row.id, version)), draft };
        let saved = app.workshop.save_rewind(&user.actor, &command).await;
        let has_no_name =
            matches!(&saved, Err(Refusal::NotPredictable(p)) if p.iter().any(|p| p.at == "name"));
        match outcome::save(session, saved.map(|id| format!("/rewinds/{id}")), "Saved.")? {
            Ok(answer) => return Ok(answer),
            Err(_) if has_no_name => "Not saved: give it a name.".to_owned(),
            Err(refused) => refused,
        }
    } else {
        outcome::SEE_FIELDS.to_owned()
    };
    rewind_page(app, user, form, shown(of.map(|o| o.0), of.map(|o| o.1), refused)).await
}

pub(super) async fn save_new(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    save_as(&app, &user, &session, &form, None).await
}

pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.rewind(&user.actor, RewindId(*id)).await?;
    save_as(&app, &user, &session, &form, Some((&row, &draft))).await
}

/// Says what was done, or why it was not, on the page of the pickup.
pub(super) fn told(
    session: &Session,
    id: u64,
    done: Result<(), Refusal>,
    words: &str,
) -> Result<HttpResponse, AppError> {
    outcome::tell(session, format!("/rewinds/{id}"), done.map(|()| words))
}
