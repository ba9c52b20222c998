//! The server: middleware, sessions, routes.

use crate::app::App;
use crate::error::AppError;
use crate::origin::{Origin, ServeOptions};
use crate::request_span::RequestSpan;
use crate::session::DatabaseSessions;
use crate::{access, assets, bodies, error, guard, pages};
use actix_session::SessionMiddleware;
use actix_session::config::{CookieContentSecurity, PersistentSession, TtlExtensionPolicy};
use actix_web::cookie::{Key, SameSite};
use actix_web::dev::Server;
use actix_web::middleware::{Compress, DefaultHeaders, NormalizePath, TrailingSlash, from_fn};
use actix_web::{App as Actix, HttpServer, web};
use std::net::TcpListener;
use tracing_actix_web::TracingLogger;
use workshop::{STATION_SESSION, Workshop};

/// Everything comes from ourselves; nothing inline, no frame, no plug-in.
const POLICY: &str = "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; \
     form-action 'self'; frame-ancestors 'none'; report-uri /policy-report";
/// Nothing of the device is asked for.
const PERMISSIONS: &str = "camera=(), microphone=(), geolocation=(), payment=(), usb=(), serial=(), midi=()";
/// Connections of one worker at the same time.
const MOST_CONNECTIONS: usize = 2048;
/// How often what has expired is removed.
const SWEEP: std::time::Duration = std::time::Duration::from_hours(1);

/// Serves the application on a listener until it is stopped.
///
/// # Errors
/// When the listener cannot be used.
pub fn serve(workshop: Workshop, listener: TcpListener, options: &ServeOptions) -> std::io::Result<Server> {
    let origin = Origin::new(options, listener.local_addr()?);
    let is_https = origin.is_https();
    let workshop = workshop.with_passkeys_at(&origin.passkey_address());
    let app = web::Data::new(App::new(workshop.clone(), origin, options.timeouts, pages::table().collect()));
    let timeouts = options.timeouts;
    let stored = DatabaseSessions::new(workshop.clone());
    let behind = workshop.clone();
    tokio::spawn(async move { behind.mend_records().await });
    tokio::spawn(remove_what_expired(workshop));
    let server = HttpServer::new(move || {
        let sessions = SessionMiddleware::builder(stored.clone(), Key::generate_stable())
            // The prefix keeps another host of the same domain from planting one.
            .cookie_name(if is_https { "__Host-filamentum" } else { "filamentum" }.into())
            .cookie_http_only(true)
            .cookie_same_site(SameSite::Lax)
            .cookie_secure(is_https)
            .cookie_content_security(CookieContentSecurity::Signed)
            .session_lifecycle(
                PersistentSession::default()
                    .session_ttl(STATION_SESSION.idle)
                    .session_ttl_extension_policy(TtlExtensionPolicy::OnEveryRequest),
            )
            .build();
        Actix::new()
            .app_data(app.clone())
            // The intake has read it whole, and refused what is too large for its route.
            .app_data(web::FormConfig::default().limit(usize::MAX))
            .app_data(web::PayloadConfig::new(usize::MAX))
            .app_data(web::PathConfig::default().error_handler(|_, _| AppError::NotFound("page").into()))
            .app_data(web::QueryConfig::default().error_handler(|_, _| error::unknown_query().into()))
            .service(web::scope("/assets").service(assets::serve))
            .route("/healthz", web::get().to(pages::health))
            .service(
                web::scope("")
                    .wrap(from_fn(access::check))
                    .wrap(sessions)
                    .wrap(from_fn(guard::wait_for_turn))
                    .wrap(from_fn(bodies::read_bodies))
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
                    .add(("Permissions-Policy", PERMISSIONS))
                    .add(("Cross-Origin-Opener-Policy", "same-origin"))
                    .add(("Cross-Origin-Resource-Policy", "same-origin"))
                    .add(("Referrer-Policy", "same-origin")),
            )
            .wrap(from_fn(guard::guard))
            .wrap(TracingLogger::<RequestSpan>::new())
    })
    .workers(2)
    .client_request_timeout(timeouts.head)
    .client_disconnect_timeout(timeouts.head)
    .keep_alive(timeouts.rest)
    .max_connections(MOST_CONNECTIONS)
    // Else a compressed answer of several writes waits for the client's delayed acknowledgement, 40 ms.
    .tcp_nodelay(true)
    .shutdown_timeout(5);
    let server = match &options.certificate {
        Some(certificate) => server.listen_rustls_0_23(listener, certificate.config())?,
        None => server.listen(listener)?,
    };
    Ok(server.run())
}

/// Removes expired sessions and photos, now and by the clock.
async fn remove_what_expired(workshop: Workshop) {
    let mut clock = tokio::time::interval(SWEEP);
    loop {
        clock.tick().await;
        match workshop.remove_expired_sessions().await {
            Ok(0) => {}
            Ok(count) => tracing::info!(count, "removed expired sessions"),
            Err(error) => tracing::warn!(%error, "expired sessions stay for now"),
        }
        match workshop.empty_photo_bins().await {
            Ok(0) => {}
            Ok(count) => tracing::info!(count, "deleted photos that were removed a month ago"),
            Err(error) => tracing::warn!(%error, "removed photos stay for now"),
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
