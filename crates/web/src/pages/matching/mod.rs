//! Matching: which coils in stock belong together.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use crate::respond::redirect;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use presentation::field::Choice;
use presentation::format::{self, HENRY, KILOOHM, signed_percent};
use std::collections::BTreeSet;
use store::logbook::LogbookRow;
use store::set::SetMember;
use store::{ClientKey, DesignId, RunId, SetId};
use trade::matching::{MatchCriterion, Measure, Pair};
use workshop::{MatchedCoils, MatchingQuery, Strength};

routes! {
    GET "/matching" [ReadAnalysis] => show;
    POST "/matched-sets" [ChangeAnalysis] => set_aside;
    POST "/matched-sets/{id}/dissolve" [ChangeAnalysis] => dissolve;
    POST "/matched-sets/{id}/sold" [ChangeAnalysis] => sold;
}

/// A measure in the form.
struct MeasureField {
    key: &'static str,
    name: &'static str,
    on: bool,
    tolerance: String,
    error: String,
}

/// A coil as a proposal shows it.
#[derive(Clone)]
struct CoilRow {
    run: u64,
    number: u32,
    name: String,
    figures: String,
    sense: &'static str,
}

/// A proposed set.
struct ProposedSet {
    coils: Vec<CoilRow>,
    off: String,
    grade: &'static str,
    key: ClientKey,
}

struct SetRow {
    id: u64,
    name: String,
    when: String,
    is_sold: bool,
    coils: Vec<(u64, String, String)>,
}

#[derive(Template, WebTemplate)]
#[template(path = "matching/matching.html")]
struct MatchingPage {
    frame: Frame,
    tab: &'static str,
    designs: Vec<Choice>,
    roles: [(&'static str, &'static str, String); 3],
    measures: Vec<MeasureField>,
    ratio: String,
    /// Whether the second is to be stronger in output, rather than in turns.
    in_output: bool,
    /// What that comes to in each measure.
    follows: String,
    ratio_error: String,
    opposite: bool,
    asked: bool,
    proposed: Vec<ProposedSet>,
    left: Vec<CoilRow>,
    stock: usize,
    sets: Vec<SetRow>,
}

impl MatchingPage {
    /// Sets that are not sold.
    fn reserved(&self) -> usize {
        self.sets.iter().filter(|set| !set.is_sold).count()
    }
}

/// Usual tolerances, per cent, and whether a measure is asked for at first.
const fn usual(measure: Measure) -> (&'static str, bool) {
    match measure {
        Measure::Resistance | Measure::Inductance => ("2", true),
        Measure::Resonance => ("2", false),
        Measure::Turns => ("1", false),
        Measure::Output => ("5", false),
    }
}

const fn name(measure: Measure) -> &'static str {
    match measure {
        Measure::Resistance => "resistance",
        Measure::Inductance => "inductance",
        Measure::Resonance => "loaded peak",
        Measure::Turns => "turns",
        Measure::Output => "output",
    }
}

fn shown(line: &LogbookRow) -> CoilRow {
    let mut figures = Vec::new();
    if let Some(v) = line.resistance_ohm {
        figures.push(KILOOHM.finer().text(v));
    }
    if let Some(v) = line.inductance_h {
        figures.push(HENRY.finer().text(v));
    }
    if let Some(v) = line.turns {
        figures.push(format!("{} turns", format::turns(v)));
    }
    CoilRow {
        run: line.run_id.0,
        number: line.number,
        name: format!("{} r{}", line.name, line.revision),
        figures: figures.join(" · "),
        sense: match (line.clockwise, line.north) {
            (true, true) => "clockwise, north up",
            (true, false) => "clockwise, south up",
            (false, true) => "counter-clockwise, north up",
            (false, false) => "counter-clockwise, south up",
        },
    }
}

/// What the form asks for, with what is wrong with it.
struct Asked {
    measures: Vec<MeasureField>,
    criteria: Vec<(Measure, f64)>,
    stronger: (Strength, f64),
    ratio: String,
    ratio_error: String,
}

fn measures(query: &QueryParameters) -> Asked {
    let first = !query.0.iter().any(|(n, _)| n.starts_with("by-") || n == "ask");
    let percent = |text: &str| text.trim_end_matches(['%', ' ']).replace(',', ".").parse::<f64>().ok();
    let mut criteria = Vec::new();
    let (mut ratio, mut ratio_error) = (0.0, String::new());
    let typed = query.get("ratio");
    match percent(if typed.is_empty() { "0" } else { typed }) {
        Some(value) if (-50.0..=100.0).contains(&value) => ratio = value,
        _ => ratio_error = "Per cent, −50 to 100.".into(),
    }
    let measures = Measure::ALL
        .into_iter()
        .map(|measure| {
            let (tolerance, on) = usual(measure);
            let on = if first { on } else { query.get(&format!("by-{}", measure.key())) == "yes" };
            let within = query.get(&format!("within-{}", measure.key()));
            let text = if within.is_empty() { tolerance } else { within };
            let mut error = String::new();
            match percent(text) {
                Some(value) if (0.05..=30.0).contains(&value) => {
                    if on {
                        criteria.push((measure, value / 100.0));
                    }
                }
                _ => error = "0.05 to 30 %.".into(),
            }
            MeasureField { key: measure.key(), name: name(measure), on, tolerance: text.to_owned(), error }
        })
        .collect();
    let strength = if query.get("in") == "output" { Strength::Output } else { Strength::Turns };
    Asked { measures, criteria, stronger: (strength, ratio / 100.0), ratio: typed.to_owned(), ratio_error }
}

fn grade(pair: &Pair) -> &'static str {
    match pair.cost {
        c if c <= 0.5 => "close",
        c if c <= 2.0 => "good",
        _ => "loose",
    }
}

/// What is asked of the second coil over the first, in each measure.
fn follows(criteria: &[MatchCriterion]) -> String {
    let all = criteria.iter().map(|w| format!("{} {}", w.measure.sign(), signed_percent(w.ratio - 1.0, 1)));
    all.collect::<Vec<_>>().join(", ")
}

fn deviation_words(pair: &Pair, criteria: &[MatchCriterion]) -> String {
    let all: Vec<String> = criteria
        .iter()
        .zip(&pair.off)
        .map(|(w, off)| format!("{} {}", w.measure.sign(), signed_percent(*off, 1)))
        .collect();
    all.join(", ")
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<MatchingPage, AppError> {
    let (members, in_sets) = app.workshop.sets(&user.actor).await?;
    let asked = measures(&query);
    let roles = ["first", "second", "third"].map(|r| query.number(r));
    let valid = asked.ratio_error.is_empty() && asked.measures.iter().all(|m| m.error.is_empty());
    let wanted = MatchingQuery {
        roles: roles.iter().copied().flatten().map(DesignId).collect(),
        criteria: if valid { asked.criteria.clone() } else { Vec::new() },
        stronger: asked.stronger,
        opposite: query.get("opposite") == "yes",
    };
    let pools = app.workshop.match_coils(&user.actor, &wanted, &members).await?;
    let mut used: BTreeSet<usize> = BTreeSet::new();
    let mut proposed = Vec::new();
    for MatchedCoils { pair, third } in &pools.proposals {
        let places = [Some(pair.first), Some(pair.second), *third];
        used.extend(places.iter().flatten());
        proposed.push(ProposedSet {
            coils: places.iter().flatten().map(|k| shown(&pools.coils[*k])).collect(),
            off: deviation_words(pair, &pools.criteria),
            grade: grade(pair),
            key: ClientKey::random(),
        });
    }
    let left = pools.coils.iter().enumerate().filter(|(k, _)| !used.contains(k));
    let designs = app.workshop.logged_designs(&user.actor).await?;
    let number = |k: usize| roles[k].map_or_else(String::new, |id| id.to_string());
    Ok(MatchingPage {
        frame: Frame::new(&user, "sets", "Matching"),
        tab: "matching",
        designs: designs.iter().map(|(id, name, _)| Choice::new(id.to_string(), name.clone())).collect(),
        roles: [
            ("first", "First coil", number(0)),
            ("second", "Second coil", number(1)),
            ("third", "Third, if any", number(2)),
        ],
        measures: asked.measures,
        in_output: asked.stronger.0 == Strength::Output,
        follows: if asked.stronger.1 == 0.0 { String::new() } else { follows(&pools.criteria) },
        ratio: asked.ratio,
        ratio_error: asked.ratio_error,
        opposite: wanted.opposite,
        asked: wanted.roles.len() >= 2,
        proposed,
        left: left.map(|(_, row)| shown(row)).collect(),
        stock: pools.coils.len(),
        sets: set_rows(&members, &in_sets),
    })
}

fn set_rows(members: &[SetMember], rows: &[LogbookRow]) -> Vec<SetRow> {
    let mut all: Vec<SetRow> = Vec::new();
    for coil in members {
        let figures = rows.iter().find(|row| row.run_id == coil.run_id).map_or_else(String::new, |row| {
            let s = shown(row);
            format!("run {}, {}: {}", s.number, s.name, s.figures)
        });
        let entry = (coil.run_id.0, coil.role.clone(), figures);
        match all.last_mut() {
            Some(set) if set.id == coil.set_id.0 => set.coils.push(entry),
            _ => all.push(SetRow {
                id: coil.set_id.0,
                name: coil.set_name.clone(),
                is_sold: coil.sold_at.is_some(),
                when: format!("{}, by {}", format::moment(coil.made_at), coil.by),
                coils: vec![entry],
            }),
        }
    }
    // First, second, third.
    for set in &mut all {
        set.coils.sort_by(|a, b| a.1.cmp(&b.1));
    }
    all
}

/// Sets coils aside for one another.
async fn set_aside(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let runs: Vec<RunId> = form.get("runs").split(',').filter_map(|r| r.parse().ok().map(RunId)).collect();
    if !(2..=6).contains(&runs.len()) {
        return Err(AppError::BadRequest("A set has two to six coils.".into()));
    }
    let given = form.get("name").chars().take(120).collect::<String>();
    let name = if given.is_empty() { "Set".to_owned() } else { given };
    let roles = ["first", "second", "third", "fourth", "fifth", "sixth"];
    let coils: Vec<(RunId, &str)> = runs.into_iter().zip(roles).collect();
    let back = Some(form.get("back")).filter(|b| b.starts_with("/matching")).unwrap_or("/matching");
    let made = app.workshop.make_set(&user.actor, &form.key()?, &name, &coils).await;
    outcome::tell(&session, back, made.map(|()| ""))
}

/// Marks a set as sold, or as reserved again.
async fn sold(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.mark_set_sold(&user.actor, SetId(*id), form.get("sold") == "yes").await?;
    Ok(redirect("/matching"))
}

async fn dissolve(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.dissolve_set(&user.actor, SetId(*id)).await?;
    Ok(redirect("/matching"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_asked_is_read_with_its_errors() {
        let asked = measures(&QueryParameters::default());
        assert!(asked.measures[0].on && asked.measures[1].on && !asked.measures[3].on);
        assert_eq!(asked.criteria.len(), 2);
        let typed = |pairs: &[(&str, &str)]| {
            QueryParameters(pairs.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect())
        };
        let asked = measures(&typed(&[("by-turns", "yes"), ("within-turns", "much"), ("ratio", "900")]));
        assert!(asked.criteria.is_empty() && !asked.measures[3].error.is_empty());
        assert!(!asked.ratio_error.is_empty());
        let asked = measures(&typed(&[("by-resistance", "yes"), ("ratio", "12,5 %")]));
        assert!((asked.stronger.1 - 0.125).abs() < 1e-12 && asked.stronger.0 == Strength::Turns);
    }
}
