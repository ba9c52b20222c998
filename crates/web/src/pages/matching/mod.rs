//! Matching: which coils in stock belong together.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::format::{self, HENRY, KILOOHM};
use crate::layout::{Choice, Frame};
use crate::pages::redirect;
use crate::query::Asked;
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use std::collections::{BTreeMap, BTreeSet};
use store::logbook::{LogFilter, LogbookRow};
use store::{ClientKey, DesignId, RunId, SetId, StoreError};
use trade::matching::{Coil, MatchCriterion, Measure, Pair, pairs};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/matching", web::get().to(show))
        .route("/sets", web::post().to(set_aside))
        .route("/sets/{id}/dissolve", web::post().to(dissolve));
}

/// Most coils of a role: the newest.
const MOST: u32 = 200;

/// A measure in the form.
struct Asking {
    key: &'static str,
    name: &'static str,
    on: bool,
    tolerance: String,
    error: String,
}

/// A coil as a proposal shows it.
#[derive(Clone)]
struct Shown {
    run: u64,
    number: u32,
    name: String,
    figures: String,
    sense: &'static str,
}

/// A proposed set.
struct Proposed {
    coils: Vec<Shown>,
    off: String,
    grade: &'static str,
    key: ClientKey,
}

struct SetShown {
    id: u64,
    name: String,
    when: String,
    coils: Vec<(u64, String, String)>,
}

#[derive(Template, WebTemplate)]
#[template(path = "matching/matching.html")]
struct MatchingPage {
    frame: Frame,
    tab: &'static str,
    designs: Vec<Choice>,
    roles: [(&'static str, &'static str, String); 3],
    measures: Vec<Asking>,
    ratio: String,
    ratio_error: String,
    opposite: bool,
    asked: bool,
    proposed: Vec<Proposed>,
    left: Vec<Shown>,
    stock: usize,
    sets: Vec<SetShown>,
    said: String,
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

fn coil(line: &LogbookRow) -> Coil {
    Coil {
        run: line.run_id.0,
        values: [
            line.resistance_ohm,
            line.inductance_h,
            line.peak_hz,
            line.turns,
            line.output_db.map(|db| 10f64.powf(db / 20.0)),
        ],
        clockwise: line.clockwise,
        north: line.north,
    }
}

fn shown(line: &LogbookRow) -> Shown {
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
    Shown {
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
fn asking(asked: &Asked) -> (Vec<Asking>, Vec<MatchCriterion>, String, String) {
    let first = asked.0.is_empty() || !asked.0.iter().any(|(n, _)| n.starts_with("by-") || n == "ask");
    let percent = |text: &str| text.trim_end_matches(['%', ' ']).replace(',', ".").parse::<f64>().ok();
    let mut criteria = Vec::new();
    let (mut ratio, mut ratio_error) = (0.0, String::new());
    let typed = asked.get("ratio");
    match percent(if typed.is_empty() { "0" } else { typed }) {
        Some(value) if (-50.0..=100.0).contains(&value) => ratio = value,
        _ => ratio_error = "Per cent, −50 to 100.".into(),
    }
    let measures = Measure::ALL
        .into_iter()
        .map(|measure| {
            let (tolerance, on) = usual(measure);
            let by = format!("by-{}", measure.key());
            let on = if first { on } else { asked.get(&by) == "yes" };
            let within = asked.get(&format!("within-{}", measure.key()));
            let text = if within.is_empty() { tolerance } else { within };
            let mut error = String::new();
            match percent(text) {
                Some(value) if (0.05..=30.0).contains(&value) => {
                    if on {
                        // Hotter means more of all that turns make; the peak goes down instead, by about as much.
                        let ratio = if measure == Measure::Resonance {
                            1.0 / (1.0 + ratio / 100.0)
                        } else {
                            1.0 + ratio / 100.0
                        };
                        criteria.push(MatchCriterion { measure, ratio, tolerance: value / 100.0 });
                    }
                }
                _ => error = "0.05 to 30 %.".into(),
            }
            Asking { key: measure.key(), name: name(measure), on, tolerance: text.to_owned(), error }
        })
        .collect();
    (measures, criteria, typed.to_owned(), ratio_error)
}

fn grade(pair: &Pair) -> &'static str {
    match pair.cost {
        c if c <= 0.5 => "close",
        c if c <= 2.0 => "good",
        _ => "loose",
    }
}

fn off_words(pair: &Pair, criteria: &[MatchCriterion]) -> String {
    let all: Vec<String> = criteria
        .iter()
        .zip(&pair.off)
        .map(|(w, off)| format!("{} {:+.1} %", w.measure.sign(), off * 100.0).replace('-', "−"))
        .collect();
    all.join(", ")
}

/// The stock of a design: passed or only noted coils that were measured and stand in no set.
async fn stock(
    app: &App,
    user: &CurrentUser,
    design: u64,
    set_members: &BTreeSet<u64>,
) -> Result<Vec<LogbookRow>, AppError> {
    let filter = LogFilter { design: Some(DesignId(design)), ..LogFilter::default() };
    let mut lines = app.store.of(user.workshop()).log_lines(&filter, 1000).await?;
    lines.retain(|l| {
        ["pass", "look"].contains(&l.level.as_str())
            && l.resistance_ohm.is_some()
            && !set_members.contains(&l.run_id.0)
    });
    lines.truncate(MOST as usize);
    Ok(lines)
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<MatchingPage, AppError> {
    let asked = Asked(query.into_inner());
    let workshop = user.workshop();
    let set_members = app.store.of(workshop).set_members().await?;
    let taken: BTreeSet<u64> = set_members.iter().map(|p| p.run_id.0).collect();
    let (measures, criteria, ratio, ratio_error) = asking(&asked);
    let roles = ["first", "second", "third"].map(|r| asked.number(r));
    let opposite = asked.get("opposite") == "yes";
    let mut lines: Vec<LogbookRow> = Vec::new();
    let mut pools: Vec<Vec<usize>> = Vec::new();
    for design in roles.iter().copied().flatten() {
        let known: Vec<usize> =
            lines.iter().enumerate().filter(|(_, l)| l.design_id.0 == design).map(|(k, _)| k).collect();
        if !known.is_empty() {
            pools.push(known);
            continue;
        }
        let stock = stock(&app, &user, design, &taken).await?;
        pools.push((lines.len()..lines.len() + stock.len()).collect());
        lines.extend(stock);
    }
    let sound = ratio_error.is_empty() && measures.iter().all(|m| m.error.is_empty()) && !criteria.is_empty();
    let mut proposed = Vec::new();
    let mut used: BTreeSet<usize> = BTreeSet::new();
    if pools.len() >= 2 && sound {
        let coils: Vec<Coil> = lines.iter().map(coil).collect();
        let (given, asked_for) = (pools.clone(), criteria.clone());
        let sets = web::block(move || sets(&coils, &given, &asked_for, opposite)).await?;
        for (pair, third) in sets {
            let members = [Some(pair.first), Some(pair.second), third];
            let coils: Vec<Shown> = members.iter().flatten().map(|k| shown(&lines[*k])).collect();
            used.extend(members.iter().flatten());
            let off = off_words(&pair, &criteria);
            proposed.push(Proposed { coils, off, grade: grade(&pair), key: ClientKey::random() });
        }
    }
    let left = lines.iter().enumerate().filter(|(k, _)| !used.contains(k)).map(|(_, l)| shown(l)).collect();
    let designs = app.store.of(workshop).logged_designs().await?;
    let number = |k: usize| roles[k].map_or_else(String::new, |id| id.to_string());
    Ok(MatchingPage {
        frame: Frame::new(&user, "logbook", "Matching"),
        tab: "matching",
        designs: designs.iter().map(|(id, name, _)| Choice::new(id.to_string(), name)).collect(),
        roles: [
            ("first", "First coil", number(0)),
            ("second", "Second coil", number(1)),
            ("third", "Third, if any", number(2)),
        ],
        measures,
        ratio,
        ratio_error,
        opposite,
        asked: pools.len() >= 2,
        proposed,
        left,
        stock: lines.len(),
        sets: sets_shown(&app, &user, &set_members).await?,
        said: asked.get("said").to_owned(),
    })
}

/// Pairs of the first two roles; a third joins the pair that it suits best, by what it shares with the first.
fn sets(
    coils: &[Coil],
    pools: &[Vec<usize>],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<(Pair, Option<usize>)> {
    let found = pairs(coils, &pools[0], &pools[1], criteria, opposite);
    let Some(thirds) = pools.get(2) else { return found.into_iter().map(|p| (p, None)).collect() };
    let used: BTreeSet<usize> = found.iter().flat_map(|p| [p.first, p.second]).collect();
    let free: Vec<usize> = thirds.iter().copied().filter(|k| !used.contains(k)).collect();
    let firsts: Vec<usize> = found.iter().map(|p| p.first).collect();
    // A third is to be like the first: no hotter, and of either sense.
    let alike: Vec<MatchCriterion> = criteria.iter().map(|w| MatchCriterion { ratio: 1.0, ..*w }).collect();
    let joined: BTreeMap<usize, usize> =
        pairs(coils, &firsts, &free, &alike, false).into_iter().map(|p| (p.first, p.second)).collect();
    found.into_iter().filter_map(|p| joined.get(&p.first).map(|third| (p.clone(), Some(*third)))).collect()
}

async fn sets_shown(
    app: &App,
    user: &CurrentUser,
    set_members: &[store::set::SetMember],
) -> Result<Vec<SetShown>, AppError> {
    let runs: Vec<RunId> = set_members.iter().map(|p| p.run_id).take(500).collect();
    let lines = app.store.of(user.workshop()).log_lines_of(&runs).await?;
    let mut all: Vec<SetShown> = Vec::new();
    for coil in set_members {
        let line = lines.iter().find(|l| l.run_id == coil.run_id);
        let figures = line.map_or_else(String::new, |l| {
            let s = shown(l);
            format!("run {}, {}: {}", s.number, s.name, s.figures)
        });
        let entry = (coil.run_id.0, coil.role.clone(), figures);
        match all.last_mut() {
            Some(set) if set.id == coil.set_id.0 => set.coils.push(entry),
            _ => all.push(SetShown {
                id: coil.set_id.0,
                name: coil.set_name.clone(),
                when: format!("{}, by {}", format::moment(coil.made_at), coil.by),
                coils: vec![entry],
            }),
        }
    }
    Ok(all)
}

/// Sets coils aside for one another.
async fn set_aside(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let runs: Vec<RunId> = form.get("runs").split(',').filter_map(|r| r.parse().ok().map(RunId)).collect();
    if !(2..=6).contains(&runs.len()) {
        return Err(AppError::Unreadable("A set has two to six coils.".into()));
    }
    let given = form.get("name").chars().take(120).collect::<String>();
    let name = if given.is_empty() { "Set".to_owned() } else { given };
    let roles = ["first", "second", "third", "fourth", "fifth", "sixth"];
    let coils: Vec<(RunId, &str)> = runs.into_iter().zip(roles).collect();
    let back = Some(form.get("back")).filter(|b| b.starts_with("/matching")).unwrap_or("/matching");
    match app.store.of(user.workshop()).make_set(user.person.id, &form.key()?, &name, &coils).await {
        Ok(()) => Ok(redirect(back)),
        Err(StoreError::Taken(_)) => {
            Ok(redirect("/matching?said=One+of+these+coils+stands+in+another+set+already."))
        }
        Err(error) => Err(error.into()),
    }
}

async fn dissolve(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _filled: FormData,
) -> Result<HttpResponse, AppError> {
    app.store.of(user.workshop()).dissolve_set(SetId(*id)).await?;
    Ok(redirect("/matching"))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn coil(run: u64, ohms: f64) -> Coil {
        Coil { run, values: [Some(ohms), None, None, None, None], clockwise: true, north: true }
    }

    #[test]
    fn a_third_joins_the_pair_it_suits_and_a_pair_without_is_no_set() {
        let coils = [coil(1, 5000.0), coil(2, 6000.0), coil(3, 5000.0), coil(4, 6000.0), coil(5, 6010.0)];
        let criterion = MatchCriterion { measure: Measure::Resistance, ratio: 1.0, tolerance: 0.02 };
        let found = sets(&coils, &[vec![0, 1], vec![2, 3], vec![4]], &[criterion], false);
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].0.first, found[0].0.second, found[0].1), (1, 3, Some(4)));
    }

    #[test]
    fn what_is_asked_is_read_with_its_errors() {
        let (measures, criteria, ..) = asking(&Asked::default());
        assert!(measures[0].on && measures[1].on && !measures[3].on);
        assert_eq!(criteria.len(), 2);
        let typed = |pairs: &[(&str, &str)]| {
            Asked(pairs.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect())
        };
        let (measures, criteria, _, error) =
            asking(&typed(&[("by-turns", "yes"), ("within-turns", "much"), ("ratio", "900")]));
        assert!(criteria.is_empty() && !measures[3].error.is_empty() && !error.is_empty());
        let (_, criteria, _, _) = asking(&typed(&[("by-resistance", "yes"), ("ratio", "12,5 %")]));
        assert!((criteria[0].ratio - 1.125).abs() < 1e-12);
    }
}
