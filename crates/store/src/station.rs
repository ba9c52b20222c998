//! Shared stations: tablets that stay signed in as themselves, and at which people take turns.

use crate::audit::{Audit, AuditAction, snapshot};
use crate::{PersonId, StationId, Store, StoreError, WorkshopId, WorkshopStore};
use sqlx::FromRow;
use time::{Duration, OffsetDateTime, PrimitiveDateTime};

/// A shared station.
#[derive(Clone, Debug, FromRow)]
pub struct Station {
    /// Number.
    pub id: StationId,
    /// The workshop.
    pub workshop_id: WorkshopId,
    /// What it is called.
    pub name: String,
    /// Since when a tablet is signed in as it, UTC; `None` before its code was typed.
    pub enrolled_at: Option<PrimitiveDateTime>,
    /// Until when its code can be typed, UTC.
    pub code_expires_at: Option<PrimitiveDateTime>,
}

const STATION_SNAPSHOT: &str = "SELECT name, JSON_OBJECT('enrolled', enrolled_at IS NOT NULL, 'retired', \
     retired_at IS NOT NULL) FROM stations WHERE workshop_id = ? AND id = ? FOR UPDATE";

macro_rules! station_columns {
    ($rest:literal) => {
        concat!("SELECT id, workshop_id, name, enrolled_at, code_expires_at FROM stations ", $rest)
    };
}

impl Store {
    /// Uses a station's code, once, by its hash; returns the station.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when no station waits for this code.
    pub async fn enrol_station(&self, code_hash: &[u8; 32]) -> Result<Station, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let station: Option<Station> = sqlx::query_as(station_columns!(
            "WHERE code_hash = ? AND code_expires_at > UTC_TIMESTAMP(6) AND retired_at IS NULL FOR UPDATE"
        ))
        .bind(&code_hash[..])
        .fetch_optional(&mut *transaction)
        .await?;
        let station = station.ok_or(StoreError::Missing("station"))?;
        let before = snapshot(&mut transaction, STATION_SNAPSHOT, station.workshop_id, station.id.0).await?;
        sqlx::query(
            "UPDATE stations SET enrolled_at = UTC_TIMESTAMP(6), code_hash = NULL, code_expires_at = NULL WHERE id = ?",
        )
        .bind(station.id)
        .execute(&mut *transaction)
        .await?;
        // The tablet is nobody: the line has whoever gave out the code.
        let by: PersonId = sqlx::query_scalar("SELECT created_by FROM stations WHERE id = ?")
            .bind(station.id)
            .fetch_one(&mut *transaction)
            .await?;
        let audit = Audit { workshop: station.workshop_id, by, action: AuditAction::Station };
        audit.changed(&mut transaction, STATION_SNAPSHOT, station.id.0, before).await?;
        transaction.commit().await?;
        Ok(station)
    }

    /// A station by number, until it is retired.
    pub async fn station(&self, id: StationId) -> Result<Option<Station>, StoreError> {
        Ok(sqlx::query_as(station_columns!("WHERE id = ? AND retired_at IS NULL"))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?)
    }
}

impl WorkshopStore {
    /// Adds a station that waits for its code.
    pub async fn add_station(
        &self,
        by: PersonId,
        name: &str,
        code_hash: &[u8; 32],
        lasts: Duration,
    ) -> Result<StationId, StoreError> {
        let end = OffsetDateTime::now_utc() + lasts;
        let mut transaction = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO stations (workshop_id, name, code_hash, code_expires_at, created_by) VALUES (?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(name)
        .bind(&code_hash[..])
        .bind(PrimitiveDateTime::new(end.date(), end.time()))
        .bind(by)
        .execute(&mut *transaction)
        .await?;
        let id = done.last_insert_id();
        self.audit(by, AuditAction::Station).changed(&mut transaction, STATION_SNAPSHOT, id, None).await?;
        transaction.commit().await?;
        Ok(StationId(id))
    }

    /// Retires a station: its tablet is signed out at once.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such station.
    pub async fn retire_station(&self, by: PersonId, id: StationId) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, STATION_SNAPSHOT, self.workshop, id.0).await?;
        let before = before.ok_or(StoreError::Missing("station"))?;
        sqlx::query(
            "UPDATE stations SET retired_at = COALESCE(retired_at, UTC_TIMESTAMP(6)), code_hash = NULL WHERE id = ?",
        )
        .bind(id)
        .execute(&mut *transaction)
        .await?;
        sqlx::query("DELETE FROM sessions WHERE station_id = ?").bind(id).execute(&mut *transaction).await?;
        let audit = self.audit(by, AuditAction::Station);
        audit.changed(&mut transaction, STATION_SNAPSHOT, id.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// The stations that are not retired, by name.
    pub async fn stations(&self) -> Result<Vec<Station>, StoreError> {
        Ok(sqlx::query_as(station_columns!("WHERE workshop_id = ? AND retired_at IS NULL ORDER BY name, id"))
            .bind(self.workshop)
            .fetch_all(&self.pool)
            .await?)
    }
}
