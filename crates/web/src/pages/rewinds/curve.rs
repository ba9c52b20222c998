//! A measured curve is fitted, and its residuals are drawn.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::render;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::prediction::Quantity;
use coil::quantity::{ParseQuantity as _, Resistance};
use presentation::form_fields::Errors;
use presentation::format::{HENRY, KILOHERTZ, KILOOHM, PICOFARAD, plain};
use presentation::plot::residuals;
use presentation::read::{farads, optional};
use serde_json::json;
use trade::impedance_fit::{CurveFit, Swept};
use trade::sweep::points;
use workshop::Action;

#[derive(Template)]
#[template(path = "rewinds/_curve.html")]
struct CurvePart {
    rows: Vec<(&'static str, String, String)>,
    plot: String,
    residual: String,
    /// Values that can be taken over into the sheet: name of the field, value, words.
    take: Vec<(&'static str, String, String)>,
}

/// Fits the curve that was pasted; the readings of the sheet are what is known besides.
pub(super) async fn fit(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    user.actor.require(Action::ReadDesigns)?;
    let units = user.settings.units;
    let (draft, _) = super::form::read(&form, None, units);
    let mut errors = Errors::new();
    let across_f = optional(&form, &mut errors, "curve_across", (0.0, 1e-6), farads);
    let ohms = |t: &str| Resistance::parse(t).map(Resistance::ohms).map_err(|e| e.to_string());
    let across_ohm = optional(&form, &mut errors, "curve_across_ohm", (100.0, 1e9), ohms);
    let (hz, values) = match points(form.untrimmed("curve")) {
        Ok(found) => found,
        Err(error) => {
            errors.insert("curve".into(), format!("{error}."));
            (Vec::new(), Vec::new())
        }
    };
    let swept: Swept = form.get("swept").parse().unwrap_or(Swept::Response);
    let found = if errors.is_empty() {
        app.workshop.fit_curve(&user.actor, &draft, (swept, hz, values), (across_f, across_ohm)).await?
    } else {
        None
    };
    if errors.is_empty() && found.is_none() {
        let why = "These points do not determine a circuit: a curve has eight points or more, and its peak among them.";
        errors.insert("curve".into(), why.into());
    }
    let part = match found {
        Some(found) => render(&part(&found, swept))?,
        None => String::new(),
    };
    Ok(HttpResponse::Ok().json(json!({ "errors": errors, "part": part })))
}

fn part(found: &CurveFit, swept: Swept) -> CurvePart {
    let mut rows =
        vec![("Resonance", KILOHERTZ.text(found.resonance_hz.nominal), KILOHERTZ.band(&found.resonance_hz))];
    let mut take = Vec::new();
    if let Some(q) = &found.inductance_h {
        rows.push(("Inductance", HENRY.text(q.nominal), HENRY.band(q)));
        take.push(("inductance_h", plain(q.nominal, 4), format!("inductance {}", HENRY.text(q.nominal))));
    }
    if let Some(q) = &found.capacitance_f {
        rows.push(("Capacitance", PICOFARAD.text(q.nominal), PICOFARAD.band(q)));
        take.push((
            "capacitance_pf",
            plain(q.nominal * 1e12, 1),
            format!("capacitance {}", PICOFARAD.text(q.nominal)),
        ));
    }
    if let Some(q) = &found.loss_ohm {
        rows.push(("Losses, as a resistance across", KILOOHM.text(q.nominal), KILOOHM.band(q)));
    }
    if let Some(q) = &found.load_f {
        rows.push(("Capacitance of what stood across it", PICOFARAD.text(q.nominal), PICOFARAD.band(q)));
        take.push((
            "cable_pf",
            plain(q.nominal * 1e12, 1),
            format!("load {} as what stood across", PICOFARAD.text(q.nominal)),
        ));
    }
    if let Some(q) = &found.load_ohm {
        rows.push(("Resistance of what stood across it", KILOOHM.text(q.nominal), KILOOHM.band(q)));
    }
    let ratio = |q: &Quantity| (format!("{:.2}", q.nominal), format!("{:.2} – {:.2}", q.p05, q.p95));
    let (quality, band) = ratio(&found.quality);
    rows.push(("Height of the peak, as a ratio", quality, band));
    let (residual, off): (String, Vec<(f64, f64)>) = match swept {
        Swept::Impedance => (
            format!("{:.1} %", 100.0 * found.residual),
            found.points.iter().map(|(f, z, fit)| (*f, 100.0 * (fit / z - 1.0))).collect(),
        ),
        Swept::Response => (
            format!("{:.2} dB", found.residual),
            found.points.iter().map(|(f, v, fit)| (*f, fit - v)).collect(),
        ),
    };
    let unit = if swept == Swept::Impedance { "%" } else { "dB" };
    CurvePart { rows, take, residual, plot: residuals(&off, unit) }
}
