//! Verdicts, appended whenever a run is judged anew.

use crate::{RunId, Store, StoreError, WorkshopId};
use trade::comparison::Comparison;
use trade::verdict::Verdict;

impl Store {
    /// Appends a verdict with what it was based on.
    pub async fn add_verdict(
        &self,
        workshop: WorkshopId,
        run: RunId,
        verdict: &Verdict,
        comparisons: &[Comparison],
    ) -> Result<(), StoreError> {
        let mut connection = self.pool.acquire().await?;
        add_verdict_on(&mut connection, workshop, run, verdict, comparisons).await
    }
}

/// Appends a verdict on a connection of the caller's, which may be inside a transaction.
pub(crate) async fn add_verdict_on(
    connection: &mut sqlx::MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    verdict: &Verdict,
    comparisons: &[Comparison],
) -> Result<(), StoreError> {
    let json = serde_json::to_string(comparisons)
        .map_err(|error| StoreError::Unreadable { what: "comparison", detail: error.to_string() })?;
    sqlx::query(
        "INSERT INTO verdicts (workshop_id, run_id, level, text, comparisons, engine) \
             SELECT workshop_id, id, ?, ?, ?, ? FROM runs WHERE id = ? AND workshop_id = ?",
    )
    .bind(verdict.level.key())
    .bind(&verdict.text)
    .bind(json)
    .bind(coil::ENGINE)
    .bind(run)
    .bind(workshop)
    .execute(&mut *connection)
    .await?;
    Ok(())
}
