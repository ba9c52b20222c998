//! A fresh database per test on one private server per test program.

use crate::PrivateServer;
use rand::RngExt as _;
use sqlx::{Connection as _, MySqlConnection};
use store::Store;
use tokio::sync::OnceCell;

static SERVER: OnceCell<PrivateServer> = OnceCell::const_new();

/// The private server of this test program; it ends with the program.
///
/// # Panics
/// When the server does not start: no test can go on.
#[allow(clippy::expect_used, reason = "a test program without its database cannot go on")]
async fn server() -> &'static PrivateServer {
    SERVER
        .get_or_init(|| async { PrivateServer::temporary().await.expect("the private MariaDB starts") })
        .await
}

/// The address of a new empty database.
///
/// # Panics
/// When it cannot be made.
#[allow(clippy::expect_used, reason = "a test program without its database cannot go on")]
pub async fn fresh_database() -> (String, String) {
    let server = server().await;
    let number: u64 = rand::rng().random();
    let name = format!("t_{number:016x}");
    let mut connection =
        MySqlConnection::connect(&server.url("filamentum")).await.expect("the server answers");
    let sql = format!("CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci");
    sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&mut connection).await.expect("a database can be made");
    (server.url(&name), name)
}

/// A store on a new database with all its tables.
///
/// # Panics
/// When it cannot be made.
#[allow(clippy::expect_used, reason = "a test program without its database cannot go on")]
pub async fn fresh_store() -> Store {
    Store::connect(&fresh_database().await.0).await.expect("the tables are made")
}
