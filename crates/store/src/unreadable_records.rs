//! What becomes of records that cannot be read: noted by whoever reads a list, exported as they are, deleted.

use crate::audit::AuditAction;
use crate::unreadable::RecordKind;
use crate::{PersonId, StoreError, WorkshopStore};

impl RecordKind {
    /// Selects its document by workshop and number.
    const fn document(self) -> &'static str {
        match self {
            Self::Revision => "SELECT document FROM revisions WHERE workshop_id = ? AND id = ?",
            Self::PickupSet => "SELECT document FROM pickup_sets WHERE workshop_id = ? AND id = ?",
            Self::Rewind => "SELECT document FROM rewinds WHERE workshop_id = ? AND id = ?",
            Self::Order => "SELECT document FROM orders WHERE workshop_id = ? AND id = ?",
            Self::Traveller => "SELECT document FROM travellers WHERE workshop_id = ? AND CRC32(kind) = ?",
            Self::Calibration => "SELECT document FROM calibrations WHERE workshop_id = ? AND id = ?",
            Self::Run => {
                "SELECT CONCAT_WS('\\n', document, calibration, traveller, \
                 (SELECT GROUP_CONCAT(CONCAT_WS('\\n', v.comparisons, v.causes, v.missed) SEPARATOR '\\n') FROM verdicts v \
                   WHERE v.run_id = runs.id), \
                 (SELECT GROUP_CONCAT(s.points SEPARATOR '\\n') FROM sweeps s WHERE s.run_id = runs.id)) \
                 FROM runs WHERE workshop_id = ? AND id = ?"
            }
        }
    }

    /// Selects what it is called, and how much its document holds, for the trail of changes.
    const fn snapshot(self) -> &'static str {
        match self {
            Self::Revision => {
                "SELECT CONCAT(name, ' r', number), JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM revisions \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::PickupSet => {
                "SELECT name, JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM pickup_sets \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Rewind => {
                "SELECT name, JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM rewinds \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Order => {
                "SELECT CONCAT('order ', number), JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM orders \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Calibration => {
                "SELECT CONCAT('calibration ', number), JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM calibrations \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
            Self::Traveller => {
                "SELECT kind, JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM travellers \
                 WHERE workshop_id = ? AND CRC32(kind) = ? FOR UPDATE"
            }
            Self::Run => {
                "SELECT CONCAT('run ', number), JSON_OBJECT('unreadable letters', CHAR_LENGTH(document)) FROM runs \
                 WHERE workshop_id = ? AND id = ? FOR UPDATE"
            }
        }
    }

    /// Deletes it, and a design that has no revision left.
    const fn deletion(self) -> &'static [&'static str] {
        match self {
            Self::Revision => &[
                "DELETE FROM sweeps WHERE workshop_id = ? AND revision_id = ? AND run_id IS NULL",
                "DELETE FROM revisions WHERE workshop_id = ? AND id = ?",
            ],
            Self::PickupSet => &["DELETE FROM pickup_sets WHERE workshop_id = ? AND id = ?"],
            Self::Rewind => &["DELETE FROM rewinds WHERE workshop_id = ? AND id = ?"],
            Self::Order => &["DELETE FROM orders WHERE workshop_id = ? AND id = ?"],
            Self::Calibration => &["DELETE FROM calibrations WHERE workshop_id = ? AND id = ?"],
            Self::Traveller => &["DELETE FROM travellers WHERE workshop_id = ? AND CRC32(kind) = ?"],
            Self::Run => &[
                "DELETE FROM verdicts WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM run_predictions WHERE workshop_id = ? AND run_id = ?",
                "UPDATE readings SET corrects_id = NULL WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM readings WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM run_events WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM signatures WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM operation_starts WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM timers WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM sweeps WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM logbook WHERE workshop_id = ? AND run_id = ?",
                "DELETE FROM runs WHERE workshop_id = ? AND id = ?",
            ],
        }
    }

    const fn action(self) -> AuditAction {
        match self {
            Self::Revision => AuditAction::Design,
            Self::PickupSet => AuditAction::PickupSet,
            Self::Rewind => AuditAction::Rewind,
            Self::Order => AuditAction::Order,
            Self::Run => AuditAction::Run,
            Self::Traveller => AuditAction::Traveller,
            Self::Calibration => AuditAction::Calibration,
        }
    }
}

impl WorkshopStore {
    /// What was read of a record of a list; none where it cannot be read, which is noted.
    ///
    /// # Errors
    /// Any other fault.
    pub fn readable<T>(
        &self,
        kind: RecordKind,
        id: u64,
        name: &str,
        read: Result<T, StoreError>,
    ) -> Result<Option<T>, StoreError> {
        match self.noted(kind, id, name, read) {
            Ok(found) => Ok(Some(found)),
            Err(StoreError::Unreadable { .. }) => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// What was read of a record; one that cannot be read is noted.
    ///
    /// # Errors
    /// As it was read.
    pub fn noted<T>(
        &self,
        kind: RecordKind,
        id: u64,
        name: &str,
        read: Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        if let Err(StoreError::Unreadable { detail, .. }) = &read {
            self.unreadable.note((self.workshop, kind, id), name.to_owned(), detail);
        }
        read
    }

    /// The text of a record's document, whatever it says.
    ///
    /// # Errors
    /// [`StoreError::Missing`].
    pub async fn record_text(&self, kind: RecordKind, id: u64) -> Result<String, StoreError> {
        sqlx::query_scalar(kind.document())
            .bind(self.workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("record"))
    }

    /// Deletes a record that reading came across as unreadable.
    ///
    /// # Errors
    /// [`StoreError::Missing`] where none was; [`StoreError::InUse`] where something depends on it.
    pub async fn delete_unreadable(&self, by: PersonId, kind: RecordKind, id: u64) -> Result<(), StoreError> {
        if !self
            .unreadable
            .in_workshop(self.workshop)
            .iter()
            .any(|record| record.kind == kind && record.id == id)
        {
            return Err(StoreError::Missing("unreadable record"));
        }
        let mut change = self.begin_change(by, kind.action(), ("record", kind.snapshot()), id).await?;
        for &sql in kind.deletion() {
            let done = sqlx::query(sql).bind(self.workshop).bind(id).execute(&mut *change.tx).await;
            done.map_err(|error| match StoreError::from(error) {
                StoreError::Referenced => StoreError::InUse("record"),
                other => other,
            })?;
        }
        change.write().await?;
        self.unreadable.forget((self.workshop, kind, id));
        Ok(())
    }
}
