//! The web application: pages, drawings, assets, sessions.

mod address;
mod app;
mod assets;
mod drawing;
mod fault;
mod filled;
mod foretold;
mod jobs;
mod layout;
mod lessons;
mod pages;
mod plot;
mod present;
mod session;
mod visitor;
mod winders;

pub use app::{App, serve};
pub use pages::designs::sheet;

/// The hash of a password, for people who are added outside the pages. Takes a tenth of a second.
#[must_use]
pub fn hash_password(password: &str) -> String {
    password_auth::generate_hash(password)
}
