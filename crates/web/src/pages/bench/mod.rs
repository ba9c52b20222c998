//! The bench: what is being designed and wound now.

use crate::app::App;
use crate::fault::Fault;
use crate::layout::Frame;
use crate::pages::timers::TimerRow;
use crate::visitor::Visitor;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use store::ClientKey;
use store::design::{DesignFilter, RevisionRow};
use store::run::{RunFilter, RunRow};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/", web::get().to(show));
}

#[derive(Template, WebTemplate)]
#[template(path = "bench/bench.html")]
struct BenchPage {
    frame: Frame,
    waiting: Vec<RunRow>,
    off: Vec<RunRow>,
    designs: Vec<RevisionRow>,
    timers: Vec<TimerRow>,
    key: ClientKey,
}

async fn show(app: web::Data<App>, visitor: Visitor) -> Result<BenchPage, Fault> {
    /// How many of each the bench holds.
    const ROOM: usize = 6;
    let runs = app.store.runs(visitor.workshop(), &RunFilter::default()).await?;
    let level = |run: &RunRow| run.level.clone().unwrap_or_else(|| "waiting".into());
    let waiting = runs.iter().filter(|run| level(run) == "waiting").take(ROOM).cloned().collect();
    let off = runs
        .iter()
        .take(30)
        .filter(|run| ["look", "stop"].contains(&level(run).as_str()))
        .take(4)
        .cloned()
        .collect();
    let mut designs = app.store.designs(visitor.workshop(), &DesignFilter::default()).await?;
    designs.truncate(ROOM);
    let timers = app.store.timers(visitor.workshop()).await?.into_iter().map(TimerRow::from).collect();
    Ok(BenchPage {
        frame: Frame::new(&visitor, "bench", "Bench"),
        waiting,
        off,
        designs,
        timers,
        key: ClientKey::random(),
    })
}

/// The class of a ticket by its verdict.
pub fn level_class(run: &RunRow) -> &str {
    run.level.as_deref().unwrap_or("waiting")
}
