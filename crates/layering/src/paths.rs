//! From a path of a crate to the file that defines what it names.

use crate::files::SourceFile;
use std::collections::BTreeMap;

/// Most re-exports that are followed, one after the other.
const MOST_STEPS: usize = 8;

/// The file that defines what a path names; `None` for what is no file of the crate. The path begins at the crate's
/// root, without `crate`.
pub(crate) fn defining_file(path: &str, modules: &BTreeMap<&str, &SourceFile>) -> Option<String> {
    let mut path = path.to_owned();
    for _ in 0..MOST_STEPS {
        let (module, rest) = deepest(&path, modules)?;
        let name = rest.split("::").next().unwrap_or_default();
        // A re-export leads on to where the name is defined.
        match module.exports.iter().find(|(exported, _)| exported == name) {
            Some((_, target)) => {
                let further = rest.split_once("::").map(|(_, further)| format!("::{further}"));
                path = format!("{target}{}", further.unwrap_or_default());
            }
            None => return Some(module.name.clone()),
        }
    }
    None
}

/// The longest beginning of a path that is a module, and what comes after.
fn deepest<'a>(path: &str, modules: &BTreeMap<&str, &'a SourceFile>) -> Option<(&'a SourceFile, String)> {
    let parts: Vec<&str> = path.split("::").filter(|p| !p.is_empty()).collect();
    (0..=parts.len()).rev().find_map(|n| {
        let module = modules.get(parts[..n].join("::").as_str())?;
        Some((*module, parts[n..].join("::")))
    })
}
