//! Passkeys of people: the public halves, and what devices know people by.

use crate::audit::{AuditAction, snapshot};
use crate::person::{PERSON_SNAPSHOT, Person, end_sessions_on};
use crate::{PasskeyId, PersonId, Store, StoreError, WorkshopStore};
use sqlx::{FromRow, MySqlConnection};
use time::PrimitiveDateTime;

/// A passkey as its owner sees it.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct PasskeyRow {
    /// Number.
    pub id: PasskeyId,
    /// What its owner calls it.
    pub name: String,
    /// Since when, UTC.
    pub created_at: PrimitiveDateTime,
    /// When it was used last, UTC.
    pub used_at: Option<PrimitiveDateTime>,
}

/// A passkey to keep.
#[derive(Clone, Copy, Debug)]
pub struct AddPasskey<'a> {
    /// What its owner calls it.
    pub name: &'a str,
    /// Its identifier, unique among all.
    pub credential_id: &'a [u8],
    /// The public key with its counter, JSON.
    pub credential: &'a str,
}

/// A passkey that somebody signs in with.
#[derive(Clone, Debug)]
pub struct PasskeyOfPerson {
    /// Number.
    pub id: PasskeyId,
    /// Whose it is; somebody who may sign in.
    pub person: Person,
    /// The public key with its counter, JSON.
    pub credential: String,
}

impl Store {
    /// The passkey with an identifier, where it belongs to whom the device knows by `handle` and they may sign in.
    pub async fn passkey(
        &self,
        credential_id: &[u8],
        handle: &[u8; 16],
    ) -> Result<Option<PasskeyOfPerson>, StoreError> {
        let found: Option<(PasskeyId, PersonId, String)> = sqlx::query_as(
            "SELECT k.id, k.person_id, k.credential FROM passkeys k JOIN people p ON p.id = k.person_id \
             WHERE k.credential_id = ? AND p.passkey_handle = ? AND p.disabled_at IS NULL",
        )
        .bind(credential_id)
        .bind(&handle[..])
        .fetch_optional(&self.pool)
        .await?;
        let Some((id, person, credential)) = found else { return Ok(None) };
        let person = self.person(person).await?;
        Ok(person.map(|person| PasskeyOfPerson { id, person, credential }))
    }

    /// Notes that a passkey was used, with what is kept of it from now on where that changed.
    pub async fn use_passkey(&self, id: PasskeyId, credential: Option<&str>) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE passkeys SET used_at = UTC_TIMESTAMP(6), credential = COALESCE(?, credential) WHERE id = ?",
        )
        .bind(credential)
        .bind(id)
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}

impl WorkshopStore {
    /// A person's passkeys, the oldest first.
    pub async fn passkeys(&self, person: PersonId) -> Result<Vec<PasskeyRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT k.id, k.name, k.created_at, k.used_at FROM passkeys k JOIN people p ON p.id = k.person_id \
             WHERE p.workshop_id = ? AND p.id = ? ORDER BY k.id",
        )
        .bind(self.workshop)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The identifiers of a person's passkeys.
    pub async fn credential_ids(&self, person: PersonId) -> Result<Vec<Vec<u8>>, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT k.credential_id FROM passkeys k JOIN people p ON p.id = k.person_id \
             WHERE p.workshop_id = ? AND p.id = ?",
        )
        .bind(self.workshop)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// What devices know a person by: what they were given before, else `new`.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such person.
    pub async fn passkey_handle(&self, person: PersonId, new: &[u8; 16]) -> Result<[u8; 16], StoreError> {
        sqlx::query(
            "UPDATE people SET passkey_handle = COALESCE(passkey_handle, ?) WHERE workshop_id = ? AND id = ?",
        )
        .bind(&new[..])
        .bind(self.workshop)
        .bind(person)
        .execute(&self.pool)
        .await?;
        let found: Option<Vec<u8>> =
            sqlx::query_scalar("SELECT passkey_handle FROM people WHERE workshop_id = ? AND id = ?")
                .bind(self.workshop)
                .bind(person)
                .fetch_optional(&self.pool)
                .await?;
        let found = found.and_then(|bytes| bytes.try_into().ok());
        found.ok_or(StoreError::Missing("person"))
    }

    /// Keeps a passkey of a person, where they have fewer than `most`, and ends their sessions but the one of that name.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when the passkey is kept already; [`StoreError::Missing`] when there is no such person, or they have as
    /// many as they may.
    pub async fn add_passkey(
        &self,
        person: PersonId,
        passkey: AddPasskey<'_>,
        most: u32,
        session: &str,
    ) -> Result<(), StoreError> {
        self.change_passkeys(person, session, async |connection| {
            let done = sqlx::query(
                "INSERT INTO passkeys (person_id, credential_id, name, credential) \
                 SELECT ?, ?, ?, ? FROM DUAL WHERE (SELECT COUNT(*) FROM passkeys k WHERE k.person_id = ?) < ?",
            )
            .bind(person)
            .bind(passkey.credential_id)
            .bind(passkey.name)
            .bind(passkey.credential)
            .bind(person)
            .bind(most)
            .execute(connection)
            .await?;
            Ok(done.rows_affected())
        })
        .await
    }

    /// Removes a passkey of a person, and ends their sessions but the one of that name.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when they have no such passkey.
    pub async fn remove_passkey(
        &self,
        person: PersonId,
        id: PasskeyId,
        session: &str,
    ) -> Result<(), StoreError> {
        self.change_passkeys(person, session, async |connection| {
            let done = sqlx::query("DELETE FROM passkeys WHERE person_id = ? AND id = ?")
                .bind(person)
                .bind(id)
                .execute(connection)
                .await?;
            Ok(done.rows_affected())
        })
        .await
    }

    /// A change of a person's passkeys with its line and the end of their sessions but one.
    async fn change_passkeys(
        &self,
        person: PersonId,
        session: &str,
        change: impl AsyncFnOnce(&mut MySqlConnection) -> Result<u64, StoreError>,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, PERSON_SNAPSHOT, self.workshop, person.0).await?;
        let before = before.ok_or(StoreError::Missing("person"))?;
        if change(&mut transaction).await? == 0 {
            return Err(StoreError::Missing("passkey"));
        }
        end_sessions_on(&mut transaction, person, session).await?;
        let audit = self.audit(person, AuditAction::Person);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, person.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }
}
