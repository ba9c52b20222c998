//! What a set is predicted to be, as markup.

use crate::error::AppError;
use crate::respond::render;
use askama::Template;
use coil::Word as _;
use coil::circuit::Join;
use coil::design::Design;
use coil::prediction::{Notice, PickupSignal};
use coil::quantity::Units;
use coil::set::{Hum, Orientation, Pair, PairPhase, PositionPrediction, SetPrediction, alternates};
use presentation::differences::{Difference, differences_in_words};
use presentation::drawing::{comb, neck};
use presentation::figures::SILENT_DB;
use presentation::format::{HENRY, KILOHERTZ, KILOOHM, MILLIVOLT, rejection, signed_db};
use presentation::plot::{levels, plot};
use trade::pairing::{ChangeCost, Mend, PickupChange};
use workshop::PredictedSet;

/// How many changes that mend a pair are shown before the rest is unfolded.
const BEST_MENDS: usize = 2;

/// A position of the switch, as tables show it.
pub(super) struct PositionRow {
    pub name: String,
    pub on: String,
    pub tone: usize,
    pub resistance: (String, String),
    pub inductance: (String, String),
    pub peak: (String, String),
    pub output: (String, String),
    /// Against the loudest position.
    pub level: String,
    /// What a bend from pole to pole loses.
    pub bend: String,
    /// What is heard of it besides: "drop in level" where a pickup that is on has opposite poles beside one another.
    pub bend_sound: &'static str,
    pub hum: String,
    pub hum_is_low: bool,
    pub is_alone: bool,
    pub is_out: bool,
}

/// A cell of the matrix of pairs.
struct PairCell {
    class: &'static str,
    phase: &'static str,
    hum: &'static str,
    rejection: String,
    detail: String,
}

/// A row of the matrix: a pickup, and what it is with each other; `None` on and below the diagonal.
struct PairRow {
    name: String,
    cells: Vec<Option<PairCell>>,
}

/// Whether the page offers to change the set.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Changes {
    /// What is shown is what is saved.
    Offered,
    /// There are changes that are not saved yet, and changes are made to what is saved.
    AfterSaving,
    /// To somebody who may not change designs.
    NotPermitted,
}

/// A single change that mends a pair.
struct MendRow {
    pickup: usize,
    change: &'static str,
    what: String,
    after: String,
    cost: String,
    /// Whether the set gets a variant of the pickup's design.
    is_variant: bool,
}

/// What mends a pair.
struct PairMends {
    names: String,
    trouble: &'static str,
    /// The best of them, and the rest.
    best: Vec<MendRow>,
    rest: Vec<MendRow>,
}

/// How loud a pickup is.
struct BalanceRow {
    index: usize,
    name: String,
    output: String,
    relative: String,
    /// Its bar, per cent of the width of the loudest.
    share: f64,
    is_off: bool,
    strings: Vec<(u32, String, f64)>,
}

/// A way of joining the coils of a twin.
struct TwinRow {
    name: String,
    resistance: String,
    inductance: String,
    peak: String,
    output: String,
    level: String,
    hum: String,
}

/// All of it.
#[derive(Template)]
#[template(path = "sets/_figures.html")]
struct Figures<'a> {
    neck: String,
    rows: Vec<PositionRow>,
    plot: String,
    combs: String,
    /// Whether a position is heard as a drop in level over a bend.
    has_level_drop: bool,
    string: u32,
    strings: Vec<u32>,
    names: Vec<&'a str>,
    pairs: Vec<PairRow>,
    mends: Vec<PairMends>,
    balance: Vec<BalanceRow>,
    /// Pickups of two coils, with every way of joining them.
    twins: Vec<(String, Vec<TwinRow>)>,
    /// In what the pickups differ, in the order of the set, and why each revision was made.
    differences: Vec<Difference>,
    reasons: &'a [String],
    notices: &'a [Notice],
    changes: Changes,
}

pub(super) fn positions(set: &coil::set::Set, prediction: &SetPrediction) -> Vec<PositionRow> {
    let loudest = prediction.positions.iter().map(|p| p.output_mv.nominal).fold(1e-9, f64::max);
    let cell = |scale: presentation::format::Scale, q: &coil::prediction::Quantity| {
        (scale.text(q.nominal), scale.band(q))
    };
    set.switch
        .iter()
        .zip(&prediction.positions)
        .enumerate()
        .map(|(tone, (given, p))| {
            let joined = if given.join == Some(Join::Series) { " in series" } else { "" };
            let coils: Vec<String> =
                given.coils.iter().map(|(name, join)| format!("{name}: {}", join_words(join))).collect();
            let coils = if coils.is_empty() { String::new() } else { format!(" ({})", coils.join(", ")) };
            PositionRow {
                name: given.name.clone(),
                on: format!("{}{joined}{coils}", given.on.join(" + ")),
                tone: tone % 6,
                resistance: cell(KILOOHM, &p.resistance_ohm),
                inductance: cell(HENRY, &p.inductance_h),
                // What is left of signals out of phase has no peak that anybody hears as one.
                peak: p
                    .peak_hz
                    .as_ref()
                    .filter(|_| p.phase == PairPhase::In)
                    .map_or_else(|| ("none".to_owned(), String::new()), |q| cell(KILOHERTZ, q)),
                output: cell(MILLIVOLT, &p.output_mv),
                level: level_words(20.0 * (p.output_mv.nominal / loudest).max(1e-6).log10()),
                bend: p.between_poles_db.map_or_else(|| "none".to_owned(), |db| signed_db(db, 1)),
                bend_sound: if set.pickups.iter().any(|p| given.on.contains(&p.name) && alternates(&p.design))
                {
                    "drop in level"
                } else {
                    ""
                },
                hum: hum_words(p.hum_rejection_db, given.on.len() > 1),
                is_alone: given.on.len() == 1,
                hum_is_low: given.on.len() > 1 && p.hum_rejection_db < 6.0,
                is_out: p.phase == PairPhase::Out,
            }
        })
        .collect()
}

fn level_words(db: f64) -> String {
    match db {
        db if db > -0.05 => "loudest".to_owned(),
        db if db < SILENT_DB => "silent".to_owned(),
        db => signed_db(db, 1),
    }
}

fn join_words(join: &str) -> String {
    match join {
        "parallel" => "coils in parallel".to_owned(),
        "series" => "coils in series".to_owned(),
        other => {
            other.strip_prefix("split:").map_or_else(|| other.to_owned(), |name| format!("coil {name} alone"))
        }
    }
}

fn cell_of(pair: &Pair) -> PairCell {
    let word = |o: Orientation| if o == Orientation::Same { "same" } else { "opposite" };
    let is_in = pair.phase == PairPhase::In;
    PairCell {
        class: match (is_in, pair.hum) {
            (false, _) => "out",
            (true, Hum::Adds) => "adds",
            (true, Hum::Cancels) => "good",
        },
        phase: if is_in { "in phase" } else { "out of phase" },
        hum: if pair.hum == Hum::Cancels { "hum cancels" } else { "hum adds" },
        rejection: rejection(pair.hum_rejection_db),
        detail: format!("{} pole up, {} sense", word(pair.polarity), word(pair.sense)),
    }
}

/// What a change is called.
fn change_words(change: PickupChange, name: &str) -> String {
    match change {
        PickupChange::SwapLeads => format!("Swap the leads of {name}"),
        PickupChange::WindTheOtherWay => format!("Wind {name} the other way round"),
        PickupChange::FlipMagnet => format!("Turn over or remagnetise the magnets of {name}"),
        PickupChange::FlipMagnetAndSwapLeads => format!("Turn over the magnets of {name} and swap its leads"),
    }
}

/// What a change costs.
fn cost_words(cost: ChangeCost) -> &'static str {
    match cost {
        ChangeCost::HotEndOutside => {
            "the hot end of the winding comes to lie outside, where it picks up more noise from hands and cavity"
        }
        ChangeCost::CoverOnHotLead => {
            "a cover or plate tied to the ground lead has to be parted from it and grounded by a wire of its own"
        }
        ChangeCost::NewCoil => "the coil is wound again",
        ChangeCost::TurnBars => "the bar magnets come out and go back turned over",
        ChangeCost::Remagnetise => {
            "the rods are magnetised again the other way: strong magnets pinch, keep them from tools and from devices"
        }
        ChangeCost::TakeApart => "the magnet is fixed to other parts: the pickup is taken apart",
    }
}

fn mends_of(
    set: &coil::set::Set,
    (a, b, mends): &(usize, usize, Vec<Mend>),
    prediction: &SetPrediction,
) -> Option<PairMends> {
    let (first, second) = (&set.pickups[*a].name, &set.pickups[*b].name);
    let pair = prediction.pairs.iter().find(|p| p.a == *first && p.b == *second)?;
    // Two that are never on together are only told of where they could be.
    let together = set.switch.iter().any(|p| p.on.contains(first) && p.on.contains(second));
    if mends.is_empty() || !together {
        return None;
    }
    let mut rows = mends.iter().map(|mend| {
        let costs: Vec<&str> = mend.costs.iter().map(|c| cost_words(*c)).collect();
        let hum = match mend.after.hum {
            Hum::Cancels => format!("hum cancels by {}", rejection(mend.after.hum_rejection_db)),
            Hum::Adds => "hum adds".to_owned(),
        };
        MendRow {
            pickup: mend.pickup,
            change: mend.change.into(),
            what: change_words(mend.change, &set.pickups[mend.pickup].name),
            after: format!("in phase, {hum}"),
            is_variant: mend.change.changes_design().is_some(),
            cost: if costs.is_empty() { "two wires at the switch".to_owned() } else { costs.join("; ") },
        }
    });
    Some(PairMends {
        names: format!("{first} and {second}"),
        trouble: if pair.phase == PairPhase::Out {
            "are out of phase"
        } else {
            "are in phase, and their hum adds"
        },
        best: rows.by_ref().take(BEST_MENDS).collect(),
        rest: rows.collect(),
    })
}

fn twin_rows(ways: &[PositionPrediction]) -> Vec<TwinRow> {
    let first = ways.first().map_or(1.0, |w| w.output_mv.nominal).max(1e-9);
    ways.iter()
        .map(|way| TwinRow {
            name: way.name.clone(),
            resistance: KILOOHM.text(way.resistance_ohm.nominal),
            inductance: HENRY.text(way.inductance_h.nominal),
            peak: way
                .peak_hz
                .filter(|_| way.phase == PairPhase::In)
                .map_or_else(|| "none".to_owned(), |q| KILOHERTZ.text(q.nominal)),
            output: MILLIVOLT.text(way.output_mv.nominal),
            level: match 20.0 * (way.output_mv.nominal / first).max(1e-6).log10() {
                db if db < SILENT_DB => "silent".to_owned(),
                db => signed_db(db, 1),
            },
            hum: hum_words(way.hum_rejection_db, false),
        })
        .collect()
}

/// What becomes of hum, in words.
fn hum_words(rejection_db: f64, are_several: bool) -> String {
    match rejection_db {
        db if db < 1.0 && are_several => "adds".to_owned(),
        db if db < 1.0 => "as of one coil".to_owned(),
        db => format!("{} less", rejection(db)),
    }
}

fn balance_of(prediction: &SetPrediction, most_db: f64) -> Vec<BalanceRow> {
    let loudest = prediction.balance.iter().map(|b| b.output_mv.nominal).fold(1e-9, f64::max);
    let rows = prediction.balance.iter().enumerate();
    rows.map(|(index, b)| {
        let most = b.strings.iter().map(|s| s.output_mv).fold(1e-9, f64::max);
        BalanceRow {
            index,
            name: b.name.clone(),
            output: MILLIVOLT.text(b.output_mv.nominal),
            relative: signed_db(b.relative_db, 1),
            share: 100.0 * b.output_mv.nominal / loudest,
            is_off: b.relative_db.abs() > most_db,
            strings: b
                .strings
                .iter()
                .map(|s| (s.string, signed_db(s.relative_db, 1), 100.0 * s.output_mv / most))
                .collect(),
        }
    })
    .collect()
}

/// The figures of a set; `string` is the one whose partials are shown, `reasons` say why each pickup's revision was made.
pub(super) fn figures(
    (set, predicted): (&coil::set::Set, &PredictedSet),
    reasons: &[String],
    string: u32,
    changes: Changes,
    units: Units,
) -> Result<String, AppError> {
    let count = set.pickups.first().map_or(6, |p| p.design.strings.count);
    let string = string.clamp(1, count);
    let mut page = Figures {
        neck: String::new(),
        rows: Vec::new(),
        plot: String::new(),
        combs: String::new(),
        has_level_drop: false,
        string,
        strings: (1..=count).collect(),
        names: set.pickups.iter().map(|p| p.name.as_str()).collect(),
        pairs: Vec::new(),
        mends: Vec::new(),
        balance: Vec::new(),
        twins: Vec::new(),
        differences: Vec::new(),
        reasons,
        notices: &predicted.prediction.notices,
        changes,
    };
    fill(&mut page, set, predicted, units);
    render(&page)
}

fn fill(page: &mut Figures<'_>, set: &coil::set::Set, predicted: &PredictedSet, units: Units) {
    let (solution, prediction) = (&predicted.solution, &predicted.prediction);
    let signals: Vec<&PickupSignal> = (0..set.pickups.len()).filter_map(|i| solution.signal(i)).collect();
    page.neck = neck(set, &signals, units);
    page.rows = positions(set, prediction);
    page.has_level_drop = page.rows.iter().any(|r| !r.bend_sound.is_empty());
    let responses = prediction.positions.iter().zip(&page.rows).map(|(p, row)| {
        let db: Vec<f64> = p.response.loaded_db.iter().map(|db| db + p.response.low_db).collect();
        levels(&format!("{}: {}", row.name, row.on), row.tone, &p.response.hz, &db)
    });
    page.plot =
        plot(&responses.collect::<Vec<_>>(), "Responses of all positions, in decibels over frequency");
    let string = page.string as usize - 1;
    let heard = page.rows.iter().enumerate().filter_map(|(index, row)| {
        Some((row.name.clone(), solution.strings(index).into_iter().nth(string)?.partials))
    });
    page.combs = comb(&heard.collect::<Vec<_>>());
    page.pairs = set
        .pickups
        .iter()
        .enumerate()
        .map(|(a, first)| {
            let cell = |(b, second): (usize, &coil::set::SetPickup)| {
                let pair = prediction.pairs.iter().find(|p| p.a == first.name && p.b == second.name);
                if b > a { pair.map(cell_of) } else { None }
            };
            PairRow { name: first.name.clone(), cells: set.pickups.iter().enumerate().map(cell).collect() }
        })
        .collect();
    page.mends = predicted.mends.iter().filter_map(|all| mends_of(set, all, prediction)).collect();
    page.twins =
        predicted.twins.iter().map(|(i, ways)| (set.pickups[*i].name.clone(), twin_rows(ways))).collect();
    if let Some((first, rest)) = set.pickups.split_first() {
        let rest: Vec<&Design> = rest.iter().map(|p| &p.design).collect();
        page.differences =
            if rest.is_empty() { Vec::new() } else { differences_in_words(&first.design, &rest, units) };
    }
    page.balance = balance_of(prediction, set.targets.balance_db.unwrap_or(2.0));
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every change has words of its own.
    #[test]
    fn changes_are_told_apart() {
        let all: Vec<String> = PickupChange::ALL.iter().map(|c| change_words(*c, "neck")).collect();
        let mut different = all.clone();
        different.dedup();
        assert_eq!(all.len(), different.len());
        assert_eq!(join_words("split:A"), "coil A alone");
    }
}
