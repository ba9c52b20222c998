//! The logbook: every run, its export, and importing runs.

mod export;
mod filter;
mod import;
mod page;

use actix_web::web;

/// Largest import: the whole logbook of a shop comes in one form, as a document of 50,000 runs and more.
const NOTEBOOK_BYTES: usize = 192 << 20;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/logbook", web::get().to(page::show))
        .route("/logbook.csv", web::get().to(export::csv))
        .route("/logbook.json", web::get().to(export::json))
        .service(
            web::resource("/logbook/import")
                .app_data(web::FormConfig::default().limit(NOTEBOOK_BYTES))
                .route(web::get().to(import::show))
                .route(web::post().to(import::check)),
        )
        .route("/logbook/import/{job}", web::get().to(import::progress));
}
