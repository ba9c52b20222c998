//! Who is asking.

use crate::app::App;
use crate::error::AppError;
use crate::flash::{self, Flash};
use actix_session::{Session, SessionExt as _};
use actix_web::dev::Payload;
use actix_web::http::{Method, header};
use actix_web::{FromRequest, HttpRequest, web};
use rand::RngExt as _;
use std::future::Future;
use std::net::IpAddr;
use std::pin::Pin;
use store::PersonId;
use store::person::Person;
use workshop::Actor;

/// Names of what a session holds: whose it is, what it is called in lists, and where it was begun.
pub(crate) const PERSON: &str = "person";
pub(crate) const SESSION_ID: &str = "id";
pub(crate) const ADDRESS: &str = "address";
pub(crate) const AGENT: &str = "agent";
const TOKEN: &str = "token";
/// Most letters of a browser's name that are kept.
const MOST_AGENT: usize = 200;

/// Someone signed in.
pub(crate) struct CurrentUser {
    /// The person.
    pub person: Person,
    /// As the use cases take them.
    pub actor: Actor,
    /// The token that this session's forms carry.
    pub token: String,
    /// What the session is called in lists.
    pub session_id: String,
    /// A message for the page that is shown now.
    pub flash: Option<Flash>,
}

/// 128 random bits in hexadecimal.
pub(crate) fn random_token() -> String {
    let bits: u128 = rand::rng().random();
    format!("{bits:032x}")
}

/// The token that forms of someone signed in carry; `None` where nobody is.
pub(crate) fn signed_in_token(session: &Session) -> Result<Option<String>, AppError> {
    if session.get::<PersonId>(PERSON).map_err(AppError::internal)?.is_none() {
        return Ok(None);
    }
    if let Some(found) = session.get::<String>(TOKEN).map_err(AppError::internal)? {
        return Ok(Some(found));
    }
    let made = random_token();
    session.insert(TOKEN, &made).map_err(AppError::internal)?;
    Ok(Some(made))
}

/// Signs a person in: a new session name, so that one planted before is worth nothing.
pub(crate) fn sign_in(
    session: &Session,
    person: PersonId,
    request: &HttpRequest,
    address: IpAddr,
) -> Result<(), AppError> {
    session.clear();
    session.renew();
    let agent = request.headers().get(header::USER_AGENT).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let agent: String = agent.chars().filter(|c| !c.is_control()).take(MOST_AGENT).collect();
    session.insert(PERSON, person).map_err(AppError::internal)?;
    session.insert(SESSION_ID, random_token()).map_err(AppError::internal)?;
    session.insert(ADDRESS, address.to_string()).map_err(AppError::internal)?;
    session.insert(AGENT, agent).map_err(AppError::internal)?;
    signed_in_token(session).map(|_| ())
}

/// Whether a whole page is asked for, and not something for its script.
fn is_page(request: &HttpRequest) -> bool {
    let accepts = request.headers().get(header::ACCEPT).and_then(|v| v.to_str().ok());
    request.method() == Method::GET && accepts.is_some_and(|v| v.contains("text/html"))
}

impl FromRequest for CurrentUser {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let app = request.app_data::<web::Data<App>>().cloned();
        let is_page = is_page(request);
        // After signing in, a form's answer cannot be shown again: go to the page it came from.
        let next = if request.method() == Method::GET { request.uri().to_string() } else { "/".to_owned() };
        Box::pin(async move {
            let app = app.ok_or_else(|| AppError::internal("the application is not set up"))?;
            let Some(id) = session.get::<PersonId>(PERSON).map_err(AppError::internal)? else {
                return Err(AppError::SignIn(next).into());
            };
            let person = app.workshop.person(id).await.map_err(AppError::from)?;
            let person = person.ok_or(AppError::SignIn(next))?;
            let token = signed_in_token(&session)?.unwrap_or_default();
            // A session of an earlier version has no name: it could be neither listed nor ended.
            let session_id = session.get::<String>(SESSION_ID).map_err(AppError::internal)?;
            let session_id = session_id.ok_or_else(|| AppError::SignIn("/".to_owned()))?;
            let flash = if is_page { flash::take(&session) } else { None };
            let actor = Actor { person: person.id, workshop: person.workshop_id };
            Ok(Self { person, actor, token, session_id, flash })
        })
    }
}
