//! Source files with the paths that they use.

use proc_macro2::{TokenStream, TokenTree};
use std::fs;
use std::io::{Error, ErrorKind};
use std::path::Path;
use syn::visit::{self, Visit};
use syn::{Attribute, ItemMod, ItemUse, Macro, UseTree, Visibility};

/// A source file of a crate.
#[derive(Clone, Debug, Default)]
pub struct SourceFile {
    /// Its name from the crate's source folder: `pages/runs/mod.rs`.
    pub name: String,
    /// Its module from the crate's root: `pages::runs`; empty for the root.
    pub module: String,
    /// Paths inside the crate that it uses, from the root.
    pub inside: Vec<String>,
    /// Paths of other crates that it uses.
    pub outside: Vec<String>,
    /// Names that it re-exports, with the paths that they lead to.
    pub exports: Vec<(String, String)>,
}

impl SourceFile {
    /// Reads a file; `name` is its name from the crate's source folder.
    ///
    /// # Errors
    /// When it is no Rust.
    pub fn parse(name: &str, text: &str) -> Result<Self, Error> {
        let invalid = |error: syn::Error| Error::new(ErrorKind::InvalidData, format!("{name}: {error}"));
        let syntax = syn::parse_file(text).map_err(invalid)?;
        let stem = name.trim_end_matches(".rs");
        let stem = stem.strip_suffix("/mod").unwrap_or(stem);
        let module = if matches!(stem, "lib" | "main") { String::new() } else { stem.replace('/', "::") };
        let mut reader = Reader {
            children: syntax.items.iter().filter_map(child).collect(),
            file: Self { name: name.into(), module, ..Self::default() },
        };
        reader.visit_file(&syntax);
        Ok(reader.file)
    }
}

/// All source files of a crate, by its source folder.
///
/// # Errors
/// When one cannot be read or is no Rust.
pub fn read_crate(folder: &Path) -> Result<Vec<SourceFile>, Error> {
    let mut all = Vec::new();
    let mut folders = vec![folder.to_path_buf()];
    while let Some(current) = folders.pop() {
        for entry in fs::read_dir(&current)? {
            let path = entry?.path();
            let name = path.strip_prefix(folder).unwrap_or(&path).to_string_lossy().into_owned();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|e| e == "rs") && !name.ends_with("tests.rs") {
                all.push(SourceFile::parse(&name, &fs::read_to_string(&path)?)?);
            }
        }
    }
    all.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(all)
}

/// The name of a module that is declared in the file.
fn child(item: &syn::Item) -> Option<String> {
    match item {
        syn::Item::Mod(module) if !is_test(&module.attrs) => Some(module.ident.to_string()),
        _ => None,
    }
}

/// Whether something is compiled for tests only.
fn is_test(attributes: &[Attribute]) -> bool {
    attributes.iter().any(|a| {
        a.path().is_ident("cfg") && a.meta.require_list().is_ok_and(|l| l.tokens.to_string() == "test")
    })
}

struct Reader {
    children: Vec<String>,
    file: SourceFile,
}

impl Reader {
    /// A path as it stands in the file, from the crate's root; `None` for paths of other crates and local names.
    fn resolve(&self, parts: &[String]) -> Option<String> {
        let own: Vec<&str> = self.file.module.split("::").filter(|p| !p.is_empty()).collect();
        let first = parts.first()?.as_str();
        let (base, rest): (Vec<&str>, &[String]) = match first {
            "crate" => (Vec::new(), &parts[1..]),
            "self" => (own, &parts[1..]),
            "super" => {
                let up = parts.iter().take_while(|p| *p == "super").count();
                (own[..own.len().saturating_sub(up)].to_vec(), &parts[up..])
            }
            name if self.children.iter().any(|c| c == name) => (own, parts),
            _ => return None,
        };
        Some(base.into_iter().chain(rest.iter().map(String::as_str)).collect::<Vec<_>>().join("::"))
    }

    fn note(&mut self, parts: &[String]) {
        match self.resolve(parts) {
            Some(path) => self.file.inside.push(path),
            None if parts.len() > 1 => self.file.outside.push(parts.join("::")),
            None => {}
        }
    }

    fn tree(&mut self, tree: &UseTree, before: &[String], is_export: bool) {
        let with = |name: &dyn ToString| [before, &[name.to_string()]].concat();
        match tree {
            UseTree::Path(path) => self.tree(&path.tree, &with(&path.ident), is_export),
            UseTree::Group(group) => group.items.iter().for_each(|t| self.tree(t, before, is_export)),
            UseTree::Name(name) if name.ident == "self" => self.note(before),
            UseTree::Name(name) => self.leaf(&with(&name.ident), &name.ident.to_string(), is_export),
            UseTree::Rename(name) => self.leaf(&with(&name.ident), &name.rename.to_string(), is_export),
            UseTree::Glob(_) => self.note(before),
        }
    }

    fn leaf(&mut self, parts: &[String], name: &str, is_export: bool) {
        match self.resolve(parts) {
            // A re-export is a sign on the door, and no use.
            Some(path) if is_export => self.file.exports.push((name.to_owned(), path)),
            _ => self.note(parts),
        }
    }

    /// Paths in what a macro is given, which is no syntax tree.
    fn tokens(&mut self, tokens: TokenStream) {
        let mut parts: Vec<String> = Vec::new();
        let mut colons = 0;
        for token in tokens {
            match token {
                TokenTree::Ident(ident) => {
                    if colons != 2 {
                        self.path_in_macro(&std::mem::take(&mut parts));
                    }
                    parts.push(ident.to_string());
                    colons = 0;
                }
                TokenTree::Punct(p) if p.as_char() == ':' && !parts.is_empty() => colons += 1,
                TokenTree::Group(group) => {
                    self.path_in_macro(&std::mem::take(&mut parts));
                    colons = 0;
                    self.tokens(group.stream());
                }
                _ => {
                    self.path_in_macro(&std::mem::take(&mut parts));
                    colons = 0;
                }
            }
        }
        self.path_in_macro(&parts);
    }

    fn path_in_macro(&mut self, parts: &[String]) {
        if parts.len() > 1 {
            self.note(parts);
        }
    }
}

impl<'ast> Visit<'ast> for Reader {
    fn visit_item_mod(&mut self, module: &'ast ItemMod) {
        if !is_test(&module.attrs) {
            visit::visit_item_mod(self, module);
        }
    }

    fn visit_item_use(&mut self, item: &'ast ItemUse) {
        if !is_test(&item.attrs) {
            let is_export = !matches!(item.vis, Visibility::Inherited);
            self.tree(&item.tree, &[], is_export);
        }
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let parts: Vec<String> = path.segments.iter().map(|s| s.ident.to_string()).collect();
        if parts.len() > 1 {
            self.note(&parts);
        }
        visit::visit_path(self, path);
    }

    fn visit_macro(&mut self, of: &'ast Macro) {
        self.tokens(of.tokens.clone());
        visit::visit_macro(self, of);
    }
}
