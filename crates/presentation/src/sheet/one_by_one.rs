//! What of a design has fields of its own for each, although all are alike.

use crate::form_fields::FormFields;

/// The form's flags for poles and strings that are set one by one.
pub const POLES_EACH: &str = "poles_each";
/// See [`POLES_EACH`].
pub const STRINGS_EACH: &str = "strings_each";

/// What of a design has fields of its own for each, although all are alike.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct OneByOne {
    /// Poles.
    pub poles: bool,
    /// Strings.
    pub strings: bool,
}

impl From<&FormFields> for OneByOne {
    fn from(form: &FormFields) -> Self {
        Self { poles: form.is_ticked(POLES_EACH), strings: form.is_ticked(STRINGS_EACH) }
    }
}

impl OneByOne {
    /// The form's flags.
    #[must_use]
    pub fn flags(self) -> [(&'static str, &'static str); 2] {
        let flag = |is_on| if is_on { "yes" } else { "" };
        [(POLES_EACH, flag(self.poles)), (STRINGS_EACH, flag(self.strings))]
    }
}
