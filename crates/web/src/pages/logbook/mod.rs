//! The logbook: every run, its export, and importing runs.

mod export;
mod filter;
mod import;
mod page;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/logbook", web::get().to(page::show))
        .route("/logbook.csv", web::get().to(export::csv))
        .route("/logbook.json", web::get().to(export::json))
        .service(
            web::resource("/logbook/import")
                .route(web::get().to(import::show))
                .route(web::post().to(import::check)),
        )
        .route("/logbook/import/{job}", web::get().to(import::progress));
}
