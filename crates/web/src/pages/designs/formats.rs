//! The formats to begin a design with, and designs from files.

use super::posted_sheet::{USUAL_PITCH_MM, USUAL_STRINGS};
use super::workbench::workbench;
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::design::{Format, Problem, starting_point};
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::sheet;
use serde::Deserialize;

/// Pitch of the strings in the drawings, mm.
const DRAWN_PITCH_MM: f64 = 10.0;
/// How full the bobbins are drawn.
const DRAWN_FILL: f64 = 0.75;

/// A format to begin with.
struct FormatChoice {
    word: &'static str,
    name: &'static str,
    about: &'static str,
    drawing: String,
}

#[derive(Template)]
#[template(path = "designs/formats.html")]
struct FormatsPage {
    frame: Frame,
    formats: Vec<FormatChoice>,
    import: Field,
    problems: Vec<Problem>,
}

const fn about(kind: Format) -> &'static str {
    match kind {
        Format::TallSingle => "Rod magnets in a tall, narrow coil: bright and clear, picks up hum.",
        Format::ShortSingle => "Rods in a low coil over a steel plate: more inductance, a little warmer.",
        Format::WideSingle => "Screws in a wide, flat coil over two bar magnets: fuller.",
        Format::TwinCoil => "Two coils side by side over one bar, wound against each other: quiet.",
        Format::StackedTwin => "Two coils one above the other: quiet, with the outline of a single coil.",
        Format::Blade => "One blade under all strings: even when strings are bent.",
        Format::ButtonMagnet => "Short, thick magnets in a wide core, for few or widely spaced strings.",
        Format::Concentric => "A coil inside another, to be tapped or joined in series.",
        Format::PerString => "One small coil for each string.",
    }
}

fn formats_page(user: &CurrentUser, import: &str, problems: Vec<Problem>) -> Result<HttpResponse, AppError> {
    let choice = |kind: &Format| {
        let design = starting_point(*kind, "", USUAL_STRINGS, DRAWN_PITCH_MM);
        let builds: Vec<f64> = design.coils.iter().map(|c| DRAWN_FILL * c.former.room_mm).collect();
        FormatChoice {
            word: kind.word(),
            name: kind.name(),
            about: about(*kind),
            drawing: presentation::drawing::section(&design, &builds, user.settings.units),
        }
    };
    let hint = "Paste a filamentum-design/1 document, or choose its file.";
    let page = FormatsPage {
        frame: Frame::new(user, "designs", "New design"),
        formats: Format::ALL.iter().map(choice).collect(),
        import: Field::typed("text", "Design file", hint).with(import, &Errors::new()),
        problems,
    };
    render_page(&page, !page.problems.is_empty())
}

#[derive(Deserialize)]
pub(super) struct NewQuery {
    kind: Option<Format>,
    strings: Option<u32>,
}

/// A new sheet of a format, or the choice of formats.
pub(super) async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, AppError> {
    let Some(kind) = query.kind else { return formats_page(&user, "", Vec::new()) };
    let strings = query.strings.unwrap_or(USUAL_STRINGS).clamp(4, 10);
    let mut design = starting_point(kind, "", strings, USUAL_PITCH_MM);
    user.settings.apply_to(&mut design);
    let form = FormData(sheet::form_of(&design, user.settings.units));
    workbench(&app, &user, &form, &Errors::new(), None, None).await
}

/// A design file becomes a new sheet; for one that cannot be read, everything that is wrong with it is listed.
pub(super) async fn import(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    match coil::design::read(form.get("text")) {
        Ok(design) => {
            workbench(
                &app,
                &user,
                &FormData(sheet::form_of(&design, user.settings.units)),
                &Errors::new(),
                None,
                None,
            )
            .await
        }
        Err(problems) => formats_page(&user, form.get("text"), problems),
    }
}
