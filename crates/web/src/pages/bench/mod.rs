//! The bench: what needs attention, what is being wound and designed now.

mod attention;

use crate::app::App;
use crate::fault::Fault;
use crate::layout::Frame;
use crate::pages::timers::TimerRow;
use crate::visitor::Visitor;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use attention::Item;
use store::ClientKey;
use store::design::{DesignFilter, RevisionRow};
use store::logbook::{Line, LogFilter};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/", web::get().to(show));
}

#[derive(Template, WebTemplate)]
#[template(path = "bench/bench.html")]
struct BenchPage {
    frame: Frame,
    attention: Vec<Item>,
    waiting: Vec<Line>,
    off: Vec<Line>,
    designs: Vec<RevisionRow>,
    timers: Vec<TimerRow>,
    key: ClientKey,
}

async fn show(app: web::Data<App>, visitor: Visitor) -> Result<BenchPage, Fault> {
    /// How many of each the bench holds.
    const ROOM: usize = 6;
    let of = |level: Option<&str>| LogFilter { level: level.map(str::to_owned), ..LogFilter::default() };
    let mut waiting = app.store.log_lines(visitor.workshop(), &of(Some("waiting")), 6).await?;
    waiting.truncate(ROOM);
    let mut off = app.store.log_lines(visitor.workshop(), &of(None), 30).await?;
    off.retain(|line| ["look", "stop"].contains(&line.level.as_str()));
    off.truncate(4);
    let attention = attention::attention(&app, &visitor).await?;
    let mut designs = app.store.designs(visitor.workshop(), &DesignFilter::default()).await?;
    designs.truncate(ROOM);
    let timers = app.store.timers(visitor.workshop()).await?.into_iter().map(TimerRow::from).collect();
    Ok(BenchPage {
        frame: Frame::new(&visitor, "bench", "Bench"),
        attention,
        waiting,
        off,
        designs,
        timers,
        key: ClientKey::random(),
    })
}
