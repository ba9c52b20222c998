//! What a pickup would sound like: plucked strings, computed partial by partial, through the predicted response.
//!
//! Every string is the stiff string of \[Fletcher\], plucked at a fifth of its length: partial n lies at
//! n·f₁·√(1 + B·n²) with B = π³·E·d⁴/(64·T·L²), starts with the plucked shape's amplitude and dies away at its own rate.
//! The pickup hears each partial by its place and aperture, as loudly as the string's predicted output says, and every
//! partial goes through the loaded circuit with gain and phase: no filter is fitted. The same seed gives the same sound.
//!
//! What it leaves out: the instrument's body, the amplifier and loudspeaker, the magnets' pull on the string, and the
//! small distortion of a string that moves far within the field.

use crate::circuit::LoadCircuit;
use crate::design::{Design, Strings};
use crate::prediction::Prediction;
use crate::string::{Pluck, speed_rms_m_s, string_mass_kg_m};
use nalgebra::Complex;
use rand::{RngExt as _, SeedableRng as _};
use rand_pcg::Pcg64Mcg;
use std::f64::consts::PI;

/// Samples per second.
pub const RATE_HZ: u32 = 48_000;
/// Highest partial, Hz.
const HIGHEST_HZ: f64 = 12_000.0;
/// Where the predicted output's partials end, Hz.
const OUTPUT_TO_HZ: f64 = 5000.0;
/// Young's modulus of music wire, Pa [Fletcher].
const YOUNG_PA: f64 = 2.0e11;

/// What is played: every string alone, from the lowest to the highest, then all of them as one stroke.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Phrase {
    /// Seconds between single notes.
    pub apart_s: f64,
    /// Seconds between the strings of the stroke.
    pub stroke_s: f64,
    /// Seconds that the stroke rings.
    pub ring_s: f64,
    /// How the hand differs from pluck to pluck; the same seed plays the same.
    pub seed: u64,
}

impl Default for Phrase {
    fn default() -> Self {
        Self { apart_s: 0.45, stroke_s: 0.018, ring_s: 2.6, seed: 1 }
    }
}

/// One pluck of one string.
struct Struck {
    string: usize,
    at_s: f64,
    until_s: f64,
    /// How hard, and where as a share of the length from the bridge.
    hard: f64,
    place: f64,
}

/// A string that sounds.
struct Voice {
    fundamental_hz: f64,
    stiffness: f64,
    /// How many partials are heard of it.
    partials: usize,
}

impl Voice {
    fn new(strings: &Strings, number: u32, partials: usize) -> Self {
        let f1 = strings.fundamental_hz(number);
        let core_m = strings.core_and_gap_mm(number).0 * 1e-3;
        let length_m = strings.scale_mm * 1e-3;
        // A wound string carries its winding's mass without its stiffness.
        let mass_kg_m = string_mass_kg_m(strings.outer_mm(number) * 1e-3, core_m);
        let tension_n = 4.0 * length_m * length_m * f1 * f1 * mass_kg_m;
        let stiffness = PI.powi(3) * YOUNG_PA * core_m.powi(4) / (64.0 * tension_n * length_m * length_m);
        Self { fundamental_hz: f1, stiffness, partials }
    }
}

/// Volts at the amplifier that a metre per second of a partial gives: by the string from 0, the partial from 0, and its frequency, Hz.
pub(crate) type Heard<'a> = dyn Fn(usize, usize, f64) -> Complex<f64> + 'a;

/// Seconds until a partial has died to 1/e: long for low ones, short for high ones (common practice, no source: a steel
/// string's fundamental rings for seconds, its partials at 5 kHz for a few tenths).
fn decay_s(hz: f64) -> f64 {
    1.0 / (0.4 + hz / 2500.0 + (hz / 6000.0).powi(2))
}

/// The phrase as the pickup gives it, volts at the end of the cable, [`RATE_HZ`] samples per second.
#[must_use]
pub fn play(
    design: &Design,
    prediction: &Prediction,
    load: Option<&LoadCircuit>,
    phrase: &Phrase,
) -> Vec<f64> {
    let strings = &design.strings;
    let heard: Vec<(f64, Vec<f64>)> = (1..=strings.count)
        .zip(&prediction.strings)
        .map(|(number, predicted)| {
            let places: Vec<f64> = predicted.partials.iter().map(|p| 10f64.powf(p.place_db / 20.0)).collect();
            let speed =
                speed_rms_m_s(Pluck::default(), strings.fundamental_hz(number), &places, OUTPUT_TO_HZ);
            (predicted.output_mv.nominal * 1e-3 / speed.max(1e-9), places)
        })
        .collect();
    let counts: Vec<usize> = heard.iter().map(|(_, places)| places.len()).collect();
    let of = |string: usize, k: usize, hz: f64| {
        let (volts, places) = &heard[string];
        prediction.circuit.response(load, hz) * (volts * places[k])
    };
    play_heard(strings, &counts, &of, phrase)
}

/// The phrase as strings are heard of which so many partials are known each: volts, [`RATE_HZ`] samples per second.
pub(crate) fn play_heard(
    strings: &Strings,
    partials: &[usize],
    heard: &Heard<'_>,
    phrase: &Phrase,
) -> Vec<f64> {
    let voices: Vec<Voice> = (1..=strings.count)
        .zip(partials)
        .map(|(number, count)| Voice::new(strings, number, *count))
        .collect();
    let mut hand = Pcg64Mcg::seed_from_u64(phrase.seed);
    let struck = struck(&voices, phrase, &mut hand);
    let end_s = struck.iter().map(|s| s.until_s).fold(0.0, f64::max);
    let mut sound = vec![0.0; samples(end_s)];
    for pluck in &struck {
        let voice = &voices[pluck.string];
        let from = samples(pluck.at_s).min(sound.len());
        let until = samples(pluck.until_s).min(sound.len());
        let part = &mut sound[from..until];
        add(part, voice, pluck, &|k, hz| heard(pluck.string, k, hz));
        fade(part);
    }
    sound
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some seconds of samples")]
fn samples(seconds: f64) -> usize {
    (seconds.clamp(0.0, 60.0) * f64::from(RATE_HZ)) as usize
}

fn struck(voices: &[Voice], phrase: &Phrase, hand: &mut Pcg64Mcg) -> Vec<Struck> {
    let mut order: Vec<usize> = (0..voices.len()).collect();
    order.sort_by(|a, b| voices[*a].fundamental_hz.total_cmp(&voices[*b].fundamental_hz));
    let mut about = |middle: f64, spread: f64| middle * (1.0 + spread * (hand.random::<f64>() - 0.5));
    let count = voices.len() as f64;
    let mut all = Vec::with_capacity(2 * voices.len());
    for (k, &string) in order.iter().enumerate() {
        let at_s = k as f64 * phrase.apart_s;
        let until_s = at_s + 1.6 * phrase.apart_s;
        all.push(Struck { string, at_s, until_s, hard: about(1.0, 0.06), place: about(0.2, 0.04) });
    }
    let begin = count * phrase.apart_s + 0.3;
    for (k, &string) in order.iter().enumerate() {
        let at_s = begin + k as f64 * phrase.stroke_s;
        let until_s = begin + phrase.ring_s;
        all.push(Struck { string, at_s, until_s, hard: about(0.8, 0.1), place: about(0.2, 0.04) });
    }
    all
}

/// Adds a pluck, partial by partial; each turns by a complex factor per sample.
fn add(part: &mut [f64], voice: &Voice, pluck: &Struck, heard: &dyn Fn(usize, f64) -> Complex<f64>) {
    let (h, p) = (Pluck::default().height_m * pluck.hard, pluck.place);
    for k in 0..voice.partials {
        let n = k as f64 + 1.0;
        let hz = n * voice.fundamental_hz * (1.0 + voice.stiffness * n * n).sqrt();
        if hz > HIGHEST_HZ {
            break;
        }
        let omega = 2.0 * PI * hz;
        let amplitude = 2.0 * h * (n * PI * p).sin() / (n * n * PI * PI * p * (1.0 - p));
        let (level, phase) = heard(k, hz).to_polar();
        let size = amplitude * omega * level;
        let step = f64::from(RATE_HZ).recip();
        let (turn_re, turn_im) = (
            (omega * step).cos() * (-step / decay_s(hz)).exp(),
            (omega * step).sin() * (-step / decay_s(hz)).exp(),
        );
        // Velocity begins at rest: a sine, shifted by the circuit.
        let (mut re, mut im) = (size * phase.cos(), size * phase.sin());
        for sample in part.iter_mut() {
            *sample += im;
            (re, im) = (re * turn_re - im * turn_im, re * turn_im + im * turn_re);
        }
    }
}

/// A millisecond in, so that a shifted partial does not click, and thirty out.
fn fade(part: &mut [f64]) {
    let (within, out) = (samples(0.001), samples(0.03));
    let count = part.len();
    for (k, sample) in part.iter_mut().enumerate() {
        if k < within {
            *sample *= k as f64 / within as f64;
        }
        if k + out > count {
            *sample *= (count - k) as f64 / out as f64;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::tall_single;
    use crate::prediction::predict;

    fn heard(design: &Design) -> Vec<f64> {
        let prediction = predict(design).unwrap();
        play(design, &prediction, Some(&design.load.circuit()), &Phrase::default())
    }

    /// Energy of a stretch of sound at a frequency, by Goertzel's recurrence.
    fn energy(sound: &[f64], hz: f64) -> f64 {
        let turn = 2.0 * (2.0 * PI * hz / f64::from(RATE_HZ)).cos();
        let (mut before, mut last) = (0.0, 0.0);
        for &x in sound {
            (before, last) = (last, x + turn * last - before);
        }
        before * before + last * last - turn * before * last
    }

    #[test]
    fn the_same_seed_plays_the_same_and_notes_are_where_they_are_tuned() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.strings.each = ["E4", "B3", "G3", "D3", "A2", "E2"]
            .iter()
            .map(|note| crate::design::OneString {
                note: (*note).into(),
                diameter_mm: 0.4,
                core_mm: None,
                gap_mm: 2.4,
            })
            .collect();
        let sound = heard(&design);
        assert_eq!(sound, heard(&design));
        assert!(sound.iter().all(|v| v.is_finite() && v.abs() < 5.0));
        // The first note is the lowest: E2, not its neighbours a semitone away (ISO 16, equal temperament).
        let first = &sound[..samples(0.44)];
        let (own, up) = (energy(first, 82.41), energy(first, 87.31));
        assert!(own > 20.0 * up, "{own} {up}");
    }

    /// What the response says is what is heard: a brighter coil has its share of high partials up by as much as the
    /// curve at those frequencies says.
    #[test]
    fn partials_stand_as_the_response_has_them() {
        let design = tall_single("Sedge", 6, 10.4);
        let prediction = predict(&design).unwrap();
        let load = design.load.circuit();
        let one = Phrase { apart_s: 1.0, ..Phrase::default() };
        let (with, without) =
            (play(&design, &prediction, Some(&load), &one), play(&design, &prediction, None, &one));
        let lowest = design.strings.fundamental_hz(6);
        for n in [1.0, 3.0, 9.0] {
            let voice = Voice::new(&design.strings, 6, 1);
            let hz = n * lowest * (1.0 + voice.stiffness * n * n).sqrt();
            let span = 4800..24_000;
            let heard = 10.0 * (energy(&with[span.clone()], hz) / energy(&without[span], hz)).log10();
            let asked = 20.0
                * (prediction.circuit.response(Some(&load), hz).norm()
                    / prediction.circuit.response(None, hz).norm())
                .log10();
            assert!((heard - asked).abs() < 0.2, "partial {n}: {heard} for {asked}");
        }
    }

    #[test]
    fn twice_the_output_is_twice_the_voltage() {
        let design = tall_single("Sedge", 6, 10.4);
        let prediction = predict(&design).unwrap();
        let mut louder = prediction.clone();
        louder.strings.iter_mut().for_each(|s| s.output_mv.nominal *= 2.0);
        let of = |p| play(&design, p, None, &Phrase::default());
        let (one, two) = (of(&prediction), of(&louder));
        assert!(one.iter().zip(&two).all(|(a, b)| (2.0 * a - b).abs() <= 1e-12 + 1e-9 * b.abs()));
    }
}
