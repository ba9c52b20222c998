//! The web application: HTTP, pages, components, drawings, assets, sessions.

mod access;
mod app;
mod assets;
mod bodies;
mod certificate;
mod components;
mod current_user;
mod error;
mod flash;
mod form;
mod guard;
mod intake;
mod origin;
mod outcome;
mod pages;
mod password;
mod query;
mod queue;
mod refusal_text;
mod request_span;
mod respond;
mod route_table;
mod server;
mod session;
mod upload;

pub use certificate::{Certificate, CertificateError};
pub use origin::{BaseUrl, BaseUrlError, ServeOptions, Timeouts};
pub use route_table::{Access, Route};
pub use server::serve;

/// All routes that somebody can ask for.
pub fn routes() -> impl Iterator<Item = Route> {
    pages::table()
}
