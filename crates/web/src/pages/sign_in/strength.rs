//! How strong a new password is, while it is typed.

use crate::app::App;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use actix_web::{HttpRequest, HttpResponse, web};
use serde_json::json;
use workshop::Refusal;

/// Weighs a password beside the names that are typed with it. Nothing of it is kept.
pub(super) async fn weigh(
    app: web::Data<App>,
    request: HttpRequest,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let names = ["workshop", "name", "sign_in"].map(|name| form.get(name).to_owned()).to_vec();
    let (score, problem) = app
        .workshop
        .weigh_password(form.untrimmed("password").to_owned(), names, app.origin.address(&request))
        .await?;
    let problem = problem.map_or_else(String::new, |why| refusal_text(&Refusal::WeakPassword(why)));
    Ok(HttpResponse::Ok().json(json!({ "score": score, "problem": problem })))
}
