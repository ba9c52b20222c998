//! What the owner decides: people, shared stations, and who changed what.

mod audit;
mod backups;
mod people;
mod policy_reports;
mod settings;
mod stations;
mod unreadable;

use actix_web::web;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/people", web::get().to(people::show))
        .route("/people", web::post().to(people::invite))
        .route("/people/{id}/role", web::post().to(people::set_role))
        .route("/people/{id}/link", web::post().to(people::link))
        .route("/people/{id}/second-factor", web::post().to(people::reset_second_factor))
        .route("/people/{id}/{change:disable|enable|anonymise}", web::post().to(people::change))
        .route("/stations", web::get().to(stations::show))
        .route("/stations", web::post().to(stations::add))
        .route("/stations/{id}/retire", web::post().to(stations::retire))
        .route("/backups", web::get().to(backups::show))
        .route("/backups", web::post().to(backups::begin))
        .route("/backups/{name}", web::get().to(backups::download))
        .route("/backups/{name}/verify", web::post().to(backups::verify))
        .route("/settings", web::get().to(settings::show))
        .route("/settings", web::post().to(settings::save))
        .route("/audit", web::get().to(audit::show))
        .route("/policy-reports", web::get().to(policy_reports::show))
        .route("/policy-report", web::post().to(policy_reports::take))
        .route("/unreadable", web::get().to(unreadable::show))
        .route("/unreadable/{kind}/{id}/document.txt", web::get().to(unreadable::export))
        .route("/unreadable/{kind}/{id}/delete", web::post().to(unreadable::delete));
}
