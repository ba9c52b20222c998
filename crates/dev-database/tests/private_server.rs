//! The private server of demo and tests beside other servers on the same machine.

use dev_database::{Durability, PrivateServer};

/// A server that starts removes every temporary table in its folder for such: one that shared the system's
/// temporary folder would break another that is being prepared at the same moment.
#[tokio::test]
async fn temporary_tables_of_other_servers_are_left_alone() {
    let others = tempfile::Builder::new().prefix("#sql-temptable-").suffix(".MAI").tempfile().unwrap();
    let server = PrivateServer::temporary().await.unwrap();
    assert!(others.path().exists(), "a table of another server was removed");
    server.stop().await;
}

/// A folder may be called as people call folders.
#[tokio::test]
async fn a_folder_with_blanks_and_quotes_is_a_folder() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("Sedge Lane’s \"own\" data");
    let server = PrivateServer::start(&path, Durability::None).await.unwrap();
    server.stop().await;
    let again = PrivateServer::start(&path, Durability::None).await.unwrap();
    assert!(path.join("ready").exists());
    again.stop().await;
}
