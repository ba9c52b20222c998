//! The server: middleware, sessions, routes.

use crate::app::App;
use crate::session::DatabaseSessions;
use crate::{assets, error, pages};
use actix_session::SessionMiddleware;
use actix_session::config::{CookieContentSecurity, PersistentSession, TtlExtensionPolicy};
use actix_web::cookie::{Key, SameSite, time::Duration};
use actix_web::dev::Server;
use actix_web::middleware::{Compress, DefaultHeaders, NormalizePath, TrailingSlash, from_fn};
use actix_web::{App as Actix, HttpServer, web};
use std::net::TcpListener;
use tracing_actix_web::TracingLogger;
use workshop::Workshop;

/// Everything comes from ourselves; nothing inline, no frame, no plug-in.
const POLICY: &str = "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; \
     form-action 'self'; frame-ancestors 'none'";
/// How often expired sessions are removed.
const SESSION_SWEEP: std::time::Duration = std::time::Duration::from_hours(1);

/// Serves the application on a listener until it is stopped.
///
/// # Errors
/// When the listener cannot be used.
pub fn serve(workshop: Workshop, listener: TcpListener) -> std::io::Result<Server> {
    let app = web::Data::new(App::new(workshop.clone()));
    let behind = workshop.clone();
    tokio::spawn(async move { behind.write_missing_summaries().await });
    tokio::spawn(remove_expired_sessions(workshop.clone()));
    let server = HttpServer::new(move || {
        let sessions =
            SessionMiddleware::builder(DatabaseSessions::new(workshop.clone()), Key::generate_stable())
                .cookie_name("filamentum".into())
                .cookie_http_only(true)
                .cookie_same_site(SameSite::Lax)
                // Loopback and a workshop's own network speak plain HTTP; a proxy that adds TLS may set it.
                .cookie_secure(false)
                .cookie_content_security(CookieContentSecurity::Signed)
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

/// Removes expired sessions, now and by the clock.
async fn remove_expired_sessions(workshop: Workshop) {
    let mut clock = tokio::time::interval(SESSION_SWEEP);
    loop {
        clock.tick().await;
        match workshop.remove_expired_sessions().await {
            Ok(0) => {}
            Ok(count) => tracing::info!(count, "removed expired sessions"),
            Err(error) => tracing::warn!(%error, "expired sessions stay for now"),
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
