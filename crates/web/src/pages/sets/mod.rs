//! Sets: pickups under the same strings, on one switch.

mod changes;
mod compare;
mod edit;
mod figures;
mod form;
mod list;
mod outcome;
mod page;
mod partner;
mod partner_fields;
mod search;
mod set_up;
mod share;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/sets", web::get().to(list::show))
        .route("/sets", web::post().to(edit::save_new))
        .route("/sets/new", web::get().to(edit::new))
        .route("/sets/compare", web::get().to(compare::show))
        .route("/sets/preview", web::post().to(edit::preview))
        .route("/sets/audition", web::post().to(edit::audition))
        .route("/sets/import", web::post().to(list::import))
        .route("/sets/search", web::post().to(search::begin))
        .route("/sets/search/{name}", web::get().to(search::progress))
        .route("/sets/{id}", web::get().to(edit::show))
        .route("/sets/{id}", web::post().to(edit::save))
        .route("/sets/{id}/archive", web::post().to(edit::archive))
        .route("/sets/{id}/partner", web::post().to(partner::make))
        .route("/sets/{id}/balance", web::post().to(changes::balance))
        .route("/sets/{id}/moves", web::post().to(search::apply))
        .route("/sets/{id}/mend", web::post().to(changes::mend))
        .route("/sets/{id}/runs", web::post().to(changes::runs))
        .route("/sets/{id}/set.json", web::get().to(edit::export))
        .route("/sets/{id}/set-up", web::get().to(set_up::show))
        .route("/sets/{id}/share", web::get().to(share::show));
}
