//! Magnets, bobbins and other parts, with stock and cost.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, money};
use presentation::read::{is_name, limit_letters, optional, plain};
use store::part::{NewPart, Part, PartDetails, StockMovement};
use store::{ClientKey, PartId, RunId};
use trade::stock::PartKind;
use workshop::{Refusal, is_low};

#[derive(Template)]
#[template(path = "inventory/parts.html")]
struct PartsPage {
    frame: Frame,
    tab: &'static str,
    parts: Vec<PartRow>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
    kind: String,
    kinds: Vec<(&'static str, &'static str)>,
    search: String,
    errors: Errors,
}

struct PartRow {
    part: Part,
    kind: &'static str,
    low: bool,
    cost: String,
    below: String,
    typed: Typed,
    key: ClientKey,
    moves: Vec<String>,
}

/// What stands in a part's own fields: what was sent and refused, else what holds.
#[derive(Debug, PartialEq, Eq)]
struct Typed {
    cost: String,
    below: String,
    supplier: String,
    /// The state that they were filled from.
    version: String,
    count: String,
    why: String,
}

impl Typed {
    fn new(part: &Part, form: &FormData, errors: &Errors) -> Self {
        let refused = |what: &str| errors.contains_key(&format!("{what}-{}", part.id));
        let (is_edit, is_move) = (refused("edit"), refused("move"));
        let or = |is_sent: bool, name: &str, holds: String| {
            if is_sent { form.get(name).to_owned() } else { holds }
        };
        Self {
            cost: or(is_edit, "cost", part.each_cost.map_or_else(String::new, money)),
            below: or(is_edit, "below", part.order_below.map_or_else(String::new, |n| n.to_string())),
            supplier: or(is_edit, "supplier", part.supplier.clone()),
            version: or(is_edit, "version", part.version.to_string()),
            count: or(is_move, "count", String::new()),
            why: or(is_move, "why", String::new()),
        }
    }
}

/// Whether what was refused is a part's own form, and not the one that adds a part.
fn is_of_a_part(errors: &Errors) -> bool {
    errors.keys().any(|key| key.starts_with("move-") || key.starts_with("edit-"))
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    query: &QueryParameters,
) -> Result<HttpResponse, AppError> {
    /// Movements shown of each part.
    const MOVEMENTS: u32 = 6;
    let (kind, search) = (query.get("kind").to_owned(), query.get("q").to_owned());
    let movements = app.workshop.stock_movements(&user.actor, MOVEMENTS).await?;
    let mut parts = app.workshop.parts(&user.actor).await?;
    parts.retain(|part| {
        (kind.is_empty() || part.kind.key() == kind)
            && part.name.to_lowercase().contains(&search.to_lowercase())
    });
    let parts = parts
        .into_iter()
        .map(|part| PartRow {
            kind: part.kind.name(),
            low: is_low(&part),
            cost: part.each_cost.map_or_else(|| "–".into(), money),
            typed: Typed::new(&part, form, errors),
            below: part.order_below.map_or_else(String::new, |n| n.to_string()),
            key: ClientKey::random(),
            moves: movements.iter().filter(|(id, _)| *id == part.id).map(|(_, m)| movement(m)).collect(),
            part,
        })
        .collect();
    let nothing = FormData::default();
    let added = if is_of_a_part(errors) { &nothing } else { form };
    let field = |field: Field| field.filled(added, errors);
    let kinds: Vec<(&'static str, &'static str)> =
        PartKind::ALL.iter().map(|k| (k.key(), k.name())).collect();
    let page = PartsPage {
        frame: Frame::new(user, "inventory", "Magnets, bobbins, parts"),
        tab: "parts",
        parts,
        key: added.key_or_new(),
        fields: vec![
            field(Field::chosen(
                "kind",
                "What it is",
                "",
                kinds.iter().map(|(k, n)| Choice::new(*k, *n)).collect(),
            )),
            field(Field::typed("name", "Name", "Such as rod, alnico 5, 4.75 × 17 mm.")),
            field(Field::typed("stock", "How many are there", "")),
            field(Field::typed("cost", "Each costs", "In your currency; empty if not known.")),
            field(Field::typed("below", "Order more below", "Empty for no warning.")),
            field(Field::typed("supplier", "Supplier", "")),
        ],
        refused: !errors.is_empty() && !is_of_a_part(errors),
        kind,
        kinds,
        search,
        errors: errors.clone(),
    };
    render_page(&page, !errors.is_empty())
}

/// A stock movement in words.
fn movement(m: &StockMovement) -> String {
    let run = m.run.map_or_else(String::new, |n| format!(", run {n}"));
    format!("{:+}: {}{run}; {}, {}", m.by_count, m.why, m.by, format::moment(m.moved_at)).replace('-', "−")
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new(), &query).await
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded where they are read")]
pub(super) async fn add(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let kind = PartKind::from_key(form.get("kind"));
    if kind.is_none() {
        errors.insert("kind".into(), "Choose one of the list.".into());
    }
    let name = form.get("name");
    if !is_name(name, 120) {
        errors.insert("name".into(), "Give it a name of up to 120 letters.".into());
    }
    let stock = optional(&form, &mut errors, "stock", (0.0, 1e6), plain);
    let details = details(&form, &mut errors);
    let (Some(kind), true) = (kind, errors.is_empty()) else {
        return page(&app, &user, &form, &errors, &QueryParameters::default()).await;
    };
    let new = NewPart {
        key: form.key()?,
        kind,
        name: name.into(),
        each_cost: details.each_cost,
        order_below: details.order_below,
        supplier: details.supplier,
        stock: stock.unwrap_or(0.0).round() as i32,
    };
    match app.workshop.add_part(&user.actor, &new).await {
        Err(refusal @ Refusal::NameTaken(_)) => {
            errors.insert("name".into(), refusal_text(&refusal));
            page(&app, &user, &form, &errors, &QueryParameters::default()).await
        }
        done => {
            done?;
            Ok(redirect("/parts"))
        }
    }
}

/// What a form says of a part's cost, order level and supplier.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded where it is read")]
fn details(form: &FormData, errors: &mut Errors) -> PartDetails {
    limit_letters(form, errors, "supplier", 80);
    PartDetails {
        each_cost: optional(form, errors, "cost", (0.0, 1e6), plain),
        order_below: optional(form, errors, "below", (0.0, 1e6), plain).map(|n| n.round() as u32),
        supplier: form.get("supplier").into(),
        version: form.get("version").parse().ok(),
    }
}

/// Saves what a part costs, when to order more, and who sells it.
pub(super) async fn update(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let details = details(&form, &mut errors);
    if let Some(message) = errors.into_values().next() {
        let errors = Errors::from([(format!("edit-{id}"), message)]);
        return page(&app, &user, &form, &errors, &QueryParameters::default()).await;
    }
    match app.workshop.update_part(&user.actor, PartId(*id), &details).await {
        Err(refusal @ Refusal::ChangedMeanwhile(_)) => {
            let errors = Errors::from([(format!("edit-{id}"), refusal_text(&refusal))]);
            page(&app, &user, &form, &errors, &QueryParameters::default()).await
        }
        done => {
            done?;
            Ok(redirect("/parts"))
        }
    }
}

/// Stock that came or went by hand.
pub(super) async fn move_stock(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let count = form.get("count").replace('−', "-").trim_start_matches('+').parse::<i32>();
    let reason = form.get("why");
    match count {
        Ok(count)
            if count != 0
                && count.abs() <= 1_000_000
                && !reason.is_empty()
                && reason.chars().count() <= 200 =>
        {
            app.workshop.move_stock(&user.actor, PartId(*id), &form.key()?, count, reason).await?;
            Ok(redirect("/parts"))
        }
        _ => {
            let text = "Write how many came (12) or went (−3), and why.";
            let errors = Errors::from([(format!("move-{id}"), text.to_owned())]);
            page(&app, &user, &form, &errors, &QueryParameters::default()).await
        }
    }
}

/// Takes the parts of a run's design out of stock, or puts them back.
pub(super) async fn move_for_run(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.move_parts_of_run(&user.actor, RunId(*id), &form.key()?, form.is_ticked("back")).await?;
    Ok(redirect(format!("/runs/{id}")))
}
