//! Circles among files.

use std::collections::BTreeMap;

/// A circle of files, its first file named again at the end; `None` when there is none.
#[must_use]
pub fn circle(arrows: &BTreeMap<String, Vec<String>>) -> Option<Vec<String>> {
    let mut done = Vec::new();
    arrows.keys().find_map(|file| walk(file, arrows, &mut Vec::new(), &mut done))
}

fn walk<'a>(
    file: &'a str,
    arrows: &'a BTreeMap<String, Vec<String>>,
    way: &mut Vec<&'a str>,
    done: &mut Vec<&'a str>,
) -> Option<Vec<String>> {
    if let Some(from) = way.iter().position(|f| *f == file) {
        let mut found: Vec<String> = way[from..].iter().map(|f| (*f).to_owned()).collect();
        found.push(file.to_owned());
        return Some(found);
    }
    if done.contains(&file) {
        return None;
    }
    way.push(file);
    let found = arrows.get(file).into_iter().flatten().find_map(|next| walk(next, arrows, way, done));
    way.pop();
    done.push(file);
    found
}
