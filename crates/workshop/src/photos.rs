//! Photos: checked by their content, made anew without what cameras write into them, and bounded.

use crate::actor::Actor;
use crate::blocking::{blocking_long, without_turn};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder as _, ImageFormat, ImageReader, Limits};
use std::borrow::Cow;
use std::io::Cursor;
use store::photo::{NewPhoto, PhotoRow, PhotoSubject};
use store::{ClientKey, PhotoId};
use tokio::sync::Semaphore;

/// Most bytes of a picture as it comes.
pub const LARGEST_PHOTO_BYTES: usize = 16 << 20;
/// Most pixels along either side of a picture as it comes.
const MOST_PIXELS: u32 = 12_000;
/// Most pixels of a picture.
const MOST_AREA: u64 = 24_000_000;
/// Memory for the pixels of the one picture that is decoded at a time.
const DECODER_BYTES: u64 = 128 << 20;
/// What a pixel of a progressive JPEG takes: three coefficients of two bytes, and its three colours.
const PROGRESSIVE_BYTES: u64 = 9;
/// Pictures are decoded one after the other.
static DECODING: Semaphore = Semaphore::const_new(1);
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
        PhotoSubject::Rewind => (Action::ReadDesigns, Action::ChangeDesigns),
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
    let format = image::guess_format(bytes).ok()?;
    let bytes = match format {
        ImageFormat::Png => Cow::Owned(png_without_extras(bytes)?),
        ImageFormat::Jpeg if is_progressive(bytes) => {
            let (width, height) =
                ImageReader::with_format(Cursor::new(bytes), format).into_dimensions().ok()?;
            // Its coefficients are kept as a whole beside the pixels.
            if u64::from(width) * u64::from(height) * PROGRESSIVE_BYTES > DECODER_BYTES {
                return None;
            }
            Cow::Borrowed(bytes)
        }
        _ => Cow::Borrowed(bytes),
    };
    let mut reader = ImageReader::with_format(Cursor::new(&*bytes), format);
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_PIXELS);
    limits.max_image_height = Some(MOST_PIXELS);
    limits.max_alloc = Some(DECODER_BYTES);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().ok()?;
    let (width, height) = decoder.dimensions();
    if u64::from(width) * u64::from(height) > MOST_AREA || decoder.total_bytes() > DECODER_BYTES {
        return None;
    }
    let upright = decoder.orientation().ok()?;
    // The whole picture is gone before another one is made of the smaller one.
    let mut large = fitted(DynamicImage::from_decoder(decoder).ok()?, KEPT_PIXELS);
    large.apply_orientation(upright);
    let written = |picture: &DynamicImage, quality: u8| {
        let mut out = Vec::new();
        JpegEncoder::new_with_quality(&mut out, quality).encode_image(&picture.to_rgb8()).ok()?;
        Some(out)
    };
    let picture = written(&large, 82)?;
    let size = (large.width(), large.height());
    Some(Kept { size, picture, thumbnail: written(&fitted(large, SMALL_PIXELS), 75)? })
}

/// A picture within a square, as it is where it fits.
fn fitted(picture: DynamicImage, side: u32) -> DynamicImage {
    if picture.width().max(picture.height()) > side { picture.thumbnail(side, side) } else { picture }
}

/// A PNG with the chunks that its pixels and its orientation need. Others are compressed as well, and a few kilobytes of them
/// can become gigabytes: colour profiles and texts.
fn png_without_extras(bytes: &[u8]) -> Option<Vec<u8>> {
    const HEAD: usize = 8;
    let mut kept = bytes.get(..HEAD)?.to_vec();
    let mut rest = &bytes[HEAD..];
    while let Some((size, after)) = rest.split_first_chunk::<4>() {
        // Length, kind, content, checksum.
        let whole = usize::try_from(u32::from_be_bytes(*size)).ok()?.checked_add(12)?;
        let chunk = rest.get(..whole)?;
        if matches!(after.get(..4)?, b"IHDR" | b"PLTE" | b"tRNS" | b"IDAT" | b"IEND" | b"eXIf") {
            kept.extend_from_slice(chunk);
        }
        rest = &rest[whole..];
    }
    Some(kept)
}

/// Whether a JPEG comes in passes over the whole picture (ITU-T T.81, table B.1: the start of such a frame is marked C2).
fn is_progressive(bytes: &[u8]) -> bool {
    let mut at = 2;
    while let Some(&[0xff, marker, high, low]) = bytes.get(at..at + 4) {
        match marker {
            0xc0 | 0xc1 | 0xda => return false,
            0xc2 => return true,
            _ => at += 2 + usize::from(u16::from_be_bytes([high, low])),
        }
    }
    // What cannot be followed is weighed as the dearer of both.
    true
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
        Ok(self.store_of(actor).photos(subject, of).await?)
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
        let store = self.store_of(actor);
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
        let store = self.store_of(actor);
        // Those that can still be put back count: whoever adds and removes in turn fills no disk.
        if store.photos(command.subject, command.subject_id).await?.len() >= MOST_PHOTOS {
            return Err(Refusal::TooManyPhotos);
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let bytes = command.bytes;
        let decoding = without_turn(DECODING.acquire()).await;
        let kept = blocking_long(move || kept(&bytes)).await?;
        drop(decoding);
        let kept = kept.ok_or(Refusal::NotAPicture)?;
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

    /// Removes a photo, or puts it back within [`store::photo::BIN_DAYS`]; returns what it is of.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn set_photo_removed(
        &self,
        actor: &Actor,
        id: PhotoId,
        is_removed: bool,
    ) -> Result<PhotoRow, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let photo = store.photo(id).await?;
        actor.require(actions(photo.subject.0).1)?;
        store.set_photo_removed(actor.person, id, is_removed).await?;
        Ok(photo)
    }
}

impl Workshop {
    /// Deletes photos that were removed long ago; returns how many.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn empty_photo_bins(&self) -> Result<u64, Refusal> {
        Ok(self.store.empty_photo_bins().await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

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

    /// A chunk of a PNG: length, kind, content, checksum (ISO/IEC 15948, 5.3).
    fn chunk(kind: [u8; 4], content: &[u8]) -> Vec<u8> {
        let mut whole = u32::try_from(content.len()).unwrap().to_be_bytes().to_vec();
        whole.extend_from_slice(&kind);
        whole.extend_from_slice(content);
        let mut sum = crc32fast::Hasher::new();
        sum.update(&whole[4..]);
        whole.extend_from_slice(&sum.finalize().to_be_bytes());
        whole
    }

    /// A PNG of a few kilobytes may carry a compressed profile of gigabytes: it is dropped unread.
    #[test]
    fn a_profile_is_dropped_unread() {
        let plain = picture(90, 40, ImageFormat::Png);
        let after_head = 8 + 25;
        let mut marked = plain[..after_head].to_vec();
        marked.extend(chunk(*b"iCCP", b"a profile\0\0not even compressed"));
        marked.extend_from_slice(&plain[after_head..]);
        assert_eq!(png_without_extras(&marked).unwrap(), plain);
        assert_eq!(kept(&marked).unwrap().size, (90, 40));
    }

    /// Twenty-four million pixels are taken, more are not, whatever their file takes; the head says how many there are.
    #[test]
    fn a_picture_has_so_many_pixels_at_most() {
        assert!(kept(&picture(6000, 4000, ImageFormat::Jpeg)).is_some());
        for (width, height) in [(6001_u32, 4000_u32), (12_000, 12_000), (13_000, 10)] {
            let mut head = width.to_be_bytes().to_vec();
            head.extend_from_slice(&height.to_be_bytes());
            head.extend_from_slice(&[8, 2, 0, 0, 0]);
            let mut file = b"\x89PNG\r\n\x1a\n".to_vec();
            file.extend(chunk(*b"IHDR", &head));
            file.extend(chunk(*b"IDAT", &[0x78, 0x9c]));
            file.extend(chunk(*b"IEND", b""));
            assert!(kept(&file).is_none(), "{width} by {height}");
        }
    }

    #[rstest]
    #[case(&[0xff, 0xd8, 0xff, 0xe0, 0, 4, 1, 2, 0xff, 0xc0, 0, 11], false)]
    #[case(&[0xff, 0xd8, 0xff, 0xe0, 0, 4, 1, 2, 0xff, 0xc2, 0, 11], true)]
    #[case(&[0xff, 0xd8, 0xff, 0xe0, 0xff, 0xff], true)]
    fn progressive_frames_are_known_by_their_mark(#[case] bytes: &[u8], #[case] is: bool) {
        assert_eq!(is_progressive(bytes), is);
        assert!(!is_progressive(&picture(40, 30, ImageFormat::Jpeg)));
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
