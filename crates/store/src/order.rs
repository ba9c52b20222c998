//! Orders: who asked for what by when, and the runs that are made for them.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, OrderId, PersonId, RevisionId, RunId, StoreError, Stored, WorkshopStore};
use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use time::{Date, PrimitiveDateTime};

/// How far an order is.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum OrderState {
    /// Somebody asked; nothing is agreed.
    #[default]
    Asked,
    /// Price and date are agreed.
    Agreed,
    /// It is being made.
    InWork,
    /// Everything of it is made.
    Ready,
    /// It has left.
    Gone,
}

/// An order.
#[derive(Clone, Debug, FromRow)]
pub struct OrderRow {
    /// Which.
    pub id: OrderId,
    /// Its number in the workshop.
    pub number: u32,
    /// Who asked, by name or by a mark.
    pub customer: String,
    /// The day that it is promised for.
    pub promised_on: Option<Date>,
    /// How far it is.
    pub state: Stored<OrderState>,
    /// Its document.
    pub document: String,
    /// How often it was changed, from 1.
    pub version: u32,
    /// Who took it.
    pub by: String,
    /// When, UTC.
    pub made_at: PrimitiveDateTime,
    /// When it left, UTC.
    pub gone_at: Option<PrimitiveDateTime>,
}

/// What is written of an order.
#[derive(Clone, Copy, Debug)]
pub struct NewOrder<'a> {
    /// Who asked.
    pub customer: &'a str,
    /// The day that it is promised for.
    pub promised_on: Option<Date>,
    /// How far it is.
    pub state: OrderState,
    /// Its document.
    pub document: &'a str,
}

/// A run that is made for an order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, FromRow)]
#[allow(clippy::struct_excessive_bools, reason = "each says something of its own of the run")]
pub struct OrderRun {
    /// The run.
    pub run_id: RunId,
    /// The order.
    pub order_id: OrderId,
    /// Which of its lines, from 0.
    pub line: u32,
    /// The revision that it is wound by.
    pub revision_id: RevisionId,
    /// The run's number.
    pub number: u32,
    /// Whether every operation is signed.
    pub is_closed: bool,
    /// Whether it was voided.
    pub is_voided: bool,
    /// Whether its final turns were read: its wire is off the spool.
    pub is_wound: bool,
    /// Whether its parts were taken off the shelf.
    pub has_parts: bool,
}

/// How an order stands, for the audit trail.
const STANDS: &str = "SELECT CONCAT('order ', o.number), JSON_OBJECT('customer', o.customer, 'promised', o.promised_on, 'state', o.state, \
     'order', o.document) FROM orders o WHERE o.workshop_id = ? AND o.id = ? FOR UPDATE";

macro_rules! order_columns {
    ($rest:literal) => {
        concat!(
            "SELECT o.id, o.number, o.customer, o.promised_on, o.state, o.document, o.version, p.name AS `by`, o.made_at, o.gone_at \
             FROM orders o JOIN people p ON p.id = o.made_by ",
            $rest
        )
    };
}

impl WorkshopStore {
    /// The orders that have not left, or those that have, newest first, up to 1,000.
    pub async fn orders(&self, are_gone: bool) -> Result<Vec<OrderRow>, StoreError> {
        Ok(sqlx::query_as(order_columns!(
            "WHERE o.workshop_id = ? AND (o.state = 'gone') = ? ORDER BY o.number DESC LIMIT 1000"
        ))
        .bind(self.workshop)
        .bind(are_gone)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One order.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn order(&self, id: OrderId) -> Result<OrderRow, StoreError> {
        sqlx::query_as(order_columns!("WHERE o.workshop_id = ? AND o.id = ?"))
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("order"))
    }

    /// Adds an order with the next number; the same key again adds nothing more.
    pub async fn add_order(
        &self,
        by: PersonId,
        key: &ClientKey,
        new: &NewOrder<'_>,
    ) -> Result<OrderId, StoreError> {
        let added = retry_deadlock!(self.add_order_once(by, key, new))?;
        match added {
            Some(id) => Ok(id),
            None => Ok(OrderId(self.known_number("orders", key).await?)),
        }
    }

    async fn add_order_once(
        &self,
        by: PersonId,
        key: &ClientKey,
        new: &NewOrder<'_>,
    ) -> Result<Option<OrderId>, StoreError> {
        let mut transaction = self.pool.begin().await?;
        // The workshop's row is the lock under which numbers are given.
        sqlx::query("SELECT id FROM workshops WHERE id = ? FOR UPDATE")
            .bind(self.workshop)
            .fetch_one(&mut *transaction)
            .await?;
        let added = sqlx::query(
            "INSERT INTO orders (workshop_id, number, client_key, customer, promised_on, state, gone_at, document, made_by) \
             SELECT ?, COALESCE(MAX(number), 0) + 1, ?, ?, ?, ?, IF(? = 'gone', UTC_TIMESTAMP(6), NULL), ?, ? FROM orders \
             WHERE workshop_id = ?",
        )
        .bind(self.workshop)
        .bind(key.as_str())
        .bind(new.customer)
        .bind(new.promised_on)
        .bind(Stored(new.state))
        .bind(Stored(new.state))
        .bind(new.document)
        .bind(by)
        .bind(self.workshop)
        .execute(&mut *transaction)
        .await;
        let Some(added) = added_once("orders", added)? else { return Ok(None) };
        transaction.commit().await?;
        Ok(Some(OrderId(added.last_insert_id())))
    }

    /// Changes an order that is still as it was at `version`.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when somebody else changed it meanwhile.
    pub async fn change_order(
        &self,
        by: PersonId,
        (id, version): (OrderId, u32),
        new: &NewOrder<'_>,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Order, ("order", STANDS), id.0).await?;
        let done = sqlx::query(
            "UPDATE orders SET customer = ?, promised_on = ?, state = ?, document = ?, version = version + 1, \
             changed_at = UTC_TIMESTAMP(6), gone_at = IF(? = 'gone', COALESCE(gone_at, UTC_TIMESTAMP(6)), NULL) \
             WHERE workshop_id = ? AND id = ? AND version = ?",
        )
        .bind(new.customer)
        .bind(new.promised_on)
        .bind(Stored(new.state))
        .bind(new.document)
        .bind(Stored(new.state))
        .bind(self.workshop)
        .bind(id)
        .bind(version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("order"));
        }
        change.write().await
    }

    /// Notes that a run is made for a line of an order, in place of what was noted of it before.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such run or order.
    pub async fn assign_run_to_order(&self, run: RunId, order: OrderId, line: u32) -> Result<(), StoreError> {
        let known: Option<i32> = sqlx::query_scalar(
            "SELECT 1 FROM runs u JOIN orders o ON o.workshop_id = u.workshop_id WHERE u.workshop_id = ? AND u.id = ? AND o.id = ?",
        )
        .bind(self.workshop)
        .bind(run)
        .bind(order)
        .fetch_optional(&self.pool)
        .await?;
        if known.is_none() {
            return Err(StoreError::Missing("order"));
        }
        sqlx::query(
            "INSERT INTO order_runs (run_id, workshop_id, order_id, line) VALUES (?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE order_id = VALUES(order_id), line = VALUES(line)",
        )
        .bind(run)
        .bind(self.workshop)
        .bind(order)
        .bind(line)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// The runs of all orders that have not left.
    pub async fn order_runs(&self) -> Result<Vec<OrderRun>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT r.run_id, r.order_id, r.line, u.revision_id, u.number, u.closed_at IS NOT NULL AS is_closed, u.voided_at IS NOT NULL AS is_voided, \
             EXISTS (SELECT 1 FROM readings g WHERE g.run_id = u.id AND g.kind = 'turns') AS is_wound, \
             EXISTS (SELECT 1 FROM part_moves m WHERE m.run_id = u.id AND m.by_count < 0) AS has_parts \
             FROM order_runs r JOIN runs u ON u.id = r.run_id JOIN orders o ON o.id = r.order_id \
             WHERE r.workshop_id = ? AND o.state <> 'gone' ORDER BY u.number",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }
}
