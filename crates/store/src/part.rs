//! Parts: magnets, bobbins, plates and what else goes into a pickup, with stock and cost.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, DesignId, PartId, PersonId, RunId, StoreError, Stored, WorkshopStore};
use sqlx::FromRow;
use time::PrimitiveDateTime;
use trade::stock::PartKind;

/// A kind of part.
#[derive(Clone, Debug, FromRow)]
pub struct Part {
    /// Number.
    pub id: PartId,
    /// Kind, by its word.
    pub kind: Stored<PartKind>,
    /// Name.
    pub name: String,
    /// What one costs.
    pub each_cost: Option<f64>,
    /// When to order more.
    pub order_below: Option<u32>,
    /// Who sells it.
    pub supplier: String,
    /// How many are there.
    pub stock: i64,
    /// Counts the changes of its details.
    pub version: u32,
}

/// A part to add.
#[derive(Clone, Debug)]
pub struct NewPart {
    /// Key of the submission.
    pub key: ClientKey,
    /// Kind, by its word.
    pub kind: PartKind,
    /// Name, unique in the workshop.
    pub name: String,
    /// What one costs.
    pub each_cost: Option<f64>,
    /// When to order more.
    pub order_below: Option<u32>,
    /// Who sells it.
    pub supplier: String,
    /// How many are there.
    pub stock: i32,
}

/// What can be changed of a part.
#[derive(Clone, Debug, Default)]
pub struct PartDetails {
    /// What one costs.
    pub each_cost: Option<f64>,
    /// When to order more.
    pub order_below: Option<u32>,
    /// Who sells it.
    pub supplier: String,
    /// The state that was seen; `None` writes over whatever is there.
    pub version: Option<u32>,
}

/// Stock that came or went.
#[derive(Clone, Debug, FromRow)]
pub struct StockMovement {
    /// How many: above nothing came, below went.
    pub by_count: i32,
    /// Why.
    pub why: String,
    /// For which run.
    pub run_id: Option<RunId>,
    /// That run's number.
    pub run: Option<u32>,
    /// Who.
    pub by: String,
    /// When, UTC.
    pub moved_at: PrimitiveDateTime,
}

/// How a part stands, for the trail of changes.
const PART: &str = "SELECT name, JSON_OBJECT('cost each', each_cost, 'order below', order_below, 'supplier', supplier) \
     FROM parts WHERE workshop_id = ? AND id = ? FOR UPDATE";

impl WorkshopStore {
    /// Adds a part with its stock; the same key again adds nothing.
    pub async fn add_part(&self, by: PersonId, new: &NewPart) -> Result<PartId, StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO parts (workshop_id, client_key, kind, name, each_cost, order_below, supplier) \
             VALUES (?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(new.key.as_str())
        .bind(Stored(new.kind))
        .bind(&new.name)
        .bind(new.each_cost)
        .bind(new.order_below)
        .bind(&new.supplier)
        .execute(&mut *tx)
        .await;
        let Some(done) = added_once("parts", done)? else {
            tx.rollback().await?;
            return Ok(PartId(self.known_number("parts", &new.key).await?));
        };
        let id = PartId(done.last_insert_id());
        if new.stock != 0 {
            sqlx::query(
                "INSERT INTO part_moves (workshop_id, part_id, client_key, by_count, why, by_id) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(workshop)
            .bind(id)
            .bind(new.key.as_str())
            .bind(new.stock)
            .bind("counted when it was entered")
            .bind(by)
            .execute(&mut *tx)
            .await?;
        }
        self.audit(by, AuditAction::Part).changed(&mut tx, PART, id.0, None).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// All parts with their stock, by kind and name.
    pub async fn parts(&self) -> Result<Vec<Part>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT p.id, p.kind, p.name, p.each_cost, p.order_below, p.supplier, p.version, \
             CAST(COALESCE((SELECT SUM(m.by_count) FROM part_moves m WHERE m.part_id = p.id), 0) AS SIGNED) AS stock \
             FROM parts p WHERE p.workshop_id = ? AND p.retired_at IS NULL ORDER BY p.kind, p.name",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Gives a part another name.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when another part of the workshop has it.
    pub async fn rename_part(&self, by: PersonId, id: PartId, name: &str) -> Result<(), StoreError> {
        const STANDS: &str =
            "SELECT name, JSON_OBJECT('name', name) FROM parts WHERE workshop_id = ? AND id = ? FOR UPDATE";
        let mut change = self.begin_change(by, AuditAction::Part, ("part", STANDS), id.0).await?;
        sqlx::query("UPDATE parts SET name = ?, version = version + 1 WHERE id = ?")
            .bind(name)
            .bind(id)
            .execute(&mut *change.tx)
            .await?;
        change.write().await
    }

    /// Saves what a part costs, when to order more, and who sells it.
    pub async fn update_part(
        &self,
        by: PersonId,
        id: PartId,
        details: &PartDetails,
    ) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, AuditAction::Part, ("part", PART), id.0).await?;
        let done = sqlx::query(
            "UPDATE parts SET each_cost = ?, order_below = ?, supplier = ?, version = version + 1 \
             WHERE workshop_id = ? AND id = ? AND (? IS NULL OR version = ?)",
        )
        .bind(details.each_cost)
        .bind(details.order_below)
        .bind(&details.supplier)
        .bind(self.workshop)
        .bind(id)
        .bind(details.version)
        .bind(details.version)
        .execute(&mut *change.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed("part"));
        }
        change.write().await
    }

    /// Moves stock of several parts at once, all or none; the same key again moves nothing.
    pub async fn move_parts(
        &self,
        by: PersonId,
        key: &ClientKey,
        moves: &[(PartId, i32)],
        why: &str,
        run: Option<RunId>,
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        for (part, count) in moves {
            let done = sqlx::query(
                "INSERT INTO part_moves (workshop_id, part_id, client_key, by_count, why, run_id, by_id) \
                 SELECT p.workshop_id, p.id, ?, ?, ?, (SELECT id FROM runs WHERE workshop_id = p.workshop_id AND id = ?), ? \
                 FROM parts p WHERE p.workshop_id = ? AND p.id = ?",
            )
            .bind(key.as_str())
            .bind(count)
            .bind(why)
            .bind(run)
            .bind(by)
            .bind(workshop)
            .bind(part)
            .execute(&mut *tx)
            .await;
            let Some(done) = added_once("part_moves", done)? else { return Ok(()) };
            if done.rows_affected() == 0 {
                return Err(StoreError::Missing("part"));
            }
        }
        tx.commit().await?;
        Ok(())
    }

    /// The last movements of every part, newest first, up to `most` of each.
    pub async fn stock_movements(&self, most: u32) -> Result<Vec<(PartId, StockMovement)>, StoreError> {
        #[derive(FromRow)]
        struct Row {
            part_id: PartId,
            #[sqlx(flatten)]
            movement: StockMovement,
        }
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT m.part_id, m.by_count, m.why, m.run_id, u.number AS run, p.name AS `by`, m.moved_at FROM \
             (SELECT id, part_id, by_count, why, run_id, by_id, moved_at, \
               ROW_NUMBER() OVER (PARTITION BY part_id ORDER BY id DESC) AS place \
               FROM part_moves WHERE workshop_id = ?) m \
             JOIN people p ON p.id = m.by_id LEFT JOIN runs u ON u.id = m.run_id \
             WHERE m.place <= ? ORDER BY m.part_id, m.id DESC",
        )
        .bind(self.workshop)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|row| (row.part_id, row.movement)).collect())
    }

    /// Sets how many of each part one pickup of a design takes, all or none; a count of none takes it off the list.
    pub async fn set_design_parts(
        &self,
        by: PersonId,
        design: DesignId,
        counts: &[(PartId, u32)],
    ) -> Result<(), StoreError> {
        const STANDS: &str = "SELECT (SELECT r.name FROM revisions r WHERE r.design_id = d.id ORDER BY r.is_variant, r.number DESC LIMIT 1), \
             COALESCE((SELECT CONCAT('{', GROUP_CONCAT(CONCAT(JSON_QUOTE(p.name), ': ', t.count) ORDER BY p.name \
             SEPARATOR ', '), '}') FROM design_parts t JOIN parts p ON p.id = t.part_id WHERE t.design_id = d.id), '{}') \
             FROM designs d WHERE d.workshop_id = ? AND d.id = ? FOR UPDATE";
        let mut change =
            self.begin_change(by, AuditAction::DesignParts, ("design", STANDS), design.0).await?;
        for (part, count) in counts {
            let sql = if *count == 0 {
                sqlx::query(
                    "DELETE FROM design_parts WHERE workshop_id = ? AND design_id = ? AND part_id = ?",
                )
            } else {
                sqlx::query(
                    "INSERT INTO design_parts (workshop_id, design_id, part_id, count) \
                     SELECT d.workshop_id, d.id, p.id, ? FROM designs d JOIN parts p ON p.workshop_id = d.workshop_id \
                     WHERE d.workshop_id = ? AND d.id = ? AND p.id = ? ON DUPLICATE KEY UPDATE count = VALUES(count)",
                )
                .bind(*count)
            };
            sql.bind(self.workshop).bind(design).bind(*part).execute(&mut *change.tx).await?;
        }
        change.write().await
    }

    /// What one pickup of a design takes: the parts with how many.
    pub async fn design_parts(&self, design: DesignId) -> Result<Vec<(PartId, u32)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as("SELECT part_id, count FROM design_parts WHERE workshop_id = ? AND design_id = ?")
            .bind(workshop)
            .bind(design)
            .fetch_all(&self.pool)
            .await?)
    }

    /// Whether parts were taken for a run.
    pub async fn parts_taken(&self, run: RunId) -> Result<bool, StoreError> {
        let workshop = self.workshop;
        let sum: i64 = sqlx::query_scalar(
            "SELECT CAST(COALESCE(SUM(by_count), 0) AS SIGNED) FROM part_moves WHERE workshop_id = ? AND run_id = ?",
        )
        .bind(workshop)
        .bind(run)
        .fetch_one(&self.pool)
        .await?;
        Ok(sum < 0)
    }
}
