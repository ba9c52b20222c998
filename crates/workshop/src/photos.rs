//! Photos: checked by their content, made anew without what cameras write into them, and bounded.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder as _, ImageReader, Limits};
use std::io::Cursor;
use store::photo::{NewPhoto, PhotoRow, PhotoSubject};
use store::{ClientKey, PhotoId};

/// Most bytes of a picture as it comes.
pub const LARGEST_PHOTO_BYTES: usize = 16 << 20;
/// Most pixels along either side of a picture as it comes.
const MOST_PIXELS: u32 = 12_000;
/// Longest side of a picture as it is kept, and of its small form.
const KEPT_PIXELS: u32 = 1600;
const SMALL_PIXELS: u32 = 320;
/// Most photos of one thing.
const MOST_PHOTOS: usize = 60;
/// Longest caption, letters.
const LONGEST_CAPTION: usize = 160;

/// A photo to add.
#[derive(Clone, Debug)]
pub struct AddPhoto {
    /// Key of the submission.
    pub key: ClientKey,
    /// What it is of.
    pub subject: PhotoSubject,
    /// Which one of those.
    pub subject_id: u64,
    /// What it shows.
    pub caption: String,
    /// The file as it came: JPEG, PNG or WebP.
    pub bytes: Vec<u8>,
}

/// Who may see, and who may add and remove, photos of something.
const fn actions(subject: PhotoSubject) -> (Action, Action) {
    match subject {
        PhotoSubject::Reference => (Action::ReadDesigns, Action::ChangeDesigns),
        PhotoSubject::Run => (Action::ReadRuns, Action::Wind),
        PhotoSubject::Spool => (Action::ReadStock, Action::ChangeStock),
        PhotoSubject::Order => (Action::ReadOrders, Action::ChangeOrders),
    }
}

struct Kept {
    size: (u32, u32),
    picture: Vec<u8>,
    thumbnail: Vec<u8>,
}

/// Decodes a picture whatever its name says, turns it upright, and writes it anew: place, time and camera stay behind.
fn kept(bytes: &[u8]) -> Option<Kept> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().ok()?;
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_PIXELS);
    limits.max_image_height = Some(MOST_PIXELS);
    limits.max_alloc = Some(600 << 20);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().ok()?;
    let upright = decoder.orientation().ok()?;
    let mut whole = DynamicImage::from_decoder(decoder).ok()?;
    whole.apply_orientation(upright);
    let fitted = |side: u32| {
        if whole.width().max(whole.height()) > side { whole.thumbnail(side, side) } else { whole.clone() }
    };
    let written = |picture: &DynamicImage, quality: u8| {
        let mut out = Vec::new();
        JpegEncoder::new_with_quality(&mut out, quality).encode_image(&picture.to_rgb8()).ok()?;
        Some(out)
    };
    let large = fitted(KEPT_PIXELS);
    Some(Kept {
        size: (large.width(), large.height()),
        picture: written(&large, 82)?,
        thumbnail: written(&fitted(SMALL_PIXELS), 75)?,
    })
}

impl Workshop {
    /// The photos of something.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn photos(
        &self,
        actor: &Actor,
        subject: PhotoSubject,
        of: u64,
    ) -> Result<Vec<PhotoRow>, Refusal> {
        actor.require(actions(subject).0)?;
        Ok(self.of(actor).photos(subject, of).await?)
    }

    /// The picture of a photo, JPEG, or its small form.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn photo_picture(
        &self,
        actor: &Actor,
        id: PhotoId,
        is_small: bool,
    ) -> Result<Vec<u8>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.of(actor);
        actor.require(actions(store.photo(id).await?.subject.0).0)?;
        Ok(store.picture(id, is_small).await?)
    }

    /// Adds a photo; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NotAPicture`]; [`Refusal::TooManyPhotos`]; when there is nothing that it could be of.
    pub async fn add_photo(&self, actor: &Actor, command: AddPhoto) -> Result<PhotoId, Refusal> {
        actor.require(actions(command.subject).1)?;
        if command.bytes.is_empty() || command.bytes.len() > LARGEST_PHOTO_BYTES {
            return Err(Refusal::NotAPicture);
        }
        let store = self.of(actor);
        if store.photos(command.subject, command.subject_id).await?.len() >= MOST_PHOTOS {
            return Err(Refusal::TooManyPhotos);
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let bytes = command.bytes;
        let kept = blocking(move || kept(&bytes)).await?.ok_or(Refusal::NotAPicture)?;
        let caption =
            command.caption.trim().chars().filter(|c| !c.is_control()).take(LONGEST_CAPTION).collect();
        let new = NewPhoto {
            key: command.key,
            subject: command.subject,
            subject_id: command.subject_id,
            caption,
            size: kept.size,
            picture: kept.picture,
            thumbnail: kept.thumbnail,
        };
        Ok(store.add_photo(actor.person, &new).await?)
    }

    /// Removes a photo for good; returns what it was of.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn remove_photo(&self, actor: &Actor, id: PhotoId) -> Result<PhotoRow, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.of(actor);
        let photo = store.photo(id).await?;
        actor.require(actions(photo.subject.0).1)?;
        store.remove_photo(id).await?;
        Ok(photo)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::ImageFormat;

    fn picture(width: u32, height: u32, format: ImageFormat) -> Vec<u8> {
        let mut out = Cursor::new(Vec::new());
        DynamicImage::new_rgb8(width, height).write_to(&mut out, format).unwrap();
        out.into_inner()
    }

    /// Large ones are made smaller, whatever the format; what is no picture is none, however it begins.
    #[test]
    fn pictures_are_made_anew() {
        for format in [ImageFormat::Jpeg, ImageFormat::Png] {
            let kept = kept(&picture(2400, 1200, format)).unwrap();
            assert_eq!(kept.size, (KEPT_PIXELS, KEPT_PIXELS / 2));
            assert!(kept.picture.starts_with(&[0xff, 0xd8]) && kept.thumbnail.starts_with(&[0xff, 0xd8]));
        }
        assert_eq!(kept(&picture(90, 40, ImageFormat::Png)).unwrap().size, (90, 40), "small ones stay");
        let png = picture(90, 40, ImageFormat::Png);
        for wrong in
            [&b"<svg onload=alert(1)>"[..], &png[..png.len() / 2], &[0xff, 0xd8, 0xff, 0xe0, 0, 1], b"GIF89a"]
        {
            assert!(kept(wrong).is_none());
        }
    }

    /// What a camera writes besides the picture, such as the place, is not in what is kept; its orientation is applied.
    #[test]
    fn what_cameras_write_stays_behind() {
        // An Exif segment that says "turned by 90 degrees", with a comment behind it.
        let mut exif = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".to_vec();
        exif.extend_from_slice(b"55.123 N 8.456 E");
        let plain = picture(80, 40, ImageFormat::Jpeg);
        let mut marked = plain[..2].to_vec();
        marked.extend_from_slice(&[0xff, 0xe1]);
        marked.extend_from_slice(&u16::try_from(exif.len() + 2).unwrap().to_be_bytes());
        marked.extend_from_slice(&exif);
        marked.extend_from_slice(&plain[2..]);
        let kept = kept(&marked).unwrap();
        assert_eq!(kept.size, (40, 80), "upright");
        assert!(!kept.picture.windows(6).any(|w| w == b"55.123"));
    }
}
