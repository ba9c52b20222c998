//! The rules of the house, read from the code: which crate may use which, and no circle of files inside any crate.
//!
//! A file uses another where a path in it leads there, by `use` or in place; a re-export leads to the file that defines
//! the name. Tests may use what they like.
#![deny(missing_docs)]

mod circles;
mod files;
mod paths;
mod permissions;

pub use circles::circle;
pub use files::{SourceFile, read_crate};
pub use permissions::unasked;

use std::collections::BTreeMap;

/// What a crate may use of the others.
#[derive(Clone, Copy, Debug)]
pub struct Rule {
    /// The crate.
    pub name: &'static str,
    /// The crates of the house that it may use.
    pub may_use: &'static [&'static str],
    /// Paths that it may not use although their crate may be used.
    pub forbidden: &'static [&'static str],
}

/// A path that a rule forbids.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Violation {
    /// The file, from the crate's folder.
    pub file: String,
    /// The path that it uses.
    pub path: String,
}

/// The arrows of a crate that its rule forbids. `house` are the names of all crates of the house.
#[must_use]
pub fn violations(files: &[SourceFile], rule: &Rule, house: &[&str]) -> Vec<Violation> {
    let mut found = Vec::new();
    for file in files {
        for path in &file.outside {
            let first = path.split("::").next().unwrap_or_default();
            let is_foreign = house.contains(&first) && first != rule.name && !rule.may_use.contains(&first);
            let is_forbidden =
                rule.forbidden.iter().any(|f| path == f || path.starts_with(&format!("{f}::")));
            if is_foreign || is_forbidden {
                found.push(Violation { file: file.name.clone(), path: path.clone() });
            }
        }
    }
    found
}

/// Which file of a crate uses which, by name.
#[must_use]
pub fn arrows(files: &[SourceFile]) -> BTreeMap<String, Vec<String>> {
    let modules: BTreeMap<&str, &SourceFile> = files.iter().map(|f| (f.module.as_str(), f)).collect();
    let mut all = BTreeMap::new();
    for file in files {
        let mut to: Vec<String> = file
            .inside
            .iter()
            .filter_map(|path| paths::defining_file(path, &modules))
            .filter(|other| *other != file.name)
            .collect();
        to.sort();
        to.dedup();
        all.insert(file.name.clone(), to);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::Path;

    /// The house, from the ground up.
    const RULES: [Rule; 9] = [
        Rule { name: "coil", may_use: &[], forbidden: &["sqlx", "actix_web", "tokio"] },
        Rule { name: "identity", may_use: &[], forbidden: &["sqlx", "actix_web"] },
        Rule { name: "instruments", may_use: &["coil"], forbidden: &["sqlx", "actix_web"] },
        Rule { name: "trade", may_use: &["coil"], forbidden: &["sqlx", "actix_web", "tokio"] },
        Rule { name: "store", may_use: &["coil", "trade"], forbidden: &["actix_web", "askama"] },
        Rule {
            name: "workshop",
            may_use: &["coil", "trade", "store", "instruments", "identity"],
            forbidden: &["sqlx", "actix_web", "askama"],
        },
        Rule {
            name: "presentation",
            may_use: &["coil", "trade"],
            forbidden: &["sqlx", "actix_web", "askama", "tokio"],
        },
        Rule {
            name: "web",
            may_use: &["coil", "trade", "store", "workshop", "instruments", "presentation"],
            forbidden: &[
                "sqlx",
                "store::Store",
                "store::WorkshopStore",
                "instruments::net",
                "coil::prediction::predict",
                "coil::prediction::predict_calibrated",
                "trade::judgement::judge_run",
                "trade::judgement::judge_solved",
            ],
        },
        Rule {
            name: "filamentum",
            may_use: &[
                "coil",
                "trade",
                "store",
                "instruments",
                "identity",
                "workshop",
                "web",
                "dev_database",
            ],
            forbidden: &["sqlx", "actix_web"],
        },
    ];
    const HOUSE: [&str; 10] = [
        "coil",
        "identity",
        "instruments",
        "trade",
        "store",
        "workshop",
        "presentation",
        "web",
        "filamentum",
        "dev_database",
    ];

    fn files_of(name: &str) -> Vec<SourceFile> {
        let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
        read_crate(&crates.join(name).join("src")).unwrap()
    }

    #[test]
    fn every_use_case_asks_for_a_permission() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().join("workshop/src");
        let mut found = Vec::new();
        let mut files = 0;
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            files += 1;
            found.extend(unasked(&std::fs::read_to_string(&path).unwrap()).unwrap());
        }
        assert!(files > 30 && found.is_empty(), "these do not ask: {found:?}");
    }

    #[test]
    fn no_arrow_leads_upwards() {
        for rule in &RULES {
            let found = violations(&files_of(rule.name), rule, &HOUSE);
            assert!(found.is_empty(), "{} may not use these: {found:#?}", rule.name);
        }
    }

    #[test]
    fn no_crate_has_a_circle_of_files() {
        let crates = RULES.iter().map(|r| r.name).chain(["dev-database"]);
        let found: Vec<String> = crates
            .filter_map(|name| {
                let found = circle(&arrows(&files_of(name)))?;
                Some(format!("{name}: {}", found.join(" uses ")))
            })
            .collect();
        assert!(found.is_empty(), "circles: {found:#?}");
    }

    /// Lines longer than this are not read, and not seen in a difference.
    const LONGEST_LINE: usize = 200;

    /// Lines of the templates in a folder that are too long, with how many templates there are.
    fn long_lines(folder: &Path) -> (usize, Vec<String>) {
        let (mut templates, mut found) = (0, Vec::new());
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                let (more, inside) = long_lines(&path);
                templates += more;
                found.extend(inside);
            } else if path.extension().is_some_and(|kind| kind == "html") {
                templates += 1;
                let text = std::fs::read_to_string(&path).unwrap();
                let long = text.lines().enumerate().filter(|(_, line)| line.chars().count() > LONGEST_LINE);
                found.extend(long.map(|(k, _)| format!("{}:{}", path.display(), k + 1)));
            }
        }
        (templates, found)
    }

    #[test]
    fn no_template_has_a_long_line() {
        let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
        let (templates, found) = long_lines(&crates.join("web/src"));
        assert!(templates > 30 && found.is_empty(), "too long: {found:#?}");
    }

    /// Both rules see what they are there for.
    #[test]
    fn a_circle_and_an_upward_arrow_are_found() {
        let file = |name: &str, text: &str| SourceFile::parse(name, text).unwrap();
        let files = [
            file("lib.rs", "mod a; mod b; pub use b::Thing;"),
            file("a.rs", "use crate::Thing; pub fn help() {} fn f() -> Thing { web::serve() }"),
            file("b.rs", "pub struct Thing; fn g() { crate::a::help() }"),
        ];
        assert_eq!(circle(&arrows(&files)).unwrap().len(), 3, "a, b and a again");
        let rule = Rule { name: "store", may_use: &["coil"], forbidden: &["sqlx"] };
        let found = violations(&files, &rule, &HOUSE);
        assert_eq!(found, [Violation { file: "a.rs".into(), path: "web::serve".into() }]);
        let tests_only = [
            file("lib.rs", "mod a; mod b;"),
            file("a.rs", "pub fn f() {} #[cfg(test)] mod tests { use crate::b::g; }"),
            file("b.rs", "use crate::a::f; pub fn g() { f() }"),
        ];
        assert_eq!(circle(&arrows(&tests_only)), None);
    }
}
