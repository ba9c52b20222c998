//! The bench: what needs attention, what is being wound and designed now.

mod attention;

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::layout::Frame;
use crate::pages::timers::TimerRow;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use attention::Item;
use store::ClientKey;
use store::design::{DesignFilter, RevisionRow};
use store::logbook::{LogFilter, LogbookRow};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/", web::get().to(show));
}

#[derive(Template, WebTemplate)]
#[template(path = "bench/bench.html")]
struct BenchPage {
    frame: Frame,
    attention: Vec<Item>,
    waiting: Vec<LogbookRow>,
    off: Vec<LogbookRow>,
    designs: Vec<RevisionRow>,
    timers: Vec<TimerRow>,
    key: ClientKey,
}

async fn show(app: web::Data<App>, user: CurrentUser) -> Result<BenchPage, AppError> {
    /// How many of each the bench holds.
    const ROOM: usize = 6;
    let of = |level: Option<&str>| LogFilter { level: level.map(str::to_owned), ..LogFilter::default() };
    let mut waiting = app.store.of(user.workshop()).log_lines(&of(Some("waiting")), 6).await?;
    waiting.truncate(ROOM);
    let mut off = app.store.of(user.workshop()).log_lines(&of(None), 30).await?;
    off.retain(|line| ["look", "stop"].contains(&line.level.as_str()));
    off.truncate(4);
    let attention = attention::attention(&app, &user).await?;
    let mut designs = app.store.of(user.workshop()).designs(&DesignFilter::default()).await?;
    designs.truncate(ROOM);
    let timers = app.store.of(user.workshop()).timers().await?.into_iter().map(TimerRow::from).collect();
    Ok(BenchPage {
        frame: Frame::new(&user, "bench", "Bench"),
        attention,
        waiting,
        off,
        designs,
        timers,
        key: ClientKey::random(),
    })
}
