//! Listening: one pickup against another, as sound.

use crate::actor::Actor;
use crate::blocking::blocking_long;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::SetDraft;
use coil::audition::{Phrase, RATE_HZ, play};
use coil::design::Design;
use std::io::Cursor;
use store::{DesignId, RevisionId};

/// Peak of the louder of both, of full scale.
const HEADROOM: f64 = 0.89;

/// Which of both sounds is fetched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AuditionSide {
    /// The document.
    A,
    /// The revision that it is heard against.
    B,
}

/// Sounds to make.
#[derive(Clone, Debug)]
pub struct Audition {
    /// The document, and the design it belongs to.
    pub document: Design,
    /// The design that it belongs to; `None` for a new one.
    pub design: Option<DesignId>,
    /// The revision that it is heard against.
    pub against: RevisionId,
    /// Whether both are made equally loud.
    pub equal_loudness: bool,
    /// Which of both is fetched.
    pub side: AuditionSide,
}

fn sound_error(error: impl std::fmt::Display) -> Refusal {
    Refusal::Sound(error.to_string())
}

/// Loudness after ITU-R BS.1770, LUFS.
fn loudness(sound: &[f64]) -> Result<f64, Refusal> {
    let mut meter = ebur128::EbuR128::new(1, RATE_HZ, ebur128::Mode::I).map_err(sound_error)?;
    meter.add_frames_f64(sound).map_err(sound_error)?;
    meter.loudness_global().map_err(sound_error)
}

/// Factors for both sounds: the same for both at true level, else such that they are equally loud; the higher peak of
/// both just below full scale.
fn factors(a: &[f64], b: &[f64], loud: (f64, f64), equal: bool) -> (f64, f64) {
    let peak = |s: &[f64]| s.iter().fold(1e-12_f64, |m, v| m.max(v.abs()));
    let b_to_a = if equal && loud.0.is_finite() && loud.1.is_finite() {
        10f64.powf((loud.0 - loud.1) / 20.0)
    } else {
        1.0
    };
    let highest = peak(a).max(peak(b) * b_to_a);
    (HEADROOM / highest, HEADROOM / highest * b_to_a)
}

fn wav(sound: &[f64], factor: f64) -> Result<Vec<u8>, Refusal> {
    let form = hound::WavSpec {
        channels: 1,
        sample_rate: RATE_HZ,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut bytes = Cursor::new(Vec::with_capacity(sound.len() * 2 + 44));
    let mut writer = hound::WavWriter::new(&mut bytes, form).map_err(sound_error)?;
    for sample in sound {
        #[allow(clippy::cast_possible_truncation, reason = "clamped to full scale")]
        let value = (sample * factor * 32_767.0).round().clamp(-32_768.0, 32_767.0) as i16;
        writer.write_sample(value).map_err(sound_error)?;
    }
    writer.finalize().map_err(sound_error)?;
    Ok(bytes.into_inner())
}

/// One of two sounds as a WAV file, and by how many dB B is louder than A at true level.
fn one_of(a: &[f64], b: &[f64], equal: bool, side: AuditionSide) -> Result<(Vec<u8>, f64), Refusal> {
    let loud = (loudness(a)?, loudness(b)?);
    let (of_a, of_b) = factors(a, b, loud, equal);
    let bytes = match side {
        AuditionSide::A => wav(a, of_a)?,
        AuditionSide::B => wav(b, of_b)?,
    };
    Ok((bytes, loud.1 - loud.0))
}

impl Workshop {
    /// One of both sounds as a WAV file, and by how many dB B is louder than A at true level.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when one of both cannot be predicted.
    pub async fn audition(&self, actor: &Actor, command: Audition) -> Result<(Vec<u8>, f64), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let other = self.store_of(actor).revision(command.against).await?;
        let a = self.sound_of(actor, command.design, command.document).await?;
        let b = self.sound_of(actor, Some(other.row.design_id), other.design).await?;
        let (equal, side) = (command.equal_loudness, command.side);
        blocking_long(move || one_of(&a, &b, equal, side)).await?
    }

    /// One of two positions of a set's switch as a WAV file, and by how many dB the second is louder at true level.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when the set cannot be predicted; when there is no such position.
    pub async fn audition_set(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        (a, b): (usize, usize),
        equal_loudness: bool,
        side: AuditionSide,
    ) -> Result<(Vec<u8>, f64), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let predicted = self.preview_set(actor, draft).await?.predicted.map_err(Refusal::NotPredictable)?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        if a.max(b) >= draft.switch.len() {
            return Err(Refusal::NotFound("position"));
        }
        blocking_long(move || {
            let [a, b] = [a, b].map(|index| predicted.solution.sound(index, &Phrase::default()));
            one_of(&a, &b, equal_loudness, side)
        })
        .await?
    }

    /// A design as it would sound, with the calibration that it uses.
    async fn sound_of(
        &self,
        actor: &Actor,
        of: Option<DesignId>,
        design: Design,
    ) -> Result<Vec<f64>, Refusal> {
        let prediction = self.prediction_of(actor, of, &design).await?.map_err(Refusal::NotPredictable)?;
        let load = design.load.circuit();
        blocking_long(move || play(&design, &prediction, Some(&load), &Phrase::default())).await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tone(level: f64) -> Vec<f64> {
        let step = 2.0 * std::f64::consts::PI * 997.0 / f64::from(RATE_HZ);
        (0..RATE_HZ * 2).map(|k| level * (f64::from(k) * step).sin()).collect()
    }

    /// ITU-R BS.1770-4, annex 1: a sine of 997 Hz at full scale in one front channel reads −3.01 LKFS.
    #[test]
    fn loudness_is_that_of_the_standard() {
        assert!((loudness(&tone(1.0)).unwrap() + 3.01).abs() < 0.02);
    }

    #[test]
    fn equal_loudness_takes_away_what_true_level_keeps() {
        let (a, b) = (tone(0.2), tone(0.4));
        let loud = (loudness(&a).unwrap(), loudness(&b).unwrap());
        let (of_a, of_b) = factors(&a, &b, loud, true);
        assert!((of_a / of_b - 2.0).abs() < 1e-3 && (of_a * 0.2 - HEADROOM).abs() < 1e-3);
        let (of_a, of_b) = factors(&a, &b, loud, false);
        assert!((of_a - of_b).abs() < 1e-12);
    }

    #[test]
    fn a_wav_file_is_read_again() {
        let bytes = wav(&tone(0.5), 1.0).unwrap();
        let mut file = hound::WavReader::new(Cursor::new(bytes)).unwrap();
        assert_eq!((file.spec().sample_rate, file.len()), (RATE_HZ, RATE_HZ * 2));
        let top = file.samples::<i16>().map(Result::unwrap).max().unwrap();
        assert!((16_300..=16_384).contains(&top));
    }
}
