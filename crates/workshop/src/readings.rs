//! Readings: appended, questioned where they can hardly be, and judged at once.

use crate::actor::Actor;
use crate::judging::readings_of;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::reading::NewReading;
use store::run::Run;
use store::{ClientKey, ReadingId, RunId};
use trade::reading::Kind;

/// How often readings are judged anew because others came in meanwhile.
const TRIES: usize = 12;

/// Readings to log.
#[derive(Clone, Debug)]
pub struct LogReadings {
    /// Key of the submission: the same key again logs nothing more.
    pub key: ClientKey,
    /// What was read; of a correction the first counts.
    pub readings: Vec<NewReading>,
    /// The reading that is corrected.
    pub corrects: Option<ReadingId>,
    /// Logs readings that can hardly be.
    pub accept_doubtful: bool,
}

/// A reading far from what the coil can be: asked about once, and not refused.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReadingDoubt {
    /// Which reading.
    pub kind: Kind,
    /// Its value, SI.
    pub value: f64,
    /// What was expected, SI.
    pub expected: f64,
}

/// Refuses readings that no coil has: the one check of numbers from outside, whether they were typed, read off an instrument or
/// taken from a file.
///
/// # Errors
/// [`Refusal::ImpossibleReading`] with the first.
pub(crate) fn refuse_impossible(readings: &[NewReading]) -> Result<(), Refusal> {
    let is_within = |value: Option<f64>, low: f64, high: f64| value.is_none_or(|v| (low..=high).contains(&v));
    for reading in readings {
        let beside = is_within(reading.coil_c, -60.0, 250.0)
            && is_within(reading.test_hz, 1.0, 1e6)
            && is_within(reading.probe_mm, 0.0, 100.0);
        if !reading.kind.allows(reading.value) || !beside {
            let value = reading.value.unwrap_or(f64::NAN);
            return Err(Refusal::ImpossibleReading { kind: reading.kind, value });
        }
    }
    Ok(())
}

impl Workshop {
    /// A run with its document.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn run(&self, actor: &Actor, run: RunId) -> Result<Run, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).run(run).await?)
    }

    /// Logs readings of a run and judges it; with doubts, unless they are accepted, nothing is logged and they are
    /// returned.
    ///
    /// # Errors
    /// [`Refusal::RunClosed`] when the run is signed off and this is no correction; [`Refusal::ReadingSuperseded`] when
    /// the reading was corrected by somebody else.
    pub async fn log_readings(
        &self,
        actor: &Actor,
        run: RunId,
        command: LogReadings,
    ) -> Result<Vec<ReadingDoubt>, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        let LogReadings { key, mut readings, corrects, accept_doubtful } = command;
        if let (Some(corrected), Some(first)) = (corrects, readings.first_mut()) {
            first.corrects = Some(corrected);
            readings.truncate(1);
        } else {
            self.refuse_closed(&store, run.row.id).await?;
        }
        if !accept_doubtful {
            let doubts = self.doubts(&run, &readings).await?;
            if !doubts.is_empty() {
                return Ok(doubts);
            }
        }
        self.append_readings(actor, &run, &key, &readings).await?;
        Ok(Vec::new())
    }

    /// Appends readings with the judgement that they bring, in one piece. Whoever calls it has asked whether the run is open.
    pub(crate) async fn append_readings(
        &self,
        actor: &Actor,
        run: &Run,
        key: &ClientKey,
        readings: &[NewReading],
    ) -> Result<(), Refusal> {
        refuse_impossible(readings)?;
        let store = self.store_of(actor);
        if run.row.voided_at.is_some() {
            return Err(Refusal::RunVoid);
        }
        for _ in 0..TRIES {
            let mut all = readings_of(&store, run.row.id).await?;
            let last_seen = all.last().map(|reading| reading.id);
            all.extend((last_seen.unwrap_or(0) + 1..).zip(readings).map(|(id, new)| new.numbered(id)));
            let judgement = self.judgement_of(&store, run, all).await?;
            let new = (key, readings);
            if store.log_judged_readings(run.row.id, actor.person, new, last_seen, &judgement).await? {
                self.schedule_fit(actor.workshop);
                return Ok(());
            }
        }
        Err(Refusal::TooManyAtOnce("readings"))
    }

    /// Readings that can hardly be: beyond what any coil of this design could be by its turns.
    async fn doubts(&self, run: &Run, new: &[NewReading]) -> Result<Vec<ReadingDoubt>, Refusal> {
        let value_of = |kind| new.iter().find(|r| r.kind == kind).and_then(|r| r.value);
        let mut doubts = Vec::new();
        let turns = value_of(Kind::Turns);
        let planned = f64::from(run.row.planned_turns);
        if let Some(value) = turns.filter(|t| !(0.4..=1.6).contains(&(t / planned))) {
            doubts.push(ReadingDoubt { kind: Kind::Turns, value, expected: planned });
        }
        let mut wound = run.design.clone();
        if let (Some(coil), Some(turns)) = (wound.coils.first_mut(), turns) {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "1 to 50,000")]
            let turns = turns.clamp(10.0, 50_000.0) as u32;
            coil.wind.turns = turns;
        }
        let Ok(prediction) = self.predictions.prediction(&wound, run.calibration).await? else {
            return Ok(doubts);
        };
        let pickup = &prediction.pickup;
        for (kind, expected) in [
            (Kind::Resistance, pickup.resistance_20c_ohm.nominal),
            (Kind::Inductance, pickup.inductance_h.nominal),
        ] {
            if let Some(value) = value_of(kind).filter(|v| !(0.4..=1.8).contains(&(v / expected))) {
                doubts.push(ReadingDoubt { kind, value, expected });
            }
        }
        Ok(doubts)
    }

    /// What a handheld meter's capacitance range would show on the coil at `hz`, F; `None` when it cannot be predicted.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn capacitance_range_reading(&self, run: &Run, hz: f64) -> Result<Option<f64>, Refusal> {
        let prediction = self.predictions.prediction(&run.design, run.calibration).await?;
        Ok(prediction.ok().map(|p| trade::comparison::capacitance_range_shows(&p, hz)))
    }
}
