//! Findings in and out.

use super::list::list_page;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::respond::{attachment, redirect};
use actix_web::{HttpResponse, web};
use store::RewindId;
use workshop::{Refusal, RewindDraft, SaveRewind};

pub(super) async fn export(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let (_, draft) = app.workshop.rewind(&user.actor, RewindId(*id)).await?;
    let body = serde_json::to_vec_pretty(&draft.findings).map_err(AppError::internal)?;
    Ok(attachment("application/json", &format!("findings-{id}.json"), body))
}

pub(super) async fn import(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let text = form.untrimmed("document").to_owned();
    let problems = match coil::identification::read(&text) {
        Ok(findings) => {
            let mut draft = RewindDraft::begun(&findings.name, findings.pickup.clone());
            draft.findings = findings;
            let command = SaveRewind { key: form.key()?, of: None, draft };
            match app.workshop.save_rewind(&user.actor, &command).await {
                Ok(id) => return Ok(redirect(format!("/rewinds/{id}"))),
                Err(Refusal::NotPredictable(problems)) => problems,
                Err(refusal) => return Err(refusal.into()),
            }
        }
        Err(problems) => problems,
    };
    let words: Vec<String> =
        problems.iter().take(5).map(|p| format!("{}: {}; {}.", p.at, p.text, p.try_)).collect();
    list_page(&app, &user, &QueryParameters::default(), Some((text, words.join(" ")))).await
}
