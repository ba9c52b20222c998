//! The private server of demo and tests beside other servers on the same machine.

use dev_database::PrivateServer;

/// A server that starts removes every temporary table in its folder for such: one that shared the system's
/// temporary folder would break another that is being prepared at the same moment.
#[tokio::test]
async fn temporary_tables_of_other_servers_are_left_alone() {
    let others = tempfile::Builder::new().prefix("#sql-temptable-").suffix(".MAI").tempfile().unwrap();
    let server = PrivateServer::temporary().await.unwrap();
    assert!(others.path().exists(), "a table of another server was removed");
    server.stop().await;
}
