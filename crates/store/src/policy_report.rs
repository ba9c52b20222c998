//! What browsers report of the content security policy: which page asked for what it may not.

use crate::{Store, StoreError};
use sha2::{Digest as _, Sha256};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// Most kinds of report that are kept; the one reported longest ago goes first.
const MOST: u32 = 200;
/// Longest text of a field, letters.
const LONGEST: usize = 200;

/// A report, as a browser sends it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct NewPolicyReport {
    /// The directive that was violated.
    pub directive: String,
    /// What was blocked: an address, or a word such as `inline`.
    pub blocked: String,
    /// The path of the page.
    pub page: String,
    /// Where in what the violation stands, as `file:line`.
    pub source: String,
}

/// Equal reports, counted.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct PolicyReport {
    /// The directive that was violated.
    pub directive: String,
    /// What was blocked.
    pub blocked: String,
    /// The path of the page.
    pub page: String,
    /// Where in what the violation stands.
    pub source: String,
    /// How often it was reported.
    pub count: u32,
    /// When it was reported last, UTC.
    pub last_at: PrimitiveDateTime,
}

fn cut(text: &str, most: usize) -> String {
    text.chars().filter(|c| !c.is_control()).take(most).collect()
}

impl Store {
    /// Keeps a report, or counts it where an equal one is kept.
    pub async fn keep_policy_report(&self, new: &NewPolicyReport) -> Result<(), StoreError> {
        let fields = [
            cut(&new.directive, 60),
            cut(&new.blocked, LONGEST),
            cut(&new.page, LONGEST),
            cut(&new.source, LONGEST),
        ];
        let digest: [u8; 32] = Sha256::digest(fields.join("\n")).into();
        let [directive, blocked, page, source] = fields;
        sqlx::query(
            "INSERT INTO policy_reports (digest, directive, blocked, page, source) VALUES (?, ?, ?, ?, ?) \
             ON DUPLICATE KEY UPDATE count = LEAST(count + 1, 1000000000), last_at = UTC_TIMESTAMP(6)",
        )
        .bind(&digest[..16])
        .bind(directive)
        .bind(blocked)
        .bind(page)
        .bind(source)
        .execute(&self.pool)
        .await?;
        let past: Option<PrimitiveDateTime> =
            sqlx::query_scalar("SELECT last_at FROM policy_reports ORDER BY last_at DESC LIMIT 1 OFFSET ?")
                .bind(MOST)
                .fetch_optional(&self.pool)
                .await?;
        if let Some(past) = past {
            sqlx::query("DELETE FROM policy_reports WHERE last_at <= ?")
                .bind(past)
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }

    /// The reports that are kept, the last first.
    pub async fn policy_reports(&self) -> Result<Vec<PolicyReport>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT directive, blocked, page, source, count, last_at FROM policy_reports ORDER BY last_at DESC LIMIT ?",
        )
        .bind(MOST)
        .fetch_all(&self.pool)
        .await?)
    }
}
