//! Stores: the spools on the shelf, parts, and what a pickup costs.

pub mod parts;
pub mod spool;

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::layout::{Choice, Field, Frame};
use crate::pages::causes::newest;
use crate::pages::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::{Length, ParseQuantity, Temperature, fixed, number};
use coil::wire::{Gauge, at_temperature};
use store::spool::{NewSpool, Spool};
use store::{ClientKey, StoreError};
use trade::stock::SpoolWarning;

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/spools", web::get().to(show))
        .route("/spools", web::post().to(add))
        .route("/spools/{id}", web::get().to(spool::show))
        .route("/spools/{id}", web::post().to(spool::care))
        .route("/spools/{id}/checks", web::post().to(spool::check))
        .route("/parts", web::get().to(parts::show))
        .route("/parts", web::post().to(parts::add))
        .route("/parts/{id}/moves", web::post().to(parts::move_stock))
        .route("/costs", web::get().to(parts::costs))
        .route("/costs", web::post().to(parts::set_costs))
        .route("/runs/{id}/parts", web::post().to(parts::take_for_run));
}

#[derive(Template)]
#[template(path = "inventory/spools.html")]
struct SpoolsPage {
    frame: Frame,
    tab: &'static str,
    spools: Vec<SpoolShown>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
}

/// A spool in the list with what is to be seen to.
struct SpoolShown {
    spool: Spool,
    left: String,
    warnings: Vec<String>,
}

/// Runs by which a spool's drift is judged: the last of the shop.
const RECENT: u32 = 2000;

/// Spools with what is to be seen to on each.
pub async fn seen_to(app: &App, user: &CurrentUser) -> Result<Vec<(Spool, Vec<String>)>, AppError> {
    let workshop = user.workshop();
    let spools = app.store.of(workshop).spools().await?;
    let checks = app.store.of(workshop).all_spool_checks().await?;
    let model = newest(app, user).await?.map(|(_, _, _, model)| model);
    let observations =
        if model.is_some() { app.store.of(workshop).recent_observations(RECENT).await? } else { Vec::new() };
    Ok(spools
        .into_iter()
        .map(|spool| {
            let ohms: Vec<f64> = checks
                .iter()
                .filter(|(id, _, _)| *id == spool.id)
                .filter_map(|(_, ohms, c)| Some(at_temperature((*ohms)?, c.unwrap_or(20.0), 20.0)))
                .collect();
            let warnings = spool::warnings(&spool, &ohms, model.as_deref(), &observations);
            (spool, warnings.iter().map(SpoolWarning::text).collect())
        })
        .collect())
}

const INSULATIONS: [&str; 6] = [
    "plain-enamel",
    "polyvinyl-acetal",
    "polyurethane",
    "polyurethane-nylon",
    "polyester-imide",
    "self-bonding",
];
const BUILDS: [&str; 2] = ["single", "heavy"];
const RANGES: [&str; 3] = ["full", "minimum-to-nominal", "nominal-to-maximum"];

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let fill = |field: Field| {
        let value = form.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let typed = |name: &str, label: &str, unit: &str, hint: &str| Field {
        unit: unit.into(),
        ..fill(Field::typed(name, label, hint))
    };
    let chosen = |name: &str, label: &str, all: &[&str]| {
        fill(Field::chosen(
            name,
            label,
            "",
            all.iter().map(|v| Choice::new(*v, v.replace('-', " "))).collect(),
        ))
    };
    let template = SpoolsPage {
        frame: Frame::new(user, "stores", "Stores"),
        tab: "spools",
        spools: seen_to(app, user)
            .await?
            .into_iter()
            .map(|(spool, warnings)| SpoolShown {
                left: spool
                    .left_now_m()
                    .map_or_else(|| "–".into(), |m| format!("{} m", crate::format::turns(m))),
                spool,
                warnings,
            })
            .collect(),
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields: vec![
            typed("label", "Label", "", "What is written on the spool."),
            typed("gauge", "Gauge", "AWG", "42, 46 SWG or 0.063 mm."),
            chosen("insulation", "Insulation", &INSULATIONS),
            chosen("build", "Build", &BUILDS),
            chosen("tolerance", "Ordered as", &RANGES),
            typed("overall", "Overall diameter", "mm", "Measured with the enamel on. Empty if not measured."),
            typed("ohms", "Ohms per metre", "Ω/m", "Of a measured length. Empty if not measured."),
            typed("at_c", "at", "°C", "Temperature of that reading."),
            typed("left", "Wire left", "m", "As far as known."),
            typed("remark", "Remark", "", "").wide(),
        ],
        refused: !errors.is_empty(),
    };
    render_page(&template, !errors.is_empty())
}

async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new()).await
}

fn optional(
    form: &FormData,
    errors: &mut Errors,
    name: &str,
    range: (f64, f64),
    read: impl Fn(&str) -> Result<f64, String>,
) -> Option<f64> {
    let typed = form.get(name);
    if typed.is_empty() {
        return None;
    }
    match read(typed) {
        Ok(value) if (range.0..=range.1).contains(&value) => Some(value),
        Ok(_) => {
            errors.insert(name.into(), format!("Between {} and {}.", fixed(range.0, 3), fixed(range.1, 3)));
            None
        }
        Err(message) => {
            errors.insert(name.into(), message);
            None
        }
    }
}

async fn add(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let label = form.get("label");
    if label.is_empty() || label.chars().count() > 80 {
        errors.insert("label".into(), "Give it a label of up to 80 letters.".into());
    }
    let gauge =
        form.get("gauge").parse::<Gauge>().map_err(|e| errors.insert("gauge".into(), e.to_string())).ok();
    for (name, all) in [("insulation", &INSULATIONS[..]), ("build", &BUILDS[..]), ("tolerance", &RANGES[..])]
    {
        if !all.contains(&form.get(name)) {
            errors.insert(name.into(), "Choose one of the list.".into());
        }
    }
    let plain = |text: &str| number(text, "5.51").map(|(value, _)| value).map_err(|e| e.to_string());
    let mm = |text: &str| Length::parse(text).map(Length::mm).map_err(|e| e.to_string());
    let celsius = |text: &str| Temperature::parse(text).map(Temperature::celsius).map_err(|e| e.to_string());
    let metres = |text: &str| number(text, "1200 m").map(|(value, _)| value).map_err(|e| e.to_string());
    let measured = coil::design::Spool {
        bare_mm: None,
        overall_mm: optional(&form, &mut errors, "overall", (0.02, 0.5), mm),
        ohm_per_m: optional(&form, &mut errors, "ohms", (0.2, 100.0), plain),
        at_c: optional(&form, &mut errors, "at_c", (-20.0, 60.0), celsius),
        left_m: optional(&form, &mut errors, "left", (0.0, 1e6), metres),
    };
    if let (Some(gauge), Some(overall)) = (gauge, measured.overall_mm)
        && overall <= gauge.bare_m() * 1e3
    {
        errors.insert(
            "overall".into(),
            format!(
                "The bare wire alone is {} mm: this cannot be over the enamel.",
                fixed(gauge.bare_m() * 1e3, 4)
            ),
        );
    }
    if form.get("remark").chars().count() > 500 {
        errors.insert("remark".into(), "A remark has up to 500 letters.".into());
    }
    let (Some(gauge), true) = (gauge, errors.is_empty()) else {
        return page(&app, &user, &form, &errors).await;
    };
    let spool = NewSpool {
        key: form.key()?,
        label: label.into(),
        gauge: gauge.to_string(),
        insulation: form.get("insulation").into(),
        build: form.get("build").into(),
        tolerance: form.get("tolerance").into(),
        measured,
        remark: form.get("remark").into(),
    };
    match app.store.of(user.workshop()).add_spool(&spool).await {
        Ok(_) => Ok(redirect("/spools")),
        Err(StoreError::Taken(_)) => {
            errors.insert("label".into(), "There is a spool of that label already.".into());
            page(&app, &user, &form, &errors).await
        }
        Err(error) => Err(error.into()),
    }
}
