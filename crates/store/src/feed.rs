//! Calendar feeds: who subscribed, by the hash of a secret that is in the address.

use crate::audit::AuditAction;
use crate::{FeedId, PersonId, Store, StoreError, WorkshopId, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// A feed of a person.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct FeedRow {
    /// Which.
    pub id: FeedId,
    /// Whether it has what everybody does.
    pub is_whole_shop: bool,
    /// When it was made, UTC.
    pub made_at: PrimitiveDateTime,
}

/// How a feed stands, for the trail of changes.
const FEED: &str = "SELECT CONCAT('calendar feed ', id), JSON_OBJECT('whole shop', is_whole_shop, \
     'ended', IF(revoked_at IS NULL, 'no', 'yes')) FROM calendar_feeds WHERE workshop_id = ? AND id = ? FOR UPDATE";

/// Whose feed an address is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, FromRow)]
pub struct FeedOwner {
    /// The workshop.
    pub workshop_id: WorkshopId,
    /// The person.
    pub person_id: PersonId,
    /// Whether it has what everybody does.
    pub is_whole_shop: bool,
}

impl WorkshopStore {
    /// Adds a feed of a person.
    pub async fn add_feed(
        &self,
        person: PersonId,
        is_whole_shop: bool,
        secret_hash: &[u8; 32],
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO calendar_feeds (workshop_id, person_id, is_whole_shop, secret_hash) VALUES (?, ?, ?, ?)",
        )
        .bind(self.workshop)
        .bind(person)
        .bind(is_whole_shop)
        .bind(&secret_hash[..])
        .execute(&mut *tx)
        .await?;
        let audit = self.audit(person, AuditAction::Feed);
        audit.changed(&mut tx, FEED, done.last_insert_id(), None).await?;
        tx.commit().await?;
        Ok(())
    }

    /// The feeds of a person that hold.
    pub async fn feeds(&self, person: PersonId) -> Result<Vec<FeedRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, is_whole_shop, made_at FROM calendar_feeds \
             WHERE workshop_id = ? AND person_id = ? AND revoked_at IS NULL ORDER BY id LIMIT 50",
        )
        .bind(self.workshop)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Ends a feed of a person.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn revoke_feed(&self, person: PersonId, id: FeedId) -> Result<(), StoreError> {
        let mut change = self.begin_change(person, AuditAction::Feed, ("calendar feed", FEED), id.0).await?;
        let done = sqlx::query(
            "UPDATE calendar_feeds SET revoked_at = UTC_TIMESTAMP(6) \
             WHERE workshop_id = ? AND person_id = ? AND id = ? AND revoked_at IS NULL",
        )
        .bind(self.workshop)
        .bind(person)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing("calendar feed"));
        }
        change.write().await
    }
}

impl Store {
    /// Whose feed has this secret; nobody's where it was ended, or the person may not sign in any more.
    pub async fn feed_owner(&self, secret_hash: &[u8; 32]) -> Result<Option<FeedOwner>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT f.workshop_id, f.person_id, f.is_whole_shop FROM calendar_feeds f JOIN people p ON p.id = f.person_id \
             WHERE f.secret_hash = ? AND f.revoked_at IS NULL AND p.disabled_at IS NULL",
        )
        .bind(&secret_hash[..])
        .fetch_optional(&self.pool)
        .await?)
    }
}
