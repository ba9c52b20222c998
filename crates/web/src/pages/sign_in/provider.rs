//! Single sign-on: to the provider and back.

use super::next::{encoded, inside};
use super::page::refused;
use crate::app::App;
use crate::current_user::{self, AtProvider};
use crate::error::AppError;
use crate::outcome;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use workshop::{Actor, Refusal, without_turn};

/// Sends the browser to the provider.
pub(super) async fn go(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let back = app.origin.address_of(current_user::PROVIDER_BACK);
    let begun = app.workshop.begin_single_sign_on(&back, app.origin.address(&request));
    match without_turn(begun).await {
        Ok((to, started)) => {
            let next = inside(query.get("next")).to_owned();
            current_user::await_provider(&session, &AtProvider { started, next, link: None })?;
            Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, to)).finish())
        }
        Err(ref refusal @ (Refusal::ProviderAway(_) | Refusal::SingleSignOnOff)) => {
            tracing::warn!(event = "provider-away", error = %refusal);
            refused(&app, &request, query.get("next"), &refusal_text(refusal)).await
        }
        Err(other) => Err(other.into()),
    }
}

/// The browser comes back.
pub(super) async fn back(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let Some(AtProvider { started, next, link }) = current_user::take_provider(&session)? else {
        let text = "This sign-in was begun in another browser, or too long ago. Begin it again.";
        return refused(&app, &request, "", text).await;
    };
    let back = app.origin.address_of(current_user::PROVIDER_BACK);
    let answer = (query.get("state"), query.get("code"));
    if let Some(person) = link {
        // The person who started the link is still signed in.
        let person = app.workshop.person(person).await?;
        let person = person.filter(|p| current_user::signed_in(&session).is_ok_and(|id| id == Some(p.id)));
        let person = person.ok_or_else(|| AppError::SignIn("/account".to_owned()))?;
        let session_id = current_user::session_id(&session)?.unwrap_or_default();
        let actor = Actor::from_person(&person);
        let linked =
            without_turn(app.workshop.link_single_sign_on(&actor, &back, started, answer, &session_id)).await;
        match linked {
            Ok(()) => {
                tracing::info!(event = "provider-linked", person = person.id.0);
                let text = "The provider signs you in from now on, and your other sessions are ended.";
                return Ok(outcome::done(&session, "/account", text));
            }
            Err(refusal) => {
                tracing::warn!(event = "provider-not-linked", person = person.id.0, error = %refusal);
                let text = format!("Not linked. {}", refusal_text(&refusal));
                return Ok(outcome::not_done(&session, "/account", text));
            }
        }
    }
    let address = app.origin.address(&request);
    match without_turn(app.workshop.finish_single_sign_on(&back, started, answer)).await {
        Ok(found) if found.needs_code => {
            current_user::await_code(&session, found.person, &request, address)?;
            Ok(redirect(format!("/sign-in/code?next={}", encoded(inside(&next)))))
        }
        Ok(found) => {
            current_user::sign_in(&session, found.person, &request, address)?;
            if found.has_second_factor {
                current_user::note_second_factor(&session)?;
            }
            tracing::info!(event = "signed-in", person = found.person.0, %address, provider = true);
            Ok(redirect(inside(&next)))
        }
        Err(
            ref refusal @ (Refusal::NotProven(_)
            | Refusal::ProviderAway(_)
            | Refusal::SingleSignOnOff
            | Refusal::NoRole
            | Refusal::SeveralWorkshops
            | Refusal::NameTaken(_)),
        ) => {
            tracing::warn!(event = "provider-sign-in-failed", %address, error = %refusal);
            refused(&app, &request, &next, &refusal_text(refusal)).await
        }
        Err(other) => Err(other.into()),
    }
}
