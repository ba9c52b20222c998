//! A coil that was wound by itself, and the pickup that it is assembled into.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::format::{HENRY, KILOOHM, turns};
use store::RunId;
use store::run_coil::WoundCoil;
use workshop::Assembly;

/// A coil in words.
pub(super) struct CoilRow {
    pub run: u64,
    pub number: u32,
    pub coil: String,
    pub facts: String,
}

/// What a run's page shows of it.
pub(super) struct AssemblyPart {
    /// The pickup's run and number.
    pub whole: Option<(u64, u32)>,
    /// The coils of this pickup.
    pub coils: Vec<CoilRow>,
    /// Other coils by name, with those to choose from.
    pub others: Vec<(String, Vec<CoilRow>)>,
}

impl AssemblyPart {
    pub(super) fn new(assembly: Assembly) -> Self {
        Self {
            whole: assembly.whole.map(|(id, number)| (id.0, number)),
            coils: assembly.coils.into_iter().map(row).collect(),
            others: assembly
                .others
                .into_iter()
                .map(|(name, free)| (name, free.into_iter().map(row).collect()))
                .collect(),
        }
    }

    /// Whether one of every other coil is at hand.
    pub(super) fn is_complete(&self) -> bool {
        !self.others.is_empty() && self.others.iter().all(|(_, free)| !free.is_empty())
    }
}

fn row(coil: WoundCoil) -> CoilRow {
    let spool = coil.spool.map(|spool| format!("spool {spool}"));
    let counted = coil.turns.map(|t| format!("{} turns", turns(t)));
    let figures = [coil.resistance_ohm.map(|v| KILOOHM.text(v)), coil.inductance_h.map(|v| HENRY.text(v))];
    let facts: Vec<String> = [spool, counted].into_iter().chain(figures).flatten().collect();
    let facts = if facts.is_empty() { "nothing read yet".to_owned() } else { facts.join(", ") };
    CoilRow { run: coil.run_id.0, number: coil.number, coil: coil.coil, facts }
}

/// Assembles a pickup of this coil and the chosen ones.
pub(super) async fn assemble(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let chosen =
        form.iter().filter(|(name, _)| name.starts_with("with-")).filter_map(|(_, run)| run.parse().ok());
    let others: Vec<RunId> = chosen.map(RunId).collect();
    match app.workshop.assemble(&user.actor, &form.key()?, RunId(*id), &others).await {
        Ok(whole) => Ok(redirect(format!("/runs/{whole}"))),
        Err(refusal) => Ok(outcome::not_done(&session, format!("/runs/{id}"), outcome::reason(refusal, "")?)),
    }
}
