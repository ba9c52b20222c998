//! Backup, restore and people on the command line, while the program serves, and killed in the middle.

use super::{Demo, filamentum};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;
use workshop::{Manifest, verify_archive};

fn text(path: &Path) -> String {
    path.display().to_string()
}

fn manifest(path: &Path) -> Result<Manifest, workshop::BackupError> {
    tokio::runtime::Runtime::new().unwrap().block_on(verify_archive(path))
}

/// Runs a command and kills it after so long.
fn killed(arguments: &[&str], after: Duration) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_filamentum"))
        .args(arguments)
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(after);
    let _ = child.kill();
    child.wait().unwrap();
}

/// Waits until nobody holds a data folder: the private server of a killed program ends by itself.
fn until_free(data: &Path) {
    for _ in 0..200 {
        let lock = std::fs::File::open(data.join("lock"));
        if lock.is_ok_and(|lock| lock.try_lock().is_ok()) {
            break;
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    // The lock is the program's; the server it started takes a moment more.
    std::thread::sleep(Duration::from_millis(1500));
}

/// The drill: a backup of the demo while it serves; whatever is killed leaves a whole file or none, and a whole database or
/// an empty one; what is restored is equal.
#[test]
fn a_backup_is_restored_equal_whatever_is_killed() {
    let folder = tempfile::tempdir().unwrap();
    let (data, other) = (folder.path().join("demo"), folder.path().join("restored"));
    let mut demo = Demo::start(&data);
    demo.until("Sign in as");
    let file = folder.path().join("shop.zip");
    for after in [30, 120, 400, 900] {
        killed(&["backup", &text(&file), "--data", &text(&data)], Duration::from_millis(after));
        if file.exists() {
            manifest(&file).unwrap();
            std::fs::remove_file(&file).unwrap();
        }
    }
    let written = filamentum(&["backup", &text(&file), "--data", &text(&data)], "");
    assert!(written.status.success(), "{}", String::from_utf8_lossy(&written.stderr));
    assert!(filamentum(&["verify", &text(&file)], "").status.success());
    let twice = filamentum(&["backup", &text(&file), "--data", &text(&data)], "");
    assert!(!twice.status.success(), "a file that is there is not written over");
    let full = filamentum(&["restore", &text(&file), "--data", &text(&data)], "");
    assert_eq!(full.status.code(), Some(2), "the demo is not empty");
    demo.signal("-TERM");
    demo.until("the data are kept");
    demo.0.wait().unwrap();
    for after in [400, 1800, 2600, 3400] {
        killed(&["restore", &text(&file), "--data", &text(&other)], Duration::from_millis(after));
        until_free(&other);
    }
    let list = || filamentum(&["user", "list", "--json", "--data", &text(&other)], "");
    if !list().status.success() {
        let done = filamentum(&["restore", &text(&file), "--data", &text(&other)], "");
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    }
    let again = folder.path().join("again.zip");
    assert!(filamentum(&["backup", &text(&again), "--data", &text(&other)], "").status.success());
    let (one, two) = (manifest(&file).unwrap(), manifest(&again).unwrap());
    assert_eq!(one.members, two.members, "every fact is equal");
    assert!(one.rows() > 500, "{}", one.rows());
    std::fs::write(&again, "no archive").unwrap();
    let bad = filamentum(&["verify", &text(&again)], "");
    assert_eq!(bad.status.code(), Some(2));
    let json: serde_json::Value = serde_json::from_slice(&bad.stdout).unwrap();
    assert_eq!(json["errors"][0]["code"], "zip");
}

/// The people of a workshop without a browser, while it serves.
#[test]
fn people_are_managed_on_the_command_line() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("demo");
    let demo = Demo::start(&data);
    demo.until("Sign in as");
    let user = |arguments: &[&str]| {
        let mut all = vec!["user"];
        all.extend(arguments);
        let data = text(&data);
        all.extend(["--data", &data]);
        filamentum(&all, "")
    };
    let link = user(&[
        "add",
        "juno",
        "--name",
        "Juno Reed",
        "--role",
        "designer",
        "--base-url",
        "https://pickups.example",
    ]);
    let link = String::from_utf8(link.stdout).unwrap();
    assert!(link.starts_with("https://pickups.example/welcome/"), "{link}");
    assert!(!user(&["add", "juno"]).status.success(), "the name is taken");
    assert!(!user(&["add", "wren2", "--role", "king"]).status.success());
    assert!(user(&["role", "JUNO", "viewer"]).status.success());
    assert!(user(&["reset-password", "juno"]).status.success());
    assert!(user(&["disable", "juno"]).status.success());
    assert!(!user(&["reset-password", "juno"]).status.success());
    assert!(!user(&["disable", "ode"]).status.success(), "the only owner");
    assert!(!user(&["disable", "nobody"]).status.success());
    let list = user(&["list", "--json"]);
    let all: serde_json::Value = serde_json::from_slice(&list.stdout).unwrap();
    let juno = all["users"].as_array().unwrap().iter().find(|u| u["sign_in"] == "juno").unwrap();
    assert_eq!((juno["role"].as_str(), juno["status"].as_str()), (Some("viewer"), Some("disabled")));
    assert!(user(&["enable", "juno"]).status.success());
    assert!(String::from_utf8(user(&["list"]).stdout).unwrap().contains("Juno Reed"));
}
