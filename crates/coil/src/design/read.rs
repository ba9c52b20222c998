//! Reading a document: every error at once, by its place.

use super::{Design, FORMAT, LIMITS, Problem};
use jsonschema::error::ValidationErrorKind;
use jsonschema::{ValidationError, Validator};
use serde_json::Value;
use std::sync::LazyLock;

/// Longest document read, bytes: a pickup takes a few thousand.
pub const LONGEST_BYTES: usize = 1 << 20;
/// Most problems told at once.
const MOST_PROBLEMS: usize = 100;

/// The JSON Schema of the format, made from the types and the table of limits.
#[must_use]
pub fn schema() -> Value {
    let mut schema = structure();
    for limit in LIMITS {
        let mut pointer = String::new();
        for step in limit.place.replace("[]", ".[]").split('.') {
            // Types that are used in several places are defined once, and referred to.
            pointer = resolved(&schema, pointer);
            pointer = if step == "[]" { pointer + "/items" } else { pointer + "/properties/" + step };
        }
        pointer = resolved(&schema, pointer);
        if let Some(number) = schema.pointer_mut(&pointer).and_then(Value::as_object_mut) {
            number.insert("minimum".into(), limit.low.into());
            number.insert("maximum".into(), limit.high.into());
        }
    }
    schema
}

/// The place that a schema at a place refers to; the place itself where it refers to none.
fn resolved(schema: &Value, pointer: String) -> String {
    let Some(at) = schema.pointer(&pointer) else { return pointer };
    let choices = at.get("anyOf").and_then(Value::as_array).into_iter().flatten();
    let reference = std::iter::once(at).chain(choices).find_map(|s| s.get("$ref")?.as_str());
    reference.and_then(|r| r.strip_prefix('#')).map_or(pointer, str::to_owned)
}

/// The schema without limits: those are checked in a document that reads, so that all are told at once.
fn structure() -> Value {
    let mut schema = schemars::schema_for!(Design).to_value();
    if let Some(object) = schema.as_object_mut() {
        object.insert("title".into(), FORMAT.into());
    }
    schema
}

static VALIDATOR: LazyLock<Option<Validator>> =
    LazyLock::new(|| jsonschema::validator_for(&structure()).ok());

/// Reads a design from JSON text and checks it.
///
/// ```
/// let problems = coil::design::read(r#"{"format": "filamentum-design/1", "coils": 3}"#).unwrap_err();
/// // Every problem at once, each with its place.
/// assert!(problems.len() > 1);
/// let text = serde_json::to_string(&coil::design::reference_coil()).unwrap();
/// assert_eq!(coil::design::read(&text).unwrap(), coil::design::reference_coil());
/// ```
///
/// # Errors
/// Every problem found, by its place: keys that are unknown, missing or of a wrong kind all at once; in a document that
/// reads, all values out of range at once. A document that is not JSON, nested more than 128 deep or larger than
/// [`LONGEST_BYTES`] gives that one problem.
pub fn read(text: &str) -> Result<Design, Vec<Problem>> {
    read_value(parse(text)?)
}

/// The JSON value of a text that is not too long.
pub(crate) fn parse(text: &str) -> Result<Value, Vec<Problem>> {
    if text.len() > LONGEST_BYTES {
        return Err(vec![Problem::new(
            "",
            format!("the document has {} bytes; up to {LONGEST_BYTES} are read", text.len()),
            "a pickup takes a few thousand: leave out what does not belong to it",
        )]);
    }
    serde_json::from_str(text).map_err(|error| {
        vec![Problem::new(
            "",
            format!("this is not JSON: {error}"),
            "check the brackets and commas near that place",
        )]
    })
}

/// Reads a design from parsed JSON and checks it; errors as [`read`].
pub fn read_value(value: Value) -> Result<Design, Vec<Problem>> {
    read_document(FORMAT, VALIDATOR.as_ref(), value, Design::problems)
}

/// Reads a document of a format: what its schema refuses, and what `problems_of` finds in what reads, all at once.
pub(crate) fn read_document<T: serde::de::DeserializeOwned>(
    format: &str,
    validator: Option<&Validator>,
    mut value: Value,
    problems_of: impl Fn(&T) -> Vec<Problem>,
) -> Result<T, Vec<Problem>> {
    let named = value.get("format").and_then(Value::as_str);
    if named != Some(format) {
        let found = named
            .map_or_else(|| "none".to_owned(), |n| format!("“{}”", n.chars().take(60).collect::<String>()));
        return Err(vec![Problem::new(
            "format",
            format!("the document's format is {found}, {format} is read here"),
            format!("write \"format\": \"{format}\" if that is what it is"),
        )]);
    }
    let mut problems = shape_problems(validator, &mut value);
    // With its strangers out the rest may still be read, and its values checked in the same breath.
    for _ in 0..MOST_PROBLEMS {
        match serde_path_to_error::deserialize::<_, T>(value.clone()) {
            Ok(document) => {
                problems.extend(problems_of(&document));
                problems.truncate(MOST_PROBLEMS);
                return if problems.is_empty() { Ok(document) } else { Err(problems) };
            }
            Err(error) => {
                let at = error.path().to_string();
                if !problems.iter().any(|p| p.at.starts_with(&at) || at.starts_with(&p.at)) {
                    let text = error.inner().to_string();
                    problems.push(Problem::new(&at, text, "see docs/formats.md for the keys and values"));
                }
                // A gauge that cannot be is told, and another put in its place to see what else there is.
                let pointer = format!("/{}", at.replace('[', ".").replace(']', "").replace('.', "/"));
                match value.pointer_mut(&pointer) {
                    Some(gauge) if at.ends_with("gauge") && gauge.is_string() => *gauge = "42 AWG".into(),
                    _ => break,
                }
            }
        }
    }
    problems.truncate(MOST_PROBLEMS);
    Err(problems)
}

/// What the schema refuses; unknown keys are taken out of the document.
fn shape_problems(validator: Option<&Validator>, value: &mut Value) -> Vec<Problem> {
    // The schema is made from the types by this program; were it ever to fail, reading still refuses by place.
    let Some(validator) = validator else { return Vec::new() };
    let mut strangers: Vec<(String, Vec<String>)> = Vec::new();
    let mut problems = Vec::new();
    for error in validator.iter_errors(value).take(MOST_PROBLEMS) {
        let pointer = error.instance_path().to_string();
        let at = place(&pointer);
        if let ValidationErrorKind::AdditionalProperties { unexpected } = error.kind() {
            for key in unexpected {
                let at = if at.is_empty() { short(key) } else { format!("{at}.{}", short(key)) };
                let text = format!("there is no key “{}” here", short(key));
                problems.push(Problem::new(&at, text, "see docs/formats.md for the keys and values"));
            }
            strangers.push((pointer, unexpected.clone()));
        } else {
            problems.push(told(&at, &error));
        }
    }
    for (pointer, keys) in strangers {
        if let Some(Value::Object(object)) = value.pointer_mut(&pointer) {
            for key in keys {
                object.remove(&key);
            }
        }
    }
    problems
}

fn told(at: &str, error: &ValidationError<'_>) -> Problem {
    let see = "see docs/formats.md for the keys and values";
    let found = short(&error.instance().to_string());
    match error.kind() {
        ValidationErrorKind::Required { property } => {
            let key = property.as_str().unwrap_or_default();
            let at = if at.is_empty() { key.to_owned() } else { format!("{at}.{key}") };
            Problem::new(&at, "this key is missing", see)
        }
        ValidationErrorKind::Type { kind } => {
            let kind = format!("{kind:?}");
            let wanted = ["Number", "Integer", "String", "Array", "Object", "Boolean"]
                .into_iter()
                .find(|name| kind.contains(name))
                .unwrap_or("another kind");
            Problem::new(at, format!("{found} is not what belongs here: {}", wanted.to_lowercase()), see)
        }
        ValidationErrorKind::Enum { options } => {
            let options: Vec<&str> =
                options.as_array().into_iter().flatten().filter_map(Value::as_str).collect();
            Problem::new(
                at,
                format!("{found} is none of the values"),
                format!("one of {}", options.join(", ")),
            )
        }
        ValidationErrorKind::Minimum { limit } => {
            Problem::new(at, format!("{found} is out of range"), format!("at least {limit}"))
        }
        ValidationErrorKind::Pattern { .. } => {
            Problem::new(at, format!("cannot read {found}"), "write it as 42 AWG, 46 SWG or 0.063 mm")
        }
        ValidationErrorKind::AnyOf { .. } | ValidationErrorKind::OneOfNotValid { .. } => {
            Problem::new(at, format!("{found} is none of the values that belong here"), see)
        }
        _ => Problem::new(at, short(&error.to_string()), see),
    }
}

/// From a JSON pointer to a place such as `coils[0].wind.turns`.
fn place(pointer: &str) -> String {
    let mut place = String::new();
    for part in pointer.split('/').skip(1) {
        let part = part.replace("~1", "/").replace("~0", "~");
        if part.parse::<usize>().is_ok() {
            place.extend(["[", &part, "]"]);
        } else {
            if !place.is_empty() {
                place.push('.');
            }
            place.push_str(&short(&part));
        }
    }
    place
}

/// The beginning of what may be anything.
fn short(text: &str) -> String {
    let mut kept: String = text.chars().filter(|c| !c.is_control()).take(60).collect();
    if text.chars().count() > 60 {
        kept.push('…');
    }
    kept
}
