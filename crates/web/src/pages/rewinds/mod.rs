//! The rewind desk: pickups that are examined, what they were, and how they are brought back.

mod changes;
mod curve;
mod diagnosis;
mod files;
mod form;
mod list;
mod page;
mod ranking;
mod restore;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/rewinds", web::get().to(list::show))
        .route("/rewinds", web::post().to(page::save_new))
        .route("/rewinds/new", web::get().to(page::new))
        .route("/rewinds/preview", web::post().to(page::preview))
        .route("/rewinds/curve", web::post().to(curve::fit))
        .route("/rewinds/import", web::post().to(files::import))
        .route("/rewinds/{id}", web::get().to(page::show))
        .route("/rewinds/{id}", web::post().to(page::save))
        .route("/rewinds/{id}/archive", web::post().to(changes::archive))
        .route("/rewinds/{id}/choose", web::post().to(changes::choose))
        .route("/rewinds/{id}/answer", web::post().to(changes::answer))
        .route("/rewinds/{id}/restore", web::post().to(restore::restore))
        .route("/rewinds/{id}/copy", web::post().to(restore::copy))
        .route("/rewinds/{id}/findings.json", web::get().to(files::export));
}
