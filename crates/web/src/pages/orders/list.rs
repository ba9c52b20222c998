//! The list of orders.

use super::form::state_word;
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;

#[derive(Template)]
#[template(path = "orders/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    rows: Vec<Row>,
    q: String,
    state: String,
    sort: String,
    are_gone: bool,
}

struct Row {
    id: u64,
    number: u32,
    customer: String,
    what: String,
    state: &'static str,
    promised: String,
    ready: String,
    is_late: bool,
    price: String,
}

/// The page.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let are_gone = query.get("gone") == "yes";
    // Without a plan the list is still a list.
    let (orders, plan) = tokio::join!(app.workshop.orders(&user.actor, are_gone), async {
        if are_gone { None } else { app.workshop.shop_plan(&user.actor).await.ok() }
    });
    let orders = orders?;
    let (q, state, sort) =
        (query.get("q").to_owned(), query.get("state").to_owned(), query.get("sort").to_owned());
    let words = q.to_lowercase();
    let mut rows: Vec<Row> = Vec::new();
    for (row, draft) in orders {
        let ready = plan.as_ref().and_then(|plan| {
            let own = plan.jobs.iter().zip(&plan.schedule.jobs);
            own.filter(|(job, _)| job.order.is_some_and(|o| o.0 == row.id))
                .map(|(_, told)| told)
                .max_by_key(|t| t.ready)
        });
        let count: u32 = draft.lines.iter().map(|l| l.quantity).sum();
        rows.push(Row {
            id: row.id.0,
            number: row.number,
            customer: row.customer,
            what: format!("{count} in {}", format::counted(draft.lines.len() as u64, "line")),
            state: state_word(row.state.0),
            promised: row.promised_on.map_or_else(String::new, |d| d.to_string()),
            is_late: ready.is_some_and(|t| t.late_minutes > 0),
            ready: ready.map_or_else(String::new, |t| t.ready.to_string().replace('T', " ")),
            price: draft.price.map_or_else(String::new, |p| format::plain(p, 2)),
        });
    }
    rows.retain(|r| {
        format!("{} {} {}", r.number, r.customer, r.state).to_lowercase().contains(&words)
            && (state.is_empty() || r.state == state || state == "late" && r.is_late)
    });
    match sort.as_str() {
        "promised" => rows
            .sort_by(|a, b| (a.promised.is_empty(), &a.promised).cmp(&(b.promised.is_empty(), &b.promised))),
        "customer" => rows.sort_by_key(|r| r.customer.to_lowercase()),
        _ => {}
    }
    let page = ListPage {
        frame: Frame::new(&user, "plan", "Orders"),
        tab: "orders",
        rows,
        q,
        state,
        sort,
        are_gone,
    };
    render_page(&page, false)
}
