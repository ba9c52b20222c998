//! `filamentum backup`, `verify` and `restore`.

use crate::configuration::DatabaseArguments;
use crate::database::Database;
use anyhow::{Context as _, bail};
use serde_json::json;
use std::io::{IsTerminal as _, Write as _};
use std::path::Path;
use std::process::ExitCode;
use store::StoreError;
use workshop::{BackupError, Manifest, restore_archive, verify_archive, write_archive};

fn say(manifest: &Manifest, path: &Path, what: &str) {
    println!(
        "{what} {}: {} facts of {} kinds, as of {} UTC, SHA-256 of each checked.",
        path.display(),
        manifest.rows(),
        manifest.members.len(),
        manifest.taken_at.replace_nanosecond(0).unwrap_or(manifest.taken_at)
    );
}

/// Prints what is wrong with an archive for programs, and the status of a document that is refused; `None` where something
/// else failed.
pub(crate) fn refused(error: &anyhow::Error) -> Option<ExitCode> {
    let why = error.chain().find_map(|cause| cause.downcast_ref::<BackupError>())?;
    let try_ = match why {
        BackupError::File { .. } => "name a file that can be read and written, on a disk with room",
        BackupError::Store(StoreError::InUseBy(_)) => {
            "stop the program that serves from this database, then restore"
        }
        BackupError::Store(StoreError::NotEmpty) => "restore into a new folder, named with --data",
        BackupError::Store(_) | BackupError::Task(_) | BackupError::Stopped => return None,
        _ => "take another backup: this one was changed or cut short",
    };
    let one = json!({"at": why.at(), "code": why.code(), "text": why.to_string(), "try": try_});
    println!("{}", json!({ "errors": [one] }));
    Some(ExitCode::from(2))
}

/// Shows the share that is done where somebody looks.
fn progress(share: f64) {
    let mut out = std::io::stderr();
    if out.is_terminal() {
        let _ = write!(out, "\r{:3.0} %{}", share * 100.0, if share >= 1.0 { "\n" } else { "" });
    }
}

/// Writes an archive, also while the program serves, and reads it back.
pub(crate) async fn backup(database: &DatabaseArguments, path: &Path) -> anyhow::Result<()> {
    if path.exists() {
        bail!("{} is there already: name another file", path.display());
    }
    let database = Database::beside(&database.settings()?).await?;
    let store = database.store().await?;
    let written = async {
        if !store.has_workshop().await? {
            bail!("nothing was set up in this database yet");
        }
        write_archive(&store, path, |share| {
            progress(share);
            true
        })
        .await?;
        Ok(verify_archive(path).await?)
    };
    let written = written.await;
    store.close().await;
    database.close().await;
    say(&written.context("the backup was not written")?, path, "Written");
    Ok(())
}

/// Says whether an archive is whole.
pub(crate) async fn verify(path: &Path) -> anyhow::Result<()> {
    let manifest = verify_archive(path).await.context("this archive cannot be relied on")?;
    say(&manifest, path, "Whole:");
    Ok(())
}

/// Restores an archive into an empty database.
pub(crate) async fn restore(database: &DatabaseArguments, path: &Path) -> anyhow::Result<()> {
    // Before a server is started or a folder made for it.
    verify_archive(path).await.context("this archive cannot be relied on")?;
    let database = Database::beside(&database.settings()?).await?;
    let restored = restore_archive(&database.url, database.transport(), path, progress).await;
    if let Ok((store, _)) = &restored {
        store.close().await;
    }
    database.close().await;
    let (_, manifest) = restored.context("nothing was restored")?;
    say(&manifest, path, "Restored");
    Ok(())
}
