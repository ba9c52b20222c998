//! What the project depends on: from one registry, under licences that it may be shipped with. The rules are those of
//! `deny.toml`, which cargo-deny checks with the known advisories as well.

use std::path::Path;
use std::process::Command;

/// The strings of a list in `deny.toml`.
fn listed(text: &str, name: &str) -> Vec<String> {
    let start = format!("{name} = [");
    let line = text.lines().find(|line| line.starts_with(&start)).unwrap_or_default();
    line.split('"').skip(1).step_by(2).map(str::to_owned).collect()
}

/// Whether a licence expression is met by what is allowed: one of each `OR`, all of each `AND`.
fn is_allowed(expression: &str, allowed: &[String]) -> bool {
    let plain = expression.replace('/', " OR ").replace(['(', ')'], " ");
    plain.split(" AND ").all(|part| part.split(" OR ").any(|one| allowed.iter().any(|a| a == one.trim())))
}

#[test]
fn every_dependency_may_be_shipped_and_comes_from_the_registry() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let output = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--offline", "--locked"])
        .args(["--filter-platform", "x86_64-unknown-linux-gnu"])
        .current_dir(&root)
        .output()
        .unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let metadata: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let rules = std::fs::read_to_string(root.join("deny.toml")).unwrap();
    let allowed = listed(&rules, "allow");
    let packages = metadata["packages"].as_array().unwrap();
    assert!(packages.len() > 100);
    let mut refused = Vec::new();
    for package in packages {
        let name = package["name"].as_str().unwrap();
        let Some(source) = package["source"].as_str() else { continue };
        if source != "registry+https://github.com/rust-lang/crates.io-index" {
            refused.push(format!("{name} comes from {source}"));
        }
        match package["license"].as_str() {
            Some(licence) if is_allowed(licence, &allowed) => {}
            other => refused.push(format!("{name} is under {other:?}")),
        }
    }
    assert_eq!(refused, Vec::<String>::new());
}

#[test]
fn expressions_are_read() {
    let allowed = ["MIT".to_owned(), "Apache-2.0".to_owned(), "ISC".to_owned()];
    assert!(is_allowed("MIT OR GPL-3.0", &allowed) && is_allowed("MIT/Apache-2.0", &allowed));
    assert!(is_allowed("(MIT OR GPL-3.0) AND ISC", &allowed));
    assert!(!is_allowed("GPL-3.0", &allowed) && !is_allowed("MIT AND GPL-3.0", &allowed));
}
