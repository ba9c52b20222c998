//! Calibration: what the workshop's runs say of the next coil; inspected, switched off, frozen per design, by version;
//! and judging anew after a change of the engine.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use crate::respond::redirect;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use presentation::field::Choice;
use presentation::format::{self, counted, signed_percent_of_ln};
use store::DesignId;
use store::calibration::{CalibrationPolicy, CalibrationRow};
use trade::calibration::{FEWEST_OF_LEVEL, Factor, Quantity, QuantityModel};
use workshop::{CalibrationOverview, JobOutcome};

routes! {
    GET "/calibration" [ReadAnalysis] => show;
    POST "/calibration" [ChangeAnalysis] => fit;
    POST "/calibration/switch" [ChangeAnalysis] => switch;
    POST "/calibration/design" [ChangeAnalysis] => set_policy;
    POST "/calibration/rejudge" [ChangeAnalysis] => rejudge;
    GET "/calibration/rejudge/{job}" [ReadAnalysis] => rejudging;
}

/// A correction in the table.
struct CorrectionRow {
    what: &'static str,
    means: &'static str,
    by: String,
    spread: String,
    runs: String,
}

struct VersionRow {
    row: CalibrationRow,
    when: String,
    iso: String,
    runs: String,
    shown: bool,
}

struct ExceptionRow {
    design: u64,
    name: String,
    how: String,
}

/// An effect on the resistance in the table.
struct LevelRow {
    name: String,
    by: String,
    runs: u32,
}

/// How the bands have held: of the last coils judged, how many were inside.
struct BandRow {
    what: &'static str,
    inside: usize,
    all: usize,
}

#[derive(Template, WebTemplate)]
#[template(path = "calibration/calibration.html")]
struct CalibrationPage {
    frame: Frame,
    tab: &'static str,
    on: bool,
    shown: Option<(u32, String)>,
    /// Not the newest.
    old: bool,
    corrections: Vec<CorrectionRow>,
    /// What a kelvin of the coil does beyond copper's own, in words.
    temperature: String,
    levels: Vec<LevelRow>,
    versions: Vec<VersionRow>,
    designs: Vec<Choice>,
    exceptions: Vec<ExceptionRow>,
    bands: Vec<BandRow>,
    /// Runs that were judged by another version of the engine.
    to_rejudge: String,
}

fn percent(ln: f64) -> String {
    signed_percent_of_ln(ln, 2)
}

/// What a correction of a quantity stands for.
const fn means(quantity: Quantity) -> &'static str {
    match quantity {
        Quantity::Resistance => "wire and stretch: corrects the ohms per metre in the prediction",
        Quantity::Inductance => "corrects the model’s inductance; resonance and peak follow",
        Quantity::Capacitance => "corrects the model’s self-capacitance; resonance and peak follow",
        Quantity::Build => "packing: corrects the build in the prediction",
    }
}

/// Whether warm coils read otherwise than copper does: a thermometer that is off, or coils read before they had cooled.
fn temperature(fitted: &QuantityModel) -> String {
    let slope = fitted.per_kelvin();
    let meaning = if slope.value.abs() > 2.576 * slope.sd {
        "coils are read warmer or colder than is noted, or the thermometer is off"
    } else {
        "nothing beyond copper’s own"
    };
    format!(
        "Resistance over the coil’s temperature: {} ± {:.2} per kelvin: {meaning}.",
        percent(slope.value),
        164.5 * slope.sd
    )
}

fn correction(fitted: &QuantityModel) -> CorrectionRow {
    let mean = fitted.mean();
    CorrectionRow {
        what: fitted.quantity.name(),
        means: means(fitted.quantity),
        by: format!("{} ± {:.2}", percent(mean.value), 164.5 * mean.sd),
        spread: format!("{:.2} %", fitted.noise_sd() * 100.0),
        runs: counted(fitted.runs(), "run"),
    }
}

/// Effects on the resistance of levels with enough runs to say something of them.
fn levels(overview: &CalibrationOverview) -> Vec<LevelRow> {
    let model = overview.shown.as_ref().map(|shown| &shown.model);
    let Some(fitted) = model.and_then(|m| m.quantity(Quantity::Resistance)) else { return Vec::new() };
    let mut rows = Vec::new();
    for (factor, word) in [(Factor::Spool, "spool"), (Factor::Operator, "wound by"), (Factor::Winder, "on")] {
        for (level, runs) in fitted.levels(factor).filter(|(_, runs)| *runs >= FEWEST_OF_LEVEL) {
            if let Some(e) = model.and_then(|m| m.effect_of(Quantity::Resistance, factor, level)) {
                rows.push(LevelRow {
                    name: format!("{word} {}", overview.names.name_of(factor, level)),
                    by: format!("{} ± {:.2}", percent(e.value), 164.5 * e.sd),
                    runs,
                });
            }
        }
    }
    rows.truncate(60);
    rows
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<CalibrationPage, AppError> {
    let (overview, to_rejudge) = tokio::try_join!(
        app.workshop.calibration_overview(&user.actor, query.number("version")),
        app.workshop.runs_to_rejudge(&user.actor),
    )?;
    let shown = overview.shown.as_ref();
    // Only coils whose bands were calibrated: those of the uncalibrated model hold what tolerances allow.
    let calibrated = overview.recent_bands.iter();
    let band = |what, bands: Vec<f64>| BandRow {
        what,
        inside: bands.iter().filter(|b| b.abs() <= 1.0).count(),
        all: bands.len(),
    };
    let resistance = shown.and_then(|s| s.model.quantity(Quantity::Resistance));
    Ok(CalibrationPage {
        frame: Frame::new(&user, "logbook", "Calibration"),
        tab: "calibration",
        on: overview.enabled,
        old: shown.map(|s| s.row.id) != overview.versions.first().map(|v| v.id),
        shown: shown.map(|s| (s.row.number, counted(s.row.runs, "run"))),
        temperature: resistance.map_or_else(String::new, temperature),
        corrections: shown.map(|s| s.model.quantities.iter().map(correction).collect()).unwrap_or_default(),
        levels: levels(&overview),
        versions: overview
            .versions
            .iter()
            .take(12)
            .map(|v| VersionRow {
                when: format::moment(v.made_at),
                iso: format::iso(v.made_at),
                runs: counted(v.runs, "run"),
                shown: shown.map(|s| s.row.id) == Some(v.id),
                row: v.clone(),
            })
            .collect(),
        designs: overview
            .designs
            .iter()
            .map(|(id, name, _)| Choice::new(id.to_string(), name.clone()))
            .collect(),
        exceptions: overview
            .exceptions
            .iter()
            .map(|e| ExceptionRow {
                design: e.design.0,
                name: e.name.clone(),
                how: e.frozen_at.map_or_else(|| "switched off".into(), |n| format!("frozen at version {n}")),
            })
            .collect(),
        bands: vec![
            band("resistance", calibrated.clone().filter_map(|bands| bands.0).collect()),
            band("inductance", calibrated.filter_map(|bands| bands.1).collect()),
        ],
        to_rejudge: if to_rejudge > 0 { counted(to_rejudge as u64, "run") } else { String::new() },
    })
}

/// Fits again now.
async fn fit(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let message = match app.workshop.fit_now(&user.actor).await? {
        Some(number) => format!("Calibration version {number} was made."),
        None => "Nothing has changed since the last version.".into(),
    };
    Ok(outcome::done(&session, "/calibration", message))
}

async fn switch(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    app.workshop.set_calibration_enabled(&user.actor, form.is_ticked("on")).await?;
    Ok(redirect("/calibration"))
}

/// Sets what a design uses: the newest version, one version for good, or none.
async fn set_policy(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let design = form.id("design").map(DesignId).ok_or(AppError::NotFound("design"))?;
    let (workshop, actor) = (&app.workshop, &user.actor);
    match form.get("how") {
        "frozen" => workshop.freeze_calibration(actor, design).await?,
        "off" => workshop.set_calibration_policy(actor, design, CalibrationPolicy::Off).await?,
        _ => workshop.set_calibration_policy(actor, design, CalibrationPolicy::On).await?,
    }
    Ok(redirect("/calibration"))
}

/// Begins to judge anew every run that was judged by another version of the engine.
async fn rejudge(app: web::Data<App>, user: CurrentUser, _form: FormData) -> Result<HttpResponse, AppError> {
    let job = app.workshop.begin_rejudging(&user.actor).await?;
    Ok(redirect(format!("/calibration/rejudge/{job}")))
}

#[derive(Template, WebTemplate)]
#[template(path = "calibration/rejudging.html")]
struct RejudgingPage {
    frame: Frame,
    tab: &'static str,
    job: String,
    /// Runs judged, and how many changed, once it is over.
    done: Option<(String, String)>,
    failed: bool,
}

async fn rejudging(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<RejudgingPage, AppError> {
    let job = app.workshop.job(&user.actor, &name)?;
    let outcome = job.outcome();
    Ok(RejudgingPage {
        frame: Frame::new(&user, "logbook", "Judging again"),
        tab: "calibration",
        job: name.into_inner(),
        done: match outcome {
            Some(JobOutcome::Rejudged { judged, changed }) => {
                Some((counted(judged, "run"), counted(changed, "verdict")))
            }
            _ => None,
        },
        failed: matches!(outcome, Some(JobOutcome::Failed(_) | JobOutcome::Stopped)),
    })
}
