//! What a design will be: the strip, drawings and notices, as markup.

use super::audition;
use super::context::PageContext;
use super::differences::{Difference, differences_in_words};
use super::search::{effects_table, panel};
use super::strip::{Cell, cells};
use crate::app::App;
use crate::calibrations::AppliedCalibration;
use crate::drawing;
use crate::error::AppError;
use crate::form::FormData;
use crate::plot::{Curve, curves, plot};
use actix_web::web;
use askama::Template;
use coil::design::{Change, Design, Problem};
use coil::prediction::{Calibration, Level, Notice, Prediction, flux_along_row_mt, lay_coil};
use std::collections::BTreeMap;

/// Which drawings are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum View {
    /// From above, section, response.
    #[default]
    Pickup,
    /// The coils as laid, and the guide.
    Laid,
    /// Field along the row and balance.
    Field,
    /// How the coils are joined.
    Wiring,
    /// How it would sound.
    Listen,
    /// What changes what.
    Changes,
    /// From aims to designs.
    Seek,
}

impl View {
    const ALL: [(Self, &'static str, &'static str); 7] = [
        (Self::Pickup, "pickup", "Pickup"),
        (Self::Laid, "laid", "As laid"),
        (Self::Field, "field", "Field and strings"),
        (Self::Wiring, "wiring", "Wiring"),
        (Self::Listen, "listen", "Listen"),
        (Self::Changes, "changes", "What changes what"),
        (Self::Seek, "seek", "Seek"),
    ];

    /// By its name; the pickup for any other.
    pub fn named(name: &str) -> Self {
        Self::ALL.iter().find(|v| v.1 == name).map_or(Self::Pickup, |v| v.0)
    }
}

/// What the sheet will be: the strip, drawings and notices.
pub struct Outlook {
    /// The strip's cells.
    pub strip: String,
    /// Figures with the choice of views.
    pub drawings: String,
    /// Notices and what changed.
    pub notices: String,
}

#[derive(Template)]
#[template(path = "designs/_strip.html")]
struct Strip {
    cells: Vec<Cell>,
}

/// A drawing with its caption.
pub struct Figure {
    /// What it shows.
    pub caption: String,
    /// Markup.
    pub svg: String,
    /// Takes the whole width.
    pub wide: bool,
    /// Lines explained.
    pub keys: Vec<(&'static str, &'static str)>,
}

#[derive(Template)]
#[template(path = "designs/_drawings.html")]
struct Drawings {
    views: Vec<(&'static str, &'static str, bool)>,
    figures: Vec<Figure>,
    panel: String,
}

#[derive(Template)]
#[template(path = "designs/_notices.html")]
struct Notices<'a> {
    all: &'a [Notice],
    changes: &'a [Difference],
    compared: bool,
    /// Independent things that differ from the parent.
    things: usize,
}

/// How many independent things changed: all poles' lengths are one, a core that followed the strings is none.
pub fn independent(changes: &[Change]) -> usize {
    let followed = changes.iter().any(|c| c.at.starts_with("strings."));
    let mut things: Vec<String> = changes
        .iter()
        .filter(|c| c.at != "name" && !c.at.starts_with("aims") && c.at != "room_c")
        .filter(|c| !(followed && (c.at.contains(".core.length") || c.at.contains("x_mm"))))
        .map(|c| c.at.chars().filter(|c| !c.is_ascii_digit()).collect())
        .collect();
    things.sort();
    things.dedup();
    things.len()
}

fn render(template: &impl Template) -> Result<String, AppError> {
    template.render().map_err(|error| AppError::Internal(error.to_string()))
}

/// Field along the row at the strings' height, for a drawing.
fn along_row(design: &Design) -> Vec<(f64, f64)> {
    const POINTS: u32 = 121;
    let strings = &design.strings;
    let half = strings.pitch_mm * (f64::from(strings.count) - 1.0) / 2.0 + strings.pitch_mm;
    let xs: Vec<f64> =
        (0..POINTS).map(|k| half * (2.0 * f64::from(k) / f64::from(POINTS - 1) - 1.0)).collect();
    let face = design.poles.iter().map(|p| p.bottom_mm + p.length_mm).fold(f64::NEG_INFINITY, f64::max);
    let roof = design
        .coils
        .iter()
        .map(|c| c.base_mm + c.former.flange_bottom_mm + c.former.height_mm + c.former.flange_top_mm);
    let face = if face.is_finite() { face } else { roof.fold(0.0, f64::max) };
    let (_, gap) = strings.core_and_gap_mm(strings.count / 2);
    let y = design
        .poles
        .first()
        .and_then(|p| design.coils.iter().find(|c| c.name == p.coil))
        .map_or(0.0, |c| c.center_mm[1]);
    let field = flux_along_row_mt(design, &xs, y, face + gap).unwrap_or_default();
    xs.into_iter().zip(field.into_iter().map(|b| b[2])).collect()
}

/// The response, over that of the revision before and what else is laid beside it.
fn responses(prediction: &Prediction, before: Option<&Prediction>, over: &[Curve]) -> String {
    let mut all = Vec::from(curves("", 0, &prediction.response));
    if let Some(before) = before {
        all.extend(curves("before", 5, &before.response));
    }
    all.extend_from_slice(over);
    plot(&all, "Response in decibels over frequency")
}

/// The drawings of a view.
pub fn figures(
    design: &Design,
    prediction: Option<&Prediction>,
    before: Option<&Prediction>,
    over: &[Curve],
    view: View,
) -> Vec<Figure> {
    let builds: Vec<f64> =
        prediction.map(|p| p.coils.iter().map(|c| c.build_mm).collect()).unwrap_or_default();
    let plain = |caption: &str, svg: String, wide: bool| Figure {
        caption: caption.into(),
        svg,
        wide,
        keys: Vec::new(),
    };
    match view {
        View::Pickup => {
            let mut all = vec![
                plain("From above", drawing::top(design, &builds), true),
                plain("Section through a pole", drawing::section(design, &builds), false),
            ];
            if let Some(prediction) = prediction {
                all.push(plain("Response", responses(prediction, before, over), false));
            }
            all
        }
        View::Laid => {
            let mut all = Vec::new();
            for (i, coil) in design.coils.iter().enumerate().take(3) {
                let Some((plan, section)) = lay_coil(design, i) else { continue };
                let of =
                    if design.coils.len() == 1 { String::new() } else { format!(", coil {}", coil.name) };
                let figure = plain(&format!("As laid{of}"), drawing::laid(&section), false);
                all.push(Figure { keys: vec![("age0", "first"), ("age7", "last turns")], ..figure });
                all.push(plain(&format!("Guide over the turns{of}"), drawing::guide(&plan), false));
            }
            all
        }
        View::Field => {
            let strings = &design.strings;
            let xs: Vec<f64> = (1..=strings.count)
                .map(|n| coil::design::place_in_row(n, strings.count, strings.pitch_mm, strings.handed))
                .collect();
            let mut all =
                vec![plain("Field along the row of strings", drawing::row(&along_row(design), &xs), true)];
            if let Some(prediction) = prediction.filter(|p| !p.strings.is_empty()) {
                all.push(plain(
                    "Output by string, against the loudest, dB",
                    drawing::balance(&prediction.strings, strings.handed == coil::design::Handed::Right),
                    true,
                ));
            }
            all
        }
        View::Changes | View::Seek | View::Listen => Vec::new(),
        View::Wiring => {
            vec![plain("From ground to hot; arrows as seen from above", drawing::wiring(design), true)]
        }
    }
}

fn refused(problems: Vec<Problem>) -> Vec<Notice> {
    problems
        .into_iter()
        .map(|p| Notice {
            level: Level::Stop,
            code: "not-predicted".into(),
            at: p.at,
            text: p.text,
            try_: p.try_,
        })
        .collect()
}

#[derive(Template)]
#[template(path = "designs/_overlay.html")]
struct Overlay<'a> {
    laid: &'a [(String, String)],
    choices: &'a [(String, String)],
}

/// What a design will be, against its parent.
///
/// The view comes with what the sheet's panels were filled with; a page that only shows has none, and no panels that ask.
pub async fn render_preview(
    app: &App,
    design: &Design,
    parent: Option<&Design>,
    (view, form): (View, Option<&FormData>),
    context: PageContext,
) -> Result<Outlook, AppError> {
    let before = match parent {
        Some(parent) => app.predictions.calibrated(parent, context.applied.calibration(parent)).await?.ok(),
        None => None,
    };
    let things = parent.map_or(0, |p| independent(&coil::design::differences(p, design)));
    let changes = parent.map(|p| differences_in_words(p, &[design])).unwrap_or_default();
    let calibration = context.applied.calibration(design);
    let (prediction, notices) = match app.predictions.calibrated(design, calibration).await? {
        Ok(prediction) => {
            let notices = prediction.notices.clone();
            (Some(prediction), notices)
        }
        Err(problems) => (None, refused(problems)),
    };
    let none = BTreeMap::new();
    let mut strip = prediction
        .as_ref()
        .map_or_else(Vec::new, |p| cells(design, p, before.as_deref(), &none, &context.measured_coils));
    for cell in &mut strip {
        cell.why.applied = leaning_words(cell.key, &context.applied, &calibration);
    }
    let (drawn, asked, predicted) = (design.clone(), form.cloned(), prediction.clone());
    let (figures, panel) = web::block(move || {
        let figures = figures(&drawn, predicted.as_deref(), before.as_deref(), &context.over, view);
        let panel = match (view, &asked) {
            (View::Pickup, Some(_)) => {
                let page = Overlay { laid: &context.laid, choices: &context.choices };
                page.render().unwrap_or_default()
            }
            (View::Changes, Some(form)) => effects_table(&drawn, form.get("goal")),
            (View::Seek, Some(form)) => panel(&drawn, form, &context.others),
            (View::Listen, Some(form)) => audition::panel(form, &context.others),
            _ => String::new(),
        };
        (figures, panel)
    })
    .await?;
    Ok(Outlook {
        strip: render(&Strip { cells: strip })?,
        drawings: render(&Drawings {
            views: View::ALL
                .iter()
                .filter(|(v, _, _)| form.is_some() || !matches!(v, View::Changes | View::Seek | View::Listen))
                .map(|(v, name, label)| (*name, *label, *v == view))
                .collect(),
            figures,
            panel,
        })?,
        notices: render(&Notices { all: &notices, changes: &changes, compared: parent.is_some(), things })?,
    })
}

/// What a figure's prediction leans on, in words; empty for figures that runs do not move.
pub fn leaning_words(key: &str, applied: &AppliedCalibration, calibration: &Calibration) -> String {
    let learned = match key {
        "resistance" | "resistance_room" => calibration.resistance,
        "inductance" | "resonance" | "peak" => calibration.inductance,
        "capacitance" => calibration.capacitance,
        _ => return String::new(),
    };
    match (learned, applied.version) {
        (Some(l), Some((_, number))) => {
            let moved = format!("{:+.1} %", l.shift.exp_m1() * 100.0).replace('-', "−");
            let what = match key {
                "resonance" | "peak" => "The inductance under it leans",
                _ => "It leans",
            };
            let frozen = if applied.how.is_empty() { String::new() } else { format!(", {}", applied.how) };
            format!(
                "{what} on {} runs of this workshop (version {number}{frozen}), which move it by {moved} against the bare \
                 engine.",
                l.runs
            )
        }
        _ if applied.how.is_empty() => {
            "It comes from the design alone: too few runs were measured to lean on.".into()
        }
        _ => format!("It comes from the design alone: {}.", applied.how),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Kind, Step, differences, starting_point};
    use coil::prediction::predict;

    #[test]
    fn a_row_of_poles_is_one_thing_and_what_follows_is_none() {
        let base = starting_point(Kind::TallSingle, "Sedge", 6, 10.4);
        let mut staggered = base.clone();
        Step::Stagger(coil::design::Stagger::Stepped).apply(&mut staggered).unwrap();
        assert_eq!(independent(&differences(&base, &staggered)), 1);
        let mut wider = base.clone();
        wider.strings.pitch_mm = 10.0;
        coil::design::follow_row(&base, &mut wider);
        assert_eq!(independent(&differences(&base, &wider)), 1);
        wider.coils[0].wind.turns = 8000;
        wider.name = "Sedge two".into();
        assert_eq!(independent(&differences(&base, &wider)), 2);
    }

    #[test]
    fn every_format_has_all_its_views() {
        for kind in Kind::ALL {
            let design = starting_point(kind, "Sedge", 6, 10.0);
            let prediction = predict(&design).unwrap();
            for (view, name, _) in View::ALL.into_iter().take(4) {
                let all = figures(&design, Some(&prediction), Some(&prediction), &[], view);
                assert!(
                    !all.is_empty()
                        && all.iter().all(|f| f.svg.starts_with("<svg") || f.svg.contains("data-plot")),
                    "{kind:?} {name}"
                );
                assert!(
                    all.iter().all(|f| !f.svg.contains("NaN") && !f.svg.contains("inf")),
                    "{kind:?} {name}"
                );
            }
        }
    }
}
