//! Shows the result of a form on the next page.

use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::HttpResponse;
use workshop::Refusal;

/// Why a form with marked fields is shown again.
pub(crate) const SEE_FIELDS: &str = "Not saved: see the marked fields.";

/// Whether the person can act on a refusal on the page that they came from. Other refusals have an error page.
fn is_shown_there(refusal: &Refusal) -> bool {
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

/// Redirects to a page that says what was done.
pub(crate) fn done(session: &Session, page: impl Into<String>, text: impl Into<String>) -> HttpResponse {
    flash::put(session, FlashKind::Done, text);
    redirect(page)
}

/// Redirects to a page that says why something was not done.
pub(crate) fn not_done(session: &Session, page: impl Into<String>, text: impl Into<String>) -> HttpResponse {
    flash::put(session, FlashKind::NotDone, text);
    redirect(page)
}

/// Redirects to a page that says what was done, or why it was not. An empty text shows no message.
///
/// # Errors
/// With a refusal that has an error page: the object is gone, the action is not permitted, or the program failed.
pub(crate) fn tell(
    session: &Session,
    page: impl Into<String>,
    outcome: Result<impl Into<String>, Refusal>,
) -> Result<HttpResponse, AppError> {
    match outcome.map(Into::into) {
        Ok(text) if text.is_empty() => Ok(redirect(page)),
        Ok(text) => Ok(done(session, page, text)),
        Err(refusal) => Ok(not_done(session, page, reason(refusal, "")?)),
    }
}

/// A refusal in words, after an introduction.
///
/// # Errors
/// With a refusal that has an error page.
pub(crate) fn reason(refusal: Refusal, before: &str) -> Result<String, AppError> {
    match AppError::from(refusal) {
        AppError::Refused(refusal) if is_shown_there(&refusal) => {
            Ok(format!("{before}{}", refusal_text(&refusal)))
        }
        error => Err(error),
    }
}

/// The result of saving a form: the redirect to what was saved, or the reason why the form is shown again.
///
/// # Errors
/// With a refusal that has an error page.
pub(crate) fn save(
    session: &Session,
    saved: Result<String, Refusal>,
    text: &str,
) -> Result<Result<HttpResponse, String>, AppError> {
    match saved {
        Ok(page) => Ok(Ok(done(session, page, text))),
        Err(Refusal::NotPredictable(_)) => Ok(Err(SEE_FIELDS.to_owned())),
        Err(refusal) => reason(refusal, "").map(Err),
    }
}
