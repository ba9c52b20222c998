//! Who is asking.

use crate::app::App;
use crate::error::AppError;
use crate::flash::{self, Flash};
use actix_session::{Session, SessionExt as _};
use actix_web::dev::Payload;
use actix_web::http::{Method, header};
use actix_web::{FromRequest, HttpMessage as _, HttpRequest, web};
use rand::RngExt as _;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::future::{Ready, ready};
use std::net::IpAddr;
use store::person::Person;
use store::station::Station;
use store::{PersonId, StationId};
use time::OffsetDateTime;
use workshop::{Actor, StartedSignIn, WorkshopSettings};

/// Where the winder of a run is told what to do.
const WINDER_COMMANDS: &str = "/runs/{id}/winder";
/// Names of what a session holds: whose it is, what it is called in lists, and where it was begun.
pub(crate) const PERSON: &str = "person";
pub(crate) const STATION: &str = "station";
pub(crate) const SESSION_ID: &str = "id";
pub(crate) const ADDRESS: &str = "address";
pub(crate) const AGENT: &str = "agent";
const TOKEN: &str = "token";
/// Whose password was right and whose code is still to come, and since when, seconds since 1970.
const PENDING: &str = "pending";
/// How long the code may take, seconds.
const PENDING_S: i64 = 300;
/// With so many wrong codes the password is asked for again.
const MOST_WRONG_CODES: u32 = 5;
/// Whose password was right, since when, and how many codes were wrong.
type Pending = (PersonId, i64, u32);
/// What a browser was asked for that makes or uses a passkey, and since when, seconds since 1970.
const PASSKEY: &str = "passkey";
/// What waits for a browser to come back from the provider of single sign-on, and since when.
const PROVIDER: &str = "provider";
/// Where it comes back to.
pub(crate) const PROVIDER_BACK: &str = "/sign-in/provider/back";
/// How long either may take, seconds.
const ASKED_S: i64 = 600;
/// Whether the person signed in with two factors.
const TWO_FACTORS: &str = "two-factors";
/// When a password, or what stands for one, was right last, seconds since 1970, and how long that holds.
const PROVEN: &str = "proven";
const PROVEN_S: i64 = 300;
/// When whoever stands at a station was active last, seconds since 1970.
const ACTIVE: &str = "active";
/// The time of the last activity is written down that often, seconds: not at every request.
const ACTIVE_STEP_S: i64 = 20;
/// Most letters of a browser's name that are kept.
const MOST_AGENT: usize = 200;

/// Someone signed in.
pub(crate) struct CurrentUser {
    /// The person.
    pub person: Person,
    /// As the use cases take them.
    pub actor: Actor,
    /// The settings of their workshop.
    pub settings: WorkshopSettings,
    /// The token that this session's forms carry.
    pub token: String,
    /// What the session is called in lists.
    pub session_id: String,
    /// The shared station that they stand at.
    pub station: Option<Station>,
    /// Whether nobody has touched that station for so long that it has to ask who stands there.
    pub is_resting: bool,
    /// A message for the page that is shown now.
    pub flash: Option<Flash>,
    /// The application.
    pub app: web::Data<App>,
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
    begin(session, request, address)?;
    session.insert(PERSON, person).map_err(AppError::internal)?;
    note_password(session)?;
    signed_in_token(session).map(|_| ())
}

/// Somebody on their way to the provider of single sign-on.
#[derive(Serialize, Deserialize)]
pub(crate) struct AtProvider {
    /// What was begun there.
    pub started: StartedSignIn,
    /// Where to go after.
    pub next: String,
    /// Who links themselves; nobody where somebody signs in.
    pub link: Option<PersonId>,
}

/// Notes what waits for an answer; the one before is forgotten.
fn put_asked<T: Serialize>(session: &Session, name: &str, what: T) -> Result<(), AppError> {
    session.insert(name, (what, now())).map_err(AppError::internal)
}

/// What waited for an answer, once.
fn take_asked<T: DeserializeOwned>(session: &Session, name: &str) -> Result<Option<T>, AppError> {
    let found = session.get::<(T, i64)>(name).map_err(AppError::internal)?;
    session.remove(name);
    Ok(found.filter(|(_, since)| now() - since <= ASKED_S).map(|(what, _)| what))
}

/// Notes what a browser's passkey is to answer.
pub(crate) fn await_passkey(session: &Session, kept: &str) -> Result<(), AppError> {
    put_asked(session, PASSKEY, kept)
}

/// What it was, once.
pub(crate) fn take_passkey(session: &Session) -> Result<Option<String>, AppError> {
    take_asked(session, PASSKEY)
}

/// Notes that a browser goes to the provider.
pub(crate) fn await_provider(session: &Session, at: &AtProvider) -> Result<(), AppError> {
    put_asked(session, PROVIDER, at)
}

/// What it went there for, once.
pub(crate) fn take_provider(session: &Session) -> Result<Option<AtProvider>, AppError> {
    take_asked(session, PROVIDER)
}

/// Whose the session is.
pub(crate) fn signed_in(session: &Session) -> Result<Option<PersonId>, AppError> {
    session.get(PERSON).map_err(AppError::internal)
}

/// What the session is called in lists.
pub(crate) fn session_id(session: &Session) -> Result<Option<String>, AppError> {
    session.get(SESSION_ID).map_err(AppError::internal)
}

/// Notes that the person signed in with two factors: a passkey counts as both, and a provider can require both.
pub(crate) fn note_second_factor(session: &Session) -> Result<(), AppError> {
    session.insert(TWO_FACTORS, true).map_err(AppError::internal)
}

/// Notes that whoever has the session has just shown who they are.
pub(crate) fn note_password(session: &Session) -> Result<(), AppError> {
    session.insert(PROVEN, now()).map_err(AppError::internal)
}

/// Whether they showed it within the last minutes.
pub(crate) fn is_proven(session: &Session) -> Result<bool, AppError> {
    let since = session.get::<i64>(PROVEN).map_err(AppError::internal)?;
    Ok(since.is_some_and(|since| now() - since <= PROVEN_S))
}

/// Notes whose password was right, until their code comes.
pub(crate) fn await_code(
    session: &Session,
    person: PersonId,
    request: &HttpRequest,
    address: IpAddr,
) -> Result<(), AppError> {
    begin(session, request, address)?;
    session.insert(PENDING, (person, now(), 0)).map_err(AppError::internal)
}

/// Notes a wrong code; the session ends with the fifth.
pub(crate) fn note_wrong_code(session: &Session) -> Result<(), AppError> {
    let found = session.get::<Pending>(PENDING).map_err(AppError::internal)?;
    match found {
        Some((person, since, wrong)) if wrong + 1 < MOST_WRONG_CODES => {
            session.insert(PENDING, (person, since, wrong + 1)).map_err(AppError::internal)
        }
        _ => {
            session.purge();
            Ok(())
        }
    }
}

/// Whose code is to come; `None` where none is, or it took too long.
pub(crate) fn awaited(session: &Session) -> Result<Option<PersonId>, AppError> {
    let found = session.get::<Pending>(PENDING).map_err(AppError::internal)?;
    Ok(found.filter(|(_, since, _)| now() - since <= PENDING_S).map(|(person, ..)| person))
}

/// Signs a tablet in as a shared station, with nobody standing at it yet.
pub(crate) fn sign_in_station(
    session: &Session,
    station: StationId,
    request: &HttpRequest,
    address: IpAddr,
) -> Result<(), AppError> {
    begin(session, request, address)?;
    session.insert(STATION, station).map_err(AppError::internal)
}

/// Puts a person at the session's station.
pub(crate) fn stand_at_station(session: &Session, person: PersonId) -> Result<(), AppError> {
    session.insert(PERSON, person).map_err(AppError::internal)?;
    session.insert(ACTIVE, now()).map_err(AppError::internal)?;
    // Forms of whoever stood here before are worth nothing.
    session.remove(TOKEN);
    signed_in_token(session).map(|_| ())
}

/// Leaves the station to whoever comes next.
pub(crate) fn leave_station(session: &Session) {
    session.remove(PERSON);
    session.remove(TOKEN);
}

/// The station that a session belongs to, until it is retired.
pub(crate) async fn station_of(app: &App, session: &Session) -> Result<Option<Station>, AppError> {
    match session.get::<StationId>(STATION).map_err(AppError::internal)? {
        Some(id) => Ok(app.workshop.station(id).await?),
        None => Ok(None),
    }
}

fn now() -> i64 {
    OffsetDateTime::now_utc().unix_timestamp()
}

/// Whether whoever stands at a station is still there; a page that is asked for or sent keeps them there, and what a page
/// asks for by itself does not.
fn is_still_there(session: &Session, is_deed: bool, rest_minutes: u32) -> Result<bool, AppError> {
    let active = session.get::<i64>(ACTIVE).map_err(AppError::internal)?.unwrap_or(0);
    let rest = now() - active;
    if rest > 60 * i64::from(rest_minutes) {
        return Ok(false);
    }
    if is_deed && rest > ACTIVE_STEP_S {
        session.insert(ACTIVE, now()).map_err(AppError::internal)?;
    }
    Ok(true)
}

/// A session that is somebody else's from here on.
fn begin(session: &Session, request: &HttpRequest, address: IpAddr) -> Result<(), AppError> {
    session.clear();
    session.renew();
    let agent = request.headers().get(header::USER_AGENT).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let agent: String = agent.chars().filter(|c| !c.is_control()).take(MOST_AGENT).collect();
    session.insert(SESSION_ID, random_token()).map_err(AppError::internal)?;
    session.insert(ADDRESS, address.to_string()).map_err(AppError::internal)?;
    session.insert(AGENT, agent).map_err(AppError::internal)
}

/// Whether a whole page is asked for, and not something for its script.
pub(crate) fn is_page(request: &HttpRequest) -> bool {
    let accepts = request.headers().get(header::ACCEPT).and_then(|v| v.to_str().ok());
    request.method() == Method::GET && accepts.is_some_and(|v| v.contains("text/html"))
}

/// Who a session belongs to, found once for each request.
#[derive(Clone)]
pub(crate) struct Identity {
    /// The person.
    pub person: Person,
    /// As the use cases take them.
    pub actor: Actor,
    /// The settings of their workshop.
    pub settings: WorkshopSettings,
    station: Option<Station>,
    is_resting: bool,
    /// Whether they showed two factors without one of ours.
    has_two_factors: bool,
}

impl Identity {
    /// Whether they stand at a shared station.
    pub(crate) fn is_at_station(&self) -> bool {
        self.station.is_some()
    }

    /// Whether they have to set a second factor before they go on.
    pub(crate) fn lacks_second_factor(&self) -> bool {
        let has_one = self.person.has_second_factor || self.has_two_factors || self.station.is_some();
        self.settings.second_factor_required && !has_one
    }
}

/// Finds who asks.
///
/// # Errors
/// [`AppError::SignIn`], or at a shared station [`AppError::Stand`], where nobody does.
pub(crate) async fn identify(app: &App, request: &HttpRequest) -> Result<Identity, AppError> {
    let session = request.get_session();
    let is_deed = is_page(request) || request.method() != Method::GET;
    // After signing in, a form's answer cannot be shown again: go to the page it came from.
    let next = if request.method() == Method::GET { request.uri().to_string() } else { "/".to_owned() };
    let station = station_of(app, &session).await?;
    let asked = if station.is_some() { AppError::Stand(next) } else { AppError::SignIn(next) };
    let Some(id) = session.get::<PersonId>(PERSON).map_err(AppError::internal)? else {
        return Err(asked);
    };
    let person = app.workshop.person(id).await.map_err(AppError::from)?;
    let Some(person) = person.filter(|p| p.disabled_at.is_none()) else { return Err(asked) };
    let settings = WorkshopSettings::from_person(&person);
    // A machine that runs is stopped by whoever stands there, and without a PIN first.
    let is_command = request.match_pattern().is_some_and(|pattern| pattern == WINDER_COMMANDS);
    let is_resting = station.is_some()
        && !is_still_there(&session, is_deed && !is_command, settings.station_rest_minutes)?;
    if is_resting && !is_command {
        return Err(asked);
    }
    let actor = if station.is_some() { Actor::at_station(&person) } else { Actor::from_person(&person) };
    let has_two_factors = session.get::<bool>(TWO_FACTORS).map_err(AppError::internal)?.unwrap_or(false);
    Ok(Identity { person, actor, settings, station, is_resting, has_two_factors })
}

impl FromRequest for CurrentUser {
    type Error = actix_web::Error;
    type Future = Ready<Result<Self, Self::Error>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        // Taken from the request's own extensions: it was found, and asked for its permission, before it came here.
        let identity = request.extensions().get::<Identity>().cloned();
        let user =
            identity.ok_or_else(|| AppError::internal("a page without a permission")).and_then(|found| {
                let session = request.get_session();
                let token = signed_in_token(&session)?.unwrap_or_default();
                // A session of an earlier version has no name: it could be neither listed nor ended.
                let session_id = session.get::<String>(SESSION_ID).map_err(AppError::internal)?;
                let session_id = session_id.ok_or_else(|| AppError::SignIn("/".to_owned()))?;
                let flash = if is_page(request) { flash::take(&session) } else { None };
                let Identity { person, actor, settings, station, is_resting, .. } = found;
                let app = request.app_data::<web::Data<App>>().cloned();
                let app = app.ok_or_else(|| AppError::internal("no application"))?;
                Ok(Self { person, actor, settings, token, session_id, station, is_resting, flash, app })
            });
        ready(user.map_err(Into::into))
    }
}
