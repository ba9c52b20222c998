//! What happened while a run was wound, and who signed which of its operations. Both are appended, never changed.

use crate::{ClientKey, PersonId, RunId, StoreError, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::traveller::{Signature, Traveller};
use trade::winding::{Event, WindingEventKind};

/// Something that happened, as the log shows it.
#[derive(Clone, Debug, PartialEq)]
pub struct WindingEventRow {
    /// Number in the database: later is higher.
    pub id: u64,
    /// What, and at which turn.
    pub event: Event,
    /// Words to it.
    pub words: String,
    /// Who noted it.
    pub by: String,
    /// When, UTC.
    pub at: PrimitiveDateTime,
}

#[derive(FromRow)]
struct EventRow {
    id: u64,
    what: String,
    at_turn: u32,
    words: String,
    by_name: String,
    happened_at: PrimitiveDateTime,
}

/// Something to note.
#[derive(Clone, Debug)]
pub struct NewEvent<'a> {
    /// Made by whoever notes it: the same key again notes nothing more.
    pub key: ClientKey,
    /// What, and at which turn.
    pub event: Event,
    /// Words to it.
    pub words: &'a str,
}

#[derive(FromRow)]
struct SignatureRow {
    operation: String,
    waived: String,
    by_name: String,
    signed_at: PrimitiveDateTime,
}

impl WorkshopStore {
    /// Notes what happened; the same key again notes nothing more. Answers whether it is new.
    pub async fn note_event(&self, run: RunId, by: PersonId, new: &NewEvent<'_>) -> Result<bool, StoreError> {
        let workshop = self.workshop;
        let done = sqlx::query(
            "INSERT INTO run_events (workshop_id, run_id, client_key, what, at_turn, words, by_id) \
             SELECT u.workshop_id, u.id, ?, ?, ?, ?, ? FROM runs u WHERE u.workshop_id = ? AND u.id = ?",
        )
        .bind(new.key.as_str())
        .bind(new.event.what.key())
        .bind(new.event.at_turn)
        .bind(new.words)
        .bind(by)
        .bind(workshop)
        .bind(run)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(done) if done.rows_affected() == 0 => Err(StoreError::Missing("run")),
            Ok(_) => Ok(true),
            Err(StoreError::Taken(index)) if index == "run_events_client_key" => Ok(false),
            Err(error) => Err(error),
        }
    }

    /// All that happened in a run, in order.
    pub async fn events(&self, run: RunId) -> Result<Vec<WindingEventRow>, StoreError> {
        let workshop = self.workshop;
        let rows: Vec<EventRow> = sqlx::query_as(
            "SELECT e.id, e.what, e.at_turn, e.words, p.name AS by_name, e.happened_at \
             FROM run_events e JOIN people p ON p.id = e.by_id \
             WHERE e.workshop_id = ? AND e.run_id = ? ORDER BY e.id",
        )
        .bind(workshop)
        .bind(run)
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|row| {
                let what = WindingEventKind::from_key(&row.what)
                    .ok_or(StoreError::Unreadable { what: "event", detail: row.what })?;
                Ok(WindingEventRow {
                    id: row.id,
                    event: Event { what, at_turn: row.at_turn },
                    words: row.words,
                    by: row.by_name,
                    at: row.happened_at,
                })
            })
            .collect()
    }

    /// The traveller that a run follows; `None` for a run that was started without.
    pub async fn traveller_of_run(&self, run: RunId) -> Result<Option<Traveller>, StoreError> {
        let workshop = self.workshop;
        let text: Option<Option<String>> =
            sqlx::query_scalar("SELECT traveller FROM runs WHERE workshop_id = ? AND id = ?")
                .bind(workshop)
                .bind(run)
                .fetch_optional(&self.pool)
                .await?;
        text.flatten().map(|text| parsed(&text)).transpose()
    }

    /// The workshop's own traveller for a format; `None` while it keeps the usual one.
    pub async fn traveller(&self, kind: &str) -> Result<Option<Traveller>, StoreError> {
        let workshop = self.workshop;
        let text: Option<String> =
            sqlx::query_scalar("SELECT document FROM travellers WHERE workshop_id = ? AND kind = ?")
                .bind(workshop)
                .bind(kind)
                .fetch_optional(&self.pool)
                .await?;
        text.map(|text| parsed(&text)).transpose()
    }

    /// Keeps the workshop's own traveller for a format; `None` goes back to the usual one.
    pub async fn keep_traveller(
        &self,
        by: PersonId,
        kind: &str,
        traveller: Option<&Traveller>,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let Some(traveller) = traveller else {
            sqlx::query("DELETE FROM travellers WHERE workshop_id = ? AND kind = ?")
                .bind(workshop)
                .bind(kind)
                .execute(&self.pool)
                .await?;
            return Ok(());
        };
        sqlx::query(
            "INSERT INTO travellers (workshop_id, kind, document, changed_by) VALUES (?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE document = VALUES(document), changed_by = VALUES(changed_by), \
             changed_at = CURRENT_TIMESTAMP(6)",
        )
        .bind(workshop)
        .bind(kind)
        .bind(written(traveller)?)
        .bind(by)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Signs an operation of a run. Answers whether it is new: signed twice, it is signed once.
    pub async fn sign(
        &self,
        run: RunId,
        by: PersonId,
        operation: &str,
        waived: &str,
    ) -> Result<bool, StoreError> {
        let workshop = self.workshop;
        let done = sqlx::query(
            "INSERT INTO signatures (workshop_id, run_id, operation, waived, by_id) \
             SELECT u.workshop_id, u.id, ?, ?, ? FROM runs u WHERE u.workshop_id = ? AND u.id = ?",
        )
        .bind(operation)
        .bind(waived)
        .bind(by)
        .bind(workshop)
        .bind(run)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(done) if done.rows_affected() == 0 => Err(StoreError::Missing("run")),
            Ok(_) => Ok(true),
            Err(StoreError::Taken(index)) if index == "signatures_operation" => Ok(false),
            Err(error) => Err(error),
        }
    }

    /// Who signed what in a run.
    pub async fn signatures(&self, run: RunId) -> Result<Vec<Signature>, StoreError> {
        let workshop = self.workshop;
        let rows: Vec<SignatureRow> = sqlx::query_as(
            "SELECT s.operation, s.waived, p.name AS by_name, s.signed_at \
             FROM signatures s JOIN people p ON p.id = s.by_id \
             WHERE s.workshop_id = ? AND s.run_id = ? ORDER BY s.id",
        )
        .bind(workshop)
        .bind(run)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows
            .into_iter()
            .map(|row| Signature {
                operation: row.operation,
                by: row.by_name,
                at: row.signed_at,
                waived: row.waived,
            })
            .collect())
    }
}

fn parsed(text: &str) -> Result<Traveller, StoreError> {
    serde_json::from_str(text)
        .map_err(|error| StoreError::Unreadable { what: "traveller", detail: error.to_string() })
}

pub(crate) fn written(traveller: &Traveller) -> Result<String, StoreError> {
    serde_json::to_string(traveller)
        .map_err(|error| StoreError::Unreadable { what: "traveller", detail: error.to_string() })
}
