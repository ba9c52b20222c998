//! The views of a design, and the drawings of each.

use super::meter_table::meter_table;
use coil::design::{Design, Handed, place_in_row};
use coil::prediction::{Prediction, Solution};
use coil::quantity::Units;
use presentation::drawing;
use presentation::plot::{Curve, curves, partials, plot};

/// Points of the field along the row.
const ROW_POINTS: u32 = 121;
/// Most coils that are drawn as laid.
const MOST_LAID: usize = 3;

/// Which drawings are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum View {
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
    /// Maps of the field, and of what is heard over the plane of the strings.
    Maps,
    /// What each adjustment changes.
    Sensitivity,
    /// What choices change that makers differ about.
    Assumptions,
    /// From targets to designs.
    Search,
}

impl View {
    /// All views with name and label.
    pub(super) const ALL: [(Self, &'static str, &'static str); 9] = [
        (Self::Pickup, "pickup", "Pickup"),
        (Self::Laid, "laid", "Winding"),
        (Self::Field, "field", "Field and strings"),
        (Self::Wiring, "wiring", "Wiring"),
        (Self::Maps, "maps", "Field map"),
        (Self::Listen, "listen", "Listen"),
        (Self::Sensitivity, "sensitivity", "Sensitivity"),
        (Self::Assumptions, "assumptions", "Does it matter?"),
        (Self::Search, "search", "Find a design"),
    ];

    /// By its name; the pickup for any other.
    pub(super) fn named(name: &str) -> Self {
        Self::ALL.iter().find(|v| v.1 == name).map_or(Self::Pickup, |v| v.0)
    }

    /// Whether it is only of use beside a sheet.
    pub(super) const fn needs_sheet(self) -> bool {
        matches!(self, Self::Maps | Self::Sensitivity | Self::Assumptions | Self::Search | Self::Listen)
    }
}

/// A drawing with its caption.
pub(super) struct Figure {
    /// What it shows.
    pub caption: String,
    /// Markup.
    pub svg: String,
    /// Takes the whole width.
    pub wide: bool,
    /// Lines explained.
    pub keys: Vec<(&'static str, &'static str)>,
    /// A table is no drawing to be saved or enlarged.
    pub is_table: bool,
}

impl Figure {
    fn plain(caption: &str, svg: String, wide: bool) -> Self {
        Self { caption: caption.into(), svg, wide, keys: Vec::new(), is_table: false }
    }

    /// Whether it is a plot, which the page's script draws.
    #[cfg(test)]
    pub(super) fn is_plot(&self) -> bool {
        self.svg.contains("data-plot")
    }
}

/// What a view's drawings are made of.
pub(super) struct Drawn<'a> {
    /// The design.
    pub design: &'a Design,
    /// Its solution; `None` where it cannot be predicted.
    pub solution: Option<&'a Solution>,
    /// Its prediction.
    pub prediction: Option<&'a Prediction>,
    /// The prediction of its parent.
    pub before: Option<&'a Prediction>,
    /// What is laid over the response.
    pub overlays: &'a [Curve],
    /// The workshop's units.
    pub units: Units,
}

/// Field along the row at the strings' height, for a drawing.
fn along_row(design: &Design, solution: &Solution) -> Vec<(f64, f64)> {
    let strings = &design.strings;
    let half = strings.pitch_mm * (f64::from(strings.count) - 1.0) / 2.0 + strings.pitch_mm;
    let x = |k: u32| half * (2.0 * f64::from(k) / f64::from(ROW_POINTS - 1) - 1.0);
    let xs: Vec<f64> = (0..ROW_POINTS).map(x).collect();
    let face = design.poles.iter().map(|p| p.bottom_mm + p.length_mm).fold(f64::NEG_INFINITY, f64::max);
    let top = design
        .coils
        .iter()
        .map(|c| c.base_mm + c.former.flange_bottom_mm + c.former.height_mm + c.former.flange_top_mm);
    let face = if face.is_finite() { face } else { top.fold(0.0, f64::max) };
    let (_, gap) = strings.core_and_gap_mm(strings.count / 2);
    let y = design
        .poles
        .first()
        .and_then(|p| design.coils.iter().find(|c| c.name == p.coil))
        .map_or(0.0, |c| c.center_mm[1]);
    let field = solution.flux_along_row_mt(&xs, y, face + gap);
    xs.into_iter().zip(field.into_iter().map(|b| b[2])).collect()
}

/// The response, over that of the revision before and what else is laid over it.
fn responses(prediction: &Prediction, drawn: &Drawn<'_>) -> String {
    let mut all = Vec::from(curves("", 0, &prediction.response));
    if let Some(before) = drawn.before {
        all.extend(curves("before", 5, &before.response));
    }
    all.extend_from_slice(drawn.overlays);
    plot(&all, "Response in decibels over frequency")
}

/// The drawings of a view.
pub(super) fn figures(view: View, drawn: &Drawn<'_>) -> Vec<Figure> {
    let design = drawn.design;
    let builds: Vec<f64> =
        drawn.prediction.map(|p| p.coils.iter().map(|c| c.build_mm).collect()).unwrap_or_default();
    match view {
        View::Pickup => {
            let mut all = Vec::new();
            if let Some(prediction) = drawn.prediction {
                all.push(Figure::plain("Response", responses(prediction, drawn), true));
            }
            let section = drawing::section(design, &builds, drawn.units);
            all.push(Figure::plain("Section through a pole", section, false));
            all.push(Figure::plain("From above", drawing::top(design, &builds, drawn.units), false));
            all
        }
        View::Laid => drawn.solution.map(|solution| laid(drawn, solution)).unwrap_or_default(),
        View::Field => field(design, drawn),
        View::Wiring => {
            let caption = "From ground to hot; arrows as seen from above";
            let mut all = vec![Figure::plain(caption, drawing::wiring(design), true)];
            // A table that cannot be made leaves the drawing.
            if let Some(Ok(table)) = drawn.prediction.map(|p| meter_table(&p.pickup)) {
                all.push(Figure { is_table: true, ..Figure::plain("What a meter shows", table, true) });
            }
            all
        }
        View::Maps | View::Sensitivity | View::Assumptions | View::Search | View::Listen => Vec::new(),
    }
}

fn laid(drawn: &Drawn<'_>, solution: &Solution) -> Vec<Figure> {
    let design = drawn.design;
    let mut all = Vec::new();
    for (i, coil) in design.coils.iter().enumerate().take(MOST_LAID) {
        let Some((plan, section)) = solution.lay(i) else { continue };
        let of = if design.coils.len() == 1 { String::new() } else { format!(", coil {}", coil.name) };
        let figure = Figure::plain(&format!("Cross-section{of}"), drawing::laid(section, drawn.units), false);
        all.push(Figure { keys: vec![("age0", "first turns"), ("age7", "last turns")], ..figure });
        all.push(Figure::plain(&format!("Guide position over turns{of}"), drawing::guide(plan), false));
    }
    all
}

fn field(design: &Design, drawn: &Drawn<'_>) -> Vec<Figure> {
    let strings = &design.strings;
    let places: Vec<f64> = (1..=strings.count)
        .map(|n| place_in_row(n, strings.count, strings.pitch_mm, strings.handed))
        .collect();
    let mut all = Vec::new();
    if let Some(solution) = drawn.solution {
        let row = drawing::row(&along_row(design, solution), &places, drawn.units);
        all.push(Figure::plain("Field along the row of strings", row, true));
    }
    if let Some(prediction) = drawn.prediction.filter(|p| !p.strings.is_empty()) {
        let balance = drawing::balance(&prediction.strings, strings.handed == Handed::Right);
        all.push(Figure::plain("Output by string, relative to the loudest, dB", balance, true));
        let heard = plot(&partials(design, &prediction.strings), "String by string, decibels over frequency");
        all.push(Figure::plain(
            "String by string: partials as place, aperture and load leave them",
            heard,
            true,
        ));
        let pull = drawing::pull(&prediction.strings, strings.handed == Handed::Right);
        all.push(Figure::plain(
            "Pull of the magnets by string, mN, and the detuning of the open string",
            pull,
            true,
        ));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};
    use coil::prediction::Calibration;

    #[test]
    fn every_format_has_all_its_views() {
        for kind in Format::ALL {
            let design = starting_point(kind, "Sedge", 6, 10.0);
            let solution = Solution::compute(&design).unwrap();
            let prediction = solution.prediction(&Calibration::default());
            let drawn = Drawn {
                design: &design,
                solution: Some(&solution),
                prediction: Some(&prediction),
                before: Some(&prediction),
                overlays: &[],
                units: Units::default(),
            };
            for (view, name, _) in View::ALL.into_iter().filter(|(view, _, _)| !view.needs_sheet()) {
                let all = figures(view, &drawn);
                assert!(!all.is_empty(), "{kind:?} {name}");
                let is_drawn = |f: &Figure| f.svg.starts_with("<svg") || f.is_plot();
                let is_made = |f: &Figure| is_drawn(f) || f.is_table && f.svg.starts_with("<table");
                assert!(all.iter().all(is_made), "{kind:?} {name}");
                let broken = |f: &Figure| f.svg.contains("NaN") || f.svg.contains("inf");
                assert!(!all.iter().any(broken), "{kind:?} {name}");
            }
        }
    }
}
