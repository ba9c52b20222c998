//! Instruments on the bench.

use crate::audit::{AuditAction, snapshot};
use crate::submission::added_once;
use crate::{ClientKey, InstrumentId, PersonId, RunId, Store, StoreError, Stored, WorkshopStore};
use coil::circuit::InstrumentInput;
use sqlx::FromRow;
use time::Date;
use trade::instrument::InstrumentKind;
use trade::machine::MachineProfile;

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
    /// Capacitance of its input with its lead, pF.
    pub input_pf: Option<f64>,
    /// Resistance of its input, MΩ.
    pub input_mohm: Option<f64>,
    /// Whether a simulated bench stands in for it.
    pub simulated: bool,
    /// Whether resonances are shown as this instrument shows them.
    pub shown: bool,
    /// Counts its changes.
    pub version: u32,
    /// The run that a winder's counter counts for.
    pub counts_run_id: Option<RunId>,
    /// A winder's machine profile, JSON; none for a usual one.
    pub profile: Option<String>,
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
    /// Capacitance of its input with its lead, pF.
    pub input_pf: Option<f64>,
    /// Resistance of its input, MΩ.
    pub input_mohm: Option<f64>,
    /// Whether a simulated bench stands in for it.
    pub simulated: bool,
}

impl Instrument {
    /// How files are written for a winder: its own profile, or that of a usual small machine.
    pub fn machine(&self) -> Result<MachineProfile, StoreError> {
        let Some(text) = &self.profile else { return Ok(MachineProfile::default()) };
        serde_json::from_str(text)
            .map_err(|error| StoreError::Unreadable { what: "machine profile", detail: error.to_string() })
    }

    /// Its input, where its capacitance is known; 1 MΩ where the resistance is not.
    #[must_use]
    pub fn input(&self) -> Option<InstrumentInput> {
        let resistance_ohm = self.input_mohm.unwrap_or(1.0) * 1e6;
        self.input_pf.map(|pf| InstrumentInput { capacitance_f: pf * 1e-12, resistance_ohm })
    }
}

impl Store {
    /// Moves every simulated instrument, of all workshops, to where the simulated benches now listen.
    /// Each winder has a bench of its own as long as there are as many; meters are at the first.
    pub async fn readdress_simulated(&self, addresses: &[String]) -> Result<(), StoreError> {
        let all: Vec<(u64, Stored<InstrumentKind>)> =
            sqlx::query_as("SELECT id, kind FROM instruments WHERE simulated ORDER BY id")
                .fetch_all(&self.pool)
                .await?;
        let mut winders = addresses.iter().cycle();
        for (id, kind) in all {
            let at = if kind.0 == InstrumentKind::Winder { winders.next() } else { addresses.first() };
            sqlx::query("UPDATE instruments SET address = ? WHERE id = ?")
                .bind(at)
                .bind(id)
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }
}

impl WorkshopStore {
    /// Keeps an instrument; the same key again keeps nothing more.
    pub async fn add_instrument(&self, by: PersonId, new: &NewInstrument<'_>) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO instruments (workshop_id, client_key, kind, name, address, resolution, accuracy, test_hz, \
             due, input_pf, input_mohm, simulated) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
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
        .bind(new.input_pf)
        .bind(new.input_mohm)
        .bind(new.simulated)
        .execute(&mut *tx)
        .await;
        let Some(done) = added_once("instruments", done)? else { return Ok(()) };
        let audit = self.audit(by, AuditAction::Instrument);
        audit.changed(&mut tx, INSTRUMENT, done.last_insert_id(), None).await?;
        tx.commit().await?;
        Ok(())
    }

    /// All instruments in use, by kind and name.
    pub async fn instruments(&self) -> Result<Vec<Instrument>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT id, kind, name, address, resolution, accuracy, test_hz, due, input_pf, input_mohm, simulated, \
             shown, version, counts_run_id, profile FROM instruments \
             WHERE workshop_id = ? AND retired_at IS NULL ORDER BY kind, name",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Changes an instrument of which `version` was read; its kind stays, and so does what it is simulated by.
    pub async fn change_instrument(
        &self,
        by: PersonId,
        id: InstrumentId,
        version: u32,
        new: &NewInstrument<'_>,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut change =
            self.begin_change(by, AuditAction::Instrument, ("instrument", INSTRUMENT), id.0).await?;
        let done = sqlx::query(
            "UPDATE instruments SET name = ?, address = IF(simulated, address, ?), resolution = ?, accuracy = ?, test_hz = ?, \
             due = ?, input_pf = ?, input_mohm = ?, version = version + 1 \
             WHERE workshop_id = ? AND id = ? AND version = ? AND retired_at IS NULL",
        )
        .bind(new.name)
        .bind(new.address)
        .bind(new.resolution)
        .bind(new.accuracy)
        .bind(new.test_hz)
        .bind(new.due)
        .bind(new.input_pf)
        .bind(new.input_mohm)
        .bind(workshop)
        .bind(id)
        .bind(version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("instrument"));
        }
        change.write().await
    }

    /// Keeps how files are written for a winder.
    pub async fn keep_machine(
        &self,
        by: PersonId,
        id: InstrumentId,
        machine: &MachineProfile,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let text = serde_json::to_string(machine)
            .map_err(|error| StoreError::Unreadable { what: "machine profile", detail: error.to_string() })?;
        let mut change =
            self.begin_change(by, AuditAction::Instrument, ("instrument", INSTRUMENT), id.0).await?;
        sqlx::query("UPDATE instruments SET profile = ? WHERE workshop_id = ? AND id = ?")
            .bind(text)
            .bind(workshop)
            .bind(id)
            .execute(&mut *change.tx)
            .await?;
        change.write().await
    }

    /// Shows resonances as one instrument shows them, and as no other.
    pub async fn show_resonances_by(&self, by: PersonId, id: InstrumentId) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut change =
            self.begin_change(by, AuditAction::Instrument, ("instrument", INSTRUMENT), id.0).await?;
        sqlx::query("UPDATE instruments SET shown = (id = ?) WHERE workshop_id = ?")
            .bind(id)
            .bind(workshop)
            .execute(&mut *change.tx)
            .await?;
        change.write().await
    }

    /// Lets a winder's counter count for a run from now on, where it still counts for `before`. Answers whether it did.
    pub async fn count_for(
        &self,
        id: InstrumentId,
        before: Option<RunId>,
        run: RunId,
    ) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "UPDATE instruments SET counts_run_id = ? WHERE workshop_id = ? AND id = ? AND counts_run_id <=> ?",
        )
        .bind(run)
        .bind(self.workshop)
        .bind(id)
        .bind(before)
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected() == 1)
    }

    /// The run that a winder's counter counts for.
    pub async fn counted_run(&self, id: InstrumentId) -> Result<Option<RunId>, StoreError> {
        let run: Option<Option<RunId>> =
            sqlx::query_scalar("SELECT counts_run_id FROM instruments WHERE workshop_id = ? AND id = ?")
                .bind(self.workshop)
                .bind(id)
                .fetch_optional(&self.pool)
                .await?;
        Ok(run.flatten())
    }

    /// Takes an instrument out of use; what it read stays with its name.
    pub async fn retire_instrument(&self, by: PersonId, id: InstrumentId) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut change =
            self.begin_change(by, AuditAction::Instrument, ("instrument", INSTRUMENT), id.0).await?;
        sqlx::query(
            "UPDATE instruments SET retired_at = CURRENT_TIMESTAMP(6) WHERE workshop_id = ? AND id = ?",
        )
        .bind(workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await
    }
}

/// How an instrument stands.
const INSTRUMENT: &str = "SELECT name, JSON_OBJECT('name', name, 'kind', kind, 'address', address, 'resolution', resolution, \
     'accuracy', accuracy, 'test frequency, Hz', test_hz, 'input, pF', input_pf, 'input, MΩ', input_mohm, \
     'resonances shown by it', shown, 'machine', profile, 'in use', retired_at IS NULL) \
     FROM instruments WHERE workshop_id = ? AND id = ? FOR UPDATE";
/// How an allowed network stands.
const NETWORK: &str = "SELECT network, JSON_OBJECT('network', network) FROM instrument_networks \
     WHERE workshop_id = ? AND id = ? FOR UPDATE";

impl WorkshopStore {
    /// The networks that instruments may be in, as they are written.
    pub async fn instrument_networks(&self) -> Result<Vec<(u64, String)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, network FROM instrument_networks WHERE workshop_id = ? ORDER BY network",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Allows a network; allowed already, nothing more is done.
    pub async fn allow_instrument_network(&self, by: PersonId, network: &str) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done =
            sqlx::query("INSERT INTO instrument_networks (workshop_id, network, added_by) VALUES (?, ?, ?)")
                .bind(self.workshop)
                .bind(network)
                .bind(by)
                .execute(&mut *tx)
                .await
                .map_err(StoreError::from);
        let id = match done {
            Ok(done) => done.last_insert_id(),
            Err(StoreError::Taken(_)) => return Ok(()),
            Err(error) => return Err(error),
        };
        self.audit(by, AuditAction::InstrumentNetwork).changed(&mut tx, NETWORK, id, None).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Allows a network no longer; returns whether it was allowed.
    pub async fn forbid_instrument_network(&self, by: PersonId, id: u64) -> Result<bool, StoreError> {
        let mut tx = self.pool.begin().await?;
        let Some(before) = snapshot(&mut tx, NETWORK, self.workshop, id).await? else { return Ok(false) };
        sqlx::query("DELETE FROM instrument_networks WHERE workshop_id = ? AND id = ?")
            .bind(self.workshop)
            .bind(id)
            .execute(&mut *tx)
            .await?;
        self.audit(by, AuditAction::InstrumentNetwork).changed(&mut tx, NETWORK, id, Some(before)).await?;
        tx.commit().await?;
        Ok(true)
    }
}
