//! What became of a form: it is told on the page that comes next.

use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::HttpResponse;
use workshop::Refusal;

/// Why a form with marked fields is shown again.
pub(crate) const SEE_FIELDS: &str = "Not saved: see the marked fields.";

/// Whether the person can act on a refusal on the page that they came from; others have a page of their own.
fn is_told(refusal: &Refusal) -> bool {
    !matches!(
        refusal,
        Refusal::NotAllowed(_)
            | Refusal::Unreadable { .. }
            | Refusal::DiskFull(_)
            | Refusal::RunClosed
            | Refusal::TooManyAttempts { .. }
            | Refusal::TooManyAtOnce(_)
    )
}

/// Goes on to a page that says what was done.
pub(crate) fn done(session: &Session, page: impl Into<String>, text: impl Into<String>) -> HttpResponse {
    flash::put(session, FlashKind::Done, text);
    redirect(page)
}

/// Goes back to a page that says why something was not done.
pub(crate) fn not_done(session: &Session, page: impl Into<String>, text: impl Into<String>) -> HttpResponse {
    flash::put(session, FlashKind::NotDone, text);
    redirect(page)
}

/// Goes on to a page that says what was done, or why it was not. An empty text says nothing.
///
/// # Errors
/// With a refusal that has a page of its own: what is gone, not permitted, or a fault of ours.
pub(crate) fn tell(
    session: &Session,
    page: impl Into<String>,
    outcome: Result<impl Into<String>, Refusal>,
) -> Result<HttpResponse, AppError> {
    match outcome.map(Into::into) {
        Ok(text) if text.is_empty() => Ok(redirect(page)),
        Ok(text) => Ok(done(session, page, text)),
        Err(refusal) => Ok(not_done(session, page, told(refusal, "")?)),
    }
}

/// A refusal in words, after others.
///
/// # Errors
/// With a refusal that has a page of its own.
pub(crate) fn told(refusal: Refusal, before: &str) -> Result<String, AppError> {
    match AppError::from(refusal) {
        AppError::Refused(refusal) if is_told(&refusal) => Ok(format!("{before}{}", refusal_text(&refusal))),
        error => Err(error),
    }
}

/// What became of saving a form: the answer that goes on to the page of what was saved, or why the form is shown again.
///
/// # Errors
/// With a refusal that has a page of its own.
pub(crate) fn save(
    session: &Session,
    saved: Result<String, Refusal>,
    text: &str,
) -> Result<Result<HttpResponse, String>, AppError> {
    match saved {
        Ok(page) => Ok(Ok(done(session, page, text))),
        Err(Refusal::NotPredictable(_)) => Ok(Err(SEE_FIELDS.to_owned())),
        Err(refusal) => told(refusal, "").map(Err),
    }
}
