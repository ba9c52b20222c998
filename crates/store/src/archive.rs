//! Everything in the database as of one moment, row by row, and back into an empty one.
//!
//! The tables are read from the database itself, so that a table that is added later is part of the next archive. What is only
//! of this moment stays out: sessions and open links.

use crate::{Store, StoreError, Transport};
use futures_util::TryStreamExt as _;
use serde_json::{Map, Value};
use sqlx::mysql::{MySqlArguments, MySqlPoolOptions, MySqlRow};
use sqlx::pool::PoolConnection;
use sqlx::query::Query;
use sqlx::{AssertSqlSafe, MySql, MySqlPool, Row as _};
use std::collections::BTreeSet;
use time::OffsetDateTime;
use tokio::sync::mpsc::Sender;

/// Tables that are only of this moment.
const LEFT_OUT: [&str; 4] = ["_sqlx_migrations", "sessions", "password_links", "policy_reports"];
/// Most rows of one statement.
const BATCH: usize = 200;
/// Most bytes of one statement: photos are large, and a server takes 16 MB at once.
const BATCH_BYTES: usize = 4 << 20;
/// Bytes after which lines are handed on.
const CHUNK: usize = 64 << 10;

/// How a column's values are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum ColumnKind {
    Signed,
    Unsigned,
    Real,
    /// Text, and what is written as text: dates and times.
    Text,
    /// Bytes, in hexadecimal digits.
    Bytes,
}

#[derive(Clone, Debug)]
struct Column {
    name: String,
    kind: ColumnKind,
    /// Dates and times are converted by the server, all others by their own type.
    is_moment: bool,
}

/// A table of the database as the archive sees it.
#[derive(Clone, Debug)]
pub struct FactTable {
    name: String,
    columns: Vec<Column>,
    key: Vec<String>,
}

impl FactTable {
    /// Its name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    fn select(&self) -> String {
        let column = |c: &Column| match (c.kind, c.is_moment) {
            (ColumnKind::Bytes, _) => format!("HEX(`{}`)", c.name),
            (_, true) => format!("CAST(`{}` AS CHAR)", c.name),
            _ => format!("`{}`", c.name),
        };
        let columns: Vec<String> = self.columns.iter().map(column).collect();
        let key: Vec<String> = self.key.iter().map(|name| format!("`{name}`")).collect();
        format!("SELECT {} FROM `{}` ORDER BY {}", columns.join(", "), self.name, key.join(", "))
    }

    fn line(&self, row: &MySqlRow) -> Result<Vec<u8>, StoreError> {
        let mut object = Map::new();
        for (k, column) in self.columns.iter().enumerate() {
            let value = match column.kind {
                ColumnKind::Signed => row.try_get::<Option<i64>, _>(k)?.map(Value::from),
                ColumnKind::Unsigned => row.try_get::<Option<u64>, _>(k)?.map(Value::from),
                ColumnKind::Real => row.try_get::<Option<f64>, _>(k)?.map(Value::from),
                ColumnKind::Text | ColumnKind::Bytes => row.try_get::<Option<String>, _>(k)?.map(Value::from),
            };
            object.insert(column.name.clone(), value.unwrap_or(Value::Null));
        }
        let mut line = serde_json::to_vec(&object).map_err(|error| self.unreadable(&error.to_string()))?;
        line.push(b'\n');
        Ok(line)
    }

    fn unreadable(&self, detail: &str) -> StoreError {
        StoreError::Unreadable { what: "row", detail: format!("{}: {detail}", self.name) }
    }

    /// A statement that inserts so many rows.
    fn insert(&self, rows: usize) -> String {
        let names: Vec<String> = self.columns.iter().map(|c| format!("`{}`", c.name)).collect();
        let place = |c: &Column| if c.kind == ColumnKind::Bytes { "UNHEX(?)" } else { "?" };
        let row = format!("({})", self.columns.iter().map(place).collect::<Vec<_>>().join(", "));
        let rows = vec![row; rows].join(", ");
        format!("INSERT INTO `{}` ({}) VALUES {rows}", self.name, names.join(", "))
    }

    fn bind<'q>(
        &self,
        mut query: Query<'q, MySql, MySqlArguments>,
        row: &Map<String, Value>,
    ) -> Result<Query<'q, MySql, MySqlArguments>, StoreError> {
        if row.len() != self.columns.len() {
            return Err(self.unreadable(&format!("{} values for {} columns", row.len(), self.columns.len())));
        }
        for column in &self.columns {
            let wrong = || self.unreadable(&format!("no value of its kind for {}", column.name));
            let value = row.get(&column.name).ok_or_else(wrong)?;
            query = match (column.kind, value) {
                (_, Value::Null) => query.bind(None::<String>),
                (ColumnKind::Signed, value) => query.bind(value.as_i64().ok_or_else(wrong)?),
                (ColumnKind::Unsigned, value) => query.bind(value.as_u64().ok_or_else(wrong)?),
                (ColumnKind::Real, value) => query.bind(value.as_f64().ok_or_else(wrong)?),
                (ColumnKind::Text | ColumnKind::Bytes, value) => {
                    query.bind(value.as_str().ok_or_else(wrong)?.to_owned())
                }
            };
        }
        Ok(query)
    }
}

/// The tables that an archive of a version of the database holds, by name: those that the migrations up to it leave. A newer
/// version than this program's is taken for this one.
#[must_use]
pub fn fact_tables_at(version: i64) -> BTreeSet<String> {
    let migrator = sqlx::migrate!();
    let mut all = BTreeSet::new();
    for migration in migrator.iter().filter(|migration| migration.version <= version) {
        let text = migration.sql.as_str();
        let mut words =
            text.split(|c: char| c.is_whitespace() || c == '(' || c == ';').filter(|w| !w.is_empty());
        match (words.next(), words.next()) {
            (Some("CREATE"), Some("TABLE")) => {
                let name = words.find(|word| !["IF", "NOT", "EXISTS"].contains(word));
                all.extend(name.map(str::to_owned));
            }
            (Some("RENAME"), Some("TABLE")) => {
                if let (Some(from), Some("TO"), Some(to)) = (words.next(), words.next(), words.next())
                    && all.remove(from)
                {
                    all.insert(to.to_owned());
                }
            }
            (Some("DROP"), Some("TABLE")) => {
                words.for_each(|word| {
                    all.remove(word);
                });
            }
            _ => {}
        }
    }
    all.retain(|name| !LEFT_OUT.contains(&name.as_str()));
    all
}

/// The tables that an archive holds, by name.
async fn tables(connection: &mut sqlx::MySqlConnection) -> Result<Vec<FactTable>, StoreError> {
    let names: Vec<String> = sqlx::query_scalar(
        "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() \
         AND table_type = 'BASE TABLE' ORDER BY table_name",
    )
    .fetch_all(&mut *connection)
    .await?;
    let mut all = Vec::new();
    for name in names.into_iter().filter(|name| !LEFT_OUT.contains(&name.as_str())) {
        let found: Vec<(String, String, String, String)> = sqlx::query_as(
            "SELECT column_name, data_type, column_type, column_key FROM information_schema.columns \
             WHERE table_schema = DATABASE() AND table_name = ? AND extra NOT LIKE '%GENERATED%' \
             ORDER BY ordinal_position",
        )
        .bind(&name)
        .fetch_all(&mut *connection)
        .await?;
        let mut columns = Vec::new();
        let mut key = Vec::new();
        for (column, data_type, column_type, role) in found {
            let is_moment = matches!(data_type.as_str(), "datetime" | "timestamp" | "date" | "time");
            let kind = match data_type.as_str() {
                "tinyint" | "smallint" | "mediumint" | "int" | "bigint" => {
                    if column_type.contains("unsigned") { ColumnKind::Unsigned } else { ColumnKind::Signed }
                }
                "double" => ColumnKind::Real,
                "binary" | "varbinary" | "blob" | "mediumblob" | "longblob" => ColumnKind::Bytes,
                "char" | "varchar" | "text" | "mediumtext" | "longtext" => ColumnKind::Text,
                _ if is_moment => ColumnKind::Text,
                other => {
                    let detail = format!("{name}.{column} is of type {other}, which no archive holds yet");
                    return Err(StoreError::Unreadable { what: "column", detail });
                }
            };
            if role == "PRI" {
                key.push(column.clone());
            }
            columns.push(Column { name: column, kind, is_moment });
        }
        all.push(FactTable { name, columns, key });
    }
    Ok(all)
}

/// Everything as of one moment, while others go on writing.
#[derive(Debug)]
pub struct Snapshot {
    connection: PoolConnection<MySql>,
    tables: Vec<FactTable>,
    version: i64,
    taken_at: OffsetDateTime,
}

impl Snapshot {
    /// The tables, by name.
    #[must_use]
    pub fn tables(&self) -> &[FactTable] {
        &self.tables
    }

    /// The number of the newest migration.
    #[must_use]
    pub const fn version(&self) -> i64 {
        self.version
    }

    /// Of which moment it is.
    #[must_use]
    pub const fn taken_at(&self) -> OffsetDateTime {
        self.taken_at
    }

    /// How many rows a table has.
    pub async fn count(&mut self, table: &FactTable) -> Result<u64, StoreError> {
        let count: i64 = sqlx::query_scalar(AssertSqlSafe(format!("SELECT COUNT(*) FROM `{}`", table.name)))
            .fetch_one(&mut *self.connection)
            .await?;
        Ok(count.unsigned_abs())
    }

    /// Sends the rows of a table on, a JSON object a line, in the order of its key and in pieces of bounded size. `go_on` is
    /// told how many rows each piece has. Returns whether all were sent: not when `go_on` said no, or nobody takes them.
    pub async fn rows<P: From<Lines> + Send>(
        &mut self,
        table: &FactTable,
        into: &Sender<P>,
        go_on: &mut (dyn FnMut(u64) -> bool + Send),
    ) -> Result<bool, StoreError> {
        let mut stream = sqlx::query(AssertSqlSafe(table.select())).fetch(&mut *self.connection);
        let mut piece = Lines::default();
        while let Some(row) = stream.try_next().await? {
            piece.text.extend(table.line(&row)?);
            piece.count += 1;
            if piece.text.len() >= CHUNK {
                let full = std::mem::take(&mut piece);
                if !go_on(full.count) || into.send(full.into()).await.is_err() {
                    return Ok(false);
                }
            }
        }
        Ok(piece.count == 0 || (go_on(piece.count) && into.send(piece.into()).await.is_ok()))
    }
}

/// Rows, a JSON object a line.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Lines {
    /// The lines.
    pub text: Vec<u8>,
    /// How many.
    pub count: u64,
}

/// Parts of rows that one statement takes: so many, and no more bytes than a server lets in.
fn batches(rows: &[Map<String, Value>]) -> Vec<&[Map<String, Value>]> {
    let bytes =
        |row: &Map<String, Value>| row.values().map(|v| v.as_str().map_or(8, str::len)).sum::<usize>();
    let (mut all, mut from, mut held) = (Vec::new(), 0, 0);
    for (k, row) in rows.iter().enumerate() {
        let size = bytes(row);
        if k > from && (k - from == BATCH || held + size > BATCH_BYTES) {
            all.push(&rows[from..k]);
            (from, held) = (k, 0);
        }
        held += size;
    }
    if from < rows.len() {
        all.push(&rows[from..]);
    }
    all
}

/// An empty database that takes the rows of an archive, all or none of them.
#[derive(Debug)]
pub struct Loading {
    pool: MySqlPool,
    connection: PoolConnection<MySql>,
    tables: Vec<FactTable>,
}

impl Loading {
    /// The table of a name.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] when this version of the database has none.
    pub fn table(&self, name: &str) -> Result<FactTable, StoreError> {
        let found = self.tables.iter().find(|t| t.name == name).cloned();
        found.ok_or_else(|| StoreError::Unreadable {
            what: "archive",
            detail: format!("unknown table {name}"),
        })
    }

    /// Writes rows of a table, JSON objects.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] when one does not fit the table.
    pub async fn insert(&mut self, table: &FactTable, rows: &[Map<String, Value>]) -> Result<(), StoreError> {
        for some in batches(rows) {
            let mut query = sqlx::query(AssertSqlSafe(table.insert(some.len())));
            for row in some {
                query = table.bind(query, row)?;
            }
            query.execute(&mut *self.connection).await?;
        }
        Ok(())
    }

    /// Ends it: every reference leads somewhere, everything is there at once, and the tables are brought up to this version.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] when a reference leads nowhere; then nothing was written.
    pub async fn finish(mut self) -> Result<Store, StoreError> {
        self.check_references().await?;
        sqlx::query("COMMIT").execute(&mut *self.connection).await?;
        sqlx::query("SET FOREIGN_KEY_CHECKS = 1").execute(&mut *self.connection).await?;
        drop(self.connection);
        let store = Store::with_pool(self.pool);
        store.migrate(None).await?;
        Ok(store)
    }

    /// While rows come in by table, references cannot be checked one by one: they are all of them at the end.
    async fn check_references(&mut self) -> Result<(), StoreError> {
        let references: Vec<(String, String, String, String)> = sqlx::query_as(
            "SELECT table_name, column_name, referenced_table_name, referenced_column_name \
             FROM information_schema.key_column_usage \
             WHERE table_schema = DATABASE() AND referenced_table_name IS NOT NULL",
        )
        .fetch_all(&mut *self.connection)
        .await?;
        for (table, column, other, key) in references {
            let sql = format!(
                "SELECT COUNT(*) FROM `{table}` a LEFT JOIN `{other}` b ON b.`{key}` = a.`{column}` \
                 WHERE a.`{column}` IS NOT NULL AND b.`{key}` IS NULL"
            );
            let lost: i64 = sqlx::query_scalar(AssertSqlSafe(sql)).fetch_one(&mut *self.connection).await?;
            if lost > 0 {
                let detail = format!("{lost} of {table}.{column} lead to nothing in {other}");
                return Err(StoreError::Unreadable { what: "archive", detail });
            }
        }
        Ok(())
    }
}

impl Store {
    /// Takes everything as of this moment; holds one connection until it is dropped.
    pub async fn snapshot(&self) -> Result<Snapshot, StoreError> {
        let mut connection = self.pool.acquire().await?;
        sqlx::query("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ").execute(&mut *connection).await?;
        sqlx::query("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")
            .execute(&mut *connection)
            .await?;
        // The connection would give its transaction to whoever comes next: it is closed instead.
        connection.close_on_drop();
        let tables = tables(&mut connection).await?;
        let version: i64 = sqlx::query_scalar("SELECT MAX(version) FROM _sqlx_migrations")
            .fetch_one(&mut *connection)
            .await?;
        Ok(Snapshot { connection, tables, version, taken_at: OffsetDateTime::now_utc() })
    }

    /// Prepares the database at `url` for the rows of an archive whose newest migration was `version`: its tables are made
    /// as they were then.
    ///
    /// # Errors
    /// [`StoreError::NotEmpty`] when somebody has set up a workshop there; [`StoreError::Migration`] when the archive is
    /// of a newer version of the program.
    pub async fn begin_loading(url: &str, transport: Transport, version: i64) -> Result<Loading, StoreError> {
        let pool =
            MySqlPoolOptions::new().max_connections(2).connect_with(Self::options(url, transport)?).await?;
        let store = Self::with_pool(pool.clone());
        store.refuse_in_use().await?;
        store.clear_if_empty().await?;
        store.migrate(Some(version)).await?;
        let mut connection = pool.acquire().await?;
        connection.close_on_drop();
        let tables = tables(&mut connection).await?;
        sqlx::query("SET FOREIGN_KEY_CHECKS = 0").execute(&mut *connection).await?;
        sqlx::query("START TRANSACTION").execute(&mut *connection).await?;
        // What migrations wrote themselves stands in the archive as well.
        for table in &tables {
            sqlx::query(AssertSqlSafe(format!("DELETE FROM `{}`", table.name)))
                .execute(&mut *connection)
                .await?;
        }
        Ok(Loading { pool, connection, tables })
    }

    /// Refuses where another program is connected to the database: it would go on with what it keeps in memory.
    async fn refuse_in_use(&self) -> Result<(), StoreError> {
        let mut connection = self.pool.acquire().await?;
        let others: i64 = sqlx::query_scalar(
            "SELECT COUNT(*) FROM information_schema.processlist WHERE db = DATABASE() AND id <> CONNECTION_ID()",
        )
        .fetch_one(&mut *connection)
        .await?;
        if others > 0 { Err(StoreError::InUseBy(others)) } else { Ok(()) }
    }

    /// Empties a database whose only workshop has a certain name, and says whether it did: for one whose filling was broken off. The
    /// workshop goes last, so that a clearing that is broken off itself is done again.
    pub async fn clear_only_workshop(&self, name: &str) -> Result<bool, StoreError> {
        let mut connection = self.pool.acquire().await?;
        // Its checks are switched off: nobody else gets it.
        connection.close_on_drop();
        let workshops: Vec<String> =
            sqlx::query_scalar("SELECT name FROM workshops").fetch_all(&mut *connection).await?;
        if workshops != [name] {
            return Ok(false);
        }
        let tables: Vec<String> = sqlx::query_scalar(
            "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() \
             ORDER BY table_name = 'workshops', table_name",
        )
        .fetch_all(&mut *connection)
        .await?;
        sqlx::query("SET FOREIGN_KEY_CHECKS = 0").execute(&mut *connection).await?;
        for table in tables.into_iter().filter(|table| table != notes!()) {
            sqlx::query(AssertSqlSafe(format!("TRUNCATE TABLE `{table}`"))).execute(&mut *connection).await?;
        }
        Ok(true)
    }

    /// Removes the tables of a database in which no workshop was set up; another one is left alone. Broken off at any moment,
    /// it leaves a database that the next start repairs and the next clearing takes.
    async fn clear_if_empty(&self) -> Result<(), StoreError> {
        let mut connection = self.pool.acquire().await?;
        connection.close_on_drop();
        crate::lock_migrations(&mut connection).await?;
        let names: Vec<String> = sqlx::query_scalar(
            "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()",
        )
        .fetch_all(&mut *connection)
        .await?;
        if names.is_empty() {
            return Ok(());
        }
        let is_ours = names.iter().any(|name| name == notes!());
        let is_set_up = names.iter().any(|name| name == "workshops")
            && sqlx::query_scalar::<_, i64>("SELECT COUNT(*) FROM workshops")
                .fetch_one(&mut *connection)
                .await?
                > 0;
        if !is_ours || is_set_up {
            return Err(StoreError::NotEmpty);
        }
        // From here on every migration is to be done again, and the notes of that go last.
        sqlx::query(concat!("UPDATE ", notes!(), " SET success = FALSE")).execute(&mut *connection).await?;
        sqlx::query("SET FOREIGN_KEY_CHECKS = 0").execute(&mut *connection).await?;
        let (notes, tables): (Vec<String>, Vec<String>) =
            names.into_iter().partition(|name| name == notes!());
        for name in tables.into_iter().chain(notes) {
            sqlx::query(AssertSqlSafe(format!("DROP TABLE `{name}`"))).execute(&mut *connection).await?;
        }
        // The lock ends with the connection.
        Ok(())
    }
}
