//! A quote or a packing slip.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;
use presentation::share_facts::{self, Shown};
use store::{OrderId, RevisionId};
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
    lines: Vec<PaperLine>,
}

/// A line of the paper.
struct PaperLine {
    quantity: u32,
    what: String,
    options: String,
    /// What the workshop shows of a pickup to others: the pickup, and names with values.
    facts: Vec<(String, Vec<(String, String)>)>,
}

/// What the workshop's share rules let others see of the pickups of a line.
async fn facts(
    app: &App,
    user: &CurrentUser,
    item: OrderItem,
) -> Result<Vec<(String, Vec<(String, String)>)>, AppError> {
    let revisions: Vec<RevisionId> = match item {
        OrderItem::Revision(id) => vec![id],
        OrderItem::Set(id) => {
            app.workshop.pickup_set(&user.actor, id).await?.1.pickups.iter().map(|p| p.revision).collect()
        }
        OrderItem::Rewind(_) => Vec::new(),
    };
    let shown = Shown::usual(user.settings.privacy.shared_parts.as_deref());
    let mut all = Vec::with_capacity(revisions.len());
    for id in revisions {
        let revision = app.workshop.revision(&user.actor, id).await?;
        let prediction = app.workshop.prediction_of(&user.actor, None, &revision.design).await?.ok();
        let parts = share_facts::parts(&revision.design, prediction.as_deref(), &shown, user.settings.units);
        let facts = parts.into_iter().flat_map(|part| part.facts).collect();
        all.push((revision.design.name.clone(), facts));
    }
    Ok(all)
}

/// What an item is called on paper: without the numbers of revisions, which are the workshop's own.
async fn name(app: &App, user: &CurrentUser, item: OrderItem) -> Result<String, AppError> {
    Ok(match item {
        OrderItem::Revision(id) => app.workshop.revision(&user.actor, id).await?.row.name,
        OrderItem::Set(id) => app.workshop.pickup_set(&user.actor, id).await?.0.name,
        OrderItem::Rewind(id) => {
            format!("rewind: {}", app.workshop.rewind(&user.actor, id).await?.0.name)
        }
    })
}

/// The page: names, quantities, and of each pickup what a share sheet would show.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let (row, draft) = app.workshop.order(&user.actor, OrderId(*id)).await?;
    let is_slip = query.get("as") == "slip";
    let mut lines = Vec::with_capacity(draft.lines.len());
    for line in &draft.lines {
        lines.push(PaperLine {
            quantity: line.quantity,
            what: name(&app, &user, line.item).await?,
            options: line.options.clone(),
            facts: if is_slip { Vec::new() } else { facts(&app, &user, line.item).await? },
        });
    }
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
        lines,
    };
    render_page(&page, false)
}
