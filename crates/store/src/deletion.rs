//! Deleting what nothing depends on: the tables' own references refuse everything else.

use crate::audit::AuditAction;
use crate::{PersonId, StoreError, WorkshopStore};
use strum::{EnumString, IntoStaticStr, VariantArray};

/// What can be deleted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumString, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Deletable {
    /// A design with all its revisions, named by one of them: nothing was wound, swept or compared of it, and no set, order or
    /// examined pickup names it.
    Revision,
    /// A spool with its checks: nothing was wound of it.
    Spool,
    /// A part with its stock: no design takes it, and no run took one.
    Part,
    /// An instrument: nothing was read with it or wound on it, and no spool is assigned to it.
    Instrument,
    /// A set of pickups: nothing was wound for it, and no order names it.
    PickupSet,
    /// An examined pickup: no order names it.
    Rewind,
    /// An experiment that nobody listened for.
    Experiment,
    /// An order that nothing was wound for.
    Order,
}

impl Deletable {
    /// What it is called in messages.
    const fn name(self) -> &'static str {
        match self {
            Self::Revision => "design",
            Self::Spool => "spool",
            Self::Part => "part",
            Self::Instrument => "instrument",
            Self::PickupSet => "set",
            Self::Rewind => "examined pickup",
            Self::Experiment => "experiment",
            Self::Order => "order",
        }
    }

    const fn action(self) -> AuditAction {
        match self {
            Self::Revision => AuditAction::Design,
            Self::Spool => AuditAction::Spool,
            Self::Part => AuditAction::Part,
            Self::Instrument => AuditAction::Instrument,
            Self::PickupSet => AuditAction::PickupSet,
            Self::Rewind => AuditAction::Rewind,
            Self::Experiment => AuditAction::Experiment,
            Self::Order => AuditAction::Order,
        }
    }

    /// How it stands, by workshop and number, and locked.
    const fn stands(self) -> &'static str {
        match self {
            Self::Revision => {
                "SELECT r.name, JSON_OBJECT('revisions', (SELECT COUNT(*) FROM revisions o WHERE o.design_id = r.design_id)) \
                 FROM revisions r JOIN designs d ON d.id = r.design_id WHERE r.workshop_id = ? AND r.id = ? FOR UPDATE"
            }
            Self::Spool => {
                "SELECT label, JSON_OBJECT('gauge', gauge, 'supplier', supplier, 'lot', lot) FROM spools \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Part => {
                "SELECT name, JSON_OBJECT('kind', kind, 'supplier', supplier, 'cost each', each_cost) FROM parts \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Instrument => {
                "SELECT name, JSON_OBJECT('address', address) FROM instruments WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::PickupSet => {
                "SELECT name, JSON_OBJECT('version', version) FROM pickup_sets WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Rewind => {
                "SELECT name, JSON_OBJECT('conclusion', conclusion) FROM rewinds WHERE workshop_id = ? AND id = ? \
                 FOR UPDATE"
            }
            Self::Experiment => {
                "SELECT question, JSON_OBJECT('closed', closed) FROM experiments WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Order => {
                "SELECT CONCAT('order ', number), JSON_OBJECT('customer', customer, 'state', state) FROM orders \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
        }
    }

    /// Asks whether a document names it, by workshop and number: documents are no rows that could refuse.
    const fn named_by(self) -> Option<&'static str> {
        match self {
            Self::Revision => Some(
                "SELECT EXISTS (SELECT 1 FROM revisions r JOIN revisions o ON o.design_id = r.design_id \
                 WHERE r.workshop_id = ? AND r.id = ? AND (\
                 EXISTS (SELECT 1 FROM pickup_sets s WHERE s.workshop_id = r.workshop_id \
                   AND JSON_CONTAINS(JSON_EXTRACT(s.document, '$.pickups[*].revision'), CAST(o.id AS CHAR))) \
                 OR EXISTS (SELECT 1 FROM orders d WHERE d.workshop_id = r.workshop_id \
                   AND JSON_CONTAINS(JSON_EXTRACT(d.document, '$.lines[*].item.revision'), CAST(o.id AS CHAR)))))",
            ),
            Self::PickupSet => Some(
                "SELECT EXISTS (SELECT 1 FROM pickup_sets s JOIN orders d ON d.workshop_id = s.workshop_id \
                 WHERE s.workshop_id = ? AND s.id = ? \
                 AND JSON_CONTAINS(JSON_EXTRACT(d.document, '$.lines[*].item.set'), CAST(s.id AS CHAR)))",
            ),
            Self::Rewind => Some(
                "SELECT EXISTS (SELECT 1 FROM rewinds p JOIN orders d ON d.workshop_id = p.workshop_id \
                 WHERE p.workshop_id = ? AND p.id = ? \
                 AND JSON_CONTAINS(JSON_EXTRACT(d.document, '$.lines[*].item.rewind'), CAST(p.id AS CHAR)))",
            ),
            _ => None,
        }
    }

    /// What is deleted, in this order: what belongs to it alone, then the thing itself. Each statement takes the number.
    const fn statements(self) -> &'static [&'static str] {
        match self {
            Self::Revision => &[],
            Self::Spool => &[
                "DELETE FROM photos WHERE subject = 'spool' AND subject_id = ?",
                "DELETE FROM spool_checks WHERE spool_id = ?",
                "DELETE FROM spools WHERE id = ?",
            ],
            Self::Part => &[
                "DELETE FROM part_moves WHERE part_id = ? AND run_id IS NULL",
                "DELETE FROM parts WHERE id = ?",
            ],
            Self::Instrument => &["DELETE FROM instruments WHERE id = ?"],
            Self::PickupSet => &["DELETE FROM pickup_sets WHERE id = ?"],
            Self::Rewind => &[
                "DELETE FROM photos WHERE subject = 'reference' AND subject_id = ?",
                "DELETE FROM rewinds WHERE id = ?",
            ],
            Self::Experiment => &[
                "DELETE FROM experiment_arms WHERE experiment_id = ?",
                "DELETE FROM experiments WHERE id = ?",
            ],
            Self::Order => &[
                "DELETE FROM photos WHERE subject = 'order' AND subject_id = ?",
                "DELETE FROM orders WHERE id = ?",
            ],
        }
    }
}

/// A design's own rows, then its revisions and itself; each statement takes the design's number.
const OF_DESIGN: [&str; 5] = [
    "DELETE FROM design_tags WHERE design_id = ?",
    "DELETE FROM design_parts WHERE design_id = ?",
    "UPDATE revisions SET parent_id = NULL WHERE design_id = ?",
    "DELETE FROM revisions WHERE design_id = ?",
    "DELETE FROM designs WHERE id = ?",
];

impl WorkshopStore {
    /// Deletes something for good, with what belongs to it alone, and notes in the audit trail what it was.
    ///
    /// # Errors
    /// [`StoreError::InUse`] when something depends on it: then nothing is deleted. [`StoreError::Missing`].
    pub async fn delete(&self, by: PersonId, what: Deletable, id: u64) -> Result<(), StoreError> {
        let mut change = self.begin_change(by, what.action(), (what.name(), what.stands()), id).await?;
        if let Some(sql) = what.named_by() {
            let is_named: bool =
                sqlx::query_scalar(sql).bind(self.workshop).bind(id).fetch_one(&mut *change.tx).await?;
            if is_named {
                return Err(StoreError::InUse(what.name()));
            }
        }
        let (number, statements) = if what == Deletable::Revision {
            let design: u64 = sqlx::query_scalar("SELECT design_id FROM revisions WHERE id = ?")
                .bind(id)
                .fetch_one(&mut *change.tx)
                .await?;
            (design, OF_DESIGN.as_slice())
        } else {
            (id, what.statements())
        };
        for &sql in statements {
            sqlx::query(sql).bind(number).execute(&mut *change.tx).await.map_err(|error| {
                match StoreError::from(error) {
                    StoreError::Referenced => StoreError::InUse(what.name()),
                    other => other,
                }
            })?;
        }
        change.write().await
    }
}
