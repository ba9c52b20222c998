//! Who asks, and whether they may: found before anything of the request is read.

use crate::app::App;
use crate::current_user::{Identity, identify, is_page};
use crate::error::AppError;
use crate::route_table::{action_of, is_fresh, is_open};
use crate::{bodies, password};
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::middleware::Next;
use actix_web::{Error, HttpMessage as _, ResponseError as _, web};
use workshop::{Action, Refusal};

fn pattern_of(request: &ServiceRequest) -> String {
    request.match_pattern().unwrap_or_default()
}

/// Finds who asks and whether they may, before anything of the request is read.
pub(crate) async fn check(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let memory = match may(&request).await {
        Ok(Some((app, identity))) => {
            workshop::asked_by(identity.person.id);
            if is_fresh(request.method(), &pattern_of(&request))
                && let Some(answer) = password::confirm(&mut request, &app, &identity).await?
            {
                return Ok(request.into_response(answer));
            }
            request.extensions_mut().insert(identity);
            match bodies::read_large_body(&mut request, &app).await {
                Ok(memory) => memory,
                Err(error) => return Ok(request.into_response(error.error_response())),
            }
        }
        Ok(None) => None,
        // As an answer, not as an error: what is added to every answer is added to this one too.
        Err(error) => return Ok(request.into_response(error.error_response())),
    };
    let answer = next.call(request).await?.map_into_boxed_body();
    drop(memory);
    Ok(answer)
}

/// Who asks, where the route asks for somebody.
async fn may(request: &ServiceRequest) -> Result<Option<(web::Data<App>, Identity)>, AppError> {
    // Where there is no route at all, the answer is that there is no such page.
    let Some(pattern) = request.match_pattern() else { return Ok(None) };
    if is_open(request.method(), &pattern) {
        return Ok(None);
    }
    let app = request.app_data::<web::Data<App>>().cloned();
    let app = app.ok_or_else(|| AppError::internal("no application"))?;
    let found = identify(&app, request.request()).await?;
    // A method that the route does not have.
    let Some(action) = action_of(request.method(), &pattern) else { return Ok(None) };
    if let Err(refusal) = found.actor.require(action) {
        tracing::warn!(
            event = "not-allowed",
            person = found.person.id.0,
            action = action.word(),
            path = request.path(),
            address = %app.origin.address(request.request()),
        );
        return Err(AppError::Refused(refusal));
    }
    if found.is_at_station() && is_fresh(request.method(), &pattern) {
        return Err(AppError::Refused(Refusal::NotAllowed(action)));
    }
    if found.lacks_second_factor() && action != Action::OwnAccount {
        // A script that asks for something by itself cannot go to another page.
        let is_by_script = request.method() == Method::GET && !is_page(request.request());
        return Err(if is_by_script {
            AppError::Refused(Refusal::NotAllowed(action))
        } else {
            AppError::SecondFactor
        });
    }
    Ok(Some((app, found)))
}
