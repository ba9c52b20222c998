//! How a page of a set says what was done.

use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::HttpResponse;
use store::PickupSetId;
use workshop::Refusal;

/// The set and the version that a form was shown with.
pub(super) fn version_of(id: u64, form: &FormData) -> (PickupSetId, u32) {
    (PickupSetId(id), form.get("version").parse().unwrap_or_default())
}

/// Says what was done, or why it was not, on the set's page.
pub(super) fn told(
    session: &Session,
    id: u64,
    done: Result<(), Refusal>,
    words: &str,
) -> Result<HttpResponse, AppError> {
    match done {
        Ok(()) => flash::put(session, FlashKind::Done, words),
        Err(
            refusal @ (Refusal::ChangedMeanwhile(_)
            | Refusal::NotPredictable(_)
            | Refusal::AdjustmentOutOfRange),
        ) => {
            flash::put(session, FlashKind::NotDone, refusal_text(&refusal));
        }
        Err(refusal) => return Err(refusal.into()),
    }
    Ok(redirect(format!("/sets/{id}")))
}
