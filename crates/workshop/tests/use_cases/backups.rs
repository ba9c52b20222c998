//! The workshop archive: everything out, everything back, and nothing in between.

use super::*;
use std::io::{Read as _, Write as _};
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use store::Transport;
use workshop::{
    BackupError, BackupFolder, MemberChange, PeopleManager, restore_archive, verify_archive, write_archive,
};
use zip::write::SimpleFileOptions;

/// A workshop with something of many kinds in it.
async fn full() -> (Workshop, Actor, Store) {
    let (workshop, owner, store) = set_up().await;
    let revision = design(&workshop, &owner).await;
    for _ in 0..3 {
        let id = run(&workshop, &owner, revision).await;
        measure_well(&workshop, &owner, id).await;
    }
    workshop
        .add_spool(&owner, &inventory::new_spool("K-7 “Ω\\n”", Some(1_234.567_890_123_456_7)))
        .await
        .unwrap();
    workshop.fit_now(&owner).await.unwrap();
    (workshop, owner, store)
}

fn archive(folder: &tempfile::TempDir) -> PathBuf {
    folder.path().join("one.zip")
}

async fn restored(path: &Path) -> Result<(Store, workshop::Manifest), BackupError> {
    let (url, _) = dev_database::fresh_database().await;
    restore_archive(&url, Transport::Protected, path, |_| ()).await
}

/// An archive with each member passed through `change`; without one where it gives none.
fn changed(from: &Path, to: &Path, change: impl Fn(&str, Vec<u8>) -> Option<Vec<u8>>) {
    let mut old = zip::ZipArchive::new(std::fs::File::open(from).unwrap()).unwrap();
    let mut new = zip::ZipWriter::new(std::fs::File::create(to).unwrap());
    for k in 0..old.len() {
        let mut member = old.by_index(k).unwrap();
        let name = member.name().unwrap().into_owned();
        let mut bytes = Vec::new();
        member.read_to_end(&mut bytes).unwrap();
        if let Some(bytes) = change(&name, bytes) {
            new.start_file(name.as_str(), SimpleFileOptions::default()).unwrap();
            new.write_all(&bytes).unwrap();
        }
    }
    new.finish().unwrap();
}

#[tokio::test]
async fn what_is_restored_is_equal_and_lives_on() {
    let (_, owner, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let written = write_archive(&store, &path, |_| true).await.unwrap();
    assert_eq!(verify_archive(&path).await.unwrap(), written);
    let rows = |name: &str| {
        written.members.iter().find(|m| m.name == format!("facts/{name}.ndjson")).map(|m| m.rows)
    };
    assert_eq!((rows("runs"), rows("people"), rows("spools")), (Some(3), Some(1), Some(1)));
    assert_eq!((rows("sessions"), rows("password_links")), (None, None), "what is of this moment stays out");
    let (again, _) = restored(&path).await.unwrap();
    let second = folder.path().join("two.zip");
    let copied = write_archive(&again, &second, |_| true).await.unwrap();
    assert_eq!(copied.members, written.members, "every fact of every table is equal");
    // It is a workshop like any other: one signs in, and goes on winding.
    let workshop = Workshop::new(again);
    let right = workshop.sign_in("ode", "seven thousand turns".into(), HERE).await.unwrap();
    assert!(matches!(right, workshop::SignInOutcome::SignedIn(id) if id == owner.person));
    let designs = workshop.designs(&owner, &store::design::DesignFilter::default()).await.unwrap();
    run(&workshop, &owner, designs[0].id).await;
}

/// Writers go on while an archive is taken: it is of one moment all the same.
#[tokio::test]
async fn an_archive_is_of_one_moment() {
    let (workshop, owner, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let designs = workshop.designs(&owner, &store::design::DesignFilter::default()).await.unwrap();
    let revision = designs[0].id;
    let winding = tokio::spawn({
        let workshop = workshop.clone();
        async move {
            for _ in 0..6 {
                let id = run(&workshop, &owner, revision).await;
                measure_well(&workshop, &owner, id).await;
            }
        }
    });
    for _ in 0..4 {
        write_archive(&store, &path, |_| true).await.unwrap();
        // Restoring checks that every rewind leads somewhere.
        restored(&path).await.unwrap();
    }
    winding.await.unwrap();
}

#[tokio::test]
async fn only_an_empty_database_takes_an_archive() {
    let (_, _, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    write_archive(&store, &path, |_| true).await.unwrap();
    let (url, _) = dev_database::fresh_database().await;
    // Tables without a workshop are empty.
    Store::connect(&url).await.unwrap().close().await;
    restore_archive(&url, Transport::Protected, &path, |_| ()).await.unwrap().0.close().await;
    let refused = restore_archive(&url, Transport::Protected, &path, |_| ()).await.unwrap_err();
    assert!(matches!(refused, BackupError::Store(store::StoreError::NotEmpty)), "{refused}");
}

#[tokio::test]
async fn a_damaged_archive_is_refused_and_leaves_nothing() {
    let (_, _, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    write_archive(&store, &path, |_| true).await.unwrap();
    let whole = std::fs::read(&path).unwrap();
    let bad = folder.path().join("bad.zip");
    for share in [0.0, 0.3, 0.7, 0.999] {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a place in a small file")]
        let length = (whole.len() as f64 * share) as usize;
        std::fs::write(&bad, &whole[..length]).unwrap();
        assert!(verify_archive(&bad).await.is_err(), "cut at {length}");
    }
    let swap = |name: &'static str, from: &'static str, to: &'static str| {
        let (path, bad) = (path.clone(), bad.clone());
        changed(&path, &bad, |member, bytes| {
            let text = String::from_utf8(bytes).unwrap();
            Some(if member == name { text.replace(from, to) } else { text }.into_bytes())
        });
    };
    for (member, from, to) in [
        ("facts/people.ndjson", "Ode Farrow", "Ode Marrow"),
        ("facts/runs.ndjson", "\n", "\n\n"),
        ("manifest.json", "filamentum-workshop/1", "filamentum-workshop/9"),
        ("manifest.json", "\"rows\": 3", "\"rows\": 4"),
        ("manifest.json", "{", "["),
    ] {
        swap(member, from, to);
        assert!(verify_archive(&bad).await.is_err(), "{member}: {to}");
        assert!(restored(&bad).await.is_err(), "{member}: {to}");
    }
    for missing in ["facts/people.ndjson", "manifest.json"] {
        changed(&path, &bad, |member, bytes| (member != missing).then_some(bytes));
        assert!(verify_archive(&bad).await.is_err(), "{missing}");
    }
    std::fs::write(&bad, "{\"format\": \"filamentum-design/1\"}").unwrap();
    assert!(verify_archive(&bad).await.is_err());
    assert!(verify_archive(Path::new("/no/such/file")).await.is_err());
}

/// A manifest of our own over members of our own.
fn forged(path: &Path, schema: i64, members: &[(&str, &str)]) {
    use sha2::Digest as _;
    let mut zip = zip::ZipWriter::new(std::fs::File::create(path).unwrap());
    let mut listed = Vec::new();
    let mut members = members.to_vec();
    let others: Vec<String> = store::archive::fact_tables_at(schema)
        .into_iter()
        .map(|table| format!("facts/{table}.ndjson"))
        .filter(|name| members.iter().all(|(named, _)| named != name))
        .collect();
    members.extend(others.iter().map(|name| (name.as_str(), "")));
    for (name, text) in members {
        zip.start_file(name, SimpleFileOptions::default()).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
        let sum: String = sha2::Sha256::digest(text).iter().map(|b| format!("{b:02x}")).collect();
        listed.push(serde_json::json!({"name": name, "rows": text.lines().count(), "bytes": text.len(), "sha256": sum}));
    }
    let manifest = serde_json::json!({"format": "filamentum-workshop/1", "program": "0.0.1", "schema": schema,
        "taken_at": "2026-11-20T08:00:00Z", "members": listed});
    zip.start_file("manifest.json", SimpleFileOptions::default()).unwrap();
    zip.write_all(manifest.to_string().as_bytes()).unwrap();
    zip.finish().unwrap();
}

const SHOP: &str = r#"{"id":1,"name":"Sedge Lane","calibration_enabled":1,"created_at":"2026-01-02 03:04:05.000006"}
"#;

/// Before there were roles there was an owner.
#[tokio::test]
async fn an_older_archive_is_brought_up_to_date() {
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let person = r#"{"id":4,"workshop_id":1,"name":"Ode Farrow","sign_in":"ode","password_hash":null,"owner":1,"created_at":"2026-01-02 03:04:05.000006"}
{"id":5,"workshop_id":1,"name":"Ivo Tarn","sign_in":"ivo","password_hash":null,"owner":0,"created_at":"2026-01-02 03:04:05.000006"}
"#;
    forged(&path, 48, &[("facts/workshops.ndjson", SHOP), ("facts/people.ndjson", person)]);
    let (store, manifest) = restored(&path).await.unwrap();
    assert_eq!((manifest.schema, manifest.rows()), (48, 3));
    let roles: Vec<Role> =
        store.workshop(store::WorkshopId(1)).people().await.unwrap().iter().map(|p| p.role.0).collect();
    assert_eq!(roles, [Role::Operator, Role::Owner]);
}

/// What is signed well and makes no sense is refused all the same, and the database stays empty.
#[tokio::test]
async fn a_forged_archive_writes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let (url, _) = dev_database::fresh_database().await;
    let lost = r#"{"id":4,"workshop_id":77,"name":"Ode","sign_in":"ode","password_hash":null,"owner":1,"created_at":"2026-01-02 03:04:05.000006"}
"#;
    let cases: [(i64, Vec<(&str, &str)>); 6] = [
        (99_999, vec![("facts/workshops.ndjson", SHOP)]),
        (48, vec![("facts/workshops.ndjson", SHOP), ("facts/people.ndjson", lost)]),
        (48, vec![("facts/workshops.ndjson", SHOP), ("facts/gremlins.ndjson", "{}\n")]),
        (48, vec![("facts/workshops.ndjson", "{\"id\": \"one\"}\n")]),
        (48, vec![("facts/workshops.ndjson", "[]\n")]),
        (
            48,
            vec![(
                "facts/workshops.ndjson",
                "{\"id\":1,\"name\":7,\"calibration_enabled\":1,\"created_at\":\"x\"}\n",
            )],
        ),
    ];
    for (schema, members) in cases {
        forged(&path, schema, &members);
        assert!(restore_archive(&url, Transport::Protected, &path, |_| ()).await.is_err(), "{members:?}");
        let store = Store::connect(&url).await.unwrap();
        assert!(!store.has_workshop().await.unwrap(), "{members:?}");
        store.close().await;
    }
}

/// Stopped at any moment, an archive is not there, and a database stays empty and takes it the next time.
#[tokio::test]
async fn what_is_broken_off_is_not_there() {
    let (_, _, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let stopped = write_archive(&store, &path, |share| share < 0.5).await.unwrap_err();
    assert!(matches!(stopped, BackupError::Stopped));
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "nothing is left");
    write_archive(&store, &path, |_| true).await.unwrap();
    let (url, _) = dev_database::fresh_database().await;
    for delay in [1, 20, 60, 150, 400] {
        let going = tokio::time::timeout(
            Duration::from_millis(delay),
            restore_archive(&url, Transport::Protected, &path, |_| ()),
        )
        .await;
        let store = Store::connect(&url).await.unwrap();
        let is_there = store.has_workshop().await.unwrap();
        assert!(!going.is_ok_and(|done| done.is_ok()) || is_there);
        store.close().await;
        if is_there {
            return;
        }
    }
    restore_archive(&url, Transport::Protected, &path, |_| ()).await.unwrap();
}

/// The tables by version that an archive has to have are those that it has.
#[tokio::test]
async fn an_archive_has_every_table_and_says_so() {
    let (_, _, store) = full().await;
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let manifest = write_archive(&store, &path, |_| true).await.unwrap();
    let tables =
        manifest.members.iter().filter_map(|m| m.name.strip_prefix("facts/")?.strip_suffix(".ndjson"));
    let tables: std::collections::BTreeSet<String> = tables.map(str::to_owned).collect();
    assert_eq!(tables, store::archive::fact_tables_at(manifest.schema));
    // A manifest of nothing is whole of nothing.
    let sum = |names: &[&str]| {
        let kept: Vec<_> = manifest.members.iter().filter(|m| !names.contains(&m.name.as_str())).collect();
        serde_json::json!({"format": manifest.format, "program": "0", "schema": manifest.schema,
            "taken_at": "2026-11-20T08:00:00Z", "members": kept})
    };
    let all: Vec<&str> = manifest.members.iter().map(|m| m.name.as_str()).collect();
    for without in [&all[..], &["facts/runs.ndjson"]] {
        let bad = folder.path().join("bad.zip");
        changed(&path, &bad, |name, bytes| match name {
            "manifest.json" => Some(sum(without).to_string().into_bytes()),
            name if without.contains(&name) => None,
            _ => Some(bytes),
        });
        assert!(matches!(verify_archive(&bad).await, Err(BackupError::Damaged { .. })), "{}", without.len());
    }
}

/// A line is a row of plain values: what would take a hundred times its length is refused while it is read.
#[tokio::test]
async fn a_fact_holds_no_others() {
    let folder = tempfile::tempdir().unwrap();
    let path = archive(&folder);
    let nested = format!("{{\"id\": [{}0]}}\n", "0,".repeat(1000));
    let many: String = (0..1000).map(|k| format!("\"{k}\": 0,")).collect();
    let many = format!("{{{many} \"id\": 0}}\n");
    for text in [nested, many] {
        forged(&path, 48, &[("facts/workshops.ndjson", &text), ("facts/people.ndjson", "{}\n")]);
        assert!(matches!(restored(&path).await, Err(BackupError::Damaged { .. })));
    }
}

#[tokio::test]
async fn a_folder_keeps_the_newest_and_touches_nothing_else() {
    let (workshop, owner, _) = full().await;
    assert_eq!(workshop.list_backups(&owner).await.unwrap_err().code(), "not-found", "no folder is set");
    let folder = tempfile::tempdir().unwrap();
    let kept = BackupFolder { path: folder.path().join("backups"), keep: 2 };
    let workshop = workshop.with_backups(kept.clone());
    assert!(workshop.list_backups(&owner).await.unwrap().is_empty());
    std::fs::create_dir(&kept.path).unwrap();
    for name in [
        "filamentum-20260101-000000.zip",
        "filamentum-20260102-000000.zip",
        "letters.zip",
        "filamentum-20260103-000000.zip.unfinished",
    ] {
        std::fs::write(kept.path.join(name), "old").unwrap();
    }
    let name = workshop.begin_backup(&owner).await.unwrap();
    let job = workshop.job(&owner, &name).unwrap();
    while job.outcome().is_none() {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    assert!(matches!(job.outcome(), Some(JobOutcome::BackedUp(rows)) if rows > 20), "{:?}", job.outcome());
    let files = workshop.list_backups(&owner).await.unwrap();
    assert_eq!(files.len(), 2);
    assert_eq!(files[1].name, "filamentum-20260102-000000.zip");
    assert!(
        kept.path.join("letters.zip").exists() && !kept.path.join("filamentum-20260101-000000.zip").exists()
    );
    assert!(!kept.path.join("filamentum-20260103-000000.zip.unfinished").exists());
    workshop.verify_backup(&owner, &files[0].name).await.unwrap();
    assert_eq!(workshop.verify_backup(&owner, &files[1].name).await.unwrap_err().code(), "backup");
    for name in ["letters.zip", "../one.zip", "filamentum-20260101-000000.zip", ""] {
        assert_eq!(workshop.backup_path(&owner, name).await.unwrap_err().code(), "not-found", "{name}");
    }
    let mode = std::fs::metadata(kept.path.join(&files[0].name)).unwrap().permissions().mode();
    assert_eq!(mode & 0o077, 0, "it holds everything: only its owner reads it");
    let operator = Actor { role: Role::Operator, ..owner };
    assert_eq!(workshop.list_backups(&operator).await.unwrap_err().code(), "not-allowed");
    let manager = PeopleManager::command_line(owner.workshop);
    assert!(workshop.change_member(&manager, owner.person, MemberChange::Enable).await.is_ok());
}

/// A full disk is named, and leaves no half file behind.
#[tokio::test]
async fn a_folder_that_cannot_be_written_is_named() {
    let (_, _, store) = full().await;
    let refused = write_archive(&store, Path::new("/proc/filamentum.zip"), |_| true).await.unwrap_err();
    assert!(matches!(refused, BackupError::File { .. }), "{refused}");
}
