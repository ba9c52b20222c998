//! Listening: the sheet against another pickup, as sound.

use super::{base_of, named, parent_of, sheet, shelf};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::audition::{Phrase, RATE_HZ, play};
use coil::design::Design;
use std::io::Cursor;
use store::{DesignId, RevisionId};

/// Peak of the louder of both, of full scale.
const HEADROOM: f64 = 0.89;

#[derive(Template)]
#[template(path = "designs/_audition.html")]
struct Panel {
    against: Vec<(String, String, bool)>,
    equal: bool,
}

/// The panel: against what, at which level, and the buttons.
pub fn panel(form: &FormData, others: &[(u64, String)]) -> String {
    let chosen = form.get("seek_listen_of");
    let before = (!form.get("parent").is_empty()).then(|| (String::new(), "the revision before".to_owned()));
    let others = others.iter().map(|(id, name)| (id.to_string(), name.clone()));
    let page = Panel {
        against: before
            .into_iter()
            .chain(others)
            .map(|(value, name)| {
                let on = value == chosen;
                (value, name, on)
            })
            .collect(),
        equal: form.get("seek_listen_level") != "true",
    };
    page.render().unwrap_or_default()
}

/// Loudness after ITU-R BS.1770, LUFS.
fn loudness(sound: &[f64]) -> Result<f64, AppError> {
    let failed = |e: ebur128::Error| AppError::Internal(e.to_string());
    let mut meter = ebur128::EbuR128::new(1, RATE_HZ, ebur128::Mode::I).map_err(failed)?;
    meter.add_frames_f64(sound).map_err(failed)?;
    meter.loudness_global().map_err(failed)
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

fn wav(sound: &[f64], factor: f64) -> Result<Vec<u8>, AppError> {
    let failed = |e: hound::Error| AppError::Internal(e.to_string());
    let form = hound::WavSpec {
        channels: 1,
        sample_rate: RATE_HZ,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut bytes = Cursor::new(Vec::with_capacity(sound.len() * 2 + 44));
    let mut writer = hound::WavWriter::new(&mut bytes, form).map_err(failed)?;
    for sample in sound {
        #[allow(clippy::cast_possible_truncation, reason = "clamped to full scale")]
        let value = (sample * factor * 32_767.0).round().clamp(-32_768.0, 32_767.0) as i16;
        writer.write_sample(value).map_err(failed)?;
    }
    writer.finalize().map_err(failed)?;
    Ok(bytes.into_inner())
}

/// A design as it would sound, with what the workshop's runs have shown of it.
async fn played(
    app: &App,
    user: &CurrentUser,
    of: Option<DesignId>,
    design: Design,
) -> Result<Option<Vec<f64>>, AppError> {
    let Ok(prediction) = app.predicted(user.workshop(), of, &design).await? else { return Ok(None) };
    let load = design.load.circuit();
    Ok(Some(web::block(move || play(&design, &prediction, Some(&load), &Phrase::default())).await?))
}

/// One of both sounds as a WAV file; `Filamentum-Louder` says by how many dB B is louder than A at true level.
pub async fn sound(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let parent = parent_of(&app, &user, form.get("parent")).await?;
    let base = base_of(&form, parent.as_ref());
    let Ok(read) = sheet::read(&named(&form), &base, &shelf(&app, &user).await?) else {
        return Err(AppError::Unreadable("Mend the marked fields of the sheet first.".into()));
    };
    let own = parent.as_ref().map(|p| p.row.design_id);
    let other = match (form.get("seek_listen_of").parse(), parent) {
        (Ok(id), _) => app.store.of(user.workshop()).revision(RevisionId(id)).await?,
        (Err(_), Some(parent)) => parent,
        (Err(_), None) => return Err(AppError::Unreadable("Choose a pickup to listen against.".into())),
    };
    let a = played(&app, &user, own, read.design).await?;
    let b = played(&app, &user, Some(other.row.design_id), other.design).await?;
    let (Some(a), Some(b)) = (a, b) else {
        return Err(AppError::Unreadable("One of both has no prediction: see its notices.".into()));
    };
    let (which, equal) = (form.get("listen_which").to_owned(), form.get("seek_listen_level") != "true");
    let (bytes, louder) = web::block(move || {
        let loud = (loudness(&a)?, loudness(&b)?);
        let (of_a, of_b) = factors(&a, &b, loud, equal);
        let bytes = if which == "b" { wav(&b, of_b)? } else { wav(&a, of_a)? };
        Ok::<_, AppError>((bytes, loud.1 - loud.0))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("audio/wav")
        .insert_header(("Filamentum-Louder", format!("{louder:.2}")))
        .body(bytes))
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
