//! Versions of what was learned from a workshop's runs.

use crate::{CalibrationId, DesignId, StoreError, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::calibration::CalibrationModel;

/// A version as lists need it.
#[derive(Clone, Debug, FromRow)]
pub struct CalibrationRow {
    /// Number in the database.
    pub id: CalibrationId,
    /// Number in the workshop, from 1.
    pub number: u32,
    /// Runs behind it.
    pub runs: u32,
    /// When it was made, UTC.
    pub made_at: PrimitiveDateTime,
}

/// How a design's predictions lean on runs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CalibrationPolicy {
    /// On the newest version.
    #[default]
    On,
    /// On one version for good.
    Frozen(CalibrationId),
    /// Not at all.
    Off,
}

impl WorkshopStore {
    /// Keeps a version; gives its number in the database. The workshop's row is the lock under which numbers are given.
    pub async fn save_calibration(
        &self,
        runs: u32,
        model: &CalibrationModel,
    ) -> Result<CalibrationId, StoreError> {
        let workshop = self.workshop;
        let document = serde_json::to_string(model)
            .map_err(|error| StoreError::Unreadable { what: "lesson", detail: error.to_string() })?;
        let mut tx = self.pool.begin().await?;
        sqlx::query("SELECT id FROM workshops WHERE id = ? FOR UPDATE")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let done = sqlx::query(
            "INSERT INTO calibrations (workshop_id, number, runs, document) \
             SELECT ?, COALESCE(MAX(number), 0) + 1, ?, ? FROM calibrations WHERE workshop_id = ?",
        )
        .bind(workshop)
        .bind(runs)
        .bind(document)
        .bind(workshop)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(CalibrationId(done.last_insert_id()))
    }

    /// The last versions, newest first.
    pub async fn calibrations(&self) -> Result<Vec<CalibrationRow>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT id, number, runs, made_at FROM calibrations WHERE workshop_id = ? ORDER BY number DESC LIMIT 50",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The newest version's row.
    pub async fn newest_calibration(&self) -> Result<Option<CalibrationRow>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT id, number, runs, made_at FROM calibrations WHERE workshop_id = ? ORDER BY number DESC LIMIT 1",
        )
        .bind(workshop)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// A version, whole.
    pub async fn model(&self, id: CalibrationId) -> Result<CalibrationModel, StoreError> {
        let workshop = self.workshop;
        let document: String =
            sqlx::query_scalar("SELECT document FROM calibrations WHERE workshop_id = ? AND id = ?")
                .bind(workshop)
                .bind(id)
                .fetch_optional(&self.pool)
                .await?
                .ok_or(StoreError::Missing("version"))?;
        serde_json::from_str(&document)
            .map_err(|error| StoreError::Unreadable { what: "lesson", detail: error.to_string() })
    }

    /// Whether the workshop's predictions lean on its runs.
    pub async fn calibration_enabled(&self) -> Result<bool, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_scalar("SELECT calibration_enabled FROM workshops WHERE id = ?")
            .bind(workshop)
            .fetch_one(&self.pool)
            .await?)
    }

    /// Switches that on or off.
    pub async fn set_calibration_enabled(&self, on: bool) -> Result<(), StoreError> {
        let workshop = self.workshop;
        sqlx::query("UPDATE workshops SET calibration_enabled = ? WHERE id = ?")
            .bind(on)
            .bind(workshop)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// How a design leans on runs.
    pub async fn calibration_policy(&self, design: DesignId) -> Result<CalibrationPolicy, StoreError> {
        let workshop = self.workshop;
        let found: Option<(String, Option<CalibrationId>)> = sqlx::query_as(
            "SELECT calibration_policy, calibration_id FROM designs WHERE workshop_id = ? AND id = ?",
        )
        .bind(workshop)
        .bind(design)
        .fetch_optional(&self.pool)
        .await?;
        let (word, model) = found.ok_or(StoreError::Missing("design"))?;
        Ok(match (word.as_str(), model) {
            ("off", _) => CalibrationPolicy::Off,
            ("frozen", Some(model)) => CalibrationPolicy::Frozen(model),
            _ => CalibrationPolicy::On,
        })
    }

    /// Sets how a design leans on runs.
    pub async fn set_calibration_policy(
        &self,
        design: DesignId,
        calibration_policy: CalibrationPolicy,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let (word, model) = match calibration_policy {
            CalibrationPolicy::On => ("on", None),
            CalibrationPolicy::Frozen(model) => ("frozen", Some(model)),
            CalibrationPolicy::Off => ("off", None),
        };
        sqlx::query(
            "UPDATE designs SET calibration_policy = ?, calibration_id = (SELECT id FROM calibrations WHERE workshop_id = ? AND id = ?) \
             WHERE workshop_id = ? AND id = ?",
        )
        .bind(word)
        .bind(workshop)
        .bind(model)
        .bind(workshop)
        .bind(design)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Designs that do not lean on the newest version: number, name, how, version's number.
    pub async fn calibration_exceptions(
        &self,
    ) -> Result<Vec<(DesignId, String, String, Option<u32>)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT d.id, (SELECT r.name FROM revisions r WHERE r.design_id = d.id ORDER BY r.number DESC LIMIT 1), \
             d.calibration_policy, l.number FROM designs d LEFT JOIN calibrations l ON l.id = d.calibration_id \
             WHERE d.workshop_id = ? AND d.calibration_policy <> 'on' ORDER BY 2",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }
}
