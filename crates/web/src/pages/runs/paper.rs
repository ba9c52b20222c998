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
use coil::capital;
use coil::design::{Design, Polarity};
use coil::prediction::{PredictionSummary, lay_coil};
use coil::quantity::Units;
use presentation::format::{self, HENRY, KILOOHM};
use store::RunId;
use store::run::RunRow;
use trade::reading::Reading;
use trade::traveller::{CoilEnd, Connection, bar_placements, connections};
use workshop::LeadColours;

#[derive(Template, WebTemplate)]
#[template(path = "runs/paper.html")]
pub(super) struct PaperPage {
    frame: Frame,
    row: RunRow,
    when: String,
    when_iso: String,
    stops: Vec<String>,
    facts: Vec<(String, String)>,
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
    let (run, progress, prediction, read) = app.workshop.paper_traveller(&user.actor, RunId(*id)).await?;
    let address = app.origin.address_of(&format!("/runs/{id}"));
    let (design, units) = (run.design.clone(), user.settings.units);
    let leads = user.settings.lead_colours.clone();
    let facts = web::block(move || facts(&design, prediction.as_ref(), &leads, units)).await?;
    Ok(PaperPage {
        frame: Frame::new(&user, "logbook", format!("Traveller of run {}", run.row.number)),
        when: format::moment(run.row.created_at),
        when_iso: format::iso(run.row.created_at),
        stops: run.row.stops.iter().map(format::turns).collect(),
        rows: operation_rows(progress)
            .into_iter()
            .zip(&read)
            .map(|(row, read)| (row, words(read, units)))
            .collect(),
        row: run.row,
        facts,
        qr: code_of(&address)?,
        address,
    })
}

/// What was read for an operation; nothing where something that it holds for is missing, so that it is written in by hand.
fn words(read: &[Reading], units: Units) -> String {
    let words = |reading: &Reading| {
        let value = reading.value.map(|value| {
            scale(reading.kind, units).map_or_else(|| format::turns(value), |s| s.text(value))
        })?;
        let at = reading.coil_c.map_or_else(String::new, |c| format!(" at {}", units.temperature(c, 1)));
        Some(format!("{value}{at}"))
    };
    let all: Option<Vec<String>> = read.iter().map(words).collect();
    all.unwrap_or_default().join(", ")
}

/// A QR code as a drawing.
fn code_of(address: &str) -> Result<String, AppError> {
    let code = qrcode::QrCode::new(address.as_bytes()).map_err(AppError::internal)?;
    let svg = code.render::<qrcode::render::svg::Color<'_>>().min_dimensions(160, 160).build();
    // The drawing's own declaration has no place inside a page.
    Ok(svg.find("<svg").map_or(String::new(), |at| svg[at..].to_owned()))
}

/// A lead or a joint: its label, and the ends that it connects.
fn connection_words(one: Connection, leads: &LeadColours, is_several: bool) -> (String, String) {
    let end = |(name, end): &(String, CoilEnd)| {
        if is_several { format!("coil {name} {}", end.words()) } else { end.words().to_owned() }
    };
    let ends = |all: &[(String, CoilEnd)]| all.iter().map(end).collect::<Vec<_>>().join(" and ");
    match one {
        Connection::Hot(all) => ("Hot lead".into(), format!("{}: {}", ends(&all), leads.hot)),
        Connection::Ground(all) => ("Ground lead".into(), format!("{}: {}", ends(&all), leads.ground)),
        Connection::Joint(a, b) => ("Joint".into(), format!("{} to {}", end(&a), end(&b))),
        Connection::Unused(name) => (format!("Coil {name}"), "ends stay free, insulated".into()),
    }
}

/// What a compass shows over poles: unlike poles attract.
fn compass_words(up: Polarity) -> &'static str {
    match up {
        Polarity::North => "its south-seeking end turns to them (north up)",
        Polarity::South => "its north-seeking end turns to them (south up)",
    }
}

/// What the winder needs to know, and what the coil should be.
fn facts(
    design: &Design,
    prediction: Option<&PredictionSummary>,
    leads: &LeadColours,
    units: Units,
) -> Vec<(String, String)> {
    let mut facts = Vec::new();
    let is_several = design.coils.len() > 1;
    for (index, coil) in design.coils.iter().enumerate() {
        let of = |what: &str| if is_several { format!("Coil {}: {what}", coil.name) } else { capital(what) };
        facts.push((of("wire"), format!("{}, {}", coil.wire.gauge, coil.wire.insulation.spoken())));
        facts.push((of("direction from above"), coil.wind.direction.spoken()));
        if is_several {
            facts.push((of("turns"), format::turns(coil.wind.turns)));
        }
        if let Some((plan, _)) = lay_coil(design, index) {
            facts.push((of("turns per pass"), format!("{:.0}", plan.turns_per_pass)));
        }
        facts.push((of("guide margin inside the flanges"), units.length(coil.wind.margin_mm, 2)));
    }
    facts.extend(connections(design).into_iter().map(|one| connection_words(one, leads, is_several)));
    for (number, bar) in bar_placements(design).into_iter().enumerate() {
        let label =
            if design.bars.len() > 1 { format!("Bar magnet {}", number + 1) } else { "Bar magnet".into() };
        facts.push((label, format!("north face {}", bar.north_face)));
        for (row, up) in bar.up {
            facts.push((format!("Compass over {row}"), compass_words(up).to_owned()));
        }
    }
    facts.dedup();
    if let Some(p) = prediction {
        if !p.coils.is_empty() {
            let metres: f64 = p.coils.iter().map(|coil| coil.wire_length_m.nominal).sum();
            let minutes: f64 = p.coils.iter().map(|coil| coil.minutes).sum();
            facts.push(("Wire needed".into(), units.wire_length(metres)));
            facts.push(("Minutes at 500 turns/min".into(), format!("{minutes:.0}")));
        }
        let r = &p.pickup.resistance_20c_ohm;
        facts.push((
            "Resistance at 20 °C".into(),
            format!("{} ({})", KILOOHM.text(r.nominal), KILOOHM.band(r)),
        ));
        let l = &p.pickup.inductance_h;
        facts.push(("Inductance".into(), format!("{} ({})", HENRY.text(l.nominal), HENRY.band(l))));
    }
    facts
}
