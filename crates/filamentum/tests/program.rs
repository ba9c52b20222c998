//! The program itself: what it prints and how it ends.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

use std::io::Write as _;
use std::process::{Command, Output, Stdio};

const EXAMPLE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/examples/reed-lap-steel.json");

fn filamentum(arguments: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_filamentum"))
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    // A program that does not read its input closes the pipe, which is no failure here.
    let _ = child.stdin.take().unwrap().write_all(input.as_bytes());
    child.wait_with_output().unwrap()
}

#[test]
fn predicts_the_example_from_a_file_and_from_standard_input() {
    let from_file = filamentum(&["predict", EXAMPLE], "");
    assert!(from_file.status.success());
    let json: serde_json::Value = serde_json::from_slice(&from_file.stdout).unwrap();
    assert_eq!(json["format"], "filamentum-prediction/1");
    assert!(json["pickup"]["inductance_h"]["nominal"].as_f64().unwrap() > 1.0);
    let piped = filamentum(&["predict", "-"], &std::fs::read_to_string(EXAMPLE).unwrap());
    assert_eq!(piped.stdout, from_file.stdout);
}

#[test]
fn refuses_with_status_2_and_says_where() {
    let text = std::fs::read_to_string(EXAMPLE).unwrap().replace("7150", "-1");
    for (input, at) in [(text.as_str(), "coils[0].wind.turns"), ("{", ""), ("{\"format\":\"x\"}", "format")] {
        let output = filamentum(&["predict", "-"], input);
        assert_eq!(output.status.code(), Some(2));
        let json: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!(json["errors"][0]["at"], at);
    }
    assert_eq!(filamentum(&["predict", "/no/such/file"], "").status.code(), Some(2));
}

#[test]
fn a_busy_port_is_named_with_a_way_out() {
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = taken.local_addr().unwrap().port().to_string();
    let output = filamentum(&["demo", "--port", &port, "--data", "/nonexistent/never"], "");
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success() && text.contains("busy") && text.contains("--port"), "{text}");
}

#[test]
fn fresh_leaves_a_folder_alone_that_is_not_ours() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("letter.txt"), "dear").unwrap();
    let output =
        filamentum(&["demo", "--port", "0", "--fresh", "--data", &folder.path().display().to_string()], "");
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success() && text.contains("not a data folder"), "{text}");
    assert!(folder.path().join("letter.txt").exists());
}
