//! Readings: appended, and corrected by newer ones that point at them.

use crate::event::lock_run;
use crate::verdict::record_on;
use crate::{
    ClientKey, InstrumentId, PersonId, ReadingId, RunId, StoreError, Stored, WorkshopId, WorkshopStore,
};
use sqlx::{FromRow, MySqlConnection};
use time::PrimitiveDateTime;
use trade::judgement::Judgement;
use trade::reading::{Kind, Reading};

/// A reading in a run's log, with who and when.
#[derive(Clone, Debug)]
pub struct ReadingRow {
    /// What was read.
    pub reading: Reading,
    /// Words that go with it.
    pub words: String,
    /// Who took it.
    pub taken_by: String,
    /// When, UTC.
    pub taken_at: PrimitiveDateTime,
    /// The instrument that made it; none where it was typed.
    pub instrument: Option<String>,
}

/// A reading to append.
#[derive(Clone, Debug)]
pub struct NewReading {
    /// What was read; its number is given by the log.
    pub kind: Kind,
    /// Over which pole.
    pub pole: Option<u32>,
    /// Value, SI.
    pub value: Option<f64>,
    /// Temperature of the coil, °C.
    pub coil_c: Option<f64>,
    /// Test frequency, Hz.
    pub test_hz: Option<f64>,
    /// Distance of the probe, mm.
    pub probe_mm: Option<f64>,
    /// Words.
    pub words: String,
    /// The reading it corrects.
    pub corrects: Option<ReadingId>,
    /// The instrument that made it.
    pub instrument: Option<InstrumentId>,
}

impl NewReading {
    /// As it will stand in the log under a number.
    #[must_use]
    pub fn numbered(&self, id: u64) -> Reading {
        Reading {
            id,
            corrects: self.corrects.map(|reading| reading.0),
            kind: self.kind,
            pole: self.pole,
            value: self.value,
            coil_c: self.coil_c,
            test_hz: self.test_hz,
            probe_mm: self.probe_mm,
            taken_at: None,
        }
    }

    /// A bare reading of a kind.
    pub fn new(kind: Kind, value: Option<f64>) -> Self {
        Self {
            kind,
            pole: None,
            value,
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            words: String::new(),
            corrects: None,
            instrument: None,
        }
    }
}

#[derive(FromRow)]
struct Row {
    id: u64,
    corrects_id: Option<u64>,
    kind: Stored<Kind>,
    pole: Option<u32>,
    value: Option<f64>,
    coil_c: Option<f64>,
    test_hz: Option<f64>,
    probe_mm: Option<f64>,
    words: String,
    taken_by: String,
    taken_at: PrimitiveDateTime,
    instrument: Option<String>,
}

impl WorkshopStore {
    /// Appends readings to a run, all or none; the same key again appends nothing.
    ///
    /// # Errors
    /// [`StoreError::SignedOff`] when every operation of the run is signed and a reading corrects none.
    pub async fn log_readings(
        &self,
        run: RunId,
        by: PersonId,
        key: &ClientKey,
        readings: &[NewReading],
        at: Option<PrimitiveDateTime>,
    ) -> Result<(), StoreError> {
        retry_deadlock!(self.log_readings_once(run, by, key, readings, at))
    }

    async fn log_readings_once(
        &self,
        run: RunId,
        by: PersonId,
        key: &ClientKey,
        readings: &[NewReading],
        at: Option<PrimitiveDateTime>,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        if is_logged(&mut tx, self.workshop, run, key, readings).await? {
            return Ok(());
        }
        append_on(&mut tx, self.workshop, run, (by, key, at), readings).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Appends readings together with the judgement that they bring, all or nothing: no reading stands without its verdict. The
    /// judgement was made when reading number `last_seen` was the newest; returns `false`, and writes nothing, when another came
    /// in between. The same key again appends nothing.
    ///
    /// # Errors
    /// As [`Self::log_readings`].
    pub async fn log_judged_readings(
        &self,
        run: RunId,
        by: PersonId,
        (key, readings): (&ClientKey, &[NewReading]),
        last_seen: Option<u64>,
        judgement: &Judgement,
    ) -> Result<bool, StoreError> {
        retry_deadlock!(async {
            let mut tx = self.pool.begin().await?;
            if is_logged(&mut tx, self.workshop, run, key, readings).await? {
                return Ok(true);
            }
            let last: Option<u64> = sqlx::query_scalar("SELECT MAX(id) FROM readings WHERE run_id = ?")
                .bind(run)
                .fetch_one(&mut *tx)
                .await?;
            if last != last_seen {
                return Ok(false);
            }
            append_on(&mut tx, self.workshop, run, (by, key, None), readings).await?;
            record_on(&mut tx, self.workshop, run, judgement, None).await?;
            tx.commit().await?;
            Ok(true)
        })
    }

    /// The log of a run, in the order of entry.
    pub async fn readings(&self, run: RunId) -> Result<Vec<ReadingRow>, StoreError> {
        let workshop = self.workshop;
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT t.id, t.corrects_id, t.kind, t.pole, t.value, t.coil_c, t.test_hz, t.probe_mm, t.words, \
             p.name AS taken_by, t.taken_at, i.name AS instrument FROM readings t JOIN people p ON p.id = t.taken_by \
             LEFT JOIN instruments i ON i.id = t.instrument_id \
             WHERE t.workshop_id = ? AND t.run_id = ? ORDER BY t.id",
        )
        .bind(workshop)
        .bind(run)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(Row::into_logged).collect())
    }
}

/// Locks a run for readings of a submission; returns whether they are in its log already.
///
/// # Errors
/// [`StoreError::SignedOff`] when every operation of the run is signed and a reading corrects none.
async fn is_logged(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    key: &ClientKey,
    readings: &[NewReading],
) -> Result<bool, StoreError> {
    let is_signed_off = lock_run(connection, workshop, run).await?;
    let logged: Option<u64> =
        sqlx::query_scalar("SELECT id FROM readings WHERE workshop_id = ? AND batch_key = ? LIMIT 1")
            .bind(workshop)
            .bind(key.as_str())
            .fetch_optional(&mut *connection)
            .await?;
    if logged.is_none() && is_signed_off && readings.iter().any(|reading| reading.corrects.is_none()) {
        return Err(StoreError::SignedOff);
    }
    Ok(logged.is_some())
}

/// Appends readings on a connection that is inside a transaction of the caller's: by whom, under which key, and when where
/// that is not now.
async fn append_on(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    (by, key, at): (PersonId, &ClientKey, Option<PrimitiveDateTime>),
    readings: &[NewReading],
) -> Result<(), StoreError> {
    for (place, reading) in (0_u32..).zip(readings) {
        if let Some(corrected) = reading.corrects {
            let found: Option<u64> =
                sqlx::query_scalar("SELECT id FROM readings WHERE id = ? AND run_id = ?")
                    .bind(corrected)
                    .bind(run)
                    .fetch_optional(&mut *connection)
                    .await?;
            found.ok_or(StoreError::Missing("reading"))?;
        }
        sqlx::query(
            "INSERT INTO readings (workshop_id, run_id, batch_key, place, corrects_id, kind, pole, value, coil_c, \
             test_hz, probe_mm, words, instrument_id, taken_by, taken_at) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, COALESCE(?, UTC_TIMESTAMP(6)))",
        )
        .bind(workshop)
        .bind(run)
        .bind(key.as_str())
        .bind(place)
        .bind(reading.corrects)
        .bind(Stored(reading.kind))
        .bind(reading.pole)
        .bind(reading.value)
        .bind(reading.coil_c)
        .bind(reading.test_hz)
        .bind(reading.probe_mm)
        .bind(&reading.words)
        .bind(reading.instrument)
        .bind(by)
        .bind(at)
        .execute(&mut *connection)
        .await?;
    }
    Ok(())
}

impl Row {
    fn into_logged(self) -> ReadingRow {
        ReadingRow {
            reading: Reading {
                id: self.id,
                corrects: self.corrects_id,
                kind: self.kind.0,
                pole: self.pole,
                value: self.value,
                coil_c: self.coil_c,
                test_hz: self.test_hz,
                probe_mm: self.probe_mm,
                taken_at: Some(self.taken_at),
            },
            words: self.words,
            taken_by: self.taken_by,
            taken_at: self.taken_at,
            instrument: self.instrument,
        }
    }
}
