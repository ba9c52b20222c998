//! Sets of pickups: documents that name revisions, and the runs wound for them.

use crate::audit::AuditAction;
use crate::design::NewRevision;
use crate::list::push_in;
use crate::submission::added_once;
use crate::{ClientKey, PersonId, PickupSetId, RevisionId, RunId, StoreError, WorkshopId, WorkshopStore};
use sqlx::mysql::MySqlQueryResult;
use sqlx::{FromRow, MySql, MySqlConnection, QueryBuilder};
use time::PrimitiveDateTime;

/// A set of pickups.
#[derive(Clone, Debug, FromRow)]
pub struct PickupSetRow {
    /// The set.
    pub id: PickupSetId,
    /// Its name.
    pub name: String,
    /// Its document, with the revisions of its pickups in place of their designs.
    pub document: String,
    /// The most serious thing that its maker should know, in words, as it was when it was saved; empty for none.
    pub trouble: String,
    /// How often it was changed, from 1.
    pub version: u32,
    /// Who made it.
    pub by: String,
    /// When it was changed last, UTC.
    pub changed_at: PrimitiveDateTime,
    /// When it was archived, UTC.
    pub archived_at: Option<PrimitiveDateTime>,
    /// Its document before the last change that the program made for its maker; none after a change by hand.
    pub document_before: Option<String>,
    /// That change, in words.
    pub change_made: String,
}

/// A change of a set that the program made for its maker, who can take it back.
#[derive(Clone, Copy, Debug)]
pub struct UndoableChange<'a> {
    /// The document before it.
    pub document_before: &'a str,
    /// The change, in words.
    pub made: &'a str,
}

/// A run that was wound for a pickup of a set.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct PickupSetRun {
    /// The run.
    pub run_id: RunId,
    /// The pickup's name in the set.
    pub pickup: String,
    /// The revision that it winds.
    pub revision_id: RevisionId,
    /// Its number.
    pub number: u32,
    /// Whether it was voided.
    pub is_voided: bool,
    /// Whether it is closed.
    pub is_closed: bool,
}

/// How a set stands, for the audit trail.
const STANDS: &str = "SELECT s.name, JSON_OBJECT('set', s.document, 'archived', s.archived_at IS NOT NULL) FROM pickup_sets s \
     WHERE s.workshop_id = ? AND s.id = ? FOR UPDATE";

/// The set that a run is wound for.
const RUN_OF_SET: &str = "SELECT CONCAT('run ', u.number), JSON_OBJECT('set', s.name, 'pickup', r.pickup) FROM runs u \
     LEFT JOIN pickup_set_runs r ON r.run_id = u.id LEFT JOIN pickup_sets s ON s.id = r.pickup_set_id \
     WHERE u.workshop_id = ? AND u.id = ? FOR UPDATE";

macro_rules! set_columns {
    ($rest:literal) => {
        concat!(
            "SELECT s.id, s.name, s.document, s.trouble, s.version, p.name AS `by`, s.changed_at, s.archived_at, \
             s.document_before, s.change_made FROM pickup_sets s \
             JOIN people p ON p.id = s.made_by ",
            $rest
        )
    };
}

async fn insert(
    connection: &mut MySqlConnection,
    (workshop, by): (WorkshopId, PersonId),
    key: &ClientKey,
    (name, document, trouble): (&str, &str, &str),
) -> Result<MySqlQueryResult, sqlx::Error> {
    sqlx::query(
        "INSERT INTO pickup_sets (workshop_id, client_key, name, document, trouble, made_by) VALUES (?, ?, ?, ?, ?, ?)",
    )
    .bind(workshop)
    .bind(key.as_str())
    .bind(name)
    .bind(document)
    .bind(trouble)
    .bind(by)
    .execute(connection)
    .await
}

impl WorkshopStore {
    /// The sets that are not archived, or those that are; the one changed last first, up to 500.
    pub async fn pickup_sets(&self, is_archived: bool) -> Result<Vec<PickupSetRow>, StoreError> {
        Ok(sqlx::query_as(set_columns!(
            "WHERE s.workshop_id = ? AND (s.archived_at IS NOT NULL) = ? ORDER BY s.changed_at DESC, s.id DESC LIMIT 500"
        ))
        .bind(self.workshop)
        .bind(is_archived)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One set.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn pickup_set(&self, id: PickupSetId) -> Result<PickupSetRow, StoreError> {
        sqlx::query_as(set_columns!("WHERE s.workshop_id = ? AND s.id = ?"))
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("set"))
    }

    /// Some sets, in no order, without those that are not there.
    pub async fn pickup_sets_of(&self, ids: &[PickupSetId]) -> Result<Vec<PickupSetRow>, StoreError> {
        if ids.is_empty() {
            return Ok(Vec::new());
        }
        let mut query: QueryBuilder<MySql> = QueryBuilder::new(set_columns!("WHERE s.workshop_id = "));
        query.push_bind(self.workshop).push(" AND ");
        push_in(&mut query, "s.id", ids.iter().copied());
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }

    /// Adds a set; the same key again adds nothing more.
    pub async fn add_pickup_set(
        &self,
        by: PersonId,
        key: &ClientKey,
        (name, document, trouble): (&str, &str, &str),
    ) -> Result<PickupSetId, StoreError> {
        let facts = (name, document, trouble);
        let added = insert(&mut *self.pool.acquire().await?, (self.workshop, by), key, facts).await;
        Ok(PickupSetId(self.number_added("pickup_sets", key, added).await?))
    }

    /// Adds a set with the revisions of its own, all or nothing; `document` is made of their numbers. The same key again adds
    /// nothing more.
    pub async fn import_pickup_set(
        &self,
        by: PersonId,
        key: &ClientKey,
        (name, trouble): (&str, &str),
        revisions: &[NewRevision<'_>],
        document: impl FnOnce(&[RevisionId]) -> Result<String, serde_json::Error>,
    ) -> Result<PickupSetId, StoreError> {
        if let Some(known) = self.number_by_key("pickup_sets", key).await? {
            return Ok(PickupSetId(known));
        }
        let mut tx = self.pool.begin().await?;
        let mut ids = Vec::with_capacity(revisions.len());
        for new in revisions {
            let Some(id) = self.save_revision_in(&mut tx, by, new).await? else {
                tx.rollback().await?;
                return Ok(PickupSetId(self.known_number("pickup_sets", key).await?));
            };
            ids.push(id);
        }
        let document = document(&ids)
            .map_err(|error| StoreError::Unreadable { what: "set", detail: error.to_string() })?;
        let added = insert(&mut tx, (self.workshop, by), key, (name, &document, trouble)).await;
        let Some(added) = added_once("pickup_sets", added)? else {
            tx.rollback().await?;
            return Ok(PickupSetId(self.known_number("pickup_sets", key).await?));
        };
        tx.commit().await?;
        Ok(PickupSetId(added.last_insert_id()))
    }

    /// Changes a set that is still as it was at `version`; a change that can be undone is kept until the next one.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when somebody else changed it meanwhile.
    pub async fn change_pickup_set(
        &self,
        by: PersonId,
        (id, version): (PickupSetId, u32),
        (name, document, trouble): (&str, &str, &str),
        undoable: Option<UndoableChange<'_>>,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::PickupSet, ("set", STANDS), id.0).await?;
        let done = sqlx::query(
            "UPDATE pickup_sets SET name = ?, document = ?, trouble = ?, document_before = ?, change_made = ?, \
             version = version + 1, changed_at = UTC_TIMESTAMP(6) \
             WHERE workshop_id = ? AND id = ? AND version = ?",
        )
        .bind(name)
        .bind(document)
        .bind(trouble)
        .bind(undoable.map(|u| u.document_before))
        .bind(undoable.map_or("", |u| u.made))
        .bind(self.workshop)
        .bind(id)
        .bind(version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("set"));
        }
        change.write().await
    }

    /// Archives a set, or restores it.
    pub async fn archive_pickup_set(
        &self,
        by: PersonId,
        id: PickupSetId,
        is_archived: bool,
    ) -> Result<(), StoreError> {
        let change = self.begin_change(by, AuditAction::PickupSet, ("set", STANDS), id.0).await?;
        change.archive("pickup_sets", is_archived).await
    }

    /// Notes that a run is wound for a pickup of a set, in place of what was noted of it before.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such run or set.
    pub async fn assign_run_to_set(
        &self,
        by: PersonId,
        run: RunId,
        set: PickupSetId,
        pickup: &str,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::PickupSet, ("run", RUN_OF_SET), run.0).await?;
        let done = sqlx::query(
            "INSERT INTO pickup_set_runs (run_id, workshop_id, pickup_set_id, pickup) SELECT u.id, u.workshop_id, s.id, ? \
             FROM runs u JOIN pickup_sets s ON s.workshop_id = u.workshop_id WHERE u.workshop_id = ? AND u.id = ? AND s.id = ? \
             ON DUPLICATE KEY UPDATE pickup_set_id = VALUES(pickup_set_id), pickup = VALUES(pickup)",
        )
        .bind(pickup)
        .bind(self.workshop)
        .bind(run)
        .bind(set)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 && self.set_of_run(run).await?.is_none() {
            return Err(StoreError::Missing("run"));
        }
        change.write().await
    }

    /// Takes a run out of its set.
    pub async fn release_run_from_set(&self, by: PersonId, run: RunId) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::PickupSet, ("run", RUN_OF_SET), run.0).await?;
        sqlx::query("DELETE FROM pickup_set_runs WHERE workshop_id = ? AND run_id = ?")
            .bind(self.workshop)
            .bind(run)
            .execute(&mut *change.tx)
            .await?;
        change.write().await
    }

    /// The set that a run is wound for, its name, and the pickup's name in it.
    pub async fn set_of_run(&self, run: RunId) -> Result<Option<(PickupSetId, String, String)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT s.id, s.name, r.pickup FROM pickup_set_runs r JOIN pickup_sets s ON s.id = r.pickup_set_id \
             WHERE r.workshop_id = ? AND r.run_id = ?",
        )
        .bind(self.workshop)
        .bind(run)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The runs that are in some set of pickups.
    pub async fn runs_in_sets(&self) -> Result<Vec<RunId>, StoreError> {
        Ok(sqlx::query_scalar("SELECT run_id FROM pickup_set_runs WHERE workshop_id = ?")
            .bind(self.workshop)
            .fetch_all(&self.pool)
            .await?)
    }

    /// The runs that were wound for a set, newest first.
    pub async fn runs_of_set(&self, set: PickupSetId) -> Result<Vec<PickupSetRun>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT r.run_id, r.pickup, u.revision_id, u.number, u.voided_at IS NOT NULL AS is_voided, \
             u.closed_at IS NOT NULL AS is_closed FROM pickup_set_runs r JOIN runs u ON u.id = r.run_id \
             WHERE r.workshop_id = ? AND r.pickup_set_id = ? ORDER BY r.run_id DESC",
        )
        .bind(self.workshop)
        .bind(set)
        .fetch_all(&self.pool)
        .await?)
    }
}
