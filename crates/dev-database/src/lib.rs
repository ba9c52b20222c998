//! A private MariaDB server on loopback, started from Debian's packages: what the demo and the tests run on.
//!
//! With the feature `test-database` also a fresh database per test.
#![deny(missing_docs)]

mod private_server;
#[cfg(feature = "test-database")]
mod test_database;

pub use private_server::{Durability, PrivateServer, ServerError, is_data_folder};
#[cfg(feature = "test-database")]
pub use test_database::{fresh_database, fresh_store};
