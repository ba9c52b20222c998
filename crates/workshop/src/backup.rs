//! The workshop archive: one zip with a line of JSON for every fact, as of one moment, and a manifest that proves it whole.
//!
//! It is written while the program serves, in pieces of bounded size, under another name until it is complete.

use crate::refusal::Refusal;
use rustix::fs::{AtFlags, CWD, Mode, OFlags};
use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use serde_json::{Map, Value};
use sha2::{Digest as _, Sha256};
use std::fs::{File, OpenOptions};
use std::io::{self, BufRead as _, BufReader, BufWriter, Read, Write as _};
use std::os::fd::AsRawFd as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};
use store::archive::{FactTable, Lines, fact_tables_at};
use store::{Store, StoreError, Transport};
use thiserror::Error;
use time::OffsetDateTime;
use tokio::sync::mpsc;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

/// What an archive of this kind calls itself.
pub const ARCHIVE_FORMAT: &str = "filamentum-workshop/1";
/// Name of the member that lists the others.
const MANIFEST: &str = "manifest.json";
/// Folder of the facts.
const FACTS: &str = "facts/";
/// Most bytes of a manifest, and of one fact: more is no archive of ours.
const MOST_MANIFEST: u64 = 1 << 20;
const MOST_LINE: u64 = 24 << 20;
/// Most values of one fact: more is no row of ours.
const MOST_VALUES: usize = 200;
/// Bytes of facts that are handed on together.
const HANDED_ON: usize = 1 << 20;
/// Without a workshop and somebody in it there is nothing to restore.
const NEVER_EMPTY: [&str; 2] = ["workshops", "people"];
/// Rows that are restored at a time.
const ROWS: usize = 200;
/// Pieces that wait to be written: the database is read no faster than the disk takes it.
const WAITING: usize = 4;

/// Why an archive was not written, is not whole, or cannot be restored.
#[derive(Debug, Error, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum BackupError {
    /// The file or its folder cannot be read or written.
    #[error("{path}: {source}")]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// It is no zip, or one that was cut short.
    #[error("not a whole zip file: {0}")]
    Zip(#[from] zip::result::ZipError),
    /// There is no manifest in it, or none that can be read.
    #[error("no manifest that can be read: {0}")]
    Manifest(String),
    /// It is an archive of another format or of a newer program.
    #[error("an archive of format {0}, which this program does not read")]
    Format(String),
    /// A member is missing, or is not what the manifest says.
    #[error("{member} is not what was written: {why}")]
    Damaged {
        /// The member.
        member: String,
        /// What differs.
        why: String,
    },
    /// A piece of work ended early.
    #[error("a piece of work ended early: {0}")]
    Task(#[from] tokio::task::JoinError),
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// Somebody stopped it.
    #[error("stopped")]
    Stopped,
}

impl BackupError {
    /// A stable name for programs, in kebab case.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.into()
    }

    /// The file or the member that is at fault; empty where it is the whole.
    #[must_use]
    pub fn at(&self) -> String {
        match self {
            Self::File { path, .. } => path.display().to_string(),
            Self::Damaged { member, .. } => member.clone(),
            Self::Manifest(_) | Self::Format(_) => MANIFEST.to_owned(),
            Self::Zip(_) | Self::Task(_) | Self::Store(_) | Self::Stopped => String::new(),
        }
    }

    fn file(path: &Path) -> impl Fn(io::Error) -> Self + Clone + use<> {
        let path = path.to_owned();
        move |source| Self::File { path: path.clone(), source }
    }
}

impl From<BackupError> for Refusal {
    fn from(error: BackupError) -> Self {
        match error {
            BackupError::Store(error) => error.into(),
            BackupError::Task(error) => Self::Task(error),
            other => Self::Backup(other.to_string()),
        }
    }
}

/// A member of an archive.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Member {
    /// Its name in the zip.
    pub name: String,
    /// How many facts, one a line.
    pub rows: u64,
    /// How many bytes, unpacked.
    pub bytes: u64,
    /// SHA-256 of those, hexadecimal.
    pub sha256: String,
}

/// What an archive holds.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Manifest {
    /// [`ARCHIVE_FORMAT`].
    pub format: String,
    /// Version of the program that wrote it.
    pub program: String,
    /// Number of the newest migration of its database.
    pub schema: i64,
    /// Of which moment it is, UTC.
    #[serde(with = "time::serde::rfc3339")]
    pub taken_at: OffsetDateTime,
    /// The members, by name.
    pub members: Vec<Member>,
}

impl Manifest {
    /// How many facts there are in all.
    #[must_use]
    pub fn rows(&self) -> u64 {
        self.members.iter().map(|m| m.rows).sum()
    }
}

/// What the writer is told.
enum Piece {
    Member(String),
    Lines(Lines),
    Finish { schema: i64, taken_at: OffsetDateTime },
}

impl From<Lines> for Piece {
    fn from(lines: Lines) -> Self {
        Self::Lines(lines)
    }
}

fn hexadecimal(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// A file that has no name until it is complete, so that whoever is killed while writing leaves nothing behind. Where the disk
/// has no such files it has a name of its own.
enum Draft {
    Nameless(File),
    Named(File, PathBuf),
}

impl Draft {
    fn begin(path: &Path) -> Result<Self, BackupError> {
        let nameless =
            rustix::fs::open(folder_of(path), OFlags::TMPFILE | OFlags::WRONLY, Mode::RUSR | Mode::WUSR);
        nameless.map_or_else(|_| Self::begin_named(path), |file| Ok(Self::Nameless(file.into())))
    }

    fn begin_named(path: &Path) -> Result<Self, BackupError> {
        let named = unfinished(path);
        let made = OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&named);
        Ok(Self::Named(made.map_err(BackupError::file(&named))?, named))
    }

    fn file(&self) -> io::Result<File> {
        match self {
            Self::Nameless(file) | Self::Named(file, _) => file.try_clone(),
        }
    }

    /// Gives it its name, once everything is on the disk. A file that has it goes.
    fn finish(self, path: &Path) -> Result<(), BackupError> {
        match self {
            Self::Nameless(file) => {
                let own = format!("/proc/self/fd/{}", file.as_raw_fd());
                // A name can only be given where there is none.
                let beside = unfinished(path);
                let _ = std::fs::remove_file(&beside);
                rustix::fs::linkat(CWD, own, CWD, &beside, AtFlags::SYMLINK_FOLLOW)
                    .map_err(|error| BackupError::file(path)(error.into()))?;
                std::fs::rename(&beside, path).map_err(BackupError::file(path))?;
            }
            Self::Named(_, named) => std::fs::rename(&named, path).map_err(BackupError::file(path))?,
        }
        sync_folder(path);
        Ok(())
    }

    /// Leaves nothing of it.
    fn abandon(self) {
        if let Self::Named(_, named) = self {
            let _ = std::fs::remove_file(named);
        }
    }
}

/// The name that a file has until it is complete, where it cannot be without one.
fn unfinished(path: &Path) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".unfinished");
    name.into()
}

/// Writes the pieces into a file that only its owner reads; it gets its name when everything is on the disk.
fn write_pieces(path: &Path, mut pieces: mpsc::Receiver<Piece>) -> Result<Manifest, BackupError> {
    write_draft(Draft::begin(path)?, path, &mut pieces)
}

fn write_draft(
    draft: Draft,
    path: &Path,
    pieces: &mut mpsc::Receiver<Piece>,
) -> Result<Manifest, BackupError> {
    let fault = BackupError::file(path);
    let written = write_into(draft.file().map_err(fault)?, pieces, path);
    match written {
        Ok(Some(manifest)) => {
            draft.finish(path)?;
            Ok(manifest)
        }
        Ok(None) => {
            draft.abandon();
            Err(BackupError::Stopped)
        }
        Err(error) => {
            draft.abandon();
            Err(error)
        }
    }
}

/// Writes the pieces; none where they ended early.
fn write_into(
    file: File,
    pieces: &mut mpsc::Receiver<Piece>,
    path: &Path,
) -> Result<Option<Manifest>, BackupError> {
    let fault = BackupError::file(path);
    let mut zip = ZipWriter::new(BufWriter::new(file));
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .unix_permissions(0o600)
        .large_file(true);
    let mut members: Vec<Member> = Vec::new();
    let mut digest = Sha256::new();
    while let Some(piece) = pieces.blocking_recv() {
        match piece {
            Piece::Member(name) => {
                close(&mut members, &mut digest);
                zip.start_file(name.as_str(), options)?;
                members.push(Member { name, rows: 0, bytes: 0, sha256: String::new() });
            }
            Piece::Lines(Lines { text, count }) => {
                zip.write_all(&text).map_err(&fault)?;
                digest.update(&text);
                if let Some(member) = members.last_mut() {
                    member.rows += count;
                    member.bytes += text.len() as u64;
                }
            }
            Piece::Finish { schema, taken_at } => {
                close(&mut members, &mut digest);
                let manifest = Manifest {
                    format: ARCHIVE_FORMAT.to_owned(),
                    program: env!("CARGO_PKG_VERSION").to_owned(),
                    schema,
                    taken_at,
                    members,
                };
                zip.start_file(MANIFEST, options)?;
                let text =
                    serde_json::to_vec_pretty(&manifest).map_err(|e| BackupError::Manifest(e.to_string()))?;
                zip.write_all(&text).map_err(&fault)?;
                let file = zip.finish()?.into_inner().map_err(|error| fault(error.into_error()))?;
                file.sync_all().map_err(&fault)?;
                return Ok(Some(manifest));
            }
        }
    }
    // The reader ended early: what was written so far is nothing.
    Ok(None)
}

/// Enters the digest of the member that ends.
fn close(members: &mut [Member], digest: &mut Sha256) {
    if let Some(member) = members.last_mut() {
        member.sha256 = hexadecimal(&std::mem::take(digest).finalize());
    }
}

fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// A name that was given is kept by its folder; where that cannot be asked for, the disk decides when.
fn sync_folder(path: &Path) {
    if let Ok(folder) = File::open(folder_of(path)) {
        let _ = folder.sync_all();
    }
}

/// Writes an archive of everything as of now. `go_on` is told the share that is done, 0 to 1, and stops it by `false`; then,
/// and when anything fails, no file of that name is there.
///
/// # Errors
/// [`BackupError::File`] such as on a full disk, [`BackupError::Store`], [`BackupError::Stopped`].
pub async fn write_archive(
    store: &Store,
    path: &Path,
    mut go_on: impl FnMut(f64) -> bool + Send,
) -> Result<Manifest, BackupError> {
    let mut snapshot = store.snapshot().await?;
    let (sender, receiver) = mpsc::channel(WAITING);
    let target = path.to_owned();
    let writer = tokio::task::spawn_blocking(move || write_pieces(&target, receiver));
    let tables: Vec<FactTable> = snapshot.tables().to_vec();
    let mut total = 0;
    for table in &tables {
        total += snapshot.count(table).await?;
    }
    let mut done = 0;
    let mut advance = |count: u64| {
        done += count;
        go_on(done as f64 / total.max(1) as f64)
    };
    let mut is_complete = true;
    for table in &tables {
        let name = format!("{FACTS}{}.ndjson", table.name());
        // Where the writer has ended it says why.
        is_complete = sender.send(Piece::Member(name)).await.is_ok()
            && snapshot.rows(table, &sender, &mut advance).await?;
        if !is_complete {
            break;
        }
    }
    if is_complete {
        let finish = Piece::Finish { schema: snapshot.version(), taken_at: snapshot.taken_at() };
        let _ = sender.send(finish).await;
    }
    drop(sender);
    writer.await?
}

fn open(path: &Path) -> Result<ZipArchive<BufReader<File>>, BackupError> {
    let file = File::open(path).map_err(BackupError::file(path))?;
    Ok(ZipArchive::new(BufReader::new(file))?)
}

fn read_manifest(zip: &mut ZipArchive<BufReader<File>>) -> Result<Manifest, BackupError> {
    let member = zip.by_name(MANIFEST).map_err(|error| BackupError::Manifest(error.to_string()))?;
    let mut text = Vec::new();
    member.take(MOST_MANIFEST).read_to_end(&mut text).map_err(|e| BackupError::Manifest(e.to_string()))?;
    let value: Value = serde_json::from_slice(&text).map_err(|e| BackupError::Manifest(e.to_string()))?;
    let format = value.get("format").and_then(Value::as_str).unwrap_or("unknown");
    if format != ARCHIVE_FORMAT {
        return Err(BackupError::Format(format.chars().take(60).collect()));
    }
    serde_json::from_value(value).map_err(|e| BackupError::Manifest(e.to_string()))
}

/// Reads a member line by line and compares it with the manifest at its end.
fn read_member(
    zip: &mut ZipArchive<BufReader<File>>,
    member: &Member,
    mut take: impl FnMut(&[u8]) -> Result<(), BackupError>,
) -> Result<(), BackupError> {
    let damaged = |why: String| BackupError::Damaged { member: member.name.clone(), why };
    let found = zip.by_name(&member.name).map_err(|error| damaged(error.to_string()))?;
    let mut reader = BufReader::new(found);
    let (mut digest, mut rows, mut bytes) = (Sha256::new(), 0_u64, 0_u64);
    let mut line = Vec::new();
    loop {
        line.clear();
        let read = reader.by_ref().take(MOST_LINE).read_until(b'\n', &mut line);
        let read = read.map_err(|error| damaged(error.to_string()))?;
        if read == 0 {
            break;
        }
        bytes += read as u64;
        rows += 1;
        // Before a line is used it is known that there are no more of them than there should be.
        if bytes > member.bytes {
            return Err(damaged(format!("more than its {} bytes", member.bytes)));
        }
        digest.update(&line);
        take(&line)?;
    }
    let sum = hexadecimal(&digest.finalize());
    if (rows, bytes) != (member.rows, member.bytes) {
        return Err(damaged(format!(
            "{rows} lines of {bytes} bytes instead of {} of {}",
            member.rows, member.bytes
        )));
    }
    if sum != member.sha256 {
        return Err(damaged("its SHA-256 differs".to_owned()));
    }
    Ok(())
}

fn verify_now(path: &Path) -> Result<Manifest, BackupError> {
    let mut zip = open(path)?;
    let manifest = read_manifest(&mut zip)?;
    for member in &manifest.members {
        read_member(&mut zip, member, |_| Ok(()))?;
    }
    let mut missing = fact_tables_at(manifest.schema);
    for member in &manifest.members {
        let table = member.name.strip_prefix(FACTS).and_then(|name| name.strip_suffix(".ndjson"));
        let damaged = |why: &str| BackupError::Damaged { member: member.name.clone(), why: why.to_owned() };
        if table.is_some_and(|table| !missing.remove(table)) {
            return Err(damaged(
                "the manifest names it twice, or its version of the database has no such table",
            ));
        }
        if table.is_some_and(|table| NEVER_EMPTY.contains(&table)) && member.rows == 0 {
            return Err(damaged("it is empty"));
        }
    }
    if let Some(table) = missing.pop_first() {
        let member = format!("{FACTS}{table}.ndjson");
        return Err(BackupError::Damaged { member, why: "the manifest does not name it".to_owned() });
    }
    let mut others = Vec::new();
    for name in zip.file_names() {
        let name = name?.into_owned();
        if name != MANIFEST && manifest.members.iter().all(|m| m.name != name) {
            others.push(name);
        }
    }
    if let Some(member) = others.pop() {
        return Err(BackupError::Damaged { member, why: "the manifest does not name it".to_owned() });
    }
    Ok(manifest)
}

/// Whether an archive is whole: every member is there and what it was.
///
/// # Errors
/// What is wrong with it.
pub async fn verify_archive(path: &Path) -> Result<Manifest, BackupError> {
    let path = path.to_owned();
    tokio::task::spawn_blocking(move || verify_now(&path)).await?
}

/// A fact as a line holds it: named values, none of which holds others, so that a line takes no more memory than a few times
/// its length.
struct Fact(Map<String, Value>);

impl<'de> Deserialize<'de> for Fact {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Named;
        impl<'de> Visitor<'de> for Named {
            type Value = Fact;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a fact")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Fact, A::Error> {
                let mut all = Map::new();
                while let Some((name, value)) = map.next_entry::<String, Plain>()? {
                    if all.len() >= MOST_VALUES {
                        return Err(serde::de::Error::custom("too many values"));
                    }
                    all.insert(name, value.0);
                }
                Ok(Fact(all))
            }
        }
        deserializer.deserialize_map(Named)
    }
}

/// A value of a fact. Values within it are refused as soon as they begin.
struct Plain(Value);

impl<'de> Deserialize<'de> for Plain {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct One;
        impl Visitor<'_> for One {
            type Value = Plain;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a plain value")
            }

            fn visit_unit<E>(self) -> Result<Plain, E> {
                Ok(Plain(Value::Null))
            }

            fn visit_bool<E>(self, value: bool) -> Result<Plain, E> {
                Ok(Plain(value.into()))
            }

            fn visit_i64<E>(self, value: i64) -> Result<Plain, E> {
                Ok(Plain(value.into()))
            }

            fn visit_u64<E>(self, value: u64) -> Result<Plain, E> {
                Ok(Plain(value.into()))
            }

            fn visit_f64<E>(self, value: f64) -> Result<Plain, E> {
                Ok(Plain(value.into()))
            }

            fn visit_str<E>(self, value: &str) -> Result<Plain, E> {
                Ok(Plain(value.into()))
            }
        }
        deserializer.deserialize_any(One)
    }
}

/// Rows of a table on their way into the database.
struct Rows {
    table: String,
    rows: Vec<Map<String, Value>>,
}

/// Reads everything once more, into a channel.
fn read_rows(path: &Path, manifest: &Manifest, rows: &mpsc::Sender<Rows>) -> Result<(), BackupError> {
    let mut zip = open(path)?;
    for member in &manifest.members {
        let Some(table) = member.name.strip_prefix(FACTS).and_then(|n| n.strip_suffix(".ndjson")) else {
            continue;
        };
        let (mut some, mut bytes) = (Vec::new(), 0);
        let hand_on = |some: &mut Vec<Map<String, Value>>| {
            let rows_of = Rows { table: table.to_owned(), rows: std::mem::take(some) };
            rows.blocking_send(rows_of).map_err(|_gone| BackupError::Stopped)
        };
        read_member(&mut zip, member, |line| {
            let row: Fact = serde_json::from_slice(line).map_err(|error| BackupError::Damaged {
                member: member.name.clone(),
                why: error.to_string(),
            })?;
            some.push(row.0);
            bytes += line.len();
            if some.len() < ROWS && bytes < HANDED_ON {
                return Ok(());
            }
            bytes = 0;
            hand_on(&mut some)
        })?;
        if !some.is_empty() {
            hand_on(&mut some)?;
        }
    }
    Ok(())
}

/// Restores an archive into the empty database at `url`, after it was verified: everything or nothing. An archive of an older
/// version is brought up to this one.
///
/// # Errors
/// [`StoreError::NotEmpty`] when a workshop is there; what is wrong with the archive.
pub async fn restore_archive(
    url: &str,
    transport: Transport,
    path: &Path,
    mut on_progress: impl FnMut(f64),
) -> Result<(Store, Manifest), BackupError> {
    let manifest = verify_archive(path).await?;
    let mut loading = Store::begin_loading(url, transport, manifest.schema).await?;
    let (sender, mut receiver) = mpsc::channel(WAITING);
    let (file, of) = (path.to_owned(), manifest.clone());
    let reader = tokio::task::spawn_blocking(move || read_rows(&file, &of, &sender));
    let total = manifest.rows().max(1);
    let mut done = 0_u64;
    while let Some(Rows { table, rows }) = receiver.recv().await {
        let table = loading.table(&table)?;
        loading.insert(&table, &rows).await?;
        done += rows.len() as u64;
        on_progress(done as f64 / total as f64);
    }
    reader.await??;
    Ok((loading.finish().await?, manifest))
}

/// A file of a folder of archives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BackupFile {
    /// Its name.
    pub name: String,
    /// Bytes.
    pub bytes: u64,
    /// When it was written, UTC.
    pub at: OffsetDateTime,
}

/// Name of an archive that is kept by the clock.
pub(crate) fn scheduled_name(at: OffsetDateTime) -> String {
    let format = time::macros::format_description!("[year][month][day]-[hour][minute][second]");
    format!("filamentum-{}.zip", at.format(format).unwrap_or_default())
}

/// Whether a name is one of [`scheduled_name`]: nothing else in a folder is listed, given out or removed.
pub(crate) fn is_scheduled_name(name: &str) -> bool {
    let middle = name.strip_prefix("filamentum-").and_then(|rest| rest.strip_suffix(".zip"));
    middle.is_some_and(|m| {
        m.len() == 15
            && m.bytes().enumerate().all(|(k, b)| if k == 8 { b == b'-' } else { b.is_ascii_digit() })
    })
}

/// What a backup that was killed left behind in a folder.
pub(crate) fn is_leftover(name: &str) -> bool {
    name.strip_suffix(".unfinished").is_some_and(is_scheduled_name)
}

/// Sorts archives, the newest first, by the moments in their names. What bears a moment that is still to come was written
/// before the clock was set back, so that everything else is newer.
fn newest_first(all: &mut [BackupFile], now: OffsetDateTime) {
    let now = scheduled_name(now);
    all.sort_by(|a, b| (a.name > now).cmp(&(b.name > now)).then_with(|| b.name.cmp(&a.name)));
}

/// Whether none of those archives is of the time `within` before now.
pub(crate) fn is_due(all: &[BackupFile], now: OffsetDateTime, within: time::Duration) -> bool {
    let (from, to) = (scheduled_name(now - within), scheduled_name(now));
    !all.iter().any(|file| file.name > from && file.name <= to)
}

/// The archives of a folder, the newest first.
pub(crate) async fn list(folder: &Path) -> Result<Vec<BackupFile>, BackupError> {
    let looked_in = folder.to_owned();
    let listed = tokio::task::spawn_blocking(move || -> io::Result<Vec<BackupFile>> {
        let mut all = Vec::new();
        for entry in std::fs::read_dir(&looked_in)? {
            let entry = entry?;
            let name = entry.file_name().to_string_lossy().into_owned();
            let meta = entry.metadata()?;
            if meta.is_file() && is_scheduled_name(&name) {
                all.push(BackupFile { name, bytes: meta.len(), at: meta.modified()?.into() });
            }
        }
        newest_first(&mut all, OffsetDateTime::now_utc());
        Ok(all)
    });
    match listed.await? {
        Ok(all) => Ok(all),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Vec::new()),
        Err(source) => Err(BackupError::File { path: folder.to_owned(), source }),
    }
}

/// Where backups are kept, and how many.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BackupFolder {
    /// The folder; it is made when the first backup is.
    pub path: PathBuf,
    /// How many are kept; older ones are removed after a new one is complete.
    pub keep: usize,
}

impl BackupFolder {
    /// Makes the folder, which only its owner reads.
    pub(crate) fn prepare(&self) -> Result<(), BackupError> {
        use std::os::unix::fs::DirBuilderExt as _;
        let made = std::fs::DirBuilder::new().recursive(true).mode(0o700).create(&self.path);
        made.map_err(|source| BackupError::File { path: self.path.clone(), source })
    }

    /// Removes the oldest beyond what is kept, and what was never finished.
    pub(crate) async fn rotate(&self) -> Result<(), BackupError> {
        for file in list(&self.path).await?.into_iter().skip(self.keep.max(1)) {
            remove(&self.path.join(file.name));
        }
        let entries = std::fs::read_dir(&self.path).into_iter().flatten().flatten();
        for entry in entries.filter(|e| is_leftover(&e.file_name().to_string_lossy())) {
            remove(&entry.path());
        }
        Ok(())
    }
}

fn remove(path: &Path) {
    if let Err(error) = std::fs::remove_file(path) {
        tracing::warn!(%error, path = %path.display(), "a backup that is too old stays");
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pieces(text: &[u8]) -> mpsc::Receiver<Piece> {
        let (sender, receiver) = mpsc::channel(WAITING);
        let lines = Lines { text: text.to_vec(), count: 1 };
        let finish = Piece::Finish { schema: 1, taken_at: OffsetDateTime::UNIX_EPOCH };
        for piece in [Piece::Member("facts/people.ndjson".into()), Piece::Lines(lines), finish] {
            sender.try_send(piece).ok().unwrap();
        }
        receiver
    }

    /// Whoever is killed while writing leaves nothing, on disks that have files without a name and on others; a full disk is named
    /// and leaves nothing either.
    #[test]
    fn a_draft_has_its_name_once_it_is_complete() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("one.zip");
        let count = || std::fs::read_dir(folder.path()).unwrap().count();
        for has_names in [false, true] {
            let draft = if has_names { Draft::begin_named(&path) } else { Draft::begin(&path) }.unwrap();
            assert_eq!(count(), usize::from(has_names));
            write_draft(draft, &path, &mut pieces(b"{}\n")).unwrap();
            assert_eq!(count(), 1);
            std::fs::remove_file(&path).unwrap();
        }
        // A device that is always full.
        std::os::unix::fs::symlink("/dev/full", folder.path().join("one.zip.unfinished")).unwrap();
        let full = Draft::begin_named(&path).unwrap();
        let noise: Vec<u8> =
            (0..1 << 18).flat_map(|k: u32| k.wrapping_mul(2_654_435_761).to_le_bytes()).collect();
        let refused = write_draft(full, &path, &mut pieces(&noise)).unwrap_err();
        assert!(matches!(refused, BackupError::File { .. } | BackupError::Zip(_)), "{refused}");
        assert_eq!(count(), 0);
    }

    fn files(days: &[&str]) -> Vec<BackupFile> {
        let file = |day: &&str| BackupFile {
            name: format!("filamentum-{day}-120000.zip"),
            bytes: 1,
            at: OffsetDateTime::UNIX_EPOCH,
        };
        days.iter().map(file).collect()
    }

    /// A clock that was wrong by a year and is set back stops no backup, and those of the wrong year go first.
    #[test]
    fn a_clock_that_was_set_back_costs_no_backup() {
        let now = time::macros::datetime!(2026-03-10 12:30 UTC);
        let mut all = files(&["20260308", "20270309", "20270310", "20260309"]);
        newest_first(&mut all, now);
        assert_eq!(all, files(&["20260309", "20260308", "20270310", "20270309"]));
        let day = time::Duration::days(1);
        assert!(is_due(&all, now, day), "the last was a day and half an hour ago");
        assert!(!is_due(&all, now - time::Duration::hours(2), day));
        assert!(is_due(&files(&["20270310"]), now, day) && is_due(&[], now, day));
    }
}
