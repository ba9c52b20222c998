//! The day and the week: what is done next, by whom, and why then.

mod day;
mod feed;
mod gantt;
mod hour_fields;
mod hours;
mod week;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/day", web::get().to(day::show))
        .route("/week", web::get().to(week::show))
        .route("/week/hours", web::post().to(hours::save))
        .route("/week/feeds", web::post().to(feed::make))
        .route("/week/feeds/{id}/end", web::post().to(feed::end))
        .route("/calendar.ics", web::get().to(feed::show));
}
