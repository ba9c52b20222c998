//! Jobs: how far one is, for the scripts of the pages that began it.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::route_table::routes;
use actix_web::{HttpResponse, web};
use serde_json::json;

routes! {
    GET "/jobs/{name}" [ReadRuns] => progress;
    POST "/jobs/{name}/cancel" [ReadRuns] => cancel;
}

async fn progress(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<HttpResponse, AppError> {
    let job = app.workshop.job(&user.actor, &name)?;
    Ok(HttpResponse::Ok().json(json!({ "share": job.share(), "done": job.outcome().is_some() })))
}

async fn cancel(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.job(&user.actor, &name)?.cancel();
    Ok(HttpResponse::Ok().json(json!({ "cancelled": true })))
}
