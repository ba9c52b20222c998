//! What the maker of a set should know.

use super::document::Set;
use super::placed::half_width_mm;
use super::report::{Balance, Pair, PairPhase, PositionPrediction};
use crate::prediction::{Level, Notice, PickupSignal, StringAtPickup};

/// A pickup that differs from the mean of all by more is told of, dB, where no target says otherwise.
const BALANCE_DB: f64 = 2.0;
/// Several pickups with less rejection are told of, dB.
const HUM_DB: f64 = 6.0;

fn notice(level: Level, code: &str, at: String, text: String, try_: &str) -> Notice {
    Notice { level, code: code.into(), at, text, try_: try_.into() }
}

/// All of them, the most serious first.
pub(super) fn compute(
    set: &Set,
    signals: &[&PickupSignal],
    positions: &[PositionPrediction],
    pairs: &[Pair],
    balance: &[Balance],
) -> Vec<Notice> {
    let mut all = position_notices(set, positions, pairs);
    all.extend(balance_notices(set, balance));
    all.extend(place_notices(set, signals));
    all.extend(peak_notices(set, positions));
    all.sort_by_key(|n| n.level);
    all
}

fn position_notices(set: &Set, positions: &[PositionPrediction], pairs: &[Pair]) -> Vec<Notice> {
    let mut all = Vec::new();
    for (i, (given, position)) in set.switch.iter().zip(positions).enumerate() {
        let at = format!("switch[{i}]");
        if position.phase == PairPhase::Out {
            let is_on = |p: &&Pair| given.on.contains(&p.a) && given.on.contains(&p.b);
            let pair = pairs.iter().filter(is_on).find(|p| p.phase == PairPhase::Out);
            let names = pair.map_or_else(|| given.on.join(" and "), |p| format!("{} and {}", p.a, p.b));
            let name = &given.name;
            let text = format!(
                "position {name}: {names} are out of phase: the low partials cancel and little is left"
            );
            let try_ = "the matrix of pairs names the single changes that mend it";
            all.push(notice(Level::Warn, "out-of-phase", at.clone(), text, try_));
        }
        let target = set.targets.hum_rejection_db;
        let rejection = position.hum_rejection_db;
        // Out of phase, that is mended first, and mends this as well where it can.
        let is_told = position.phase == PairPhase::In;
        if is_told && given.on.len() > 1 && rejection < target.unwrap_or(HUM_DB) {
            let what = if rejection < 1.0 { "adds" } else { "is hardly cancelled" };
            let text = format!("position {}: hum {what} ({rejection:.1} dB of rejection)", given.name);
            let code = if target.is_some() { "target-hum-missed" } else { "hum-adds" };
            let try_ = "pickups with opposite magnets and opposite sense cancel it";
            all.push(notice(Level::Note, code, at, text, try_));
        }
    }
    all
}

fn balance_notices(set: &Set, balance: &[Balance]) -> Vec<Notice> {
    let target = set.targets.balance_db;
    let most = target.unwrap_or(BALANCE_DB);
    let off = balance.iter().enumerate().filter(|(_, b)| balance.len() > 1 && b.relative_db.abs() > most);
    off.map(|(i, pickup)| {
        let word = if pickup.relative_db > 0.0 { "louder" } else { "quieter" };
        let text =
            format!("{} is {:.1} dB {word} than the mean of all", pickup.name, pickup.relative_db.abs());
        let code = if target.is_some() { "target-balance-missed" } else { "out-of-balance" };
        let try_ = "other turns, another height or another magnet balance it";
        notice(Level::Note, code, format!("pickups[{i}]"), text, try_)
    })
    .collect()
}

/// Pickups alone that peak lower than one further from the bridge, where that is asked not to be.
fn peak_notices(set: &Set, positions: &[PositionPrediction]) -> Option<Notice> {
    if !set.targets.peaks_in_order {
        return None;
    }
    let alone = |name: &str| {
        let at = set.switch.iter().position(|p| p.on.len() == 1 && p.on[0] == name && p.coils.is_empty())?;
        positions.get(at)?.peak_hz.map(|q| q.nominal)
    };
    let mut order: Vec<_> =
        set.pickups.iter().filter_map(|p| Some((p.from_bridge_mm, &p.name, alone(&p.name)?))).collect();
    order.sort_by(|a, b| a.0.total_cmp(&b.0));
    let wrong = order.windows(2).find(|pair| pair[1].2 > pair[0].2)?;
    let text =
        format!("{} peaks at {:.0} Hz, below {} at {:.0} Hz", wrong[0].1, wrong[0].2, wrong[1].1, wrong[1].2);
    let try_ = "fewer turns raise a peak, more lower it";
    Some(notice(Level::Note, "target-peaks-missed", "targets.peaks_in_order".into(), text, try_))
}

fn place_notices(set: &Set, signals: &[&PickupSignal]) -> Vec<Notice> {
    let mut all = Vec::new();
    for (i, pickup) in set.pickups.iter().enumerate() {
        let at = format!("pickups[{i}]");
        if !set.switch.iter().any(|p| p.on.contains(&pickup.name)) {
            let text = format!("{} is on in no position", pickup.name);
            all.push(notice(Level::Warn, "never-on", at.clone(), text, "add it to a position of the switch"));
        }
        for (k, other) in set.pickups[..i].iter().enumerate() {
            let room = half_width_mm(&pickup.design) + half_width_mm(&other.design);
            let apart = (pickup.from_bridge_mm - other.from_bridge_mm).abs();
            let names = format!("{} and {}", other.name, pickup.name);
            if apart < room {
                let text = format!("{names} lie {apart:.1} mm apart and need {room:.1} mm");
                let at = format!("{at}.from_bridge_mm");
                all.push(notice(Level::Stop, "pickups-overlap", at, text, "move one of them"));
            }
            let differs = |(a, b): (&StringAtPickup, &StringAtPickup)| {
                (a.fundamental_hz / b.fundamental_hz).ln().abs() > 0.01
            };
            if signals[i].strings.iter().zip(&signals[k].strings).any(differs) {
                let text = format!("{names} are designed for different strings");
                let try_ = "give both the same strings; those of the first that is on are taken";
                let at = format!("{at}.design.strings.each");
                all.push(notice(Level::Warn, "strings-differ", at, text, try_));
            }
        }
    }
    all
}
