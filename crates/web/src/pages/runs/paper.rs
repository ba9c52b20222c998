//! What goes on paper: the traveller with a label to cut off.

use super::log_row::scale;
use super::traveller::{OperationRow, operation_rows};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::Word as _;
use coil::design::{Design, Sense};
use coil::prediction::{PredictionSummary, lay_coil};
use coil::quantity::Units;
use presentation::format::{self, HENRY, KILOOHM, METRE};
use store::RunId;
use store::run::RunRow;
use trade::reading::{Kind, Reading, latest};
use workshop::LeadColours;

#[derive(Template, WebTemplate)]
#[template(path = "runs/paper.html")]
pub(super) struct PaperPage {
    frame: Frame,
    row: RunRow,
    when: String,
    when_iso: String,
    stops: Vec<String>,
    facts: Vec<(&'static str, String)>,
    /// Operations, each with what was read for it.
    rows: Vec<(OperationRow, String)>,
    qr: String,
    address: String,
}

/// The traveller on one page with a label to cut off; its code opens the run on a phone.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
) -> Result<PaperPage, AppError> {
    let (run, progress, prediction, readings) = app.workshop.paper_traveller(&user.actor, RunId(*id)).await?;
    let address = app.origin.address_of(&format!("/runs/{id}"));
    let (design, units) = (run.design.clone(), user.settings.units);
    let leads = user.settings.lead_colours.clone();
    let facts = web::block(move || facts(&design, prediction.as_ref(), &leads, units)).await?;
    Ok(PaperPage {
        frame: Frame::new(&user, "logbook", format!("Traveller of run {}", run.row.number)),
        when: format::moment(run.row.created_at),
        when_iso: format::iso(run.row.created_at),
        stops: run.row.stops.iter().map(format::turns).collect(),
        rows: operation_rows(progress).into_iter().map(|row| with_readings(row, &readings, units)).collect(),
        row: run.row,
        facts,
        qr: code_of(&address)?,
        address,
    })
}

/// An operation with what was read for it; nothing where something that it holds for is missing, so that it is written in by hand.
fn with_readings(row: OperationRow, readings: &[Reading], units: Units) -> (OperationRow, String) {
    let words = |kind: &Kind| {
        let last = latest(readings, *kind)?;
        let value = last
            .value
            .map(|value| scale(*kind, units).map_or_else(|| format::turns(value), |s| s.text(value)))?;
        let at = last.coil_c.map_or_else(String::new, |c| format!(" at {}", units.temperature(c, 1)));
        Some(format!("{value}{at}"))
    };
    let read: Option<Vec<String>> = row.operation.hold.iter().map(words).collect();
    let read = read.unwrap_or_default().join(", ");
    (row, read)
}

/// A QR code as a drawing.
fn code_of(address: &str) -> Result<String, AppError> {
    let code = qrcode::QrCode::new(address.as_bytes()).map_err(AppError::internal)?;
    let svg = code.render::<qrcode::render::svg::Color<'_>>().min_dimensions(160, 160).build();
    // The drawing's own declaration has no place inside a page.
    Ok(svg.find("<svg").map_or(String::new(), |at| svg[at..].to_owned()))
}

/// What the winder needs to know, and what the coil should be.
fn facts(
    design: &Design,
    prediction: Option<&PredictionSummary>,
    leads: &LeadColours,
    units: Units,
) -> Vec<(&'static str, String)> {
    let mut facts = Vec::new();
    if let Some(coil) = design.coils.first() {
        facts.push(("Wire", format!("{}, {}", coil.wire.gauge, coil.wire.insulation.spoken())));
        facts.push(("Direction from above", coil.wind.direction.spoken()));
        let is_reversed = design.wiring.sense.get(&coil.name) == Some(&Sense::FinishToGround);
        let (hot, ground) = if is_reversed {
            ("start, inside", "finish, outside")
        } else {
            ("finish, outside", "start, inside")
        };
        facts.push(("Hot end of the winding", format!("{hot}: {}", leads.hot)));
        facts.push(("End at ground", format!("{ground}: {}", leads.ground)));
        if let Some((plan, _)) = lay_coil(design, 0) {
            facts.push(("Turns per pass", format!("{:.0}", plan.turns_per_pass)));
        }
        facts.push(("Guide margin inside the flanges", units.length(coil.wind.margin_mm, 2)));
    }
    if let Some(p) = prediction {
        if let Some(coil) = p.coils.first() {
            facts.push(("Wire needed", METRE.text(coil.wire_length_m.nominal)));
            facts.push(("Minutes at 500 turns/min", format!("{:.0}", coil.minutes)));
        }
        let r = &p.pickup.resistance_20c_ohm;
        facts.push(("Resistance at 20 °C", format!("{} ({})", KILOOHM.text(r.nominal), KILOOHM.band(r))));
        let l = &p.pickup.inductance_h;
        facts.push(("Inductance", format!("{} ({})", HENRY.text(l.nominal), HENRY.band(l))));
    }
    facts
}
