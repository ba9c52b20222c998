//! A MariaDB of our own on loopback, for the demo and the tests, from Debian's packages.
//!
//! It lives and dies with this process: a small shell keeps a pipe from us and ends the server when the
//! pipe closes, however we went.

use rand::RngExt as _;
use std::fs::{self, File, TryLockError};
use std::io::Write as _;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};
use thiserror::Error;
use tokio::process::{Child, ChildStdin, Command};

/// Why the private server did not start, and the way out.
#[derive(Debug, Error)]
pub enum ServerError {
    /// A program is not installed.
    #[error(
        "{0} is not installed: run script/setup, or install Debian's mariadb-server-core and mariadb-client-core"
    )]
    NotInstalled(&'static str),
    /// Another process uses the folder.
    #[error("{} is in use by another Filamentum: stop that one, or choose another folder with --data", .0.display())]
    InUse(PathBuf),
    /// The folder cannot be written.
    #[error("cannot use the folder {}: {source}. Check that the disk has room (about 200 MB) and that you may write there, or choose another folder with --data", .path.display())]
    Folder {
        /// The folder.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// The data files could not be made.
    #[error(
        "MariaDB could not prepare its data files: {0}. A full disk is the usual cause; make room and start again"
    )]
    Prepare(String),
    /// The server ended before it was ready.
    #[error("MariaDB did not start. Its log, {}, ends with:\n{tail}\nIf the data are only a demo, start again with --fresh", .log.display())]
    Start {
        /// Its log.
        log: PathBuf,
        /// The last lines of it.
        tail: String,
    },
}

/// How careful the server is with the disk.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Durability {
    /// Every commit is on disk.
    Full,
    /// For tests: a crash of the machine may lose data.
    None,
}

/// A running private server.
#[derive(Debug)]
pub struct PrivateServer {
    child: Child,
    /// Closing this ends the server.
    lifeline: Option<ChildStdin>,
    folder: PathBuf,
    runtime: PathBuf,
    port: u16,
    password: String,
    durability: Durability,
    _lock: File,
}

/// The file that says on which port a running server listens.
const PORT: &str = "port";

/// How often it is tried to start before it is given up.
const STARTS_TRIED: usize = 5;
/// How long is waited before the next time.
const BEFORE_NEXT: Duration = Duration::from_secs(2);

const KEEPER: &str = r#"
exec 3<&0
"$@" </dev/null & db=$!
(read -r _ <&3; kill "$db" 2>/dev/null) & watcher=$!
wait "$db"; code=$?
kill "$watcher" 2>/dev/null
rm -rf "$FILAMENTUM_REMOVE"
exit "$code"
"#;

impl PrivateServer {
    /// Starts a server whose data live in `folder`; prepares the folder the first time.
    pub async fn start(folder: &Path, durability: Durability) -> Result<Self, ServerError> {
        let runtime =
            runtime_folder().map_err(|source| ServerError::Folder { path: std::env::temp_dir(), source })?;
        Self::start_in(folder, runtime, durability).await
    }

    async fn start_in(folder: &Path, runtime: PathBuf, durability: Durability) -> Result<Self, ServerError> {
        let problem = |source| ServerError::Folder { path: folder.to_owned(), source };
        fs::create_dir_all(folder).map_err(problem)?;
        let folder = &folder.canonicalize().map_err(problem)?;
        let lock = File::create(folder.join("lock")).map_err(problem)?;
        // A second server on the same files would only fail after half a minute.
        match lock.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Err(ServerError::InUse(folder.clone())),
            Err(TryLockError::Error(source)) => return Err(problem(source)),
        }
        let password = prepare(folder, &runtime).await?;
        mark(folder).map_err(problem)?;
        let mut runtime = runtime;
        let mut port = free_port().map_err(problem)?;
        let (child, lifeline) = spawn(folder, &runtime, port, &password, durability)?;
        let mut server = Self {
            child,
            lifeline: Some(lifeline),
            folder: folder.clone(),
            runtime: runtime.clone(),
            port,
            password,
            durability,
            _lock: lock,
        };
        for _ in 1..STARTS_TRIED {
            // A port that was free may be somebody else's a moment later; the server of a program that was killed may still hold
            // the files. Then this one ends at once, and another is started.
            if server.wait_until_ready().await.is_ok() {
                break;
            }
            tokio::time::sleep(BEFORE_NEXT).await;
            port = free_port().map_err(problem)?;
            runtime = runtime_folder().map_err(problem)?;
            let (child, lifeline) = spawn(folder, &runtime, port, &server.password, durability)?;
            server = Self { child, lifeline: Some(lifeline), runtime, port, ..server };
        }
        server.wait_until_ready().await?;
        fs::write(folder.join(PORT), format!("{port}\n")).map_err(problem)?;
        Ok(server)
    }

    /// Address of the database `name` of a server that another program runs on `folder`; `None` when none does.
    #[must_use]
    pub fn running_url(folder: &Path, name: &str) -> Option<String> {
        let lock = File::open(folder.join("lock")).ok()?;
        if !matches!(lock.try_lock(), Err(TryLockError::WouldBlock)) {
            return None;
        }
        let port: u16 = fs::read_to_string(folder.join(PORT)).ok()?.trim().parse().ok()?;
        let password = fs::read_to_string(folder.join("password")).ok()?;
        Some(format!("mysql://filamentum:{}@127.0.0.1:{port}/{name}", password.trim()))
    }

    /// A server for one test program, careless of the disk; its files are removed when it ends.
    pub async fn temporary() -> Result<Self, ServerError> {
        let runtime =
            runtime_folder().map_err(|source| ServerError::Folder { path: std::env::temp_dir(), source })?;
        Self::start_in(&runtime.join("data"), runtime.clone(), Durability::None).await
    }

    /// Address of the database `name`.
    pub fn url(&self, name: &str) -> String {
        format!("mysql://filamentum:{}@127.0.0.1:{}/{name}", self.password, self.port)
    }

    /// Waits until the server ends by itself: it should not.
    pub async fn ended(&mut self) {
        let _ = self.child.wait().await;
    }

    /// Starts the server again on the same port after it ended by itself.
    pub async fn restart(&mut self) -> Result<(), ServerError> {
        self.runtime =
            runtime_folder().map_err(|source| ServerError::Folder { path: self.folder.clone(), source })?;
        let (child, lifeline) =
            spawn(&self.folder, &self.runtime, self.port, &self.password, self.durability)?;
        self.child = child;
        self.lifeline = Some(lifeline);
        self.wait_until_ready().await
    }

    /// Kills the server as a fault would, for tests and drills; [`Self::restart`] brings it back with every
    /// row that was committed.
    pub async fn crash(&mut self) {
        let id = std::fs::read_to_string(self.runtime.join("db.pid")).unwrap_or_default();
        let _ = Command::new("kill").args(["-9", id.trim()]).status().await;
        self.ended().await;
    }

    /// Stops the server and waits until it is down.
    pub async fn stop(mut self) {
        self.lifeline = None;
        if tokio::time::timeout(Duration::from_secs(20), self.child.wait()).await.is_err() {
            tracing::warn!("MariaDB takes long to stop; leaving it to finish");
        }
    }

    async fn wait_until_ready(&mut self) -> Result<(), ServerError> {
        let began = Instant::now();
        loop {
            let ended = !matches!(self.child.try_wait(), Ok(None));
            // It writes its number down when it listens itself; the port alone could be another program's.
            let is_up = self.runtime.join("db.pid").exists();
            if !ended && is_up && greets(self.port).await {
                return Ok(());
            }
            if ended || began.elapsed() > Duration::from_mins(1) {
                let log = self.folder.join("mariadb.log");
                let text = fs::read_to_string(&log).unwrap_or_default();
                let lines: Vec<&str> = text.lines().collect();
                let tail = lines[lines.len().saturating_sub(6)..].join("\n");
                return Err(ServerError::Start { log, tail });
            }
            tokio::time::sleep(Duration::from_millis(30)).await;
        }
    }
}

/// Whether a server greets whoever connects: on a slow disk the port is open before it does. The first byte of its greeting, behind
/// the length and number of the packet, is the version of the protocol, 10, and 255 of an error.
async fn greets(port: u16) -> bool {
    let greeting = async {
        let mut stream = tokio::net::TcpStream::connect(("127.0.0.1", port)).await.ok()?;
        let mut head = [0_u8; 5];
        tokio::io::AsyncReadExt::read_exact(&mut stream, &mut head).await.ok()?;
        Some(head[4])
    };
    tokio::time::timeout(Duration::from_secs(2), greeting).await.ok().flatten() == Some(10)
}

fn runtime_folder() -> std::io::Result<PathBuf> {
    // Paths of sockets may have about 100 characters: the data folder could be too deep.
    let name: u64 = rand::rng().random();
    let path = std::env::temp_dir().join(format!("filamentum-{name:016x}"));
    fs::create_dir(&path)?;
    Ok(path)
}

fn free_port() -> std::io::Result<u16> {
    Ok(TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}

fn user_name() -> String {
    std::env::var("USER").ok().filter(|name| !name.is_empty()).unwrap_or_else(|| "root".into())
}

/// What the names of folders with files that are being made begin with.
const HALF_MADE: &str = "mariadb-";

/// Makes the data files the first time, and returns the password of our own user. A folder left half
/// made by a crash is made anew; the marker is written last.
async fn prepare(folder: &Path, runtime: &Path) -> Result<String, ServerError> {
    let problem = |source| ServerError::Folder { path: folder.to_owned(), source };
    let (data, marker, secret) = (folder.join("mariadb"), folder.join("ready"), folder.join("password"));
    if marker.exists()
        && let Ok(password) = fs::read_to_string(&secret)
    {
        return Ok(password.trim().to_owned());
    }
    if data.exists() {
        fs::remove_dir_all(&data).map_err(problem)?;
    }
    // The files are made under a name of their own: what a killed program has begun may still be writing its own.
    for entry in fs::read_dir(folder).map_err(problem)?.flatten() {
        if entry.file_name().to_string_lossy().starts_with(HALF_MADE) {
            let _ = fs::remove_dir_all(entry.path());
        }
    }
    let bits: u128 = rand::rng().random();
    let password = format!("{bits:032x}");
    let half_made = format!("{HALF_MADE}{:016x}", rand::rng().random::<u64>());
    write_private(&secret, &password).map_err(problem)?;
    // The script that makes the files takes a path with blanks apart: it gets one without.
    let without_blanks = runtime.join("folder");
    std::os::unix::fs::symlink(fs::canonicalize(folder).map_err(problem)?, &without_blanks)
        .map_err(problem)?;
    let output = Command::new("mariadb-install-db")
        .arg("--no-defaults")
        .arg(format!("--user={}", user_name()))
        .arg(format!("--datadir={}", without_blanks.join(&half_made).display()))
        .args([
            "--auth-root-authentication-method=socket",
            "--skip-test-db",
            "--skip-name-resolve",
            // It listens on loopback by number: a machine whose own name cannot be looked up is no obstacle.
            "--force",
            "--innodb-log-file-size=8M",
        ])
        .env("TMPDIR", runtime)
        .stdin(Stdio::null())
        .output()
        .await;
    fs::remove_file(&without_blanks).map_err(problem)?;
    let output = match output {
        Ok(output) => output,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            return Err(ServerError::NotInstalled("mariadb-install-db"));
        }
        Err(error) => return Err(problem(error)),
    };
    if !output.status.success() || !folder.join(&half_made).join("mysql").exists() {
        // It says on either what is wrong, the reason first.
        let said = [output.stderr, output.stdout].concat();
        let text = String::from_utf8_lossy(&said);
        return Err(ServerError::Prepare(text.lines().next().unwrap_or("no message").to_owned()));
    }
    fs::rename(folder.join(&half_made), &data).map_err(problem)?;
    fs::write(&marker, "ready\n").map_err(problem)?;
    Ok(password)
}

/// The file that says that a folder is a data folder of ours; its name and first line are looked for before anything is
/// removed.
const MARKER: &str = "filamentum-data";
const MARKER_LINE: &str = "filamentum data folder 1";

/// Whether a folder is a data folder of ours, by its marker.
#[must_use]
pub fn is_data_folder(folder: &Path) -> bool {
    let text = fs::read_to_string(folder.join(MARKER)).unwrap_or_default();
    let mut lines = text.lines();
    let id = lines.next().filter(|line| *line == MARKER_LINE).and_then(|_| lines.next()?.strip_prefix("id "));
    id.is_some_and(|id| id.len() == 32 && id.bytes().all(|b| b.is_ascii_hexdigit()))
}

fn mark(folder: &Path) -> std::io::Result<()> {
    if is_data_folder(folder) {
        return Ok(());
    }
    let id: u128 = rand::rng().random();
    fs::write(folder.join(MARKER), format!("{MARKER_LINE}\nid {id:032x}\n"))
}

fn write_private(path: &Path, text: &str) -> std::io::Result<()> {
    use std::os::unix::fs::OpenOptionsExt as _;
    let mut file = fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(path)?;
    file.write_all(text.as_bytes())?;
    file.sync_all()
}

fn spawn(
    folder: &Path,
    runtime: &Path,
    port: u16,
    password: &str,
    durability: Durability,
) -> Result<(Child, ChildStdin), ServerError> {
    let problem = |source| ServerError::Folder { path: folder.to_owned(), source };
    // Read by the server at every start: our user exists, with this password, on loopback alone.
    let init = folder.join("init.sql");
    // Tests make databases and users; a shop's user sees its own database and nothing of the server.
    let (schema, more) = match durability {
        Durability::None => ("*", " WITH GRANT OPTION"),
        Durability::Full => ("filamentum", ""),
    };
    let sql = format!(
        "CREATE DATABASE IF NOT EXISTS filamentum CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n\
         CREATE OR REPLACE USER 'filamentum'@'127.0.0.1' IDENTIFIED BY '{password}';\n\
         GRANT ALL ON {schema}.* TO 'filamentum'@'127.0.0.1'{more};\n"
    );
    write_private(&init, &sql).map_err(problem)?;
    let careless = [
        "--innodb-flush-log-at-trx-commit=0",
        "--innodb-doublewrite=0",
        "--innodb-flush-method=nosync",
        "--sync-binlog=0",
    ];
    let careful = ["--innodb-flush-log-at-trx-commit=1", "--sync-binlog=1"];
    let mut child = Command::new("/bin/sh")
        .args(["-c", KEEPER, "keeper", "mariadbd", "--no-defaults"])
        .arg(format!("--user={}", user_name()))
        .arg(format!("--datadir={}", folder.join("mariadb").display()))
        .arg(format!("--socket={}", runtime.join("db.sock").display()))
        .arg(format!("--pid-file={}", runtime.join("db.pid").display()))
        .arg(format!("--log-error={}", folder.join("mariadb.log").display()))
        .arg(format!("--init-file={}", init.display()))
        .arg(format!("--port={port}"))
        .args([
            "--bind-address=127.0.0.1",
            "--skip-name-resolve",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--default-time-zone=+00:00",
            "--innodb-buffer-pool-size=64M",
            "--innodb-log-file-size=8M",
            "--performance-schema=OFF",
            "--max-connections=200",
        ])
        .args(match durability {
            Durability::Full => careful.as_slice(),
            Durability::None => careless.as_slice(),
        })
        // A server that starts removes the temporary tables of whoever shares its folder for them.
        .arg(format!("--tmpdir={}", runtime.display()))
        .env("FILAMENTUM_REMOVE", runtime)
        // Debian keeps the server where not every user's path looks.
        .env("PATH", format!("{}:/usr/sbin:/sbin", std::env::var("PATH").unwrap_or_default()))
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        // Ctrl-C in the terminal is for us; we end the server when we are done with it.
        .process_group(0)
        .spawn()
        .map_err(problem)?;
    let lifeline =
        child.stdin.take().ok_or_else(|| problem(std::io::Error::other("no pipe to the server")))?;
    Ok((child, lifeline))
}
