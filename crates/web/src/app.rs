//! Putting the application together.

use crate::calibrations::Calibrations;
use crate::jobs::Jobs;
use crate::prediction_cache::PredictionCache;
use crate::session::DatabaseSessions;
use crate::winder_link::WinderLinks;
use crate::{assets, error, pages};
use actix_session::SessionMiddleware;
use actix_session::config::{PersistentSession, TtlExtensionPolicy};
use actix_web::cookie::{Key, SameSite, time::Duration};
use actix_web::dev::Server;
use actix_web::middleware::{Compress, DefaultHeaders, NormalizePath, TrailingSlash, from_fn};
use actix_web::{App as Actix, HttpServer, web};
use governor::clock::DefaultClock;
use governor::state::keyed::DefaultKeyedStateStore;
use governor::{Quota, RateLimiter};
use std::net::TcpListener;
use std::num::NonZeroU32;
use store::{RunId, Store};
use tracing_actix_web::TracingLogger;

/// What every handler can reach.
pub struct App {
    /// The database.
    pub store: Store,
    /// Long work under way.
    pub(crate) jobs: Jobs,
    /// Links between runs and their winders.
    pub(crate) winders: WinderLinks,
    /// PredictionCache, the last of them kept.
    pub(crate) predictions: PredictionCache,
    /// What runs have taught.
    pub(crate) calibrations: Calibrations,
    /// Attempts to sign in, by name and by address.
    pub(crate) attempts: RateLimiter<String, DefaultKeyedStateStore<String>, DefaultClock>,
}

impl App {
    /// An application on a store.
    pub fn new(store: Store) -> Self {
        let a_minute = NonZeroU32::new(10).unwrap_or(NonZeroU32::MIN);
        Self {
            store,
            jobs: Jobs::default(),
            winders: WinderLinks::default(),
            predictions: PredictionCache::default(),
            calibrations: Calibrations::default(),
            attempts: RateLimiter::keyed(Quota::per_minute(a_minute)),
        }
    }
}

/// Everything comes from ourselves; nothing inline, no frame, no plug-in.
const POLICY: &str = "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; \
     form-action 'self'; frame-ancestors 'none'";

/// Serves the application on a listener until it is stopped.
///
/// # Errors
/// When the listener cannot be used.
pub fn serve(store: Store, listener: TcpListener) -> std::io::Result<Server> {
    let app = web::Data::new(App::new(store.clone()));
    tokio::spawn(catch_up(app.clone()));
    let server = HttpServer::new(move || {
        let sessions =
            SessionMiddleware::builder(DatabaseSessions::new(store.clone()), Key::generate_stable())
                .cookie_name("filamentum".into())
                .cookie_http_only(true)
                .cookie_same_site(SameSite::Lax)
                // Loopback and a workshop's own network speak plain HTTP; a proxy that adds TLS may set it.
                .cookie_secure(false)
                .cookie_content_security(actix_session::config::CookieContentSecurity::Signed)
                .session_lifecycle(
                    PersistentSession::default()
                        .session_ttl(Duration::days(30))
                        .session_ttl_extension_policy(TtlExtensionPolicy::OnStateChanges),
                )
                .build();
        Actix::new()
            .app_data(app.clone())
            .app_data(web::PayloadConfig::new(1 << 20))
            // A whole notebook comes in one form.
            .app_data(web::FormConfig::default().limit(12 << 20))
            .service(web::scope("/assets").wrap(Compress::default()).service(assets::serve))
            .route("/healthz", web::get().to(pages::health))
            .service(
                web::scope("")
                    .wrap(sessions)
                    .wrap(from_fn(error::boundary))
                    .wrap(Compress::default())
                    .wrap(DefaultHeaders::new().add(("Cache-Control", "no-store")))
                    .configure(pages::routes),
            )
            .wrap(NormalizePath::new(TrailingSlash::Trim))
            .wrap(
                DefaultHeaders::new()
                    .add(("Content-Security-Policy", POLICY))
                    .add(("X-Content-Type-Options", "nosniff"))
                    .add(("Referrer-Policy", "same-origin")),
            )
            .wrap(TracingLogger::default())
    })
    .workers(2)
    .shutdown_timeout(5)
    .listen(listener)?
    .run();
    Ok(server)
}

/// Writes the logbook's lines of runs of before there were lines, behind the pages.
async fn catch_up(app: web::Data<App>) {
    let mut after = RunId(0);
    loop {
        let some = match app.store.runs_without_summary(after).await {
            Ok(some) if !some.is_empty() => some,
            _ => return,
        };
        for (workshop, id) in some {
            // One that cannot be read is passed over.
            after = id;
            if let Err(error) = pages::runs::write_summary(&app, workshop, id).await {
                tracing::warn!(%error, run = id.0, "this run has no line in the logbook");
            }
            app.calibrations.soon(&app.store, workshop);
        }
    }
}

/// The key that signs session cookies.
///
/// The cookie holds nothing but a random 256-bit name whose hash the table knows, so the signature adds
/// no secrecy; one key per process would sign everyone out at each restart.
trait StableKey {
    fn generate_stable() -> Key;
}

impl StableKey for Key {
    fn generate_stable() -> Key {
        Key::derive_from(b"filamentum: the session's random name is the secret, see DbSessions")
    }
}
