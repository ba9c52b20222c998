//! The server itself: migrations, users, connections.

use super::{design, workshop};
use rstest::rstest;
use sqlx::Connection as _;
use store::{Store, StoreError, Transport};

#[tokio::test]
async fn two_starts_migrate_once_and_a_wrong_address_says_so() {
    let (url, first) = dev_database::fresh_database().await;
    drop(first);
    let (a, b) = tokio::join!(Store::connect(&url), Store::connect(&url));
    assert!(a.is_ok() && b.is_ok());
    let message = Store::connect("nonsense").await.unwrap_err().to_string();
    assert!(message.contains("mysql://"), "{message}");
    let other = Store::connect("postgres://a:b@127.0.0.1:9/none").await.unwrap_err();
    assert!(matches!(&other, StoreError::OtherDatabase(scheme) if scheme == "postgres"), "{other:?}");
    let gone = Store::connect("mysql://a:b@127.0.0.1:9/none").await.unwrap_err();
    assert!(matches!(gone, StoreError::Away(_)), "{gone:?}");
}

/// A start that was killed in the middle of a migration, before or after its statement, is begun again by the next one.
#[rstest]
#[case(1)]
#[case(21)]
#[case(38)]
#[case(43)]
#[case(50)]
#[case(52)]
#[case(54)]
#[tokio::test]
async fn a_migration_that_was_broken_off_is_done(#[case] version: i64) {
    let migrator = sqlx::migrate!();
    let migration = migrator.iter().find(|m| m.version == version).unwrap();
    // Done and noted as begun; noted as begun alone; done without a note.
    for (was_done, is_noted) in [(true, true), (false, true), (true, false)] {
        let (url, _) = dev_database::fresh_database().await;
        if was_done || version > 1 {
            drop(
                Store::begin_loading(
                    &url,
                    Transport::Protected,
                    if was_done { version } else { version - 1 },
                )
                .await
                .unwrap(),
            );
        }
        let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
        if was_done && !is_noted {
            sqlx::query("DELETE FROM _sqlx_migrations WHERE version = ?")
                .bind(version)
                .execute(&pool)
                .await
                .unwrap();
        } else if was_done {
            sqlx::query("UPDATE _sqlx_migrations SET success = FALSE WHERE version = ?")
                .bind(version)
                .execute(&pool)
                .await
                .unwrap();
        } else if version > 1 {
            sqlx::query(
                "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) \
                 VALUES (?, ?, FALSE, ?, -1)",
            )
            .bind(version)
            .bind(&*migration.description)
            .bind(&*migration.checksum)
            .execute(&pool)
            .await
            .unwrap();
        }
        let store = Store::connect(&url).await.unwrap();
        workshop(&store, "kestrel").await;
    }
}

/// A password and every fact would be read on the way.
#[rstest]
#[case("mysql://a:b@10.0.0.9:3306/x", true)]
#[case("mysql://a:b@database.example/x", true)]
#[case("mysql://a:b@database.example/x?ssl-mode=REQUIRED", true)]
#[case("mysql://a:b@database.example/x?ssl-mode=VERIFY_CA", false)]
#[case("mysql://a:b@127.0.0.1:1/x", false)]
#[case("mysql://a:b@localhost:1/x", false)]
#[tokio::test]
async fn another_machine_is_reached_over_tls_only(#[case] url: &str, #[case] is_refused: bool) {
    let tried = tokio::time::timeout(std::time::Duration::from_millis(200), Store::connect(url)).await;
    assert_eq!(matches!(tried, Ok(Err(StoreError::InClear))), is_refused, "{url}");
}

/// Whoever gets hold of the application's user has its tables, and nothing else of the server.
#[tokio::test]
async fn the_private_servers_user_has_one_schema() {
    let folder = tempfile::tempdir().unwrap();
    let server =
        dev_database::PrivateServer::start(folder.path(), dev_database::Durability::Full).await.unwrap();
    let pool = sqlx::MySqlPool::connect(&server.url("filamentum")).await.unwrap();
    let grants: Vec<String> = sqlx::query_scalar("SHOW GRANTS").fetch_all(&pool).await.unwrap();
    for grant in &grants {
        assert!(grant.contains("USAGE ON *.*") || grant.contains("ON `filamentum`.*"), "{grant}");
    }
    for beyond in [
        "CREATE DATABASE other",
        "SELECT user FROM mysql.user",
        "CREATE USER intruder@localhost",
        "SELECT 1 INTO OUTFILE '/tmp/filamentum-never'",
        "SET GLOBAL general_log = 1",
    ] {
        let done = sqlx::query(beyond).execute(&pool).await;
        assert!(done.is_err(), "{beyond}");
    }
    let file: Option<Vec<u8>> =
        sqlx::query_scalar("SELECT LOAD_FILE('/etc/hostname')").fetch_one(&pool).await.unwrap();
    assert!(file.is_none(), "it reads no files");
    pool.close().await;
    server.stop().await;
}

#[tokio::test]
async fn another_user_can_bring_the_tables_up_to_date() {
    let (url, name) = dev_database::fresh_database().await;
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    for statement in [
        format!("CREATE USER '{name}'@'127.0.0.1' IDENTIFIED BY 'rows'"),
        format!("GRANT SELECT, INSERT, UPDATE, DELETE ON {name}.* TO '{name}'@'127.0.0.1'"),
    ] {
        sqlx::query(sqlx::AssertSqlSafe(statement)).execute(&pool).await.unwrap();
    }
    let (_, place) = url.split_once('@').unwrap();
    let rows_only = format!("mysql://{name}:rows@{place}");
    assert!(Store::connect(&rows_only).await.is_err(), "it may make no tables");
    let store = Store::connect_as_two(&rows_only, &url, Transport::Protected).await.unwrap();
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    assert_eq!(store.workshop(shop).revision(revision).await.unwrap().row.number, 1);
    let mine = sqlx::MySqlPool::connect(&rows_only).await.unwrap();
    for beyond in
        ["CREATE TABLE beyond (id INT)", "DROP TABLE runs", "ALTER TABLE runs ADD COLUMN beyond INT"]
    {
        assert!(sqlx::query(beyond).execute(&mine).await.is_err(), "{beyond}");
    }
}

/// A database that a newer version changed is named as such, and left alone.
#[tokio::test]
async fn a_newer_schema_is_named() {
    let (url, _) = dev_database::fresh_database().await;
    Store::connect(&url).await.unwrap().close().await;
    let mut connection = sqlx::MySqlConnection::connect(&url).await.unwrap();
    sqlx::query(
        "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) \
         VALUES (99999, 'of tomorrow', TRUE, 'x', 1)",
    )
    .execute(&mut connection)
    .await
    .unwrap();
    assert!(matches!(Store::connect(&url).await, Err(StoreError::NewerSchema(99999))));
}
