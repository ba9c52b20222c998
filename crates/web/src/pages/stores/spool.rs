//! One spool: what was measured along it, what is left, who sold it, and the coils wound on it.

use super::optional;
use crate::app::App;
use crate::fault::Fault;
use crate::filled::{Errors, Filled};
use crate::layout::{Choice, Field, Frame};
use crate::pages::causes::newest;
use crate::pages::{see, shown};
use crate::present;
use crate::visitor::Visitor;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Length, Spoken, Temperature, number};
use shop::learning::{Factor, Lesson, Lived, Quantity};
use shop::stock::{SpoolWarning, along, metres, spool_warnings};
use store::logbook::{Line, LogFilter};
use store::spool::{NewCheck, Spool, SpoolCare, SpoolCheck};
use store::{ClientKey, InstrumentId, SpoolId};

#[derive(Template)]
#[template(path = "stores/spool.html")]
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
    lesson: Option<&Lesson>,
    lived: &[Lived],
) -> Vec<SpoolWarning> {
    if spool.emptied_at.is_some() {
        return Vec::new();
    }
    let learnt = lesson.and_then(|l| l.of(Quantity::Resistance));
    let residuals: Vec<f64> = learnt
        .map(|learnt| {
            lived
                .iter()
                .filter(|l| l.circumstances.of(Factor::Spool) == Some(spool.id.0))
                .filter(|l| !learnt.left_out.contains(&l.run))
                .filter_map(|l| learnt.left_of(l))
                .collect()
        })
        .unwrap_or_default();
    spool_warnings(spool.left_now_m(), spool.coil_m, ohms_along, &residuals)
}

fn filled_of(filled: &Filled, errors: &Errors, field: Field, usual: &str) -> Field {
    let value = if filled.0.contains_key(&field.name) { filled.get(&field.name) } else { usual };
    field.with(value, errors)
}

fn plain(value: Option<f64>, decimals: usize) -> String {
    value.map_or_else(String::new, |v| present::plain(v, decimals))
}

fn check_fields(spool: &Spool, filled: &Filled, errors: &Errors) -> Vec<Field> {
    let typed = |name: &str, label: &str, unit: &str, hint: &str| Field {
        unit: unit.into(),
        ..filled_of(filled, errors, Field::typed(name, label, hint), "")
    };
    let weight = match spool.empty_g {
        Some(empty) => format!("With the spool; {} g are taken off for it.", present::plain(empty, 1)),
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
    visitor: &Visitor,
    spool: &Spool,
    filled: &Filled,
    errors: &Errors,
) -> Result<Vec<Field>, Fault> {
    let mut stations = vec![Choice::new("", "no station")];
    let instruments = app.store.instruments(visitor.workshop()).await?;
    stations.extend(
        instruments.iter().filter(|i| i.kind == "winder").map(|i| Choice::new(i.id.to_string(), &i.name)),
    );
    let with_unit = |field: Field, unit: &str| Field { unit: unit.into(), ..field };
    let care = |field: Field, usual: &str| filled_of(filled, errors, field, usual);
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
    visitor: &Visitor,
    id: SpoolId,
    filled: &Filled,
    errors: &Errors,
) -> Result<HttpResponse, Fault> {
    let workshop = visitor.workshop();
    let spool = app.store.spool(workshop, id).await?;
    let checks = app.store.spool_checks(workshop, id).await?;
    let filter = LogFilter { spool: Some(id), ..LogFilter::default() };
    let lines = app.store.log_lines(workshop, &filter, 300).await?;
    let lesson = newest(app, visitor).await?.map(|(_, _, _, lesson)| lesson);
    let mut lived: Vec<Lived> = lines.iter().filter(|l| l.level != "stop").map(Line::lived).collect();
    lived.reverse();
    let ohms: Vec<f64> = checks.iter().filter_map(SpoolCheck::ohm_per_m_20c).collect();
    let diameters: Vec<f64> = checks.iter().filter_map(|c| c.overall_mm).collect();
    let warnings = warnings(&spool, &ohms, lesson.as_deref(), &lived);
    let measured = |name, values: &[f64], decimals, unit: &str| {
        along(values).map(|a| {
            let spread = format!("{:.1} % from place to place", a.spread * 100.0);
            let places =
                if a.count == 1 { "1 place".to_owned() } else { format!("{} places, {spread}", a.count) };
            (name, format!("{} {unit}", present::plain(a.mean, decimals)), places)
        })
    };
    let learned = lesson.as_ref().and_then(|l| l.of(Quantity::Resistance)).and_then(|learnt| {
        let e = learnt.effect(Factor::Spool, id.0)?;
        let by = format!("{:+.1} %", e.value.exp_m1() * 100.0).replace('-', "−");
        Some(format!(
            "{by} ± {:.1} % in resistance against the other spools, from {} runs",
            164.5 * e.sd,
            learnt.runs_of(Factor::Spool, id.0)
        ))
    });
    let coils_left =
        spool.left_now_m().zip(spool.coil_m.filter(|m| *m > 0.0)).map(|(left, coil)| left / coil);
    let has = |names: &[&str]| names.iter().any(|n| errors.contains_key(*n));
    let page = SpoolPage {
        frame: Frame::new(visitor, "stores", format!("Spool {}", spool.label)),
        tab: "spools",
        left: spool.left_now_m().map_or_else(|| "not known".into(), |m| format!("{} m", present::turns(m))),
        used: format!("{} m", present::turns(spool.used_m)),
        coils_left: coils_left
            .map_or_else(String::new, |n| format!("enough for about {:.0} more", n.floor())),
        warnings: warnings.iter().map(SpoolWarning::text).collect(),
        learned: learned.unwrap_or_default(),
        checks: checks
            .iter()
            .rev()
            .map(|c| CheckShown {
                at: c.at_m.map_or_else(|| "–".into(), |m| format!("{} m left", present::turns(m))),
                overall: c.overall_mm.map_or_else(|| "–".into(), |v| format!("{} mm", present::plain(v, 4))),
                ohms: match (c.ohm_per_m, c.at_c) {
                    (Some(v), Some(t)) => format!("{} at {} °C", present::plain(v, 3), present::plain(t, 1)),
                    (Some(v), None) => present::plain(v, 3),
                    _ => "–".into(),
                },
                weight: c.gross_g.map_or_else(|| "–".into(), |g| format!("{} g", present::plain(g, 1))),
                by: c.by.clone(),
                when: present::moment(c.taken_at),
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
                resistance: l.resistance_ohm.map_or_else(|| "–".into(), |v| present::KILOOHM.text(v)),
                off: l
                    .resistance_off
                    .map_or_else(String::new, |v| format!("{:+.1} %", v * 100.0).replace('-', "−")),
            })
            .collect(),
        key: filled.key().unwrap_or_else(|_| ClientKey::random()),
        check_fields: check_fields(&spool, filled, errors),
        care_fields: care_fields(app, visitor, &spool, filled, errors).await?,
        checking: has(&["overall", "ohms", "at_c", "gross"]),
        caring: has(&["cost", "empty", "supplier", "lot"]),
        spool,
    };
    shown(&page, !errors.is_empty())
}

pub async fn show(app: web::Data<App>, visitor: Visitor, id: web::Path<u64>) -> Result<HttpResponse, Fault> {
    page(&app, &visitor, SpoolId(*id), &Filled::default(), &Errors::new()).await
}

/// Logs what was measured at a place of the wire, or its weight.
pub async fn check(
    app: web::Data<App>,
    visitor: Visitor,
    id: web::Path<u64>,
    filled: Filled,
) -> Result<HttpResponse, Fault> {
    let id = SpoolId(*id);
    let spool = app.store.spool(visitor.workshop(), id).await?;
    let mut errors = Errors::new();
    let mm = |text: &str| Length::parse(text).map(Length::mm).map_err(|e| e.to_string());
    let plain = |text: &str| number(text, "5.51").map(|(value, _)| value).map_err(|e| e.to_string());
    let celsius = |text: &str| Temperature::parse(text).map(Temperature::celsius).map_err(|e| e.to_string());
    let mut check = NewCheck {
        overall_mm: optional(&filled, &mut errors, "overall", (0.02, 0.5), mm),
        ohm_per_m: optional(&filled, &mut errors, "ohms", (0.2, 100.0), plain),
        at_c: optional(&filled, &mut errors, "at_c", (-20.0, 60.0), celsius),
        gross_g: optional(&filled, &mut errors, "gross", (0.0, 20_000.0), plain),
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
        return page(&app, &visitor, id, &filled, &errors).await;
    }
    app.store.check_spool(visitor.workshop(), id, visitor.person.id, &filled.key()?, &check).await?;
    Ok(see(format!("/spools/{id}")))
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
    visitor: Visitor,
    id: web::Path<u64>,
    filled: Filled,
) -> Result<HttpResponse, Fault> {
    let id = SpoolId(*id);
    let mut errors = Errors::new();
    let plain = |text: &str| number(text, "48").map(|(value, _)| value).map_err(|e| e.to_string());
    for name in ["supplier", "lot"] {
        if filled.get(name).chars().count() > 80 {
            errors.insert(name.into(), "Up to 80 letters.".into());
        }
    }
    let care = SpoolCare {
        supplier: filled.get("supplier").into(),
        lot: filled.get("lot").into(),
        cost_per_kg: optional(&filled, &mut errors, "cost", (0.0, 100_000.0), plain),
        empty_g: optional(&filled, &mut errors, "empty", (0.0, 20_000.0), plain),
        winder: filled.get("winder").parse().ok().map(InstrumentId),
        emptied: filled.get("emptied") == "yes",
    };
    if !errors.is_empty() {
        return page(&app, &visitor, id, &filled, &errors).await;
    }
    app.store.care_for_spool(visitor.workshop(), id, &care).await?;
    Ok(see(format!("/spools/{id}")))
}

/// What a coil's wire costs, where the spool's price is known.
pub fn wire_cost(spool: &Spool, grams: f64) -> Option<f64> {
    spool.cost_per_kg.map(|per_kg| per_kg * grams / 1000.0)
}
