//! Who changed what, when, and what it was before: written in the transaction of the change itself, and never changed.
//!
//! Runs, readings, events, signatures and revisions are appended with their person and are their own trail; this is for what
//! is edited in place.

use crate::submission::added_once;
use crate::{ClientKey, PersonId, StoreError, Stored, WorkshopId, WorkshopStore};
use sqlx::mysql::MySqlQueryResult;
use sqlx::{FromRow, MySql, MySqlConnection, QueryBuilder, Transaction};
use time::{Date, PrimitiveDateTime};

/// What was changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum AuditAction {
    /// Supplier, lot, cost, station of a spool, or whether it is used up.
    Spool,
    /// Cost, supplier or order level of a part.
    Part,
    /// How many of each part a pickup takes.
    DesignParts,
    /// Label, tags or archive of a design.
    Design,
    /// An instrument was added or retired.
    Instrument,
    /// Where instruments may be.
    InstrumentNetwork,
    /// A format's traveller.
    Traveller,
    /// Whether and how predictions are calibrated.
    Calibration,
    /// A matched set was dissolved.
    Set,
    /// A set of pickups was changed or archived.
    PickupSet,
    /// A rewind was changed or archived.
    #[strum(serialize = "reference")]
    Rewind,
    /// An experiment was deleted.
    Experiment,
    /// An order was changed.
    Order,
    /// A person was invited, or their role, password, PIN or whether they may sign in.
    Person,
    /// A setting of the workshop.
    Settings,
    /// A shared station was enrolled or retired.
    Station,
    /// A photo was added, removed or put back.
    Photo,
    /// A timer was ended.
    Timer,
    /// Work on an operation was begun or laid down.
    Operation,
    /// An operation was pinned in the plan, or its pin taken off.
    Pin,
    /// Something was reported broken or somebody away, or back again.
    Outage,
    /// Somebody guessed at a PIN or a second factor.
    Guessing,
    /// A calendar feed was made or ended.
    Feed,
    /// A run that could not be read was deleted.
    Run,
    /// Somebody ended a session of theirs.
    Session,
    /// Changes of the plan were marked as seen.
    Plan,
    /// A backup was begun.
    Backup,
}

/// A change, as the trail shows it.
#[derive(Clone, Debug, FromRow)]
pub struct AuditRow {
    /// Number: later is higher.
    pub id: u64,
    /// When, UTC.
    pub at: PrimitiveDateTime,
    /// By whom.
    pub by: String,
    /// What was changed.
    pub action: Stored<AuditAction>,
    /// Which one.
    pub object: String,
    /// What it was before, JSON; absent where there was nothing.
    pub before_text: Option<String>,
    /// What it is after, JSON; absent where nothing is left.
    pub after_text: Option<String>,
}

/// Which changes are asked for.
#[derive(Clone, Debug, Default)]
pub struct AuditFilter {
    /// Of this kind.
    pub action: Option<AuditAction>,
    /// By this person.
    pub person: Option<PersonId>,
    /// Part of what was changed.
    pub words: String,
    /// From this day on, UTC.
    pub from: Option<Date>,
    /// To this day, UTC.
    pub to: Option<Date>,
}

/// How a thing stands: what it is called, and its values as JSON.
pub(crate) type Snapshot = (String, String);

/// Reads how a thing stands, and locks it until the transaction ends. `sql` selects its name and a `JSON_OBJECT` by workshop
/// and number.
pub(crate) async fn snapshot(
    connection: &mut MySqlConnection,
    sql: &'static str,
    workshop: WorkshopId,
    id: u64,
) -> Result<Option<Snapshot>, StoreError> {
    Ok(sqlx::query_as(sql).bind(workshop).bind(id).fetch_optional(&mut *connection).await?)
}

/// Who changes what in a transaction of the caller's.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Audit {
    pub(crate) workshop: WorkshopId,
    pub(crate) by: PersonId,
    pub(crate) action: AuditAction,
}

impl Audit {
    /// Writes a change down; one that changes nothing leaves no trace.
    pub(crate) async fn write(
        self,
        connection: &mut MySqlConnection,
        before: Option<&Snapshot>,
        after: Option<&Snapshot>,
    ) -> Result<(), StoreError> {
        let values = |side: Option<&Snapshot>| side.map(|(_, text)| text.clone());
        let (Some((object, _)), false) = (after.or(before), before == after) else {
            return Ok(());
        };
        sqlx::query(
            "INSERT INTO audit (workshop_id, person_id, action, object, before_text, after_text) \
             VALUES (?, ?, ?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(self.by)
        .bind(Stored(self.action))
        .bind(object.chars().take(160).collect::<String>())
        .bind(values(before))
        .bind(values(after))
        .execute(&mut *connection)
        .await?;
        Ok(())
    }

    /// Writes down what happened to something that has no row of its own.
    pub(crate) async fn note(
        self,
        connection: &mut MySqlConnection,
        object: &str,
        state: &str,
    ) -> Result<(), StoreError> {
        let after = (object.to_owned(), serde_json::json!({ "state": state }).to_string());
        self.write(connection, None, Some(&after)).await
    }

    /// As [`Self::write`], with how a thing stands now, read by the same statement as before.
    pub(crate) async fn changed(
        self,
        connection: &mut MySqlConnection,
        sql: &'static str,
        id: u64,
        before: Option<Snapshot>,
    ) -> Result<(), StoreError> {
        let after = snapshot(connection, sql, self.workshop, id).await?;
        self.write(connection, before.as_ref(), after.as_ref()).await
    }
}

/// A transaction that changes one thing, with how it stood before.
pub(crate) struct Change {
    /// The transaction.
    pub(crate) tx: Transaction<'static, MySql>,
    audit: Audit,
    sql: &'static str,
    id: u64,
    before: Snapshot,
}

impl Change {
    /// Archives the thing, which is a row of `table`, or restores it, and commits. What is archived already keeps its day.
    pub(crate) async fn archive(mut self, table: &'static str, is_archived: bool) -> Result<(), StoreError> {
        let mut query: QueryBuilder<MySql> = QueryBuilder::new("UPDATE ");
        query.push(table).push(" SET archived_at = IF(").push_bind(is_archived);
        query.push(", COALESCE(archived_at, UTC_TIMESTAMP(6)), NULL) WHERE workshop_id = ");
        query.push_bind(self.audit.workshop).push(" AND id = ").push_bind(self.id);
        query.build().execute(&mut *self.tx).await?;
        self.write().await
    }

    /// Writes down what has become of the thing, and commits.
    pub(crate) async fn write(mut self) -> Result<(), StoreError> {
        self.audit.changed(&mut self.tx, self.sql, self.id, Some(self.before)).await?;
        self.tx.commit().await?;
        Ok(())
    }
}

impl WorkshopStore {
    /// Begins to change a thing, given by what it is called and by the statement that reads how it stands (see [`snapshot`]).
    /// It is locked until the change is written.
    pub(crate) async fn begin_change(
        &self,
        by: PersonId,
        action: AuditAction,
        (what, sql): (&'static str, &'static str),
        id: u64,
    ) -> Result<Change, StoreError> {
        let mut tx = self.pool.begin().await?;
        let before = snapshot(&mut tx, sql, self.workshop, id).await?.ok_or(StoreError::Missing(what))?;
        Ok(Change { tx, audit: self.audit(by, action), sql, id, before })
    }

    /// Commits what a submission added, with its line in the trail; returns its number, also where the same key added it before.
    ///
    /// # Errors
    /// As [`added_once`].
    pub(crate) async fn commit_added(
        &self,
        mut tx: Transaction<'static, MySql>,
        audit: Audit,
        sql: &'static str,
        (table, key): (&'static str, &ClientKey),
        done: Result<MySqlQueryResult, sqlx::Error>,
    ) -> Result<u64, StoreError> {
        let Some(done) = added_once(table, done)? else {
            tx.rollback().await?;
            return self.known_number(table, key).await;
        };
        audit.changed(&mut tx, sql, done.last_insert_id(), None).await?;
        tx.commit().await?;
        Ok(done.last_insert_id())
    }

    /// Writes down that a backup was begun, which has no row of its own.
    pub async fn note_backup(&self, by: PersonId) -> Result<(), StoreError> {
        let mut connection = self.pool.acquire().await?;
        self.audit(by, AuditAction::Backup).note(&mut connection, "backup", "begun").await
    }

    /// A transaction's note of who changes what.
    pub(crate) const fn audit(&self, by: PersonId, action: AuditAction) -> Audit {
        Audit { workshop: self.workshop, by, action }
    }

    /// The changes that pass, newest first, below number `before` where one is given; up to `most`.
    pub async fn audit_trail(
        &self,
        filter: &AuditFilter,
        before: Option<u64>,
        most: u32,
    ) -> Result<Vec<AuditRow>, StoreError> {
        let mut query = QueryBuilder::new(
            // A person is kept in the trail by number: the name is the one of today.
            "SELECT a.id, a.at, p.name AS `by`, a.action, COALESCE(o.name, a.object) AS object, a.before_text, \
             a.after_text FROM audit a JOIN people p ON p.id = a.person_id \
             LEFT JOIN people o ON a.action IN ('person', 'guessing') AND o.workshop_id = a.workshop_id \
             AND a.object = CONCAT('person ', o.id) WHERE a.workshop_id = ",
        );
        query.push_bind(self.workshop);
        if let Some(action) = filter.action {
            query.push(" AND a.action = ").push_bind(Stored(action));
        }
        if let Some(person) = filter.person {
            query.push(" AND a.person_id = ").push_bind(person);
        }
        if !filter.words.is_empty() {
            query
                .push(" AND LOCATE(")
                .push_bind(filter.words.clone())
                .push(", COALESCE(o.name, a.object)) > 0");
        }
        if let Some(from) = filter.from {
            query.push(" AND a.at >= ").push_bind(from);
        }
        if let Some(to) = filter.to {
            query.push(" AND a.at < DATE_ADD(").push_bind(to).push(", INTERVAL 1 DAY)");
        }
        if let Some(before) = before {
            query.push(" AND a.id < ").push_bind(before);
        }
        query.push(" ORDER BY a.id DESC LIMIT ").push_bind(most);
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }
}
