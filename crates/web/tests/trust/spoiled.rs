//! Rows that cannot be read: every list goes on, names them, and offers to export and delete them.

use super::roles::table;
use crate::{Visit, add, with_design, with_run, with_workshop};
use sqlx::{AssertSqlSafe, MySqlPool};
use store::Store;

/// What spoils a document.
const SPOILED: &str = r#""of another program""#;

/// Columns that hold documents, and by what a record that cannot be read is named.
const DOCUMENTS: &[(&str, &str, &str)] = &[
    ("revisions", "document", ">Sedge"),
    ("runs", "document", "run 1"),
    ("runs", "calibration", ""),
    ("runs", "traveller", "run 1"),
    ("verdicts", "comparisons", "run 1"),
    ("verdicts", "causes", "run 1"),
    ("verdicts", "missed", "run 1"),
    ("sweeps", "points", "run 1"),
    ("travellers", "document", "tall-single"),
    ("calibrations", "document", "calibration 1"),
    ("listenings", "samples", ""),
    ("instruments", "profile", ""),
    ("pickup_sets", "document", "Sedge pair"),
    ("rewinds", "document", ""),
    ("orders", "document", "order "),
    ("plan_baselines", "document", ""),
    ("workshops", "settings", ""),
];

/// Rows of the tables that no form of this test fills; `$` stands for a document.
const ROWS: &[&str] = &[
    "INSERT INTO verdicts (workshop_id, run_id, level, text, comparisons, engine) VALUES (1, 1, 'pass', 'Well.', '[]', '0.3.1')",
    "INSERT INTO sweeps (workshop_id, client_key, revision_id, run_id, label, points, taken_by) VALUES (1, 'a', 1, 1, 'Sweep', '[]', 1)",
    "INSERT INTO travellers (workshop_id, kind, document, changed_by) VALUES (1, 'tall-single', '[]', 1)",
    "INSERT INTO calibrations (workshop_id, number, runs, document) VALUES (1, 1, 9, '{}')",
    "INSERT INTO experiments (workshop_id, client_key, question, cares_percent, made_by) VALUES (1, 'b', 'Which?', 2, 1)",
    "INSERT INTO listenings (workshop_id, experiment_id, client_key, samples, by_id) VALUES (1, 1, 'c', '[]', 1)",
    "INSERT INTO instruments (workshop_id, client_key, kind, name, address, simulated) VALUES (1, 'd', 'winder', 'Winder one', '127.0.0.1:1', FALSE)",
    "INSERT INTO plan_baselines (workshop_id, document) VALUES (1, '{}')",
];

/// A shop that has one of each.
async fn shop(store: &Store) -> Visit {
    with_workshop(store, "ode").await;
    let mut owner = Visit::to(store);
    fill(&mut owner).await;
    owner
}

/// Signs the owner in and makes one of each.
pub(super) async fn fill(owner: &mut Visit) {
    let path = with_design(owner).await;
    with_run(owner, &path).await;
    let pair = [("name", "Sedge pair"), ("p0_revision", "1"), ("p1_revision", "1")];
    add(owner, ("/sets/new", "#set-form"), "/sets", &pair).await;
    add(owner, ("/rewinds/new?kind=tall-single", "#sheet"), "/rewinds", &[("name", "Old Sedge")]).await;
    let order = [("customer", "mark A"), ("state", "agreed"), ("item0", "r1"), ("quantity0", "2")];
    add(owner, ("/orders/new", "main"), "/orders", &order).await;
}

/// Every list, asked for as by a browser; what does not answer, or breaks off.
async fn failing(visit: &Visit) -> Vec<String> {
    let mut broken = Vec::new();
    for (_, method, pattern) in table() {
        if method != "GET" || pattern.contains('{') {
            continue;
        }
        let mut one = Visit { address: visit.address, code: String::new(), cookies: visit.cookies.clone() };
        match tokio::spawn(async move { one.get(pattern).await.status }).await {
            Ok(status) if status < 404 => {}
            Ok(status) => broken.push(format!("{pattern} {status}")),
            Err(_) => broken.push(format!("{pattern} was broken off")),
        }
    }
    broken
}

#[tokio::test(flavor = "multi_thread")]
async fn a_row_that_cannot_be_read_stops_no_list() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let owner = shop(&store).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    for &row in ROWS {
        sqlx::query(row).execute(&pool).await.unwrap();
    }
    let whole = failing(&owner).await;
    assert!(whole.is_empty(), "{whole:?}");
    let mut broken = Vec::new();
    for (table, column, name) in DOCUMENTS {
        let text = |sql: String| AssertSqlSafe(sql);
        let before: Vec<Option<String>> =
            sqlx::query_scalar(text(format!("SELECT {column} FROM {table} LIMIT 1")))
                .fetch_all(&pool)
                .await
                .unwrap();
        let spoil = format!("UPDATE {table} SET {column} = ? LIMIT 1");
        sqlx::query(text(spoil)).bind(SPOILED).execute(&pool).await.unwrap();
        // As after a start: nothing is kept in memory of how it was before.
        let mut fresh = Visit::to(&store);
        fresh.sign_in("ode", "seven thousand turns").await;
        let lists = failing(&fresh).await.into_iter();
        broken.extend(lists.map(|list| format!("{table}.{column}: {list}")));
        let named = fresh.get("/unreadable").await;
        if !name.is_empty() && !named.body.contains(name) {
            broken.push(format!("{table}.{column} is not named"));
        }
        assert!(!before.is_empty(), "{table} is empty");
        let mend = format!("UPDATE {table} SET {column} = ? LIMIT 1");
        sqlx::query(text(mend)).bind(&before[0]).execute(&pool).await.unwrap();
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

/// What cannot be read is exported as it stands and deleted with a line in the trail; what something depends on stays.
#[tokio::test(flavor = "multi_thread")]
async fn an_unreadable_record_is_exported_and_deleted() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let mut owner = shop(&store).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    for spoil in ["UPDATE pickup_sets SET document = ?", "UPDATE revisions SET document = ?"] {
        sqlx::query(spoil).bind(SPOILED).execute(&pool).await.unwrap();
    }
    owner.get("/designs").await;
    let list = owner.get("/sets").await;
    assert!(list.body.contains("Sedge pair") && list.body.contains("/unreadable"), "{}", list.body);
    assert_eq!(owner.get("/unreadable/pickup-set/1/document.txt").await.body, SPOILED);
    assert_eq!(owner.get("/sets/1").await.code(), "unreadable");
    assert_eq!(owner.get("/revisions/1").await.code(), "unreadable");
    let token = owner.get("/unreadable").await.field("csrf");
    let deleted = owner.post("/unreadable/pickup-set/1/delete", &[("csrf", &token)]).await;
    assert_eq!(deleted.status, 303);
    assert_eq!(owner.get("/sets/1").await.status, 404);
    // A run was wound from the revision.
    owner.post("/unreadable/revision/1/delete", &[("csrf", &token)]).await;
    assert_eq!(owner.get("/revisions/1").await.code(), "unreadable");
    assert!(owner.get("/audit").await.body.contains("Sedge pair"));
    // What can be read is none of this page's.
    assert_eq!(owner.get("/unreadable/order/1/document.txt").await.status, 404);
    assert_eq!(owner.post("/unreadable/order/1/delete", &[("csrf", &token)]).await.status, 404);
}

/// A set whose design is of another format is refused, and nothing of it is there.
#[tokio::test(flavor = "multi_thread")]
async fn a_set_with_a_design_of_another_format_leaves_nothing() {
    let store = dev_database::fresh_store().await;
    let mut owner = shop(&store).await;
    let mut set: serde_json::Value = serde_json::from_str(&owner.get("/sets/1/set.json").await.body).unwrap();
    for pickup in set["pickups"].as_array_mut().unwrap() {
        pickup["design"]["name"] = "Another".into();
    }
    set["pickups"][1]["design"]["format"] = "another-design/2".into();
    let page = owner.get("/sets").await;
    let (token, key) = (page.field("csrf"), page.field("key"));
    let text = set.to_string();
    let fields = [("csrf", token.as_str()), ("key", &key), ("document", &text)];
    let refused = owner.post("/sets/import", &fields).await;
    assert_eq!(refused.status, 422);
    assert!(refused.body.contains("pickups[1].design.format"), "{}", refused.body);
    assert!(!owner.get("/designs").await.body.contains("Another"));
    // Mended it is taken in, with one design for both pickups.
    set["pickups"][1]["design"]["format"] = "filamentum-design/1".into();
    let text = set.to_string();
    let fields = [("csrf", token.as_str()), ("key", &key), ("document", &text)];
    assert_eq!(owner.post("/sets/import", &fields).await.status, 303);
    assert!(owner.get("/designs").await.body.contains("Another"));
    for path in ["/", "/designs", "/sets", "/costs", "/compare"] {
        assert_eq!(owner.get(path).await.status, 200, "{path}");
    }
}
