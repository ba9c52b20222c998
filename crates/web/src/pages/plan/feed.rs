//! The plan as a calendar that general calendar programs subscribe to (iCalendar, RFC 5545).

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use icalendar::{Calendar, Component as _, Event};
use store::FeedId;
use time::macros::format_description;
use trade::schedule::Moment;
use workshop::FeedPlan;

/// The calendar of a feed's plan: every operation as an event, without customers and recipes.
fn calendar(feed: &FeedPlan) -> Calendar {
    let utc = |at: Moment| -> String {
        feed.hours
            .utc(at)
            .format(format_description!("[year][month][day]T[hour][minute]00Z"))
            .unwrap_or_default()
    };
    let mut all = Calendar::new();
    let of = feed.person.as_deref().unwrap_or("the shop");
    all.name(&format!("{}, {of}", feed.workshop));
    let stamp = utc(feed.plan.work.from);
    for operation in &feed.plan.schedule.operations {
        let is_own = feed.person.as_ref().is_none_or(|name| operation.resources.contains(name));
        let job = feed.plan.jobs.iter().find(|j| j.name == operation.job);
        let (Some(job), true) = (job, is_own && operation.start < operation.end) else { continue };
        let what = &job.operations[operation.operation];
        let order = job.order.map_or_else(String::new, |(_, number)| format!(", order {number}"));
        let mut event = Event::new();
        event
            .uid(&format!("{}-{}@filamentum", operation.job.replace([' ', ','], "-"), what.key))
            .summary(&format!("{}: {}{order}", what.name, job.what))
            .description(&format!("With {}. {}", operation.resources.join(", "), what.caution))
            .add_property("DTSTAMP", &stamp)
            .add_property("DTSTART", utc(operation.start))
            .add_property("DTEND", utc(operation.end));
        all.push(event.done());
    }
    all.done()
}

/// The feed; whoever has its address sees it.
pub(super) async fn show(app: web::Data<App>, query: QueryParameters) -> Result<HttpResponse, AppError> {
    let feed = app.workshop.plan_of_feed(query.get("token")).await?;
    Ok(HttpResponse::Ok()
        .content_type("text/calendar; charset=utf-8")
        .insert_header(("Cache-Control", "private, no-store"))
        .body(calendar(&feed).to_string()))
}

/// Makes a feed, and shows its address this once.
pub(super) async fn make(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let secret = app.workshop.make_feed(&user.actor, form.get("of") == "shop").await?;
    let address = format!("/calendar.ics?token={}", secret.text());
    let text = format!("Subscribe to this address in a calendar program; it is shown this once: {address}");
    Ok(outcome::done(&session, "/week", text))
}

/// Ends a feed.
pub(super) async fn end(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.revoke_feed(&user.actor, FeedId(*id)).await?;
    Ok(outcome::done(&session, "/week", "The feed is ended."))
}
