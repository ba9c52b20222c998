//! Designs and their immutable revisions.

use crate::audit::AuditAction;
use crate::list::push_in;
use crate::submission::added_once;
use crate::unreadable::RecordKind;
use crate::{CalibrationId, ClientKey, DesignId, PersonId, RevisionId, StoreError, Stored, WorkshopStore};
use coil::design::Design;
use coil::design::Format;
use coil::prediction::Prediction;
use serde::Serialize;
use sqlx::{FromRow, MySql, MySqlConnection, QueryBuilder};
use time::PrimitiveDateTime;

/// A revision with its document.
#[derive(Clone, Debug)]
pub struct Revision {
    /// What lists need.
    pub row: RevisionRow,
    /// The whole document.
    pub design: Design,
}

/// A revision as lists need it.
#[derive(Clone, Debug, FromRow)]
pub struct RevisionRow {
    /// Number in the database.
    pub id: RevisionId,
    /// Its design.
    pub design_id: DesignId,
    /// Number within the design, from 1.
    pub number: u32,
    /// The revision it was made from.
    pub parent_id: Option<RevisionId>,
    /// Why it was made.
    pub note: String,
    /// What it is called among its siblings; empty for none.
    pub label: String,
    /// The design's name at that revision.
    pub name: String,
    /// The format of the pickup.
    pub kind: Stored<Format>,
    /// Gauge.
    pub gauge: String,
    /// Turns.
    pub turns: u32,
    /// Predicted resistance at 20 °C, Ω.
    pub resistance_20c_ohm: Option<f64>,
    /// Predicted inductance, H.
    pub inductance_h: Option<f64>,
    /// Predicted loaded peak, Hz.
    pub peak_hz: Option<f64>,
    /// Who made it.
    pub author: String,
    /// When, UTC.
    pub created_at: PrimitiveDateTime,
    /// How many runs were started from it.
    pub runs: i64,
    /// When its design was put away.
    pub archived_at: Option<PrimitiveDateTime>,
    /// Tags of its design, separated by commas.
    pub tags: String,
    /// Whether it was made to be compared only: it is never the newest of its design.
    pub is_variant: bool,
    /// The engine and calibration that its listed figures are of; empty for those of its saving.
    pub figures_of: String,
    /// The calibration that its design uses now; `None` for the uncalibrated model.
    pub calibration_id: Option<CalibrationId>,
}

/// Figures of a revision, as lists show them.
#[derive(Clone, Debug, Serialize)]
pub struct ListedFigures {
    /// The revision.
    pub id: RevisionId,
    /// The engine and calibration that they are of.
    pub figures_of: String,
    /// Resistance at 20 °C, Ω.
    pub resistance_20c_ohm: Option<f64>,
    /// Inductance, H.
    pub inductance_h: Option<f64>,
    /// Loaded peak, Hz.
    pub peak_hz: Option<f64>,
}

/// Which designs a list shows.
#[derive(Clone, Debug, Default)]
pub struct DesignFilter {
    /// Part of the name.
    pub search: String,
    /// With this tag; all when empty.
    pub tag: String,
    /// Of this format; all without.
    pub kind: Option<Format>,
    /// Those that were put away, instead of the others.
    pub archived: bool,
    /// How they are ordered.
    pub order: DesignOrder,
}

/// A revision to save.
#[derive(Clone, Debug)]
pub struct NewRevision<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// The revision it was made from; `None` begins a new design.
    pub parent: Option<RevisionId>,
    /// Why.
    pub note: &'a str,
    /// The document.
    pub design: &'a Design,
    /// What it is predicted to be, if it can be predicted.
    pub prediction: Option<&'a Prediction>,
    /// The newest number of its design that was seen: a newer one refuses it. `None` does not ask.
    pub newest_seen: Option<u32>,
    /// Whether it is made to be compared only: it is never the newest of its design.
    pub is_variant: bool,
}

/// How a list of designs is ordered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DesignOrder {
    /// Newest revision first.
    #[default]
    Newest,
    /// By name.
    Name,
    /// By predicted resistance, highest first.
    Resistance,
    /// By predicted inductance, highest first.
    Inductance,
}

/// What is made by a revision.
#[derive(Clone, Debug)]
pub struct NamedDesign {
    /// The revision.
    pub revision: RevisionId,
    /// The design's name.
    pub name: String,
    /// Its turns, as its row counts them.
    pub turns: u32,
    /// The design.
    pub design: Design,
}

/// A revision as lists need it, with its document.
#[derive(FromRow)]
struct WholeRow {
    #[sqlx(flatten)]
    row: RevisionRow,
    document: String,
}

macro_rules! revision_columns {
    ($rest:literal) => {
        revision_columns!("", $rest)
    };
    ($more:literal, $rest:literal) => {
        concat!(
            "SELECT r.id, r.design_id, r.number, r.parent_id, r.note, r.label, r.name, r.kind, r.gauge, r.turns, \
             r.resistance_20c_ohm, r.inductance_h, r.peak_hz, p.name AS author, r.created_at, \
             (SELECT COUNT(*) FROM runs WHERE runs.revision_id = r.id) AS runs, d.archived_at, \
             COALESCE((SELECT GROUP_CONCAT(t.tag ORDER BY t.tag SEPARATOR ',') FROM design_tags t \
               WHERE t.design_id = r.design_id), '') AS tags, r.is_variant, r.figures_of, \
             IF(NOT w.calibration_enabled OR d.calibration_policy = 'off', NULL, IF(d.calibration_policy = 'frozen', d.calibration_id, \
               (SELECT c.id FROM calibrations c WHERE c.workshop_id = w.id ORDER BY c.number DESC LIMIT 1))) AS calibration_id",
            $more,
            " FROM revisions r JOIN people p ON p.id = r.created_by JOIN designs d ON d.id = r.design_id \
             JOIN workshops w ON w.id = r.workshop_id ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The last revisions of every design that is not archived, up to `most` of each, newest design first.
    pub async fn recent_revisions(&self, most: u32) -> Result<Vec<RevisionRow>, StoreError> {
        Ok(sqlx::query_as(revision_columns!(
            "WHERE r.workshop_id = ? AND d.archived_at IS NULL AND \
             (SELECT COUNT(*) FROM revisions n WHERE n.design_id = r.design_id AND n.number > r.number) < ? \
             ORDER BY r.design_id DESC, r.number DESC LIMIT 1000"
        ))
        .bind(self.workshop)
        .bind(most)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The designs of some revisions, in no order, without those that are not there.
    pub async fn documents(&self, ids: &[RevisionId]) -> Result<Vec<(RevisionId, Design)>, StoreError> {
        Ok(self.designs_of(ids).await?.into_iter().map(|found| (found.revision, found.design)).collect())
    }

    /// Saves a revision: the first of a new design, or the next of the design its parent belongs to. The
    /// same key again returns the revision saved before.
    pub async fn save_revision(
        &self,
        author: PersonId,
        new: &NewRevision<'_>,
    ) -> Result<RevisionId, StoreError> {
        if let Some(saved) = self.revision_by_key(&new.key).await? {
            return Ok(saved);
        }
        let mut tx = self.pool.begin().await?;
        match self.save_revision_in(&mut tx, author, new).await? {
            Some(id) => {
                tx.commit().await?;
                Ok(id)
            }
            None => {
                tx.rollback().await?;
                Ok(RevisionId(self.known_number("revisions", &new.key).await?))
            }
        }
    }

    /// As [`Self::save_revision`], within a transaction; `None` where the key saved it before.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] for a design whose document could not be read again.
    pub(crate) async fn save_revision_in(
        &self,
        tx: &mut MySqlConnection,
        author: PersonId,
        new: &NewRevision<'_>,
    ) -> Result<Option<RevisionId>, StoreError> {
        let workshop = self.workshop;
        let document = serde_json::to_string(new.design)
            .map_err(|error| StoreError::Unreadable { what: "design", detail: error.to_string() })?;
        self.documents.design(&document)?;
        let design = match new.parent {
            None => {
                let made = sqlx::query("INSERT INTO designs (workshop_id, created_by) VALUES (?, ?)")
                    .bind(workshop)
                    .bind(author)
                    .execute(&mut *tx)
                    .await?;
                DesignId(made.last_insert_id())
            }
            Some(parent) => {
                // Locked, so that two people saving at once get two numbers.
                let found: Option<u64> = sqlx::query_scalar(
                    "SELECT d.id FROM designs d JOIN revisions r ON r.design_id = d.id \
                     WHERE r.id = ? AND r.workshop_id = ? FOR UPDATE",
                )
                .bind(parent)
                .bind(workshop)
                .fetch_optional(&mut *tx)
                .await?;
                DesignId(found.ok_or(StoreError::Missing("revision"))?)
            }
        };
        let last: Option<u32> = sqlx::query_scalar("SELECT MAX(number) FROM revisions WHERE design_id = ?")
            .bind(design)
            .fetch_one(&mut *tx)
            .await?;
        // Under the design's lock, so that of several who save at once from one state one does.
        let newest: Option<u32> =
            sqlx::query_scalar("SELECT MAX(number) FROM revisions WHERE design_id = ? AND NOT is_variant")
                .bind(design)
                .fetch_one(&mut *tx)
                .await?;
        if new.newest_seen.is_some_and(|seen| newest.unwrap_or(0) > seen) {
            return Err(StoreError::Changed("design"));
        }
        let coil = new.design.coils.first();
        let pickup = new.prediction.map(|p| &p.pickup);
        let done = sqlx::query(
            "INSERT INTO revisions (workshop_id, design_id, number, parent_id, client_key, note, name, kind, gauge, \
             turns, resistance_20c_ohm, inductance_h, peak_hz, document, created_by, is_variant) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(design)
        .bind(last.unwrap_or(0) + 1)
        .bind(new.parent)
        .bind(new.key.as_str())
        .bind(new.note)
        .bind(&new.design.name)
        .bind(Stored(new.design.kind))
        .bind(coil.map_or_else(String::new, |c| c.wire.gauge.to_string()))
        .bind(coil.map_or(0, |c| c.wind.turns))
        .bind(pickup.map(|p| p.resistance_20c_ohm.nominal))
        .bind(pickup.map(|p| p.inductance_h.nominal))
        .bind(pickup.and_then(|p| p.peak_hz).map(|q| q.nominal))
        .bind(document)
        .bind(author)
        .bind(new.is_variant)
        .execute(&mut *tx)
        .await;
        Ok(added_once("revisions", done)?.map(|done| RevisionId(done.last_insert_id())))
    }

    /// The revision that a submission saved; `None` where it saved none yet.
    pub async fn revision_by_key(&self, key: &ClientKey) -> Result<Option<RevisionId>, StoreError> {
        Ok(self.number_by_key("revisions", key).await?.map(RevisionId))
    }

    /// One revision with its document.
    pub async fn revision(&self, id: RevisionId) -> Result<Revision, StoreError> {
        let found: Option<WholeRow> =
            sqlx::query_as(revision_columns!(", r.document", "WHERE r.workshop_id = ? AND r.id = ?"))
                .bind(self.workshop)
                .bind(id)
                .fetch_optional(&self.pool)
                .await?;
        let WholeRow { row, document } = found.ok_or(StoreError::Missing("revision"))?;
        let design = self.noted(RecordKind::Revision, id.0, &row.name, self.documents.design(&document))?;
        Ok(Revision { row, design })
    }

    /// Names, turns and designs of revisions, in no order, without those that are not there or cannot be read.
    pub async fn designs_of(&self, revisions: &[RevisionId]) -> Result<Vec<NamedDesign>, StoreError> {
        let mut all = Vec::with_capacity(revisions.len());
        for some in revisions.chunks(500) {
            let mut query: QueryBuilder<MySql> =
                QueryBuilder::new("SELECT id, name, turns, document FROM revisions WHERE workshop_id = ");
            query.push_bind(self.workshop).push(" AND ");
            push_in(&mut query, "id", some.iter().copied());
            let rows: Vec<(RevisionId, String, u32, String)> =
                query.build_query_as().fetch_all(&self.pool).await?;
            for (revision, name, turns, document) in rows {
                let read = self.documents.design(&document);
                if let Some(design) = self.readable(RecordKind::Revision, revision.0, &name, read)? {
                    all.push(NamedDesign { revision, name, turns, design });
                }
            }
        }
        Ok(all)
    }

    /// All revisions of a design, newest first.
    pub async fn revisions(&self, design: DesignId) -> Result<Vec<RevisionRow>, StoreError> {
        let workshop = self.workshop;
        let found: Vec<RevisionRow> = sqlx::query_as(revision_columns!(
            "WHERE r.workshop_id = ? AND r.design_id = ? ORDER BY r.number DESC"
        ))
        .bind(workshop)
        .bind(design)
        .fetch_all(&self.pool)
        .await?;
        if found.is_empty() { Err(StoreError::Missing("design")) } else { Ok(found) }
    }

    /// The newest revision of every design that the filter lets through.
    pub async fn designs(&self, filter: &DesignFilter) -> Result<Vec<RevisionRow>, StoreError> {
        let workshop = self.workshop;
        let mut found: Vec<RevisionRow> = sqlx::query_as(revision_columns!(
            "JOIN (SELECT design_id, MAX(number) AS number FROM revisions WHERE workshop_id = ? AND NOT is_variant \
               GROUP BY design_id) \
             newest ON newest.design_id = r.design_id AND newest.number = r.number \
             WHERE r.workshop_id = ? AND LOCATE(?, r.name) > 0 AND (? IS NULL OR r.kind = ?) \
             AND (d.archived_at IS NOT NULL) = ? AND (? = '' OR EXISTS \
               (SELECT 1 FROM design_tags t WHERE t.design_id = r.design_id AND t.tag = ?)) \
             ORDER BY r.created_at DESC, r.id DESC LIMIT 500"
        ))
        .bind(workshop)
        .bind(workshop)
        .bind(&filter.search)
        .bind(filter.kind.map(Stored))
        .bind(filter.kind.map(Stored))
        .bind(filter.archived)
        .bind(&filter.tag)
        .bind(&filter.tag)
        .fetch_all(&self.pool)
        .await?;
        let order = filter.order;
        let falling = |a: Option<f64>, b: Option<f64>| b.unwrap_or(0.0).total_cmp(&a.unwrap_or(0.0));
        match order {
            DesignOrder::Newest => {}
            DesignOrder::Name => found.sort_by_key(|row| row.name.to_lowercase()),
            DesignOrder::Resistance => {
                found.sort_by(|a, b| falling(a.resistance_20c_ohm, b.resistance_20c_ohm));
            }
            DesignOrder::Inductance => found.sort_by(|a, b| falling(a.inductance_h, b.inductance_h)),
        }
        Ok(found)
    }

    /// Keeps figures that lists show; nothing else of a revision ever changes.
    pub async fn keep_listed_figures(&self, all: &[ListedFigures]) -> Result<(), StoreError> {
        let text = serde_json::to_string(all)
            .map_err(|error| StoreError::Unreadable { what: "figures", detail: error.to_string() })?;
        sqlx::query(
            "UPDATE revisions r JOIN JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$.id', \
             figures_of VARCHAR(40) PATH '$.figures_of', ohm DOUBLE PATH '$.resistance_20c_ohm', \
             henry DOUBLE PATH '$.inductance_h', hz DOUBLE PATH '$.peak_hz')) f ON f.id = r.id \
             SET r.figures_of = f.figures_of, r.resistance_20c_ohm = f.ohm, r.inductance_h = f.henry, r.peak_hz = f.hz \
             WHERE r.workshop_id = ?",
        )
        .bind(text)
        .bind(self.workshop)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Saves what a revision is called, gives its design these tags in place of those it had, and archives or restores it
    /// (`None` leaves that), in one piece.
    pub async fn label_design(
        &self,
        by: PersonId,
        revision: RevisionId,
        label: &str,
        tags: &[String],
        archived: Option<bool>,
    ) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT CONCAT(r.name, ' r', r.number), JSON_OBJECT('label', r.label, 'tags', \
             COALESCE((SELECT GROUP_CONCAT(t.tag ORDER BY t.tag SEPARATOR ', ') FROM design_tags t \
             WHERE t.design_id = r.design_id), ''), 'archived', d.archived_at IS NOT NULL) \
             FROM revisions r JOIN designs d ON d.id = r.design_id WHERE r.workshop_id = ? AND r.id = ? FOR UPDATE";
        let workshop = self.workshop;
        let mut change = self.begin_change(by, AuditAction::Design, ("revision", STANDS), revision.0).await?;
        let design: DesignId = sqlx::query_scalar("SELECT design_id FROM revisions WHERE id = ?")
            .bind(revision)
            .fetch_one(&mut *change.tx)
            .await?;
        sqlx::query("UPDATE revisions SET label = ? WHERE id = ?")
            .bind(label)
            .bind(revision)
            .execute(&mut *change.tx)
            .await?;
        sqlx::query("DELETE FROM design_tags WHERE design_id = ?")
            .bind(design)
            .execute(&mut *change.tx)
            .await?;
        for tag in tags {
            sqlx::query("INSERT IGNORE INTO design_tags (workshop_id, design_id, tag) VALUES (?, ?, ?)")
                .bind(workshop)
                .bind(design)
                .bind(tag)
                .execute(&mut *change.tx)
                .await?;
        }
        if let Some(archived) = archived {
            sqlx::query(
                "UPDATE designs SET archived_at = IF(?, COALESCE(archived_at, CURRENT_TIMESTAMP(6)), NULL) WHERE id = ?",
            )
            .bind(archived)
            .bind(design)
            .execute(&mut *change.tx)
            .await?;
        }
        change.write().await
    }

    /// All tags of a workshop, by name.
    pub async fn tags(&self) -> Result<Vec<String>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_scalar("SELECT DISTINCT tag FROM design_tags WHERE workshop_id = ? ORDER BY tag")
            .bind(workshop)
            .fetch_all(&self.pool)
            .await?)
    }
}
