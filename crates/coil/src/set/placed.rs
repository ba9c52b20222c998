//! A pickup of a set at its place: turned, under the set's strings and controls.

use super::document::{LeadOrder, Set, SetPickup, SwitchPosition};
use crate::design::{Axis, Design, End, Load, Problem, Sense, Targets};
use crate::prediction::{Calibration, PickupSignal, Prediction, Solution};
use std::collections::BTreeMap;

/// A pickup solved at its place.
#[derive(Clone, Debug)]
pub struct PlacedPickup {
    /// Its prediction by itself, with the set's controls.
    pub prediction: Prediction,
    /// What it sends and gathers.
    pub signal: PickupSignal,
    /// Level of a string of the middle of the row bent to the next pole, where it is lowest on the way, over its highest, 0 to 1; `None`
    /// where nothing magnetises it.
    pub between_poles: Option<f64>,
}

impl PlacedPickup {
    /// Of a design as [`Set::placed`] gives it.
    ///
    /// # Errors
    /// As [`Solution::compute`].
    pub fn try_new(design: &Design, calibration: &Calibration) -> Result<Self, Vec<Problem>> {
        let solution = Solution::compute(design)?;
        Ok(Self {
            prediction: solution.prediction(calibration),
            signal: solution.signal(),
            between_poles: solution.between_poles(),
        })
    }

    /// Whether the hot lead goes positive against ground as steel is lifted off the poles. By Faraday's law what drives the current keeps
    /// up the flux that falls: over a north pole it runs counter-clockwise seen from above, and leaves the coil at the lead that it
    /// reaches so.
    ///
    /// Phase is tested by it: an analogue meter with its plus on the hot lead swings to plus.
    #[must_use]
    pub fn lifts_to_plus(&self, leads: LeadOrder) -> bool {
        self.signal.polarity() * self.signal.sense * Self::sign(leads) > 0.0
    }

    /// −1 where hot lead and ground are exchanged: to the circuit that is the same as winding the other way.
    pub(super) fn sign(leads: LeadOrder) -> f64 {
        match leads {
            LeadOrder::Normal => 1.0,
            LeadOrder::Swapped => -1.0,
        }
    }
}

impl Set {
    /// The design of a pickup as it stands in the set, with the join of its coils that a position asks for: at its place, turned if
    /// it is, loaded by the set's controls and cable. Two positions that use it alike have the same design.
    #[must_use]
    pub fn placed(&self, pickup: usize, join: Option<&str>) -> Design {
        let member = &self.pickups[pickup];
        let mut design = if member.turned { turned(&member.design) } else { member.design.clone() };
        design.strings.from_bridge_mm = member.from_bridge_mm;
        design.load = Load {
            volume_kohm: self.controls.volume_kohm,
            tone_kohm: self.controls.tone_kohm,
            tone_nf: self.controls.tone_nf,
            cable_pf: self.cable_pf,
            input_mohm: self.input_mohm,
            ..Load::default()
        };
        design.targets = Targets::default();
        if let Some(join) = join {
            join.clone_into(&mut design.wiring.join);
        }
        design
    }

    /// Every design that a prediction of the set solves, as [`Self::placed`] gives it, each once. The set has no
    /// [`Self::problems`].
    #[must_use]
    pub fn designs_used(&self) -> Vec<Design> {
        let mut all: Vec<Design> = Vec::new();
        let mut add = |i: usize, join: &str| {
            let design = self.placed(i, Some(join));
            if !all.contains(&design) {
                all.push(design);
            }
        };
        for (i, pickup) in self.pickups.iter().enumerate() {
            add(i, &pickup.design.wiring.join);
        }
        for position in &self.switch {
            for (name, join) in &position.coils {
                if let Some(i) = self.position_of(name).filter(|_| position.on.contains(name)) {
                    add(i, join);
                }
            }
        }
        all
    }
}

impl Set {
    /// The pickups of two coils, by their indices, each as a set of its own whose positions are all the ways of joining them: in series,
    /// in parallel, each alone, and in series out of phase.
    #[must_use]
    pub fn twins(&self) -> Vec<(usize, Self)> {
        let with_two = self.pickups.iter().enumerate().filter(|(_, p)| p.design.coils.len() == 2);
        with_two.map(|(i, pickup)| (i, self.twin(pickup))).collect()
    }

    fn twin(&self, pickup: &SetPickup) -> Self {
        let mut against = SetPickup { name: format!("{} reversed", pickup.name), ..pickup.clone() };
        let second = against.design.coils[1].name.clone();
        let sense = match against.design.wiring.sense.get(&second) {
            Some(Sense::FinishToGround) => Sense::StartToGround,
            _ => Sense::FinishToGround,
        };
        against.design.wiring.sense.insert(second, sense);
        let position = |name: &str, of: &SetPickup, join: String| SwitchPosition {
            name: name.to_owned(),
            on: vec![of.name.clone()],
            join: None,
            coils: BTreeMap::from([(of.name.clone(), join)]),
        };
        let alone = pickup
            .design
            .coils
            .iter()
            .map(|c| position(&format!("coil {} alone", c.name), pickup, format!("split:{}", c.name)));
        let mut switch = vec![
            position("in series", pickup, "series".into()),
            position("in parallel", pickup, "parallel".into()),
        ];
        switch.extend(alone);
        switch.push(position("in series, out of phase", &against, "series".into()));
        Self { pickups: vec![pickup.clone(), against], switch, ..self.clone() }
    }
}

/// A pickup rotated by half a turn about the axis that its poles stand along: each pole comes to lie under the string at the other
/// end of the row, and what lay towards the bridge lies towards the neck.
///
/// ```
/// use coil::design::{Format, starting_point};
/// use coil::set::turned;
/// let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
/// assert_eq!(turned(&twin).coils[0].center_mm[1], -twin.coils[0].center_mm[1]);
/// assert_eq!(turned(&turned(&twin)), twin);
/// ```
#[must_use]
pub fn turned(design: &Design) -> Design {
    let mut other = design.clone();
    for coil in &mut other.coils {
        coil.center_mm = coil.center_mm.map(negative);
    }
    let count = design.strings.count;
    for pole in &mut other.poles {
        pole.x_mm = negative(pole.x_mm);
        pole.y_mm = negative(pole.y_mm);
        pole.string = pole.string.map(|string| count + 1 - string.min(count));
    }
    for bar in &mut other.bars {
        for axis in [0, 1] {
            bar.center_mm[axis] = negative(bar.center_mm[axis]);
        }
        if bar.magnetised != Axis::Z {
            bar.north = if bar.north == End::Positive { End::Negative } else { End::Positive };
        }
    }
    for metal in &mut other.metal {
        for axis in [0, 1] {
            metal.center_mm[axis] = negative(metal.center_mm[axis]);
        }
    }
    other
}

/// A pickup built with its row the other way about, as in a mirror across the row: the pole that stood under the first string stands under the
/// last. Turned by half a turn as well it keeps each pole under its string and has its other side to the bridge. Windings keep their
/// direction, and magnets the pole that they have up.
///
/// ```
/// use coil::design::{Format, starting_point};
/// use coil::set::{mirrored, turned};
/// let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
/// let partner = turned(&mirrored(&twin));
/// assert_eq!(partner.poles[0].x_mm, twin.poles[0].x_mm);
/// assert_eq!(partner.poles[0].string, twin.poles[0].string);
/// assert_eq!(partner.coils[0].center_mm[1], -twin.coils[0].center_mm[1]);
/// assert_eq!(mirrored(&mirrored(&twin)), twin);
/// ```
#[must_use]
pub fn mirrored(design: &Design) -> Design {
    let mut other = design.clone();
    let count = design.strings.count;
    for coil in &mut other.coils {
        coil.center_mm[0] = negative(coil.center_mm[0]);
    }
    for pole in &mut other.poles {
        pole.x_mm = negative(pole.x_mm);
        pole.string = pole.string.map(|string| count + 1 - string.min(count));
    }
    for bar in &mut other.bars {
        bar.center_mm[0] = negative(bar.center_mm[0]);
        if bar.magnetised == Axis::X {
            bar.north = if bar.north == End::Positive { End::Negative } else { End::Positive };
        }
    }
    for metal in &mut other.metal {
        metal.center_mm[0] = negative(metal.center_mm[0]);
    }
    other
}

/// Without the negative zero that a middle would get.
fn negative(v: f64) -> f64 {
    if v == 0.0 { 0.0 } else { -v }
}

/// Half of what a pickup takes along the strings, mm: its coils with the room for their windings.
#[must_use]
pub fn half_width_mm(design: &Design) -> f64 {
    let coils = design.coils.iter().map(|coil| {
        let (_, width) = coil.former.core.size_mm();
        coil.center_mm[1].abs() + width / 2.0 + coil.former.room_mm
    });
    coils.fold(0.0, f64::max)
}
