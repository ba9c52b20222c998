//! Styles, scripts, fonts and icons, shipped inside the program.

use actix_web::http::header;
use actix_web::{HttpResponse, Responder, get, web};
use rust_embed::RustEmbed;
use sha2::{Digest as _, Sha256};
use std::sync::OnceLock;

#[derive(RustEmbed)]
#[folder = "assets"]
struct Assets;

/// Where the assets of this build are: the path changes with any of them, so browsers keep them for good.
pub(crate) fn base() -> &'static str {
    static BASE: OnceLock<String> = OnceLock::new();
    BASE.get_or_init(|| {
        let mut sum = Sha256::new();
        for path in Assets::iter() {
            if let Some(file) = Assets::get(&path) {
                sum.update(path.as_bytes());
                sum.update(file.metadata.sha256_hash());
            }
        }
        let hex: String = sum.finalize().iter().take(6).map(|byte| format!("{byte:02x}")).collect();
        format!("/assets/{hex}")
    })
}

/// Serves one asset.
#[get("/{build}/{path:.*}")]
pub(crate) async fn serve(place: web::Path<(String, String)>) -> impl Responder {
    let (build, path) = place.into_inner();
    let Some(file) = Assets::get(&path) else { return HttpResponse::NotFound().finish() };
    let kind = match path.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        _ => "application/octet-stream",
    };
    let keep = if base().ends_with(&build) { "public, max-age=31536000, immutable" } else { "no-cache" };
    HttpResponse::Ok()
        .insert_header((header::CONTENT_TYPE, kind))
        .insert_header((header::CACHE_CONTROL, keep))
        .body(file.data.into_owned())
}
