//! A form field as a template shows it.

use crate::form_fields::{Errors, FormFields};
use coil::quantity::{Measure, Units};
use std::borrow::Cow;

/// A field.
#[derive(Clone, Debug, Default)]
pub struct Field {
    /// Name in the form.
    pub name: String,
    /// Label.
    pub label: String,
    /// Unit that a bare number takes.
    pub unit: String,
    /// What it does, what is usual, what is allowed.
    pub hint: String,
    /// What was typed.
    pub value: String,
    /// What is wrong with that.
    pub error: String,
    /// Kind of input.
    pub kind: &'static str,
    /// For the browser's own filling in.
    pub complete: &'static str,
    /// Choices; none for a typed field.
    pub options: Vec<Choice>,
    /// `field=value` of another field on which this one applies.
    pub when: String,
    /// Takes the whole row.
    pub wide: bool,
    /// Non-empty when it must be filled in.
    pub required: &'static str,
}

/// A choice.
#[derive(Clone, Debug)]
pub struct Choice {
    /// Value in the form.
    pub value: Cow<'static, str>,
    /// As people read it.
    pub label: Cow<'static, str>,
}

/// A list with more entries is searched faster than looked through.
const LONG: usize = 20;

impl Field {
    /// Whether its list is long enough to be searched.
    pub fn is_long(&self) -> bool {
        self.options.len() > LONG
    }

    /// Whether a new password is typed here, whose strength is shown.
    pub fn is_new_password(&self) -> bool {
        self.name == "password" && self.complete == "new-password"
    }

    /// A typed field.
    pub fn typed(name: &str, label: &str, hint: &str) -> Self {
        Self {
            name: name.into(),
            label: label.into(),
            hint: hint.into(),
            kind: "text",
            complete: "off",
            ..Self::default()
        }
    }

    /// A typed field of a measure: a bare number is in the workshop's unit, and so are the figures of the hint.
    pub fn measured(name: &str, label: &str, hint: &str, (measure, units): (Measure, Units)) -> Self {
        Self::typed(name, label, &units.sentence(hint)).unit(units.symbol(measure))
    }

    /// A field to choose from.
    pub fn chosen(name: &str, label: &str, hint: &str, options: Vec<Choice>) -> Self {
        Self { options, ..Self::typed(name, label, hint) }
    }

    /// With what was typed and what is wrong with it.
    #[must_use]
    pub fn with(mut self, value: &str, errors: &Errors) -> Self {
        value.clone_into(&mut self.value);
        self.error = errors.get(&self.name).cloned().unwrap_or_default();
        self
    }

    /// With what was typed in a form and what is wrong with it.
    #[must_use]
    pub fn filled(self, form: &FormFields, errors: &Errors) -> Self {
        let value = form.get(&self.name).to_owned();
        self.with(&value, errors)
    }

    /// The same; what was not sent shows `usual`.
    #[must_use]
    pub fn filled_or(self, form: &FormFields, errors: &Errors, usual: &str) -> Self {
        let value = if form.0.contains_key(&self.name) { form.get(&self.name) } else { usual }.to_owned();
        self.with(&value, errors)
    }

    /// With a unit that a bare number takes.
    #[must_use]
    pub fn unit(mut self, unit: &str) -> Self {
        unit.clone_into(&mut self.unit);
        self
    }

    /// Takes the whole row.
    #[must_use]
    pub fn wide(mut self) -> Self {
        self.wide = true;
        self
    }
}

impl Choice {
    /// A choice.
    pub fn new(value: impl Into<Cow<'static, str>>, label: impl Into<Cow<'static, str>>) -> Self {
        Self { value: value.into(), label: label.into() }
    }
}
