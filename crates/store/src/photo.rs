//! Photos of what was examined, wound or bought.

use crate::{ClientKey, PersonId, PhotoId, StoreError, Stored, WorkshopStore};
use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// What a photo is of.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum PhotoSubject {
    /// An examined pickup.
    Reference,
    /// A run.
    Run,
    /// A spool.
    Spool,
    /// An order.
    Order,
}

impl PhotoSubject {
    /// Asks whether there is one of a number in the workshop.
    const fn exists(self) -> &'static str {
        match self {
            Self::Reference => "SELECT 1 FROM pickup_references WHERE workshop_id = ? AND id = ?",
            Self::Run => "SELECT 1 FROM runs WHERE workshop_id = ? AND id = ?",
            Self::Spool => "SELECT 1 FROM spools WHERE workshop_id = ? AND id = ?",
            Self::Order => "SELECT 1 FROM orders WHERE workshop_id = ? AND id = ?",
        }
    }
}

/// A photo without its picture.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct PhotoRow {
    /// Which.
    pub id: PhotoId,
    /// What it is of.
    pub subject: Stored<PhotoSubject>,
    /// Which one of those.
    pub subject_id: u64,
    /// What it shows.
    pub caption: String,
    /// Width, pixels.
    pub width: u32,
    /// Height, pixels.
    pub height: u32,
    /// Who added it.
    pub by: String,
    /// When, UTC.
    pub taken_at: PrimitiveDateTime,
}

/// A photo to add.
#[derive(Clone, Debug)]
pub struct NewPhoto {
    /// Key of the submission.
    pub key: ClientKey,
    /// What it is of.
    pub subject: PhotoSubject,
    /// Which one of those.
    pub subject_id: u64,
    /// What it shows.
    pub caption: String,
    /// Width and height, pixels.
    pub size: (u32, u32),
    /// JPEG.
    pub picture: Vec<u8>,
    /// A small JPEG.
    pub thumbnail: Vec<u8>,
}

macro_rules! photo_columns {
    ($rest:literal) => {
        concat!(
            "SELECT f.id, f.subject, f.subject_id, f.caption, f.width, f.height, p.name AS `by`, f.taken_at \
             FROM photos f JOIN people p ON p.id = f.taken_by ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The photos of something, oldest first.
    pub async fn photos(&self, subject: PhotoSubject, of: u64) -> Result<Vec<PhotoRow>, StoreError> {
        Ok(sqlx::query_as(photo_columns!(
            "WHERE f.workshop_id = ? AND f.subject = ? AND f.subject_id = ? ORDER BY f.id LIMIT 200"
        ))
        .bind(self.workshop)
        .bind(Stored(subject))
        .bind(of)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One photo without its picture.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn photo(&self, id: PhotoId) -> Result<PhotoRow, StoreError> {
        sqlx::query_as(photo_columns!("WHERE f.workshop_id = ? AND f.id = ?"))
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("photo"))
    }

    /// The picture of a photo, JPEG, or its small form.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn picture(&self, id: PhotoId, is_small: bool) -> Result<Vec<u8>, StoreError> {
        sqlx::query_scalar("SELECT IF(?, thumbnail, picture) FROM photos WHERE workshop_id = ? AND id = ?")
            .bind(is_small)
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("photo"))
    }

    /// Adds a photo; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is nothing that it could be of.
    pub async fn add_photo(&self, by: PersonId, new: &NewPhoto) -> Result<PhotoId, StoreError> {
        let known: Option<i32> = sqlx::query_scalar(new.subject.exists())
            .bind(self.workshop)
            .bind(new.subject_id)
            .fetch_optional(&self.pool)
            .await?;
        if known.is_none() {
            return Err(StoreError::Missing(new.subject.into()));
        }
        let added = sqlx::query(
            "INSERT INTO photos (workshop_id, client_key, subject, subject_id, caption, width, height, picture, thumbnail, taken_by) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(new.key.as_str())
        .bind(Stored(new.subject))
        .bind(new.subject_id)
        .bind(&new.caption)
        .bind(new.size.0)
        .bind(new.size.1)
        .bind(&new.picture)
        .bind(&new.thumbnail)
        .bind(by)
        .execute(&self.pool)
        .await;
        Ok(PhotoId(self.number_added("photos", &new.key, added).await?))
    }

    /// Removes a photo for good.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn remove_photo(&self, id: PhotoId) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM photos WHERE workshop_id = ? AND id = ?")
            .bind(self.workshop)
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 { Err(StoreError::Missing("photo")) } else { Ok(()) }
    }
}
