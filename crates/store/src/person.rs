//! Workshops and their people.

use crate::{PersonId, Store, StoreError, WorkshopId, WorkshopStore};
use sqlx::{FromRow, MySqlConnection};

/// Someone of a workshop.
#[derive(Clone, Debug, FromRow)]
pub struct Person {
    /// Number.
    pub id: PersonId,
    /// The workshop.
    pub workshop_id: WorkshopId,
    /// The workshop's name.
    pub workshop: String,
    /// Name as others read it.
    pub name: String,
    /// Name to sign in with.
    pub sign_in: String,
    /// Hash of the password; `None` for someone who winds but does not sign in.
    pub password_hash: Option<String>,
}

/// A person to add.
#[derive(Clone, Debug)]
pub struct NewPerson<'a> {
    /// Name as others read it.
    pub name: &'a str,
    /// Name to sign in with, unique in the installation.
    pub sign_in: &'a str,
    /// Hash of the password.
    pub password_hash: Option<&'a str>,
}

macro_rules! person_columns {
    ($rest:literal) => {
        concat!(
            "SELECT p.id, p.workshop_id, w.name AS workshop, p.name, p.sign_in, p.password_hash \
             FROM people p JOIN workshops w ON w.id = p.workshop_id ",
            $rest
        )
    };
}

impl Store {
    /// Whether anyone has set up a workshop here.
    pub async fn has_workshop(&self) -> Result<bool, StoreError> {
        let count: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM workshops").fetch_one(&self.pool).await?;
        Ok(count > 0)
    }

    /// Sets the installation up with its first workshop and that one's owner, in one piece and once: of several at the
    /// same moment one does it.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when it was set up before.
    pub async fn set_up(
        &self,
        name: &str,
        owner: &NewPerson<'_>,
    ) -> Result<(WorkshopId, PersonId), StoreError> {
        let mut transaction = self.pool.begin().await?;
        // The one row of this table is the lock: a second one waits for the first, and finds it taken.
        sqlx::query("INSERT INTO installation (id) VALUES (1)").execute(&mut *transaction).await?;
        let made = create_workshop_on(&mut transaction, name, owner).await?;
        transaction.commit().await?;
        Ok(made)
    }

    /// Creates a workshop with its owner, in one piece.
    pub async fn create_workshop(
        &self,
        name: &str,
        owner: &NewPerson<'_>,
    ) -> Result<(WorkshopId, PersonId), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let made = create_workshop_on(&mut transaction, name, owner).await?;
        transaction.commit().await?;
        Ok(made)
    }

    /// The person who signs in with that name.
    pub async fn person_by_sign_in(&self, sign_in: &str) -> Result<Option<Person>, StoreError> {
        Ok(sqlx::query_as(person_columns!("WHERE p.sign_in = ?"))
            .bind(sign_in)
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Sets a person's password and ends all of their sessions but one, in one piece.
    pub async fn set_password(&self, person: PersonId, hash: &str, kept: &str) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        sqlx::query("UPDATE people SET password_hash = ? WHERE id = ?")
            .bind(hash)
            .bind(person)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("DELETE FROM sessions WHERE person_id = ? AND NOT (public_id <=> ?)")
            .bind(person)
            .bind(kept)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(())
    }

    /// A person by number.
    pub async fn person(&self, id: PersonId) -> Result<Option<Person>, StoreError> {
        Ok(sqlx::query_as(person_columns!("WHERE p.id = ?")).bind(id).fetch_optional(&self.pool).await?)
    }
}

async fn create_workshop_on(
    connection: &mut MySqlConnection,
    name: &str,
    owner: &NewPerson<'_>,
) -> Result<(WorkshopId, PersonId), StoreError> {
    let workshop =
        sqlx::query("INSERT INTO workshops (name) VALUES (?)").bind(name).execute(&mut *connection).await?;
    let workshop = WorkshopId(workshop.last_insert_id());
    let person = sqlx::query(
        "INSERT INTO people (workshop_id, name, sign_in, password_hash, owner) VALUES (?, ?, ?, ?, TRUE)",
    )
    .bind(workshop)
    .bind(owner.name)
    .bind(owner.sign_in)
    .bind(owner.password_hash)
    .execute(&mut *connection)
    .await?;
    Ok((workshop, PersonId(person.last_insert_id())))
}

impl WorkshopStore {
    /// Adds a person to a workshop.
    pub async fn add_person(&self, person: &NewPerson<'_>) -> Result<PersonId, StoreError> {
        let workshop = self.workshop;
        let done =
            sqlx::query("INSERT INTO people (workshop_id, name, sign_in, password_hash) VALUES (?, ?, ?, ?)")
                .bind(workshop)
                .bind(person.name)
                .bind(person.sign_in)
                .bind(person.password_hash)
                .execute(&self.pool)
                .await?;
        Ok(PersonId(done.last_insert_id()))
    }

    /// Everyone of a workshop, by name.
    pub async fn people(&self) -> Result<Vec<Person>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(person_columns!("WHERE p.workshop_id = ? ORDER BY p.name"))
            .bind(workshop)
            .fetch_all(&self.pool)
            .await?)
    }
}
