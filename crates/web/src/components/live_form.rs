//! What a form that is filled in is answered.

use presentation::form_fields::Errors;
use serde::Serialize;
use std::collections::BTreeMap;

/// What a form that is filled in is answered; the pages' component `liveForm` shows it.
#[derive(Serialize, Default)]
pub(crate) struct LiveAnswer {
    /// By field.
    pub errors: Errors,
    /// How typed values were understood, by field.
    pub meant: BTreeMap<String, String>,
    /// Markup by the id of the element that it belongs into; an element that is not named stays as it is.
    pub parts: BTreeMap<&'static str, String>,
    /// Markup of the fields, where others are to be shown.
    pub fields: Option<String>,
    /// Hidden fields that go with other fields.
    pub values: BTreeMap<&'static str, String>,
}

impl From<Errors> for LiveAnswer {
    fn from(errors: Errors) -> Self {
        Self { errors, ..Self::default() }
    }
}
