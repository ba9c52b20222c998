//! Who asks, and whether they may: found before anything of the request is read.

use crate::app::App;
use crate::current_user::{Identity, identify, is_page};
use crate::error::AppError;
use crate::route_table::Access;
use crate::{bodies, password};
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::middleware::Next;
use actix_web::{Error, HttpMessage as _, ResponseError as _, web};
use workshop::{Action, Refusal};

/// Finds who asks and whether they may, before anything of the request is read.
pub(crate) async fn check(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let memory = match may(&request).await {
        Ok(Some((app, identity, access))) => {
            workshop::asked_by(identity.person.id);
            if matches!(access, Access::Fresh(_))
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

/// Who asks and what the route asks of them, where it asks for somebody.
async fn may(request: &ServiceRequest) -> Result<Option<(web::Data<App>, Identity, Access)>, AppError> {
    // Where there is no route at all, the answer is that there is no such page.
    let Some(pattern) = request.match_pattern() else { return Ok(None) };
    let app = request.app_data::<web::Data<App>>().cloned();
    let app = app.ok_or_else(|| AppError::internal("no application"))?;
    let access = app.routes.access(request.method(), &pattern);
    if access == Some(Access::Open) {
        return Ok(None);
    }
    let found = identify(&app, request.request()).await?;
    // A method that the route does not have.
    let Some((access, action)) = access.and_then(|access| Some((access, access.action()?))) else {
        return Ok(None);
    };
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
    if found.is_at_station() && matches!(access, Access::Fresh(_)) {
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
    Ok(Some((app, found, access)))
}
