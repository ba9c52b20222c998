//! Listening: the sheet against another pickup, as sound.

use super::posted_sheet::design_of;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::render;
use actix_web::{HttpResponse, web};
use askama::Template;
use store::RevisionId;
use workshop::{Audition, AuditionSide};

#[derive(Template)]
#[template(path = "designs/_audition.html")]
struct AuditionPanel {
    /// Value, name, whether it is chosen.
    against: Vec<(String, String, bool)>,
    equal: bool,
}

/// The panel: against what, at which level, and the buttons.
pub(super) fn panel(form: &FormData, references: &[(RevisionId, String)]) -> Result<String, AppError> {
    let chosen = form.get("search_listen_of");
    let before =
        (!form.get("parent").is_empty()).then(|| (String::new(), "the previous revision".to_owned()));
    let others = references.iter().map(|(id, name)| (id.to_string(), name.clone()));
    let against = before.into_iter().chain(others).map(|(value, name)| {
        let is_chosen = value == chosen;
        (value, name, is_chosen)
    });
    render(&AuditionPanel { against: against.collect(), equal: form.get("search_listen_level") != "true" })
}

/// One of both sounds as a WAV file; `Filamentum-Louder` tells by how many dB B is louder than A at true level.
pub(super) async fn sound(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (document, parent) = design_of(&app, &user, &form).await?;
    let against = form.id("search_listen_of").map(RevisionId).or(parent.as_ref().map(|p| p.row.id));
    let against = against.ok_or_else(|| AppError::BadRequest("Choose a pickup to compare with.".into()))?;
    let command = Audition {
        document,
        design: parent.map(|p| p.row.design_id),
        against,
        equal_loudness: form.get("search_listen_level") != "true",
        side: if form.get("listen_which") == "b" { AuditionSide::B } else { AuditionSide::A },
    };
    let (bytes, louder) = app.workshop.audition(&user.actor, command).await?;
    Ok(HttpResponse::Ok()
        .content_type("audio/wav")
        .insert_header(("Filamentum-Louder", format!("{louder:.2}")))
        .body(bytes))
}
