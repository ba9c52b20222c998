//! Names in imported lines that a workshop does not know: they are those of somebody or something known, or are added on the way.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::team::{Invitation, PeopleManager};
use coil::design::{Format, Wire, starting_point};
use std::collections::BTreeMap;
use store::ClientKey;
use store::person::Role;
use store::spool::NewSpool;
use strum::{EnumString, IntoStaticStr};
use trade::run_import::ImportLine;

/// Tries for a name to sign in with that nobody has.
const MOST_TRIES: u32 = 20;

/// A column of names.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum NameColumn {
    /// The design.
    Design,
    /// The spool.
    Spool,
    /// Who wound.
    Operator,
    /// The winder.
    Winder,
}

impl NameColumn {
    fn field_mut(self, line: &mut ImportLine) -> &mut String {
        let row = &mut line.entry;
        match self {
            Self::Design => &mut row.design,
            Self::Spool => &mut row.spool,
            Self::Operator => &mut row.operator,
            Self::Winder => &mut row.winder,
        }
    }

    /// Who may add what the column names.
    #[must_use]
    pub const fn action(self) -> Action {
        match self {
            Self::Design => Action::ChangeDesigns,
            Self::Spool => Action::ChangeStock,
            Self::Operator => Action::ManagePeople,
            Self::Winder => Action::ChangeInstruments,
        }
    }
}

/// What is done about a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NameDecision {
    /// It is another name of something known.
    Is(String),
    /// It is added: an operator who signs in later, a spool of the wire that its design names.
    Add,
    /// A design of a format is begun, to be completed later.
    AddDesign(Format),
}

/// Names with what is done about them.
pub type NameDecisions = BTreeMap<(NameColumn, String), NameDecision>;

/// The lines with the names that they are known by.
#[must_use]
pub fn with_known_names(mut lines: Vec<ImportLine>, decisions: &NameDecisions) -> Vec<ImportLine> {
    for ((column, name), decision) in decisions {
        let NameDecision::Is(known) = decision else { continue };
        for line in &mut lines {
            let said = column.field_mut(line);
            if said.to_lowercase() == name.to_lowercase() {
                known.clone_into(said);
            }
        }
    }
    lines
}

/// A name to sign in with, made of the name that others read.
fn sign_in_of(name: &str, tries: u32) -> String {
    let letters: String = name
        .to_lowercase()
        .chars()
        .map(|c| if c.is_alphanumeric() { c } else { '.' })
        .collect::<String>()
        .split('.')
        .filter(|part| !part.is_empty())
        .collect::<Vec<_>>()
        .join(".");
    let letters = if letters.is_empty() { "operator".to_owned() } else { letters };
    if tries == 0 { letters } else { format!("{letters}.{}", tries + 1) }
}

impl Workshop {
    /// Adds what decisions say is to be added; returns how many things were.
    ///
    /// # Errors
    /// [`Refusal::NotAllowed`] when the actor may not add such a thing; those of adding it.
    pub async fn add_import_names(
        &self,
        actor: &Actor,
        lines: &[ImportLine],
        decisions: &NameDecisions,
    ) -> Result<u32, Refusal> {
        actor.require(Action::ImportRuns)?;
        let mut added = 0;
        for ((column, name), decision) in decisions {
            match (column, decision) {
                (NameColumn::Design, NameDecision::AddDesign(kind)) => {
                    self.add_named_design(actor, name, *kind, lines).await?;
                }
                (NameColumn::Spool, NameDecision::Add) => self.add_named_spool(actor, name, lines).await?,
                (NameColumn::Operator, NameDecision::Add) => self.add_named_operator(actor, name).await?,
                _ => continue,
            }
            added += 1;
        }
        Ok(added)
    }

    /// A design of a format with the turns of the first line that names it.
    async fn add_named_design(
        &self,
        actor: &Actor,
        name: &str,
        kind: Format,
        lines: &[ImportLine],
    ) -> Result<(), Refusal> {
        actor.require(NameColumn::Design.action())?;
        // Sent twice, it is begun once.
        let known = self.store_of(actor).revision_names().await?;
        if known.iter().any(|(other, ..)| other.to_lowercase() == name.to_lowercase()) {
            return Ok(());
        }
        let mut design = starting_point(kind, name, 6, 10.4);
        let mut of_it = lines.iter().filter(|line| line.entry.design.to_lowercase() == name.to_lowercase());
        if let Some(turns) = of_it.find_map(|line| line.entry.turns) {
            let mut as_wound = design.clone();
            as_wound.coils.iter_mut().for_each(|coil| coil.wind.turns = turns);
            if as_wound.problems().is_empty() {
                design = as_wound;
            }
        }
        let note = "Begun by an import: complete it.";
        self.save_design(actor, &ClientKey::random(), None, note, &design).await?;
        Ok(())
    }

    /// A spool of the wire that the design of its first line names.
    async fn add_named_spool(&self, actor: &Actor, name: &str, lines: &[ImportLine]) -> Result<(), Refusal> {
        let store = self.store_of(actor);
        let design = lines
            .iter()
            .find(|line| line.entry.spool.to_lowercase() == name.to_lowercase())
            .map(|line| line.entry.design.to_lowercase());
        let names = store.revision_names().await?;
        let newest = names.iter().rev().find(|(known, ..)| Some(known.to_lowercase()) == design);
        let wire = match newest {
            Some((_, _, revision, _)) => {
                let found = store.revision(*revision).await?.design;
                found.coils.first().map(|coil| coil.wire.clone())
            }
            None => None,
        };
        let wire = wire.unwrap_or_else(|| coil::design::reference_coil().coils[0].wire.clone());
        let new = NewSpool {
            key: ClientKey::random(),
            label: name.to_owned(),
            wire: Wire { spool: None, ..wire },
            remark: "Added by an import, with the wire of its design.".into(),
        };
        match self.add_spool(actor, &new).await {
            Ok(_) | Err(Refusal::NameTaken(_)) => Ok(()),
            Err(refusal) => Err(refusal),
        }
    }

    /// An operator who signs in once they were given a link.
    async fn add_named_operator(&self, actor: &Actor, name: &str) -> Result<(), Refusal> {
        let manager = PeopleManager::new(actor)?;
        let known = self.store_of(actor).people().await?;
        if known.iter().any(|person| person.name.to_lowercase() == name.to_lowercase()) {
            return Ok(());
        }
        for tries in 0..MOST_TRIES {
            let sign_in = sign_in_of(name, tries);
            let invitation = Invitation { name: name.to_owned(), sign_in, role: Role::Operator };
            match self.invite(&manager, &invitation).await {
                Err(Refusal::NameTaken(_)) => {}
                done => return done.map(|_| ()),
            }
        }
        Err(Refusal::NameTaken("person"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_to_sign_in_with_are_plain() {
        assert_eq!(sign_in_of("Jo Brandt", 0), "jo.brandt");
        assert_eq!(sign_in_of("  J. & K. ", 1), "j.k.2");
        assert_eq!(sign_in_of("!", 0), "operator");
    }
}
