//! The pages, one folder each.

pub mod bench;
pub mod calibration;
pub mod causes;
pub mod compare;
pub mod consistency;
pub mod designs;
pub mod experiments;
pub mod instruments;
pub mod inventory;
pub mod logbook;
pub mod matching;
pub mod runs;
pub mod sign_in;
pub mod timers;

use crate::app::App;
use crate::error::AppError;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;

/// All routes.
pub fn routes(config: &mut web::ServiceConfig) {
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
        .configure(inventory::routes)
        .configure(instruments::routes)
        .configure(timers::routes)
        .configure(bench::routes)
        .default_service(web::to(|| async { Err::<HttpResponse, _>(AppError::Missing("page")) }));
}

/// Whether the program and its database answer.
pub async fn health(app: web::Data<App>) -> HttpResponse {
    match app.store.ping().await {
        Ok(()) => HttpResponse::Ok().body("ok\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database does not answer\n"),
    }
}

/// A page that is shown: with status 422 where a form was refused on it.
pub fn render_page(page: &impl Template, refused: bool) -> Result<HttpResponse, AppError> {
    let status = if refused { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let html = page.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(html))
}

/// Sends the browser on after a form.
pub fn redirect(path: impl Into<String>) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((actix_web::http::header::LOCATION, path.into())).finish()
}
