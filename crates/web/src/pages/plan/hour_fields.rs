//! The fields of the shop's hours.

use crate::form::FormData;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use workshop::ShopHours;

/// The fields, as kept or as typed.
pub(super) fn hour_fields(hours: &ShopHours, typed: Option<(&FormData, Errors)>) -> Vec<Field> {
    let kept: FormData = [
        ("days", hours.days.join(", ")),
        ("from", hours.from.clone()),
        ("to", hours.to.clone()),
        ("off", hours.off.join(", ")),
        ("zone", hours.zone.clone()),
        ("pot", hours.pot_holds.to_string()),
        ("dip", hours.dip_holds.to_string()),
        ("rack", hours.rack_holds.to_string()),
    ]
    .into_iter()
    .collect();
    let (form, errors) = typed.map_or((&kept, Errors::new()), |(form, errors)| (form, errors));
    let filled = |f: Field| f.filled(form, &errors);
    vec![
        filled(Field::typed("days", "Days", "Mon, Tue, Wed, Thu, Fri, Sat, Sun.")),
        filled(Field::typed("from", "From", "Such as 08:00.")),
        filled(Field::typed("to", "To", "Such as 17:00.")),
        filled(Field::typed("off", "Days off", "Such as 2026-12-24. Separate with commas.")),
        filled(Field::chosen(
            "zone",
            "Time zone",
            "Winter and summer time follow by themselves.",
            zones(hours),
        )),
        filled(Field::typed("pot", "Pickups in the wax at once", "")),
        filled(Field::typed("dip", "Bobbins in a dip of lacquer", "")),
        filled(Field::typed("rack", "Bobbins on the drying rack", "")),
    ]
}

/// The time zones to choose from; without one the clock is a fixed offset from UTC.
fn zones(hours: &ShopHours) -> Vec<Choice> {
    let ahead = f64::from(hours.utc_offset_minutes) / 60.0;
    let fixed = if hours.utc_offset_minutes == 0 { "UTC".to_owned() } else { format!("UTC {ahead:+}") };
    let named = ShopHours::zones().into_iter().map(|name| Choice::new(name.clone(), name.replace('_', " ")));
    std::iter::once(Choice::new("", fixed)).chain(named).collect()
}

/// The fields of one person's hours; the people are by number and name.
pub(super) fn person_fields(people: &[(u64, String)], typed: Option<(&FormData, Errors)>) -> Vec<Field> {
    let empty = FormData::default();
    let (form, errors) = typed.map_or((&empty, Errors::new()), |(form, errors)| (form, errors));
    let choices = std::iter::once(Choice::new("", "choose"))
        .chain(people.iter().map(|(id, name)| Choice::new(id.to_string(), name.clone())))
        .collect();
    let keeps = vec![Choice::new("own", "own hours"), Choice::new("shop", "those of the shop")];
    let filled = |f: Field| f.filled(form, &errors);
    vec![
        filled(Field::chosen("person", "Whose", "", choices)),
        filled(Field::chosen("as", "Keeps", "", keeps)),
        filled(Field::typed("own_days", "Days", "Such as Tue, Thu.")),
        filled(Field::typed("own_from", "From", "Such as 10:00.")),
        filled(Field::typed("own_to", "To", "Such as 14:00.")),
        filled(Field::typed("own_off", "Days off besides the shop’s", "Such as 2026-12-28.")),
    ]
}
