//! The workshop's settings.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::quantity::{FluxUnit, LengthUnit, MassUnit, Measure, TemperatureUnit, Units, fixed};
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::{is_name, number_in};
use presentation::share_facts::Shown;
use std::borrow::Cow;
use std::str::FromStr;
use trade::pairing::ReverseWinding;
use trade::spreadsheet::SpreadsheetFormat;
use workshop::{Refusal, WorkshopSettings};

#[derive(Template)]
#[template(path = "workshop/settings.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    groups: Vec<Group>,
    /// Parts of a share sheet: key, label, and whether it is shown to begin with.
    shared: Vec<(&'static str, &'static str, bool)>,
}

/// Fields that belong together.
struct Group {
    title: &'static str,
    hint: Cow<'static, str>,
    /// Side by side: "two" or "three".
    columns: &'static str,
    fields: Vec<Field>,
}

/// Where a setting stands on the page.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Place {
    Designs,
    Runs,
    SigningIn,
}

/// A number of the settings: its field, what is in it, and how it is read.
struct Number {
    place: Place,
    name: &'static str,
    label: &'static str,
    unit: &'static str,
    hint: &'static str,
    get: fn(&WorkshopSettings) -> f64,
    set: fn(&mut WorkshopSettings, f64),
}

/// A whole number that was typed; what is out of range is refused by the settings themselves.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
fn whole(value: f64) -> u32 {
    value.clamp(0.0, 1e6).round() as u32
}

/// What the fields of a share sheet's parts begin with.
const SHARED: &str = "shared-";
/// Says that those fields were there: boxes without a tick are not sent.
const HAS_SHARED: &str = "has-shared";

/// The field of the room's temperature: it is in the workshop's own unit.
const ROOM: &str = "room_c";

const NUMBERS: [Number; 12] = [
    Number {
        place: Place::Designs,
        name: "load.volume_kohm",
        label: "Volume control",
        unit: "kΩ",
        hint: "",
        get: |s| s.load.volume_kohm,
        set: |s, v| s.load.volume_kohm = v,
    },
    Number {
        place: Place::Designs,
        name: "load.tone_kohm",
        label: "Tone control",
        unit: "kΩ",
        hint: "",
        get: |s| s.load.tone_kohm,
        set: |s, v| s.load.tone_kohm = v,
    },
    Number {
        place: Place::Designs,
        name: "load.tone_nf",
        label: "Tone capacitor",
        unit: "nF",
        hint: "0 for none.",
        get: |s| s.load.tone_nf,
        set: |s, v| s.load.tone_nf = v,
    },
    Number {
        place: Place::Designs,
        name: "load.cable_pf",
        label: "Cable",
        unit: "pF",
        hint: "The whole cable, not a metre of it.",
        get: |s| s.load.cable_pf,
        set: |s, v| s.load.cable_pf = v,
    },
    Number {
        place: Place::Runs,
        name: "stops.first",
        label: "First stop at turn",
        unit: "",
        hint: "To look at guides and tension. 0 for none.",
        get: |s| f64::from(s.stops.first),
        set: |s, v| s.stops.first = whole(v),
    },
    Number {
        place: Place::Runs,
        name: "stops.every",
        label: "Then every",
        unit: "turns",
        hint: "0 for no more stops; else at least 50.",
        get: |s| f64::from(s.stops.every),
        set: |s, v| s.stops.every = whole(v),
    },
    Number {
        place: Place::Runs,
        name: "tolerance.control_sd",
        label: "Out of tolerance beyond",
        unit: "σ",
        hint: "Standard deviations of your own coils. 3 stops about one good coil in 370, 2 about one in 22.",
        get: |s| s.tolerance.control_sd,
        set: |s, v| s.tolerance.control_sd = v,
    },
    Number {
        place: Place::SigningIn,
        name: "station_rest_minutes",
        label: "Idle timeout of shared stations",
        unit: "min",
        hint: "1 to 240.",
        get: |s| f64::from(s.station_rest_minutes),
        set: |s, v| s.station_rest_minutes = whole(v),
    },
    Number {
        place: Place::SigningIn,
        name: "owner_session.idle_minutes",
        label: "Idle timeout of owners",
        unit: "min",
        hint: "5 to 720. Drafts are kept.",
        get: |s| f64::from(s.owner_session.idle_minutes),
        set: |s, v| s.owner_session.idle_minutes = whole(v),
    },
    Number {
        place: Place::SigningIn,
        name: "owner_session.longest_hours",
        label: "Longest session of owners",
        unit: "h",
        hint: "1 to 168.",
        get: |s| f64::from(s.owner_session.longest_hours),
        set: |s, v| s.owner_session.longest_hours = whole(v),
    },
    Number {
        place: Place::SigningIn,
        name: "other_session.idle_minutes",
        label: "Idle timeout of everybody else",
        unit: "min",
        hint: "5 to 720.",
        get: |s| f64::from(s.other_session.idle_minutes),
        set: |s, v| s.other_session.idle_minutes = whole(v),
    },
    Number {
        place: Place::SigningIn,
        name: "other_session.longest_hours",
        label: "Longest session of everybody else",
        unit: "h",
        hint: "1 to 168.",
        get: |s| f64::from(s.other_session.longest_hours),
        set: |s, v| s.other_session.longest_hours = whole(v),
    },
];

/// A setting that is a word or two.
struct Worded {
    name: &'static str,
    label: &'static str,
    hint: &'static str,
    /// Most letters, and whether it may be empty.
    most: usize,
    may_be_empty: bool,
    get: fn(&WorkshopSettings) -> &str,
    set: fn(&mut WorkshopSettings, &str),
}

/// Longest colour, and longest list of a provider's words.
const MOST_LETTERS: usize = 30;
const MOST_WORDS: usize = 200;

const COLOUR: &str = "Its colour, as travellers name it.";

const LEADS: [Worded; 2] = [
    Worded {
        name: "lead_colours.hot",
        label: "Hot lead",
        hint: COLOUR,
        most: MOST_LETTERS,
        may_be_empty: false,
        get: |s| &s.lead_colours.hot,
        set: |s, word| word.clone_into(&mut s.lead_colours.hot),
    },
    Worded {
        name: "lead_colours.ground",
        label: "Lead at ground",
        hint: COLOUR,
        most: MOST_LETTERS,
        may_be_empty: false,
        get: |s| &s.lead_colours.ground,
        set: |s, word| word.clone_into(&mut s.lead_colours.ground),
    },
];

/// The words of a provider that give a role.
const fn words_of(
    name: &'static str,
    label: &'static str,
    get: fn(&WorkshopSettings) -> &str,
    set: fn(&mut WorkshopSettings, &str),
) -> Worded {
    Worded {
        name,
        label,
        hint: "Separate several with commas.",
        most: MOST_WORDS,
        may_be_empty: true,
        get,
        set,
    }
}

const PROVIDER_WORDS: [Worded; 5] = [
    Worded {
        name: "single_sign_on.claim",
        label: "Claim that names the groups",
        hint: "As the provider writes it: groups, roles, realm_access.roles.",
        most: MOST_WORDS,
        may_be_empty: false,
        get: |s| &s.single_sign_on.claim,
        set: |s, text| text.clone_into(&mut s.single_sign_on.claim),
    },
    words_of(
        "single_sign_on.owner",
        "Groups of owners",
        |s| &s.single_sign_on.owner,
        |s, text| text.clone_into(&mut s.single_sign_on.owner),
    ),
    words_of(
        "single_sign_on.designer",
        "Groups of designers",
        |s| &s.single_sign_on.designer,
        |s, text| text.clone_into(&mut s.single_sign_on.designer),
    ),
    words_of(
        "single_sign_on.operator",
        "Groups of operators",
        |s| &s.single_sign_on.operator,
        |s, text| text.clone_into(&mut s.single_sign_on.operator),
    ),
    words_of(
        "single_sign_on.viewer",
        "Groups of viewers",
        |s| &s.single_sign_on.viewer,
        |s, text| text.clone_into(&mut s.single_sign_on.viewer),
    ),
];

fn all_worded() -> impl Iterator<Item = &'static Worded> {
    LEADS.iter().chain(&PROVIDER_WORDS)
}

/// A setting that is one of a list.
struct Chosen {
    name: &'static str,
    label: &'static str,
    hint: &'static str,
    choices: &'static [(&'static str, &'static str)],
    get: fn(&WorkshopSettings) -> &'static str,
    /// Sets it; false for what is not in the list.
    set: fn(&mut WorkshopSettings, &str) -> bool,
}

fn put<T: FromStr>(place: &mut T, word: &str) -> bool {
    word.parse().map(|value| *place = value).is_ok()
}

const YES_NO: [(&str, bool); 2] = [("yes", true), ("no", false)];

fn put_flag(place: &mut bool, word: &str) -> bool {
    let found = YES_NO.iter().find(|(name, _)| *name == word);
    found.map(|(_, value)| *place = *value).is_some()
}

const fn flag(value: bool) -> &'static str {
    if value { "yes" } else { "no" }
}

const UNITS: [Chosen; 5] = [
    Chosen {
        name: "units.length",
        label: "Lengths",
        hint: "Either can always be typed with its unit: 11 mm, 0.433 in.",
        choices: &[("millimetre", "millimetres"), ("inch", "inches")],
        get: |s| s.units.length.word(),
        set: |s, word| put::<LengthUnit>(&mut s.units.length, word),
    },
    Chosen {
        name: "units.temperature",
        label: "Temperatures",
        hint: "Resistance at 20 °C is a reference and stays.",
        choices: &[("celsius", "°C"), ("fahrenheit", "°F")],
        get: |s| s.units.temperature.word(),
        set: |s, word| put::<TemperatureUnit>(&mut s.units.temperature, word),
    },
    Chosen {
        name: "units.flux",
        label: "Flux densities",
        hint: "1 mT is 10 G.",
        choices: &[("millitesla", "millitesla"), ("gauss", "gauss")],
        get: |s| s.units.flux.word(),
        set: |s, word| put::<FluxUnit>(&mut s.units.flux, word),
    },
    Chosen {
        name: "units.mass",
        label: "Weights",
        hint: "",
        choices: &[("gram", "grams"), ("ounce", "ounces")],
        get: |s| s.units.mass.word(),
        set: |s, word| put::<MassUnit>(&mut s.units.mass, word),
    },
    Chosen {
        name: "spreadsheets",
        label: "Exported tables",
        hint: "Decimal sign, and what separates columns.",
        choices: &[("point", "1.5 and commas"), ("comma", "1,5 and semicolons")],
        get: |s| s.spreadsheets.word(),
        set: |s, word| put::<SpreadsheetFormat>(&mut s.spreadsheets, word),
    },
];

const SECOND_FACTOR: Chosen = Chosen {
    name: "second_factor",
    label: "Second factor",
    hint: "At signing in.",
    choices: &[("no", "for those who want it"), ("yes", "for everybody")],
    get: |s| flag(s.second_factor_required),
    set: |s, word| put_flag(&mut s.second_factor_required, word),
};

const PASSKEYS: Chosen = Chosen {
    name: "passkeys",
    label: "Passkeys",
    hint: "A key of the person’s own device in place of the password.",
    choices: &[("yes", "for those who want them"), ("no", "for nobody")],
    get: |s| flag(s.passkeys_allowed),
    set: |s, word| put_flag(&mut s.passkeys_allowed, word),
};

const SINGLE_SIGN_ON: Chosen = Chosen {
    name: "single_sign_on",
    label: "Single sign-on",
    hint: "Who is new joins with the role of their group; who is known gets that role.",
    choices: &[("no", "switched off"), ("yes", "for the groups below")],
    get: |s| flag(s.single_sign_on.is_on),
    set: |s, word| put_flag(&mut s.single_sign_on.is_on, word),
};

const REVERSE: Chosen = Chosen {
    name: "reverse_winding",
    label: "A coil that runs the other way round",
    hint: "The same to the circuit; travellers, labels and machine files follow.",
    choices: &[
        ("turn-the-other-way", "the winder turns the other way"),
        ("exchange-start-and-finish", "start and finish are exchanged"),
    ],
    get: |s| s.reverse_winding.word(),
    set: |s, word| put::<ReverseWinding>(&mut s.reverse_winding, word),
};

const NAMES: Chosen = Chosen {
    name: "privacy.names_in_exports",
    label: "People in exported tables",
    hint: "Numbers stay the same from export to export. A table with numbers for people cannot be imported again.",
    choices: &[("yes", "by name"), ("no", "by number only")],
    get: |s| flag(s.privacy.names_in_exports),
    set: |s, word| put_flag(&mut s.privacy.names_in_exports, word),
};

fn all_chosen() -> impl Iterator<Item = &'static Chosen> {
    UNITS.iter().chain([&SECOND_FACTOR, &PASSKEYS, &SINGLE_SIGN_ON, &REVERSE, &NAMES])
}

fn form_of(name: &str, settings: &WorkshopSettings) -> FormData {
    let numbers = NUMBERS.iter().map(|n| (n.name.to_owned(), fixed((n.get)(settings), 3)));
    let chosen = all_chosen().map(|c| (c.name.to_owned(), (c.get)(settings).to_owned()));
    let worded = all_worded().map(|w| (w.name.to_owned(), (w.get)(settings).to_owned()));
    let room = settings.units.field(Measure::Temperature, settings.room_c);
    numbers
        .chain(chosen)
        .chain(worded)
        .chain([("name".into(), name.to_owned()), (ROOM.into(), room)])
        .collect()
}

/// The parts of a share sheet that are shown to begin with.
fn shared(settings: &WorkshopSettings) -> Vec<(&'static str, &'static str, bool)> {
    Shown::usual(settings.privacy.shared_parts.as_deref()).choices()
}

fn page(
    (app, user): (&App, &CurrentUser),
    (form, errors): (&FormData, &Errors),
    shared: Vec<(&'static str, &'static str, bool)>,
) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| field.filled(form, errors);
    let numbers = |place: Place| {
        let of = NUMBERS.iter().filter(move |n| n.place == place);
        of.map(|n| fill(Field::typed(n.name, n.label, n.hint).unit(n.unit)))
    };
    let chosen = |c: &Chosen| {
        let choices = c.choices.iter().map(|(value, label)| Choice::new(*value, *label));
        fill(Field::chosen(c.name, c.label, c.hint, choices.collect()))
    };
    let worded = |w: &Worded| fill(Field::typed(w.name, w.label, w.hint));
    let room_hint = "What meters read is predicted for it.";
    let room =
        Field::measured(ROOM, "Room temperature", room_hint, (Measure::Temperature, user.settings.units));
    let group = |title, hint, columns, fields: Vec<Field>| Group {
        title,
        hint: Cow::Borrowed(hint),
        columns,
        fields,
    };
    let sign_on = app.workshop.provider_name().map(|name| Group {
        title: "Single sign-on",
        hint: Cow::Owned(format!(
            "People sign in with {name}, which the configuration file of the program names."
        )),
        columns: "two",
        fields: std::iter::once(chosen(&SINGLE_SIGN_ON)).chain(PROVIDER_WORDS.iter().map(worded)).collect(),
    });
    let page = Page {
        frame: Frame::new(user, "workshop", "Settings"),
        tab: "settings",
        groups: [
            group(
                "",
                "",
                "two",
                vec![
                    fill(Field::typed("name", "Name of the workshop", "On labels and sheets.")),
                    chosen(&REVERSE),
                    worded(&LEADS[0]),
                    worded(&LEADS[1]),
                ],
            ),
            group(
                "Units and numbers",
                "What everybody here reads and types. Design files, machine files and exports stay in millimetres, °C, millitesla and grams.",
                "three",
                UNITS.iter().map(chosen).collect(),
            ),
            group(
                "New designs begin with",
                "Designs that are saved keep what they have.",
                "three",
                std::iter::once(fill(room)).chain(numbers(Place::Designs)).collect(),
            ),
            group(
                "New runs begin with",
                "Runs that were started keep what they have.",
                "three",
                numbers(Place::Runs).collect(),
            ),
            group(
                "Signing in",
                "For those who sign in from now on.",
                "two",
                [chosen(&SECOND_FACTOR), chosen(&PASSKEYS)]
                    .into_iter()
                    .chain(numbers(Place::SigningIn))
                    .collect(),
            ),
            group(
                "Privacy",
                "What leaves the workshop unless somebody chooses otherwise.",
                "two",
                vec![chosen(&NAMES)],
            ),
        ]
        .into_iter()
        .chain(sign_on)
        .collect(),
        shared,
    };
    render_page(&page, !errors.is_empty())
}

/// The page.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let (name, settings) = app.workshop.settings(&user.actor).await?;
    page((&app, &user), (&form_of(&name, &settings), &Errors::new()), shared(&settings))
}

/// The settings that a form holds over those that hold now: a field that is not sent keeps what it has. Messages by field for what cannot be read.
fn read(form: &FormData, units: Units, now: WorkshopSettings, errors: &mut Errors) -> WorkshopSettings {
    let mut settings = now;
    for number in NUMBERS.iter().filter(|n| form.has(n.name)) {
        match number_in(number.unit)(form.get(number.name)) {
            Ok(value) => (number.set)(&mut settings, value),
            Err(text) => {
                errors.insert(number.name.into(), text);
            }
        }
    }
    if form.has(ROOM) {
        match units.read(Measure::Temperature, form.get(ROOM)) {
            Ok(celsius) => settings.room_c = celsius,
            Err(error) => {
                errors.insert(ROOM.into(), error.to_string());
            }
        }
    }
    for worded in all_worded().filter(|w| form.has(w.name)) {
        let text = form.get(worded.name);
        if is_name(text, worded.most) || (text.is_empty() && worded.may_be_empty) {
            (worded.set)(&mut settings, text);
        } else {
            errors.insert(worded.name.into(), format!("Enter 1 to {} letters.", worded.most));
        }
    }
    for chosen in all_chosen().filter(|c| form.has(c.name)) {
        if !(chosen.set)(&mut settings, form.get(chosen.name)) {
            errors.insert(chosen.name.into(), "Choose one of the list.".into());
        }
    }
    if form.is_ticked(HAS_SHARED) {
        let shown = Shown::only(|key| form.is_ticked(&format!("{SHARED}{key}")));
        settings.privacy.shared_parts = Some(shown.keys());
    }
    settings
}

/// Saves them.
pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let settings = read(&form, user.settings.units, user.settings.clone(), &mut errors);
    if errors.is_empty() {
        match app.workshop.change_settings(&user.actor, form.get("name"), &settings).await {
            Ok(()) => {
                tracing::info!(event = "settings-changed", by = user.person.id.0);
                return Ok(outcome::done(
                    &session,
                    "/settings",
                    "The settings are saved. They hold from now on.",
                ));
            }
            Err(ref refusal @ Refusal::UnusableName) => {
                errors.insert("name".into(), refusal_text(refusal));
            }
            Err(Refusal::NotPredictable(problems)) => {
                let text = |p: &str| user.settings.units.sentence(p).into_owned();
                errors.extend(problems.into_iter().map(|p| (p.at, format!("{}.", text(&p.text)))));
            }
            Err(other) => return Err(other.into()),
        }
    }
    page((&app, &user), (&form, &errors), shared(&settings))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What the page shows of settings is what it reads back, whatever the units.
    #[test]
    fn a_form_that_nobody_touched_is_the_settings() {
        let units = Units {
            length: LengthUnit::Inch,
            temperature: TemperatureUnit::Fahrenheit,
            flux: FluxUnit::Gauss,
            mass: MassUnit::Ounce,
        };
        let mut settings =
            WorkshopSettings { units, spreadsheets: SpreadsheetFormat::Comma, ..WorkshopSettings::default() };
        settings.privacy.names_in_exports = false;
        settings.stops.every = 500;
        settings.reverse_winding = ReverseWinding::ExchangeStartAndFinish;
        settings.lead_colours.hot = "yellow".into();
        settings.passkeys_allowed = false;
        settings.single_sign_on.is_on = true;
        settings.single_sign_on.operator = "bench, wind".into();
        settings.tolerance.control_sd = 2.5;
        let form = form_of("Kestrel", &settings);
        let mut errors = Errors::new();
        let mut read = read(&form, settings.units, WorkshopSettings::default(), &mut errors);
        assert!(errors.is_empty(), "{errors:?}");
        assert!((read.room_c - settings.room_c).abs() < 1e-4);
        read.room_c = settings.room_c;
        assert_eq!(read, settings);
    }

    #[test]
    fn what_cannot_be_read_is_told_at_its_field() {
        let mut form = form_of("Kestrel", &WorkshopSettings::default());
        for (name, text) in [("units.length", "cubit"), ("stops.every", "often"), (ROOM, "warm")] {
            form.0.set(name, text);
        }
        let mut errors = Errors::new();
        read(&form, Units::default(), WorkshopSettings::default(), &mut errors);
        assert_eq!(errors.keys().collect::<Vec<_>>(), [ROOM, "stops.every", "units.length"]);
    }
}
