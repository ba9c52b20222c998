//! Readings by instrument: asked, logged with the instrument that made them, and judged.

use crate::actor::Actor;
use crate::judging::readings_of;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use instruments::net::Line;
use instruments::simulated::Piece;
use instruments::{Gaussmeter as _, InstrumentError, LcrMeter as _, OhmMeter as _, Ohms, SweepAnalyser as _};
use std::time::Duration;
use store::instrument::Instrument;
use store::reading::NewReading;
use store::run::Run;
use store::sweep::NewSweep;
use store::{ClientKey, InstrumentId, RunId};
use trade::comparison::PROBE_MM;
use trade::comparison::as_wound;
use trade::cooling::{CoolingFit, Sample, cooling_fit};
use trade::instrument::InstrumentKind;
use trade::reading::{Kind, Reading};
use trade::sweep::Sweep;

/// Usual test frequency, Hz.
const TEST_HZ: f64 = 1000.0;
/// How often an overload is read again before it is believed, and how long between: a meter shows one while it changes its range or
/// while a clip settles.
const OVERLOAD_REPEATS: u32 = 3;
const OVERLOAD_PAUSE: Duration = Duration::from_millis(667);
/// Most samples of one cooling.
const MOST_SAMPLES: usize = 1000;

/// A reading to take by an instrument.
#[derive(Clone, Debug)]
pub struct MeasureCommand {
    /// Key of the submission: the same key again logs nothing more.
    pub key: ClientKey,
    /// The instrument.
    pub instrument: InstrumentId,
    /// The coil's temperature as typed, °C; it wins over a thermometer's.
    pub coil_c: Option<f64>,
    /// The pole to read; `None` for all.
    pub pole: Option<u32>,
}

/// One reading of a coil on its way to the room's temperature.
#[derive(Clone, Debug)]
pub struct CoolingReading {
    /// Resistance, Ω; `None` when the coil reads open.
    pub ohms: Option<f64>,
    /// The coil's temperature, °C, where the meter has a thermometer on it.
    pub coil_c: Option<f64>,
    /// Where the samples say that it will end.
    pub fit: Option<CoolingFit>,
    /// All samples so far, this one included: seconds and ohms.
    pub samples: Vec<Sample>,
}

/// What was read: entries of the log, or a sweep, which is kept beside them.
enum Taken {
    Readings(Vec<NewReading>),
    Sweep(Sweep),
}

/// Why nothing was read.
enum NotTaken {
    Instrument(InstrumentError),
    TemperatureUnknown,
}

impl From<InstrumentError> for NotTaken {
    fn from(error: InstrumentError) -> Self {
        Self::Instrument(error)
    }
}

/// Lays a coil on a simulated bench: what a person does with a real one.
pub(crate) async fn lay_on_bench(address: &str, design: &Design, run: RunId) -> Result<(), InstrumentError> {
    let piece = Piece { design: design.clone(), seed: run.0, faults: Vec::new(), warmer_k: 6.0 };
    let text =
        serde_json::to_string(&piece).map_err(|error| InstrumentError::Refused { why: error.to_string() })?;
    Line::to(address).ask(&format!("SIM:LAY {text}")).await.map(drop)
}

/// Stands in for a person's hands on a simulated bench: the coil is laid on it, the probe held.
async fn prepare(of: &Instrument, run: &Run, readings: &[Reading], probe: Option<(u32, f64)>) {
    if !of.simulated {
        return;
    }
    let wound = as_wound(&run.design, readings);
    let _ = lay_on_bench(&of.address, &wound, run.row.id).await;
    if let Some((pole, gap_mm)) = probe {
        let _ = Line::to(&of.address).ask(&format!("SIM:PROBE {pole},{gap_mm}")).await;
    }
}

/// A resistance; an overload only where the meter shows it again and again over two seconds.
async fn confirmed_resistance(line: &mut Line) -> Result<Ohms, InstrumentError> {
    for _ in 0..OVERLOAD_REPEATS {
        if let ohms @ Ohms::Of(_) = line.resistance().await? {
            return Ok(ohms);
        }
        tokio::time::sleep(OVERLOAD_PAUSE).await;
    }
    line.resistance().await
}

async fn take(
    of: &Instrument,
    run: &Run,
    readings: &[Reading],
    command: &MeasureCommand,
) -> Result<Taken, NotTaken> {
    let by = |reading: NewReading| NewReading { instrument: Some(of.id), ..reading };
    let mut line = Line::to(&of.address);
    Ok(match of.kind.0 {
        InstrumentKind::Ohm => {
            prepare(of, run, readings, None).await;
            match confirmed_resistance(&mut line).await? {
                Ohms::Open => Taken::Readings(vec![by(NewReading::new(Kind::Open, None))]),
                Ohms::Of(ohms) => {
                    let coil_c = match (command.coil_c, line.temperature().await) {
                        (Some(typed), _) => typed,
                        (None, Ok(found)) => found,
                        (None, Err(_)) => return Err(NotTaken::TemperatureUnknown),
                    };
                    let one =
                        NewReading { coil_c: Some(coil_c), ..NewReading::new(Kind::Resistance, Some(ohms)) };
                    Taken::Readings(vec![by(one)])
                }
            }
        }
        InstrumentKind::Lcr => {
            prepare(of, run, readings, None).await;
            let hz = of.test_hz.unwrap_or(TEST_HZ);
            let read = line.inductance(hz).await?;
            Taken::Readings(vec![by(NewReading {
                test_hz: Some(hz),
                words: format!("Q {:.2}", read.q),
                ..NewReading::new(Kind::Inductance, Some(read.henries))
            })])
        }
        InstrumentKind::Gauss => {
            let poles: Vec<u32> = match command.pole {
                Some(one) => vec![one],
                None => run.design.numbered_poles().into_iter().map(|(number, _)| number).collect(),
            };
            let mut all = Vec::with_capacity(poles.len());
            for pole in poles {
                prepare(of, run, readings, Some((pole, PROBE_MM))).await;
                let tesla = line.flux().await?;
                all.push(by(NewReading {
                    pole: Some(pole),
                    probe_mm: Some(PROBE_MM),
                    ..NewReading::new(Kind::Flux, Some(tesla))
                }));
            }
            Taken::Readings(all)
        }
        InstrumentKind::Sweep => {
            prepare(of, run, readings, None).await;
            let (hz, db): (Vec<f64>, Vec<f64>) = line.sweep(80.0, 20_000.0, 120).await?.into_iter().unzip();
            let sweep = Sweep::from_points(hz, db, of.input());
            Taken::Sweep(sweep.map_err(|error| InstrumentError::Refused { why: error.to_string() })?)
        }
        InstrumentKind::Winder => {
            return Err(
                InstrumentError::Refused { why: "this instrument reads nothing off a coil".into() }.into()
            );
        }
    })
}

impl Workshop {
    /// Asks an instrument, logs what it reads and judges the run. What it cannot read is refused, and nothing is logged.
    ///
    /// # Errors
    /// [`Refusal::RunClosed`] when the run is signed off; [`Refusal::Instrument`] and
    /// [`Refusal::CoilTemperatureUnknown`] when there is no reading.
    pub async fn measure(&self, actor: &Actor, run: RunId, command: &MeasureCommand) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        self.refuse_closed(&store, run.row.id).await?;
        let of = self.reachable(actor, self.instrument(actor, command.instrument).await?).await?;
        let readings = readings_of(&store, run.row.id).await?;
        match take(&of, &run, &readings, command).await {
            Ok(Taken::Readings(new)) => self.append_readings(actor, &run, &command.key, &new).await,
            Ok(Taken::Sweep(sweep)) => {
                let label = format!("run {}, {}", run.row.number, of.name);
                let new = NewSweep {
                    key: command.key.clone(),
                    revision: run.row.revision_id,
                    run: Some(run.row.id),
                    label: &label,
                    sweep: &sweep,
                    at: None,
                };
                store.add_sweep(actor.person, &new).await?;
                Ok(())
            }
            Err(NotTaken::TemperatureUnknown) => Err(Refusal::CoilTemperatureUnknown),
            Err(NotTaken::Instrument(source)) => Err(Refusal::Instrument { name: of.name, source }),
        }
    }

    /// One reading on the way to the room's temperature, added to the samples so far. Nothing is logged.
    ///
    /// # Errors
    /// [`Refusal::Instrument`] when the meter does not answer.
    pub async fn cooling_reading(
        &self,
        actor: &Actor,
        run: RunId,
        instrument: InstrumentId,
        seconds: f64,
        mut samples: Vec<Sample>,
    ) -> Result<CoolingReading, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        let of = self.reachable(actor, self.instrument(actor, instrument).await?).await?;
        let readings = readings_of(&store, run.row.id).await?;
        samples.retain(|s| s.0.is_finite() && s.1.is_finite());
        samples.truncate(MOST_SAMPLES);
        prepare(&of, &run, &readings, None).await;
        let mut line = Line::to(&of.address);
        match line.resistance().await {
            Ok(Ohms::Of(value)) if !Kind::Resistance.allows(Some(value)) => {
                Err(Refusal::ImpossibleReading { kind: Kind::Resistance, value })
            }
            Ok(Ohms::Of(ohms)) => {
                samples.push((seconds, ohms));
                let coil_c = line.temperature().await.ok();
                Ok(CoolingReading { ohms: Some(ohms), coil_c, fit: cooling_fit(&samples), samples })
            }
            Ok(Ohms::Open) => Ok(CoolingReading { ohms: None, coil_c: None, fit: None, samples }),
            Err(source) => Err(Refusal::Instrument { name: of.name, source }),
        }
    }
}
