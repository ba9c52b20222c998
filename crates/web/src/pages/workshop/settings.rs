//! The workshop's settings.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::fixed;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::{celsius, plain};
use workshop::{Refusal, WorkshopSettings};

#[derive(Template)]
#[template(path = "workshop/settings.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    workshop: Vec<Field>,
    designs: Vec<Field>,
    doors: Vec<Field>,
}

/// A number of the settings: its field, what is in it, and how it is read.
struct Number {
    name: &'static str,
    label: &'static str,
    unit: &'static str,
    hint: &'static str,
    get: fn(&WorkshopSettings) -> f64,
    set: fn(&mut WorkshopSettings, f64),
    read: fn(&str) -> Result<f64, String>,
}

const NUMBERS: [Number; 6] = [
    Number {
        name: "room_c",
        label: "Room temperature",
        unit: "°C",
        hint: "What meters read is predicted for it.",
        get: |s| s.room_c,
        set: |s, v| s.room_c = v,
        read: celsius,
    },
    Number {
        name: "load.volume_kohm",
        label: "Volume control",
        unit: "kΩ",
        hint: "",
        get: |s| s.load.volume_kohm,
        set: |s, v| s.load.volume_kohm = v,
        read: plain,
    },
    Number {
        name: "load.tone_kohm",
        label: "Tone control",
        unit: "kΩ",
        hint: "",
        get: |s| s.load.tone_kohm,
        set: |s, v| s.load.tone_kohm = v,
        read: plain,
    },
    Number {
        name: "load.tone_nf",
        label: "Tone capacitor",
        unit: "nF",
        hint: "0 for none.",
        get: |s| s.load.tone_nf,
        set: |s, v| s.load.tone_nf = v,
        read: plain,
    },
    Number {
        name: "load.cable_pf",
        label: "Cable",
        unit: "pF",
        hint: "The whole cable, not a metre of it.",
        get: |s| s.load.cable_pf,
        set: |s, v| s.load.cable_pf = v,
        read: plain,
    },
    Number {
        name: "station_rest_minutes",
        label: "A shared station asks again after",
        unit: "min",
        hint: "Minutes of rest, 1 to 240.",
        get: |s| f64::from(s.station_rest_minutes),
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
        set: |s, v| s.station_rest_minutes = v.clamp(0.0, 1e6).round() as u32,
        read: plain,
    },
];

fn form_of(name: &str, settings: &WorkshopSettings) -> FormData {
    let numbers = NUMBERS.iter().map(|n| (n.name.to_owned(), fixed((n.get)(settings), 3)));
    let factor = if settings.second_factor_required { "yes" } else { "no" };
    numbers.chain([("name".into(), name.to_owned()), ("second_factor".into(), factor.to_owned())]).collect()
}

fn page(user: &CurrentUser, form: &FormData, errors: &Errors) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| field.filled(form, errors);
    let number = |n: &Number| fill(Field::typed(n.name, n.label, n.hint).unit(n.unit));
    let (designs, doors) = NUMBERS.split_at(NUMBERS.len() - 1);
    let factors = vec![Choice::new("no", "for those who want it"), Choice::new("yes", "for everybody")];
    let page = Page {
        frame: Frame::new(user, "workshop", "Settings"),
        tab: "settings",
        workshop: vec![fill(Field::typed("name", "Name of the workshop", "On labels and sheets."))],
        designs: designs.iter().map(number).collect(),
        doors: doors
            .iter()
            .map(number)
            .chain([fill(Field::chosen("second_factor", "Second factor", "At signing in.", factors))])
            .collect(),
    };
    render_page(&page, !errors.is_empty())
}

/// The page.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let (name, settings) = app.workshop.settings(&user.actor).await?;
    page(&user, &form_of(&name, &settings), &Errors::new())
}

/// Saves them.
pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let mut settings = WorkshopSettings {
        second_factor_required: form.get("second_factor") == "yes",
        ..WorkshopSettings::default()
    };
    for number in &NUMBERS {
        match (number.read)(form.get(number.name)) {
            Ok(value) => (number.set)(&mut settings, value),
            Err(text) => {
                errors.insert(number.name.into(), text);
            }
        }
    }
    if errors.is_empty() {
        match app.workshop.change_settings(&user.actor, form.get("name"), &settings).await {
            Ok(()) => {
                tracing::info!(event = "settings-changed", by = user.person.id.0);
                flash::put(&session, FlashKind::Done, "The settings are saved. They hold from now on.");
                return Ok(redirect("/settings"));
            }
            Err(ref refusal @ Refusal::UnusableName) => {
                errors.insert("name".into(), refusal_text(refusal));
            }
            Err(Refusal::NotPredictable(problems)) => {
                errors.extend(problems.into_iter().map(|p| (p.at, format!("{}.", p.text))));
            }
            Err(other) => return Err(other.into()),
        }
    }
    page(&user, &form, &errors)
}
