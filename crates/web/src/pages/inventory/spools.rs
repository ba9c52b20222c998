//! The spools with what needs attention on each, and adding one from its label.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word;
use coil::design::Wire;
use coil::quantity::{Measure, Units};
use coil::wire::{Build, Gauge, Insulation, ToleranceRange, at_temperature};
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::{chosen, is_name, limit_letters, measured};
use store::ClientKey;
use store::spool::{NewSpool, Spool};
use trade::stock::SpoolWarning;
use workshop::Refusal;

#[derive(Template)]
#[template(path = "inventory/spools.html")]
struct SpoolsPage {
    frame: Frame,
    tab: &'static str,
    spools: Vec<SpoolRow>,
    key: ClientKey,
    /// What was asked about and is taken when it comes again: name of the field, value.
    asked: Vec<(&'static str, String)>,
    fields: Vec<Field>,
    refused: bool,
}

/// A spool in the list with what needs attention on it.
struct SpoolRow {
    spool: Spool,
    left: String,
    warnings: Vec<String>,
}

/// The values that a form asks about, as they were typed.
pub(super) fn asked(form: &FormData) -> Vec<(&'static str, String)> {
    ["ohms", "overall"].map(|name| (name, form.get(name).to_owned())).to_vec()
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| field.filled(form, errors);
    let typed = |name: &str, label: &str, unit: &str, hint: &str| Field {
        unit: unit.into(),
        ..fill(Field::typed(name, label, hint))
    };
    let measured = |name: &str, label: &str, measure: Measure, hint: &str| {
        fill(Field::measured(name, label, hint, (measure, user.settings.units)))
    };
    let choice = |name: &str, label: &str, all: &[&'static str]| {
        fill(Field::chosen(
            name,
            label,
            "",
            all.iter().map(|v| Choice::new(*v, v.replace('-', " "))).collect(),
        ))
    };
    let template = SpoolsPage {
        frame: Frame::new(user, "inventory", "Inventory"),
        tab: "spools",
        spools: app
            .workshop
            .spools(&user.actor)
            .await?
            .into_iter()
            .map(|(spool, warnings)| SpoolRow {
                left: spool.left_now_m().map_or_else(|| "–".into(), |m| user.settings.units.wire_length(m)),
                spool,
                warnings: warnings.iter().map(SpoolWarning::text).collect(),
            })
            .collect(),
        key: form.key_or_new(),
        asked: asked(form),
        fields: vec![
            typed("label", "Label", "", "What is written on the spool."),
            typed("gauge", "Gauge", "AWG", "42, 46 SWG or 0.063 mm."),
            choice("insulation", "Insulation", &Insulation::ALL.map(Word::word)),
            choice("build", "Build", &Build::ALL.map(Word::word)),
            choice("tolerance", "Ordered as", &ToleranceRange::ALL.map(Word::word)),
            measured(
                "overall",
                "Overall diameter",
                Measure::Length,
                "Measured with the enamel on. Empty if not measured.",
            ),
            measured(
                "ohms",
                "Resistance by length",
                Measure::LinearResistance,
                "Of a measured length. Empty if not measured.",
            ),
            measured("at_c", "at", Measure::Temperature, "Temperature of that reading."),
            measured("left", "Wire left", Measure::WireLength, "As far as known."),
            typed("remark", "Remark", "", "").wide(),
        ],
        refused: !errors.is_empty(),
    };
    render_page(&template, !errors.is_empty())
}

/// Resistances by length that a wire can have, Ω/m.
pub(super) const OHM_PER_M: (f64, f64) = (0.2, 100.0);

/// Share by which a measured value is off what the gauge says before it is asked about.
const ODD: f64 = 1.0 / 3.0;

/// Asks once about a measured value that is off the gauge by a third: typed again as it was, it is taken.
pub(super) fn ask_about_odd(
    form: &FormData,
    errors: &mut Errors,
    (measured, wire): (&coil::design::Spool, &Wire),
    units: Units,
) {
    let usual = Wire { spool: None, ..wire.clone() }.data();
    let ohms = measured.ohm_per_m.map(|v| at_temperature(v, measured.at_c.unwrap_or(20.0), 20.0));
    let all = [
        ("ohms", ohms, usual.ohm_per_m, units.linear_resistance(usual.ohm_per_m, 2)),
        ("overall", measured.overall_mm, usual.overall_m * 1e3, units.length(usual.overall_m * 1e3, 3)),
    ];
    for (name, value, usual, text) in all {
        let is_odd = value.is_some_and(|value| (value / usual - 1.0).abs() > ODD);
        let is_confirmed = form.get(&format!("sure_{name}")) == form.get(name);
        if is_odd && !is_confirmed && !errors.contains_key(name) {
            let message =
                format!("{} has about {text}. Correct this, or send it again to keep it.", wire.gauge);
            errors.insert(name.into(), message);
        }
    }
}

pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new()).await
}

pub(super) async fn add(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (mut errors, units) = (Errors::new(), user.settings.units);
    let label = form.get("label");
    if !is_name(label, 80) {
        errors.insert("label".into(), "Give it a label of up to 80 letters.".into());
    }
    let gauge =
        form.get("gauge").parse::<Gauge>().map_err(|e| errors.insert("gauge".into(), e.to_string())).ok();
    let insulation = chosen(&form, &mut errors, "insulation");
    let build = chosen(&form, &mut errors, "build");
    let range = chosen(&form, &mut errors, "tolerance");
    let measured = coil::design::Spool {
        bare_mm: None,
        overall_mm: measured(&form, &mut errors, "overall", (0.02, 0.5), (Measure::Length, units)),
        ohm_per_m: measured(&form, &mut errors, "ohms", OHM_PER_M, (Measure::LinearResistance, units)),
        at_c: measured(&form, &mut errors, "at_c", (-20.0, 60.0), (Measure::Temperature, units)),
        left_m: measured(&form, &mut errors, "left", (0.0, 1e6), (Measure::WireLength, units)),
    };
    if let (Some(gauge), Some(overall)) = (gauge, measured.overall_mm)
        && overall <= gauge.bare_m() * 1e3
    {
        errors.insert(
            "overall".into(),
            format!(
                "The bare wire alone is {}: this cannot be over the enamel.",
                units.length(gauge.bare_m() * 1e3, 4)
            ),
        );
    }
    if let (Some(gauge), Some(insulation), Some(build), Some(range)) = (gauge, insulation, build, range) {
        let wire = Wire { gauge, insulation, build, range, spool: None };
        ask_about_odd(&form, &mut errors, (&measured, &wire), units);
    }
    limit_letters(&form, &mut errors, "remark", 500);
    let (Some(gauge), Some(insulation), Some(build), Some(range), true) =
        (gauge, insulation, build, range, errors.is_empty())
    else {
        return page(&app, &user, &form, &errors).await;
    };
    let spool = NewSpool {
        key: form.key()?,
        label: label.into(),
        wire: Wire { gauge, insulation, build, range, spool: Some(measured) },
        remark: form.get("remark").into(),
    };
    match app.workshop.add_spool(&user.actor, &spool).await {
        Err(refusal @ Refusal::NameTaken(_)) => {
            errors.insert("label".into(), refusal_text(&refusal));
            page(&app, &user, &form, &errors).await
        }
        done => {
            done?;
            Ok(redirect("/spools"))
        }
    }
}
