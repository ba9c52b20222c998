//! Backups: what is in their folder, one more, whether one is whole, and one to take away.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_session::Session;
use actix_web::body::SizedStream;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use askama::Template;
use futures_util::stream;
use presentation::format::{self, counted, turns};
use std::io;
use time::PrimitiveDateTime;
use tokio::fs::File;
use tokio::io::AsyncReadExt as _;
use workshop::{BackupFile, JobOutcome, Refusal};

/// Bytes that are sent at a time.
const CHUNK: usize = 64 << 10;

struct Row {
    name: String,
    size: String,
    when: String,
    when_iso: String,
}

impl From<BackupFile> for Row {
    fn from(of: BackupFile) -> Self {
        let at = PrimitiveDateTime::new(of.at.date(), of.at.time());
        let kilobytes = of.bytes as f64 / 1e3;
        let size = if kilobytes < 1000.0 {
            format!("{kilobytes:.0} kB")
        } else {
            format!("{:.1} MB", kilobytes / 1e3)
        };
        Self { name: of.name, size, when: format::moment(at), when_iso: format::iso(at) }
    }
}

/// A backup that is being made.
struct Running {
    job: String,
}

#[derive(Template)]
#[template(path = "workshop/backups.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    rows: Vec<Row>,
    running: Option<Running>,
    /// Why there is no list.
    trouble: String,
}

/// The list; with the progress of a backup that is being made.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let name = query.get("job");
    let mut running = None;
    if let Some(job) = (!name.is_empty()).then(|| app.workshop.job(&user.actor, name)).transpose()? {
        let done = match job.outcome() {
            None => {
                running = Some(Running { job: name.to_owned() });
                None
            }
            Some(JobOutcome::BackedUp(facts)) => {
                Some((FlashKind::Done, format!("The backup is complete: {} facts.", turns(facts as f64))))
            }
            Some(_) => Some((
                FlashKind::NotDone,
                "The backup was not written. Is there room on the disk, and may the program write there? The log says why."
                    .to_owned(),
            )),
        };
        if let Some((kind, text)) = done {
            flash::put(&session, kind, text);
            return Ok(redirect("/backups"));
        }
    }
    let (rows, trouble) = match app.workshop.list_backups(&user.actor).await {
        Ok(files) => (files.into_iter().map(Row::from).collect(), String::new()),
        Err(Refusal::NotFound(_)) => (Vec::new(), "No folder for backups is set.".to_owned()),
        Err(ref refusal @ Refusal::Backup(_)) => (Vec::new(), refusal_text(refusal)),
        Err(other) => return Err(other.into()),
    };
    let page =
        Page { frame: Frame::new(&user, "workshop", "Backups"), tab: "backups", rows, running, trouble };
    render_page(&page, false)
}

/// Begins a backup.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let job = app.workshop.begin_backup(&user.actor).await?;
    tracing::info!(event = "backup-begun", by = user.person.id.0);
    Ok(redirect(format!("/backups?job={job}")))
}

/// Whether one is whole.
pub(super) async fn verify(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    match app.workshop.verify_backup(&user.actor, &name).await {
        Ok(manifest) => {
            let (facts, kinds) =
                (turns(manifest.rows() as f64), counted(manifest.members.len() as u64, "kind"));
            let text = format!("{name} is whole: {facts} facts of {kinds}, each as it was written.");
            Ok(outcome::done(&session, "/backups", text))
        }
        Err(refusal) => {
            let text = outcome::reason(refusal, &format!("{name} cannot be relied on. "))?;
            Ok(outcome::not_done(&session, "/backups", text))
        }
    }
}

/// Sends one on, piece by piece.
pub(super) async fn download(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<HttpResponse, AppError> {
    let path = app.workshop.backup_path(&user.actor, &name).await?;
    let file = File::open(&path).await.map_err(AppError::internal)?;
    let length = file.metadata().await.map_err(AppError::internal)?.len();
    tracing::info!(event = "backup-downloaded", by = user.person.id.0, name = name.as_str());
    let pieces = stream::unfold(Some(file), |file| async {
        let mut file = file?;
        let mut piece = vec![0; CHUNK];
        match file.read(&mut piece).await {
            Ok(0) => None,
            Ok(read) => {
                piece.truncate(read);
                Some((Ok::<_, io::Error>(web::Bytes::from(piece)), Some(file)))
            }
            Err(error) => Some((Err(error), None)),
        }
    });
    Ok(HttpResponse::Ok()
        .content_type("application/zip")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        // Compressed already.
        .insert_header(header::ContentEncoding::Identity)
        .body(SizedStream::new(length, Box::pin(pieces))))
}
