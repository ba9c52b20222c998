//! Migrations that were released stay as they are: a database that has run one never runs it again.

use std::fmt::Write as _;

/// Number and checksum of every migration.
const KNOWN: &str = include_str!("checksums.txt");

#[test]
fn a_migration_is_never_edited() {
    let mut now = String::new();
    for migration in sqlx::migrate!().iter() {
        let checksum: String = migration.checksum.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
        writeln!(now, "{:04} {checksum}", migration.version).unwrap();
    }
    let changed: Vec<&str> = KNOWN.lines().filter(|line| !now.lines().any(|found| found == *line)).collect();
    assert!(changed.is_empty(), "these were edited after they were released: {changed:?}");
    let new: Vec<&str> = now.lines().filter(|line| !KNOWN.lines().any(|known| known == *line)).collect();
    assert!(new.is_empty(), "add these lines to checksums.txt:\n{}", new.join("\n"));
}
