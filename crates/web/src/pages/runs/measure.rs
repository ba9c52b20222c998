//! Readings by instrument: asked, questioned where they cannot be, logged with the instrument that made them.

use super::{AppError, FormData, readings_of, record, redirect, station::lay};
use crate::app::App;
use crate::current_user::CurrentUser;
use actix_web::{HttpResponse, web};
use coil::quantity::{ParseQuantity, Temperature};
use instruments::net::Line;
use instruments::{Gaussmeter as _, InstrumentError, LcrMeter as _, OhmMeter as _, Ohms, SweepAnalyser as _};
use store::RunId;
use store::instrument::Instrument;
use store::reading::NewReading;
use store::run::Run;
use store::sweep::NewSweep;
use trade::comparison::as_wound;
use trade::cooling::{Sample, cooling_fit};
use trade::reading::{Kind, Reading};
use trade::sweep::Sweep;

/// What an instrument of a kind can be asked on a run's page, in the order of the work.
pub const ASKED: [(&str, &str); 4] = [
    ("ohm", "Read the resistance"),
    ("lcr", "Read the inductance"),
    ("gauss", "Read the flux"),
    ("sweep", "Sweep the response"),
];

/// Usual distance of a probe, mm.
const PROBE_MM: f64 = 0.5;
/// Usual test frequency, Hz.
const TEST_HZ: f64 = 1000.0;

async fn instrument(app: &App, user: &CurrentUser, id: &str) -> Result<Instrument, AppError> {
    let all = app.store.of(user.workshop()).instruments().await?;
    all.into_iter().find(|i| i.id.to_string() == id).ok_or(AppError::Missing("instrument"))
}

/// What stands in for a person's hands on a simulated bench: the coil is laid on it, the probe held.
async fn prepare(of: &Instrument, run: &Run, readings: &[Reading], probe: Option<(u32, f64)>) {
    if !of.simulated {
        return;
    }
    let measured_coils = as_wound(&run.design, readings);
    let _ = lay(&of.address, &measured_coils, run.row.id.0).await;
    if let Some((pole, gap_mm)) = probe {
        let _ = Line::to(&of.address).ask(&format!("SIM:PROBE {pole},{gap_mm}")).await;
    }
}

/// What was read, as log entries; and a sweep, which is kept beside them.
enum Taken {
    Readings(Vec<NewReading>),
    Sweep(Sweep),
}

async fn taken(
    of: &Instrument,
    run: &Run,
    readings: &[Reading],
    typed_c: Option<f64>,
    pole: Option<u32>,
) -> Result<Taken, InstrumentError> {
    let by = |reading: NewReading| NewReading { instrument: Some(of.id), ..reading };
    let mut line = Line::to(&of.address);
    Ok(match of.kind.as_str() {
        "ohm" => {
            prepare(of, run, readings, None).await;
            match line.resistance().await? {
                Ohms::Open => Taken::Readings(vec![by(NewReading::of(Kind::Open, None))]),
                Ohms::Of(ohms) => {
                    // A meter without a probe on the coil leaves the temperature to who reads.
                    let coil_c = match (typed_c, line.temperature().await) {
                        (Some(typed), _) => typed,
                        (None, Ok(found)) => found,
                        (None, Err(_)) => {
                            return Err(InstrumentError::Refused {
                                why: "the meter has no probe on the coil: type the coil's temperature beside it".into(),
                            });
                        }
                    };
                    let one =
                        NewReading { coil_c: Some(coil_c), ..NewReading::of(Kind::Resistance, Some(ohms)) };
                    Taken::Readings(vec![by(one)])
                }
            }
        }
        "lcr" => {
            prepare(of, run, readings, None).await;
            let hz = of.test_hz.unwrap_or(TEST_HZ);
            let read = line.inductance(hz).await?;
            Taken::Readings(vec![by(NewReading {
                test_hz: Some(hz),
                words: format!("Q {:.2}", read.q),
                ..NewReading::of(Kind::Inductance, Some(read.henries))
            })])
        }
        "gauss" => {
            let poles: Vec<u32> = match pole {
                Some(one) => vec![one],
                None => run.design.poles.iter().filter_map(|p| p.string).collect(),
            };
            let mut all = Vec::with_capacity(poles.len());
            for pole in poles {
                prepare(of, run, readings, Some((pole, PROBE_MM))).await;
                let tesla = line.flux().await?;
                all.push(by(NewReading {
                    pole: Some(pole),
                    probe_mm: Some(PROBE_MM),
                    ..NewReading::of(Kind::Flux, Some(tesla))
                }));
            }
            Taken::Readings(all)
        }
        "sweep" => {
            prepare(of, run, readings, None).await;
            let (hz, db): (Vec<f64>, Vec<f64>) = line.sweep(80.0, 20_000.0, 120).await?.into_iter().unzip();
            Taken::Sweep(Sweep { hz, db }.against_low_end())
        }
        _ => return Err(InstrumentError::Refused { why: "this instrument reads nothing off a coil".into() }),
    })
}

/// Asks an instrument and logs what it reads. What it could not is said on the run's page, and nothing is logged.
pub async fn read(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let run = app.store.of(workshop).run(RunId(*id)).await?;
    let of = instrument(&app, &user, form.get("instrument")).await?;
    let readings = readings_of(&app, workshop, run.row.id).await?;
    let typed_c = match form.get("coil_c") {
        "" => None,
        text => match Temperature::parse(text).map(Temperature::celsius) {
            Ok(c) if (-20.0..=150.0).contains(&c) => Some(c),
            _ => return said(&run, "The coil's temperature is not readable: type 22 or 72 F."),
        },
    };
    let pole = form.get("pole").parse().ok();
    let key = form.key()?;
    match taken(&of, &run, &readings, typed_c, pole).await {
        Ok(Taken::Readings(new)) => {
            record(&app, &run, user.person.id, workshop, &key, &new).await?;
            Ok(redirect(format!("/runs/{id}")))
        }
        Ok(Taken::Sweep(sweep)) => {
            let label = format!("run {}, {}", run.row.number, of.name);
            let new = NewSweep {
                key,
                revision: run.row.revision_id,
                run: Some(run.row.id),
                label: &label,
                sweep: &sweep,
                at: None,
            };
            app.store.of(workshop).add_sweep(user.person.id, &new).await?;
            Ok(redirect(format!("/runs/{id}")))
        }
        Err(error) => said(&run, &format!("{}: {error}.", of.name)),
    }
}

/// Back to the run's page, with what went wrong.
fn said(run: &Run, words: &str) -> Result<HttpResponse, AppError> {
    let query = serde_json::to_string(words).map_err(|e| AppError::Internal(e.to_string()))?;
    let encoded: String = query
        .trim_matches('"')
        .bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect();
    Ok(redirect(format!("/runs/{}?said={encoded}", run.row.id)))
}

/// One reading on the way to the room's temperature, and where the readings so far say that it will end. Nothing is logged.
pub async fn cooling(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let run = app.store.of(workshop).run(RunId(*id)).await?;
    let of = instrument(&app, &user, form.get("instrument")).await?;
    let readings = readings_of(&app, workshop, run.row.id).await?;
    // What was read so far comes with the question: the page holds it, and a restart loses nothing.
    let mut samples: Vec<Sample> = serde_json::from_str(form.get("samples")).unwrap_or_default();
    samples.retain(|s| s.0.is_finite() && s.1.is_finite());
    samples.truncate(600);
    prepare(&of, &run, &readings, None).await;
    let mut line = Line::to(&of.address);
    let answer = match line.resistance().await {
        Ok(Ohms::Of(ohms)) => {
            let seconds = form.get("seconds").parse::<f64>().ok().filter(|s| s.is_finite()).unwrap_or(0.0);
            samples.push((seconds, ohms));
            let coil_c = line.temperature().await.ok();
            serde_json::json!({ "ohms": ohms, "coil_c": coil_c, "settling": cooling_fit(&samples), "samples": samples })
        }
        Ok(Ohms::Open) => serde_json::json!({ "trouble": "the coil reads open" }),
        Err(error) => serde_json::json!({ "trouble": error.to_string() }),
    };
    Ok(HttpResponse::Ok().json(answer))
}
