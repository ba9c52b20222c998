//! Runs brought in from elsewhere, all or none.

use crate::reading::NewReading;
use crate::{ClientKey, InstrumentId, PersonId, RevisionId, RunId, SpoolId, StoreError, WorkshopStore};
use coil::design::Design;
use std::collections::BTreeSet;
use time::PrimitiveDateTime;
use trade::judgement::Judgement;

/// A run to bring in, judged already.
#[derive(Clone, Debug)]
pub struct ImportedRun {
    /// Its key: that of the run where it came from, or drawn from its line.
    pub key: ClientKey,
    /// The revision wound.
    pub revision: RevisionId,
    /// The spool.
    pub spool: Option<SpoolId>,
    /// Who wound.
    pub operator: PersonId,
    /// The winder.
    pub winder: Option<InstrumentId>,
    /// When.
    pub at: PrimitiveDateTime,
    /// Turns planned.
    pub planned_turns: u32,
    /// The document as it was wound.
    pub design: Design,
    /// Remark.
    pub remark: String,
    /// What was read.
    pub readings: Vec<NewReading>,
    /// How it was judged.
    pub judgement: Judgement,
}

impl WorkshopStore {
    /// Which of some keys are runs of this workshop already.
    pub async fn known_runs(&self, keys: &[ClientKey]) -> Result<BTreeSet<String>, StoreError> {
        let workshop = self.workshop;
        let mut known = BTreeSet::new();
        for some in keys.chunks(500) {
            let mut query =
                sqlx::QueryBuilder::<sqlx::MySql>::new("SELECT client_key FROM runs WHERE workshop_id = ");
            query.push_bind(workshop).push(" AND client_key IN (");
            let mut list = query.separated(", ");
            for key in some {
                list.push_bind(key.as_str().to_owned());
            }
            query.push(")");
            known.extend(query.build_query_scalar::<String>().fetch_all(&self.pool).await?);
        }
        Ok(known)
    }

    /// Every revision of a workshop: its design's newest name, number, and own number in the database.
    pub async fn revision_names(&self) -> Result<Vec<(String, u32, RevisionId)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT r.name, r.number, r.id FROM revisions r WHERE r.workshop_id = ? ORDER BY r.design_id, r.number",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// What tells whether a run is here already: revision, day, turns and resistance at 20 °C of all that have them.
    pub async fn runs_alike(&self) -> Result<Vec<(RevisionId, time::Date, f64, f64)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT revision_id, DATE(started_at), turns, resistance_ohm FROM logbook \
             WHERE workshop_id = ? AND turns IS NOT NULL AND resistance_ohm IS NOT NULL",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Brings runs in, all in one transaction; those whose key is known are passed over. Gives how many were new.
    pub async fn import_runs(&self, by: PersonId, runs: &[ImportedRun]) -> Result<u32, StoreError> {
        retry_deadlock!(self.import_once(by, runs))
    }

    async fn import_once(&self, by: PersonId, runs: &[ImportedRun]) -> Result<u32, StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        sqlx::query("SELECT id FROM workshops WHERE id = ? FOR UPDATE")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let last: Option<u32> = sqlx::query_scalar("SELECT MAX(number) FROM runs WHERE workshop_id = ?")
            .bind(workshop)
            .fetch_one(&mut *tx)
            .await?;
        let mut number = last.unwrap_or(0);
        let mut new = 0;
        for run in runs {
            let document = serde_json::to_string(&run.design)
                .map_err(|error| StoreError::Unreadable { what: "design", detail: error.to_string() })?;
            let done = sqlx::query(
                "INSERT INTO runs (workshop_id, number, client_key, revision_id, spool_id, operator_id, winder_id, \
                 planned_turns, stops, document, remark, created_by, created_at) \
                 VALUES (?, ?, ?, ?, ?, ?, ?, ?, '', ?, ?, ?, ?)",
            )
            .bind(workshop)
            .bind(number + 1)
            .bind(run.key.as_str())
            .bind(run.revision)
            .bind(run.spool)
            .bind(run.operator)
            .bind(run.winder)
            .bind(run.planned_turns)
            .bind(document)
            .bind(&run.remark)
            .bind(by)
            .bind(run.at)
            .execute(&mut *tx)
            .await
            .map_err(StoreError::from);
            let done = match done {
                Ok(done) => done,
                Err(StoreError::Taken(index)) if index == "runs_client_key" => continue,
                Err(error) => return Err(error),
            };
            (number, new) = (number + 1, new + 1);
            let id = RunId(done.last_insert_id());
            for (place, reading) in (0_u32..).zip(&run.readings) {
                sqlx::query(
                    "INSERT INTO readings (workshop_id, run_id, batch_key, place, kind, value, coil_c, test_hz, words, \
                     taken_by, taken_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                )
                .bind(workshop)
                .bind(id)
                .bind(run.key.as_str())
                .bind(place)
                .bind(reading.kind.key())
                .bind(reading.value)
                .bind(reading.coil_c)
                .bind(reading.test_hz)
                .bind(&reading.words)
                .bind(run.operator)
                .bind(run.at)
                .execute(&mut *tx)
                .await?;
            }
            crate::verdict::record_on(&mut tx, workshop, id, &run.judgement, None).await?;
        }
        tx.commit().await?;
        Ok(new)
    }
}
