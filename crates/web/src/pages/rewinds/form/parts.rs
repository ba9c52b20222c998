//! The parts of the sheet with their fields, in the order of the bench.

use super::{FORMER, LOOKS, Part, poles};
use coil::Word as _;
use coil::design::{Design, Format};
use coil::magnet::Grade;
use coil::quantity::{Measure, Units};
use coil::wire::Insulation;
use presentation::field::{Choice, Field};
use presentation::form_fields::{Errors, FormFields};

/// What is seen of it.
fn look_fields(form: &FormFields, errors: &Errors, units: Units) -> Vec<Field> {
    let kinds = Format::ALL.into_iter().map(|k| Choice::new(k.word(), k.name())).collect();
    let purposes =
        vec![Choice::new("rewind", "to bring it back"), Choice::new("model", "to copy, or compare with")];
    let filled = |f: Field| f.filled(form, errors);
    let mut all = vec![
        filled(Field::typed("name", "Name", "")),
        filled(Field::chosen("purpose", "Why it is here", "", purposes)),
        filled(Field::chosen("kind", "Format", "", kinds)),
        filled(Field::typed("strings", "Strings", "")),
        filled(Field::measured("pitch", "From string to string", "", (Measure::Length, units))),
        filled(Field::typed("tags", "Tags", "Separate with commas.")),
    ];
    all.extend(LOOKS.into_iter().map(|(key, label)| filled(Field::typed(key, label, ""))));
    all
}

/// How it is finished when it is brought back.
fn finish_part(form: &FormFields, errors: &Errors) -> Part {
    let wraps =
        vec![Choice::new("tape", "tape"), Choice::new("string", "string"), Choice::new("nothing", "nothing")];
    let ages = vec![Choice::new("no", "stay new"), Choice::new("yes", "aged to match the old ones")];
    let filled = |f: Field| f.filled(form, errors);
    Part::new(
        "When it is brought back",
        "Its traveller asks for it.",
        vec![
            filled(Field::chosen("wrap", "Round the coil", "", wraps)),
            filled(Field::chosen("aged", "New parts", "", ages)),
        ],
    )
}

/// The sheet's parts.
pub(crate) fn parts(form: &FormFields, errors: &Errors, pickup: &Design, units: Units) -> Vec<Part> {
    let magnets = std::iter::once(Choice::new("", "not known, or none"))
        .chain(Grade::MAGNETS.into_iter().map(|g| Choice::new(g.word(), g.spoken())))
        .collect();
    let enamels = std::iter::once(Choice::new("", "not said"))
        .chain(Insulation::ALL.into_iter().map(|i| Choice::new(i.word(), i.spoken())))
        .collect();
    let filled = |f: Field| f.filled(form, errors);
    let mm = |key: &str, label: &str, hint: &str| {
        Field::measured(key, label, hint, (Measure::Length, units)).filled(form, errors)
    };
    let looks = look_fields(form, errors, units);
    let caliper = FORMER.into_iter().map(|(key, label, _)| mm(key, label, ""));
    let mut caliper: Vec<Field> = caliper.collect();
    caliper.push(mm("outer_length_mm", "Length over the winding", "At its thickest."));
    caliper.push(mm("outer_width_mm", "Width over the winding", "At its thickest."));
    caliper.push(mm(
        "edge",
        "Where the old edge stood",
        "From the core outwards, by the mark on the flange.",
    ));
    vec![
        Part::new("Look", "Photograph it before anything is undone.", looks),
        Part::new(
            "Meter",
            "Anything may be missing. Type “open” where the ohm meter shows no connection.",
            vec![
                filled(Field::typed("resistance_ohm", "Resistance", "Such as 6.1k.").unit("Ω")),
                Field::measured("coil_c", "Temperature of the coil", "", (Measure::Temperature, units))
                    .filled(form, errors),
                filled(Field::typed("inductance_h", "Inductance", "").unit("H")),
                filled(Field::typed("test_hz", "Test frequency", "1 kHz when empty.").unit("Hz")),
                filled(Field::typed("peak_hz", "Peak", "").unit("Hz")),
                filled(Field::typed("cable_pf", "Across it then", "Empty for nothing.").unit("pF")),
                filled(
                    Field::typed(
                        "second_peak_hz",
                        "Peak once more",
                        "With a known capacitor across it: both peaks tell the capacitance.",
                    )
                    .unit("Hz"),
                ),
                filled(Field::typed("second_cable_pf", "Across it then, in all", "").unit("pF")),
                filled(
                    Field::typed("capacitance_pf", "Capacitance", "Where it is known without two peaks.")
                        .unit("pF"),
                ),
            ],
        ),
        Part::new(
            "Calliper",
            "Sizes that nobody changed are those of the usual former of this format.",
            caliper,
        ),
        Part {
            title: "Poles and gaussmeter",
            hint: "North is positive; leave empty what was not read. Strong magnets pinch and disturb medical devices: keep blades and \
                   cards away.",
            poles: poles::table(pickup, form, errors, units),
            fields: vec![
                mm("probe", "Element above the face", "0.5 mm when empty."),
                filled(Field::chosen("magnet", "Magnets are said to be", "", magnets)),
            ],
        },
        Part::new(
            "Wire and turns",
            "A piece of the wire, and what the counter shows while it is taken off.",
            vec![
                mm("wire_overall_mm", "Over the enamel", ""),
                mm("wire_bare_mm", "Bare", "With the enamel off."),
                filled(
                    Field::typed("wire_ohm", "Ohms of a piece", "Several metres are read best.").unit("Ω"),
                ),
                Field::measured(
                    "wire_length",
                    "Length of that piece",
                    "1 m when empty.",
                    (Measure::WireLength, units),
                )
                .filled(form, errors),
                Field::measured("wire_mass_g", "Weight of all wire", "", (Measure::Mass, units))
                    .filled(form, errors),
                filled(Field::typed(
                    "turns",
                    "Turns counted",
                    "Of the first coil, while they are taken off.",
                )),
            ],
        ),
        Part::new(
            "What is said of it",
            "It is weighed, and doubted where the readings contradict it.",
            vec![
                filled(Field::typed("said_gauge", "Wire", "Such as 42 AWG. Separate several with commas.")),
                filled(Field::chosen("said_insulation", "Enamel", "", enamels)),
                filled(Field::typed("said_turns", "Turns", "")),
            ],
        ),
        finish_part(form, errors),
    ]
}
