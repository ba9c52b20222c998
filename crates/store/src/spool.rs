//! Spools of wire.

use crate::{ClientKey, SpoolId, Store, StoreError, WorkshopId};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A spool on the shelf.
#[derive(Clone, Debug, FromRow)]
pub struct Spool {
    /// Number.
    pub id: SpoolId,
    /// What is written on it.
    pub label: String,
    /// Gauge, such as 42 AWG.
    pub gauge: String,
    /// Insulation, by its name in the design document.
    pub insulation: String,
    /// Build, by its name in the design document.
    pub build: String,
    /// Tolerance range, by its name in the design document.
    pub tolerance: String,
    /// Measured bare diameter, mm.
    pub bare_mm: Option<f64>,
    /// Measured overall diameter, mm.
    pub overall_mm: Option<f64>,
    /// Measured ohms per metre.
    pub ohm_per_m: Option<f64>,
    /// Temperature of that reading, °C.
    pub at_c: Option<f64>,
    /// Wire left, m.
    pub left_m: Option<f64>,
    /// Remark.
    pub remark: String,
    /// When it was entered, UTC.
    pub created_at: PrimitiveDateTime,
}

/// A spool to add.
#[derive(Clone, Debug)]
pub struct NewSpool {
    /// Key of the submission.
    pub key: ClientKey,
    /// What is written on it, unique in the workshop.
    pub label: String,
    /// Gauge.
    pub gauge: String,
    /// Insulation.
    pub insulation: String,
    /// Build.
    pub build: String,
    /// Tolerance range.
    pub tolerance: String,
    /// What was measured.
    pub measured: coil::design::Spool,
    /// Remark.
    pub remark: String,
}

impl Store {
    /// Adds a spool; the same key again adds nothing.
    pub async fn add_spool(&self, workshop: WorkshopId, spool: &NewSpool) -> Result<SpoolId, StoreError> {
        if let Some(added) = self.spool_by_key(workshop, &spool.key).await? {
            return Ok(added);
        }
        let done = sqlx::query(
            "INSERT INTO spools (workshop_id, client_key, label, gauge, insulation, build, tolerance, bare_mm, \
             overall_mm, ohm_per_m, at_c, left_m, remark) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(spool.key.as_str())
        .bind(&spool.label)
        .bind(&spool.gauge)
        .bind(&spool.insulation)
        .bind(&spool.build)
        .bind(&spool.tolerance)
        .bind(spool.measured.bare_mm)
        .bind(spool.measured.overall_mm)
        .bind(spool.measured.ohm_per_m)
        .bind(spool.measured.at_c)
        .bind(spool.measured.left_m)
        .bind(&spool.remark)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(done) => Ok(SpoolId(done.last_insert_id())),
            Err(StoreError::Taken(index)) if index == "spools_client_key" => {
                self.spool_by_key(workshop, &spool.key).await?.ok_or(StoreError::Missing("spool"))
            }
            Err(error) => Err(error),
        }
    }

    async fn spool_by_key(
        &self,
        workshop: WorkshopId,
        key: &ClientKey,
    ) -> Result<Option<SpoolId>, StoreError> {
        let found: Option<u64> =
            sqlx::query_scalar("SELECT id FROM spools WHERE workshop_id = ? AND client_key = ?")
                .bind(workshop)
                .bind(key.as_str())
                .fetch_optional(&self.pool)
                .await?;
        Ok(found.map(SpoolId))
    }

    /// All spools of a workshop, by label.
    pub async fn spools(&self, workshop: WorkshopId) -> Result<Vec<Spool>, StoreError> {
        let found = sqlx::query_as(
            "SELECT id, label, gauge, insulation, build, tolerance, bare_mm, overall_mm, ohm_per_m, at_c, left_m, \
             remark, created_at FROM spools WHERE workshop_id = ? ORDER BY label",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?;
        Ok(found)
    }

    /// One spool.
    pub async fn spool(&self, workshop: WorkshopId, id: SpoolId) -> Result<Spool, StoreError> {
        sqlx::query_as(
            "SELECT id, label, gauge, insulation, build, tolerance, bare_mm, overall_mm, ohm_per_m, at_c, left_m, \
             remark, created_at FROM spools WHERE workshop_id = ? AND id = ?",
        )
        .bind(workshop)
        .bind(id)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::Missing("spool"))
    }
}

impl Spool {
    /// What was measured on it, as the design document has it.
    pub fn measured(&self) -> coil::design::Spool {
        coil::design::Spool {
            bare_mm: self.bare_mm,
            overall_mm: self.overall_mm,
            ohm_per_m: self.ohm_per_m,
            at_c: self.at_c,
            left_m: self.left_m,
        }
    }
}
