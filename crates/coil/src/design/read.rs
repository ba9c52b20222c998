//! Reading a document.

use super::{Design, FORMAT, Problem};
use serde_json::Value;

/// Reads a design from JSON text and checks it.
///
/// # Errors
/// Every problem found, by its place: a document that is not JSON or has a wrong shape gives the first
/// such place; one that reads gives all values out of range at once.
pub fn read(text: &str) -> Result<Design, Vec<Problem>> {
    let value: Value = serde_json::from_str(text).map_err(|error| {
        vec![Problem::new(
            "",
            format!("this is not JSON: {error}"),
            "check the brackets and commas near that place",
        )]
    })?;
    read_value(value)
}

/// Reads a design from parsed JSON and checks it; errors as [`read`].
pub fn read_value(value: Value) -> Result<Design, Vec<Problem>> {
    let named = value.get("format").and_then(Value::as_str);
    if named != Some(FORMAT) {
        let found = named
            .map_or_else(|| "none".to_owned(), |n| format!("“{}”", n.chars().take(60).collect::<String>()));
        return Err(vec![Problem::new(
            "format",
            format!("the document's format is {found}, this engine reads {FORMAT}"),
            format!("write \"format\": \"{FORMAT}\" if that is what it is"),
        )]);
    }
    let design: Design = serde_path_to_error::deserialize(value).map_err(|error| {
        let at = error.path().to_string();
        vec![Problem::new(&at, error.inner().to_string(), "see docs/formats.md for the keys and values")]
    })?;
    let problems = design.problems();
    if problems.is_empty() { Ok(design) } else { Err(problems) }
}
