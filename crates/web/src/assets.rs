//! Styles, scripts, fonts and icons, shipped inside the program.

use actix_web::http::header::{self, ContentEncoding};
use actix_web::{HttpRequest, HttpResponse, Responder, get, web};
use flate2::Compression;
use flate2::write::GzEncoder;
use rust_embed::RustEmbed;
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use std::io::Write as _;
use std::sync::{Mutex, OnceLock, PoisonError};

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

/// A text as gzip, compressed when it is asked for first, as hard as it goes.
fn compressed(path: &str, text: &[u8]) -> std::io::Result<web::Bytes> {
    static KEPT: OnceLock<Mutex<HashMap<String, web::Bytes>>> = OnceLock::new();
    let mut kept = KEPT.get_or_init(Mutex::default).lock().unwrap_or_else(PoisonError::into_inner);
    let key = format!("{}/{path}", base());
    let make = || {
        let mut writer = GzEncoder::new(Vec::new(), Compression::best());
        writer.write_all(text).and_then(|()| writer.finish()).map(web::Bytes::from)
    };
    if let Some(found) = kept.get(&key) {
        return Ok(found.clone());
    }
    let made = make()?;
    kept.insert(key, made.clone());
    Ok(made)
}

/// Serves one asset.
#[get("/{build}/{path:.*}")]
pub(crate) async fn serve(place: web::Path<(String, String)>, request: HttpRequest) -> impl Responder {
    let (build, path) = place.into_inner();
    let Some(file) = Assets::get(&path) else { return HttpResponse::NotFound().finish() };
    let (kind, is_text) = match path.rsplit('.').next() {
        Some("css") => ("text/css; charset=utf-8", true),
        Some("js") => ("text/javascript; charset=utf-8", true),
        Some("svg") => ("image/svg+xml", true),
        Some("woff2") => ("font/woff2", false),
        _ => ("application/octet-stream", false),
    };
    let keep = if base().ends_with(&build) { "public, max-age=31536000, immutable" } else { "no-cache" };
    let accepted = request.headers().get(header::ACCEPT_ENCODING).and_then(|accepted| accepted.to_str().ok());
    let takes_gzip = accepted.is_some_and(|all| all.split(',').any(|one| one.trim().starts_with("gzip")));
    let mut answer = HttpResponse::Ok();
    answer
        .insert_header((header::CONTENT_TYPE, kind))
        .insert_header((header::CACHE_CONTROL, keep))
        .insert_header((header::VARY, "Accept-Encoding"));
    let smaller = (is_text && takes_gzip).then(|| compressed(&path, &file.data));
    match smaller {
        Some(Ok(smaller)) => answer.insert_header(ContentEncoding::Gzip).body(smaller),
        _ => answer.body(file.data.into_owned()),
    }
}
