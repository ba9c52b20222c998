//! The names that a workshop knows, and what is wrong with lines whose names it does not.

use crate::actor::Actor;
use crate::import_names::NameColumn;
use crate::refusal::Refusal;
use std::collections::{BTreeMap, BTreeSet};
use store::{DesignId, InstrumentId, PersonId, RevisionId, SpoolId, WorkshopStore};
use trade::instrument::InstrumentKind;
use trade::run_import::ImportRow;

/// Names less alike than this are not suggested.
const LEAST_ALIKE: f64 = 0.4;

/// Something that is wrong with a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LineProblem {
    /// A column cannot be read; an empty column means the whole line.
    Unreadable {
        /// The column.
        column: String,
        /// Why.
        message: String,
    },
    /// A name that is not known.
    UnknownName {
        /// The column.
        column: NameColumn,
        /// The name.
        name: String,
        /// The name that is most like it.
        suggestion: Option<String>,
    },
    /// The design has no such revision; it has these.
    UnknownRevision {
        /// The design.
        design: String,
        /// Its revisions.
        available: Vec<u32>,
    },
}

/// A line whose names are found, before its document is fetched.
pub(crate) struct Names {
    pub(crate) revision: RevisionId,
    pub(crate) design: DesignId,
    pub(crate) authors: Vec<PersonId>,
    pub(crate) spool: Option<(SpoolId, coil::design::Spool)>,
    pub(crate) operator: PersonId,
    pub(crate) winder: Option<InstrumentId>,
}

/// The names of a workshop, in small letters.
pub(crate) struct KnownNames {
    designs: BTreeMap<String, Vec<(u32, RevisionId, DesignId)>>,
    spools: BTreeMap<String, (SpoolId, coil::design::Spool)>,
    people: BTreeMap<String, PersonId>,
    winders: BTreeMap<String, InstrumentId>,
    /// Every name as it is written, by its small letters.
    written: BTreeMap<String, String>,
}

impl KnownNames {
    pub(crate) async fn load(store: &WorkshopStore) -> Result<Self, Refusal> {
        let mut designs: BTreeMap<String, Vec<(u32, RevisionId, DesignId)>> = BTreeMap::new();
        let mut written = BTreeMap::new();
        for (name, number, id, design) in store.revision_names().await? {
            written.insert(name.to_lowercase(), name.clone());
            designs.entry(name.to_lowercase()).or_default().push((number, id, design));
        }
        let spools = store.spools().await?;
        let people = store.people().await?;
        let instruments = store.instruments().await?;
        let names = spools.iter().map(|s| &s.label).chain(people.iter().map(|p| &p.name));
        for name in names.chain(instruments.iter().map(|i| &i.name)) {
            written.insert(name.to_lowercase(), name.clone());
        }
        let winders = instruments.iter().filter(|i| i.kind.0 == InstrumentKind::Winder);
        Ok(Self {
            written,
            designs,
            spools: spools.iter().map(|s| (s.label.to_lowercase(), (s.id, s.measured()))).collect(),
            people: people.iter().map(|p| (p.name.to_lowercase(), p.id)).collect(),
            winders: winders.map(|i| (i.name.to_lowercase(), i.id)).collect(),
        })
    }

    /// All names as they are written, by column.
    pub(crate) fn by_column(&self) -> BTreeMap<NameColumn, Vec<String>> {
        let written = |small: &String| self.written.get(small).unwrap_or(small).clone();
        BTreeMap::from([
            (NameColumn::Design, self.designs.keys().map(written).collect()),
            (NameColumn::Spool, self.spools.keys().map(written).collect()),
            (NameColumn::Operator, self.people.keys().map(written).collect()),
            (NameColumn::Winder, self.winders.keys().map(written).collect()),
        ])
    }

    fn unknown<'a>(
        &self,
        column: NameColumn,
        name: &str,
        all: impl Iterator<Item = &'a String>,
    ) -> LineProblem {
        let suggestion = most_alike(name, all).map(|n| self.written.get(n).unwrap_or(n).clone());
        LineProblem::UnknownName { column, name: name.to_owned(), suggestion }
    }

    /// Finds a line's names; without one, the actor is taken for the operator.
    pub(crate) fn resolve(&self, row: &ImportRow, actor: &Actor) -> Result<Names, Vec<LineProblem>> {
        let mut problems = Vec::new();
        let revision = match self.designs.get(&row.design.to_lowercase()) {
            None if row.design.is_empty() => None,
            None => {
                problems.push(self.unknown(NameColumn::Design, &row.design, self.designs.keys()));
                None
            }
            Some(all) => {
                let found = match row.revision {
                    Some(number) => all.iter().find(|(n, _, _)| *n == number),
                    // Variants come first: the last is the newest of the design.
                    None => all.last(),
                };
                if found.is_none() {
                    let available = all.iter().map(|(n, _, _)| *n).collect();
                    problems.push(LineProblem::UnknownRevision { design: row.design.clone(), available });
                }
                found.map(|(_, id, design)| (*id, *design))
            }
        };
        let spool = self.spools.get(&row.spool.to_lowercase()).copied();
        if spool.is_none() && !row.spool.is_empty() {
            problems.push(self.unknown(NameColumn::Spool, &row.spool, self.spools.keys()));
        }
        let operator = match row.operator.as_str() {
            "" => Some(actor.person),
            name => self.people.get(&name.to_lowercase()).copied(),
        };
        if operator.is_none() {
            problems.push(self.unknown(NameColumn::Operator, &row.operator, self.people.keys()));
        }
        let winder = self.winders.get(&row.winder.to_lowercase()).copied();
        if winder.is_none() && !row.winder.is_empty() {
            problems.push(self.unknown(NameColumn::Winder, &row.winder, self.winders.keys()));
        }
        match (revision, operator) {
            (Some((revision, design)), Some(operator)) if problems.is_empty() => {
                let readings = row.record.iter().flat_map(|record| &record.readings);
                let author = |name: &str| self.people.get(&name.to_lowercase()).copied().unwrap_or(operator);
                let authors = readings.map(|reading| author(&reading.by)).collect();
                Ok(Names { revision, design, authors, spool, operator, winder })
            }
            _ => Err(problems),
        }
    }
}

/// The name among some that is most like another, if one is like it at all: by the pairs of letters in common.
fn most_alike<'a>(name: &str, all: impl Iterator<Item = &'a String>) -> Option<&'a String> {
    let pairs = |text: &str| -> BTreeSet<(char, char)> {
        let letters: Vec<char> = text.to_lowercase().chars().collect();
        letters.windows(2).map(|w| (w[0], w[1])).collect()
    };
    let own = pairs(name);
    let alike = |other: &str| {
        let theirs = pairs(other);
        2.0 * own.intersection(&theirs).count() as f64 / (own.len() + theirs.len()).max(1) as f64
    };
    all.map(|other| (alike(other), other))
        .filter(|(a, _)| *a > LEAST_ALIKE)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, n)| n)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_misspelt_name_is_guessed_and_a_strange_one_is_not() {
        let names = ["reed lap steel, bridge".to_owned(), "heron mandola".to_owned()];
        assert_eq!(most_alike("Heron mandolla", names.iter()), Some(&names[1]));
        assert_eq!(most_alike("zzz", names.iter()), None);
    }
}
