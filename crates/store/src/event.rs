//! What happened while a run was wound, and who signed which of its operations. Both are appended, never changed.

use crate::audit::AuditAction;
use crate::unreadable::RecordKind;
use crate::{ClientKey, InstrumentId, PersonId, RunId, StoreError, Stored, WorkshopId, WorkshopStore};
use sqlx::{FromRow, MySqlConnection};
use std::collections::{BTreeMap, HashMap};
use time::PrimitiveDateTime;
use trade::traveller::{Operation, Signature, Traveller};
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
    /// The machine that reported it, or who noted it.
    pub by: String,
    /// When, UTC.
    pub at: PrimitiveDateTime,
}

#[derive(FromRow)]
struct EventRow {
    id: u64,
    what: Stored<WindingEventKind>,
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
    /// The machine that reported it; `None` for what a person noted.
    pub instrument: Option<InstrumentId>,
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
    ///
    /// # Errors
    /// [`StoreError::SignedOff`] when every operation of the run is signed.
    pub async fn note_event(&self, run: RunId, by: PersonId, new: &NewEvent<'_>) -> Result<bool, StoreError> {
        retry_deadlock!(self.note_once(run, by, new))
    }

    async fn note_once(&self, run: RunId, by: PersonId, new: &NewEvent<'_>) -> Result<bool, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let is_signed_off = lock_run(&mut transaction, self.workshop, run).await?;
        let noted: Option<u64> =
            sqlx::query_scalar("SELECT id FROM run_events WHERE workshop_id = ? AND client_key = ?")
                .bind(self.workshop)
                .bind(new.key.as_str())
                .fetch_optional(&mut *transaction)
                .await?;
        match (noted, is_signed_off) {
            (Some(_), _) => return Ok(false),
            (None, true) => return Err(StoreError::SignedOff),
            (None, false) => {}
        }
        sqlx::query(
            "INSERT INTO run_events (workshop_id, run_id, client_key, what, at_turn, words, by_id, instrument_id) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(new.key.as_str())
        .bind(Stored(new.event.what))
        .bind(new.event.at_turn)
        .bind(new.words)
        .bind(by)
        .bind(new.instrument)
        .execute(&mut *transaction)
        .await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// All that happened in a run, in order.
    pub async fn events(&self, run: RunId) -> Result<Vec<WindingEventRow>, StoreError> {
        let workshop = self.workshop;
        let rows: Vec<EventRow> = sqlx::query_as(
            "SELECT e.id, e.what, e.at_turn, e.words, COALESCE(i.name, p.name) AS by_name, e.happened_at \
             FROM run_events e JOIN people p ON p.id = e.by_id LEFT JOIN instruments i ON i.id = e.instrument_id \
             WHERE e.workshop_id = ? AND e.run_id = ? ORDER BY e.id",
        )
        .bind(workshop)
        .bind(run)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows
            .into_iter()
            .map(|row| WindingEventRow {
                id: row.id,
                event: Event { what: row.what.0, at_turn: row.at_turn },
                words: row.words,
                by: row.by_name,
                at: row.happened_at,
            })
            .collect())
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
        match text.map(|text| parsed(&text)) {
            Some(read) => self.readable(RecordKind::Traveller, traveller_number(kind), kind, read),
            None => Ok(None),
        }
    }

    /// All travellers of the workshop's own, by the word of their format.
    pub async fn travellers(&self) -> Result<BTreeMap<String, Traveller>, StoreError> {
        let rows: Vec<(String, String)> =
            sqlx::query_as("SELECT kind, document FROM travellers WHERE workshop_id = ?")
                .bind(self.workshop)
                .fetch_all(&self.pool)
                .await?;
        // A format whose own cannot be read is worked by the usual one.
        let read = rows.into_iter().map(|(kind, text)| {
            let read = self.readable(RecordKind::Traveller, traveller_number(&kind), &kind, parsed(&text))?;
            Ok(read.map(|traveller| (kind, traveller)))
        });
        read.filter_map(Result::transpose).collect()
    }

    /// Keeps the workshop's own traveller for a format; `None` goes back to the usual one.
    pub async fn keep_traveller(
        &self,
        by: PersonId,
        kind: &str,
        traveller: Option<&Traveller>,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let stands =
            async |connection: &mut MySqlConnection| -> Result<Option<(String, String)>, StoreError> {
                Ok(sqlx::query_as(
                    "SELECT kind, document FROM travellers WHERE workshop_id = ? AND kind = ? FOR UPDATE",
                )
                .bind(workshop)
                .bind(kind)
                .fetch_optional(&mut *connection)
                .await?)
            };
        let before = stands(&mut tx).await?;
        match traveller {
            None => {
                sqlx::query("DELETE FROM travellers WHERE workshop_id = ? AND kind = ?")
                    .bind(workshop)
                    .bind(kind)
                    .execute(&mut *tx)
                    .await?;
            }
            Some(traveller) => {
                sqlx::query(
                    "INSERT INTO travellers (workshop_id, kind, document, changed_by) VALUES (?, ?, ?, ?) \
                     ON DUPLICATE KEY UPDATE document = VALUES(document), changed_by = VALUES(changed_by), \
                     changed_at = CURRENT_TIMESTAMP(6)",
                )
                .bind(workshop)
                .bind(kind)
                .bind(written(traveller)?)
                .bind(by)
                .execute(&mut *tx)
                .await?;
            }
        }
        let after = stands(&mut tx).await?;
        self.audit(by, AuditAction::Traveller).write(&mut tx, before.as_ref(), after.as_ref()).await?;
        tx.commit().await?;
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
        self.sign_at(run, by, operation, waived, None).await
    }

    /// The same at a moment of the past, for what was signed on paper; `None` is now.
    ///
    /// # Errors
    /// As [`Self::sign`].
    pub async fn sign_at(
        &self,
        run: RunId,
        by: PersonId,
        operation: &str,
        waived: &str,
        at: Option<PrimitiveDateTime>,
    ) -> Result<bool, StoreError> {
        retry_deadlock!(self.sign_once((run, by), operation, waived, at))
    }

    async fn sign_once(
        &self,
        (run, by): (RunId, PersonId),
        operation: &str,
        waived: &str,
        at: Option<PrimitiveDateTime>,
    ) -> Result<bool, StoreError> {
        let mut transaction = self.pool.begin().await?;
        lock_run(&mut transaction, self.workshop, run).await?;
        let done = sqlx::query(
            "INSERT INTO signatures (workshop_id, run_id, operation, waived, by_id, signed_at) \
             VALUES (?, ?, ?, ?, ?, COALESCE(?, UTC_TIMESTAMP(6)))",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(operation)
        .bind(waived)
        .bind(by)
        .bind(at)
        .execute(&mut *transaction)
        .await
        .map_err(StoreError::from);
        match done {
            Ok(_) => {
                sqlx::query(
                    "UPDATE operation_starts SET ended_at = UTC_TIMESTAMP(6) \
                     WHERE workshop_id = ? AND run_id = ? AND operation = ? AND ended_at IS NULL",
                )
                .bind(self.workshop)
                .bind(run)
                .bind(operation)
                .execute(&mut *transaction)
                .await?;
                if lock_run(&mut transaction, self.workshop, run).await? {
                    sqlx::query(
                        "UPDATE runs SET closed_at = UTC_TIMESTAMP(6) WHERE workshop_id = ? AND id = ?",
                    )
                    .bind(self.workshop)
                    .bind(run)
                    .execute(&mut *transaction)
                    .await?;
                }
                transaction.commit().await?;
                Ok(true)
            }
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

/// A run with operations that are not signed.
#[derive(Clone, Debug)]
pub struct UnfinishedRun {
    /// The run.
    pub id: RunId,
    /// Its number.
    pub number: u32,
    /// The design's name.
    pub design: String,
    /// Turns that are planned.
    pub turns: u32,
    /// Its operations.
    pub traveller: Traveller,
    /// Those that are done.
    pub signed: Vec<String>,
    /// When its last operation was signed, UTC.
    pub last_at: Option<PrimitiveDateTime>,
}

impl WorkshopStore {
    /// The runs that are under way, oldest first, up to 500, with what is done of each: what is signed, and of a coil whose final turns were
    /// read everything up to its winding. Runs that began a month ago and at which nobody signed anything since are left out.
    pub async fn unfinished_runs(&self) -> Result<Vec<UnfinishedRun>, StoreError> {
        type Row = (RunId, u32, String, u32, String, bool);
        let rows = sqlx::query_as(
            "SELECT u.id, u.number, r.name, u.planned_turns, u.traveller, \
             EXISTS (SELECT 1 FROM readings g WHERE g.run_id = u.id AND g.kind = 'turns') \
             FROM runs u JOIN revisions r ON r.id = u.revision_id \
             WHERE u.workshop_id = ? AND u.closed_at IS NULL AND u.voided_at IS NULL AND u.traveller IS NOT NULL \
             AND (u.created_at > UTC_TIMESTAMP() - INTERVAL 30 DAY OR EXISTS (SELECT 1 FROM signatures s WHERE s.run_id = u.id \
             AND s.signed_at > UTC_TIMESTAMP() - INTERVAL 30 DAY)) ORDER BY u.id LIMIT 500",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool);
        let signed = sqlx::query_as(
            "SELECT s.run_id, s.operation, s.signed_at FROM signatures s JOIN runs u ON u.id = s.run_id \
             WHERE s.workshop_id = ? AND u.closed_at IS NULL AND u.voided_at IS NULL ORDER BY s.id",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool);
        let (rows, signed): (Vec<Row>, Vec<(RunId, String, PrimitiveDateTime)>) =
            tokio::try_join!(rows, signed)?;
        rows.into_iter()
            .filter_map(|(id, number, design, turns, traveller, is_wound)| {
                let read = parsed(&traveller);
                let readable = self.readable(RecordKind::Run, id.0, &format!("run {number}"), read);
                Some(readable.transpose()?.map(|traveller| (id, number, design, turns, traveller, is_wound)))
            })
            .map(|found| {
                let (id, number, design, turns, traveller, is_wound) = found?;
                let own = || signed.iter().filter(|s| s.0 == id);
                let mut done: Vec<String> = own().map(|s| s.1.clone()).collect();
                if let Some(wound) = traveller.0.iter().position(|o| o.key == "wind").filter(|_| is_wound) {
                    done.extend(traveller.0[..=wound].iter().map(|o| o.key.clone()));
                }
                Ok(UnfinishedRun {
                    traveller,
                    signed: done,
                    last_at: own().map(|s| s.2).max(),
                    id,
                    number,
                    design,
                    turns,
                })
            })
            .collect()
    }

    /// The number of the last signature; `None` while nobody signed.
    pub async fn last_signature(&self) -> Result<Option<u64>, StoreError> {
        Ok(sqlx::query_scalar("SELECT MAX(id) FROM signatures WHERE workshop_id = ?")
            .bind(self.workshop)
            .fetch_one(&self.pool)
            .await?)
    }

    /// How long operations took, by their keys, of the last 5,000 signatures: minutes from when they were begun to their own, and where
    /// nobody noted when, from the signature before in the same run.
    pub async fn operation_minutes(&self) -> Result<Vec<(String, f64)>, StoreError> {
        let signed: Vec<(RunId, String, PrimitiveDateTime)> = sqlx::query_as(
            "SELECT run_id, operation, signed_at FROM (SELECT id, run_id, operation, signed_at FROM signatures WHERE workshop_id = ? \
             ORDER BY id DESC LIMIT 5000) s ORDER BY run_id, id",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?;
        let begun: Vec<(RunId, String, PrimitiveDateTime)> = sqlx::query_as(
            "SELECT run_id, operation, started_at FROM operation_starts WHERE workshop_id = ? AND ended_at IS NOT NULL \
             ORDER BY id DESC LIMIT 5000",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?;
        let begun: HashMap<(RunId, String), PrimitiveDateTime> =
            begun.into_iter().map(|(run, operation, at)| ((run, operation), at)).collect();
        let mut all = Vec::with_capacity(signed.len());
        for (k, (run, operation, at)) in signed.iter().enumerate() {
            let before = k.checked_sub(1).map(|b| &signed[b]).filter(|b| b.0 == *run).map(|b| b.2);
            if let Some(from) = begun.get(&(*run, operation.clone())).copied().or(before) {
                all.push((operation.clone(), (*at - from).as_seconds_f64() / 60.0));
            }
        }
        Ok(all)
    }
}

/// Locks a run until the transaction ends, so that nothing is added to it while it is signed, and the other way round.
/// Answers whether nothing more is added to it: every operation of it is signed, or it was voided.
pub(crate) async fn lock_run(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
) -> Result<bool, StoreError> {
    let found: Option<(Option<String>, bool)> = sqlx::query_as(
        "SELECT traveller, voided_at IS NOT NULL FROM runs WHERE workshop_id = ? AND id = ? FOR UPDATE",
    )
    .bind(workshop)
    .bind(run)
    .fetch_optional(&mut *connection)
    .await?;
    let (traveller, is_void) = found.ok_or(StoreError::Missing("run"))?;
    if is_void {
        return Ok(true);
    }
    let Some(text) = traveller else { return Ok(false) };
    let signed: Vec<String> =
        sqlx::query_scalar("SELECT operation FROM signatures WHERE workshop_id = ? AND run_id = ?")
            .bind(workshop)
            .bind(run)
            .fetch_all(&mut *connection)
            .await?;
    let traveller = parsed(&text)?;
    let is_signed = |operation: &Operation| signed.contains(&operation.key);
    Ok(!traveller.0.is_empty() && traveller.0.iter().all(is_signed))
}

/// Travellers have no numbers: the checksum of the format's word, which SQL knows as CRC32, stands for one in the list of what
/// cannot be read.
fn traveller_number(kind: &str) -> u64 {
    crc32fast::hash(kind.as_bytes()).into()
}

fn parsed(text: &str) -> Result<Traveller, StoreError> {
    serde_json::from_str(text)
        .map_err(|error| StoreError::Unreadable { what: "traveller", detail: error.to_string() })
}

pub(crate) fn written(traveller: &Traveller) -> Result<String, StoreError> {
    serde_json::to_string(traveller)
        .map_err(|error| StoreError::Unreadable { what: "traveller", detail: error.to_string() })
}
