//! One spool: what was measured along it, what is left, who sold it, and the coils wound on it.

use super::optional;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format;
use crate::layout::{Choice, Field, Frame};
use crate::pages::causes::newest;
use crate::pages::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Length, ParseQuantity, Temperature, number};
use store::logbook::{LogFilter, LogbookRow};
use store::spool::{NewCheck, Spool, SpoolCheck, SpoolDetails};
use store::{ClientKey, InstrumentId, SpoolId};
use trade::calibration::{CalibrationModel, Factor, Observation, Quantity};
use trade::stock::{SpoolWarning, along, metres, spool_warnings};

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
    learned: String,
    checks: Vec<CheckShown>,
    along: Vec<(&'static str, String, String)>,
    runs: Vec<RunShown>,
    key: ClientKey,
    check_fields: Vec<Field>,
    care_fields: Vec<Field>,
    checking: bool,
    caring: bool,
}

struct CheckShown {
    at: String,
    overall: String,
    ohms: String,
    weight: String,
    by: String,
    when: String,
}

struct RunShown {
    id: u64,
    number: u32,
    name: String,
    resistance: String,
    off: String,
}

/// What is to be seen to on a spool.
pub fn warnings(
    spool: &Spool,
    ohms_along: &[f64],
    model: Option<&CalibrationModel>,
    observations: &[Observation],
) -> Vec<SpoolWarning> {
    if spool.emptied_at.is_some() {
        return Vec::new();
    }
    let fitted = model.and_then(|l| l.of(Quantity::Resistance));
    let residuals: Vec<f64> = fitted
        .map(|fitted| {
            observations
                .iter()
                .filter(|l| l.factor_levels.of(Factor::Spool) == Some(spool.id.0))
                .filter(|l| !fitted.outliers.contains(&l.run))
                .filter_map(|l| fitted.residual(l))
                .collect()
        })
        .unwrap_or_default();
    spool_warnings(spool.left_now_m(), spool.coil_m, ohms_along, &residuals)
}

fn filled_of(form: &FormData, errors: &Errors, field: Field, usual: &str) -> Field {
    let value = if form.0.contains_key(&field.name) { form.get(&field.name) } else { usual };
    field.with(value, errors)
}

fn plain(value: Option<f64>, decimals: usize) -> String {
    value.map_or_else(String::new, |v| format::plain(v, decimals))
}

fn check_fields(spool: &Spool, form: &FormData, errors: &Errors) -> Vec<Field> {
    let typed = |name: &str, label: &str, unit: &str, hint: &str| Field {
        unit: unit.into(),
        ..filled_of(form, errors, Field::typed(name, label, hint), "")
    };
    let weight = match spool.empty_g {
        Some(empty) => format!("With the spool; {} g are taken off for it.", format::plain(empty, 1)),
        None => "Less the empty spool: note what that weighs below.".into(),
    };
    vec![
        typed("overall", "Overall diameter", "mm", "With the enamel on, at this place of the wire."),
        typed("ohms", "Ohms per metre", "Ω/m", "Of a measured length from this place."),
        typed("at_c", "at", "°C", "Temperature of that reading; 20 when empty."),
        typed("gross", "Weighs", "g", &weight),
    ]
}

async fn care_fields(
    app: &App,
    user: &CurrentUser,
    spool: &Spool,
    form: &FormData,
    errors: &Errors,
) -> Result<Vec<Field>, AppError> {
    let mut stations = vec![Choice::new("", "no station")];
    let instruments = app.store.of(user.workshop()).instruments().await?;
    stations.extend(
        instruments.iter().filter(|i| i.kind == "winder").map(|i| Choice::new(i.id.to_string(), &i.name)),
    );
    let with_unit = |field: Field, unit: &str| Field { unit: unit.into(), ..field };
    let care = |field: Field, usual: &str| filled_of(form, errors, field, usual);
    let shelf = vec![Choice::new("", "yes"), Choice::new("yes", "no: used up")];
    let used_up = if spool.emptied_at.is_some() { "yes" } else { "" };
    let station = spool.winder_id.map_or_else(String::new, |w| w.to_string());
    let cost = care(Field::typed("cost", "Cost", "In your currency."), &plain(spool.cost_per_kg, 2));
    let empty = care(Field::typed("empty", "The empty spool weighs", ""), &plain(spool.empty_g, 1));
    Ok(vec![
        care(Field::typed("supplier", "Supplier", ""), &spool.supplier),
        care(Field::typed("lot", "Lot or order", ""), &spool.lot),
        with_unit(cost, "per kg"),
        with_unit(empty, "g"),
        care(Field::chosen("winder", "Station", "The winder that it is kept at.", stations), &station),
        care(Field::chosen("emptied", "On the shelf", "", shelf), used_up),
    ])
}

async fn page(
    app: &App,
    user: &CurrentUser,
    id: SpoolId,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let spool = app.store.of(workshop).spool(id).await?;
    let checks = app.store.of(workshop).spool_checks(id).await?;
    let filter = LogFilter { spool: Some(id), ..LogFilter::default() };
    let lines = app.store.of(workshop).log_lines(&filter, 300).await?;
    let model = newest(app, user).await?.map(|(_, _, _, model)| model);
    let mut observations: Vec<Observation> =
        lines.iter().filter(|l| l.level != "stop").map(LogbookRow::observation).collect();
    observations.reverse();
    let ohms: Vec<f64> = checks.iter().filter_map(SpoolCheck::ohm_per_m_20c).collect();
    let diameters: Vec<f64> = checks.iter().filter_map(|c| c.overall_mm).collect();
    let warnings = warnings(&spool, &ohms, model.as_deref(), &observations);
    let measured = |name, values: &[f64], decimals, unit: &str| {
        along(values).map(|a| {
            let spread = format!("{:.1} % from place to place", a.spread * 100.0);
            let places =
                if a.count == 1 { "1 place".to_owned() } else { format!("{} places, {spread}", a.count) };
            (name, format!("{} {unit}", format::plain(a.mean, decimals)), places)
        })
    };
    let learned = model.as_ref().and_then(|l| l.of(Quantity::Resistance)).and_then(|fitted| {
        let e = fitted.effect(Factor::Spool, id.0)?;
        let by = format!("{:+.1} %", e.value.exp_m1() * 100.0).replace('-', "−");
        Some(format!(
            "{by} ± {:.1} % in resistance against the other spools, from {} runs",
            164.5 * e.sd,
            fitted.runs_of(Factor::Spool, id.0)
        ))
    });
    let coils_left =
        spool.left_now_m().zip(spool.coil_m.filter(|m| *m > 0.0)).map(|(left, coil)| left / coil);
    let has = |names: &[&str]| names.iter().any(|n| errors.contains_key(*n));
    let page = SpoolPage {
        frame: Frame::new(user, "stores", format!("Spool {}", spool.label)),
        tab: "spools",
        left: spool.left_now_m().map_or_else(|| "not known".into(), |m| format!("{} m", format::turns(m))),
        used: format!("{} m", format::turns(spool.used_m)),
        coils_left: coils_left
            .map_or_else(String::new, |n| format!("enough for about {:.0} more", n.floor())),
        warnings: warnings.iter().map(SpoolWarning::text).collect(),
        learned: learned.unwrap_or_default(),
        checks: checks
            .iter()
            .rev()
            .map(|c| CheckShown {
                at: c.at_m.map_or_else(|| "–".into(), |m| format!("{} m left", format::turns(m))),
                overall: c.overall_mm.map_or_else(|| "–".into(), |v| format!("{} mm", format::plain(v, 4))),
                ohms: match (c.ohm_per_m, c.at_c) {
                    (Some(v), Some(t)) => format!("{} at {} °C", format::plain(v, 3), format::plain(t, 1)),
                    (Some(v), None) => format::plain(v, 3),
                    _ => "–".into(),
                },
                weight: c.gross_g.map_or_else(|| "–".into(), |g| format!("{} g", format::plain(g, 1))),
                by: c.by.clone(),
                when: format::moment(c.taken_at),
            })
            .collect(),
        along: [measured("Overall", &diameters, 4, "mm"), measured("Resistance at 20 °C", &ohms, 3, "Ω/m")]
            .into_iter()
            .flatten()
            .collect(),
        runs: lines
            .iter()
            .map(|l| RunShown {
                id: l.run_id.0,
                number: l.number,
                name: format!("{} r{}", l.name, l.revision),
                resistance: l.resistance_ohm.map_or_else(|| "–".into(), |v| format::KILOOHM.text(v)),
                off: l
                    .resistance_off
                    .map_or_else(String::new, |v| format!("{:+.1} %", v * 100.0).replace('-', "−")),
            })
            .collect(),
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        check_fields: check_fields(&spool, form, errors),
        care_fields: care_fields(app, user, &spool, form, errors).await?,
        checking: has(&["overall", "ohms", "at_c", "gross"]),
        caring: has(&["cost", "empty", "supplier", "lot"]),
        spool,
    };
    render_page(&page, !errors.is_empty())
}

pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, SpoolId(*id), &FormData::default(), &Errors::new()).await
}

/// Logs what was measured at a place of the wire, or its weight.
pub async fn check(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = SpoolId(*id);
    let spool = app.store.of(user.workshop()).spool(id).await?;
    let mut errors = Errors::new();
    let mm = |text: &str| Length::parse(text).map(Length::mm).map_err(|e| e.to_string());
    let plain = |text: &str| number(text, "5.51").map(|(value, _)| value).map_err(|e| e.to_string());
    let celsius = |text: &str| Temperature::parse(text).map(Temperature::celsius).map_err(|e| e.to_string());
    let mut check = NewCheck {
        overall_mm: optional(&form, &mut errors, "overall", (0.02, 0.5), mm),
        ohm_per_m: optional(&form, &mut errors, "ohms", (0.2, 100.0), plain),
        at_c: optional(&form, &mut errors, "at_c", (-20.0, 60.0), celsius),
        gross_g: optional(&form, &mut errors, "gross", (0.0, 20_000.0), plain),
        ..NewCheck::default()
    };
    if errors.is_empty() && check.overall_mm.is_none() && check.ohm_per_m.is_none() && check.gross_g.is_none()
    {
        errors.insert("overall".into(), "Note a diameter, the ohms per metre, or the weight.".into());
    }
    if let Some(gross) = check.gross_g {
        match spool.empty_g {
            Some(empty) if gross >= empty => check.left_m = length(&spool, gross - empty),
            Some(_) => {
                errors.insert("gross".into(), "That is less than the empty spool weighs.".into());
            }
            None => {
                errors.insert("gross".into(), "Note below what the empty spool weighs first.".into());
            }
        }
    }
    if !errors.is_empty() {
        return page(&app, &user, id, &form, &errors).await;
    }
    app.store.of(user.workshop()).check_spool(id, user.person.id, &form.key()?, &check).await?;
    Ok(redirect(format!("/spools/{id}")))
}

/// Metres of a spool's wire that weigh so many grams.
fn length(spool: &Spool, grams: f64) -> Option<f64> {
    let insulation = serde_json::from_value(serde_json::Value::from(spool.insulation.clone())).ok()?;
    let build = serde_json::from_value(serde_json::Value::from(spool.build.clone())).ok()?;
    metres(spool.gauge.parse().ok()?, insulation, build, grams)
}

/// Notes supplier, cost, station.
pub async fn care(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = SpoolId(*id);
    let mut errors = Errors::new();
    let plain = |text: &str| number(text, "48").map(|(value, _)| value).map_err(|e| e.to_string());
    for name in ["supplier", "lot"] {
        if form.get(name).chars().count() > 80 {
            errors.insert(name.into(), "Up to 80 letters.".into());
        }
    }
    let care = SpoolDetails {
        supplier: form.get("supplier").into(),
        lot: form.get("lot").into(),
        cost_per_kg: optional(&form, &mut errors, "cost", (0.0, 100_000.0), plain),
        empty_g: optional(&form, &mut errors, "empty", (0.0, 20_000.0), plain),
        winder: form.get("winder").parse().ok().map(InstrumentId),
        emptied: form.get("emptied") == "yes",
    };
    if !errors.is_empty() {
        return page(&app, &user, id, &form, &errors).await;
    }
    app.store.of(user.workshop()).update_spool(id, &care).await?;
    Ok(redirect(format!("/spools/{id}")))
}

/// What a coil's wire costs, where the spool's price is known.
pub fn wire_cost(spool: &Spool, grams: f64) -> Option<f64> {
    spool.cost_per_kg.map(|per_kg| per_kg * grams / 1000.0)
}
