//! Judgements: verdicts are appended; the run's row in the logbook and its prediction are written anew with each.

use crate::{PersonId, RunId, StoreError, Stored, WorkshopId, WorkshopStore, logbook};
use coil::prediction::PredictionSummary;
use sqlx::MySqlConnection;
use trade::judgement::Judgement;

impl WorkshopStore {
    /// Records a judgement whole or not at all: the verdict with its comparisons, the run's row in the logbook, and what
    /// the coil was expected to be. `requested_by` is the person who asked for a new judgement; `None` where readings
    /// brought it.
    pub async fn record_judgement(
        &self,
        run: RunId,
        judgement: &Judgement,
        requested_by: Option<PersonId>,
    ) -> Result<(), StoreError> {
        retry_deadlock!(async {
            let mut transaction = self.pool.begin().await?;
            record_on(&mut transaction, self.workshop, run, judgement, requested_by).await?;
            transaction.commit().await?;
            Ok(())
        })
    }

    /// What a run's coil, as wound, was expected to be when it was judged last; `None` before that, and where it cannot
    /// be predicted.
    pub async fn run_prediction(&self, run: RunId) -> Result<Option<PredictionSummary>, StoreError> {
        let document: Option<String> =
            sqlx::query_scalar("SELECT document FROM run_predictions WHERE workshop_id = ? AND run_id = ?")
                .bind(self.workshop)
                .bind(run)
                .fetch_optional(&self.pool)
                .await?;
        // One that an older program wrote and this one cannot read is computed anew.
        Ok(document.and_then(|text| serde_json::from_str(&text).ok()))
    }
}

/// Records a judgement on a connection that is inside a transaction of the caller's.
pub(crate) async fn record_on(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    judgement: &Judgement,
    requested_by: Option<PersonId>,
) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO verdicts (workshop_id, run_id, level, text, comparisons, causes, missed, engine, requested_by) \
         SELECT workshop_id, id, ?, ?, ?, ?, ?, ?, ? FROM runs WHERE id = ? AND workshop_id = ?",
    )
    .bind(Stored(judgement.verdict.level))
    .bind(&judgement.verdict.text)
    .bind(json("comparison", &judgement.comparisons)?)
    .bind(json("cause", &judgement.verdict.causes)?)
    .bind(json("missed target", &judgement.verdict.missed)?)
    .bind(coil::ENGINE)
    .bind(requested_by)
    .bind(run)
    .bind(workshop)
    .execute(&mut *connection)
    .await?;
    write_prediction_on(connection, workshop, run, judgement).await?;
    logbook::write_summary_on(connection, workshop, run, judgement).await
}

/// Keeps what a run's coil is expected to be, on a connection that is inside a transaction of the caller's.
pub(crate) async fn write_prediction_on(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    judgement: &Judgement,
) -> Result<(), StoreError> {
    let Some(prediction) = &judgement.prediction else { return Ok(()) };
    sqlx::query(
        "REPLACE INTO run_predictions (run_id, workshop_id, engine, document) \
         SELECT id, workshop_id, ?, ? FROM runs WHERE id = ? AND workshop_id = ?",
    )
    .bind(coil::ENGINE)
    .bind(json("prediction", prediction)?)
    .bind(run)
    .bind(workshop)
    .execute(&mut *connection)
    .await?;
    Ok(())
}

fn json(what: &'static str, value: &impl serde::Serialize) -> Result<String, StoreError> {
    serde_json::to_string(value).map_err(|error| StoreError::Unreadable { what, detail: error.to_string() })
}
