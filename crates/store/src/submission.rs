//! What people send carries a key, so that the same submission again adds nothing more.

use crate::{ClientKey, StoreError, WorkshopStore};
use sqlx::mysql::MySqlQueryResult;
use sqlx::{MySql, QueryBuilder};

/// What adding a row to a table did; `None` where the same submission had added it before.
///
/// # Errors
/// Whatever else went wrong.
pub(crate) fn added_once(
    table: &str,
    done: Result<MySqlQueryResult, sqlx::Error>,
) -> Result<Option<MySqlQueryResult>, StoreError> {
    match done.map_err(StoreError::from) {
        Ok(done) => Ok(Some(done)),
        Err(StoreError::Taken(index)) if index.strip_suffix("_client_key") == Some(table) => Ok(None),
        Err(error) => Err(error),
    }
}

impl WorkshopStore {
    /// The number of the row of a table that a submission added; `None` where it added none yet.
    pub(crate) async fn number_by_key(
        &self,
        table: &'static str,
        key: &ClientKey,
    ) -> Result<Option<u64>, StoreError> {
        let mut query: QueryBuilder<MySql> = QueryBuilder::new("SELECT id FROM ");
        query.push(table).push(" WHERE workshop_id = ").push_bind(self.workshop);
        query.push(" AND client_key = ").push_bind(key.as_str());
        Ok(query.build_query_scalar().fetch_optional(&self.pool).await?)
    }

    /// The number of the row of a table that a submission has added.
    ///
    /// # Errors
    /// [`StoreError::Missing`] where it added none.
    pub(crate) async fn known_number(&self, table: &'static str, key: &ClientKey) -> Result<u64, StoreError> {
        self.number_by_key(table, key).await?.ok_or(StoreError::Missing("what was submitted"))
    }

    /// The number of the row that a submission added to a table, now or before.
    ///
    /// # Errors
    /// As [`added_once`].
    pub(crate) async fn number_added(
        &self,
        table: &'static str,
        key: &ClientKey,
        done: Result<MySqlQueryResult, sqlx::Error>,
    ) -> Result<u64, StoreError> {
        match added_once(table, done)? {
            Some(done) => Ok(done.last_insert_id()),
            None => self.known_number(table, key).await,
        }
    }
}
