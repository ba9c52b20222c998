//! A sheet as the workbench sends it: what it goes on from, and the design that its fields are of.

use super::spools;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use coil::design::{Design, tall_single};
use presentation::sheet;
use store::RevisionId;
use store::design::Revision;

/// Strings of a new design, until the sheet says otherwise.
pub(super) const USUAL_STRINGS: u32 = 6;
/// Pitch of its strings, mm.
pub(super) const USUAL_PITCH_MM: f64 = 10.4;

/// What a form goes on from: a revision, or nothing yet.
pub(super) async fn parent_of(
    app: &App,
    user: &CurrentUser,
    parent: &str,
) -> Result<Option<Revision>, AppError> {
    if parent.is_empty() {
        return Ok(None);
    }
    let id = parent.parse().ok().ok_or(AppError::NotFound("revision"))?;
    Ok(Some(app.workshop.revision(&user.actor, RevisionId(id)).await?))
}

/// The design of a sheet as it was sent, with what it goes on from: for panels that are fetched beside it, which show nothing
/// while a field is to be corrected.
pub(super) async fn design_of(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
) -> Result<(Design, Option<Revision>), AppError> {
    let parent = parent_of(app, user, form.get("parent")).await?;
    let base = base_of(form, parent.as_ref());
    let referred = spools::referred(app, user, form).await?;
    let read = sheet::read(&named(form), &base, &referred, user.settings.units);
    let read = read
        .ok()
        .ok_or_else(|| AppError::BadRequest("Correct the marked fields of the sheet first.".into()))?;
    Ok((read.design, parent))
}

/// The design that the form's fields are of: the one it carries, else its parent.
pub(super) fn base_of(form: &FormData, parent: Option<&Revision>) -> Design {
    sheet::base_of(form)
        .or_else(|| parent.map(|p| p.design.clone()))
        .unwrap_or_else(|| tall_single("", USUAL_STRINGS, USUAL_PITCH_MM))
}

/// The sheet with a placeholder where the name is still empty: a design gets its name when it is saved, and shows its
/// figures before.
pub(super) fn named(form: &FormData) -> FormData {
    let mut named = form.clone();
    if named.get("name").is_empty() {
        named.set("name", "unnamed");
    }
    named
}
