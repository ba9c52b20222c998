//! Photos of what was examined, wound or bought.

use crate::audit::AuditAction;
use crate::{ClientKey, PersonId, PhotoId, Store, StoreError, Stored, WorkshopStore};
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
    #[serde(rename = "reference")]
    #[strum(serialize = "reference")]
    Rewind,
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
            Self::Rewind => "SELECT 1 FROM rewinds WHERE workshop_id = ? AND id = ?",
            Self::Run => "SELECT 1 FROM runs WHERE workshop_id = ? AND id = ?",
            Self::Spool => "SELECT 1 FROM spools WHERE workshop_id = ? AND id = ?",
            Self::Order => "SELECT 1 FROM orders WHERE workshop_id = ? AND id = ?",
        }
    }
}

/// How long a photo that was removed can be put back, days.
pub const BIN_DAYS: u32 = 30;

/// How a photo stands, for the trail of changes.
const SNAPSHOT: &str = "SELECT CONCAT('photo ', id, ' of ', subject, ' ', subject_id), \
     JSON_OBJECT('caption', caption, 'removed', IF(removed_at IS NULL, 'no', 'yes')) \
     FROM photos WHERE workshop_id = ? AND id = ? FOR UPDATE";

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
    /// When it was removed, UTC.
    pub removed_at: Option<PrimitiveDateTime>,
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
            "SELECT f.id, f.subject, f.subject_id, f.caption, f.width, f.height, p.name AS `by`, f.taken_at, f.removed_at \
             FROM photos f JOIN people p ON p.id = f.taken_by ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The photos of something, oldest first, and those that were removed and can still be put back.
    pub async fn photos(&self, subject: PhotoSubject, of: u64) -> Result<Vec<PhotoRow>, StoreError> {
        Ok(sqlx::query_as(photo_columns!(
            "WHERE f.workshop_id = ? AND f.subject = ? AND f.subject_id = ? ORDER BY f.id LIMIT 400"
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
        let mut tx = self.pool.begin().await?;
        let known: Option<i32> = sqlx::query_scalar(new.subject.exists())
            .bind(self.workshop)
            .bind(new.subject_id)
            .fetch_optional(&mut *tx)
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
        .execute(&mut *tx)
        .await;
        let audit = self.audit(by, AuditAction::Photo);
        Ok(PhotoId(self.commit_added(tx, audit, SNAPSHOT, ("photos", &new.key), added).await?))
    }

    /// Removes a photo, or puts it back within [`BIN_DAYS`].
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn set_photo_removed(
        &self,
        by: PersonId,
        id: PhotoId,
        is_removed: bool,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Photo, ("photo", SNAPSHOT), id.0).await?;
        sqlx::query(
            "UPDATE photos SET removed_at = IF(?, COALESCE(removed_at, UTC_TIMESTAMP(6)), NULL) \
             WHERE workshop_id = ? AND id = ?",
        )
        .bind(is_removed)
        .bind(self.workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }
}

impl Store {
    /// Deletes the photos of all workshops that were removed more than [`BIN_DAYS`] ago; returns how many.
    pub async fn empty_photo_bins(&self) -> Result<u64, StoreError> {
        let done = sqlx::query("DELETE FROM photos WHERE removed_at < UTC_TIMESTAMP(6) - INTERVAL ? DAY")
            .bind(BIN_DAYS)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }
}
