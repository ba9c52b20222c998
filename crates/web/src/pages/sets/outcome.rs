//! How a page of a set says what was done.

use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
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
    outcome::tell(session, format!("/sets/{id}"), done.map(|()| words))
}
