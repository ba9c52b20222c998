//! The web application: HTTP, pages, components, drawings, assets, sessions.

mod app;
mod assets;
mod components;
mod current_user;
mod drawing;
mod error;
mod flash;
mod form;
mod format;
mod pages;
mod query;
mod refusal_text;
mod respond;
mod server;
mod session;

pub use components::sheet;
pub use server::serve;
