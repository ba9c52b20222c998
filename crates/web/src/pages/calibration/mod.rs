//! What was learned: inspected, switched off, frozen per design, by version.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::format;
use crate::layout::{Choice, Frame};
use crate::pages::causes::{Named, runs_words};
use crate::pages::redirect;
use crate::query::Asked;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use store::calibration::{CalibrationPolicy, CalibrationRow};
use store::logbook::LogFilter;
use store::{CalibrationId, DesignId};
use trade::calibration::{Factor, Quantity, QuantityModel};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/learned", web::get().to(show))
        .route("/learned", web::post().to(again))
        .route("/learned/switch", web::post().to(switch))
        .route("/learned/design", web::post().to(lean));
}

/// A correction in the table.
struct Correction {
    what: String,
    means: &'static str,
    by: String,
    spread: String,
    runs: String,
}

struct Version {
    row: CalibrationRow,
    when: String,
    iso: String,
    shown: bool,
}

struct Held {
    design: u64,
    name: String,
    how: String,
}

/// How the bands have held: of the last coils judged, how many were inside.
struct Kept {
    what: &'static str,
    inside: usize,
    all: usize,
}

#[derive(Template, WebTemplate)]
#[template(path = "calibration/calibration.html")]
struct LearnedPage {
    frame: Frame,
    tab: &'static str,
    on: bool,
    shown: Option<(u32, String)>,
    /// Not the newest.
    old: bool,
    corrections: Vec<Correction>,
    /// What a kelvin of the coil does beyond copper's own, in words.
    warmth: String,
    spools: Vec<(String, String, u32)>,
    versions: Vec<Version>,
    designs: Vec<Choice>,
    held: Vec<Held>,
    kept: Vec<Kept>,
    said: String,
}

fn per_cent(ln: f64) -> String {
    format!("{:+.2} %", ln.exp_m1() * 100.0).replace('-', "−")
}

/// What a correction of a quantity stands for.
const fn means(quantity: Quantity) -> &'static str {
    match quantity {
        Quantity::Resistance => "wire and stretch: the ohms per metre in the prediction are moved by it",
        Quantity::Inductance => "the engine’s inductance is moved by it, and resonance and peak follow",
        Quantity::Capacitance => {
            "the engine’s self-capacitance is moved by it, and resonance and peak follow"
        }
        Quantity::Build => "packing: the build in the prediction is moved by it",
    }
}

/// Whether warm coils read otherwise than copper does: a thermometer that is off, or coils read before they had cooled.
fn warmth(fitted: &QuantityModel) -> String {
    let slope = fitted.per_kelvin();
    let said = if slope.value.abs() > 2.576 * slope.sd {
        "coils are read warmer or colder than is noted, or the thermometer is off"
    } else {
        "nothing beyond what copper does by itself"
    };
    format!(
        "Resistance over the coil’s temperature: {} ± {:.2} a kelvin: {said}.",
        per_cent(slope.value),
        164.5 * slope.sd
    )
}

fn correction(fitted: &QuantityModel) -> Correction {
    let mean = fitted.mean();
    Correction {
        what: fitted.quantity.name().to_owned(),
        means: means(fitted.quantity),
        by: format!("{} ± {:.2}", per_cent(mean.value), 164.5 * mean.sd),
        spread: format!("{:.2} %", fitted.noise_sd() * 100.0),
        runs: runs_words(fitted.runs()),
    }
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<LearnedPage, AppError> {
    let asked = Asked(query.into_inner());
    let workshop = user.workshop();
    let versions = app.store.of(workshop).calibrations().await?;
    let wanted = asked.number("version");
    let row =
        versions.iter().find(|v| Some(u64::from(v.number)) == wanted).or_else(|| versions.first()).cloned();
    let model = match &row {
        Some(row) => Some(app.calibrations.version(&app.store, workshop, row.id).await?),
        None => None,
    };
    let names = Named::of(&app, &user).await?;
    let mut spools = Vec::new();
    if let Some(fitted) = model.as_ref().and_then(|l| l.of(Quantity::Resistance)) {
        for (factor, word) in
            [(Factor::Spool, "spool"), (Factor::Operator, "wound by"), (Factor::Winder, "on")]
        {
            for (level, runs) in fitted.levels(factor) {
                if let Some(e) = fitted.effect(factor, level) {
                    let name = format!("{word} {}", names.of_level(factor, level));
                    spools.push((name, format!("{} ± {:.2}", per_cent(e.value), 164.5 * e.sd), runs));
                }
            }
        }
        spools.truncate(60);
    }
    let held = app.store.of(workshop).calibration_exceptions().await?;
    let filter = LogFilter::default();
    let recent = app.store.of(workshop).log_lines(&filter, 200).await?;
    // Only coils whose bands were learned: the bare engine's hold what tolerances allow.
    let calibration_policy = recent.iter().filter(|l| l.calibrated);
    let kept = |what, bands: Vec<f64>| Kept {
        what,
        inside: bands.iter().filter(|b| b.abs() <= 1.0).count(),
        all: bands.len(),
    };
    Ok(LearnedPage {
        frame: Frame::new(&user, "logbook", "What was learned"),
        tab: "learned",
        on: app.store.of(workshop).calibration_enabled().await?,
        old: row.as_ref().map(|r| r.id) != versions.first().map(|r| r.id),
        shown: row.as_ref().map(|r| (r.number, runs_words(r.runs))),
        warmth: model.as_ref().and_then(|l| l.of(Quantity::Resistance)).map_or_else(String::new, warmth),
        corrections: model
            .as_ref()
            .map(|l| l.quantities.iter().map(correction).collect())
            .unwrap_or_default(),
        spools,
        versions: versions
            .into_iter()
            .take(12)
            .map(|v| Version {
                when: format::moment(v.made_at),
                iso: format::iso(v.made_at),
                shown: row.as_ref().map(|r| r.id) == Some(v.id),
                row: v,
            })
            .collect(),
        designs: app
            .store
            .of(workshop)
            .logged_designs()
            .await?
            .into_iter()
            .map(|(id, name, _)| Choice::new(id.to_string(), name))
            .collect(),
        held: held
            .into_iter()
            .map(|(id, name, how, number)| Held {
                design: id.0,
                name,
                how: match (how.as_str(), number) {
                    ("frozen", Some(n)) => format!("frozen at version {n}"),
                    _ => "switched off".into(),
                },
            })
            .collect(),
        kept: vec![
            kept("resistance", calibration_policy.clone().filter_map(|l| l.resistance_bands).collect()),
            kept("inductance", calibration_policy.filter_map(|l| l.inductance_bands).collect()),
        ],
        said: asked.get("said").to_owned(),
    })
}

/// Learns again now.
async fn again(app: web::Data<App>, user: CurrentUser, _filled: FormData) -> Result<HttpResponse, AppError> {
    let new = app.calibrations.again(&app.store, user.workshop(), true).await?;
    Ok(redirect(match new {
        Some(number) => format!("/learned?said=Version+{number}+was+made."),
        None => "/learned?said=Nothing+has+changed+since+the+last+version.".into(),
    }))
}

async fn switch(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    app.store.of(user.workshop()).set_calibration_enabled(form.get("on") == "yes").await?;
    Ok(redirect("/learned"))
}

/// Sets how a design leans: on the newest, on one version for good, or not at all.
async fn lean(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let Ok(design) = form.get("design").parse() else { return Err(AppError::Missing("design")) };
    let calibration_policy = match form.get("how") {
        "off" => CalibrationPolicy::Off,
        "frozen" => match app.store.of(workshop).newest_calibration().await? {
            Some(CalibrationRow { id: CalibrationId(id), .. }) => {
                CalibrationPolicy::Frozen(CalibrationId(id))
            }
            None => return Err(AppError::Unreadable("Nothing was learned yet that could be kept.".into())),
        },
        _ => CalibrationPolicy::On,
    };
    app.store.of(workshop).set_calibration_policy(DesignId(design), calibration_policy).await?;
    Ok(redirect("/learned"))
}
