//! How high the pickups of a set stand, and what to check before it leaves: a sheet to print.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Measure, Units};
use coil::set::{PickupSetUp, StringSetUp};
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{rejection, signed_db};
use presentation::read::measured;
use store::PickupSetId;
use workshop::ThirdString;

/// A pull that is told of, cents flat.
const PULLED_CENTS: f64 = 2.0;

struct StringRow {
    string: u32,
    is_end: bool,
    gap: String,
    level: String,
    stagger: String,
    pull: String,
    is_pulled: bool,
}

struct PickupRow {
    name: String,
    relative: String,
    strings: Vec<StringRow>,
    is_pulled: bool,
    /// What a bend from pole to pole loses, in words.
    bend: String,
}

#[derive(Template)]
#[template(path = "sets/set_up.html")]
struct SetUpPage {
    frame: Frame,
    id: u64,
    name: String,
    fields: Vec<Field>,
    pickups: Vec<PickupRow>,
    /// Which way a meter swings as a screwdriver is lifted off each pickup.
    swings: Vec<(String, &'static str)>,
    /// Whether all of them swing alike.
    swing_alike: bool,
    poles: Vec<(String, &'static str)>,
    hums: Vec<(String, String)>,
}

fn row(string: &StringSetUp, count: usize, units: Units) -> StringRow {
    let higher = string.stagger_mm;
    StringRow {
        string: string.string,
        is_end: string.string == 1 || string.string as usize == count,
        gap: units.length(string.gap_mm, 2),
        level: signed_db(string.relative_db, 1),
        stagger: if higher.abs() < 0.05 {
            "as it is".to_owned()
        } else {
            format!("{} {}", units.length(higher.abs(), 2), if higher > 0.0 { "higher" } else { "lower" })
        },
        pull: format!("{:.1} cents", string.pull_cents).replace('-', "−"),
        is_pulled: string.pull_cents < -PULLED_CENTS,
    }
}

fn bend_words(pickup: &PickupSetUp) -> String {
    let Some(db) = pickup.between_db else { return String::new() };
    let loss = signed_db(db, 1);
    if pickup.alternates {
        return format!(
            "Neighbouring poles are opposite: between them the string’s magnetisation turns over, and a bend from pole to pole passes \
             {loss}, heard as a drop in level."
        );
    }
    format!("A string bent from one pole to the next passes {loss} between them.")
}

fn pickup_row(pickup: &PickupSetUp, units: Units) -> PickupRow {
    let strings: Vec<StringRow> =
        pickup.strings.iter().map(|s| row(s, pickup.strings.len(), units)).collect();
    PickupRow {
        name: pickup.name.clone(),
        relative: signed_db(pickup.relative_db, 1),
        is_pulled: strings.iter().any(|s| s.is_pulled),
        bend: bend_words(pickup),
        strings,
    }
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let units = user.settings.units;
    let asked = ["radius", "third"].map(|name| (name, query.get(name).to_owned()));
    let form: FormData = asked.into_iter().collect();
    let mut errors = Errors::new();
    let radius_mm = measured(&form, &mut errors, "radius", (100.0, 5000.0), (Measure::Length, units));
    let third = query.get("third").parse::<ThirdString>().ok();
    let sheet = app.workshop.set_up_sheet(&user.actor, PickupSetId(*id), radius_mm, third).await?;
    let (draft, planned, predicted) = (sheet.draft, sheet.heights, sheet.predicted);
    let pole = |i: usize| {
        predicted.solution.signal(i).map_or("no pole", |s| if s.polarity() > 0.0 { "north" } else { "south" })
    };
    let several =
        draft.switch.iter().zip(&predicted.prediction.positions).filter(|(given, _)| given.on.len() > 1);
    let hint = "The fingerboard’s radius, over which the outer strings lie lower; empty for a flat row.";
    let thirds =
        vec![Choice::new("", "as designed"), Choice::new("plain", "plain"), Choice::new("wound", "wound")];
    let page = SetUpPage {
        frame: Frame::new(&user, "sets", format!("Set-up of {}", draft.name)),
        id: *id,
        fields: vec![
            Field::measured("radius", "Fingerboard radius", hint, (Measure::Length, units))
                .filled(&form, &errors),
            Field::chosen("third", "Third string", "A wound one has less steel over the pole.", thirds)
                .filled(&form, &errors),
        ],
        swings: planned
            .iter()
            .map(|p| (p.name.clone(), if p.lifts_to_plus { "to plus" } else { "to minus" }))
            .collect(),
        swing_alike: planned.iter().all(|p| p.lifts_to_plus == planned[0].lifts_to_plus),
        pickups: planned.iter().map(|p| pickup_row(p, units)).collect(),
        poles: draft.pickups.iter().enumerate().map(|(i, p)| (p.name.clone(), pole(i))).collect(),
        hums: several.map(|(given, p)| (given.name.clone(), rejection(p.hum_rejection_db))).collect(),
        name: draft.name,
    };
    render_page(&page, !errors.is_empty())
}
