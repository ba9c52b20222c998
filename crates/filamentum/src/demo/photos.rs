//! Photos that are drawn: what a phone on the bench would have taken.

use super::past_runs::DemoWorkshop;
use image::{DynamicImage, ImageFormat, Rgb, RgbImage};
use std::io::Cursor;
use store::person::Role;
use store::photo::PhotoSubject;
use store::{ClientKey, RunId};
use workshop::{Actor, AddPhoto, Workshop};

/// Width and height of a photo, pixels.
const SIZE: (u32, u32) = (960, 640);

/// A coil from above on a bench mat: the wood of the bobbin, its wire, and poles of another tone each.
struct Scene {
    mat: [u8; 3],
    wire: [u8; 3],
    poles: &'static [u8],
    /// Whether a loop hangs out of the coil.
    has_loop: bool,
}

impl Scene {
    /// The colour at a place, from the middle of the picture, in halves of its width.
    fn colour(&self, x: f64, y: f64) -> [u8; 3] {
        // How far the place is from the coil's middle line.
        let away = (x.abs() - 0.55).max(0.0).hypot(y);
        let count = self.poles.len() as f64;
        let pole = ((x / 1.1 + 0.5) * count).floor().clamp(0.0, count - 1.0);
        let to_pole = (x - ((pole + 0.5) / count - 0.5) * 1.1).hypot(y);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index, clamped")]
        let tone = self.poles[pole as usize];
        let is_loop = self.has_loop && ((x - 0.3).hypot(y - 0.26) - 0.08).abs() < 0.006;
        match away {
            _ if is_loop => self.wire,
            _ if to_pole < 0.05 => [tone, tone, tone.saturating_add(4)],
            a if a < 0.07 => [38, 34, 30],
            // Turns catch the light one by one.
            a if a < 0.19 => {
                let light = if (a * 400.0).sin() > 0.0 { 14 } else { 0 };
                self.wire.map(|c| c.saturating_add(light))
            }
            a if a < 0.22 => [201, 178, 134],
            _ => self.mat,
        }
    }

    /// The picture as PNG.
    fn png(&self) -> anyhow::Result<Vec<u8>> {
        let half = f64::from(SIZE.0) / 2.0;
        let picture = RgbImage::from_fn(SIZE.0, SIZE.1, |x, y| {
            let (x, y) = ((f64::from(x) - half) / half, (f64::from(y) - f64::from(SIZE.1) / 2.0) / half);
            // Lit from one side.
            let light = 1.0 - 0.12 * (x + y);
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a tone, clamped")]
            Rgb(self.colour(x, y).map(|c| (f64::from(c) * light).clamp(0.0, 255.0) as u8))
        });
        let mut bytes = Cursor::new(Vec::new());
        DynamicImage::ImageRgb8(picture).write_to(&mut bytes, ImageFormat::Png)?;
        Ok(bytes.into_inner())
    }
}

impl DemoWorkshop<'_> {
    /// Adds them: to a rewind, to an order and to a run.
    pub(super) async fn photos(&self, run: Option<RunId>) -> anyhow::Result<()> {
        let workshop = Workshop::new(self.store.clone());
        let actor =
            Actor { person: self.owner, workshop: self.workshop, role: Role::Owner, is_at_station: false };
        let plain = Scene { mat: [74, 92, 84], wire: [150, 72, 38], poles: &[120; 6], has_loop: false };
        let worn =
            Scene { mat: [88, 76, 66], wire: [96, 40, 30], poles: &[92, 118, 84, 126], has_loop: true };
        let photos = [
            (PhotoSubject::Rewind, Some(1), &worn, "as it came: a loop hangs out at the treble end"),
            (PhotoSubject::Order, Some(1), &plain, "before it was packed"),
            (PhotoSubject::Run, run.map(|run| run.0), &plain, "wound, before the wax"),
        ];
        for (subject, id, scene, caption) in photos {
            let Some(subject_id) = id else { continue };
            let command = AddPhoto {
                key: ClientKey::random(),
                subject,
                subject_id,
                caption: caption.to_owned(),
                bytes: scene.png()?,
            };
            workshop.add_photo(&actor, command).await?;
        }
        Ok(())
    }
}
