//! Workshops and their people.

use crate::audit::{Audit, AuditAction, snapshot};
use crate::{PersonId, Store, StoreError, Stored, WorkshopId, WorkshopStore};
use sqlx::{FromRow, MySqlConnection};
use time::{Duration, OffsetDateTime, PrimitiveDateTime};

/// What someone is in a workshop; what each may do is the use cases' to say.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum Role {
    /// Looks on.
    Viewer,
    /// Winds, measures, keeps the stock.
    Operator,
    /// Designs pickups as well.
    Designer,
    /// Decides about people, settings and backups as well.
    Owner,
}

impl Role {
    /// Every role, the least first.
    pub const ALL: &[Self] = <Self as strum::VariantArray>::VARIANTS;
}

/// Someone of a workshop.
#[derive(Clone, FromRow)]
pub struct Person {
    /// Number.
    pub id: PersonId,
    /// The workshop.
    pub workshop_id: WorkshopId,
    /// The workshop's name.
    pub workshop: String,
    /// The workshop's settings, JSON; absent where all are usual.
    pub workshop_settings: Option<String>,
    /// Name as others read it.
    pub name: String,
    /// Name to sign in with.
    pub sign_in: String,
    /// Hash of the password; `None` for someone who winds but does not sign in.
    pub password_hash: Option<String>,
    /// Hash of the PIN for shared stations.
    pub pin_hash: Option<String>,
    /// Whether they have a second factor beside the password.
    pub has_second_factor: bool,
    /// What they are in the workshop.
    pub role: Stored<Role>,
    /// Since when they may no longer sign in, UTC.
    pub disabled_at: Option<PrimitiveDateTime>,
}

impl std::fmt::Debug for Person {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // Without the hashes: what is printed may end in a log.
        f.debug_struct("Person").field("id", &self.id).field("role", &self.role).finish_non_exhaustive()
    }
}

/// A person to add.
#[derive(Clone)]
pub struct NewPerson<'a> {
    /// Name as others read it.
    pub name: &'a str,
    /// Name to sign in with, unique in the installation.
    pub sign_in: &'a str,
    /// Hash of the password.
    pub password_hash: Option<&'a str>,
    /// What they are to be.
    pub role: Role,
}

impl std::fmt::Debug for NewPerson<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("NewPerson")
            .field("sign_in", &self.sign_in)
            .field("role", &self.role)
            .finish_non_exhaustive()
    }
}

/// A change to a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PersonChange<'a> {
    /// Another role.
    Role(Role),
    /// May no longer sign in; what they did stays theirs.
    Disable,
    /// May sign in again.
    Enable,
    /// Left for good: another name, no way to sign in; what they did stays, under that name.
    Anonymise {
        /// The name that replaces theirs.
        name: &'a str,
    },
}

macro_rules! person_columns {
    ($rest:literal) => {
        concat!(
            "SELECT p.id, p.workshop_id, w.name AS workshop, w.settings AS workshop_settings, p.name, p.sign_in, p.password_hash, p.pin_hash, \
             p.totp_secret IS NOT NULL AS has_second_factor, p.role, \
             p.disabled_at FROM people p JOIN workshops w ON w.id = p.workshop_id ",
            $rest
        )
    };
}

/// A person without their names: those are replaced when they leave, and no trail may keep them.
/// How a person stands; of secrets the beginning of a digest, so that a new one is a change.
pub(crate) const PERSON_SNAPSHOT: &str = "SELECT CONCAT('person ', id), JSON_OBJECT('role', role, 'disabled', \
     disabled_at IS NOT NULL, 'password', COALESCE(CONVERT(LEFT(SHA2(password_hash, 256), 6) USING utf8mb4) COLLATE utf8mb4_unicode_ci, 'none'), 'PIN', \
     COALESCE(CONVERT(LEFT(SHA2(pin_hash, 256), 6) USING utf8mb4) COLLATE utf8mb4_unicode_ci, 'none'), 'second factor', COALESCE(CONVERT(LEFT(SHA2(totp_secret, 256), 6) USING utf8mb4) COLLATE utf8mb4_unicode_ci, 'none'), \
     'passkeys', (SELECT COUNT(*) FROM passkeys k WHERE k.person_id = people.id), 'single sign-on', \
     (SELECT COUNT(*) FROM external_identities e WHERE e.person_id = people.id) > 0) FROM people \
     WHERE workshop_id = ? AND id = ? FOR UPDATE";

/// Wrong tries at somebody's PIN or second factor, as the owner's bench lists them.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct Guessing {
    /// Whose.
    pub person: String,
    /// `PIN` or `second factor`.
    pub what: String,
    /// How many wrong tries.
    pub tries: u64,
    /// When it was noticed last, UTC.
    pub at: PrimitiveDateTime,
}

impl Store {
    /// Writes down that somebody guesses at a short secret of a person.
    pub async fn note_guessing(&self, person: PersonId, what: &str, tries: u32) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO audit (workshop_id, person_id, action, object, before_text, after_text) \
             SELECT workshop_id, id, ?, CONCAT('person ', id), NULL, JSON_OBJECT('guessed at', ?, 'wrong tries', ?) \
             FROM people WHERE id = ?",
        )
        .bind(Stored(AuditAction::Guessing))
        .bind(what)
        .bind(tries)
        .bind(person)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Whether anyone has set up a workshop here.
    pub async fn has_workshop(&self) -> Result<bool, StoreError> {
        let count: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM workshops").fetch_one(&self.pool).await?;
        Ok(count > 0)
    }

    /// The workshops of the installation, in the order that they were made.
    pub async fn workshops(&self) -> Result<Vec<(WorkshopId, String)>, StoreError> {
        Ok(sqlx::query_as("SELECT id, name FROM workshops ORDER BY id").fetch_all(&self.pool).await?)
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

    /// Sets a person's password and ends all of their sessions but one, in one piece. A link to set it is worth nothing
    /// afterwards.
    pub async fn set_password(&self, person: PersonId, hash: &str, kept: &str) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        set_password_on(&mut transaction, person, hash, kept).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Whose a link to set a password is, by the hash of its token, while it is open.
    pub async fn person_by_password_link(&self, token_hash: &[u8; 32]) -> Result<Option<Person>, StoreError> {
        Ok(sqlx::query_as(person_columns!(
            "JOIN password_links l ON l.person_id = p.id \
             WHERE l.token_hash = ? AND l.expires_at > UTC_TIMESTAMP(6) AND p.disabled_at IS NULL"
        ))
        .bind(&token_hash[..])
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Uses a link to set a password, once; returns whose it was.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such open link, also when another request used it in this moment.
    pub async fn use_password_link(&self, token_hash: &[u8; 32], hash: &str) -> Result<PersonId, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let person: Option<PersonId> = sqlx::query_scalar(
            "SELECT l.person_id FROM password_links l JOIN people p ON p.id = l.person_id \
             WHERE l.token_hash = ? AND l.expires_at > UTC_TIMESTAMP(6) AND p.disabled_at IS NULL FOR UPDATE",
        )
        .bind(&token_hash[..])
        .fetch_optional(&mut *transaction)
        .await?;
        let person = person.ok_or(StoreError::Missing("link"))?;
        set_password_on(&mut transaction, person, hash, "").await?;
        transaction.commit().await?;
        Ok(person)
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
    let owner = NewPerson { role: Role::Owner, ..owner.clone() };
    Ok((workshop, add_person_on(connection, workshop, &owner).await?))
}

pub(crate) async fn add_person_on(
    connection: &mut MySqlConnection,
    workshop: WorkshopId,
    person: &NewPerson<'_>,
) -> Result<PersonId, StoreError> {
    let done = sqlx::query(
        "INSERT INTO people (workshop_id, name, sign_in, password_hash, role) VALUES (?, ?, ?, ?, ?)",
    )
    .bind(workshop)
    .bind(person.name)
    .bind(person.sign_in)
    .bind(person.password_hash)
    .bind(Stored(person.role))
    .execute(&mut *connection)
    .await?;
    Ok(PersonId(done.last_insert_id()))
}

async fn set_password_on(
    connection: &mut MySqlConnection,
    person: PersonId,
    hash: &str,
    kept: &str,
) -> Result<(), StoreError> {
    let workshop: WorkshopId = sqlx::query_scalar("SELECT workshop_id FROM people WHERE id = ?")
        .bind(person)
        .fetch_one(&mut *connection)
        .await?;
    let before = snapshot(connection, PERSON_SNAPSHOT, workshop, person.0).await?;
    sqlx::query("UPDATE people SET password_hash = ? WHERE id = ?")
        .bind(hash)
        .bind(person)
        .execute(&mut *connection)
        .await?;
    sqlx::query("DELETE FROM password_links WHERE person_id = ?")
        .bind(person)
        .execute(&mut *connection)
        .await?;
    let audit = Audit { workshop, by: person, action: AuditAction::Person };
    audit.changed(connection, PERSON_SNAPSHOT, person.0, before).await?;
    end_sessions_on(connection, person, kept).await
}

/// Ends the sessions of a person but the one of that name.
pub(crate) async fn end_sessions_on(
    connection: &mut MySqlConnection,
    person: PersonId,
    kept: &str,
) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM sessions WHERE person_id = ? AND NOT (public_id <=> ?)")
        .bind(person)
        .bind(kept)
        .execute(&mut *connection)
        .await?;
    Ok(())
}

impl WorkshopStore {
    /// Adds a person to a workshop.
    pub async fn add_person(&self, person: &NewPerson<'_>) -> Result<PersonId, StoreError> {
        let mut connection = self.pool.acquire().await?;
        add_person_on(&mut connection, self.workshop, person).await
    }

    /// Adds a person with a link to set their password, in one piece; `by` is who invites, `None` on the command line.
    pub async fn invite(
        &self,
        by: Option<PersonId>,
        person: &NewPerson<'_>,
        token_hash: &[u8; 32],
        lasts: Duration,
    ) -> Result<PersonId, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let id = add_person_on(&mut transaction, self.workshop, person).await?;
        link_on(&mut transaction, by, id, token_hash, lasts).await?;
        let audit = self.person_audit(by, id);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, id.0, None).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// Makes a link to set a person's password; one that was open before is worth nothing afterwards. The password of
    /// before stays until the link is used.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such person who may sign in.
    pub async fn link_password(
        &self,
        by: Option<PersonId>,
        person: PersonId,
        token_hash: &[u8; 32],
        lasts: Duration,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let found: Option<PersonId> = sqlx::query_scalar(
            "SELECT id FROM people WHERE workshop_id = ? AND id = ? AND disabled_at IS NULL FOR UPDATE",
        )
        .bind(self.workshop)
        .bind(person)
        .fetch_optional(&mut *transaction)
        .await?;
        found.ok_or(StoreError::Missing("person"))?;
        link_on(&mut transaction, by, person, token_hash, lasts).await?;
        let object = format!("person {person}");
        self.person_audit(by, person).note(&mut transaction, &object, "link to set a password").await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Changes a person, with its line in the audit trail. What they may do changes at once; who may no longer sign in has
    /// no session afterwards.
    ///
    /// # Errors
    /// [`StoreError::Missing`] when there is no such person; [`StoreError::LastOwner`] when nobody would be left who may
    /// manage people.
    pub async fn change_person(
        &self,
        by: Option<PersonId>,
        person: PersonId,
        change: PersonChange<'_>,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let connection = &mut *transaction;
        // All owners are locked first and in order: of two who take each other's role away, one succeeds.
        let owners: Vec<PersonId> = sqlx::query_scalar(
            "SELECT id FROM people WHERE workshop_id = ? AND role = 'owner' AND disabled_at IS NULL \
             ORDER BY id FOR UPDATE",
        )
        .bind(self.workshop)
        .fetch_all(&mut *connection)
        .await?;
        let before = snapshot(connection, PERSON_SNAPSHOT, self.workshop, person.0).await?;
        let before = before.ok_or(StoreError::Missing("person"))?;
        let stays_owner = matches!(change, PersonChange::Role(Role::Owner) | PersonChange::Enable);
        if owners == [person] && !stays_owner {
            return Err(StoreError::LastOwner);
        }
        match change {
            PersonChange::Role(role) => {
                sqlx::query("UPDATE people SET role = ? WHERE id = ?").bind(Stored(role)).bind(person)
            }
            PersonChange::Disable => {
                sqlx::query("UPDATE people SET disabled_at = COALESCE(disabled_at, UTC_TIMESTAMP(6)) WHERE id = ?")
                    .bind(person)
            }
            PersonChange::Enable => {
                sqlx::query("UPDATE people SET disabled_at = NULL WHERE id = ?").bind(person)
            }
            PersonChange::Anonymise { name } => sqlx::query(
                "UPDATE people SET name = ?, sign_in = CONCAT('former-', id), password_hash = NULL, pin_hash = NULL, \
                 totp_secret = NULL, passkey_handle = NULL, \
                 disabled_at = COALESCE(disabled_at, UTC_TIMESTAMP(6)) WHERE id = ?",
            )
            .bind(name)
            .bind(person),
        }
        .execute(&mut *connection)
        .await?;
        if matches!(change, PersonChange::Anonymise { .. }) {
            for ways_in in [
                "DELETE FROM passkeys WHERE person_id = ?",
                "DELETE FROM external_identities WHERE person_id = ?",
            ] {
                sqlx::query(ways_in).bind(person).execute(&mut *connection).await?;
            }
        }
        if matches!(change, PersonChange::Disable | PersonChange::Anonymise { .. }) {
            end_sessions_on(connection, person, "").await?;
            sqlx::query("DELETE FROM password_links WHERE person_id = ?")
                .bind(person)
                .execute(&mut *connection)
                .await?;
        }
        let audit = self.person_audit(by, person);
        audit.changed(connection, PERSON_SNAPSHOT, person.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Sets the PIN that a person types at shared stations, or takes it away.
    pub async fn set_pin(
        &self,
        person: PersonId,
        hash: Option<&str>,
        session: &str,
    ) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, PERSON_SNAPSHOT, self.workshop, person.0).await?;
        let before = before.ok_or(StoreError::Missing("person"))?;
        sqlx::query("UPDATE people SET pin_hash = ? WHERE workshop_id = ? AND id = ?")
            .bind(hash)
            .bind(self.workshop)
            .bind(person)
            .execute(&mut *transaction)
            .await?;
        end_sessions_on(&mut transaction, person, session).await?;
        let audit = self.person_audit(Some(person), person);
        audit.changed(&mut transaction, PERSON_SNAPSHOT, person.0, Some(before)).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Whose short secrets were guessed at in the last days, the last first.
    pub async fn guessing(&self, days: u32) -> Result<Vec<Guessing>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT p.name AS person, JSON_VALUE(a.after_text, '$.\"guessed at\"') AS what, \
             MAX(CAST(JSON_VALUE(a.after_text, '$.\"wrong tries\"') AS UNSIGNED)) AS tries, MAX(a.at) AS at \
             FROM audit a JOIN people p ON p.id = a.person_id \
             WHERE a.workshop_id = ? AND a.action = ? AND a.at > UTC_TIMESTAMP(6) - INTERVAL ? DAY \
             GROUP BY p.id, what ORDER BY at DESC LIMIT 5",
        )
        .bind(self.workshop)
        .bind(Stored(AuditAction::Guessing))
        .bind(days)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Everyone of a workshop, by name, those who left included.
    pub async fn people(&self) -> Result<Vec<Person>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(person_columns!("WHERE p.workshop_id = ? ORDER BY p.name, p.id"))
            .bind(workshop)
            .fetch_all(&self.pool)
            .await?)
    }

    /// Who has a link to set a password open, and until when, UTC.
    pub async fn password_links(&self) -> Result<Vec<(PersonId, PrimitiveDateTime)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT l.person_id, l.expires_at FROM password_links l JOIN people p ON p.id = l.person_id \
             WHERE p.workshop_id = ? AND l.expires_at > UTC_TIMESTAMP(6)",
        )
        .bind(self.workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// On the command line nobody is signed in: what is done there stands under the person it was done to.
    fn person_audit(&self, by: Option<PersonId>, person: PersonId) -> Audit {
        self.audit(by.unwrap_or(person), AuditAction::Person)
    }
}

async fn link_on(
    connection: &mut MySqlConnection,
    by: Option<PersonId>,
    person: PersonId,
    token_hash: &[u8; 32],
    lasts: Duration,
) -> Result<(), StoreError> {
    let end = OffsetDateTime::now_utc() + lasts;
    sqlx::query(
        "REPLACE INTO password_links (token_hash, person_id, created_by, expires_at) VALUES (?, ?, ?, ?)",
    )
    .bind(&token_hash[..])
    .bind(person)
    .bind(by)
    .bind(PrimitiveDateTime::new(end.date(), end.time()))
    .execute(connection)
    .await?;
    Ok(())
}

/// What is kept about a person, table by table: the key in the export, and the statement by workshop and number.
const PERSON_DATA: [(&str, &str); 10] = [
    (
        "person",
        "SELECT JSON_OBJECT('name', name, 'sign_in', sign_in, 'role', role, 'since', created_at) FROM people \
         WHERE workshop_id = ? AND id = ?",
    ),
    (
        "sessions",
        "SELECT JSON_OBJECT('since', s.created_at, 'used', s.seen_at, 'address', s.address, 'browser', s.agent) \
         FROM sessions s JOIN people p ON p.id = s.person_id WHERE p.workshop_id = ? AND s.person_id = ?",
    ),
    (
        "passkeys",
        "SELECT JSON_OBJECT('name', k.name, 'since', k.created_at, 'used', k.used_at) \
         FROM passkeys k JOIN people p ON p.id = k.person_id WHERE p.workshop_id = ? AND k.person_id = ?",
    ),
    (
        "single sign-on",
        "SELECT JSON_OBJECT('provider', e.issuer, 'known as', e.subject, 'since', e.created_at, 'used', e.used_at) \
         FROM external_identities e JOIN people p ON p.id = e.person_id WHERE p.workshop_id = ? AND e.person_id = ?",
    ),
    (
        "runs",
        "SELECT JSON_OBJECT('run', number, 'at', created_at, 'remark', remark) FROM runs \
         WHERE workshop_id = ? AND operator_id = ? ORDER BY id",
    ),
    (
        "readings",
        "SELECT JSON_OBJECT('run', r.number, 'at', g.taken_at, 'kind', g.kind, 'value', g.value, 'remark', g.words) \
         FROM readings g JOIN runs r ON r.id = g.run_id WHERE r.workshop_id = ? AND g.taken_by = ? ORDER BY g.id",
    ),
    (
        "events",
        "SELECT JSON_OBJECT('run', r.number, 'at', e.happened_at, 'what', e.what, 'turn', e.at_turn, 'words', e.words) \
         FROM run_events e JOIN runs r ON r.id = e.run_id WHERE r.workshop_id = ? AND e.by_id = ? \
         AND e.instrument_id IS NULL ORDER BY e.id",
    ),
    (
        "signatures",
        "SELECT JSON_OBJECT('run', r.number, 'at', s.signed_at, 'operation', s.operation) \
         FROM signatures s JOIN runs r ON r.id = s.run_id WHERE r.workshop_id = ? AND s.by_id = ? ORDER BY s.id",
    ),
    (
        "revisions",
        "SELECT JSON_OBJECT('design', name, 'revision', number, 'at', created_at) FROM revisions \
         WHERE workshop_id = ? AND created_by = ? ORDER BY id",
    ),
    (
        "changes",
        "SELECT JSON_OBJECT('at', at, 'action', action, 'object', object) FROM audit \
         WHERE workshop_id = ? AND person_id = ? ORDER BY id",
    ),
];

impl WorkshopStore {
    /// What is kept about a person, as JSON: one list for each kind.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] when the server's JSON is none.
    pub async fn person_data(&self, person: PersonId) -> Result<serde_json::Value, StoreError> {
        let mut all = serde_json::Map::new();
        for (key, sql) in PERSON_DATA {
            let rows: Vec<String> =
                sqlx::query_scalar(sql).bind(self.workshop).bind(person).fetch_all(&self.pool).await?;
            let rows: Result<Vec<serde_json::Value>, _> =
                rows.iter().map(|text| serde_json::from_str(text)).collect();
            let rows =
                rows.map_err(|error| StoreError::Unreadable { what: "row", detail: error.to_string() })?;
            all.insert(key.to_owned(), rows.into());
        }
        Ok(all.into())
    }
}

/// A workshop as its trail shows it; by its number twice, as every snapshot takes a workshop and a number.
const WORKSHOP_SNAPSHOT: &str = "SELECT 'workshop', JSON_MERGE_PATCH(JSON_OBJECT('name', name), \
     COALESCE(settings, '{}')) FROM workshops WHERE id = ? AND id = ? FOR UPDATE";

impl WorkshopStore {
    /// Sets the workshop's name and its settings, JSON, with the line in the audit trail.
    pub async fn set_settings(&self, by: PersonId, name: &str, settings: &str) -> Result<(), StoreError> {
        let id = self.workshop.0;
        let mut transaction = self.pool.begin().await?;
        let before = snapshot(&mut transaction, WORKSHOP_SNAPSHOT, self.workshop, id).await?;
        sqlx::query("UPDATE workshops SET name = ?, settings = ? WHERE id = ?")
            .bind(name)
            .bind(settings)
            .bind(self.workshop)
            .execute(&mut *transaction)
            .await?;
        let audit = self.audit(by, AuditAction::Settings);
        audit.changed(&mut transaction, WORKSHOP_SNAPSHOT, id, before).await?;
        transaction.commit().await?;
        Ok(())
    }
}
