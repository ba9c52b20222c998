//! Everything that a run holds besides its row of a table, as a `filamentum-logbook/1` document carries it: what was read, under
//! which conditions and when, what happened, what was swept, and how it was judged.

use crate::judgement::Judgement;
use crate::reading::Kind;
use crate::sweep::Sweep;
use crate::winding::WindingEventKind;
use coil::design::{Design, Spool};
use coil::prediction::{Calibration, Correction};
use serde::{Deserialize, Serialize};
use time::PrimitiveDateTime;

/// A run with everything it holds. What a run does not have is left out of the document.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct RunRecord {
    /// What was known of its spool when it was started.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub spool: Option<Spool>,
    /// The document that was wound, where it is not the revision's with that spool and the planned turns.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub document: Option<Box<Design>>,
    /// Where to stop and look, in turns on the coil.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub stops: Vec<u32>,
    /// Why it was wound of other wire than the design names.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub other_wire: String,
    /// Why it was voided; none where it was not.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub void: Option<String>,
    /// Its readings in the order they were logged, corrected ones with them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub readings: Vec<ReadingRecord>,
    /// What happened at the winder, in order.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub events: Vec<EventRecord>,
    /// Its sweeps, the oldest first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub sweeps: Vec<SweepRecord>,
    /// By what it is judged, for good; none in documents that were written before this was kept.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub basis: Option<JudgementBasis>,
    /// How it was judged last; none before it was.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub judgement: Option<Judgement>,
}

/// What a run is judged by: fixed when it is started, so that the same readings always have the same verdict.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct JudgementBasis {
    /// What the workshop's coils had shown by then.
    #[serde(default, skip_serializing_if = "Calibration::is_empty")]
    pub calibration: Calibration,
    /// Out of tolerance beyond so many standard deviations of the workshop's own coils.
    pub control_sd: f64,
}

impl JudgementBasis {
    /// Whether its values can be such: shifts within ±1, deviations above 0, a tolerance from 1 to 10.
    fn is_sound(&self) -> bool {
        let Calibration { resistance, inductance, capacitance, build } = self.calibration;
        let all = [resistance, inductance, capacitance, build];
        let is_correction = |c: &Correction| c.shift.abs() <= 1.0 && c.sd > 0.0 && c.per_kelvin.abs() < 1.0;
        all.iter().flatten().all(is_correction) && (1.0..=10.0).contains(&self.control_sd)
    }
}

/// A reading, SI.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ReadingRecord {
    /// What it is of.
    pub kind: Kind,
    /// The value as it was read; none for words and an open coil.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<f64>,
    /// The pole it was taken over, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pole: Option<u32>,
    /// Temperature of the coil, °C.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coil_c: Option<f64>,
    /// Test frequency, Hz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub test_hz: Option<f64>,
    /// Distance of the probe's element from the pole's face, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probe_mm: Option<f64>,
    /// Words with it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub words: String,
    /// Which of the readings before it corrects: its place in the list, from 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub corrects: Option<usize>,
    /// Who took it, where that was not the operator.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub by: String,
    /// When, UTC.
    #[serde(with = "utc")]
    pub at: PrimitiveDateTime,
}

/// Something that happened at the winder.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EventRecord {
    /// What.
    pub what: WindingEventKind,
    /// Turns on the coil then.
    pub at_turn: u32,
    /// Words to it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub words: String,
    /// When, UTC.
    #[serde(with = "utc")]
    pub at: PrimitiveDateTime,
}

/// A sweep.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SweepRecord {
    /// What it is called.
    pub label: String,
    /// Its points.
    pub sweep: Sweep,
    /// When it was taken, UTC.
    #[serde(with = "utc")]
    pub at: PrimitiveDateTime,
}

/// Most readings, events and sweeps of one run that are taken in.
const MOST: (usize, usize, usize) = (2000, 20_000, 100);
/// Most letters of a reading's words, of an event's and of a sweep's label.
const MOST_LETTERS: (usize, usize, usize) = (1000, 500, 80);

impl RunRecord {
    /// What cannot be in it, with its place; empty when all is sound.
    #[must_use]
    pub fn problems(&self) -> Vec<(String, &'static str)> {
        let mut all = Vec::new();
        let mut wrong = |is_wrong: bool, at: String, why: &'static str| {
            if is_wrong {
                all.push((at, why));
            }
        };
        wrong(self.readings.len() > MOST.0, "readings".into(), "more than 2,000 readings");
        wrong(self.events.len() > MOST.1, "events".into(), "more than 20,000 events");
        wrong(self.sweeps.len() > MOST.2, "sweeps".into(), "more than 100 sweeps");
        wrong(self.other_wire.chars().count() > 500, "other_wire".into(), "more than 500 letters");
        let reason = self.void.as_ref().map_or(0, |text| text.chars().count());
        wrong(reason > 500, "void".into(), "more than 500 letters");
        wrong(self.basis.is_some_and(|basis| !basis.is_sound()), "basis".into(), "out of range");
        let mut corrected = std::collections::BTreeSet::new();
        for (k, reading) in self.readings.iter().enumerate() {
            let at = |key: &str| format!("readings[{k}].{key}");
            let has_value = !matches!(reading.kind, Kind::Open | Kind::Remark);
            let is_number = reading.value.is_some_and(|v| v.is_finite() && v.abs() < 1e12);
            wrong(has_value && !is_number, at("value"), "no number");
            wrong(reading.words.chars().count() > MOST_LETTERS.0, at("words"), "more than 1,000 letters");
            wrong(
                reading.corrects.is_some_and(|c| c >= k || !corrected.insert(c)),
                at("corrects"),
                "no reading before it, or one that is corrected already",
            );
            wrong(!is_past(reading.at), at("at"), "a time that cannot be");
        }
        for (k, event) in self.events.iter().enumerate() {
            wrong(
                event.words.chars().count() > MOST_LETTERS.1,
                format!("events[{k}].words"),
                "more than 500 letters",
            );
            wrong(!is_past(event.at), format!("events[{k}].at"), "a time that cannot be");
        }
        for (k, sweep) in self.sweeps.iter().enumerate() {
            wrong(
                sweep.label.chars().count() > MOST_LETTERS.2,
                format!("sweeps[{k}].label"),
                "more than 80 letters",
            );
            let Sweep { hz, db, .. } = &sweep.sweep;
            let is_sound = hz.len() == db.len()
                && hz.len() <= 2000
                && hz.windows(2).all(|w| w[0] < w[1])
                && hz.iter().all(|f| *f > 0.0)
                && hz.iter().chain(db).all(|v| v.is_finite());
            wrong(!is_sound, format!("sweeps[{k}].sweep"), "no frequencies that rise, with a level each");
        }
        if let Some(document) = &self.document {
            let problems = document.problems();
            all.extend(problems.first().map(|p| (format!("document.{}", p.at), "not allowed there")));
        }
        all
    }
}

/// Whether a year is one in which a coil can have been logged.
fn is_past(at: PrimitiveDateTime) -> bool {
    (1990..=2200).contains(&at.year())
}

/// Moments in UTC, to the microsecond: `2026-11-24T03:14:15.000250Z`.
mod utc {
    use serde::{Deserialize as _, Deserializer, Serializer};
    use time::PrimitiveDateTime;
    use time::format_description::BorrowedFormatItem;
    use time::macros::format_description;

    const FORM: &[BorrowedFormatItem<'_>] =
        format_description!("[year]-[month]-[day]T[hour]:[minute]:[second].[subsecond digits:6]Z");

    pub(super) fn serialize<S: Serializer>(at: &PrimitiveDateTime, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&at.format(FORM).map_err(serde::ser::Error::custom)?)
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<PrimitiveDateTime, D::Error> {
        let text = String::deserialize(from)?;
        PrimitiveDateTime::parse(&text, FORM).map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use time::macros::datetime;

    fn reading(kind: Kind, value: Option<f64>) -> ReadingRecord {
        ReadingRecord {
            kind,
            value,
            pole: None,
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            words: String::new(),
            corrects: None,
            by: String::new(),
            at: datetime!(2026-11-24 03:14:15.000_25),
        }
    }

    #[test]
    fn a_record_comes_back_to_the_microsecond() {
        let record = RunRecord {
            stops: vec![100, 7000],
            readings: vec![
                ReadingRecord { coil_c: Some(26.5), ..reading(Kind::Resistance, Some(5300.25)) },
                ReadingRecord { corrects: Some(0), ..reading(Kind::Resistance, Some(5310.0)) },
                reading(Kind::Open, None),
            ],
            ..RunRecord::default()
        };
        let text = serde_json::to_string(&record).unwrap();
        assert!(text.contains("2026-11-24T03:14:15.000250Z") && !text.contains("events"), "{text}");
        assert_eq!(serde_json::from_str::<RunRecord>(&text).unwrap(), record);
        assert!(record.problems().is_empty());
    }

    #[rstest]
    #[case("readings[0].value", |r: &mut RunRecord| r.readings[0].value = None)]
    #[case("readings[0].value", |r: &mut RunRecord| r.readings[0].value = Some(f64::INFINITY))]
    #[case("readings[0].corrects", |r: &mut RunRecord| r.readings[0].corrects = Some(0))]
    #[case("readings[2].corrects", |r: &mut RunRecord| { r.readings[1].corrects = Some(0); r.readings[2].corrects = Some(0); })]
    #[case("readings[1].at", |r: &mut RunRecord| r.readings[1].at = datetime!(1066-10-14 09:00))]
    #[case("readings[1].words", |r: &mut RunRecord| r.readings[1].words = "x".repeat(1001))]
    #[case("void", |r: &mut RunRecord| r.void = Some("x".repeat(501)))]
    #[case("sweeps[0].sweep", |r: &mut RunRecord| r.sweeps[0].sweep.hz.reverse())]
    #[case("basis", |r: &mut RunRecord| r.basis = Some(JudgementBasis { calibration: Calibration::default(), control_sd: 0.0 }))]
    #[case("events[0].words", |r: &mut RunRecord| r.events[0].words = "x".repeat(501))]
    fn what_cannot_be_is_named_by_its_place(#[case] at: &str, #[case] change: fn(&mut RunRecord)) {
        let mut record = RunRecord {
            readings: vec![reading(Kind::Turns, Some(7500.0)); 3],
            events: vec![EventRecord {
                what: WindingEventKind::Stop,
                at_turn: 300,
                words: String::new(),
                at: datetime!(2026-11-24 03:00),
            }],
            sweeps: vec![SweepRecord {
                label: "on the bench".into(),
                sweep: Sweep { hz: vec![100.0, 1000.0], db: vec![0.0, 1.0], input: None },
                at: datetime!(2026-11-24 04:00),
            }],
            ..RunRecord::default()
        };
        assert!(record.problems().is_empty());
        change(&mut record);
        assert_eq!(record.problems().first().map(|(at, _)| at.as_str()), Some(at));
    }

    #[test]
    fn a_key_that_is_none_is_refused() {
        assert!(serde_json::from_str::<RunRecord>(r#"{"raedings": []}"#).is_err());
    }
}
