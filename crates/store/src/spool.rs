//! Spools of wire.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, InstrumentId, PersonId, SpoolId, StoreError, Stored, WorkshopStore};
use coil::Word as _;
use coil::design::Wire;
use coil::wire::{Build, COPPER_ALPHA, Gauge, Insulation, ToleranceRange};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A spool on the shelf.
#[derive(Clone, Debug, FromRow)]
pub struct Spool {
    /// Number.
    pub id: SpoolId,
    /// What is written on it.
    pub label: String,
    /// Gauge.
    pub gauge: Stored<Gauge>,
    /// Insulation.
    pub insulation: Stored<Insulation>,
    /// Build.
    pub build: Stored<Build>,
    /// The tolerance that it was ordered to.
    pub tolerance: Stored<ToleranceRange>,
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
    /// Who sold it.
    pub supplier: String,
    /// The supplier's lot or order.
    pub lot: String,
    /// What a kilogram of it cost.
    pub cost_per_kg: Option<f64>,
    /// What the empty spool weighs, g.
    pub empty_g: Option<f64>,
    /// The winder that it is assigned to.
    pub winder_id: Option<InstrumentId>,
    /// That winder's name.
    pub winder: Option<String>,
    /// When it was used up, UTC.
    pub emptied_at: Option<PrimitiveDateTime>,
    /// Counts the changes of its card.
    pub version: u32,
    /// Wire that runs took off it since the wire left was noted, m.
    pub used_m: f64,
    /// Runs wound on it.
    pub runs: i64,
    /// Wire that the last of them took, m.
    pub coil_m: Option<f64>,
}

/// A check of a spool: measured at one place, weighed, or both.
#[derive(Clone, Debug, FromRow)]
pub struct SpoolCheck {
    /// Metres left on the spool there.
    pub at_m: Option<f64>,
    /// Overall diameter, mm.
    pub overall_mm: Option<f64>,
    /// Ohms per metre as read.
    pub ohm_per_m: Option<f64>,
    /// Temperature of that reading, °C.
    pub at_c: Option<f64>,
    /// Weight with the spool, g.
    pub gross_g: Option<f64>,
    /// Who checked.
    pub by: String,
    /// When, UTC.
    pub taken_at: PrimitiveDateTime,
}

impl SpoolCheck {
    /// Ohms per metre at 20 °C.
    pub fn ohm_per_m_20c(&self) -> Option<f64> {
        Some(coil::wire::at_temperature(self.ohm_per_m?, self.at_c.unwrap_or(20.0), 20.0))
    }
}

/// A check to log.
#[derive(Clone, Debug, Default)]
pub struct NewCheck {
    /// Overall diameter, mm.
    pub overall_mm: Option<f64>,
    /// Ohms per metre.
    pub ohm_per_m: Option<f64>,
    /// Temperature of that reading, °C.
    pub at_c: Option<f64>,
    /// Weight with the spool, g.
    pub gross_g: Option<f64>,
    /// Wire left by that weight, m.
    pub left_m: Option<f64>,
    /// When; now when absent.
    pub at: Option<PrimitiveDateTime>,
}

/// What is known of a spool beside its wire.
#[derive(Clone, Debug, Default)]
pub struct SpoolDetails {
    /// Who sold it.
    pub supplier: String,
    /// The supplier's lot or order.
    pub lot: String,
    /// What a kilogram of it cost.
    pub cost_per_kg: Option<f64>,
    /// What the empty spool weighs, g.
    pub empty_g: Option<f64>,
    /// The winder that it is assigned to.
    pub winder: Option<InstrumentId>,
    /// Whether it is used up.
    pub emptied: bool,
    /// The state that was seen; `None` writes over whatever is there.
    pub version: Option<u32>,
}

macro_rules! spool_columns {
    ($rest:literal) => {
        concat!(
            "SELECT s.id, s.label, s.gauge, s.insulation, s.build, s.tolerance, s.bare_mm, s.overall_mm, s.ohm_per_m, \
             s.at_c, s.left_m, s.remark, s.created_at, s.supplier, s.lot, s.cost_per_kg, s.empty_g, s.winder_id, \
             i.name AS winder, s.emptied_at, s.version, \
             COALESCE((SELECT SUM(l.wire_m) FROM logbook l WHERE l.workshop_id = s.workshop_id AND l.spool_id = s.id \
               AND l.started_at > COALESCE(s.left_at, s.created_at)), 0) AS used_m, \
             (SELECT COUNT(*) FROM logbook l WHERE l.workshop_id = s.workshop_id AND l.spool_id = s.id) AS runs, \
             (SELECT l.wire_m FROM logbook l WHERE l.workshop_id = s.workshop_id AND l.spool_id = s.id \
               AND l.wire_m IS NOT NULL ORDER BY l.started_at DESC LIMIT 1) AS coil_m \
             FROM spools s LEFT JOIN instruments i ON i.id = s.winder_id ",
            $rest
        )
    };
}

/// A spool to add.
#[derive(Clone, Debug)]
pub struct NewSpool {
    /// Key of the submission.
    pub key: ClientKey,
    /// What is written on it, unique in the workshop.
    pub label: String,
    /// Its wire, with what was measured of it.
    pub wire: Wire,
    /// Remark.
    pub remark: String,
}

/// What is known of a spool beside its wire.
const CARE: &str = "SELECT s.label, JSON_OBJECT('supplier', s.supplier, 'lot', s.lot, 'cost per kg', \
     s.cost_per_kg, 'empty, g', s.empty_g, 'station', (SELECT i.name FROM instruments i WHERE i.id = s.winder_id), \
     'used up', s.emptied_at IS NOT NULL) FROM spools s WHERE s.workshop_id = ? AND s.id = ? FOR UPDATE";

impl WorkshopStore {
    /// Adds a spool; the same key again adds nothing.
    pub async fn add_spool(&self, by: PersonId, spool: &NewSpool) -> Result<SpoolId, StoreError> {
        let workshop = self.workshop;
        if let Some(added) = self.number_by_key("spools", &spool.key).await? {
            return Ok(SpoolId(added));
        }
        let (wire, measured) = (&spool.wire, spool.wire.spool.unwrap_or_default());
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO spools (workshop_id, client_key, label, gauge, insulation, build, tolerance, bare_mm, \
             overall_mm, ohm_per_m, at_c, left_m, remark) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(spool.key.as_str())
        .bind(&spool.label)
        .bind(wire.gauge.to_string())
        .bind(wire.insulation.word())
        .bind(wire.build.word())
        .bind(wire.range.word())
        .bind(measured.bare_mm)
        .bind(measured.overall_mm)
        .bind(measured.ohm_per_m)
        .bind(measured.at_c)
        .bind(measured.left_m)
        .bind(&spool.remark)
        .execute(&mut *tx)
        .await;
        let audit = self.audit(by, AuditAction::Spool);
        Ok(SpoolId(self.commit_added(tx, audit, CARE, ("spools", &spool.key), done).await?))
    }

    /// All spools of a workshop, by label.
    pub async fn spools(&self) -> Result<Vec<Spool>, StoreError> {
        let workshop = self.workshop;
        let found = sqlx::query_as(spool_columns!(
            "WHERE s.workshop_id = ? ORDER BY s.emptied_at IS NOT NULL, s.label"
        ))
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?;
        Ok(found)
    }

    /// Notes what is known of a spool beside its wire.
    pub async fn update_spool(
        &self,
        by: PersonId,
        id: SpoolId,
        care: &SpoolDetails,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut change = self.begin_change(by, AuditAction::Spool, ("spool", CARE), id.0).await?;
        let done = sqlx::query(
            "UPDATE spools SET version = version + 1, supplier = ?, lot = ?, cost_per_kg = ?, empty_g = ?, \
             winder_id = (SELECT id FROM instruments WHERE workshop_id = ? AND id = ?), \
             emptied_at = IF(?, COALESCE(emptied_at, UTC_TIMESTAMP(6)), NULL) \
             WHERE workshop_id = ? AND id = ? AND (? IS NULL OR version = ?)",
        )
        .bind(&care.supplier)
        .bind(&care.lot)
        .bind(care.cost_per_kg)
        .bind(care.empty_g)
        .bind(workshop)
        .bind(care.winder)
        .bind(care.emptied)
        .bind(workshop)
        .bind(id)
        .bind(care.version)
        .bind(care.version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("spool"));
        }
        change.write().await
    }

    /// Writes another label on a spool.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when another spool of the workshop has it.
    pub async fn rename_spool(&self, by: PersonId, id: SpoolId, label: &str) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT label, JSON_OBJECT('label', label) FROM spools WHERE workshop_id = ? AND id = ? FOR UPDATE";
        let mut change = self.begin_change(by, AuditAction::Spool, ("spool", STANDS), id.0).await?;
        sqlx::query("UPDATE spools SET label = ?, version = version + 1 WHERE id = ?")
            .bind(label)
            .bind(id)
            .execute(&mut *change.tx)
            .await?;
        change.write().await
    }

    /// Logs a check of a spool; what predictions take is then the mean over all places. The same key again logs nothing.
    pub async fn check_spool(
        &self,
        id: SpoolId,
        by: PersonId,
        key: &ClientKey,
        check: &NewCheck,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let spool = self.spool(id).await?;
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO spool_checks (workshop_id, spool_id, client_key, at_m, overall_mm, ohm_per_m, at_c, gross_g, \
             by_id, taken_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, COALESCE(?, UTC_TIMESTAMP(6)))",
        )
        .bind(workshop)
        .bind(id)
        .bind(key.as_str())
        .bind(check.left_m.or_else(|| spool.left_now_m()))
        .bind(check.overall_mm)
        .bind(check.ohm_per_m)
        .bind(check.at_c)
        .bind(check.gross_g)
        .bind(by)
        .bind(check.at)
        .execute(&mut *tx)
        .await;
        if added_once("spool_checks", done)?.is_none() {
            return Ok(());
        }
        sqlx::query(
            "UPDATE spools s SET \
             overall_mm = COALESCE((SELECT AVG(c.overall_mm) FROM spool_checks c WHERE c.spool_id = s.id), overall_mm), \
             ohm_per_m = COALESCE((SELECT AVG(c.ohm_per_m / (1 + ? * (COALESCE(c.at_c, 20) - 20))) \
               FROM spool_checks c WHERE c.spool_id = s.id AND c.ohm_per_m IS NOT NULL), ohm_per_m), \
             at_c = IF(EXISTS (SELECT 1 FROM spool_checks c WHERE c.spool_id = s.id AND c.ohm_per_m IS NOT NULL), 20, at_c), \
             left_at = IF(? IS NULL, left_at, COALESCE(?, UTC_TIMESTAMP(6))), left_m = COALESCE(?, left_m) \
             WHERE s.workshop_id = ? AND s.id = ?",
        )
        .bind(COPPER_ALPHA)
        .bind(check.left_m)
        .bind(check.at)
        .bind(check.left_m)
        .bind(workshop)
        .bind(id)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Checks of a spool, oldest first.
    pub async fn spool_checks(&self, id: SpoolId) -> Result<Vec<SpoolCheck>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT c.at_m, c.overall_mm, c.ohm_per_m, c.at_c, c.gross_g, p.name AS `by`, c.taken_at \
             FROM spool_checks c JOIN people p ON p.id = c.by_id WHERE c.workshop_id = ? AND c.spool_id = ? ORDER BY c.id",
        )
        .bind(workshop)
        .bind(id)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Checks of all spools, oldest first, by spool.
    pub async fn all_spool_checks(&self) -> Result<Vec<(SpoolId, Option<f64>, Option<f64>)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT spool_id, ohm_per_m, at_c FROM spool_checks WHERE workshop_id = ? ORDER BY spool_id, id",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Labels of all spools.
    pub async fn spool_labels(&self) -> Result<Vec<(SpoolId, String)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as("SELECT id, label FROM spools WHERE workshop_id = ? ORDER BY label")
            .bind(workshop)
            .fetch_all(&self.pool)
            .await?)
    }

    /// One spool.
    pub async fn spool(&self, id: SpoolId) -> Result<Spool, StoreError> {
        let workshop = self.workshop;
        sqlx::query_as(spool_columns!("WHERE s.workshop_id = ? AND s.id = ?"))
            .bind(workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("spool"))
    }
}

impl Spool {
    /// What was measured on it.
    pub fn measured(&self) -> coil::design::Spool {
        coil::design::Spool {
            bare_mm: self.bare_mm,
            overall_mm: self.overall_mm,
            ohm_per_m: self.ohm_per_m,
            at_c: self.at_c,
            left_m: self.left_now_m(),
        }
    }

    /// Its wire, with what was measured on it.
    pub fn wire(&self) -> Wire {
        Wire {
            gauge: self.gauge.0,
            insulation: self.insulation.0,
            build: self.build.0,
            range: self.tolerance.0,
            spool: Some(self.measured()),
        }
    }

    /// Wire left now, m: what was noted less what runs took since.
    pub fn left_now_m(&self) -> Option<f64> {
        self.left_m.map(|left| (left - self.used_m).max(0.0))
    }
}
