//! A sheet of a set for whoever gets it, with just what its maker wants others to see.

use super::figures::{PositionRow, positions};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::prediction::PickupSignal;
use presentation::drawing::neck;
use presentation::plot::{levels, plot};
use presentation::share_facts::{Part, Shown, parts};
use store::PickupSetId;
use workshop::Refusal;

#[derive(Template, WebTemplate)]
#[template(path = "sets/share.html")]
pub(super) struct SharePage {
    frame: Frame,
    id: u64,
    name: String,
    choices: Vec<(&'static str, &'static str, bool)>,
    neck: String,
    plot: String,
    rows: Vec<PositionRow>,
    pickups: Vec<(String, &'static str, Vec<Part>)>,
    /// Turns are hidden while figures are shown that let them be guessed.
    guessable: bool,
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: QueryParameters,
) -> Result<SharePage, AppError> {
    let units = user.settings.units;
    let (_, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(*id)).await?;
    let preview = app.workshop.preview_set(&user.actor, &draft).await?;
    let predicted = preview.predicted.map_err(Refusal::NotPredictable)?;
    let (set, solution) = (&preview.set, &predicted.solution);
    let shown = Shown::from_keys(query.all("show"), user.settings.privacy.shared_parts.as_deref());
    let signals: Vec<&PickupSignal> = (0..set.pickups.len()).filter_map(|i| solution.signal(i)).collect();
    let curves =
        set.switch.iter().zip(&predicted.prediction.positions).enumerate().map(|(tone, (given, p))| {
            let db: Vec<f64> = p.response.loaded_db.iter().map(|db| db + p.response.low_db).collect();
            levels(&format!("{}: {}", given.name, given.on.join(" + ")), tone, &p.response.hz, &db)
        });
    let pickups = set.pickups.iter().enumerate().map(|(i, pickup)| {
        let facts = parts(&pickup.design, solution.pickup(i), &shown, units);
        (pickup.name.clone(), pickup.design.kind.name(), facts)
    });
    Ok(SharePage {
        frame: Frame::new(&user, "sets", format!("Sheet of {}", set.name)),
        id: *id,
        name: set.name.clone(),
        choices: shown.choices(),
        neck: if shown.has("top") { neck(set, &signals, units) } else { String::new() },
        plot: if shown.has("response") {
            plot(&curves.collect::<Vec<_>>(), "Responses of all positions, in decibels over frequency")
        } else {
            String::new()
        },
        rows: if shown.has("figures") { positions(set, &predicted.prediction) } else { Vec::new() },
        pickups: pickups.collect(),
        guessable: shown.has("figures") && shown.has("wire") && !shown.has("turns"),
    })
}
