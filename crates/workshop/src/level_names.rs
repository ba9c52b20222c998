//! Names of the levels of every factor: spools, people, winders, designs, patterns, formats.

use crate::refusal::Refusal;
use coil::design::Format;
use std::collections::BTreeMap;
use store::WorkshopStore;
use trade::calibration::Factor;

/// Names by factor and number.
#[derive(Clone, Debug)]
pub struct LevelNames(BTreeMap<(Factor, u64), String>);

impl LevelNames {
    /// The names in a workshop.
    pub(crate) async fn load(store: &WorkshopStore) -> Result<Self, Refusal> {
        let mut all = BTreeMap::new();
        for (id, label) in store.spool_labels().await? {
            all.insert((Factor::Spool, id.0), label);
        }
        for person in store.people().await? {
            all.insert((Factor::Operator, person.id.0), person.name);
        }
        for instrument in store.instruments().await? {
            all.insert((Factor::Winder, instrument.id.0), instrument.name);
        }
        for (id, name, _) in store.logged_designs().await? {
            all.insert((Factor::Design, id.0), name);
        }
        for (level, word) in [(0, "straight"), (1, "scattered")] {
            all.insert((Factor::Pattern, level), word.to_owned());
        }
        for format in Format::ALL {
            all.insert((Factor::Format, format.number()), format.name().to_owned());
        }
        Ok(Self(all))
    }

    /// The name of a level; its factor and number where it has none.
    #[must_use]
    pub fn name_of(&self, factor: Factor, level: u64) -> String {
        self.0.get(&(factor, level)).cloned().unwrap_or_else(|| format!("{} {level}", factor.name()))
    }
}
