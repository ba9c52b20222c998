//! The program itself: what it prints and how it ends.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod archive;
mod logbook;
mod package;

use rstest::rstest;
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
fn tells_what_an_instrument_shows() {
    let of = |more: &[&str]| {
        let mut arguments = vec!["predict", EXAMPLE];
        arguments.extend(more);
        let output = filamentum(&arguments, "");
        let json: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        (output.status.code(), json)
    };
    let plain = of(&[]).1;
    assert!(plain["pickup"].get("resonance_instrument_hz").is_none());
    let seen = of(&["--instrument-pf", "110"]).1;
    let hz = |json: &serde_json::Value, key: &str| json["pickup"][key]["nominal"].as_f64().unwrap();
    assert!(hz(&seen, "resonance_instrument_hz") < hz(&seen, "resonance_unloaded_hz"));
    let (status, refused) = of(&["--instrument-pf", "110", "--instrument-mohm", "0"]);
    assert_eq!((status, refused["errors"][0]["at"].as_str()), (Some(2), Some("--instrument-mohm")));
}

#[test]
fn one_part_for_programs_and_for_people() {
    let json = filamentum(&["predict", EXAMPLE, "--what", "inductance_h"], "");
    let quantity: serde_json::Value = serde_json::from_slice(&json.stdout).unwrap();
    assert!(quantity["p05"].as_f64().unwrap() < quantity["nominal"].as_f64().unwrap());
    let text = filamentum(&["predict", EXAMPLE, "--what", "inductance_h", "--format", "text"], "");
    let line = String::from_utf8(text.stdout).unwrap();
    assert!(line.starts_with(&quantity["nominal"].to_string()) && line.contains(" to "), "{line}");
    let meters = filamentum(&["predict", EXAMPLE, "--what", "meter"], "");
    let rows: serde_json::Value = serde_json::from_slice(&meters.stdout).unwrap();
    assert_eq!(rows.as_array().unwrap().len(), 4);
    let wrong = filamentum(&["predict", EXAMPLE, "--what", "loudness"], "");
    assert_eq!(wrong.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&wrong.stdout).contains("output_mv"), "it names what there is");
    let whole = filamentum(&["predict", EXAMPLE, "--format", "text"], "");
    let page = String::from_utf8(whole.stdout).unwrap();
    for word in ["Resistance at 20 °C", "kΩ", "Peak, loaded", "Coil A", "String 6", "note "] {
        assert!(page.contains(word), "{word} in {page}");
    }
}

/// The committed example of a set predicts as its answer says, and a set that cannot be is refused by place.
#[test]
fn predicts_a_set() {
    let example = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/sets/three-voices.json");
    let output = filamentum(&["set", example], "");
    let json: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(json["format"], "filamentum-set-prediction/1");
    let count = |key: &str| json[key].as_array().unwrap().len();
    assert_eq!((count("positions"), count("pairs"), count("balance")), (5, 3, 3));
    let text = filamentum(&["set", example, "--format", "text"], "");
    let answer = std::fs::read_to_string(example.replace(".json", ".txt")).unwrap();
    assert_eq!(String::from_utf8(text.stdout).unwrap(), answer);
    let wrong = std::fs::read_to_string(example).unwrap().replace("\"on\": [", "\"on\": [\"front\",");
    let refused = filamentum(&["set", "-"], &wrong);
    let json: serde_json::Value = serde_json::from_slice(&refused.stdout).unwrap();
    assert_eq!((refused.status.code(), json["errors"][0]["at"].as_str()), (Some(2), Some("switch[0].on[0]")));
    let schema: serde_json::Value =
        serde_json::from_slice(&filamentum(&["schema", "set"], "").stdout).unwrap();
    assert_eq!(schema["title"], "filamentum-set/1");
    let schema: serde_json::Value =
        serde_json::from_slice(&filamentum(&["schema", "findings"], "").stdout).unwrap();
    assert_eq!(schema["title"], "filamentum-findings/1");
}

/// The committed examples of findings are told as their answers say, in the form that the document names; findings that cannot be are
/// refused by place.
#[rstest]
#[case("dead-mandola", "open-coil")]
#[case("untrue-story", "stated-wire-contradicts-inductance")]
#[case("shorted-twin", "shorted-turns")]
fn says_what_a_pickup_was(#[case] name: &str, #[case] doubt: &str) {
    let example = format!("{}/../../examples/findings/{name}.json", env!("CARGO_MANIFEST_DIR"));
    let output = filamentum(&["identify", &example], "");
    let json: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let first = &json["candidates"][0];
    for key in ["gauge", "insulation", "build", "turns", "packing", "probability", "predicted", "misfit"] {
        assert!(!first[key].is_null(), "{key}");
    }
    for key in ["gauge", "insulation", "turns"] {
        assert!(!json["marginal"][key].is_null(), "{key}");
    }
    let codes: Vec<&str> =
        json["doubts"].as_array().unwrap().iter().filter_map(|d| d["code"].as_str()).collect();
    assert!(codes.contains(&doubt), "{codes:?}");
    let text = filamentum(&["identify", &example, "--format", "text"], "");
    let answer = std::fs::read_to_string(example.replace(".json", ".txt")).unwrap();
    assert_eq!(String::from_utf8(text.stdout).unwrap(), answer);
    let wrong = std::fs::read_to_string(&example)
        .unwrap()
        .replace("\"outer_width_mm\": {\n   \"value\": ", "\"outer_width_mm\": {\n   \"value\": -");
    let refused = filamentum(&["identify", "-"], &wrong);
    let json: serde_json::Value = serde_json::from_slice(&refused.stdout).unwrap();
    assert_eq!(refused.status.code(), Some(2));
    assert_eq!(json["errors"][0]["at"], "measured.outer_width_mm.value");
}

/// The examples' answers are those of the program as it is (tools/examples.sh writes them).
#[rstest]
#[case("designs/tall-single", "predict")]
#[case("designs/short-single", "predict")]
#[case("designs/wide-single", "predict")]
#[case("designs/twin-coil", "predict")]
#[case("designs/stacked-twin", "predict")]
#[case("designs/blade", "predict")]
#[case("designs/button-magnet", "predict")]
#[case("designs/concentric", "predict")]
#[case("designs/per-string", "predict")]
#[case("sets/three-voices", "set")]
#[case("work/two-sets", "schedule")]
fn an_example_is_answered_as_it_is_shown(#[case] name: &str, #[case] command: &str) {
    let example = format!("{}/../../examples/{name}.json", env!("CARGO_MANIFEST_DIR"));
    let shown = std::fs::read_to_string(example.replace(".json", ".txt")).unwrap();
    let output = filamentum(&[command, &example, "--format", "text"], "");
    assert!(output.status.success());
    assert_eq!(String::from_utf8(output.stdout).unwrap(), shown);
}

/// A new design of every format is sound, predicts, and makes a netlist; the schema is one.
#[rstest]
#[case("tall-single")]
#[case("short-single")]
#[case("wide-single")]
#[case("twin-coil")]
#[case("stacked-twin")]
#[case("blade")]
#[case("button-magnet")]
#[case("concentric")]
#[case("per-string")]
fn from_a_new_design_to_its_netlist(#[case] kind: &str) {
    let new = filamentum(&["new", kind, "--strings", "8", "--pitch", "9.6"], "");
    assert!(new.status.success());
    let design = String::from_utf8(new.stdout).unwrap();
    assert_eq!(serde_json::from_str::<serde_json::Value>(&design).unwrap()["kind"], kind);
    assert!(filamentum(&["predict", "-"], &design).status.success());
    let netlist = filamentum(&["netlist", "-"], &design);
    let text = String::from_utf8(netlist.stdout).unwrap();
    assert!(text.starts_with("* ") && text.contains("\nL1 ") && text.ends_with(".end\n"), "{text}");
    // The committed example of the format reads and predicts too.
    let example = format!("{}/../../examples/designs/{kind}.json", env!("CARGO_MANIFEST_DIR"));
    assert!(filamentum(&["predict", &example], "").status.success());
}

#[test]
fn the_schema_is_printed_and_wrong_words_are_told() {
    let schema = filamentum(&["schema"], "");
    let json: serde_json::Value = serde_json::from_slice(&schema.stdout).unwrap();
    assert_eq!(json["title"], "filamentum-design/1");
    assert!(json["properties"]["coils"].is_object());
    for wrong in
        [&["new", "square-wheel"][..], &["new", "blade", "--strings", "40"], &["netlist", "/no/such/file"]]
    {
        let output = filamentum(wrong, "");
        assert_eq!(output.status.code(), Some(2));
        let json: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        assert!(!json["errors"][0]["try"].as_str().unwrap().is_empty());
    }
    // Not text at all.
    let bytes = std::env::temp_dir().join(format!("filamentum-not-text-{}", std::process::id()));
    std::fs::write(&bytes, [0xff, 0xfe, 0x00]).unwrap();
    let output = filamentum(&["predict", &bytes.display().to_string()], "");
    std::fs::remove_file(&bytes).unwrap();
    assert_eq!(output.status.code(), Some(2));
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

/// A demo that runs; killed when dropped.
struct Demo(std::process::Child, std::sync::mpsc::Receiver<String>);

impl Demo {
    fn start(data: &std::path::Path) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_filamentum"))
            .args(["demo", "--port", "0", "--data"])
            .arg(data)
            .env_remove("DATABASE_URL")
            .stdout(Stdio::piped())
            .stderr(Stdio::inherit())
            .spawn()
            .unwrap();
        let (sender, lines) = std::sync::mpsc::channel();
        let out = child.stdout.take().unwrap();
        std::thread::spawn(move || {
            use std::io::BufRead as _;
            for line in std::io::BufReader::new(out).lines().map_while(Result::ok) {
                let _ = sender.send(line);
            }
        });
        Self(child, lines)
    }

    /// All lines up to one that holds `text`.
    fn until(&self, text: &str) -> Vec<String> {
        let mut seen = Vec::new();
        loop {
            let line = self.1.recv_timeout(std::time::Duration::from_mins(2)).unwrap();
            let last = line.contains(text);
            seen.push(line);
            if last {
                return seen;
            }
        }
    }

    fn signal(&self, name: &str) {
        Command::new("kill").args([name, &self.0.id().to_string()]).status().unwrap();
    }
}

impl Drop for Demo {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The length of a file somewhere in a folder; 0 where there is none yet.
fn file_length(folder: &std::path::Path, name: &str) -> u64 {
    let Ok(entries) = std::fs::read_dir(folder) else { return 0 };
    let lengths = entries.flatten().map(|entry| {
        let path = entry.path();
        match path.is_dir() {
            true => file_length(&path, name),
            false if path.ends_with(name) => entry.metadata().map_or(0, |about| about.len()),
            false => 0,
        }
    });
    lengths.max().unwrap_or_default()
}

/// Killed while it loads its workshop, the demo loads it from the beginning at the next start.
#[test]
fn a_demo_that_was_killed_while_it_loads_begins_again() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("demo");
    let mut first = Demo::start(&data);
    first.until("Loading the demo");
    // Some runs are written, and more are to come.
    let empty = file_length(&data, "readings.ibd");
    while file_length(&data, "readings.ibd") <= empty {
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    first.signal("-9");
    first.0.wait().unwrap();
    std::thread::sleep(std::time::Duration::from_secs(2));
    let again = Demo::start(&data);
    let lines = again.until("Sign in as");
    assert!(lines.iter().any(|l| l.contains("Loading the demo")), "{lines:?}");
    again.signal("-TERM");
    again.until("the data are kept");
}

/// The demo starts, holds its folder, survives a crash with its data, and stops cleanly.
#[test]
fn the_demo_lives_crashes_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("demo");
    let mut first = Demo::start(&data);
    let lines = first.until("Sign in as");
    assert!(lines.iter().any(|l| l.contains("Loading the demo")));
    assert!(lines.iter().any(|l| l.contains("http://127.0.0.1:")));
    // The folder is taken.
    let second = filamentum(&["demo", "--port", "0", "--data", &data.display().to_string()], "");
    let text = String::from_utf8_lossy(&second.stderr).into_owned();
    assert!(!second.status.success() && text.contains("in use") && text.contains("--data"), "{text}");
    // A crash takes the server down with it and leaves the data.
    first.signal("-9");
    first.0.wait().unwrap();
    let pid_free = || std::fs::File::open(data.join("lock")).unwrap().try_lock().is_ok();
    assert!(pid_free());
    std::thread::sleep(std::time::Duration::from_secs(2));
    let mut again = Demo::start(&data);
    let lines = again.until("Sign in as");
    assert!(!lines.iter().any(|l| l.contains("Loading the demo")), "the data are kept: {lines:?}");
    again.signal("-TERM");
    again.until("the data are kept");
    assert!(again.0.wait().unwrap().success());
}
