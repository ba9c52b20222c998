//! Coils that were wound by themselves, and the pickups that were assembled of them.

use crate::{DesignId, RunId, StoreError, WorkshopStore};
use sqlx::FromRow;

/// A coil that was wound by itself.
#[derive(Clone, Debug, PartialEq, FromRow)]
pub struct WoundCoil {
    /// Its run.
    pub run_id: RunId,
    /// The run's number.
    pub number: u32,
    /// The coil's name in the design.
    pub coil: String,
    /// Its spool.
    pub spool: Option<String>,
    /// Turns that were counted.
    pub turns: Option<f64>,
    /// Resistance at 20 °C, Ω.
    pub resistance_ohm: Option<f64>,
    /// Inductance, H.
    pub inductance_h: Option<f64>,
}

macro_rules! coil_columns {
    ($rest:literal) => {
        concat!(
            "SELECT u.id AS run_id, u.number, COALESCE(JSON_VALUE(u.document, '$.coils[0].name'), '') AS coil, l.spool, l.turns, \
             l.resistance_ohm, l.inductance_h FROM runs u LEFT JOIN logbook l ON l.run_id = u.id ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The coils that a pickup was assembled of, by their numbers.
    pub async fn coils_of_run(&self, whole: RunId) -> Result<Vec<WoundCoil>, StoreError> {
        Ok(sqlx::query_as(coil_columns!(
            "JOIN run_coils c ON c.run_id = u.id WHERE u.workshop_id = ? AND c.whole_id = ? ORDER BY u.number"
        ))
        .bind(self.workshop)
        .bind(whole)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The pickup that a coil was assembled into: its run and that run's number.
    pub async fn whole_of_run(&self, run: RunId) -> Result<Option<(RunId, u32)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT u.id, u.number FROM run_coils c JOIN runs u ON u.id = c.whole_id WHERE c.workshop_id = ? AND c.run_id = ?",
        )
        .bind(self.workshop)
        .bind(run)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Coils of a design that were wound by themselves, are not void, and are in no pickup yet; the newest first, up to 200.
    pub async fn free_coils(&self, design: DesignId) -> Result<Vec<WoundCoil>, StoreError> {
        Ok(sqlx::query_as(coil_columns!(
            "JOIN revisions r ON r.id = u.revision_id WHERE u.workshop_id = ? AND r.design_id = ? AND u.voided_at IS NULL \
             AND JSON_LENGTH(u.document, '$.coils') = 1 AND JSON_LENGTH(r.document, '$.coils') > 1 \
             AND NOT EXISTS (SELECT 1 FROM run_coils c WHERE c.run_id = u.id) ORDER BY u.number DESC LIMIT 200"
        ))
        .bind(self.workshop)
        .bind(design)
        .fetch_all(&self.pool)
        .await?)
    }
}
