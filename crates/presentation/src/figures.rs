//! The figures of a pickup, in one table: their key, label, unit, and where a prediction has them.

use crate::format::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, MILLIVOLT, PICOFARAD, Scale, signed_db};
use coil::design::{Targets, target_ends};
use coil::prediction::{PickupPrediction, Quantity};
use coil::search::Goal;
use trade::reading::Kind;

/// A figure of a pickup.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Figure {
    /// Resistance at 20 °C.
    Resistance,
    /// Resistance at the room's temperature.
    RoomResistance,
    /// Inductance.
    Inductance,
    /// Capacitance.
    Capacitance,
    /// Resonance, unloaded.
    Resonance,
    /// Peak, loaded.
    Peak,
    /// Height of the loaded peak.
    PeakHeight,
    /// Where the loaded response is 3 dB down.
    Minus3Db,
    /// Output of a pluck.
    Output,
    /// Output against the reference coil.
    RelativeOutput,
}

/// Where a design keeps the target range of a figure.
type AimOf = fn(&Targets) -> Option<[f64; 2]>;

/// A row of the table.
struct Row {
    /// Whose row it is; its place in the table is checked by it.
    #[cfg_attr(not(test), expect(dead_code, reason = "read by the test of the table's order"))]
    figure: Figure,
    key: &'static str,
    label: &'static str,
    scale: Scale,
    /// The prediction's own name.
    quantity: &'static str,
    of: fn(&PickupPrediction) -> Option<&Quantity>,
    target: Option<AimOf>,
    measured: Option<Kind>,
}

#[rustfmt::skip]
const TABLE: [Row; 10] = [
    Row { figure: Figure::Resistance, key: "resistance", label: "R at 20 °C", scale: KILOOHM,
          quantity: "resistance_20c_ohm", of: |p| Some(&p.resistance_20c_ohm), target: Some(|a| a.resistance_ohm),
          measured: Some(Kind::Resistance) },
    Row { figure: Figure::RoomResistance, key: "resistance_room", label: "R at room temperature",
          scale: KILOOHM, quantity: "resistance_ohm", of: |p| Some(&p.resistance_ohm), target: None, measured: None },
    Row { figure: Figure::Inductance, key: "inductance", label: "Inductance", scale: HENRY,
          quantity: "inductance_h", of: |p| Some(&p.inductance_h), target: Some(|a| a.inductance_h),
          measured: Some(Kind::Inductance) },
    Row { figure: Figure::Capacitance, key: "capacitance", label: "Capacitance", scale: PICOFARAD,
          quantity: "capacitance_f", of: |p| Some(&p.capacitance_f), target: Some(|a| a.capacitance_f),
          measured: Some(Kind::Capacitance) },
    Row { figure: Figure::Resonance, key: "resonance", label: "Resonance, unloaded", scale: KILOHERTZ,
          quantity: "resonance_unloaded_hz", of: |p| Some(&p.resonance_unloaded_hz), target: Some(|a| a.resonance_unloaded_hz),
          measured: None },
    Row { figure: Figure::Peak, key: "peak", label: "Peak, loaded", scale: KILOHERTZ, quantity: "peak_hz",
          of: |p| p.peak_hz.as_ref().filter(|_| is_heard(p)), target: Some(|a| a.peak_hz), measured: None },
    Row { figure: Figure::PeakHeight, key: "height", label: "Peak height", scale: DECIBEL,
          quantity: "peak_db", of: |p| is_heard(p).then_some(&p.peak_db), target: Some(|a| a.peak_db), measured: None },
    Row { figure: Figure::Minus3Db, key: "down", label: "−3 dB at", scale: KILOHERTZ,
          quantity: "minus3db_hz", of: |p| is_heard(p).then_some(&p.minus3db_hz), target: None, measured: None },
    Row { figure: Figure::Output, key: "output_mv", label: "Output", scale: MILLIVOLT,
          quantity: "output_mv", of: |p| is_heard(p).then_some(&p.output_mv), target: None, measured: None },
    Row { figure: Figure::RelativeOutput, key: "output", label: "Output, to reference", scale: DECIBEL,
          quantity: "relative_output_db", of: |p| is_heard(p).then_some(&p.relative_output_db), target: Some(|a| a.output_db), measured: None },
];

/// A pickup that sends less than this, dB to the reference coil, is silent: nothing magnetises its strings, or its coils cancel. What is
/// left has neither a level nor a peak that means anything.
pub const SILENT_DB: f64 = -60.0;

/// Whether a pickup sends a signal.
#[must_use]
pub fn is_heard(pickup: &PickupPrediction) -> bool {
    pickup.relative_output_db.nominal > SILENT_DB
}

impl Figure {
    /// Every figure, in the order of the table.
    pub const ALL: [Self; 10] = [
        Self::Resistance,
        Self::RoomResistance,
        Self::Inductance,
        Self::Capacitance,
        Self::Resonance,
        Self::Peak,
        Self::PeakHeight,
        Self::Minus3Db,
        Self::Output,
        Self::RelativeOutput,
    ];

    const fn row(self) -> &'static Row {
        const ROWS: &[Row; 10] = &TABLE;
        &ROWS[self as usize]
    }

    /// Its name in addresses and forms.
    pub const fn key(self) -> &'static str {
        self.row().key
    }

    /// The figure of a key.
    pub fn from_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|f| f.key() == key)
    }

    /// Its label.
    pub const fn label(self) -> &'static str {
        self.row().label
    }

    /// How it is written.
    pub const fn scale(self) -> Scale {
        self.row().scale
    }

    /// The prediction's own name for it.
    pub const fn quantity(self) -> &'static str {
        self.row().quantity
    }

    /// Its value in a prediction, SI or dB; none of a peak where the response only falls, and none of what a silent pickup sends.
    pub fn find_in(self, pickup: &PickupPrediction) -> Option<&Quantity> {
        (self.row().of)(pickup)
    }

    /// Its value in a prediction as it is shown, with its unit; "none" where there is none.
    #[must_use]
    pub fn text_in(self, pickup: &PickupPrediction) -> String {
        match self.find_in(pickup) {
            None => "none".to_owned(),
            Some(q) if self.is_level() => signed_db(q.nominal, 1),
            Some(q) => self.scale().text(q.nominal),
        }
    }

    /// A value as it is shown, as a number: what is compared with a target is what a reader compares.
    #[must_use]
    pub fn as_shown(self, value: f64) -> f64 {
        if self.is_level() {
            return (value * 10.0).round() / 10.0;
        }
        let scale = self.scale();
        scale.number(value).parse().map_or(value, |shown: f64| shown / scale.scaled(1.0))
    }

    /// Whether a value is on target, compared as both are shown; `None` without a target.
    #[must_use]
    pub fn is_on_target(self, value: f64, targets: &Targets) -> Option<bool> {
        let ends = self.target(targets)?;
        let [from, to] = ends.map(|end| if end.is_finite() { self.as_shown(end) } else { end });
        let shown = self.as_shown(value);
        let slack = 1e-9 * shown.abs();
        Some((from - slack..=to + slack).contains(&shown))
    }

    /// Whether it is a level in decibels, shown with a sign.
    const fn is_level(self) -> bool {
        matches!(self, Self::RelativeOutput)
    }

    /// Its target range; an open end is infinite.
    pub fn target(self, targets: &Targets) -> Option<[f64; 2]> {
        let range = self.row().target.and_then(|target| target(targets))?;
        Some(target_ends(self.target_key()?, range))
    }

    /// The key of its target in a document, such as `inductance_h`; none of figures that have no target.
    pub fn target_key(self) -> Option<&'static str> {
        self.row().target?;
        // Targets have the prediction's own names, but for these two.
        Some(match self {
            Self::Resistance => "resistance_ohm",
            Self::RelativeOutput => "output_db",
            other => other.quantity(),
        })
    }

    /// The reading that measures it.
    pub const fn measured(self) -> Option<Kind> {
        self.row().measured
    }
}

impl From<Goal> for Figure {
    fn from(goal: Goal) -> Self {
        match goal {
            Goal::Resistance => Self::Resistance,
            Goal::Inductance => Self::Inductance,
            Goal::Capacitance => Self::Capacitance,
            Goal::Peak => Self::Peak,
            Goal::PeakHeight => Self::PeakHeight,
            Goal::Output => Self::RelativeOutput,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_figure_has_its_own_row_and_key() {
        for (place, figure) in Figure::ALL.into_iter().enumerate() {
            assert_eq!(TABLE[place].figure, figure);
            assert_eq!(Figure::from_key(figure.key()), Some(figure));
        }
    }
    /// What reads as 5.60 is on target from 5.60 on: both are compared as they are shown.
    #[test]
    fn targets_are_compared_as_shown() {
        let targets = Targets {
            resistance_ohm: Some([5600.0, 5800.0]),
            output_db: Some([-0.5, f64::INFINITY]),
            ..Targets::default()
        };
        let is_on = |figure: Figure, value| figure.is_on_target(value, &targets);
        assert_eq!(KILOOHM.number(5596.0), "5.60");
        assert_eq!(is_on(Figure::Resistance, 5596.0), Some(true));
        assert_eq!(is_on(Figure::Resistance, 5594.0), Some(false));
        assert_eq!(is_on(Figure::Resistance, 5804.9), Some(true));
        assert_eq!(is_on(Figure::RelativeOutput, -0.54), Some(true));
        assert_eq!(is_on(Figure::RelativeOutput, -0.56), Some(false));
        assert_eq!(is_on(Figure::Inductance, 2.0), None);
    }

    /// Two coils alike but for their direction, in series: nothing is left of the signal, and no figure of it is shown.
    #[test]
    fn a_silent_pickup_has_no_level_and_no_peak() {
        let mut design = coil::design::starting_point(coil::design::Format::TwinCoil, "Sedge", 6, 10.4);
        let loud = coil::prediction::predict(&design).unwrap().pickup;
        assert!(Figure::Peak.find_in(&loud).is_some() && Figure::Output.find_in(&loud).is_some());
        let first = design.coils[0].wind.direction;
        design.coils[1].wind.direction = if first == coil::design::Direction::Clockwise {
            coil::design::Direction::CounterClockwise
        } else {
            coil::design::Direction::Clockwise
        };
        for bar in &mut design.bars {
            bar.charge = 0.0;
        }
        let silent = coil::prediction::predict(&design).unwrap().pickup;
        assert!(!is_heard(&silent), "{:?}", silent.relative_output_db);
        for figure in [Figure::Peak, Figure::Output, Figure::RelativeOutput, Figure::PeakHeight] {
            assert_eq!(figure.text_in(&silent), "none");
        }
        assert_ne!(Figure::Inductance.text_in(&silent), "none");
    }
}
