//! Designs: the list, the workbench, revisions, the search, listening.

mod audition;
mod formats;
mod list;
mod maps;
mod matters;
mod meter_table;
mod posted_sheet;
mod preview;
mod preview_answer;
mod revision;
mod revision_forms;
mod search;
mod search_results;
mod sensitivity;
mod share;
mod sheet_step;
mod spools;
mod view;
mod workbench;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/designs", web::get().to(list::show))
        .route("/designs", web::post().to(workbench::save_new))
        .route("/designs/new", web::get().to(formats::new))
        .route("/designs/preview", web::post().to(preview_answer::preview))
        .route("/designs/sensitivity", web::post().to(sensitivity::table))
        .route("/designs/matters", web::post().to(matters::table))
        .route("/designs/maps", web::post().to(maps::maps))
        .route("/designs/audition", web::post().to(audition::sound))
        .route("/designs/import", web::post().to(formats::import))
        .route("/designs/search", web::post().to(search::begin))
        .route("/designs/search/{name}", web::get().to(search_results::progress))
        .route("/revisions/{id}/duplicate", web::get().to(workbench::duplicate))
        .route("/revisions/{id}/vary", web::post().to(revision_forms::vary))
        .route("/revisions/{id}/restore", web::post().to(revision_forms::restore))
        .route("/revisions/{id}/label", web::post().to(revision_forms::label))
        .route("/revisions/{id}/sweeps", web::post().to(revision_forms::add_sweep))
        .route("/revisions/{id}/share", web::get().to(share::show))
        .route("/revisions/{id}", web::get().to(revision::show))
        .route("/revisions/{id}", web::post().to(workbench::save_next))
        .route("/revisions/{id}/edit", web::get().to(workbench::edit))
        .route("/revisions/{id}/design.json", web::get().to(revision::export));
}
