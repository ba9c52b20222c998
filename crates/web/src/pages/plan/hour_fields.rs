//! The fields of the shop's hours.

use crate::form::FormData;
use presentation::field::Field;
use presentation::form_fields::Errors;
use workshop::ShopHours;

/// The fields, as kept or as typed.
pub(super) fn hour_fields(hours: &ShopHours, typed: Option<(&FormData, Errors)>) -> Vec<Field> {
    let kept: FormData = [
        ("days", hours.days.join(", ")),
        ("from", hours.from.clone()),
        ("to", hours.to.clone()),
        ("off", hours.off.join(", ")),
        ("offset", (f64::from(hours.utc_offset_minutes) / 60.0).to_string()),
        ("pot", hours.pot_holds.to_string()),
    ]
    .into_iter()
    .collect();
    let (form, errors) = typed.map_or((&kept, Errors::new()), |(form, errors)| (form, errors));
    let filled = |f: Field| f.filled(form, &errors);
    vec![
        filled(Field::typed("days", "Days", "Mon, Tue, Wed, Thu, Fri, Sat, Sun.")),
        filled(Field::typed("from", "From", "Such as 08:00.")),
        filled(Field::typed("to", "To", "Such as 17:00.")),
        filled(Field::typed("off", "Days off", "Such as 2026-12-24, parted by commas.")),
        filled(
            Field::typed(
                "offset",
                "Ahead of UTC",
                "In winter and in summer time alike; change it with the clock.",
            )
            .unit("h"),
        ),
        filled(Field::typed("pot", "Pickups in the wax at once", "")),
    ]
}
