//! Inventory: spools, parts, and what a pickup costs.

mod costs;
mod parts;
mod spool;
mod spools;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/spools", web::get().to(spools::show))
        .route("/spools", web::post().to(spools::add))
        .route("/spools/{id}", web::get().to(spool::show))
        .route("/spools/{id}", web::post().to(spool::update))
        .route("/spools/{id}/checks", web::post().to(spool::check))
        .route("/parts", web::get().to(parts::show))
        .route("/parts", web::post().to(parts::add))
        .route("/parts/{id}", web::post().to(parts::update))
        .route("/parts/{id}/moves", web::post().to(parts::move_stock))
        .route("/costs", web::get().to(costs::show))
        .route("/costs", web::post().to(costs::update))
        .route("/runs/{id}/parts", web::post().to(parts::move_for_run));
}
