//! The link between a person and whom the provider of single sign-on means.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::{self, AtProvider, CurrentUser};
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use workshop::{Refusal, without_turn};

#[derive(Template)]
#[template(path = "account/provider.html")]
struct Page {
    frame: Frame,
    provider: String,
    to: String,
}

/// Shows the way to the provider. A form cannot lead there: the policy lets forms go nowhere but here.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    request: HttpRequest,
    session: Session,
    _: FormData,
) -> Result<HttpResponse, AppError> {
    let back = app.origin.address_of(current_user::PROVIDER_BACK);
    let begun = app.workshop.begin_single_sign_on(&back, app.origin.address(&request));
    match without_turn(begun).await {
        Ok((to, started)) => {
            let at = AtProvider { started, next: String::new(), link: Some(user.person.id) };
            current_user::await_provider(&session, &at)?;
            let provider = app.workshop.provider_name().unwrap_or_default().to_owned();
            render_page(&Page { frame: Frame::new(&user, "account", "Single sign-on"), provider, to }, false)
        }
        Err(ref refusal @ Refusal::ProviderAway(_)) => {
            tracing::warn!(event = "provider-away", error = %refusal);
            Ok(outcome::not_done(&session, "/account", refusal_text(refusal)))
        }
        Err(other) => Err(other.into()),
    }
}

/// Takes the link away.
pub(super) async fn remove(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    _: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.unlink_single_sign_on(&user.actor, &user.session_id).await?;
    tracing::info!(event = "provider-unlinked", person = user.person.id.0);
    let text = "The provider no longer signs you in, and your other sessions are ended.";
    Ok(outcome::done(&session, "/account", text))
}
