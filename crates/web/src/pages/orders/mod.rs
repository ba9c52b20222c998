//! Orders: the list, one order, and what prints of it.

mod form;
mod list;
mod page;
mod paper;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/orders", web::get().to(list::show))
        .route("/orders", web::post().to(page::save_new))
        .route("/orders/new", web::get().to(page::new))
        .route("/orders/promise", web::post().to(page::promise))
        .route("/orders/{id}", web::get().to(page::show))
        .route("/orders/{id}", web::post().to(page::save))
        .route("/orders/{id}/paper", web::get().to(paper::show));
}
