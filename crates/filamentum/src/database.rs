//! The database that a command works on: the one of `DATABASE_URL`, or the private one of a folder.

use crate::configuration::DatabaseSettings;
use anyhow::{Context as _, bail};
use dev_database::{Durability, PrivateServer, ServerError, is_data_folder};
use std::path::Path;
use store::{Store, Transport};

/// A database that can be reached: a private server is started for it unless one is running.
pub(crate) struct Database {
    /// Its address.
    pub url: String,
    /// The private server, where this program started it.
    pub private: Option<PrivateServer>,
    in_clear: bool,
    migration_url: Option<String>,
}

impl Database {
    /// For serving: the folder is this program's alone.
    pub(crate) async fn to_serve(of: &DatabaseSettings, is_fresh: bool) -> anyhow::Result<Self> {
        if let Some(url) = of.url.clone() {
            if is_fresh {
                bail!("--fresh only clears a private database: empty the one of DATABASE_URL yourself");
            }
            return Ok(Self {
                url,
                private: None,
                in_clear: of.in_clear,
                migration_url: of.migration_url.clone(),
            });
        }
        if is_fresh {
            clear(&of.data)?;
        }
        let server = PrivateServer::start(&of.data, Durability::Full).await?;
        Ok(Self {
            url: server.url("filamentum"),
            private: Some(server),
            in_clear: false,
            migration_url: None,
        })
    }

    /// For a command beside it: also while another one serves from the folder.
    pub(crate) async fn beside(of: &DatabaseSettings) -> anyhow::Result<Self> {
        if let Some(url) = of.url.clone() {
            return Ok(Self {
                url,
                private: None,
                in_clear: of.in_clear,
                migration_url: of.migration_url.clone(),
            });
        }
        match PrivateServer::start(&of.data, Durability::Full).await {
            Ok(server) => Ok(Self {
                url: server.url("filamentum"),
                private: Some(server),
                in_clear: false,
                migration_url: None,
            }),
            Err(ServerError::InUse(folder)) => {
                let url = PrivateServer::running_url(&folder, "filamentum");
                let url = url.with_context(|| {
                    format!("{} is in use, and its server is not up yet", folder.display())
                })?;
                Ok(Self { url, private: None, in_clear: false, migration_url: None })
            }
            Err(error) => Err(error.into()),
        }
    }

    /// Connects, and brings the tables up to date.
    pub(crate) async fn store(&self) -> anyhow::Result<Store> {
        let why = "cannot use the database; check that it runs, and its address, name and password";
        let connected = match &self.migration_url {
            Some(migration) => Store::connect_as_two(&self.url, migration, self.transport()).await,
            None => Store::connect_to(&self.url, self.transport()).await,
        };
        connected.context(why)
    }

    /// How it may be reached.
    pub(crate) const fn transport(&self) -> Transport {
        if self.in_clear { Transport::InClear } else { Transport::Protected }
    }

    /// Stops what this program started.
    pub(crate) async fn close(self) {
        if let Some(server) = self.private {
            server.stop().await;
        }
    }
}

/// Removes a data folder of ours, and nothing that does not look like one.
fn clear(folder: &Path) -> anyhow::Result<()> {
    let absent_or_empty = std::fs::read_dir(folder).map_or(true, |mut entries| entries.next().is_none());
    if absent_or_empty {
        return Ok(());
    }
    if !is_data_folder(folder) {
        bail!(
            "{} is not a data folder of Filamentum, so --fresh leaves it alone: choose another with --data",
            folder.display()
        );
    }
    let lock = std::fs::File::create(folder.join("lock"))?;
    if lock.try_lock().is_err() {
        bail!("{} is in use by another Filamentum: stop that one first", folder.display());
    }
    std::fs::remove_dir_all(folder).with_context(|| format!("cannot remove {}", folder.display()))
}
