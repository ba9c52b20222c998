//! A quote or a packing slip.

use super::form::items;
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;
use store::OrderId;
use workshop::OrderItem;

#[derive(Template)]
#[template(path = "orders/paper.html")]
struct PaperPage {
    frame: Frame,
    id: u64,
    is_slip: bool,
    number: u32,
    customer: String,
    contact: String,
    promised: String,
    price: String,
    notes: String,
    lines: Vec<(u32, String, String)>,
}

/// The page: names and quantities alone, nothing of a recipe.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.order(&user.actor, OrderId(*id)).await?;
    let sets: Vec<_> =
        app.workshop.pickup_sets(&user.actor, false).await?.into_iter().map(|(row, _)| row).collect();
    let revisions = app.workshop.revisions_for_sets(&user.actor).await?;
    let known = items(&sets, &revisions);
    let name = |item: OrderItem| {
        let key = match item {
            OrderItem::Revision(id) => format!("r{id}"),
            OrderItem::Set(id) => format!("s{id}"),
        };
        let found = known.iter().find(|(k, _)| *k == key).map(|(_, name)| name.as_str());
        let found = found.unwrap_or("a pickup");
        // Numbers of revisions are the workshop's own.
        found
            .strip_prefix("set: ")
            .unwrap_or(found)
            .rsplit_once(" r")
            .map_or(found, |(name, _)| name)
            .to_owned()
    };
    let is_slip = query.get("as") == "slip";
    let page = PaperPage {
        frame: Frame::new(&user, "plan", format!("Order {}", row.number)),
        id: *id,
        is_slip,
        number: row.number,
        customer: row.customer,
        contact: draft.contact,
        promised: row.promised_on.map_or_else(String::new, |d| d.to_string()),
        price: draft.price.map_or_else(String::new, |p| format::plain(p, 2)),
        notes: if is_slip { String::new() } else { draft.notes },
        lines: draft.lines.iter().map(|l| (l.quantity, name(l.item), l.options.clone())).collect(),
    };
    render_page(&page, false)
}
