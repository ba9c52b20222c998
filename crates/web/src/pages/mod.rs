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
use crate::route_table::Route;
use actix_web::{HttpResponse, web};

/// The modules with routes.
macro_rules! modules {
    ($($module:ident)+) => {
        /// All routes.
        pub(crate) fn table() -> impl Iterator<Item = Route> {
            [$($module::TABLE),+].into_iter().flatten().copied()
        }

        /// Registers all routes.
        pub(crate) fn routes(config: &mut web::ServiceConfig) {
            config$(.configure($module::routes))+
                .default_service(web::to(|| async { Err::<HttpResponse, _>(AppError::NotFound("page")) }));
        }
    };
}
modules! {
    sign_in designs compare runs logbook consistency causes calibration matching experiments sets rewinds
    orders plan photos inventory instruments renaming jobs timers account workshop bench
}

/// Whether the program and its database answer.
pub(crate) async fn health(app: web::Data<App>) -> HttpResponse {
    match app.workshop.ping().await {
        Ok(()) => HttpResponse::Ok().body("ok\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database does not answer\n"),
    }
}
