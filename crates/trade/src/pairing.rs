//! Which single changes bring two pickups of a set in phase and let their hum cancel, and what each change costs.

use coil::design::{Design, Direction, End, Format, Polarity, PoleShape, Sense};
use coil::set::{Hum, Pair, PairPhase, SetSolution};

/// A change of one pickup.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr, strum::EnumString)]
#[strum(serialize_all = "kebab-case")]
pub enum PickupChange {
    /// Hot lead and ground are exchanged.
    SwapLeads,
    /// The coil is wound anew, the other way round.
    WindTheOtherWay,
    /// The magnets are turned over or magnetised the other way.
    FlipMagnet,
    /// The magnets are turned over, and the leads exchanged: neither level nor phase change.
    FlipMagnetAndSwapLeads,
}

impl PickupChange {
    /// Every change.
    pub const ALL: [Self; 4] =
        [Self::SwapLeads, Self::WindTheOtherWay, Self::FlipMagnet, Self::FlipMagnetAndSwapLeads];

    /// Whether the current runs the other way round afterwards.
    #[must_use]
    pub fn reverses_sense(self) -> bool {
        self != Self::FlipMagnet
    }

    /// Whether the other pole is up afterwards.
    #[must_use]
    pub fn reverses_polarity(self) -> bool {
        matches!(self, Self::FlipMagnet | Self::FlipMagnetAndSwapLeads)
    }
}

/// What a change costs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum ChangeCost {
    /// The hot end of the winding comes to lie outside, where hands and the cavity couple hum into it.
    HotEndOutside,
    /// A cover or plate that was tied to the ground lead carries the signal until its own wire is parted from it.
    CoverOnHotLead,
    /// The coil is wound again.
    NewCoil,
    /// Bar magnets are turned over by hand.
    TurnBars,
    /// Rod magnets are magnetised again in a strong field, which weakens none of them only if it is strong enough.
    Remagnetise,
    /// The magnet is fixed to other parts and comes out with them.
    TakeApart,
}

/// A single change of one of two pickups that brings them in phase, or that keeps them so and cancels hum.
#[derive(Clone, Debug, PartialEq)]
pub struct Mend {
    /// Index of the pickup that is changed.
    pub pickup: usize,
    /// What is done to it.
    pub change: PickupChange,
    /// The two pickups afterwards.
    pub after: Pair,
    /// What it costs.
    pub costs: Vec<ChangeCost>,
}

/// Single changes of two pickups of a set (by index) that bring them in phase where they are not; where they are in phase and their
/// hum adds, what lets it cancel. Those that cancel hum come first, then those that cost less. None where nothing is to be mended.
#[must_use]
pub fn mends(solution: &SetSolution, a: usize, b: usize) -> Vec<Mend> {
    let now = solution.pair_if(a, b, false, false);
    if now.phase == PairPhase::In && now.hum == Hum::Cancels {
        return Vec::new();
    }
    let mut all: Vec<Mend> = Vec::new();
    for change in PickupChange::ALL {
        for pickup in [b, a] {
            let after = solution.pair_if(a, b, change.reverses_sense(), change.reverses_polarity());
            let mends_phase = after.phase == PairPhase::In && now.phase == PairPhase::Out;
            let mends_hum = after.phase == PairPhase::In && after.hum == Hum::Cancels;
            if mends_phase || mends_hum {
                let costs = costs(&solution.set().pickups[pickup].design, change);
                all.push(Mend { pickup, change, after, costs });
            }
        }
    }
    all.sort_by_key(|m| (m.after.hum != Hum::Cancels, weight(&m.costs)));
    all
}

/// What mends each pair of a set, by the indices of both: of each pair first what cancels hum, of that what mends most other pairs as
/// well, of that what costs least.
#[must_use]
pub fn mends_of_set(solution: &SetSolution) -> Vec<(usize, usize, Vec<Mend>)> {
    let count = solution.set().pickups.len();
    let pairs = (0..count).flat_map(|a| (a + 1..count).map(move |b| (a, b)));
    let mut all: Vec<(usize, usize, Vec<Mend>)> = pairs.map(|(a, b)| (a, b, mends(solution, a, b))).collect();
    let made: Vec<(usize, PickupChange, Hum)> = all
        .iter()
        .flat_map(|(_, _, mends)| mends.iter().map(|m| (m.pickup, m.change, m.after.hum)))
        .collect();
    for (_, _, mends) in &mut all {
        let mended =
            |m: &Mend| made.iter().filter(|known| **known == (m.pickup, m.change, m.after.hum)).count();
        mends.sort_by_key(|m| (m.after.hum != Hum::Cancels, usize::MAX - mended(m), weight(&m.costs)));
    }
    all
}

/// How much a change takes, for sorting: a wire is quicker than a magnet, a magnet quicker than a coil.
fn weight(costs: &[ChangeCost]) -> u32 {
    let one = |cost: &ChangeCost| match cost {
        ChangeCost::HotEndOutside | ChangeCost::CoverOnHotLead => 1,
        ChangeCost::TurnBars => 3,
        ChangeCost::TakeApart | ChangeCost::Remagnetise => 5,
        ChangeCost::NewCoil => 10,
    };
    costs.iter().map(one).sum()
}

/// What a change of a pickup costs.
#[must_use]
pub fn costs(design: &Design, change: PickupChange) -> Vec<ChangeCost> {
    let mut all = Vec::new();
    if matches!(change, PickupChange::SwapLeads | PickupChange::FlipMagnetAndSwapLeads) {
        // With the start at ground the finish, outside, is hot already; the exchange puts the start there, and the finish to ground.
        let outside_is_hot = coil_starts_at_ground(design);
        if !outside_is_hot {
            all.push(ChangeCost::HotEndOutside);
        }
        if !design.metal.is_empty() {
            all.push(ChangeCost::CoverOnHotLead);
        }
    }
    if change == PickupChange::WindTheOtherWay {
        all.push(ChangeCost::NewCoil);
    }
    if change.reverses_polarity() {
        let has_rods = design.poles.iter().any(|p| p.material.demagnetisation().is_some());
        let is_fixed = design.kind == Format::ButtonMagnet
            || design
                .poles
                .iter()
                .any(|p| p.shape == PoleShape::Blade && p.material.demagnetisation().is_some());
        if has_rods {
            all.push(if is_fixed { ChangeCost::TakeApart } else { ChangeCost::Remagnetise });
        }
        if !design.bars.is_empty() {
            all.push(ChangeCost::TurnBars);
        }
    }
    all
}

/// Whether the first coil's start, at its core, looks to ground.
fn coil_starts_at_ground(design: &Design) -> bool {
    let first = design.coils.first().map(|c| &c.name);
    first.and_then(|name| design.wiring.sense.get(name)) != Some(&Sense::FinishToGround)
}

/// How a shop makes a coil that runs the other way round.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    serde::Serialize,
    serde::Deserialize,
    strum::IntoStaticStr,
    strum::EnumString,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum ReverseWinding {
    /// The winder turns the other way: start and finish keep their places, the start stays at ground.
    #[default]
    TurnTheOtherWay,
    /// The winder turns as always, and start and finish are exchanged at the leads: the start, inside, is hot then.
    ExchangeStartAndFinish,
}

impl PickupChange {
    /// A design after the change, under a name that says so; exchanged leads are the set's, and leave the design as it is.
    #[must_use]
    pub fn applied(self, design: &Design) -> Design {
        let mut other = design.clone();
        if let Some(what) = self.changes_design() {
            other.name = name_of_variant(&design.name, what);
        }
        if self == Self::WindTheOtherWay {
            wind_the_other_way(&mut other);
        }
        if self.reverses_polarity() {
            turn_magnets_over(&mut other);
        }
        other
    }

    /// What becomes of the design, in words; `None` where it stays as it is.
    #[must_use]
    pub fn changes_design(self) -> Option<&'static str> {
        match self {
            Self::SwapLeads => None,
            Self::WindTheOtherWay => Some("wound the other way"),
            Self::FlipMagnet | Self::FlipMagnetAndSwapLeads => Some("magnets turned over"),
        }
    }

    /// Whether hot lead and ground change places.
    #[must_use]
    pub fn swaps_leads(self) -> bool {
        matches!(self, Self::SwapLeads | Self::FlipMagnetAndSwapLeads)
    }
}

/// The name of a variant: that of its design, shortened where both do not fit into 80 letters, and what is different.
#[must_use]
pub fn name_of_variant(name: &str, what: &str) -> String {
    let room = 80_usize.saturating_sub(what.chars().count() + 2);
    let kept: String = name.chars().take(room).collect();
    format!("{}, {what}", kept.trim_end())
}

fn wind_the_other_way(design: &mut Design) {
    for coil in &mut design.coils {
        coil.wind.direction = match coil.wind.direction {
            Direction::Clockwise => Direction::CounterClockwise,
            Direction::CounterClockwise => Direction::Clockwise,
        };
    }
}

fn turn_magnets_over(design: &mut Design) {
    for pole in &mut design.poles {
        pole.up = if pole.up == Polarity::North { Polarity::South } else { Polarity::North };
    }
    for bar in &mut design.bars {
        bar.north = if bar.north == End::Positive { End::Negative } else { End::Positive };
    }
}

/// A design wound the other way round, as a shop does it, with its magnets turned over: its partner for another position, which cancels
/// its hum and adds to its signal.
#[must_use]
pub fn partner(design: &Design, school: ReverseWinding) -> Design {
    let mut other = design.clone();
    match school {
        ReverseWinding::TurnTheOtherWay => wind_the_other_way(&mut other),
        ReverseWinding::ExchangeStartAndFinish => {
            for coil in &design.coils {
                let sense = match design.wiring.sense.get(&coil.name) {
                    Some(Sense::FinishToGround) => Sense::StartToGround,
                    _ => Sense::FinishToGround,
                };
                other.wiring.sense.insert(coil.name.clone(), sense);
            }
        }
    }
    turn_magnets_over(&mut other);
    other
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::starting_point;
    use coil::prediction::Calibration;
    use coil::set::{PlacedPickup, Set, read_value};
    use rstest::rstest;
    use serde_json::json;
    use std::sync::Arc;

    fn solved(bridge: &Design, neck: &Design, leads: &str) -> SetSolution {
        let set: Set = read_value(json!({
            "format": coil::set::FORMAT, "name": "two",
            "pickups": [
                {"name": "bridge", "design": bridge, "from_bridge_mm": 42.0},
                {"name": "neck", "design": neck, "from_bridge_mm": 158.0, "leads": leads},
            ],
            "switch": [{"name": "both", "on": ["bridge", "neck"]}],
        }))
        .unwrap();
        SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
            .unwrap()
    }

    fn tall() -> Design {
        starting_point(Format::TallSingle, "Sedge", 6, 10.4)
    }

    fn flipped(mut design: Design) -> Design {
        for pole in &mut design.poles {
            pole.up = if pole.up == Polarity::North { Polarity::South } else { Polarity::North };
        }
        design
    }

    /// What mends which fault: leads alone where magnets are opposite already, else magnet and leads.
    #[rstest]
    #[case::nothing(partner(&tall(), ReverseWinding::TurnTheOtherWay), "normal", None)]
    #[case::leads_of_one_swapped(tall(), "swapped", Some(PickupChange::FlipMagnet))]
    #[case::other_magnet_alone(flipped(tall()), "normal", Some(PickupChange::SwapLeads))]
    #[case::two_equal_ones(tall(), "normal", Some(PickupChange::FlipMagnetAndSwapLeads))]
    fn the_change_that_mends(#[case] neck: Design, #[case] leads: &str, #[case] best: Option<PickupChange>) {
        let solution = solved(&tall(), &neck, leads);
        let found = mends(&solution, 0, 1);
        assert_eq!(found.first().map(|m| m.change), best);
        for mend in &found {
            assert_eq!(mend.after.phase, PairPhase::In);
        }
        if best.is_some() {
            assert_eq!(found[0].after.hum, Hum::Cancels);
            assert!(found[0].after.hum_rejection_db > 20.0);
        }
    }

    /// Of three pickups of which one is connected the wrong way round, the change of that one mends both pairs and comes first.
    #[test]
    fn one_change_that_mends_two_pairs_comes_first() {
        let reversed = partner(&tall(), ReverseWinding::TurnTheOtherWay);
        let set: Set = read_value(json!({
            "format": coil::set::FORMAT, "name": "three",
            "pickups": [
                {"name": "bridge", "design": tall(), "from_bridge_mm": 42.0},
                {"name": "middle", "design": reversed, "from_bridge_mm": 98.0, "leads": "swapped"},
                {"name": "neck", "design": tall(), "from_bridge_mm": 158.0},
            ],
            "switch": [{"name": "all", "on": ["bridge", "middle", "neck"]}],
        }))
        .unwrap();
        let solution =
            SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
                .unwrap();
        let all = mends_of_set(&solution);
        for (a, b) in [(0, 1), (1, 2)] {
            let (_, _, found) = all.iter().find(|(x, y, _)| (*x, *y) == (a, b)).unwrap();
            assert_eq!((found[0].pickup, found[0].change), (1, PickupChange::SwapLeads));
        }
    }

    /// Both schools give a partner that is in phase and cancels hum; one leaves the traveller's direction, the other the leads.
    #[test]
    fn both_schools_of_reverse_winding() {
        for school in [ReverseWinding::TurnTheOtherWay, ReverseWinding::ExchangeStartAndFinish] {
            let other = partner(&tall(), school);
            let pair = solved(&tall(), &other, "normal").pair_if(0, 1, false, false);
            assert_eq!((pair.phase, pair.hum), (PairPhase::In, Hum::Cancels), "{school:?}");
            assert_eq!(partner(&other, school).poles, tall().poles);
        }
        let turned = partner(&tall(), ReverseWinding::TurnTheOtherWay);
        assert_ne!(turned.coils[0].wind.direction, tall().coils[0].wind.direction);
        assert!(
            turned.coils[0].wind.direction == Direction::Clockwise
                || tall().coils[0].wind.direction == Direction::Clockwise
        );
        let exchanged = partner(&tall(), ReverseWinding::ExchangeStartAndFinish);
        assert_eq!(exchanged.coils[0].wind.direction, tall().coils[0].wind.direction);
        assert_eq!(exchanged.wiring.sense[&exchanged.coils[0].name], Sense::FinishToGround);
    }

    /// Rods are magnetised anew, bars turned over; a metal cover must be parted from the lead that becomes hot.
    #[test]
    fn costs_by_what_the_pickup_is_made_of() {
        assert_eq!(costs(&tall(), PickupChange::FlipMagnet), [ChangeCost::Remagnetise]);
        let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.4);
        assert_eq!(costs(&twin, PickupChange::FlipMagnet), [ChangeCost::TurnBars]);
        assert_eq!(costs(&tall(), PickupChange::WindTheOtherWay), [ChangeCost::NewCoil]);
        let short = starting_point(Format::ShortSingle, "Sedge", 6, 10.4);
        let swapped = costs(&short, PickupChange::SwapLeads);
        assert_eq!(swapped.contains(&ChangeCost::CoverOnHotLead), !short.metal.is_empty());
    }
}
