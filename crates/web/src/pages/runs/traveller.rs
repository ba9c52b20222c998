//! The traveller of a run.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::format;
use store::RunId;
use trade::reading::Kind;
use trade::traveller::{Operation, OperationStatus};
use workshop::TravellerProgress;

/// Most letters of a reason.
const MOST_LETTERS: usize = 500;

/// An operation as pages show it.
pub(super) struct OperationRow {
    /// The operation.
    pub operation: Operation,
    /// `done`, `now` or `later`.
    pub state: &'static str,
    /// Who signed it; empty where nobody did.
    pub signed: String,
    /// When, for people and for machines.
    pub when: (String, String),
    /// The reason, where it was waived.
    pub waived: String,
    /// What it still waits for.
    pub waits: String,
}

impl OperationRow {
    /// Whether it is the next to do.
    pub(super) fn is_next(&self) -> bool {
        self.state == "now"
    }
}

/// The operations of a run as pages show them.
pub(super) fn operation_rows(progress: TravellerProgress) -> Vec<OperationRow> {
    let rows = progress.operations.into_iter().map(|(operation, status)| {
        let (state, signature, missing) = match status {
            OperationStatus::Done(signature) => ("done", Some(signature), Vec::new()),
            OperationStatus::Now(missing) => ("now", None, missing),
            OperationStatus::Later => ("later", None, Vec::new()),
        };
        let waits = missing.iter().map(|kind: &Kind| kind.name()).collect::<Vec<_>>().join(" and ");
        let signed = signature.as_ref().map(|s| s.by.clone());
        let when = signature.as_ref().map(|s| (format::moment(s.at), format::iso(s.at)));
        OperationRow {
            operation,
            state,
            signed: signed.unwrap_or_default(),
            when: when.unwrap_or_default(),
            waived: signature.map(|s| s.waived).unwrap_or_default(),
            waits,
        }
    });
    rows.collect()
}

/// Signs an operation; why it cannot be signed is told on the run's page.
pub(super) async fn sign(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (waived, page) = (form.get("waived"), format!("/runs/{id}#operations"));
    if waived.chars().count() > MOST_LETTERS {
        let text = format!("Not signed: a reason has up to {MOST_LETTERS} letters.");
        return Ok(outcome::not_done(&session, page, text));
    }
    let signed = app.workshop.sign_operation(&user.actor, RunId(*id), form.get("operation"), waived).await;
    outcome::tell(&session, page, signed.map(|()| ""))
}
