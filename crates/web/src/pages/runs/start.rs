//! Starting a run: what is wound, on which spool, by whom, and whether the wire will do.

use super::traveller;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format;
use crate::layout::{Choice, Field, Frame, ProgressStep, progress_steps};
use crate::pages::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::Design;
use coil::quantity::{ParseQuantity, Turns, fixed};
use serde::Deserialize;
use store::design::Revision;
use store::run::NewRun;
use store::{ClientKey, RevisionId, SpoolId};
use trade::judgement::judge_run;
use trade::run::{Stage, usual_stops};

#[derive(Template)]
#[template(path = "runs/new.html")]
struct NewPage {
    frame: Frame,
    thread: Vec<ProgressStep>,
    revision: Revision,
    key: ClientKey,
    fields: Vec<Field>,
    wire_m: String,
    /// The spool is too short, and that was said.
    short: bool,
    operations: Vec<String>,
}

#[derive(Deserialize)]
pub struct NewQuery {
    revision: u64,
    /// The run that this one is to mend.
    rework: Option<u32>,
}

pub async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, AppError> {
    let revision = app.store.of(user.workshop()).revision(RevisionId(query.revision)).await?;
    let turns = revision.row.turns;
    let stops = usual_stops(turns).iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let mut form = FormData::default();
    for (name, value) in [
        ("turns", turns.to_string()),
        ("stops", stops),
        ("operator", user.person.id.to_string()),
        ("spool", String::new()),
        ("remark", query.rework.map_or_else(String::new, |n| format!("Rework of run {n}"))),
    ] {
        form.0.insert(name.into(), value);
    }
    new_page(&app, &user, revision, &form, &Errors::new()).await
}

async fn new_page(
    app: &App,
    user: &CurrentUser,
    revision: Revision,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let spools = app.store.of(user.workshop()).spools().await?;
    let gauge = &revision.row.gauge;
    let mut choices = vec![Choice::new("", "not noted")];
    // The spools of this gauge first.
    let on_shelf = spools.iter().filter(|s| s.emptied_at.is_none());
    let (fitting, others): (Vec<_>, Vec<_>) = on_shelf.partition(|s| s.gauge == *gauge);
    choices.extend(fitting.into_iter().chain(others).map(|s| {
        let left = s.left_now_m().map_or_else(String::new, |m| format!(", about {m:.0} m left"));
        let station = s.winder.as_ref().map_or_else(String::new, |w| format!(", at {w}"));
        Choice::new(s.id.to_string(), format!("{} · {}{left}{station}", s.label, s.gauge))
    }));
    let people = app.store.of(user.workshop()).people().await?;
    let mut winders = vec![Choice::new("", "not noted")];
    let all = app.store.of(user.workshop()).instruments().await?;
    winders.extend(all.iter().filter(|i| i.kind == "winder").map(|i| Choice::new(i.id.to_string(), &i.name)));
    let operators = people.iter().map(|p| Choice::new(p.id.to_string(), p.name.clone())).collect();
    let fill = |field: Field| {
        let value = form.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let wire = app.predictions.of(&revision.design).await?.ok();
    let wire_m = wire.and_then(|p| p.coils.first().map(|c| format::METRE.text(c.wire_length_m.nominal)));
    let page = NewPage {
        frame: Frame::new(user, "logbook", format!("Wind {}", revision.row.name)),
        thread: progress_steps(true, Some(Stage::Wind), false),
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields: coil_choice(&revision.design)
            .map(fill)
            .into_iter()
            .chain([
                fill(Field::chosen(
                    "spool",
                    "Spool",
                    "What was measured on it goes into this run's prediction.",
                    choices,
                )),
                fill(Field::chosen("operator", "Who winds", "", operators)),
                fill(Field::chosen("winder", "Winder", "On which machine, if not by hand.", winders)),
                fill(Field::typed("turns", "Turns planned", "Hand turns included.")),
                fill(Field::typed(
                    "stops",
                    "Stops",
                    "Where to stop and look: turn counts, with commas between.",
                )),
                Field {
                    unit: "g".into(),
                    ..fill(Field::typed(
                        "wire_g",
                        "Wire on the spool weighs",
                        "Less the empty spool, if it was weighed just now; else what the shelf says counts.",
                    ))
                },
                fill(Field::typed("remark", "Remark", "")).wide(),
            ])
            .collect(),
        short: errors.get("spool").is_some_and(|e| e.contains("anyway")),
        wire_m: wire_m.unwrap_or_default(),
        operations: traveller::plan_lines(app, user.workshop(), &revision).await?,
        revision,
    };
    render_page(&page, !errors.is_empty())
}

/// What is wound, where there is a choice: a coil alone, or the pickup whole.
fn coil_choice(design: &Design) -> Option<Field> {
    if design.coils.len() < 2 {
        return None;
    }
    let alone = design.coils.iter().map(|c| {
        Choice::new(c.name.clone(), format!("coil {} alone, {} turns", c.name, format::turns(c.wind.turns)))
    });
    let whole = Choice::new("", "the pickup whole: turns are those of its first coil");
    let hint = "A coil alone is checked on the bench before it is joined; the whole is measured when it is assembled.";
    Some(Field::chosen("coil", "What is wound", hint, alone.chain([whole]).collect()).wide())
}

pub async fn start(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let Ok(id) = form.get("revision").parse() else { return Err(AppError::Missing("revision")) };
    let revision = app.store.of(workshop).revision(RevisionId(id)).await?;
    let mut errors = Errors::new();
    let turns = match Turns::parse(form.get("turns")) {
        Ok(Turns(turns)) if (10..=50_000).contains(&turns) => turns,
        Ok(_) => {
            errors.insert("turns".into(), "Between 10 and 50,000 turns.".into());
            0
        }
        Err(error) => {
            errors.insert("turns".into(), error.to_string());
            0
        }
    };
    let stops = stops(form.get("stops"), turns).unwrap_or_else(|message| {
        errors.entry("stops".into()).or_insert(message);
        Vec::new()
    });
    let spool = match form.get("spool") {
        "" => None,
        text => {
            let Ok(id) = text.parse() else { return Err(AppError::Missing("spool")) };
            Some(app.store.of(workshop).spool(SpoolId(id)).await?)
        }
    };
    let people = app.store.of(workshop).people().await?;
    let operator = people.iter().find(|p| p.id.to_string() == form.get("operator")).map(|p| p.id);
    let winders = app.store.of(workshop).instruments().await?;
    let winder =
        winders.iter().find(|w| w.kind == "winder" && w.id.to_string() == form.get("winder")).map(|w| w.id);
    if operator.is_none() {
        errors.insert("operator".into(), "Choose who winds.".into());
    }
    if form.get("remark").chars().count() > 1000 {
        errors.insert("remark".into(), "A remark has up to 1,000 letters.".into());
    }
    if let (Some(spool), true) = (&spool, form.get("anyway") != "yes") {
        let mut measured_coils =
            revision.design.alone(form.get("coil")).unwrap_or_else(|| revision.design.clone());
        if let Some(coil) = measured_coils.coils.first_mut() {
            coil.wind.turns = turns.max(10);
            coil.wire.spool = Some(spool.measured());
        }
        if let Some(message) =
            too_short(&app, &measured_coils, &form, &mut errors, spool.left_now_m()).await?
        {
            errors.insert("spool".into(), message);
        }
    }
    let (Some(operator), true) = (operator, errors.is_empty()) else {
        return new_page(&app, &user, revision, &form, &errors).await;
    };
    let mut design = revision.design.clone();
    let mut traveller = traveller::traveller_for(&app, workshop, &design).await?;
    if let Some(alone) = design.alone(form.get("coil")) {
        design = alone;
        traveller = traveller.of_a_coil();
    }
    if let Some(coil) = design.coils.first_mut() {
        coil.wind.turns = turns;
        if let Some(spool) = &spool {
            coil.wire.spool = Some(spool.measured());
        }
    }
    let applied = app.calibrations.applied(&app.store, workshop, Some(revision.row.design_id)).await?;
    let calibration = applied.calibration_on(&design, spool.as_ref().map(|s| s.id), Some(operator), winder);
    let new = NewRun {
        key: form.key()?,
        revision: revision.row.id,
        spool: spool.map(|s| s.id),
        operator,
        planned_turns: turns,
        stops: &stops,
        design: &design,
        remark: form.get("remark"),
        traveller: &traveller,
        winder,
        calibration: (applied.version.map(|(id, _)| id), calibration),
        at: None,
    };
    let run = app.store.of(workshop).start_run(user.person.id, &new).await?;
    let outcome = web::block(move || judge_run(&design, &[], &calibration)).await?;
    app.store.of(workshop).write_summary(run, &outcome).await?;
    Ok(redirect(format!("/runs/{run}")))
}

/// Whether the wire on a spool is too short for a coil, in words: by its weight where that was typed, else by what the
/// shelf says.
async fn too_short(
    app: &App,
    measured_coils: &Design,
    form: &FormData,
    errors: &mut Errors,
    left_m: Option<f64>,
) -> Result<Option<String>, AppError> {
    let Ok(prediction) = app.predictions.of(measured_coils).await? else { return Ok(None) };
    let Some(coil) = prediction.coils.first() else { return Ok(None) };
    let left_m = match form.get("wire_g").trim_end_matches(['g', ' ']).replace(',', ".").as_str() {
        "" => left_m,
        typed => match typed.parse::<f64>() {
            Ok(grams) if (0.0..=20_000.0).contains(&grams) => {
                Some(grams * coil.wire_length_m.nominal / coil.wire_mass_g.nominal)
            }
            _ => {
                errors.insert("wire_g".into(), "Grams, 0 to 20,000.".into());
                None
            }
        },
    };
    // A band wider than the counter's: leads, and what is pulled off to begin.
    let need_m = coil.wire_length_m.p95 + 3.0;
    Ok(left_m.filter(|left| *left < need_m).map(|left| {
        format!(
            "About {} m are left, and the coil takes up to {} m: weigh the spool, choose another, or start anyway.",
            fixed(left, 0),
            fixed(need_m, 0)
        )
    }))
}

/// Turn counts in rising order, ending at the last turn.
fn stops(typed: &str, turns: u32) -> Result<Vec<u32>, String> {
    let mut all = Vec::new();
    for part in typed.split([',', ';', ' ']).map(str::trim).filter(|part| !part.is_empty()) {
        let Ok(Turns(at)) = Turns::parse(part) else {
            return Err(format!("“{part}” is not a turn count: write for example 300, 1000, 2000."));
        };
        if at > turns && turns > 0 {
            return Err(format!("A stop at {at} lies beyond the {turns} turns planned."));
        }
        all.push(at);
    }
    all.sort_unstable();
    all.dedup();
    if all.len() > 60 {
        return Err("Up to 60 stops.".into());
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::stops;

    #[test]
    fn stops_are_sorted_and_bounded() {
        assert_eq!(stops("2000, 300,1000 300", 7620).unwrap(), [300, 1000, 2000]);
        assert!(stops("300, soon", 7620).unwrap_err().contains("soon"));
        assert!(stops("9000", 7620).unwrap_err().contains("beyond"));
    }
}
