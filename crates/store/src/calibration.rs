//! Versions of what was learned from a workshop's runs.

use crate::PersonId;
use crate::audit::{AuditAction, snapshot};
use crate::logbook::{Deviations, MeasuredDeviations};
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

/// Which calibration a design uses, with what it may be chosen from.
#[derive(Clone, Debug)]
pub struct CalibrationChoice {
    /// Whether the workshop uses calibrations at all.
    pub enabled: bool,
    /// What was chosen for the design.
    pub policy: CalibrationPolicy,
    /// The newest version: number in the database, number in the workshop.
    pub newest: Option<(CalibrationId, u32)>,
    /// The version at which the design is frozen.
    pub frozen: Option<(CalibrationId, u32)>,
}

/// A design that does not use the newest version.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CalibrationException {
    /// The design.
    pub design: DesignId,
    /// Its newest name.
    pub name: String,
    /// The number of the version at which it is frozen; `None` when it uses none.
    pub frozen_at: Option<u32>,
}

#[derive(FromRow)]
struct ChoiceRow {
    enabled: bool,
    policy: Option<String>,
    frozen_id: Option<CalibrationId>,
    frozen_number: Option<u32>,
    newest_id: Option<CalibrationId>,
    newest_number: Option<u32>,
}

impl ChoiceRow {
    fn choice(self) -> CalibrationChoice {
        CalibrationChoice {
            enabled: self.enabled,
            policy: match (self.policy.as_deref(), self.frozen_id) {
                (Some("off"), _) => CalibrationPolicy::Off,
                (Some("frozen"), Some(id)) => CalibrationPolicy::Frozen(id),
                _ => CalibrationPolicy::On,
            },
            newest: self.newest_id.zip(self.newest_number),
            frozen: self.frozen_id.zip(self.frozen_number),
        }
    }
}

/// How measured coils deviate, as a statement counts it.
#[derive(FromRow)]
struct DeviationsRow {
    resistances: i64,
    resistance_mean: Option<f64>,
    resistance_least: Option<f64>,
    resistance_most: Option<f64>,
    inductances: i64,
    inductance_mean: Option<f64>,
    inductance_least: Option<f64>,
    inductance_most: Option<f64>,
}

impl DeviationsRow {
    fn deviations(&self) -> MeasuredDeviations {
        let of = |count, mean: Option<f64>, lowest: Option<f64>, highest: Option<f64>| {
            Some(Deviations { count, mean: mean?, lowest: lowest?, highest: highest? })
        };
        MeasuredDeviations {
            resistance: of(
                self.resistances,
                self.resistance_mean,
                self.resistance_least,
                self.resistance_most,
            ),
            inductance: of(
                self.inductances,
                self.inductance_mean,
                self.inductance_least,
                self.inductance_most,
            ),
        }
    }
}

/// What a design's predictions go by.
#[derive(FromRow)]
struct ChoiceAndDeviationsRow {
    #[sqlx(flatten)]
    choice: ChoiceRow,
    #[sqlx(flatten)]
    deviations: DeviationsRow,
}

/// Which calibration a design uses, with `$more` columns of tables that `$tables` joins; binds the design and then, last, the workshop.
macro_rules! choice_columns {
    ($more:literal, $tables:literal) => {
        concat!(
            "SELECT w.calibration_enabled AS enabled, d.calibration_policy AS policy, f.id AS frozen_id, \
             f.number AS frozen_number, n.id AS newest_id, n.number AS newest_number",
            $more,
            " FROM workshops w LEFT JOIN designs d ON d.workshop_id = w.id AND d.id = ? \
             LEFT JOIN calibrations f ON f.id = d.calibration_id \
             LEFT JOIN calibrations n ON n.id = \
               (SELECT id FROM calibrations WHERE workshop_id = w.id ORDER BY number DESC LIMIT 1) ",
            $tables,
            "WHERE w.id = ?"
        )
    };
}

/// Refuses a design that is not there.
fn known(design: Option<DesignId>, row: &ChoiceRow) -> Result<(), StoreError> {
    if design.is_some() && row.policy.is_none() { Err(StoreError::Missing("design")) } else { Ok(()) }
}

impl WorkshopStore {
    /// Which calibration a design uses; of no design, what the workshop uses.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such design.
    pub async fn calibration_choice(
        &self,
        design: Option<DesignId>,
    ) -> Result<CalibrationChoice, StoreError> {
        let row: ChoiceRow = sqlx::query_as(choice_columns!("", ""))
            .bind(design.map_or(0, |d| d.0))
            .bind(self.workshop)
            .fetch_one(&self.pool)
            .await?;
        known(design, &row)?;
        Ok(row.choice())
    }

    /// Which calibration a design uses, and how its measured coils deviate from their predictions; of no design, what the workshop uses,
    /// and nothing.
    ///
    /// # Errors
    /// As [`Self::calibration_choice`].
    pub async fn calibration_and_deviations(
        &self,
        design: Option<DesignId>,
    ) -> Result<(CalibrationChoice, MeasuredDeviations), StoreError> {
        let id = design.map_or(0, |d| d.0);
        let row: ChoiceAndDeviationsRow = sqlx::query_as(choice_columns!(
            ", m.*",
            "JOIN (SELECT COUNT(resistance_off) AS resistances, AVG(resistance_off) AS resistance_mean, \
               MIN(resistance_off) AS resistance_least, MAX(resistance_off) AS resistance_most, \
               COUNT(inductance_off) AS inductances, AVG(inductance_off) AS inductance_mean, \
               MIN(inductance_off) AS inductance_least, MAX(inductance_off) AS inductance_most \
               FROM logbook WHERE workshop_id = ? AND design_id = ? AND level <> 'void') m "
        ))
        .bind(id)
        .bind(self.workshop)
        .bind(id)
        .bind(self.workshop)
        .fetch_one(&self.pool)
        .await?;
        known(design, &row.choice)?;
        Ok((row.choice.choice(), row.deviations.deviations()))
    }

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
    pub async fn set_calibration_enabled(&self, by: PersonId, on: bool) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT name, JSON_OBJECT('used', calibration_enabled) FROM workshops WHERE id = ? AND id = ? \
             FOR UPDATE";
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let before = snapshot(&mut tx, STANDS, workshop, workshop.0).await?;
        sqlx::query("UPDATE workshops SET calibration_enabled = ? WHERE id = ?")
            .bind(on)
            .bind(workshop)
            .execute(&mut *tx)
            .await?;
        self.audit(by, AuditAction::Calibration).changed(&mut tx, STANDS, workshop.0, before).await?;
        tx.commit().await?;
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
        by: PersonId,
        design: DesignId,
        calibration_policy: CalibrationPolicy,
    ) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT (SELECT r.name FROM revisions r WHERE r.design_id = d.id ORDER BY r.is_variant, r.number DESC LIMIT 1), \
             JSON_OBJECT('calibration', d.calibration_policy, 'version', \
             (SELECT c.number FROM calibrations c WHERE c.id = d.calibration_id)) \
             FROM designs d WHERE d.workshop_id = ? AND d.id = ? FOR UPDATE";
        let workshop = self.workshop;
        let mut change =
            self.begin_change(by, AuditAction::Calibration, ("design", STANDS), design.0).await?;
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
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }

    /// Designs that do not use the newest version.
    pub async fn calibration_exceptions(&self) -> Result<Vec<CalibrationException>, StoreError> {
        let rows: Vec<(DesignId, String, Option<u32>)> = sqlx::query_as(
            "SELECT d.id, (SELECT r.name FROM revisions r WHERE r.design_id = d.id ORDER BY r.is_variant, r.number DESC LIMIT 1), \
             IF(d.calibration_policy = 'frozen', l.number, NULL) FROM designs d \
             LEFT JOIN calibrations l ON l.id = d.calibration_id \
             WHERE d.workshop_id = ? AND d.calibration_policy <> 'on' ORDER BY 2",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows
            .into_iter()
            .map(|(design, name, frozen_at)| CalibrationException { design, name, frozen_at })
            .collect())
    }
}
