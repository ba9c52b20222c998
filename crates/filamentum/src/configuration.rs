//! The configuration: the command line over the environment over a file over what is usual.

use anyhow::{Context as _, bail};
use clap::Args;
use serde::Deserialize;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::path::{Path, PathBuf};
use web::{BaseUrl, Certificate, ServeOptions, Timeouts};
use workshop::{BackupFolder, ProviderSettings};

/// Where it listens without a word.
const USUAL_LISTEN: SocketAddr = SocketAddr::new(IpAddr::V4(Ipv4Addr::LOCALHOST), 8090);
/// How many backups are kept without a word.
const USUAL_KEPT: usize = 14;

/// Which database, and which file says so.
#[derive(Args, Clone, Debug, Default)]
pub(crate) struct DatabaseArguments {
    /// Folder of the private MariaDB, where no other database is named. Without it, “data”.
    #[arg(long, env = "FILAMENTUM_DATA")]
    pub data: Option<PathBuf>,
    /// Configuration file (TOML); docs/filamentum.toml names every setting.
    #[arg(long, env = "FILAMENTUM_CONFIG")]
    pub config: Option<PathBuf>,
    /// The database of another machine may be reached without TLS: everything is then read on the way.
    #[arg(long)]
    pub database_in_clear: bool,
}

/// Where and on what to serve.
#[derive(Args, Clone, Debug)]
pub(crate) struct ServeArguments {
    /// Port on loopback, in place of --listen.
    #[arg(long, conflicts_with = "listen")]
    pub port: Option<u16>,
    /// Address and port to listen on. Without it, 127.0.0.1:8090.
    #[arg(long, env = "FILAMENTUM_LISTEN")]
    pub listen: Option<SocketAddr>,
    #[command(flatten)]
    pub database: DatabaseArguments,
    /// The address that people reach it at, such as `https://pickups.example`: links and codes are made of it, and requests
    /// to another name are refused. Without it, the one that is listened on.
    #[arg(long, env = "FILAMENTUM_BASE_URL")]
    pub base_url: Option<BaseUrl>,
    /// Address of a proxy in front of it whose X-Forwarded-For is believed; separate several with commas.
    #[arg(long, env = "FILAMENTUM_TRUSTED_PROXIES", value_delimiter = ',')]
    pub trusted_proxy: Vec<IpAddr>,
    /// Certificate chain (PEM) to serve TLS with, by this program itself.
    #[arg(long, env = "FILAMENTUM_CERTIFICATE")]
    pub certificate: Option<PathBuf>,
    /// Its private key (PEM).
    #[arg(long, env = "FILAMENTUM_KEY")]
    pub key: Option<PathBuf>,
    /// Serve without TLS on a network: whoever is in between reads passwords.
    #[arg(long, env = "FILAMENTUM_PLAIN_HTTP")]
    pub plain_http: bool,
    /// Begin anew: removes what is in the data folder.
    #[arg(long)]
    pub fresh: bool,
    /// Folder for backups; without it, one beside the data folder, with “-backups” after its name. One is written every day.
    #[arg(long, env = "FILAMENTUM_BACKUPS")]
    pub backups: Option<PathBuf>,
    /// How many backups are kept. Without it, 14.
    #[arg(long, env = "FILAMENTUM_KEEP_BACKUPS")]
    pub keep_backups: Option<usize>,
    /// File of the key that seals the secrets of second factors; made where there is none. Without it, one beside the data
    /// folder, with “-secret.key” after its name.
    #[arg(long, env = "FILAMENTUM_SECRET_KEY")]
    pub secret_key: Option<PathBuf>,
}

/// The provider of single sign-on, as a file names it.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct ProviderEntry {
    name: String,
    issuer: String,
    client_id: String,
    client_secret_file: PathBuf,
}

impl ProviderEntry {
    fn settings(self) -> anyhow::Result<ProviderSettings> {
        let path = self.client_secret_file;
        let secret = std::fs::read_to_string(&path)
            .with_context(|| format!("the client secret {} cannot be read", path.display()))?;
        let (name, issuer, client_id) = (self.name, self.issuer, self.client_id);
        Ok(ProviderSettings { name, issuer, client_id, client_secret: secret.trim_end().to_owned() })
    }
}

/// What a file may say. A key that is none of these is refused: a slip must not go unnoticed.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    listen: Option<SocketAddr>,
    base_url: Option<String>,
    plain_http: Option<bool>,
    #[serde(default)]
    trusted_proxies: Vec<IpAddr>,
    certificate: Option<PathBuf>,
    key: Option<PathBuf>,
    data: Option<PathBuf>,
    database_url: Option<String>,
    migration_url: Option<String>,
    #[serde(default)]
    database_in_clear: bool,
    backups: Option<PathBuf>,
    keep_backups: Option<usize>,
    secret_key: Option<PathBuf>,
    single_sign_on: Option<ProviderEntry>,
}

impl File {
    fn read(path: Option<&Path>) -> anyhow::Result<Self> {
        let Some(path) = path else { return Ok(Self::default()) };
        let text =
            std::fs::read_to_string(path).with_context(|| format!("cannot read {}", path.display()))?;
        toml::from_str(&text).with_context(|| format!("{} cannot be used", path.display()))
    }
}

/// A database, decided.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct DatabaseSettings {
    /// Folder of the private server.
    pub data: PathBuf,
    /// Another server's address.
    pub url: Option<String>,
    /// Another user's address, who brings the tables up to date.
    pub migration_url: Option<String>,
    /// Whether another machine's may be reached without TLS.
    pub in_clear: bool,
}

impl DatabaseArguments {
    fn over(&self, file: &File) -> DatabaseSettings {
        let from_environment = std::env::var("DATABASE_URL").ok().filter(|url| !url.is_empty());
        DatabaseSettings {
            data: self.data.clone().or_else(|| file.data.clone()).unwrap_or_else(|| PathBuf::from("data")),
            url: from_environment.or_else(|| file.database_url.clone()),
            migration_url: std::env::var("DATABASE_MIGRATION_URL")
                .ok()
                .filter(|url| !url.is_empty())
                .or_else(|| file.migration_url.clone()),
            in_clear: self.database_in_clear || file.database_in_clear,
        }
    }

    /// Decides.
    pub(crate) fn settings(&self) -> anyhow::Result<DatabaseSettings> {
        Ok(self.over(&File::read(self.config.as_deref())?))
    }
}

/// Everything that serving needs, decided.
#[derive(Debug)]
pub(crate) struct ServeSettings {
    /// Where to listen.
    pub listen: SocketAddr,
    /// The database.
    pub database: DatabaseSettings,
    /// Whether the data folder is begun anew.
    pub is_fresh: bool,
    /// What the server is told.
    pub options: ServeOptions,
    /// Where backups are kept.
    pub backups: BackupFolder,
    /// File of the key that seals secrets.
    pub secret_key: PathBuf,
    /// The provider of single sign-on.
    pub provider: Option<ProviderSettings>,
}

impl ServeArguments {
    /// Decides.
    ///
    /// # Errors
    /// When the file cannot be read, or what it and the arguments say does not go together.
    pub(crate) fn settings(&self) -> anyhow::Result<ServeSettings> {
        let file = File::read(self.database.config.as_deref())?;
        let database = self.database.over(&file);
        let on_loopback = self.port.map(|port| SocketAddr::new(USUAL_LISTEN.ip(), port));
        let listen = on_loopback.or(self.listen).or(file.listen).unwrap_or(USUAL_LISTEN);
        let base_url = match (&self.base_url, &file.base_url) {
            (Some(base), _) => Some(base.clone()),
            (None, Some(text)) => {
                Some(text.parse().with_context(|| format!("base_url “{text}” cannot be used"))?)
            }
            (None, None) => None,
        };
        if base_url.is_none() && listen.ip().is_unspecified() {
            bail!(
                "listening on {listen} takes the address that people reach it at: give --base-url, such as \
                 https://pickups.example"
            );
        }
        let certificate = self.certificate.clone().or_else(|| file.certificate.clone());
        let key = self.key.clone().or_else(|| file.key.clone());
        let certificate = match (certificate, key) {
            (Some(chain), Some(key)) => Some(Certificate::read(&chain, &key)?),
            (None, None) => None,
            _ => bail!("TLS takes both a certificate and its key"),
        };
        let is_protected = certificate.is_some() || base_url.as_ref().is_some_and(BaseUrl::is_https);
        let is_plain = self.plain_http || file.plain_http.unwrap_or(false);
        if !listen.ip().is_loopback() && !is_protected && !is_plain {
            bail!(
                "listening on {listen} without TLS lets whoever is in between read passwords: give --certificate and --key, or \
                 put a proxy with TLS in front and give its https address as --base-url; --plain-http serves all the same"
            );
        }
        let beside = |ending: &str| {
            let mut name = database.data.as_os_str().to_owned();
            name.push(ending);
            PathBuf::from(name)
        };
        let backups = BackupFolder {
            path: self.backups.clone().or_else(|| file.backups.clone()).unwrap_or_else(|| beside("-backups")),
            keep: self.keep_backups.or(file.keep_backups).unwrap_or(USUAL_KEPT),
        };
        let secret_key = self.secret_key.clone().or_else(|| file.secret_key.clone());
        let secret_key = secret_key.unwrap_or_else(|| beside("-secret.key"));
        let trusted_proxies =
            if self.trusted_proxy.is_empty() { file.trusted_proxies } else { self.trusted_proxy.clone() };
        let options = ServeOptions { base_url, trusted_proxies, certificate, timeouts: Timeouts::default() };
        let provider = file.single_sign_on.map(ProviderEntry::settings).transpose()?;
        Ok(ServeSettings { listen, database, is_fresh: self.fresh, options, backups, secret_key, provider })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::Parser;

    #[derive(Parser)]
    struct Line {
        #[command(flatten)]
        serve: ServeArguments,
    }

    fn settings(arguments: &[&str], file: &str) -> anyhow::Result<ServeSettings> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("filamentum.toml");
        std::fs::write(&path, file).unwrap();
        let path = path.display().to_string();
        let all = ["filamentum", "--config", &path].into_iter().chain(arguments.iter().copied());
        Line::parse_from(all).serve.settings()
    }

    #[test]
    fn the_line_goes_over_the_file_and_the_file_over_the_usual() {
        let usual = settings(&[], "").unwrap();
        assert_eq!((usual.listen, usual.backups.keep), (USUAL_LISTEN, USUAL_KEPT));
        assert_eq!(usual.backups.path, PathBuf::from("data-backups"));
        assert_eq!(usual.secret_key, PathBuf::from("data-secret.key"));
        let file = "listen = \"127.0.0.1:9000\"\ndata = \"/srv/shop\"\nkeep_backups = 3\n\
                    base_url = \"https://pickups.example\"\ntrusted_proxies = [\"10.0.0.2\"]";
        let from_file = settings(&[], file).unwrap();
        assert_eq!((from_file.listen.port(), from_file.backups.keep), (9000, 3));
        assert_eq!(from_file.database.data, PathBuf::from("/srv/shop"));
        assert_eq!(from_file.backups.path, PathBuf::from("/srv/shop-backups"));
        assert_eq!(from_file.options.trusted_proxies.len(), 1);
        let line = settings(&["--listen", "127.0.0.1:9001", "--keep-backups", "5"], file).unwrap();
        assert_eq!((line.listen.port(), line.backups.keep), (9001, 5));
        assert_eq!(settings(&["--port", "7"], file).unwrap().listen.port(), 7);
    }

    #[test]
    fn what_does_not_go_together_is_refused() {
        for (arguments, file) in [
            (&[][..], "lisen = \"127.0.0.1:9000\""),
            (&[], "listen = 9000"),
            (&[], "base_url = \"pickups.example\""),
            (&["--listen", "0.0.0.0:80"], ""),
            (&["--listen", "192.0.2.7:80"], ""),
            (&["--listen", "0.0.0.0:80", "--base-url", "http://pickups.example"], ""),
            (&["--certificate", "/etc/one.pem"], ""),
            (&["--certificate", "/no/such.pem", "--key", "/no/such.key"], ""),
        ] {
            assert!(settings(arguments, file).is_err(), "{arguments:?} {file}");
        }
        let on_network = ["--listen", "0.0.0.0:80", "--base-url"];
        let plain = [&on_network[..], &["http://pickups.example", "--plain-http"]].concat();
        let proxied = [&on_network[..], &["https://pickups.example"]].concat();
        assert!(settings(&plain, "").is_ok() && settings(&proxied, "").is_ok());
        assert!(settings(&plain[..4], "plain_http = true").is_ok());
    }

    /// Every key of the example is known, and every key that is known stands in the example.
    #[test]
    fn the_example_names_every_setting() {
        let text = include_str!("../../../docs/filamentum.toml");
        let all: String = text
            .lines()
            .filter_map(|line| line.strip_prefix("#"))
            .filter(|line| !line.starts_with(' ') && (line.contains(" = ") || line.starts_with('[')))
            .map(|line| format!("{line}\n"))
            .collect();
        let file: File = toml::from_str(&all).unwrap();
        assert!(file.listen.is_some() && file.base_url.is_some() && !file.trusted_proxies.is_empty());
        assert!(file.certificate.is_some() && file.key.is_some() && file.data.is_some());
        assert!(file.migration_url.is_some() && file.plain_http.is_some());
        assert!(file.database_url.is_some() && file.backups.is_some() && file.keep_backups.is_some());
        assert!(file.secret_key.is_some() && file.single_sign_on.is_some());
        assert!(all.contains("database_in_clear"));
    }
}
