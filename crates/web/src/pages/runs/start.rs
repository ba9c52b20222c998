//! Starting a run: what is wound, on which spool, by whom, and whether the wire suffices.

use crate::app::App;
use crate::components::frame::{Frame, ProgressStep, progress_steps};
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::design::{Coil, Design};
use coil::prediction::CoilPrediction;
use coil::quantity::{Measure, ParseQuantity, Turns, Units};
use coil::wire::Gauge;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, METRE};
use presentation::read::{limit_letters, measured};
use serde::Deserialize;
use store::design::Revision;
use store::spool::Spool;
use store::{ClientKey, InstrumentId, OrderId, PersonId, PickupSetId, RevisionId, RunId, SpoolId};
use trade::run::Stage;
use workshop::{CheckedStart, Refusal, StartRun};

/// Most stops of a run.
const MOST_STOPS: usize = 60;
/// Stands for the choice between a coil alone and the whole pickup until it is made.
const ASK: &str = "?";
/// Most letters of a remark.
const MOST_LETTERS: usize = 1000;

#[derive(Template)]
#[template(path = "runs/new.html")]
struct NewPage {
    frame: Frame,
    steps: Vec<ProgressStep>,
    revision: Revision,
    key: ClientKey,
    fields: Vec<Field>,
    coils: Vec<CoilRow>,
    doubt: Doubt,
    operations: Vec<String>,
    /// The set that it is wound for, and the pickup's name in it.
    set: Option<(u64, String)>,
    /// The order that it is made for, and the line of it.
    order: Option<(u64, String)>,
}

/// What a coil asks for, in words.
struct CoilRow {
    name: String,
    wire: String,
    turns: String,
    direction: String,
    /// Length and weight of its wire.
    takes: String,
    minutes: String,
    /// Where the guide turns round, over the inner face of the lower flange.
    guide: String,
}

fn coil_row(coil: &Coil, predicted: &CoilPrediction, units: Units) -> CoilRow {
    let margin = coil.wind.margin_mm;
    let grams = units.mass(predicted.wire_mass_g.nominal, 1);
    CoilRow {
        name: coil.name.clone(),
        wire: format!("{}, {}", coil.wire.gauge, coil.wire.insulation.spoken()),
        turns: format::turns(coil.wind.turns),
        direction: coil.wind.direction.spoken(),
        takes: format!("{}, {grams}", METRE.text(predicted.wire_length_m.nominal)),
        minutes: format!("{:.0}", predicted.minutes),
        guide: format!("{} to {}", units.length(margin, 2), units.length(coil.former.height_mm - margin, 2)),
    }
}

/// What stands against the spool, and was told: it can be wound all the same.
#[derive(Default)]
struct Doubt {
    is_short: bool,
    is_other_wire: bool,
    /// Why other wire is wound, as typed.
    reason: String,
}

#[derive(Deserialize)]
pub(super) struct NewQuery {
    revision: u64,
    /// The run that this one reworks.
    rework: Option<u32>,
    /// The set that it is wound for, and the pickup's name in it.
    set: Option<u64>,
    pickup: Option<String>,
    /// The coil that is wound by itself.
    coil: Option<String>,
    /// The order that it is made for, and the line of it.
    order: Option<u64>,
    line: Option<u32>,
}

/// The form of a new run.
pub(super) async fn new(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<NewQuery>,
) -> Result<HttpResponse, AppError> {
    let options = app.workshop.start_options(&user.actor, RevisionId(query.revision)).await?;
    let coil =
        query.coil.as_ref().and_then(|name| options.revision.design.coils.iter().find(|c| c.name == *name));
    let turns = coil.map_or(options.revision.row.turns, |c| c.wind.turns);
    let stops =
        user.settings.stops.stops(turns).iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let form = [
        ("turns", turns.to_string()),
        ("stops", stops),
        ("operator", user.person.id.to_string()),
        ("remark", query.rework.map_or_else(String::new, |n| format!("Rework of run {n}"))),
        ("coil", coil.map_or_else(|| ASK.to_owned(), |c| c.name.clone())),
        ("spool", options.own_spool.map_or_else(String::new, |spool| spool.to_string())),
        ("set", query.set.map_or_else(String::new, |set| set.to_string())),
        ("pickup", query.pickup.clone().unwrap_or_default()),
        ("order", query.order.map_or_else(String::new, |order| order.to_string())),
        ("line", query.line.unwrap_or_default().to_string()),
    ]
    .into_iter()
    .collect();
    new_page(&user, options, &form, &Errors::new(), Doubt::default())
}

/// The spools on the shelf, those of the gauge first.
fn spool_choices(spools: &[Spool], gauge: Option<Gauge>) -> Vec<Choice> {
    let on_shelf = spools.iter().filter(|s| s.emptied_at.is_none());
    let (fitting, others): (Vec<_>, Vec<_>) = on_shelf.partition(|s| Some(s.gauge.0) == gauge);
    let choice = |s: &Spool| {
        let left = s.left_now_m().map_or_else(String::new, |m| format!(", about {m:.0} m left"));
        let at = s.winder.as_ref().map_or_else(String::new, |w| format!(", at {w}"));
        Choice::new(s.id.to_string(), format!("{} · {}{left}{at}", s.label, s.gauge))
    };
    let none = std::iter::once(Choice::new("", "not recorded"));
    none.chain(fitting.into_iter().chain(others).map(choice)).collect()
}

/// What is wound, where there is a choice: a coil alone, or the pickup whole.
fn coil_choice(design: &Design) -> Option<Field> {
    if design.coils.len() < 2 {
        return None;
    }
    let alone = design.coils.iter().map(|c| {
        Choice::new(c.name.clone(), format!("coil {} alone, {} turns", c.name, format::turns(c.wind.turns)))
    });
    let ask = Choice::new(ASK, "choose: one coil alone, or the whole pickup");
    let whole = Choice::new("", "the whole pickup: turns are those of its first coil");
    let hint =
        "A coil alone is checked before it is joined; the whole pickup is measured when it is assembled.";
    Some(
        Field::chosen(
            "coil",
            "What is wound",
            hint,
            std::iter::once(ask).chain(alone).chain([whole]).collect(),
        )
        .wide(),
    )
}

fn new_page(
    user: &CurrentUser,
    options: CheckedStart,
    form: &FormData,
    errors: &Errors,
    doubt: Doubt,
) -> Result<HttpResponse, AppError> {
    let CheckedStart { revision, spools, people, winders, traveller, coils, .. } = options;
    let spools = spool_choices(&spools, revision.design.coils.first().map(|coil| coil.wire.gauge));
    let operators = people.into_iter().map(|p| Choice::new(p.id.to_string(), p.name)).collect();
    let not_recorded = std::iter::once(Choice::new("", "not recorded"));
    let winders = not_recorded.chain(winders.into_iter().map(|i| Choice::new(i.id.to_string(), i.name)));
    let spool_hint = "What was measured on it is used in this run’s prediction.";
    let stops_hint = "Where to stop and look: turn counts, separated by commas.";
    let weight_hint =
        "Without the empty spool, if it was weighed just now. Otherwise the inventory’s figure is used.";
    let fields = coil_choice(&revision.design).into_iter().chain([
        Field::chosen("spool", "Spool", spool_hint, spools),
        Field::chosen("operator", "Operator", "", operators),
        Field::chosen("winder", "Winder", "The machine, if it is not wound by hand.", winders.collect()),
        Field::typed("turns", "Turns planned", "Hand turns included."),
        Field::typed("stops", "Stops", stops_hint),
        Field::measured(
            "wire_g",
            "Weight of the wire on the spool",
            weight_hint,
            (Measure::Mass, user.settings.units),
        ),
        Field::typed("remark", "Remark", "").wide(),
    ]);
    let page = NewPage {
        frame: Frame::new(user, "logbook", format!("Wind {}", revision.row.name)),
        steps: progress_steps(true, Some(Stage::Wind), false),
        key: form.key_or_new(),
        fields: fields.map(|field| field.filled(form, errors)).collect(),
        doubt,
        coils: revision
            .design
            .coils
            .iter()
            .zip(&coils)
            .map(|(coil, predicted)| coil_row(coil, predicted, user.settings.units))
            .collect(),
        order: form.id("order").map(|order| (order, form.get("line").to_owned())),
        set: form.id("set").map(|set| (set, form.get("pickup").to_owned())),
        operations: traveller.0.into_iter().map(|operation| operation.name).collect(),
        revision,
    };
    render_page(&page, !errors.is_empty())
}

/// The command that a form holds, or messages by field.
fn command(
    form: &FormData,
    revision: RevisionId,
    units: Units,
) -> Result<Result<StartRun, Errors>, AppError> {
    let mut errors = Errors::new();
    if form.get("coil") == ASK {
        errors.insert("coil".into(), "Choose what is wound.".into());
    }
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
        errors.insert("stops".into(), message);
        Vec::new()
    });
    let operator = form.id("operator").map_or_else(
        || {
            errors.insert("operator".into(), "Choose the operator.".into());
            PersonId(0)
        },
        PersonId,
    );
    let wire_g = measured(form, &mut errors, "wire_g", (0.0, 20_000.0), (Measure::Mass, units));
    limit_letters(form, &mut errors, "remark", MOST_LETTERS);
    if !errors.is_empty() {
        return Ok(Err(errors));
    }
    Ok(Ok(StartRun {
        key: form.key()?,
        revision,
        coil: Some(form.get("coil").to_owned()).filter(|coil| !coil.is_empty() && coil != ASK),
        spool: form.id("spool").map(SpoolId),
        operator,
        winder: form.id("winder").map(InstrumentId),
        turns,
        stops,
        wire_g,
        remark: form.get("remark").to_owned(),
        accept_short_spool: form.is_ticked("accept"),
        other_wire: Some(form.get("other_wire").to_owned()).filter(|reason| !reason.is_empty()),
    }))
}

/// The run, or everything that is asked before it can start.
async fn start_or_doubts(
    app: &App,
    user: &CurrentUser,
    command: &StartRun,
) -> Result<Result<RunId, Vec<Refusal>>, Refusal> {
    let doubts = app.workshop.start_doubts(&user.actor, command).await?;
    if !doubts.is_empty() {
        return Ok(Err(doubts));
    }
    app.workshop.start_run(&user.actor, command).await.map(Ok)
}

/// Starts the run.
pub(super) async fn start(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let revision = form.id("revision").map(RevisionId).ok_or(AppError::NotFound("revision"))?;
    let mut doubt = Doubt { reason: form.get("other_wire").to_owned(), ..Doubt::default() };
    doubt.is_other_wire = !doubt.reason.is_empty();
    let errors = match command(&form, revision, user.settings.units)? {
        Ok(command) => match start_or_doubts(&app, &user, &command).await {
            Ok(Err(doubts)) => {
                doubt.is_short |= doubts.iter().any(|d| matches!(d, Refusal::SpoolTooShort { .. }));
                doubt.is_other_wire |= doubts.iter().any(|d| matches!(d, Refusal::OtherWire { .. }));
                let all: Vec<String> = doubts.iter().map(refusal_text).collect();
                Errors::from([("spool".to_owned(), all.join(" "))])
            }
            Ok(Ok(run)) => {
                if let Some(set) = form.id("set").map(PickupSetId) {
                    app.workshop.assign_run_to_set(&user.actor, run, set, form.get("pickup")).await?;
                }
                if let Some(order) = form.id("order").map(OrderId) {
                    let line = form.get("line").parse().unwrap_or_default();
                    app.workshop.assign_run_to_order(&user.actor, run, order, line).await?;
                }
                return Ok(redirect(format!("/runs/{run}")));
            }
            Err(refusal) => return Err(refusal.into()),
        },
        Err(errors) => errors,
    };
    let options = app.workshop.start_options(&user.actor, revision).await?;
    new_page(&user, options, &form, &errors, doubt)
}

/// Turn counts in rising order, ending at the last turn.
fn stops(typed: &str, turns: u32) -> Result<Vec<u32>, String> {
    let mut all = Vec::new();
    for part in typed.split([',', ';', ' ']).map(str::trim).filter(|part| !part.is_empty()) {
        let Ok(Turns(at)) = Turns::parse(part) else {
            return Err(format!("“{part}” is not a turn count. Write for example 300, 1000, 2000."));
        };
        if at > turns && turns > 0 {
            return Err(format!("A stop at {at} is beyond the {turns} turns planned."));
        }
        all.push(at);
    }
    all.sort_unstable();
    all.dedup();
    if all.len() > MOST_STOPS {
        return Err(format!("Up to {MOST_STOPS} stops."));
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::stops;

    #[test]
    fn stops_are_sorted_and_bounded() {
        assert_eq!(stops("2000, 300,1000 300", 7500).unwrap(), [300, 1000, 2000]);
        assert!(stops("300, soon", 7500).is_err());
        assert!(stops("9000", 7500).is_err());
    }
}
