//! Files for the traverse, the counter's log, and what goes on paper: the traveller and the label.

use super::traveller::{OperationRow, course};
use super::{AppError, Asked, Errors, FormData, Frame, format, readings_of, redirect, run_page};
use crate::app::App;
use crate::current_user::CurrentUser;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::prediction::lay_coil;
use serde::Deserialize;
use store::RunId;
use store::event::NewEvent;
use store::run::RunRow;
use trade::machine::{Limits, counter_log, csv, gcode};
use trade::winding::{Event, WindingEventKind};

/// What the machine is asked for and can do; its usual limits where nothing is said.
#[derive(Deserialize)]
pub struct MachineQuery {
    rpm: Option<f64>,
    low_mm: Option<f64>,
    high_mm: Option<f64>,
    step_mm: Option<f64>,
}

/// The guide plan of a run for a motorised traverse, as G-code or as CSV by the address's ending.
pub async fn guide(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, String)>,
    query: web::Query<MachineQuery>,
) -> Result<HttpResponse, AppError> {
    let (id, form) = path.into_inner();
    let run = app.store.of(user.workshop()).run(RunId(id)).await?;
    let usual = Limits::default();
    let limits = Limits {
        travel_mm: (query.low_mm.unwrap_or(usual.travel_mm.0), query.high_mm.unwrap_or(usual.travel_mm.1)),
        step_mm: query.step_mm.unwrap_or(usual.step_mm),
        rpm: usual.rpm,
    };
    let rpm = query.rpm.unwrap_or(500.0);
    let stops: Vec<u32> = run.row.stops.split(',').filter_map(|s| s.parse().ok()).collect();
    let name = format!("{} r{}, run {}", run.row.design, run.row.revision, run.row.number);
    let design = run.design;
    let is_gcode = form == "gcode";
    let made = web::block(move || {
        let (plan, _) = lay_coil(&design, 0)?;
        let path_mm: Vec<f64> = plan.path().iter().map(|z| z * 1e3).collect();
        Some(if is_gcode {
            gcode(&name, &path_mm, &stops, rpm, &limits)
        } else {
            csv(&path_mm, rpm, &limits)
        })
    })
    .await?
    .ok_or(AppError::Missing("guide plan"))?;
    let text = made.map_err(|why| AppError::Unreadable(format!("Not for this machine: {why}.")))?;
    let (kind, ending) =
        if is_gcode { ("text/plain; charset=utf-8", "nc") } else { ("text/csv; charset=utf-8", "csv") };
    Ok(HttpResponse::Ok()
        .content_type(kind)
        .insert_header((
            "Content-Disposition",
            format!("attachment; filename=\"run-{}-guide.{ending}\"", run.row.number),
        ))
        .body(text))
}

/// Takes a counter's log in: its last count becomes the run's.
pub async fn import(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (turns, lines) = match counter_log(form.get("log")) {
        Ok(read) => read,
        Err(message) => {
            let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
            let errors = Errors::from([("log".to_owned(), message)]);
            return run_page(&app, &user, run, &form, &errors, Asked::default()).await;
        }
    };
    let words = format!("from the counter's log, {lines} lines");
    let new = NewEvent {
        key: form.key()?,
        event: Event { what: WindingEventKind::Count, at_turn: turns },
        words: &words,
    };
    app.store.of(user.workshop()).note_event(RunId(*id), user.person.id, &new).await?;
    app.winders.noted(RunId(*id));
    Ok(redirect(format!("/runs/{id}")))
}

#[derive(Template, WebTemplate)]
#[template(path = "runs/paper.html")]
pub struct PaperPage {
    frame: Frame,
    row: RunRow,
    when: String,
    when_iso: String,
    stops: Vec<String>,
    facts: Vec<(&'static str, String)>,
    rows: Vec<OperationRow>,
    qr: String,
    address: String,
}

/// The traveller on one page with a label to cut off; its code opens the run on a phone.
pub async fn paper(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    request: HttpRequest,
) -> Result<PaperPage, AppError> {
    let workshop = user.workshop();
    let run = app.store.of(workshop).run(RunId(*id)).await?;
    let readings = readings_of(&app, workshop, run.row.id).await?;
    let course = course(&app, workshop, run.row.id, &readings).await?;
    let address = {
        let info = request.connection_info();
        format!("{}://{}/runs/{id}", info.scheme(), info.host())
    };
    let qr = qrcode::QrCode::new(address.as_bytes())
        .map(|code| code.render::<qrcode::render::svg::Color<'_>>().min_dimensions(160, 160).build())
        .map_err(|error| AppError::Internal(error.to_string()))?;
    // The drawing's own declaration has no place inside a page.
    let qr = qr.find("<svg").map_or(String::new(), |at| qr[at..].to_owned());
    let prediction = app.predictions.of(&run.design).await?.ok();
    let mut facts = Vec::new();
    if let Some(coil) = run.design.coils.first() {
        facts.push(("Wire", format!("{}, {}", coil.wire.gauge, words(coil.wire.insulation))));
        facts.push(("Direction from above", words(coil.wind.direction)));
        let pass = lay_coil(&run.design, 0).map(|(plan, _)| plan.turns_per_pass);
        facts.push(("Turns a pass", pass.map_or_else(String::new, |t| format!("{t:.0}"))));
        facts.push((
            "Guide stays inside the flanges by",
            format!("{} mm", coil::quantity::fixed(coil.wind.margin_mm, 2)),
        ));
    }
    if let Some(p) = &prediction {
        let pickup = &p.pickup;
        if let Some(coil) = p.coils.first() {
            facts.push(("Wire needed", format::METRE.text(coil.wire_length_m.nominal)));
            facts.push(("Minutes at 500 a minute", format!("{:.0}", coil.minutes)));
        }
        let r = &pickup.resistance_20c_ohm;
        facts.push((
            "Resistance at 20 °C",
            format!("{} ({})", format::KILOOHM.text(r.nominal), format::KILOOHM.band(r)),
        ));
        let l = &pickup.inductance_h;
        facts.push(("Inductance", format!("{} ({})", format::HENRY.text(l.nominal), format::HENRY.band(l))));
    }
    Ok(PaperPage {
        frame: Frame::new(&user, "logbook", format!("Traveller of run {}", run.row.number)),
        when: format::moment(run.row.created_at),
        when_iso: format::iso(run.row.created_at),
        stops: run.row.stops.split(',').filter_map(|s| s.parse::<u32>().ok()).map(format::turns).collect(),
        rows: course.map(|c| c.rows).unwrap_or_default(),
        row: run.row,
        facts,
        qr,
        address,
    })
}

fn words<T: serde::Serialize>(value: T) -> String {
    let text = serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned));
    text.unwrap_or_default().replace('-', " ")
}
