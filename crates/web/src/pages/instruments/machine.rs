//! How files are written for a winder.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::fixed;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::plain;
use store::InstrumentId;
use store::instrument::Instrument;
use trade::instrument::InstrumentKind;
use trade::machine::{Drive, MachineProfile, ProfileFault};
use workshop::Refusal;

#[derive(Template)]
#[template(path = "instruments/machine.html")]
struct Page {
    frame: Frame,
    id: u64,
    name: String,
    fields: Vec<Field>,
    /// Fields of several lines: header and footer.
    lines: Vec<Field>,
}

fn fields(form: &FormData, errors: &Errors) -> Vec<Field> {
    let fill = |field: Field| field.filled(form, errors);
    let letters = |all: &str| all.chars().map(|c| Choice::new(c.to_string(), c.to_string())).collect();
    let number = |name: &'static str, label: &'static str, hint: &'static str, unit: &str| {
        fill(Field { unit: unit.into(), ..Field::typed(name, label, hint) })
    };
    let drives = Drive::ALL.map(|drive| Choice::new(drive.key(), drive.name())).into();
    let senses = vec![Choice::new("yes", "clockwise"), Choice::new("no", "counter-clockwise")];
    vec![
        fill(Field::chosen("drive", "Spindle", "", drives).wide()),
        fill(Field::chosen(
            "rotary",
            "Letter of the rotary axis",
            "Of a spindle that is an axis.",
            letters("CAB"),
        )),
        fill(Field::chosen("guide", "Letter of the guide", "", letters("ZXYUVW"))),
        fill(Field::chosen("sense", "Positive sense winds", "Or M3. Seen from above the coil.", senses)),
        number(
            "flange",
            "Guide at the lower flange",
            "What the machine shows with the guide at the flange's inner face.",
            "mm",
        ),
        number("low", "Guide travels from", "In the machine's own coordinate.", "mm"),
        number("high", "Guide travels to", "", "mm"),
        number("step", "Most in one turn", "How far the guide can move while the spindle turns once.", "mm"),
        number("least", "Fewest turns a minute", "", ""),
        number("most", "Most turns a minute", "", ""),
    ]
}

fn lines(form: &FormData, errors: &Errors) -> Vec<Field> {
    [
        ("header", "Lines before the program", "Such as a work offset. Up to 20."),
        ("footer", "Lines before its end", "Such as a way home. The end itself is written by the file."),
    ]
    .map(|(name, label, hint)| Field::typed(name, label, hint).filled(form, errors))
    .into()
}

/// What a form has for a machine.
fn kept(machine: &MachineProfile) -> FormData {
    let number = |value: f64| fixed(value, 4);
    [
        ("drive", machine.drive.key().to_owned()),
        ("rotary", machine.rotary.to_string()),
        ("guide", machine.guide.to_string()),
        ("sense", if machine.positive_is_clockwise { "yes" } else { "no" }.to_owned()),
        ("flange", number(machine.flange_at_mm)),
        ("low", number(machine.travel_mm.0)),
        ("high", number(machine.travel_mm.1)),
        ("step", number(machine.step_mm)),
        ("least", number(machine.rpm.0)),
        ("most", number(machine.rpm.1)),
        ("header", machine.header.join("\n")),
        ("footer", machine.footer.join("\n")),
    ]
    .into_iter()
    .collect()
}

/// Reads what was sent; what is no number is told at its field.
fn machine_of(form: &FormData, errors: &mut Errors) -> MachineProfile {
    let mut number = |name: &str| {
        plain(form.get(name)).unwrap_or_else(|message| {
            errors.insert(name.to_owned(), message);
            0.0
        })
    };
    let letter = |name: &str| form.get(name).chars().next().unwrap_or(' ');
    let lines = |name: &str| {
        form.get(name).lines().map(|line| line.trim().to_owned()).filter(|line| !line.is_empty()).collect()
    };
    MachineProfile {
        drive: form.get("drive").parse().unwrap_or_default(),
        rotary: letter("rotary"),
        guide: letter("guide"),
        positive_is_clockwise: form.get("sense") != "no",
        travel_mm: (number("low"), number("high")),
        flange_at_mm: number("flange"),
        step_mm: number("step"),
        rpm: (number("least"), number("most")),
        header: lines("header"),
        footer: lines("footer"),
    }
}

/// The field that a fault belongs to, with words.
const fn fault_words(fault: ProfileFault) -> (&'static str, &'static str) {
    match fault {
        ProfileFault::RotaryLetter => ("rotary", "A, B or C."),
        ProfileFault::GuideLetter => ("guide", "X, Y, Z, U, V or W."),
        ProfileFault::Travel => {
            ("high", "The guide travels from a lower to a higher place, within two metres.")
        }
        ProfileFault::Flange => ("flange", "The flange lies within the guide's travel."),
        ProfileFault::Step => ("step", "More than nothing, up to 500 mm."),
        ProfileFault::Speed => {
            ("most", "Speeds must be greater than 0 and at most 20,000, with minimum ≤ maximum.")
        }
        ProfileFault::Lines => {
            ("header", "Header and footer: up to 20 lines of 80 plain letters each, without M2, M30 or %.")
        }
    }
}

fn page(
    user: &CurrentUser,
    of: Instrument,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let page = Page {
        frame: Frame::new(user, "instruments", format!("Machine files of {}", of.name)),
        id: of.id.0,
        name: of.name,
        fields: fields(form, errors),
        lines: lines(form, errors),
    };
    render_page(&page, !errors.is_empty())
}

async fn winder(app: &App, user: &CurrentUser, id: u64) -> Result<Instrument, AppError> {
    let of = app.workshop.instrument(&user.actor, InstrumentId(id)).await?;
    if of.kind.0 == InstrumentKind::Winder { Ok(of) } else { Err(AppError::NotFound("winder")) }
}

/// The form.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    let of = winder(&app, &user, *id).await?;
    let form = kept(&of.machine().map_err(AppError::internal)?);
    page(&user, of, &form, &Errors::new())
}

/// Keeps what was changed.
pub(super) async fn save(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let of = winder(&app, &user, *id).await?;
    let mut errors = Errors::new();
    let machine = machine_of(&form, &mut errors);
    if errors.is_empty() {
        match app.workshop.keep_machine(&user.actor, of.id, &machine).await {
            Ok(()) => return Ok(redirect("/instruments")),
            Err(Refusal::MachineProfile(faults)) => {
                errors.extend(faults.into_iter().map(fault_words).map(|(f, w)| (f.to_owned(), w.to_owned())));
            }
            Err(other) => return Err(other.into()),
        }
    }
    page(&user, of, &form, &errors)
}
