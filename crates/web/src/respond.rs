//! Answers that every page gives.

use crate::error::AppError;
use actix_web::HttpResponse;
use actix_web::http::{StatusCode, header};
use askama::Template;

/// A rendered page: with status 422 where a form was refused on it.
pub(crate) fn render_page(page: &impl Template, refused: bool) -> Result<HttpResponse, AppError> {
    let status = if refused { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    render_with(page, status)
}

/// A rendered page with a status.
pub(crate) fn render_with(page: &impl Template, status: StatusCode) -> Result<HttpResponse, AppError> {
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(render(page)?))
}

/// A template as text.
pub(crate) fn render(template: &impl Template) -> Result<String, AppError> {
    template.render().map_err(AppError::internal)
}

/// Sends the browser on after a form.
pub(crate) fn redirect(path: impl Into<String>) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((header::LOCATION, path.into())).finish()
}

/// A file to save.
pub(crate) fn attachment(kind: &str, name: &str, body: impl Into<Vec<u8>>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type(kind)
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .body(body.into())
}
