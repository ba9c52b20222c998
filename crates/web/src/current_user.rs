//! Who is asking.

use crate::app::App;
use crate::error::AppError;
use actix_session::{Session, SessionExt as _};
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use rand::RngExt as _;
use std::future::Future;
use std::pin::Pin;
use store::person::Person;
use store::{PersonId, WorkshopId};

const PERSON: &str = "person";
const TOKEN: &str = "token";

/// Someone signed in.
pub struct CurrentUser {
    /// The person.
    pub person: Person,
    /// The token that this session's forms carry.
    pub token: String,
}

impl CurrentUser {
    /// The visitor's workshop.
    pub fn workshop(&self) -> WorkshopId {
        self.person.workshop_id
    }
}

fn internal(error: impl std::fmt::Display) -> AppError {
    AppError::Internal(error.to_string())
}

/// The token that forms of a session carry; made when the session has none.
pub fn token(session: &Session) -> Result<String, AppError> {
    if let Some(found) = session.get::<String>(TOKEN).map_err(internal)? {
        return Ok(found);
    }
    let bits: u128 = rand::rng().random();
    let made = format!("{bits:032x}");
    session.insert(TOKEN, &made).map_err(internal)?;
    Ok(made)
}

/// Signs a person in: a new session name, so that one planted before is worth nothing.
pub fn sign_in(session: &Session, person: PersonId) -> Result<(), AppError> {
    session.clear();
    session.renew();
    session.insert(PERSON, person).map_err(internal)?;
    token(session).map(|_| ())
}

impl FromRequest for CurrentUser {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let app = request.app_data::<web::Data<App>>().cloned();
        // After signing in, a form's answer cannot be shown again: go to the page it came from.
        let next = if request.method() == actix_web::http::Method::GET {
            request.uri().to_string()
        } else {
            "/".to_owned()
        };
        Box::pin(async move {
            let app = app.ok_or_else(|| AppError::Internal("the application is not set up".into()))?;
            let Some(id) = session.get::<PersonId>(PERSON).map_err(internal)? else {
                return Err(AppError::SignIn(next).into());
            };
            let person = app.store.person(id).await.map_err(AppError::from)?;
            let person = person.ok_or(AppError::SignIn(next))?;
            Ok(Self { person, token: token(&session)? })
        })
    }
}
