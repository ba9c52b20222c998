//! The fields of a form as they were typed, by name, and messages by field.

use std::collections::BTreeMap;

/// Messages by field.
pub type Errors = BTreeMap<String, String>;

/// The fields of a form as they were typed.
///
/// ```
/// use presentation::form_fields::FormFields;
/// let form: FormFields = [("turns", " 7500 "), ("machine", "yes")].into_iter().collect();
/// assert_eq!(form.get("turns"), "7500");
/// assert_eq!(form.id("turns"), Some(7500));
/// assert!(form.is_ticked("machine") && form.get("other").is_empty());
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FormFields(pub BTreeMap<String, String>);

impl FormFields {
    /// A field, trimmed; empty when absent.
    #[must_use]
    pub fn get(&self, name: &str) -> &str {
        self.0.get(name).map_or("", |value| value.trim())
    }

    /// A field as it was typed, blanks at the ends included; empty when absent.
    #[must_use]
    pub fn untrimmed(&self, name: &str) -> &str {
        self.0.get(name).map_or("", String::as_str)
    }

    /// Whether the field was sent, be it empty.
    #[must_use]
    pub fn has(&self, name: &str) -> bool {
        self.0.contains_key(name)
    }

    /// Whether a box is ticked.
    #[must_use]
    pub fn is_ticked(&self, name: &str) -> bool {
        self.get(name) == "yes"
    }

    /// A number in the database; `None` when absent or no number.
    #[must_use]
    pub fn id(&self, name: &str) -> Option<u64> {
        self.get(name).parse().ok()
    }

    /// Names and values, in the order of the names.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &str)> {
        self.0.iter().map(|(name, value)| (name.as_str(), value.as_str()))
    }

    /// Sets a field.
    pub fn set(&mut self, name: impl Into<String>, value: impl Into<String>) {
        self.0.insert(name.into(), value.into());
    }
}

impl<N: Into<String>, V: Into<String>> FromIterator<(N, V)> for FormFields {
    fn from_iter<I: IntoIterator<Item = (N, V)>>(fields: I) -> Self {
        Self(fields.into_iter().map(|(name, value)| (name.into(), value.into())).collect())
    }
}
