//! The fields of a partner's form.

use crate::current_user::CurrentUser;
use crate::form::FormData;
use coil::quantity::Measure;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use workshop::SetDraft;

/// Fields of the partner's form.
pub(super) fn partner_fields(
    draft: &SetDraft,
    form: &FormData,
    errors: &Errors,
    user: &CurrentUser,
) -> Vec<Field> {
    let units = user.settings.units;
    let choices = draft.pickups.iter().enumerate().map(|(i, p)| Choice::new(i.to_string(), p.name.clone()));
    let schools = vec![
        Choice::new("turn-the-other-way", "the winder turns the other way"),
        Choice::new("exchange-start-and-finish", "wound as always; start and finish exchanged at the leads"),
    ];
    let school_hint = "The same to the circuit. Turned the other way, the start inside stays at ground; with the ends exchanged the start \
        inside is hot and the outside of the coil lies at ground.";
    let turns = vec![Choice::new("", "as the first"), Choice::new("yes", "for the same level as the first")];
    let turns_hint = "For the same level near the bridge a coil gets more turns, and its peak comes down.";
    let sits = vec![
        Choice::new("", "as the first"),
        Choice::new("turned", "turned by half a turn, its other side to the bridge"),
    ];
    let sits_hint = "Turned, its row is built mirrored, so that each pole stands under its own string again.";
    let field = |f: Field| f.filled(form, errors);
    vec![
        field(Field::chosen("partner_of", "Partner of", "", choices.collect())),
        field(Field::typed("partner_name", "Its name in the set", "")),
        field(Field::measured("partner_place", "From the bridge", "", (Measure::Length, units))),
        Field::chosen("school", "How it runs the other way", school_hint, schools).filled_or(
            form,
            errors,
            coil::Word::word(user.settings.reverse_winding),
        ),
        field(Field::chosen("partner_sits", "How it sits", sits_hint, sits)),
        field(Field::chosen("partner_balance", "Turns", turns_hint, turns)),
    ]
}
