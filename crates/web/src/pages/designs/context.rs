//! What stands beside a design on its page: curves laid over its response, pickups to take aim at, coils wound from it.

use super::strip::MeasuredCoils;
use crate::app::App;
use crate::calibrations::AppliedCalibration;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::plot::{Curve, curves, measured};
use std::collections::BTreeMap;
use store::design::{DesignFilter, Revision};
use store::run::{RunFilter, RunRow};
use store::{DesignId, RevisionId};
use trade::comparison::Comparison;
use trade::reading::Kind;

/// Most pickups laid over one response: what is still told apart.
const MOST_LAID: usize = 4;

/// What stands beside a design.
#[derive(Default)]
pub struct PageContext {
    /// Curves laid over its response.
    pub over: Vec<Curve>,
    /// What is laid over: its name in the form, and as people read it.
    pub laid: Vec<(String, String)>,
    /// What else could be.
    pub choices: Vec<(String, String)>,
    /// Pickups that aim can be taken at.
    pub others: Vec<(u64, String)>,
    /// What its predictions lean on.
    pub applied: AppliedCalibration,
    /// What the coils wound from the design say of its figures.
    pub measured_coils: BTreeMap<&'static str, MeasuredCoils>,
}

/// Gathers it. A page that only shows has no form: there the revision's own sweeps are laid over.
pub async fn context(
    app: &App,
    user: &CurrentUser,
    form: Option<&FormData>,
    of: Option<&Revision>,
) -> Result<PageContext, AppError> {
    let workshop = user.workshop();
    let design = of.map(|r| r.row.design_id);
    let mut found = PageContext {
        applied: app.calibrations.applied(&app.store, workshop, design).await?,
        ..PageContext::default()
    };
    if let Some(revision) = of {
        found.measured_coils = measured_coils(app, user, revision.row.design_id).await?;
    }
    let Some(form) = form else {
        let own = of.map(|r| r.row.id);
        for (k, row) in app.store.of(workshop).sweeps(own).await?.into_iter().take(MOST_LAID).enumerate() {
            found.over.push(measured(&row.label, k + 1, &row.sweep()?));
        }
        return Ok(found);
    };
    let rows = app.store.of(workshop).designs(&DesignFilter::default()).await?;
    let sweeps = app.store.of(workshop).sweeps(None).await?;
    found.others = rows.iter().map(|r| (r.id.0, format!("{} r{}", r.name, r.number))).collect();
    let own = of.map(|r| r.row.id);
    let pickups = rows
        .iter()
        .filter(|r| Some(r.id) != own)
        .map(|r| (format!("r{}", r.id), format!("{} r{}", r.name, r.number)));
    let taken = sweeps.iter().map(|s| (format!("s{}", s.id), format!("{}, measured", s.label)));
    let all: Vec<(String, String)> = taken.chain(pickups).collect();
    let asked: Vec<&str> = form.get("overlay").split(',').filter(|t| !t.is_empty()).collect();
    for name in asked.iter().take(MOST_LAID) {
        let tone = found.laid.len() + 1;
        if let Some(row) =
            name.strip_prefix('s').and_then(|id| sweeps.iter().find(|s| s.id.to_string() == id))
        {
            found.over.push(measured(&row.label, tone, &row.sweep()?));
            found.laid.push(((*name).to_owned(), row.label.clone()));
        } else if let Some(id) = name.strip_prefix('r').and_then(|id| id.parse().ok()) {
            let revision = app.store.of(workshop).revision(RevisionId(id)).await?;
            let called = format!("{} r{}", revision.row.name, revision.row.number);
            let applied =
                app.calibrations.applied(&app.store, workshop, Some(revision.row.design_id)).await?;
            let calibration = applied.calibration(&revision.design);
            if let Ok(prediction) = app.predictions.calibrated(&revision.design, calibration).await? {
                found.over.extend(curves(&called, tone, &prediction.response));
            }
            found.laid.push(((*name).to_owned(), called));
        }
    }
    if found.laid.len() < MOST_LAID {
        found.choices = all.into_iter().filter(|(name, _)| !asked.contains(&name.as_str())).collect();
    }
    Ok(found)
}

/// How the coils wound from a design stand to their predictions, by figure.
async fn measured_coils(
    app: &App,
    user: &CurrentUser,
    design: DesignId,
) -> Result<BTreeMap<&'static str, MeasuredCoils>, AppError> {
    let filter = RunFilter { design: Some(design), ..RunFilter::default() };
    let runs = app.store.of(user.workshop()).runs(&filter).await?;
    let of = |kind| MeasuredCoils::of(&deviations(&runs, kind));
    let pairs = [("resistance", of(Kind::Resistance)), ("inductance", of(Kind::Inductance))];
    Ok(pairs.into_iter().filter_map(|(key, measured_coils)| Some((key, measured_coils?))).collect())
}

fn deviations(runs: &[RunRow], kind: Kind) -> Vec<f64> {
    runs.iter()
        .filter_map(|run| serde_json::from_str::<Vec<Comparison>>(run.comparisons.as_deref()?).ok())
        .filter_map(|all| all.into_iter().find(|c| c.kind == kind && c.pole.is_none()))
        .map(|c| c.deviation)
        .collect()
}
