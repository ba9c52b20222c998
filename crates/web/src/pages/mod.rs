//! The pages, one folder each, by their word in the navigation.

mod account;
mod bench;
mod calibration;
mod causes;
mod compare;
mod consistency;
mod designs;
mod experiments;
mod instruments;
mod inventory;
mod jobs;
mod logbook;
mod matching;
mod orders;
mod photos;
mod plan;
mod renaming;
mod rewinds;
mod runs;
mod sets;
mod sign_in;
mod timers;
mod workshop;

use crate::app::App;
use crate::error::AppError;
use actix_web::{HttpResponse, web};

/// All routes.
pub(crate) fn routes(config: &mut web::ServiceConfig) {
    config
        .configure(sign_in::routes)
        .configure(designs::routes)
        .configure(compare::routes)
        .configure(runs::routes)
        .configure(logbook::routes)
        .configure(consistency::routes)
        .configure(causes::routes)
        .configure(calibration::routes)
        .configure(matching::routes)
        .configure(experiments::routes)
        .configure(sets::routes)
        .configure(rewinds::routes)
        .configure(orders::routes)
        .configure(plan::routes)
        .configure(photos::routes)
        .configure(inventory::routes)
        .configure(instruments::routes)
        .configure(renaming::routes)
        .configure(jobs::routes)
        .configure(timers::routes)
        .configure(account::routes)
        .configure(workshop::routes)
        .configure(bench::routes)
        .default_service(web::to(|| async { Err::<HttpResponse, _>(AppError::NotFound("page")) }));
}

/// Whether the program and its database answer.
pub(crate) async fn health(app: web::Data<App>) -> HttpResponse {
    match app.workshop.ping().await {
        Ok(()) => HttpResponse::Ok().body("ok\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database does not answer\n"),
    }
}
