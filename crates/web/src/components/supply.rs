//! Wire and parts in words.

use presentation::format::METRE;
use workshop::Supply;

/// What it is, and how much of it.
pub(crate) fn supply_words(supply: &Supply, amount: f64) -> (String, String) {
    match supply {
        Supply::Wire(gauge) => (format!("{gauge} wire"), METRE.text(amount)),
        Supply::Part(name) => (name.clone(), format!("{amount:.0}")),
    }
}
