//! The day and the week: what is done next, by whom, and why then.

mod day;
mod deeds;
mod feed;
mod figures;
mod gantt;
mod hour_fields;
mod hours;
mod week;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/day", web::get().to(day::show))
        .route("/day/begin", web::post().to(deeds::begin))
        .route("/day/lay-down", web::post().to(deeds::lay_down))
        .route("/day/pin", web::post().to(deeds::pin))
        .route("/day/outages", web::post().to(deeds::report))
        .route("/day/outages/{id}/end", web::post().to(deeds::there_again))
        .route("/day/seen", web::post().to(deeds::seen))
        .route("/shop-figures", web::get().to(figures::show))
        .route("/week", web::get().to(week::show))
        .route("/week/hours", web::post().to(hours::save))
        .route("/week/hours/person", web::post().to(hours::save_of_person))
        .route("/week/feeds", web::post().to(feed::make))
        .route("/week/feeds/{id}/end", web::post().to(feed::end))
        .route("/calendar.ics", web::get().to(feed::show));
}
