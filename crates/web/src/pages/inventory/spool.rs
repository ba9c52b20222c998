//! One spool: what was measured along it, what is left, who sold it, and the coils wound on it.

use super::spools::{OHM_PER_M, ask_about_odd, asked};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::pages::photos::PhotoStrip;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::quantity::{Measure, Units};
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, counted, signed_percent, signed_percent_of_ln};
use presentation::read::{limit_letters, measured, optional, plain};
use store::instrument::Instrument;
use store::photo::PhotoSubject;
use store::spool::{NewCheck, Spool, SpoolCheck, SpoolDetails};
use store::{ClientKey, InstrumentId, SpoolId};
use trade::calibration::{FEWEST_OF_LEVEL, Factor, Quantity};
use trade::stock::{SpoolWarning, along};
use workshop::{Refusal, SpoolState};

#[derive(Template)]
#[template(path = "inventory/spool.html")]
struct SpoolPage {
    frame: Frame,
    tab: &'static str,
    spool: Spool,
    left: String,
    used: String,
    coils_left: String,
    warnings: Vec<String>,
    /// What the calibration says of it; empty below four runs.
    effect: String,
    checks: Vec<CheckRow>,
    along: Vec<(&'static str, String, String)>,
    runs: Vec<RunRow>,
    key: ClientKey,
    /// What was asked about and is taken when it comes again: name of the field, value.
    asked: Vec<(&'static str, String)>,
    check_fields: Vec<Field>,
    detail_fields: Vec<Field>,
    checking: bool,
    editing: bool,
    /// The state that the card was filled from.
    version: String,
    photos: PhotoStrip,
}

struct CheckRow {
    at: String,
    overall: String,
    ohms: String,
    weight: String,
    by: String,
    when: String,
}

struct RunRow {
    id: u64,
    number: u32,
    name: String,
    resistance: String,
    off: String,
}

fn shown(value: Option<f64>, decimals: usize) -> String {
    value.map_or_else(String::new, |v| format::plain(v, decimals))
}

fn check_fields(spool: &Spool, form: &FormData, errors: &Errors, units: Units) -> Vec<Field> {
    let measured = |name: &str, label: &str, measure: Measure, hint: &str| {
        Field::measured(name, label, hint, (measure, units)).filled(form, errors)
    };
    let weight = match spool.empty_g {
        Some(empty) => format!("With the spool; {} are taken off for it.", units.mass(empty, 1)),
        None => "Less the empty spool: note what that weighs below.".into(),
    };
    vec![
        measured(
            "overall",
            "Overall diameter",
            Measure::Length,
            "With the enamel on, at this place of the wire.",
        ),
        measured(
            "ohms",
            "Resistance by length",
            Measure::LinearResistance,
            "Of a measured length from this place.",
        ),
        measured("at_c", "at", Measure::Temperature, "Temperature of that reading; 20 °C when empty."),
        measured("gross", "Weighs", Measure::Mass, &weight),
    ]
}

fn detail_fields(
    spool: &Spool,
    winders: &[Instrument],
    form: &FormData,
    errors: &Errors,
    units: Units,
) -> Vec<Field> {
    let mut stations = vec![Choice::new("", "no station")];
    stations.extend(winders.iter().map(|i| Choice::new(i.id.to_string(), i.name.clone())));
    let detail = |field: Field, usual: &str| field.filled_or(form, errors, usual);
    let in_use = vec![Choice::new("", "yes"), Choice::new("yes", "no: used up")];
    let used_up = if spool.emptied_at.is_some() { "yes" } else { "" };
    let station = spool.winder_id.map_or_else(String::new, |w| w.to_string());
    let cost = detail(Field::typed("cost", "Cost", "In your currency."), &shown(spool.cost_per_kg, 2));
    let empty_g = spool.empty_g.map_or_else(String::new, |g| units.field(Measure::Mass, g));
    let empty = Field::measured("empty", "Empty spool weighs", "", (Measure::Mass, units));
    vec![
        detail(Field::typed("supplier", "Supplier", ""), &spool.supplier),
        detail(Field::typed("lot", "Lot or order", ""), &spool.lot),
        cost.unit("per kg"),
        detail(empty, &empty_g),
        detail(Field::chosen("winder", "Station", "The winder that it is kept at.", stations), &station),
        detail(Field::chosen("emptied", "In use", "", in_use), used_up),
    ]
}

async fn page(
    app: &App,
    user: &CurrentUser,
    id: SpoolId,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let SpoolState { spool, checks, runs: lines, model, warnings } =
        app.workshop.spool(&user.actor, id).await?;
    let winders = app.workshop.winders(&user.actor).await?;
    let ohms: Vec<f64> = checks.iter().filter_map(SpoolCheck::ohm_per_m_20c).collect();
    let diameters: Vec<f64> = checks.iter().filter_map(|c| c.overall_mm).collect();
    let units = user.settings.units;
    let measured = |name, values: &[f64], text: &dyn Fn(f64) -> String| {
        along(values).map(|a| {
            let spread = format!("{:.1} % from place to place", a.spread * 100.0);
            let places =
                if a.count == 1 { "1 place".to_owned() } else { format!("{} places, {spread}", a.count) };
            (name, text(a.mean), places)
        })
    };
    let effect = model.as_ref().and_then(|m| {
        let runs = m.quantity(Quantity::Resistance)?.runs_of(Factor::Spool, id.0);
        let e = m.effect_of(Quantity::Resistance, Factor::Spool, id.0).filter(|_| runs >= FEWEST_OF_LEVEL)?;
        Some(format!(
            "{} ± {:.1} % in resistance against the other spools, from {}",
            signed_percent_of_ln(e.value, 1),
            164.5 * e.sd,
            counted(runs, "run")
        ))
    });
    let coils_left =
        spool.left_now_m().zip(spool.coil_m.filter(|m| *m > 0.0)).map(|(left, coil)| left / coil);
    let has = |names: &[&str]| names.iter().any(|n| errors.contains_key(*n));
    let page = SpoolPage {
        frame: Frame::new(user, "inventory", format!("Spool {}", spool.label)),
        tab: "spools",
        left: spool.left_now_m().map_or_else(|| "not known".into(), |m| units.wire_length(m)),
        used: units.wire_length(spool.used_m),
        coils_left: coils_left
            .map_or_else(String::new, |n| format!("enough for about {:.0} more", n.floor())),
        warnings: warnings.iter().map(SpoolWarning::text).collect(),
        effect: effect.unwrap_or_default(),
        checks: checks
            .iter()
            .rev()
            .map(|c| CheckRow {
                at: c.at_m.map_or_else(|| "–".into(), |m| format!("{} left", units.wire_length(m))),
                overall: c.overall_mm.map_or_else(|| "–".into(), |v| units.length(v, 4)),
                ohms: match (c.ohm_per_m, c.at_c) {
                    (Some(v), Some(t)) => {
                        format!("{} at {}", units.linear_resistance(v, 3), units.temperature(t, 1))
                    }
                    (Some(v), None) => units.linear_resistance(v, 3),
                    _ => "–".into(),
                },
                weight: c.gross_g.map_or_else(|| "–".into(), |g| units.mass(g, 1)),
                by: c.by.clone(),
                when: format::moment(c.taken_at),
            })
            .collect(),
        along: [
            measured("Overall", &diameters, &|mm| units.length(mm, 4)),
            measured("Resistance at 20 °C", &ohms, &|v| units.linear_resistance(v, 3)),
        ]
        .into_iter()
        .flatten()
        .collect(),
        runs: lines
            .iter()
            .map(|l| RunRow {
                id: l.run_id.0,
                number: l.number,
                name: format!("{} r{}", l.name, l.revision),
                resistance: l.resistance_ohm.map_or_else(|| "–".into(), |v| format::KILOOHM.text(v)),
                off: l.resistance_off.map_or_else(String::new, |v| signed_percent(v, 1)),
            })
            .collect(),
        key: form.key_or_new(),
        asked: asked(form),
        check_fields: check_fields(&spool, form, errors, units),
        detail_fields: detail_fields(&spool, &winders, form, errors, units),
        checking: has(&["overall", "ohms", "at_c", "gross"]),
        photos: PhotoStrip::load(app, user, PhotoSubject::Spool, spool.id.0).await?,
        version: match form.get("version") {
            "" => spool.version.to_string(),
            sent => sent.to_owned(),
        },
        editing: has(&["cost", "empty", "supplier", "lot"]),
        spool,
    };
    render_page(&page, !errors.is_empty())
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, SpoolId(*id), &FormData::default(), &Errors::new()).await
}

/// Logs what was measured at a place of the wire, or its weight.
pub(super) async fn check(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = SpoolId(*id);
    let spool = app.workshop.spool_measurements(&user.actor, id).await?;
    let empty_g = spool.empty_g;
    let (mut errors, units) = (Errors::new(), user.settings.units);
    let check = NewCheck {
        overall_mm: measured(&form, &mut errors, "overall", (0.02, 0.5), (Measure::Length, units)),
        ohm_per_m: measured(&form, &mut errors, "ohms", OHM_PER_M, (Measure::LinearResistance, units)),
        at_c: measured(&form, &mut errors, "at_c", (-20.0, 60.0), (Measure::Temperature, units)),
        gross_g: measured(&form, &mut errors, "gross", (0.0, 20_000.0), (Measure::Mass, units)),
        ..NewCheck::default()
    };
    let measured_now = coil::design::Spool {
        overall_mm: check.overall_mm,
        ohm_per_m: check.ohm_per_m,
        at_c: check.at_c,
        ..coil::design::Spool::default()
    };
    ask_about_odd(&form, &mut errors, (&measured_now, &spool.wire()), units);
    if errors.is_empty() && check.overall_mm.is_none() && check.ohm_per_m.is_none() && check.gross_g.is_none()
    {
        errors.insert("overall".into(), "Enter a diameter, the ohms per metre, or the weight.".into());
    }
    match (check.gross_g, empty_g) {
        (Some(gross), Some(empty)) if gross < empty => {
            errors.insert("gross".into(), "That is less than the empty spool weighs.".into());
        }
        (Some(_), None) => {
            errors.insert("gross".into(), "Enter below what the empty spool weighs first.".into());
        }
        _ => {}
    }
    if !errors.is_empty() {
        return page(&app, &user, id, &form, &errors).await;
    }
    app.workshop.check_spool(&user.actor, id, &form.key()?, check).await?;
    Ok(redirect(format!("/spools/{id}")))
}

/// Saves supplier, cost, station.
pub(super) async fn update(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = SpoolId(*id);
    let (mut errors, units) = (Errors::new(), user.settings.units);
    for name in ["supplier", "lot"] {
        limit_letters(&form, &mut errors, name, 80);
    }
    let details = SpoolDetails {
        supplier: form.get("supplier").into(),
        lot: form.get("lot").into(),
        cost_per_kg: optional(&form, &mut errors, "cost", (0.0, 100_000.0), plain),
        empty_g: measured(&form, &mut errors, "empty", (0.0, 20_000.0), (Measure::Mass, units)),
        winder: form.id("winder").map(InstrumentId),
        emptied: form.is_ticked("emptied"),
        version: form.get("version").parse().ok(),
    };
    if !errors.is_empty() {
        return page(&app, &user, id, &form, &errors).await;
    }
    match app.workshop.update_spool(&user.actor, id, &details).await {
        Err(refusal @ Refusal::ChangedMeanwhile(_)) => {
            errors.insert("supplier".into(), refusal_text(&refusal));
            page(&app, &user, id, &form, &errors).await
        }
        done => {
            done?;
            Ok(redirect(format!("/spools/{id}")))
        }
    }
}
