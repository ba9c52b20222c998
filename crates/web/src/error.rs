//! The one boundary that decides what a person sees when something fails.

use crate::app::App;
use crate::assets;
use crate::intake::IntakeError;
use crate::refusal_text::{refusal_text, seconds_up};
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::{StatusCode, header};
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, ResponseError, web};
use askama::Template;
use rand::RngExt as _;
use thiserror::Error;
use workshop::Refusal;

/// Where a fault of our own comes from.
type Source = Box<dyn std::error::Error + Send + Sync>;

/// Why a page cannot be shown.
#[derive(Debug, Error)]
pub(crate) enum AppError {
    /// Not signed in; holds where to go after.
    #[error("sign in first")]
    SignIn(String),
    /// Nobody stands at this shared station; holds where to go after.
    #[error("say who stands here first")]
    Stand(String),
    /// The workshop asks everybody for a second factor, and this person has none yet.
    #[error("set a second factor first")]
    SecondFactor,
    /// There is no such thing.
    #[error("there is no such {0} here")]
    NotFound(&'static str),
    /// The form's token does not fit the session.
    #[error("this form is from an older sign-in")]
    StaleForm,
    /// What was sent is no such form, or holds something that no page of ours sends.
    #[error("{0}")]
    BadRequest(String),
    /// The use case refuses.
    #[error(transparent)]
    Refused(Refusal),
    /// The body of a form took too long to come in.
    #[error("the body took too long")]
    SlowBody,
    /// The body is larger than the route takes, bytes.
    #[error("the body is larger than {0} bytes")]
    TooLarge(usize),
    /// Too many bodies from one address are still coming in.
    #[error("too many unfinished bodies")]
    TooManyBodies,
    /// More is asked for than can be answered just now.
    #[error("busy")]
    Busy,
    /// The database does not answer.
    #[error("the database does not answer")]
    DatabaseAway(#[source] Refusal),
    /// A fault of our own.
    #[error("internal fault")]
    Internal(#[source] Source),
}

impl AppError {
    /// A fault of our own, with where it comes from.
    pub(crate) fn internal(source: impl Into<Source>) -> Self {
        Self::Internal(source.into())
    }
}

impl From<Refusal> for AppError {
    fn from(refusal: Refusal) -> Self {
        match refusal {
            Refusal::NotFound(what) => Self::NotFound(what),
            away @ Refusal::DatabaseAway(_) => {
                tracing::error!(error = &away as &dyn std::error::Error, "the database does not answer");
                Self::DatabaseAway(away)
            }
            fault @ (Refusal::Storage(_)
            | Refusal::Task(_)
            | Refusal::Interrupted
            | Refusal::Encoding(_)
            | Refusal::Sound(_)) => Self::internal(fault),
            refusal => {
                if matches!(refusal, Refusal::DiskFull(_)) {
                    tracing::error!(error = &refusal as &dyn std::error::Error, "the disk is full");
                }
                Self::Refused(refusal)
            }
        }
    }
}

impl From<IntakeError> for AppError {
    fn from(error: IntakeError) -> Self {
        match error {
            IntakeError::TooLarge(most) => Self::TooLarge(most),
            IntakeError::TooMany => Self::TooManyBodies,
            IntakeError::Full => Self::Busy,
            IntakeError::Slow => Self::SlowBody,
            IntakeError::Broken(why) => Self::BadRequest(why),
        }
    }
}

impl From<actix_web::error::BlockingError> for AppError {
    fn from(error: actix_web::error::BlockingError) -> Self {
        Self::internal(error)
    }
}

impl From<serde_json::Error> for AppError {
    fn from(error: serde_json::Error) -> Self {
        Self::internal(error)
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    assets: &'a str,
    title: &'a str,
    text: &'a str,
    id: Option<String>,
}

impl ResponseError for AppError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::SignIn(_) | Self::Stand(_) | Self::SecondFactor => StatusCode::SEE_OTHER,
            Self::NotFound(_) => StatusCode::NOT_FOUND,
            Self::StaleForm | Self::Refused(Refusal::NotAllowed(_)) => StatusCode::FORBIDDEN,
            Self::BadRequest(_) => StatusCode::BAD_REQUEST,
            Self::Refused(Refusal::TooManyAttempts { .. } | Refusal::TooManyAtOnce(_)) => {
                StatusCode::TOO_MANY_REQUESTS
            }
            Self::Refused(Refusal::DiskFull(_)) => StatusCode::INSUFFICIENT_STORAGE,
            Self::Refused(_) => StatusCode::CONFLICT,
            Self::SlowBody => StatusCode::REQUEST_TIMEOUT,
            Self::TooLarge(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::TooManyBodies => StatusCode::TOO_MANY_REQUESTS,
            Self::Busy | Self::DatabaseAway(_) => StatusCode::SERVICE_UNAVAILABLE,
            Self::Internal(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse<BoxBody> {
        if let Self::SignIn(next) | Self::Stand(next) = self {
            let page = if matches!(self, Self::Stand(_)) { "/station" } else { "/sign-in" };
            let to = format!("{page}?next={}", encode(next));
            return HttpResponse::SeeOther().insert_header((header::LOCATION, to)).finish();
        }
        if matches!(self, Self::SecondFactor) {
            return HttpResponse::SeeOther()
                .insert_header((header::LOCATION, "/account/second-factor"))
                .finish();
        }
        let mut id = None;
        let (title, text) = match self {
            Self::NotFound(what) => (
                "Not found",
                format!("There is no such {what} in this workshop. It may belong to another one, or the address is wrong."),
            ),
            Self::StaleForm => (
                "This form is too old",
                "You signed in again after this form was opened. Go back, load the page once more and send it again; what you typed is still there.".into(),
            ),
            Self::BadRequest(what) => ("This request cannot be read", what.clone()),
            Self::Refused(refusal @ Refusal::NotAllowed(_)) => ("You do not have permission for this", refusal_text(refusal)),
            Self::Refused(refusal @ Refusal::Unreadable { .. }) => ("This record cannot be read", refusal_text(refusal)),
            Self::Refused(refusal @ Refusal::DiskFull(_)) => ("The disk is full", refusal_text(refusal)),
            Self::Refused(refusal) => ("Not done", refusal_text(refusal)),
            Self::TooLarge(most) => ("This is too large", format!("Up to {} are taken here. Nothing of it was written.", bytes(*most))),
            Self::TooManyBodies => (
                "Busy",
                "Too many forms from your address are still coming in. Nothing of what you sent was written; send it again in a minute.".into(),
            ),
            Self::SlowBody => ("This took too long", "The form did not come in completely. Send it again.".into()),
            Self::Busy => (
                "Busy",
                "More is asked for just now than can be answered. Nothing of what you sent was written; send it again in a few seconds.".into(),
            ),
            Self::DatabaseAway(_) => (
                "The database does not answer",
                "Nothing of what you sent was written. Wait a moment, then load the page again; drafts stay in this browser.".into(),
            ),
            Self::SignIn(_) | Self::Stand(_) | Self::SecondFactor | Self::Internal(_) => {
                let number: u32 = rand::rng().random();
                let name = format!("{number:08x}");
                tracing::error!(error = self as &dyn std::error::Error, id = name, "internal fault");
                id = Some(name);
                ("Something failed on our side", "It is written down in the log under the number below. Nothing was half saved.".into())
            }
        };
        let page = ErrorPage { assets: assets::base(), title, text: &text, id };
        let mut response = HttpResponse::build(self.status_code());
        if matches!(self, Self::Busy | Self::TooManyBodies | Self::DatabaseAway(_)) {
            response.insert_header((header::RETRY_AFTER, "5"));
        }
        if let Self::Refused(Refusal::TooManyAttempts { retry_after }) = self {
            response.insert_header((header::RETRY_AFTER, seconds_up(*retry_after).to_string()));
        }
        if matches!(self, Self::Refused(Refusal::TooManyAtOnce(_))) {
            response.insert_header((header::RETRY_AFTER, "1"));
        }
        let code = match self {
            Self::Refused(refusal) => Some(refusal.code()),
            Self::Busy | Self::TooManyBodies => Some("busy"),
            Self::TooLarge(_) => Some("too-large"),
            Self::DatabaseAway(_) => Some("database-away"),
            _ => None,
        };
        if let Some(code) = code {
            response.insert_header(("Filamentum-Code", code));
        }
        response.content_type("text/html; charset=utf-8").body(page.render().unwrap_or_else(|_| text.clone()))
    }
}

/// An address whose part after the question mark cannot be read.
pub(crate) fn unknown_query() -> AppError {
    AppError::BadRequest(
        "What stands after the question mark in this address cannot be read. Go to the page by the menu."
            .into(),
    )
}

/// A size as people read it.
fn bytes(count: usize) -> String {
    match count >> 20 {
        0 => format!("{} kB", count >> 10),
        megabytes => format!("{megabytes} MB"),
    }
}

fn encode(path: &str) -> String {
    path.bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"/-_.".contains(&b) {
                (b as char).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect()
}

/// Turns failures below (a session that could not be loaded, for one) into a page of ours: when the
/// database does not answer either, that is what the person is told.
pub(crate) async fn boundary(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let app = request.app_data::<web::Data<App>>().cloned();
    match next.call(request).await {
        Ok(response) => {
            let unknown = response.status() == StatusCode::INTERNAL_SERVER_ERROR
                && response.response().error().is_some_and(|e| e.as_error::<AppError>().is_none());
            let response = response.map_into_boxed_body();
            if unknown {
                let error = explain(app, "a session could not be read or written").await;
                let (request, _) = response.into_parts();
                return Ok(ServiceResponse::new(request, error.error_response()));
            }
            Ok(response)
        }
        Err(error) if error.as_error::<AppError>().is_some() => Err(error),
        Err(error) if error.as_response_error().status_code() == StatusCode::INTERNAL_SERVER_ERROR => {
            Err(explain(app, &error.to_string()).await.into())
        }
        Err(error) => Err(error),
    }
}

async fn explain(app: Option<web::Data<App>>, what: &str) -> AppError {
    match app {
        Some(app) => match app.workshop.ping().await {
            Err(away @ Refusal::DatabaseAway(_)) => AppError::DatabaseAway(away),
            _ => AppError::internal(what.to_owned()),
        },
        None => AppError::internal(what.to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::time::Duration;
    use store::StoreError;
    use trade::traveller::SigningRefusal;
    use trade::verdict::Level;
    use workshop::Action;

    fn header(response: &HttpResponse<BoxBody>, name: &str) -> String {
        let value = response.headers().get(name);
        value.and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned()
    }

    #[rstest]
    #[case(Refusal::NotFound("run"), 404, "")]
    #[case(Refusal::NotAllowed(Action::BackUp), 403, "not-allowed")]
    #[case(Refusal::RunClosed, 409, "run-closed")]
    #[case(Refusal::ReadingSuperseded, 409, "reading-superseded")]
    #[case(Refusal::VerdictHoldsSigning(Level::Stop), 409, "verdict-holds-signing")]
    #[case(Refusal::NotSigned(SigningRefusal::Unknown), 409, "not-signed")]
    #[case(Refusal::SpoolTooShort { left_m: 400.0, needed_m: 980.0 }, 409, "spool-too-short")]
    #[case(Refusal::NotPredictable(Vec::new()), 409, "not-predictable")]
    #[case(Refusal::TooCostly { needed_s: 48.0, most_s: 10.0, place: "metal[3]".into() }, 409, "too-costly")]
    #[case(Refusal::AdjustmentOutOfRange, 409, "adjustment-out-of-range")]
    #[case(Refusal::TooManyJobs, 409, "too-many-jobs")]
    #[case(Refusal::NotOneOfEachCoil, 409, "not-one-of-each-coil")]
    #[case(Refusal::CoilInAnotherSet, 409, "coil-in-another-set")]
    #[case(Refusal::UnusableOrder(Vec::new()), 409, "unusable-order")]
    #[case(Refusal::NotSchedulable(Vec::new()), 409, "not-schedulable")]
    #[case(Refusal::NotItsTurn, 409, "not-its-turn")]
    #[case(Refusal::PinCannotHold, 409, "pin-cannot-hold")]
    #[case(Refusal::UnusableOutage("until"), 409, "unusable-outage")]
    #[case(Refusal::NotAPicture, 409, "not-a-picture")]
    #[case(Refusal::TooManyPhotos, 409, "too-many-photos")]
    #[case(Refusal::ExperimentClosed, 409, "experiment-closed")]
    #[case(Refusal::InUse("spool"), 409, "in-use")]
    #[case(Refusal::ListeningScored, 409, "listening-scored")]
    #[case(Refusal::ListeningKeySeen, 409, "listening-key-seen")]
    #[case(Refusal::NotComparable, 409, "not-comparable")]
    #[case(Refusal::NoFamily(coil::search::FamilyError::Empty), 409, "no-family")]
    #[case(Refusal::NoCalibration, 409, "no-calibration")]
    #[case(Refusal::AddressNotAllowed("10.0.0.1".into()), 409, "address-not-allowed")]
    #[case(Refusal::ImpossibleReading { kind: trade::reading::Kind::Resistance, value: -5.0 }, 409, "impossible-reading")]
    #[case(Refusal::CoilTemperatureUnknown, 409, "coil-temperature-unknown")]
    #[case(Refusal::NotSimulated, 409, "not-simulated")]
    #[case(Refusal::LastOwner, 409, "last-owner")]
    #[case(Refusal::WrongSetUpCode, 409, "wrong-set-up-code")]
    #[case(Refusal::UnusableSignIn, 409, "unusable-sign-in")]
    #[case(Refusal::UnusableName, 409, "unusable-name")]
    #[case(Refusal::UnusablePin, 409, "unusable-pin")]
    #[case(Refusal::WrongPin, 409, "wrong-pin")]
    #[case(Refusal::WrongCode, 409, "wrong-code")]
    #[case(Refusal::SecondFactorSet, 409, "second-factor-set")]
    #[case(Refusal::WrongPassword, 409, "wrong-password")]
    #[case(Refusal::PasskeysOff, 409, "passkeys-off")]
    #[case(Refusal::TooManyPasskeys, 409, "too-many-passkeys")]
    #[case(Refusal::WrongPasskey(String::new()), 409, "wrong-passkey")]
    #[case(Refusal::SingleSignOnOff, 409, "single-sign-on-off")]
    #[case(Refusal::ProviderAway(String::new()), 409, "provider-away")]
    #[case(Refusal::NotProven(String::new()), 409, "not-proven")]
    #[case(Refusal::NoRole, 409, "no-role")]
    #[case(Refusal::SeveralWorkshops, 409, "several-workshops")]
    #[case(Refusal::IdentityTaken, 409, "identity-taken")]
    #[case(Refusal::AlreadySetUp, 409, "already-set-up")]
    #[case(Refusal::Unreadable { what: "order", detail: "cut".into() }, 409, "unreadable")]
    #[case(Refusal::Backup("cut".into()), 409, "backup")]
    #[case(Refusal::UnusableNetwork(instruments::network::NetworkError::Forbidden), 409, "unusable-network")]
    #[case(Refusal::DatabaseAway(StoreError::Away(sqlx::Error::PoolTimedOut)), 503, "database-away")]
    #[case(Refusal::DiskFull(StoreError::DiskFull(sqlx::Error::RowNotFound)), 507, "disk-full")]
    #[case(Refusal::Interrupted, 500, "")]
    #[case(Refusal::Sound("no sound".into()), 500, "")]
    #[case(Refusal::Storage(StoreError::NotEmpty), 500, "")]
    fn a_refusal_has_its_status_and_its_code(
        #[case] refusal: Refusal,
        #[case] status: u16,
        #[case] code: &str,
    ) {
        let response = AppError::from(refusal).error_response();
        assert_eq!(response.status().as_u16(), status);
        assert_eq!(header(&response, "Filamentum-Code"), code);
        assert!(header(&response, "Content-Type").starts_with("text/html"));
    }

    /// Whoever is to wait is told for how long, rounded up so that coming back then is not too soon.
    #[test]
    fn waiting_is_told_in_seconds() {
        let after = |millis| Refusal::TooManyAttempts { retry_after: Duration::from_millis(millis) };
        for (millis, told) in [(1, "1"), (1000, "1"), (1001, "2"), (59_400, "60")] {
            let response = AppError::from(after(millis)).error_response();
            assert_eq!((response.status().as_u16(), header(&response, "Retry-After").as_str()), (429, told));
        }
        let busy = AppError::Busy.error_response();
        assert_eq!((busy.status().as_u16(), header(&busy, "Retry-After").as_str()), (503, "5"));
        assert_eq!(header(&busy, "Filamentum-Code"), "busy");
        let busy = AppError::from(Refusal::TooManyAtOnce("streams")).error_response();
        assert_eq!((busy.status().as_u16(), header(&busy, "Retry-After").as_str()), (429, "1"));
    }

    #[test]
    fn whoever_is_not_signed_in_is_sent_there_and_back() {
        let to = |error: AppError| header(&error.error_response(), "Location");
        assert_eq!(to(AppError::SignIn("/runs/3?a=b&c".into())), "/sign-in?next=/runs/3%3Fa%3Db%26c");
        assert_eq!(to(AppError::Stand("/runs/3/station".into())), "/station?next=/runs/3/station");
        assert_eq!(to(AppError::SecondFactor), "/account/second-factor");
    }

    /// A fault of our own says nothing of its insides, only the number under which the log has it.
    #[actix_web::test]
    async fn a_fault_of_our_own_shows_a_number_alone() {
        let response = AppError::internal("the password is otter").error_response();
        assert_eq!(response.status().as_u16(), 500);
        let body = actix_web::body::to_bytes(response.into_body()).await.unwrap_or_default();
        let text = String::from_utf8_lossy(&body);
        assert!(!text.contains("otter") && text.contains("under the number"), "{text}");
    }
}
