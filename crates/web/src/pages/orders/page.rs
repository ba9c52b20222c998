//! One order.

use super::form::{self, LineFields};
use crate::app::App;
use crate::components::frame::Frame;
use crate::components::supply::supply_words;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::pages::photos::PhotoStrip;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format;
use serde_json::json;
use store::design::RevisionRow;
use store::order::OrderRow;
use store::photo::PhotoSubject;
use store::{ClientKey, OrderId};
use workshop::{OrderCost, OrderDraft, OrderedPickup, Refusal, Reservation, SaveOrder, ShopPlan};

/// A pickup that is asked for.
struct PickupRow {
    line: u32,
    what: String,
    run: Option<(u64, u32)>,
    state: &'static str,
    /// The revision that it is made by, once there is one.
    revision: Option<u64>,
    /// The old pickup that it is.
    rewind: Option<u64>,
    /// Set and name there.
    in_set: Option<(u64, String)>,
    ready: String,
}

/// Wire or a part that the order takes.
struct SupplyRow {
    what: String,
    needed: String,
    left: String,
    buy: String,
}

#[derive(Template)]
#[template(path = "orders/order.html")]
struct OrderPage {
    frame: Frame,
    title: String,
    id: Option<u64>,
    version: u32,
    key: ClientKey,
    refused: String,
    head: Vec<Field>,
    lines: Vec<LineFields>,
    pickups: Vec<PickupRow>,
    supplies: Vec<SupplyRow>,
    is_short: bool,
    cost: String,
    photos: Option<PhotoStrip>,
    ready: String,
    late_minutes: i64,
    trouble: String,
}

/// The pickups of an order, with when the plan has them ready.
fn pickup_rows(
    order: OrderId,
    pickups: &[OrderedPickup],
    revisions: &[RevisionRow],
    plan: Option<&ShopPlan>,
) -> Vec<PickupRow> {
    let mut rows = Vec::with_capacity(pickups.len());
    let mut open = 0_usize;
    for pickup in pickups {
        let name = revisions.iter().find(|r| Some(r.id) == pickup.revision);
        let name = name.map_or_else(
            || pickup.revision.map_or_else(|| "an old pickup".to_owned(), |id| format!("revision {id}")),
            |r| format!("{} r{}", r.name, r.number),
        );
        let told = plan.and_then(|plan| {
            let mut own = plan.jobs.iter().zip(&plan.schedule.jobs);
            match pickup.run {
                Some(run) => own.find(|(job, _)| job.run.is_some_and(|r| r.0 == run.run_id)),
                None => own
                    .filter(|(job, _)| job.run.is_none() && job.order.is_some_and(|o| o.0 == order))
                    .nth(open),
            }
            .map(|(_, told)| told.ready.to_string().replace('T', " "))
        });
        open += usize::from(pickup.run.is_none());
        rows.push(PickupRow {
            line: pickup.line,
            what: match &pickup.in_set {
                Some((_, place)) => format!("{name}, {place}"),
                None => name,
            },
            run: pickup.run.map(|r| (r.run_id.0, r.number)),
            state: match pickup.run {
                None => "not started",
                Some(run) if run.is_closed => "done",
                Some(_) => "under way",
            },
            revision: pickup.revision.map(|id| id.0),
            rewind: pickup.rewind.map(|id| id.0),
            in_set: pickup.in_set.as_ref().map(|(id, name)| (id.0, name.clone())),
            ready: told.unwrap_or_default(),
        });
    }
    rows
}

fn supply_row(reservation: &Reservation) -> SupplyRow {
    let words = |amount| supply_words(&reservation.supply, amount);
    let (what, needed) = words(reservation.needed);
    SupplyRow {
        what,
        needed,
        left: words(reservation.left).1,
        buy: if reservation.short() > 0.0 { words(reservation.short()).1 } else { String::new() },
    }
}

fn cost_words(cost: &OrderCost) -> String {
    let at_least = if cost.is_incomplete { "at least " } else { "" };
    format!(
        "{at_least}{} of wire and parts, {} h {} min of hands",
        format::plain(cost.materials, 2),
        cost.minutes / 60,
        cost.minutes % 60
    )
}

async fn order_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    row: Option<&OrderRow>,
    refused: String,
) -> Result<HttpResponse, AppError> {
    let sets: Vec<_> =
        app.workshop.pickup_sets(&user.actor, false).await?.into_iter().map(|(row, _)| row).collect();
    let revisions = app.workshop.revisions_for_sets(&user.actor).await?;
    let items = form::items(&sets, &revisions, &app.workshop.rewinds(&user.actor, false).await?);
    let mut page = OrderPage {
        frame: Frame::new(
            user,
            "plan",
            row.map_or("New order".to_owned(), |r| format!("Order {}", r.number)),
        ),
        title: row.map_or("New order".to_owned(), |r| format!("Order {}, {}", r.number, r.customer)),
        id: row.map(|r| r.id.0),
        version: row.map_or(0, |r| r.version),
        key: form.key_or_new(),
        head: form::head(form, errors),
        lines: form::lines(form, errors, &items),
        pickups: Vec::new(),
        supplies: Vec::new(),
        is_short: false,
        cost: String::new(),
        photos: None,
        ready: String::new(),
        late_minutes: 0,
        trouble: String::new(),
        refused,
    };
    if let Some(row) = row {
        let (_, draft) = app.workshop.order(&user.actor, row.id).await?;
        let runs: Vec<_> = app
            .workshop
            .runs_of_orders(&user.actor)
            .await?
            .into_iter()
            .filter(|r| r.order_id == row.id)
            .collect();
        let pickups = app.workshop.ordered_pickups(&user.actor, &draft, &runs).await?;
        let supplies = app.workshop.supplies_of_order(&user.actor, row.id, &pickups).await?;
        page.is_short = supplies.iter().any(|s| s.short() > 0.0);
        page.supplies = supplies.iter().map(supply_row).collect();
        page.cost = cost_words(&app.workshop.order_cost(&user.actor, &draft).await?);
        page.photos = Some(PhotoStrip::load(app, user, PhotoSubject::Order, row.id.0).await?);
        let plan = match app.workshop.shop_plan(&user.actor).await {
            Ok(plan) => Some(plan),
            Err(refusal @ Refusal::NotSchedulable(_)) => {
                page.trouble = refusal_text(&refusal);
                None
            }
            Err(refusal) => return Err(refusal.into()),
        };
        if let Some(plan) = &plan {
            let own = plan.jobs.iter().zip(&plan.schedule.jobs);
            let own: Vec<_> = own.filter(|(job, _)| job.order.is_some_and(|o| o.0 == row.id)).collect();
            if let Some((_, last)) = own.iter().max_by_key(|(_, told)| told.ready) {
                page.ready = last.ready.to_string().replace('T', " ");
                page.late_minutes = own.iter().map(|(_, told)| told.late_minutes).max().unwrap_or(0);
            }
        }
        page.pickups = pickup_rows(row.id, &pickups, &revisions, plan.as_ref());
    }
    render_page(&page, !page.refused.is_empty())
}

pub(super) async fn new(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let form = FormData(form::filled(&OrderDraft::default()));
    order_page(&app, &user, &form, &Errors::new(), None, String::new()).await
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.order(&user.actor, OrderId(*id)).await?;
    let form = FormData(form::filled(&draft));
    order_page(&app, &user, &form, &Errors::new(), Some(&row), String::new()).await
}

async fn save_as(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    form: &FormData,
    row: Option<&OrderRow>,
) -> Result<HttpResponse, AppError> {
    let (draft, errors) = form::read(form);
    let refused = if errors.is_empty() {
        let version = form.get("version").parse().unwrap_or_default();
        let command = SaveOrder { key: form.key()?, of: row.map(|r| (r.id, version)), draft };
        let saved = app.workshop.save_order(&user.actor, &command).await;
        match outcome::save(session, saved.map(|id| format!("/orders/{id}")), "The order is saved.")? {
            Ok(answer) => return Ok(answer),
            Err(refused) => refused,
        }
    } else {
        outcome::SEE_FIELDS.to_owned()
    };
    order_page(app, user, form, &errors, row, refused).await
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
    let (row, _) = app.workshop.order(&user.actor, OrderId(*id)).await?;
    save_as(&app, &user, &session, &form, Some(&row)).await
}

/// When what the form asks for could be promised, and what limits it.
pub(super) async fn promise(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (draft, mut errors) = form::read(&form);
    errors.retain(|name, _| name.starts_with("item") || name.starts_with("quantity"));
    if !errors.is_empty() {
        return Ok(HttpResponse::Ok().json(json!({ "errors": errors, "text": "See the marked fields." })));
    }
    let text = match app.workshop.promise(&user.actor, &draft).await {
        Ok((at, limit)) => {
            let limit = limit.map_or_else(String::new, |name| format!(" What limits it: {name}."));
            format!("Ready on {}.{limit}", at.to_string().replace('T', " at "))
        }
        Err(refusal @ Refusal::NotSchedulable(_)) => refusal_text(&refusal),
        Err(refusal) => return Err(refusal.into()),
    };
    Ok(HttpResponse::Ok().json(json!({ "errors": errors, "text": text })))
}
