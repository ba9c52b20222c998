//! The share sheet: a revision on one page, with just what its maker wants others to see.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use presentation::drawing;
use presentation::plot::{curves, plot};
use presentation::share_facts::{Part, Shown, parts};
use store::RevisionId;
use store::design::RevisionRow;

#[derive(Template, WebTemplate)]
#[template(path = "designs/share.html")]
pub(super) struct SharePage {
    frame: Frame,
    row: RevisionRow,
    choices: Vec<(&'static str, &'static str, bool)>,
    kind: &'static str,
    parts: Vec<Part>,
    drawings: Vec<(&'static str, String)>,
    plot: String,
    /// Turns are hidden while figures are shown that let them be guessed.
    guessable: bool,
    dimensioned: bool,
}

/// The sheet, with the choice of its parts; the choice is in the address and not on paper.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<SharePage, AppError> {
    let revision = app.workshop.revision(&user.actor, RevisionId(*id)).await?;
    let (design, units) = (revision.design, user.settings.units);
    let of = Some(revision.row.design_id);
    let prediction = app.workshop.prediction_of(&user.actor, of, &design).await?.ok();
    let shown = Shown::from_keys(query.all("show"), user.settings.privacy.shared_parts.as_deref());
    // How full the bobbin is tells the turns.
    let builds: Vec<f64> = match &prediction {
        Some(p) if shown.has("turns") => p.coils.iter().map(|c| c.build_mm).collect(),
        _ => Vec::new(),
    };
    let mut drawings = Vec::new();
    if shown.has("top") {
        drawings.push(("From above", drawing::top(&design, &builds, units)));
    }
    if shown.has("section") {
        drawings.push(("Section through a pole", drawing::section(&design, &builds, units)));
    }
    let response = prediction.as_ref().filter(|_| shown.has("response"));
    Ok(SharePage {
        frame: Frame::new(&user, "designs", format!("{} r{}", revision.row.name, revision.row.number)),
        choices: shown.choices(),
        kind: design.kind.name(),
        parts: parts(&design, prediction.as_deref(), &shown, units),
        drawings,
        plot: response.map_or_else(String::new, |p| {
            plot(&curves("", 0, &p.response), "Response in decibels over frequency")
        }),
        guessable: shown.has("figures") && shown.has("wire") && !shown.has("turns"),
        dimensioned: shown.has("dimensions"),
        row: revision.row,
    })
}
