//! The engine's version is raised exactly when a figure moves: runs keep the version that judged them.

use coil::prediction::predict;
use serde_json::Value;
use std::fmt::Write as _;
use std::path::Path;

/// The figures of the examples for each version of the engine, the newest last: version and hash. A line is added, and none is changed.
const HISTORY: &[(&str, u64)] = &[("0.4.0", 0x6d85_213b_af83_7d03)];

/// Every number of an answer with six digits, by its place. What is not a figure stays out: words and the version itself.
fn figures(value: &Value, place: &str, all: &mut String) {
    match value {
        Value::Number(number) => {
            // Six digits: processors add up long sums in different orders.
            let number = number.as_f64().unwrap();
            writeln!(all, "{place} {number:.5e}").unwrap();
        }
        Value::Array(items) => {
            for (k, item) in items.iter().enumerate() {
                figures(item, &format!("{place}[{k}]"), all);
            }
        }
        Value::Object(fields) => {
            for (name, field) in fields {
                figures(field, &format!("{place}.{name}"), all);
            }
        }
        Value::Null | Value::Bool(_) | Value::String(_) => {}
    }
}

/// FNV-1a, 64 bits (Fowler, Noll, Vo).
fn hash(text: &str) -> u64 {
    text.bytes()
        .fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x100_0000_01b3))
}

#[test]
fn the_hash_is_that_of_its_authors() {
    // Test vectors of the authors' own reference code.
    assert_eq!(
        [hash(""), hash("a"), hash("foobar")],
        [0xcbf2_9ce4_8422_2325, 0xaf63_dc4c_8601_ec8c, 0x8594_4171_f739_67e8]
    );
}

#[test]
fn no_figure_moves_without_a_new_version() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/designs");
    let mut examples: Vec<_> =
        std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    examples.retain(|path| path.extension().is_some_and(|kind| kind == "json"));
    examples.sort();
    let mut all = String::new();
    for path in examples {
        let design = coil::design::read(&std::fs::read_to_string(&path).unwrap()).unwrap();
        let answer = serde_json::to_value(predict(&design).unwrap()).unwrap();
        figures(&answer, path.file_stem().unwrap().to_str().unwrap(), &mut all);
    }
    assert!(all.lines().count() > 500, "{} figures", all.lines().count());
    let found = hash(&all);
    let (version, expected) = HISTORY.last().unwrap();
    assert_eq!(*version, coil::ENGINE, "raise the version and add a line: ({:?}, {found:#x})", coil::ENGINE);
    assert_eq!(
        found, *expected,
        "figures moved since {version}: raise the version of coil and add a line with {found:#x}"
    );
}
