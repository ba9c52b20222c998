//! The web application: pages, drawings, assets, sessions.

mod app;
mod assets;
mod calibrations;
mod current_user;
mod drawing;
mod error;
mod form;
mod format;
mod jobs;
mod layout;
mod pages;
mod plot;
mod prediction_cache;
mod query;
mod session;
mod winder_link;

pub use app::{App, serve};
pub use pages::designs::sheet;

/// The hash of a password, for people who are added outside the pages. Takes a tenth of a second.
#[must_use]
pub fn hash_password(password: &str) -> String {
    password_auth::generate_hash(password)
}
