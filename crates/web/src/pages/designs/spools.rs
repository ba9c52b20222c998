//! The spools that a sheet offers and refers to.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use presentation::sheet::SpoolOption;
use store::SpoolId;
use store::spool::Spool;

fn option(spool: &Spool) -> SpoolOption {
    SpoolOption {
        id: spool.id.0,
        label: format!("{} ({})", spool.label, spool.gauge),
        measured: spool.measured(),
    }
}

/// All spools that can be chosen.
pub(super) async fn offered(app: &App, user: &CurrentUser) -> Result<Vec<SpoolOption>, AppError> {
    Ok(app.workshop.spools_in_use(&user.actor).await?.iter().map(option).collect())
}

/// The spools that a sent sheet refers to: none, most of the time.
pub(super) async fn referred(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
) -> Result<Vec<SpoolOption>, AppError> {
    let is_spool = |name: &str| name.rsplit('.').next() == Some("spool");
    let ids = form.iter().filter(|(name, _)| is_spool(name)).filter_map(|(_, value)| value.parse().ok());
    let mut found = Vec::new();
    for id in ids {
        found.push(option(&app.workshop.spool_measurements(&user.actor, SpoolId(id)).await?));
    }
    Ok(found)
}
