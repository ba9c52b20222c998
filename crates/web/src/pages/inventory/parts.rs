//! Magnets, bobbins and parts with stock and cost, and what a pickup costs.

use super::optional;
use super::spool::wire_cost;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format;
use crate::layout::{Choice, Field, Frame};
use crate::pages::{redirect, render_page};
use crate::query::Asked;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::number;
use store::design::DesignFilter;
use store::part::{NewPart, Part};
use store::{ClientKey, DesignId, PartId, RevisionId, RunId, StoreError};
use trade::stock::{CostLine, PartKind, total};

#[derive(Template)]
#[template(path = "inventory/parts.html")]
struct PartsPage {
    frame: Frame,
    tab: &'static str,
    parts: Vec<PartShown>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
    kind: String,
    kinds: Vec<(&'static str, &'static str)>,
    search: String,
    errors: Errors,
}

struct PartShown {
    part: Part,
    kind: &'static str,
    low: bool,
    cost: String,
    below: String,
    key: ClientKey,
    moves: Vec<String>,
}

fn money(value: f64) -> String {
    format!("{value:.2}")
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    asked: &Asked,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let (kind, search) = (asked.get("kind").to_owned(), asked.get("q").to_owned());
    let mut parts = Vec::new();
    for part in app.store.of(workshop).parts().await? {
        if (!kind.is_empty() && part.kind != kind)
            || !part.name.to_lowercase().contains(&search.to_lowercase())
        {
            continue;
        }
        let moves = app.store.of(workshop).part_moves(part.id).await?;
        parts.push(PartShown {
            kind: PartKind::from_key(&part.kind).map_or("part", PartKind::name),
            low: is_low(&part),
            cost: part.each_cost.map_or_else(|| "–".into(), money),
            below: part.order_below.map_or_else(String::new, |n| n.to_string()),
            key: ClientKey::random(),
            moves: moves
                .iter()
                .take(6)
                .map(|m| {
                    let run = m.run.map_or_else(String::new, |n| format!(", run {n}"));
                    format!("{:+}: {}{run}; {}, {}", m.by_count, m.why, m.by, format::moment(m.moved_at))
                        .replace('-', "−")
                })
                .collect(),
            part,
        });
    }
    let field = |field: Field| {
        let value = form.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let kinds: Vec<(&'static str, &'static str)> =
        PartKind::ALL.iter().map(|k| (k.key(), k.name())).collect();
    let page = PartsPage {
        frame: Frame::new(user, "stores", "Magnets, bobbins, parts"),
        tab: "parts",
        parts,
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
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
        refused: !errors.is_empty() && errors.keys().all(|k| !k.starts_with("move-")),
        kind,
        kinds,
        search,
        errors: errors.clone(),
    };
    render_page(&page, !errors.is_empty())
}

/// Whether there are fewer than one wants.
pub fn is_low(part: &Part) -> bool {
    part.stock < 0 || part.order_below.is_some_and(|below| part.stock < i64::from(below))
}

pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new(), &Asked(query.into_inner())).await
}

fn plain(text: &str) -> Result<f64, String> {
    number(text, "2.40").map(|(value, _)| value).map_err(|e| e.to_string())
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded where they are read")]
pub async fn add(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let kind = PartKind::from_key(form.get("kind"));
    if kind.is_none() {
        errors.insert("kind".into(), "Choose one of the list.".into());
    }
    let name = form.get("name");
    if name.is_empty() || name.chars().count() > 120 {
        errors.insert("name".into(), "Give it a name of up to 120 letters.".into());
    }
    let stock = optional(&form, &mut errors, "stock", (0.0, 1e6), plain);
    let each_cost = optional(&form, &mut errors, "cost", (0.0, 1e6), plain);
    let below = optional(&form, &mut errors, "below", (0.0, 1e6), plain);
    if form.get("supplier").chars().count() > 80 {
        errors.insert("supplier".into(), "Up to 80 letters.".into());
    }
    let (Some(kind), true) = (kind, errors.is_empty()) else {
        return page(&app, &user, &form, &errors, &Asked::default()).await;
    };
    let new = NewPart {
        key: form.key()?,
        kind: kind.key(),
        name: name.into(),
        each_cost,
        order_below: below.map(|n| n.round() as u32),
        supplier: form.get("supplier").into(),
        stock: stock.unwrap_or(0.0).round() as i32,
    };
    match app.store.of(user.workshop()).add_part(user.person.id, &new).await {
        Ok(_) => Ok(redirect("/parts")),
        Err(StoreError::Taken(_)) => {
            errors.insert("name".into(), "There is a part of that name already.".into());
            page(&app, &user, &form, &errors, &Asked::default()).await
        }
        Err(error) => Err(error.into()),
    }
}

/// Stock that came or went by hand.
pub async fn move_stock(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let count = form.get("count").replace('−', "-").trim_start_matches('+').parse::<i32>();
    let why = form.get("why");
    match count {
        Ok(count)
            if count != 0 && count.abs() <= 1_000_000 && !why.is_empty() && why.chars().count() <= 200 =>
        {
            let moves = [(PartId(*id), count)];
            app.store.of(user.workshop()).move_parts(user.person.id, &form.key()?, &moves, why, None).await?;
            Ok(redirect("/parts"))
        }
        _ => {
            let text = "Write how many came (12) or went (−3), and why.";
            let errors = Errors::from([(format!("move-{id}"), text.to_owned())]);
            page(&app, &user, &FormData::default(), &errors, &Asked::default()).await
        }
    }
}

#[derive(Template)]
#[template(path = "inventory/costs.html")]
struct CostsPage {
    frame: Frame,
    tab: &'static str,
    designs: Vec<Choice>,
    design: String,
    name: String,
    lines: Vec<(String, String, String)>,
    sum: String,
    missing: bool,
    /// Parts with how many one pickup takes, and how many pickups the stock will do for.
    parts: Vec<(u64, String, u32, String)>,
    enough: String,
    error: String,
}

/// What one pickup of a design is made of and costs.
async fn costed(
    app: &App,
    user: &CurrentUser,
    design: DesignId,
) -> Result<(String, Vec<CostLine>), AppError> {
    let workshop = user.workshop();
    let newest = app.store.of(workshop).revisions(design).await?.into_iter().next();
    let newest = newest.ok_or(AppError::Missing("design"))?;
    let revision = app.store.of(workshop).revision(RevisionId(newest.id.0)).await?;
    let mut lines = Vec::new();
    let spools = app.store.of(workshop).spools().await?;
    if let Ok(prediction) = app.predictions.of(&revision.design).await? {
        for (coil, given) in prediction.coils.iter().zip(&revision.design.coils) {
            let gauge = given.wire.gauge.to_string();
            let grams = coil.wire_mass_g.nominal;
            // The dearest spool of the gauge on the shelf: nobody likes to find out the other way.
            let cost = spools
                .iter()
                .filter(|s| s.gauge == gauge && s.emptied_at.is_none())
                .filter_map(|s| wire_cost(s, grams))
                .max_by(f64::total_cmp);
            lines.push(CostLine {
                what: format!("wire of coil {}, {gauge}", given.name),
                amount: format!(
                    "{} m, {} g",
                    format::turns(coil.wire_length_m.nominal),
                    format::plain(grams, 1)
                ),
                cost,
            });
        }
    }
    let parts = app.store.of(workshop).parts().await?;
    for (id, count) in app.store.of(workshop).design_parts(design).await? {
        if let Some(part) = parts.iter().find(|p| p.id == id) {
            lines.push(CostLine {
                what: part.name.clone(),
                amount: count.to_string(),
                cost: part.each_cost.map(|c| c * f64::from(count)),
            });
        }
    }
    Ok((newest.name, lines))
}

pub async fn costs(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<HttpResponse, AppError> {
    costs_page(&app, &user, &Asked(query.into_inner()), "").await
}

async fn costs_page(
    app: &App,
    user: &CurrentUser,
    asked: &Asked,
    error: &str,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let rows = app.store.of(workshop).designs(&DesignFilter::default()).await?;
    let design = asked.number("design").or_else(|| rows.first().map(|r| r.design_id.0));
    let mut page = CostsPage {
        frame: Frame::new(user, "stores", "What a pickup costs"),
        tab: "costs",
        designs: rows.iter().map(|r| Choice::new(r.design_id.to_string(), &r.name)).collect(),
        design: design.map_or_else(String::new, |d| d.to_string()),
        name: String::new(),
        lines: Vec::new(),
        sum: String::new(),
        missing: false,
        parts: Vec::new(),
        enough: String::new(),
        error: error.to_owned(),
    };
    if let Some(design) = design.map(DesignId) {
        let (name, lines) = costed(app, user, design).await?;
        let (sum, missing) = total(&lines);
        let taken = app.store.of(workshop).design_parts(design).await?;
        let parts = app.store.of(workshop).parts().await?;
        let count = |id: PartId| taken.iter().find(|(p, _)| *p == id).map_or(0, |(_, n)| *n);
        let enough = parts
            .iter()
            .filter(|p| count(p.id) > 0)
            .map(|p| (p.stock.max(0) / i64::from(count(p.id)), p.name.as_str()))
            .min();
        page.enough = enough.map_or_else(String::new, |(n, part)| {
            format!("The stock does for {n} more; {part} runs out first.")
        });
        page.parts = parts
            .iter()
            .map(|p| (p.id.0, p.name.clone(), count(p.id), format!("{} in stock", p.stock)))
            .collect();
        page.name = name;
        page.lines = lines
            .into_iter()
            .map(|l| (l.what, l.amount, l.cost.map_or_else(|| "no price".into(), money)))
            .collect();
        (page.sum, page.missing) = (money(sum), missing);
    }
    render_page(&page, !error.is_empty())
}

/// What one pickup of a design takes of each part.
pub async fn set_costs(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let Ok(design) = form.get("design").parse::<u64>() else { return Err(AppError::Missing("design")) };
    let mut counts = Vec::new();
    for (name, value) in &form.0 {
        let Some(part) = name.strip_prefix("part-").and_then(|id| id.parse::<u64>().ok()) else { continue };
        let value = value.trim();
        match if value.is_empty() { Ok(0) } else { value.parse::<u32>() } {
            Ok(count) if count <= 1000 => counts.push((PartId(part), count)),
            _ => {
                let asked = Asked(vec![("design".into(), design.to_string())]);
                return costs_page(&app, &user, &asked, "A pickup takes 0 to 1,000 of a part.").await;
            }
        }
    }
    for (part, count) in counts {
        app.store.of(workshop).set_design_part(DesignId(design), part, count).await?;
    }
    Ok(redirect(format!("/costs?design={design}")))
}

/// Takes the parts of a run's design out of stock, or puts them back.
pub async fn take_for_run(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let run = app.store.of(workshop).run(RunId(*id)).await?;
    let back = form.get("back") == "yes";
    if app.store.of(workshop).parts_taken(run.row.id).await? == back {
        let parts = app.store.of(workshop).design_parts(run.row.design_id).await?;
        let moves: Vec<(PartId, i32)> = parts
            .into_iter()
            .map(|(part, count)| {
                let count = i32::try_from(count).unwrap_or(0);
                (part, if back { count } else { -count })
            })
            .collect();
        let why = if back { "put back" } else { "taken" };
        app.store
            .of(workshop)
            .move_parts(user.person.id, &form.key()?, &moves, why, Some(run.row.id))
            .await?;
    }
    Ok(redirect(format!("/runs/{id}")))
}
