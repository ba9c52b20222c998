//! Sets side by side, position by position.

use super::figures::{PositionRow, positions};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use presentation::plot::{Curve, levels, plot};
use store::PickupSetId;

/// Most sets side by side: what a plot still tells apart.
const MOST: usize = 6;

/// A set among those compared.
struct ComparedSet {
    id: u64,
    name: String,
    tone: usize,
    /// Empty where it cannot be predicted.
    rows: Vec<PositionRow>,
    /// The largest difference from the mean level of its pickups.
    balance: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "sets/compare.html")]
pub(super) struct ComparePage {
    frame: Frame,
    sets: Vec<ComparedSet>,
    /// What is on at each position that a plot is drawn of, with the plot.
    plots: Vec<(String, String)>,
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<ComparePage, AppError> {
    let mut ids: Vec<u64> = query.all("of").filter_map(|v| v.parse().ok()).collect();
    ids.dedup();
    ids.truncate(MOST);
    let mut sets = Vec::new();
    // Curves by the place in the switch: first, second, and so on.
    let mut curves: Vec<Vec<Curve>> = Vec::new();
    for (tone, id) in ids.into_iter().enumerate() {
        let (row, draft) = app.workshop.pickup_set(&user.actor, PickupSetId(id)).await?;
        let preview = app.workshop.preview_set(&user.actor, &draft).await?;
        let (mut rows, mut balance) = (Vec::new(), "–".to_owned());
        if let Ok(predicted) = &preview.predicted {
            rows = positions(&preview.set, &predicted.prediction);
            let worst = predicted.prediction.balance.iter().map(|b| b.relative_db.abs()).fold(0.0, f64::max);
            balance = format!("± {worst:.1} dB");
            for (k, position) in predicted.prediction.positions.iter().enumerate() {
                if curves.len() <= k {
                    curves.push(Vec::new());
                }
                let name = format!("{}, position {}", row.name, position.name);
                curves[k].push(levels(&name, tone, &position.response.hz, &position.response.loaded_db));
            }
        }
        sets.push(ComparedSet { id, name: row.name, tone: tone % MOST, rows, balance });
    }
    let several = sets.len() > 1;
    let plots = curves.into_iter().enumerate().filter(|_| several).map(|(k, curves)| {
        let title = format!("Position {} of the switch", k + 1);
        let drawn = plot(&curves, &format!("{title}: responses of all sets, in decibels over frequency"));
        (title, drawn)
    });
    Ok(ComparePage { frame: Frame::new(&user, "sets", "Compare sets"), plots: plots.collect(), sets })
}
