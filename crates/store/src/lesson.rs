//! Versions of what was learned from a workshop's runs.

use crate::{DesignId, LessonId, Store, StoreError, WorkshopId};
use shop::learning::Lesson;
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A version as lists need it.
#[derive(Clone, Debug, FromRow)]
pub struct LessonRow {
    /// Number in the database.
    pub id: LessonId,
    /// Number in the workshop, from 1.
    pub number: u32,
    /// Runs behind it.
    pub runs: u32,
    /// When it was made, UTC.
    pub made_at: PrimitiveDateTime,
}

/// How a design's predictions lean on runs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Leaning {
    /// On the newest version.
    #[default]
    On,
    /// On one version for good.
    Frozen(LessonId),
    /// Not at all.
    Off,
}

impl Store {
    /// Keeps a version; gives its number in the database. The workshop's row is the lock under which numbers are given.
    pub async fn keep_lesson(
        &self,
        workshop: WorkshopId,
        runs: u32,
        lesson: &Lesson,
    ) -> Result<LessonId, StoreError> {
        let document = serde_json::to_string(lesson)
            .map_err(|error| StoreError::Unreadable { what: "lesson", detail: error.to_string() })?;
        let mut tx = self.pool.begin().await?;
        sqlx::query("SELECT id FROM workshops WHERE id = ? FOR UPDATE")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let done = sqlx::query(
            "INSERT INTO lessons (workshop_id, number, runs, document) \
             SELECT ?, COALESCE(MAX(number), 0) + 1, ?, ? FROM lessons WHERE workshop_id = ?",
        )
        .bind(workshop)
        .bind(runs)
        .bind(document)
        .bind(workshop)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(LessonId(done.last_insert_id()))
    }

    /// The last versions, newest first.
    pub async fn lessons(&self, workshop: WorkshopId) -> Result<Vec<LessonRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, number, runs, made_at FROM lessons WHERE workshop_id = ? ORDER BY number DESC LIMIT 50",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The newest version's row.
    pub async fn newest_lesson(&self, workshop: WorkshopId) -> Result<Option<LessonRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, number, runs, made_at FROM lessons WHERE workshop_id = ? ORDER BY number DESC LIMIT 1",
        )
        .bind(workshop)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// A version, whole.
    pub async fn lesson(&self, workshop: WorkshopId, id: LessonId) -> Result<Lesson, StoreError> {
        let document: String =
            sqlx::query_scalar("SELECT document FROM lessons WHERE workshop_id = ? AND id = ?")
                .bind(workshop)
                .bind(id)
                .fetch_optional(&self.pool)
                .await?
                .ok_or(StoreError::Missing("version"))?;
        serde_json::from_str(&document)
            .map_err(|error| StoreError::Unreadable { what: "lesson", detail: error.to_string() })
    }

    /// Whether the workshop's predictions lean on its runs.
    pub async fn learns(&self, workshop: WorkshopId) -> Result<bool, StoreError> {
        Ok(sqlx::query_scalar("SELECT learning FROM workshops WHERE id = ?")
            .bind(workshop)
            .fetch_one(&self.pool)
            .await?)
    }

    /// Switches that on or off.
    pub async fn set_learning(&self, workshop: WorkshopId, on: bool) -> Result<(), StoreError> {
        sqlx::query("UPDATE workshops SET learning = ? WHERE id = ?")
            .bind(on)
            .bind(workshop)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// How a design leans on runs.
    pub async fn leaning(&self, workshop: WorkshopId, design: DesignId) -> Result<Leaning, StoreError> {
        let found: Option<(String, Option<LessonId>)> =
            sqlx::query_as("SELECT learning, lesson_id FROM designs WHERE workshop_id = ? AND id = ?")
                .bind(workshop)
                .bind(design)
                .fetch_optional(&self.pool)
                .await?;
        let (word, lesson) = found.ok_or(StoreError::Missing("design"))?;
        Ok(match (word.as_str(), lesson) {
            ("off", _) => Leaning::Off,
            ("frozen", Some(lesson)) => Leaning::Frozen(lesson),
            _ => Leaning::On,
        })
    }

    /// Sets how a design leans on runs.
    pub async fn set_leaning(
        &self,
        workshop: WorkshopId,
        design: DesignId,
        leaning: Leaning,
    ) -> Result<(), StoreError> {
        let (word, lesson) = match leaning {
            Leaning::On => ("on", None),
            Leaning::Frozen(lesson) => ("frozen", Some(lesson)),
            Leaning::Off => ("off", None),
        };
        sqlx::query(
            "UPDATE designs SET learning = ?, lesson_id = (SELECT id FROM lessons WHERE workshop_id = ? AND id = ?) \
             WHERE workshop_id = ? AND id = ?",
        )
        .bind(word)
        .bind(workshop)
        .bind(lesson)
        .bind(workshop)
        .bind(design)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Designs that do not lean on the newest version: number, name, how, version's number.
    pub async fn leaning_otherwise(
        &self,
        workshop: WorkshopId,
    ) -> Result<Vec<(DesignId, String, String, Option<u32>)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT d.id, (SELECT r.name FROM revisions r WHERE r.design_id = d.id ORDER BY r.number DESC LIMIT 1), \
             d.learning, l.number FROM designs d LEFT JOIN lessons l ON l.id = d.lesson_id \
             WHERE d.workshop_id = ? AND d.learning <> 'on' ORDER BY 2",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }
}
