//! Winding runs: starting one, its traveller, the station, readings, the verdict.

mod assembly;
mod log_form;
mod log_row;
mod machine;
mod measure;
mod page;
mod paper;
mod paste;
mod readings;
mod start;
mod station;
mod traveller;
mod traveller_form;

use actix_web::web;
use store::ClientKey;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/runs", web::post().to(start::start))
        .route("/runs/new", web::get().to(start::new))
        .route("/runs/{id}", web::get().to(page::show))
        .route("/runs/{id}/judge", web::post().to(page::judge_again))
        .route("/runs/{id}/readings", web::post().to(readings::log))
        .route("/runs/{id}/sign", web::post().to(traveller::sign))
        .route("/runs/{id}/station", web::get().to(station::show))
        .route("/runs/{id}/live", web::get().to(station::live))
        .route("/runs/{id}/void", web::post().to(page::void))
        .route("/runs/{id}/assemble", web::post().to(assembly::assemble))
        .route("/runs/{id}/events", web::post().to(station::log_event))
        .route("/runs/{id}/winder", web::post().to(station::command))
        .route("/winder-stop", web::post().to(station::stop))
        .route("/runs/{id}/section", web::get().to(station::section))
        .route("/runs/{id}/read", web::post().to(measure::read))
        .route("/runs/{id}/cooling", web::post().to(measure::cooling))
        .route("/runs/{id}/guide.{form:gcode|csv}", web::get().to(machine::guide))
        .route("/runs/{id}/counter", web::post().to(machine::import))
        .route("/runs/{id}/paper", web::get().to(paper::show))
        .route("/travellers", web::get().to(traveller_form::show))
        .route("/travellers", web::post().to(traveller_form::save));
}

/// A key for a form that is sent by a button alone.
pub(super) fn fresh_key() -> ClientKey {
    ClientKey::random()
}
