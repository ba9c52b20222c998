//! What browsers blocked on our pages by the content security policy, as they report it.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::respond::render_page;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use presentation::format;
use serde::Deserialize;
use store::policy_report::{NewPolicyReport, PolicyReport};

#[derive(Template)]
#[template(path = "workshop/policy_reports.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    rows: Vec<PolicyReport>,
}

pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let rows = app.workshop.policy_reports(&user.actor).await?;
    render_page(
        &Page { frame: Frame::new(&user, "workshop", "Blocked content"), tab: "policy-reports", rows },
        false,
    )
}

/// A report as Content Security Policy Level 3 has it, section 5.3.
#[derive(Deserialize)]
struct Sent {
    #[serde(rename = "csp-report")]
    report: Report,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case", default)]
#[derive(Default)]
struct Report {
    document_uri: String,
    effective_directive: String,
    violated_directive: String,
    blocked_uri: String,
    source_file: String,
    line_number: Option<u64>,
}

/// An address without what may hold a secret: its query.
fn without_query(address: &str) -> &str {
    address.split(['?', '#']).next().unwrap_or_default()
}

/// The path of an address of ours.
fn path(address: &str) -> &str {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    without_query(rest.find('/').map_or("", |at| &rest[at..]))
}

/// Takes a report; whoever sends nonsense, or too much, hears nothing else.
pub(super) async fn take(
    app: web::Data<App>,
    request: HttpRequest,
    body: web::Bytes,
) -> Result<HttpResponse, AppError> {
    if let Ok(Sent { report }) = serde_json::from_slice(&body) {
        let directive =
            [report.effective_directive, report.violated_directive].into_iter().find(|d| !d.is_empty());
        let source = path(&report.source_file);
        let new = NewPolicyReport {
            directive: directive.unwrap_or_default(),
            blocked: without_query(&report.blocked_uri).to_owned(),
            page: path(&report.document_uri).to_owned(),
            source: report.line_number.map_or_else(|| source.to_owned(), |line| format!("{source}:{line}")),
        };
        app.workshop.take_policy_report(&new, app.origin.address(&request)).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_kept_without_what_may_be_secret() {
        assert_eq!(path("https://pickups.example/welcome/x?token=secret"), "/welcome/x");
        assert_eq!(path("https://pickups.example"), "");
        assert_eq!(without_query("https://evil.example/a.js?of=shop#x"), "https://evil.example/a.js");
        assert_eq!(without_query("inline"), "inline");
    }
}
