//! Pickups that were examined: to bring them back, or because they are liked.

use crate::audit::AuditAction;
use crate::list::push_in;
use crate::{ClientKey, PersonId, RevisionId, RewindId, StoreError, Stored, WorkshopStore};
use serde::{Deserialize, Serialize};
use sqlx::{FromRow, MySql, QueryBuilder};
use time::PrimitiveDateTime;

/// Why a pickup is examined.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Purpose {
    /// It is to be brought back.
    #[default]
    Rewind,
    /// It is to be copied, or compared with.
    Model,
}

/// How far a rewind is.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum RewindState {
    /// It is being measured.
    #[default]
    Open,
    /// An explanation was chosen.
    Explained,
    /// A design was made of it.
    Designed,
    /// It is left as it is.
    Left,
}

/// An examined pickup.
#[derive(Clone, Debug, FromRow)]
pub struct RewindRow {
    /// Which.
    pub id: RewindId,
    /// What it is called.
    pub name: String,
    /// Why it is examined.
    pub purpose: Stored<Purpose>,
    /// Tags, separated by commas.
    pub tags: String,
    /// Its document.
    pub document: String,
    /// What it was, in words, as far as is known; empty before anything is.
    pub conclusion: String,
    /// How far it is.
    pub state: Stored<RewindState>,
    /// The revision that was made of it.
    pub revision_id: Option<RevisionId>,
    /// How often it was changed, from 1.
    pub version: u32,
    /// Who began it.
    pub by: String,
    /// When it was changed last, UTC.
    pub changed_at: PrimitiveDateTime,
    /// When it was archived, UTC.
    pub archived_at: Option<PrimitiveDateTime>,
}

/// What is written of a rewind.
#[derive(Clone, Copy, Debug)]
pub struct NewRewind<'a> {
    /// What it is called.
    pub name: &'a str,
    /// Why it is examined.
    pub purpose: Purpose,
    /// Tags, separated by commas.
    pub tags: &'a str,
    /// Its document.
    pub document: &'a str,
    /// What it was, in words.
    pub conclusion: &'a str,
    /// How far it is.
    pub state: RewindState,
    /// The revision that was made of it.
    pub revision_id: Option<RevisionId>,
}

/// How a rewind stands, for the audit trail.
const STANDS: &str = "SELECT r.name, JSON_OBJECT('rewind', r.document, 'state', r.state, 'archived', r.archived_at IS NOT NULL) \
     FROM rewinds r WHERE r.workshop_id = ? AND r.id = ? FOR UPDATE";

/// A rewind of which a revision's design was made.
#[derive(FromRow)]
struct RewindForRevision {
    for_revision: RevisionId,
    #[sqlx(flatten)]
    rewind: RewindRow,
}

macro_rules! rewind_columns {
    ($rest:literal) => {
        rewind_columns!("", $rest)
    };
    ($more:literal, $rest:literal) => {
        concat!(
            "SELECT r.id, r.name, r.purpose, r.tags, r.document, r.conclusion, r.state, r.revision_id, r.version, p.name AS `by`, \
             r.changed_at, r.archived_at",
            $more,
            " FROM rewinds r JOIN people p ON p.id = r.made_by ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The rewinds that are not archived, or those that are; the one changed last first, up to 500.
    pub async fn rewinds(&self, is_archived: bool) -> Result<Vec<RewindRow>, StoreError> {
        Ok(sqlx::query_as(rewind_columns!(
            "WHERE r.workshop_id = ? AND (r.archived_at IS NOT NULL) = ? ORDER BY r.changed_at DESC, r.id DESC LIMIT 500"
        ))
        .bind(self.workshop)
        .bind(is_archived)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Those for which an explanation was settled on: number and name, the one changed last first, up to 100.
    pub async fn explained_rewinds(&self) -> Result<Vec<(RewindId, String)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, name FROM rewinds WHERE workshop_id = ? AND archived_at IS NULL AND state IN ('explained', 'designed') \
             ORDER BY changed_at DESC, id DESC LIMIT 100",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One rewind.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn rewind(&self, id: RewindId) -> Result<RewindRow, StoreError> {
        sqlx::query_as(rewind_columns!("WHERE r.workshop_id = ? AND r.id = ?"))
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("rewind"))
    }

    /// The rewind that a design was made of, through any of its revisions; `None` for a design of its own.
    pub async fn rewind_of_revision(&self, revision: RevisionId) -> Result<Option<RewindRow>, StoreError> {
        Ok(sqlx::query_as(rewind_columns!(
            "JOIN revisions own ON own.id = r.revision_id JOIN revisions other ON other.design_id = own.design_id \
             WHERE r.workshop_id = ? AND other.id = ? ORDER BY r.id DESC LIMIT 1"
        ))
        .bind(self.workshop)
        .bind(revision)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// As [`Self::rewind_of_revision`] for several revisions: those that have one, with it.
    pub async fn rewinds_of_revisions(
        &self,
        revisions: &[RevisionId],
    ) -> Result<Vec<(RevisionId, RewindRow)>, StoreError> {
        if revisions.is_empty() {
            return Ok(Vec::new());
        }
        let mut query: QueryBuilder<MySql> = QueryBuilder::new(rewind_columns!(
            ", made.revision AS for_revision",
            "JOIN (SELECT other.id AS revision, MAX(r.id) AS rewind FROM rewinds r \
             JOIN revisions own ON own.id = r.revision_id JOIN revisions other ON other.design_id = own.design_id \
             WHERE r.workshop_id = "
        ));
        query.push_bind(self.workshop).push(" AND ");
        push_in(&mut query, "other.id", revisions.iter().copied());
        query.push(" GROUP BY other.id) made ON made.rewind = r.id");
        let rows: Vec<RewindForRevision> = query.build_query_as().fetch_all(&self.pool).await?;
        Ok(rows.into_iter().map(|row| (row.for_revision, row.rewind)).collect())
    }

    /// Some rewinds, in no order, without those that are not there.
    pub async fn rewinds_of(&self, ids: &[RewindId]) -> Result<Vec<RewindRow>, StoreError> {
        if ids.is_empty() {
            return Ok(Vec::new());
        }
        let mut query: QueryBuilder<MySql> = QueryBuilder::new(rewind_columns!("WHERE r.workshop_id = "));
        query.push_bind(self.workshop).push(" AND ");
        push_in(&mut query, "r.id", ids.iter().copied());
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }

    /// Adds a rewind; the same key again adds nothing more.
    pub async fn add_rewind(
        &self,
        by: PersonId,
        key: &ClientKey,
        new: &NewRewind<'_>,
    ) -> Result<RewindId, StoreError> {
        let added = sqlx::query(
            "INSERT INTO rewinds \
             (workshop_id, client_key, name, purpose, tags, document, conclusion, state, revision_id, made_by) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(key.as_str())
        .bind(new.name)
        .bind(Stored(new.purpose))
        .bind(new.tags)
        .bind(new.document)
        .bind(new.conclusion)
        .bind(Stored(new.state))
        .bind(new.revision_id)
        .bind(by)
        .execute(&self.pool)
        .await;
        Ok(RewindId(self.number_added("rewinds", key, added).await?))
    }

    /// Changes a rewind that is still as it was at `version`.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when somebody else changed it meanwhile.
    pub async fn change_rewind(
        &self,
        by: PersonId,
        (id, version): (RewindId, u32),
        new: &NewRewind<'_>,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Rewind, ("rewind", STANDS), id.0).await?;
        let done = sqlx::query(
            "UPDATE rewinds SET name = ?, purpose = ?, tags = ?, document = ?, conclusion = ?, state = ?, revision_id = ?, \
             version = version + 1, changed_at = UTC_TIMESTAMP(6) WHERE workshop_id = ? AND id = ? AND version = ?",
        )
        .bind(new.name)
        .bind(Stored(new.purpose))
        .bind(new.tags)
        .bind(new.document)
        .bind(new.conclusion)
        .bind(Stored(new.state))
        .bind(new.revision_id)
        .bind(self.workshop)
        .bind(id)
        .bind(version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("rewind"));
        }
        change.write().await
    }

    /// Archives a rewind, or restores it.
    pub async fn archive_rewind(
        &self,
        by: PersonId,
        id: RewindId,
        is_archived: bool,
    ) -> Result<(), StoreError> {
        let change = self.begin_change(by, AuditAction::Rewind, ("rewind", STANDS), id.0).await?;
        change.archive("rewinds", is_archived).await
    }
}
