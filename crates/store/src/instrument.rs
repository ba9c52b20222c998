//! Instruments on the bench.

use crate::{ClientKey, InstrumentId, Store, StoreError, Stored, WorkshopStore};
use sqlx::FromRow;
use time::Date;
use trade::instrument::InstrumentKind;

/// An instrument.
#[derive(Clone, Debug, FromRow)]
pub struct Instrument {
    /// Number in the database.
    pub id: InstrumentId,
    /// What it does.
    pub kind: Stored<InstrumentKind>,
    /// What it is called on the bench.
    pub name: String,
    /// Host and port.
    pub address: String,
    /// Smallest step that it shows, in its quantity's SI unit.
    pub resolution: Option<f64>,
    /// Accuracy, as a ratio.
    pub accuracy: Option<f64>,
    /// Test frequency, Hz.
    pub test_hz: Option<f64>,
    /// When its calibration is due.
    pub due: Option<Date>,
    /// Whether a simulated bench stands in for it.
    pub simulated: bool,
}

/// An instrument to keep.
#[derive(Clone, Debug)]
pub struct NewInstrument<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// What it does.
    pub kind: InstrumentKind,
    /// What it is called.
    pub name: &'a str,
    /// Host and port.
    pub address: &'a str,
    /// Smallest step, SI.
    pub resolution: Option<f64>,
    /// Accuracy, as a ratio.
    pub accuracy: Option<f64>,
    /// Test frequency, Hz.
    pub test_hz: Option<f64>,
    /// When its calibration is due.
    pub due: Option<Date>,
    /// Whether a simulated bench stands in for it.
    pub simulated: bool,
}

impl Store {
    /// Moves every simulated instrument, of all workshops, to where the simulated bench now listens.
    pub async fn readdress_simulated(&self, address: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE instruments SET address = ? WHERE simulated")
            .bind(address)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}

impl WorkshopStore {
    /// Keeps an instrument; the same key again keeps nothing more.
    pub async fn add_instrument(&self, new: &NewInstrument<'_>) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let done = sqlx::query(
            "INSERT INTO instruments (workshop_id, client_key, kind, name, address, resolution, accuracy, test_hz, \
             due, simulated) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(new.key.as_str())
        .bind(Stored(new.kind))
        .bind(new.name)
        .bind(new.address)
        .bind(new.resolution)
        .bind(new.accuracy)
        .bind(new.test_hz)
        .bind(new.due)
        .bind(new.simulated)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(_) => Ok(()),
            Err(StoreError::Taken(index)) if index == "instruments_client_key" => Ok(()),
            Err(error) => Err(error),
        }
    }

    /// All instruments in use, by kind and name.
    pub async fn instruments(&self) -> Result<Vec<Instrument>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT id, kind, name, address, resolution, accuracy, test_hz, due, simulated FROM instruments \
             WHERE workshop_id = ? AND retired_at IS NULL ORDER BY kind, name",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Takes an instrument out of use; what it read stays with its name.
    pub async fn retire_instrument(&self, id: InstrumentId) -> Result<(), StoreError> {
        let workshop = self.workshop;
        sqlx::query(
            "UPDATE instruments SET retired_at = CURRENT_TIMESTAMP(6) WHERE workshop_id = ? AND id = ?",
        )
        .bind(workshop)
        .bind(id)
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
