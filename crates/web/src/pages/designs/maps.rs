//! Maps of a design: the field in a plane and the sensitivity over the plane of the strings, fetched by themselves.

use super::assumptions::FetchedPanel;
use super::posted_sheet::design_of;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{render, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::{Design, place_in_row};
use coil::prediction::{BendMap, Plane};
use coil::quantity::fixed;
use presentation::drawing::bend;
use presentation::field_map::field_map;
use std::fmt;
use std::str::FromStr;

/// The panel, before the maps are there.
pub(super) fn panel() -> Result<String, AppError> {
    render(&FetchedPanel { from: "/designs/maps", wait: "Computing the field …" })
}

/// Which plane is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Cut {
    /// Across the row through a string's pole.
    String(u32),
    /// From above, at the strings.
    Strings,
    /// From above, just over the poles.
    Faces,
}

impl fmt::Display for Cut {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::String(n) => write!(f, "string-{n}"),
            Self::Strings => f.write_str("strings"),
            Self::Faces => f.write_str("faces"),
        }
    }
}

/// A word that names no plane.
#[derive(Debug)]
struct UnknownCut;

impl FromStr for Cut {
    type Err = UnknownCut;

    fn from_str(word: &str) -> Result<Self, UnknownCut> {
        match word {
            "strings" => Ok(Self::Strings),
            "faces" => Ok(Self::Faces),
            _ => {
                let number = word.strip_prefix("string-").and_then(|n| n.parse().ok());
                number.map(Self::String).ok_or(UnknownCut)
            }
        }
    }
}

impl Cut {
    fn all(count: u32) -> Vec<Self> {
        (1..=count).map(Self::String).chain([Self::Strings, Self::Faces]).collect()
    }

    fn label(self) -> String {
        match self {
            Self::String(n) => format!("Section through string {n}"),
            Self::Strings => "From above, at the strings".into(),
            Self::Faces => "From above, half a millimetre over the poles".into(),
        }
    }

    fn plane(self, design: &Design) -> Plane {
        let strings = &design.strings;
        let top = design.poles.iter().map(|p| p.bottom_mm + p.length_mm).fold(f64::NEG_INFINITY, f64::max);
        let coils = design
            .coils
            .iter()
            .map(|c| c.base_mm + c.former.flange_bottom_mm + c.former.height_mm + c.former.flange_top_mm);
        let top = if top.is_finite() { top } else { coils.fold(0.0, f64::max) };
        match self {
            Self::String(n) => {
                let pole = design.poles.iter().find(|p| p.string == Some(n)).map(|p| p.x_mm);
                let row = place_in_row(n, strings.count, strings.pitch_mm, strings.handed);
                Plane::Section { x_mm: pole.unwrap_or(row) }
            }
            Self::Strings => Plane::Above { z_mm: top + strings.core_and_gap_mm(strings.count / 2).1 },
            Self::Faces => Plane::Above { z_mm: top + 0.5 },
        }
    }
}

#[derive(Template)]
#[template(path = "designs/_maps.html")]
struct Maps {
    cuts: Vec<(String, String, bool)>,
    field: String,
    bend: Option<Bend>,
    strings: Vec<(u32, bool)>,
}

struct Bend {
    between: String,
    svg: String,
}

fn bend_of(design: &Design, map: &BendMap) -> Bend {
    let strings = &design.strings;
    let places: Vec<f64> = (1..=strings.count)
        .map(|n| place_in_row(n, strings.count, strings.pitch_mm, strings.handed))
        .collect();
    let between = format!("{} dB", fixed(map.between_db, 1).replace('-', "−"));
    Bend { between, svg: bend(map, &places) }
}

/// The maps of a sheet as it was sent.
pub(super) async fn maps(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (design, _) = design_of(&app, &user, &form).await?;
    let design = &design;
    let count = design.strings.count;
    let middle = Cut::String(count.div_ceil(2));
    let cut =
        form.get("search_map_cut").parse().ok().filter(|c| Cut::all(count).contains(c)).unwrap_or(middle);
    let string = form
        .get("search_map_string")
        .parse()
        .ok()
        .filter(|n| (1..=count).contains(n))
        .unwrap_or(count.div_ceil(2));
    let found = app.workshop.maps(&user.actor, design, cut.plane(design), string).await?;
    let Ok((field, bend)) = found else {
        return Err(AppError::BadRequest("This design cannot be predicted.".into()));
    };
    let page = Maps {
        cuts: Cut::all(count).into_iter().map(|c| (c.to_string(), c.label(), c == cut)).collect(),
        field: field_map(&field, user.settings.units, &cut.label()),
        bend: bend.map(|map| bend_of(design, &map)),
        strings: (1..=count).map(|n| (n, n == string)).collect(),
    };
    render_page(&page, false)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_is_the_plane_that_it_was_written_of() {
        for cut in Cut::all(10) {
            assert_eq!(cut.to_string().parse::<Cut>().ok(), Some(cut));
        }
        assert!("string-".parse::<Cut>().is_err() && "".parse::<Cut>().is_err());
    }
}
