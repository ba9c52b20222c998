//! Whom a provider of single sign-on knows as whom.

use crate::audit::{AuditAction, snapshot};
use crate::person::{NewPerson, PERSON_SNAPSHOT, Person, add_person_on, end_sessions_on};
use crate::{PersonId, Store, StoreError, WorkshopId, WorkshopStore};

/// Somebody by the name that a provider has for them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ExternalName<'a> {
    /// The provider's address.
    pub issuer: &'a str,
    /// What it calls them.
    pub subject: &'a str,
}

impl Store {
    /// Who a provider means, those who may no longer sign in included.
    pub async fn person_by_external_name(&self, of: ExternalName<'_>) -> Result<Option<Person>, StoreError> {
        let found: Option<PersonId> =
            sqlx::query_scalar("SELECT person_id FROM external_identities WHERE issuer = ? AND subject = ?")
                .bind(of.issuer)
                .bind(of.subject)
                .fetch_optional(&self.pool)
                .await?;
        match found {
            Some(id) => self.person(id).await,
            None => Ok(None),
        }
    }

    /// Notes that somebody signed in by a provider.
    pub async fn use_external_name(&self, of: ExternalName<'_>) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE external_identities SET used_at = UTC_TIMESTAMP(6) WHERE issuer = ? AND subject = ?",
        )
        .bind(of.issuer)
        .bind(of.subject)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// The settings of every workshop, JSON; absent where all are usual.
    pub async fn all_settings(&self) -> Result<Vec<(WorkshopId, Option<String>)>, StoreError> {
        Ok(sqlx::query_as("SELECT id, settings FROM workshops ORDER BY id").fetch_all(&self.pool).await?)
    }
}

impl WorkshopStore {
    /// Whether a person is linked with a provider.
    pub async fn is_linked(&self, person: PersonId, issuer: &str) -> Result<bool, StoreError> {
        let count: i64 = sqlx::query_scalar(
            "SELECT COUNT(*) FROM external_identities e JOIN people p ON p.id = e.person_id \
             WHERE p.workshop_id = ? AND p.id = ? AND e.issuer = ?",
        )
        .bind(self.workshop)
        .bind(person)
        .bind(issuer)
        .fetch_one(&self.pool)
        .await?;
        Ok(count > 0)
    }

    /// Adds somebody whom a provider signs in.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when another person signs in by that name, or the provider means another one already.
    pub async fn join(&self, person: &NewPerson<'_>, of: ExternalName<'_>) -> Result<PersonId, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let id = add_person_on(&mut transaction, self.workshop, person).await?;
        link_on(&mut transaction, id, of).await?;
        let audit = self.audit(id, AuditAction::Person);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, id.0, None).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// Links a person with the name that a provider has for them, in place of one that it had before, and ends their sessions but the
    /// one of that name; without a name the link is taken away.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when the provider means somebody else already; [`StoreError::Missing`] when there is no such person.
    pub async fn link_external_name(
        &self,
        person: PersonId,
        issuer: &str,
        subject: Option<&str>,
        session: &str,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, PERSON_SNAPSHOT, self.workshop, person.0).await?;
        let before = before.ok_or(StoreError::Missing("person"))?;
        sqlx::query("DELETE FROM external_identities WHERE person_id = ? AND issuer = ?")
            .bind(person)
            .bind(issuer)
            .execute(&mut *transaction)
            .await?;
        if let Some(subject) = subject {
            link_on(&mut transaction, person, ExternalName { issuer, subject }).await?;
        }
        end_sessions_on(&mut transaction, person, session).await?;
        let audit = self.audit(person, AuditAction::Person);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, person.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }
}

async fn link_on(
    connection: &mut sqlx::MySqlConnection,
    person: PersonId,
    of: ExternalName<'_>,
) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO external_identities (issuer, subject, person_id) VALUES (?, ?, ?)")
        .bind(of.issuer)
        .bind(of.subject)
        .bind(person)
        .execute(connection)
        .await?;
    Ok(())
}
