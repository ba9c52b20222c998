//! The page of a set: its fields, what they predict, and its coils.

use super::figures::{self, Changes};
use super::form::{self, SetFields};
use super::partner_fields::partner_fields;
use super::search::RangeFields;
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::respond::{render, render_page};
use actix_web::HttpResponse;
use askama::Template;
use coil::design::Design;
use coil::set::{Balanced, Freedom};
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOOHM, MILLIVOLT, signed_percent};
use store::pickup_set::PickupSetRow;
use store::{ClientKey, PickupSetId};
use workshop::{Refusal, SetDraft};

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

/// Stands for the figures of a form that cannot be predicted when its page is first shown.
const NO_FIGURES: &str =
    "<p class=\"alert alert-warning\">Correct the marked fields to see the prediction.</p>";

#[derive(Template)]
#[template(path = "sets/set.html")]
struct SetPage {
    frame: Frame,
    title: String,
    id: Option<PickupSetId>,
    version: u32,
    is_archived: bool,
    key: ClientKey,
    /// Name of its draft in the browser.
    draft: String,
    /// The last change that was made for the maker, in words.
    change_made: String,
    undo_key: ClientKey,
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
    ranges: Vec<RangeFields>,
}

#[derive(Template)]
#[template(path = "sets/_fields.html")]
struct FieldsPart {
    fields: SetFields,
}

/// What a form says, checked and predicted.
pub(super) struct Checked {
    pub draft: SetDraft,
    pub errors: Errors,
    pub fields: String,
    /// None of a form that has something to correct: the page keeps those that it shows.
    pub figures: Option<String>,
}

fn string_of(form: &FormData) -> u32 {
    form.get("string").parse().unwrap_or(6)
}

/// Whether the page can change the set that a form shows: only what is saved is changed.
async fn changes_of(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    draft: &SetDraft,
) -> Result<Changes, AppError> {
    if !user.actor.may(workshop::Action::ChangeDesigns) {
        return Ok(Changes::NotPermitted);
    }
    let Some(set) = form.id("set") else { return Ok(Changes::AfterSaving) };
    let (_, saved) = app.workshop.pickup_set(&user.actor, PickupSetId(set)).await?;
    Ok(if saved == *draft { Changes::Offered } else { Changes::AfterSaving })
}

/// Reads a form, after the step that it may ask for, and predicts what it says. Its name is asked for when the set is saved.
pub(super) async fn checked(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    needs_name: bool,
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
    let mut figures = None;
    if errors.is_empty() {
        let changes = changes_of(app, user, form, &draft).await?;
        // A set can be predicted before it has a name.
        let mut named = draft.clone();
        if named.name.trim().is_empty() {
            "New set".clone_into(&mut named.name);
        }
        match app.workshop.preview_set(&user.actor, &named).await {
            Ok(found) => {
                designs = found.set.pickups.iter().map(|p| Some(p.design.clone())).collect();
                let reason = |p: &workshop::DraftPickup| {
                    rows.iter().find(|r| r.id == p.revision).map_or_else(String::new, |r| r.note.clone())
                };
                let reasons: Vec<String> = draft.pickups.iter().map(reason).collect();
                match &found.predicted {
                    Err(problems) => form::at_fields(problems, &mut errors),
                    Ok(predicted) => {
                        let set = (&found.set, &**predicted);
                        figures = Some(figures::figures(set, &reasons, string_of(form), changes, units)?);
                    }
                }
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
    if needs_name && draft.name.trim().is_empty() {
        errors.insert("name".into(), "Type a name for the set.".into());
    }
    let known: Vec<Option<&Design>> = designs.iter().map(Option::as_ref).collect();
    let fields = form::Shown { form: &shown, errors: &errors, rows: &rows, designs: &known, units }.fields();
    Ok(Checked { draft, errors, fields: render(&FieldsPart { fields })?, figures })
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
        "{} then{}",
        MILLIVOLT.text(balanced.output_mv),
        if reaches { "" } else { ", which is as near as this goes" },
    );
    Offer { freedom: coil::Word::word(balanced.freedom), what, comes }
}

fn format_percent(ratio: f64) -> String {
    format!("{} %", format::plain(100.0 * ratio, 0))
}

/// What a page of a set shows beside the form.
pub(super) struct Shown<'a> {
    pub set: Option<&'a PickupSetRow>,
    pub refused: String,
    pub offered: Option<usize>,
    pub partner_errors: Errors,
}

pub(super) async fn set_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    shown: Shown<'_>,
) -> Result<HttpResponse, AppError> {
    let id = shown.set.map(|row| row.id);
    let mut form = form.clone();
    if let Some(id) = id {
        form.set("set", id.to_string());
    }
    let checked = checked(app, user, &form, shown.refused == outcome::SEE_FIELDS).await?;
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
        draft: shown.set.map_or_else(
            || {
                format!(
                    "set:new:{}",
                    checked
                        .draft
                        .pickups
                        .iter()
                        .map(|p| p.revision.to_string())
                        .collect::<Vec<_>>()
                        .join(",")
                )
            },
            |row| format!("set:{}:{}", row.id, row.version),
        ),
        change_made: shown.set.map_or_else(String::new, |row| row.change_made.clone()),
        undo_key: ClientKey::random(),
        mend_key: ClientKey::random(),
        balance_key: ClientKey::random(),
        partner_key: ClientKey::random(),
        refused: shown.refused,
        fields: checked.fields,
        figures: checked.figures.unwrap_or_else(|| NO_FIGURES.to_owned()),
        string: string_of(&form),
        partner: partner_fields(&checked.draft, &form, &shown.partner_errors, user),
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
            .map(|(index, p)| RangeFields { index, name: p.name.clone() })
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
