//! What a maker can change about a pickup, one thing at a time, in steps of the bench.

use crate::Word as _;
use crate::design::{Design, Grounded, LeadKind, Leads, Medium, Potting};
use crate::magnet::{Grade, Material};
use crate::wire::{Build, Gauge, GaugeSystem};
use std::fmt;
use std::str::FromStr;

/// One step of one thing, the same in all coils or poles alike.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Adjustment {
    /// Turns more, or fewer.
    Turns(i32),
    /// Gauge numbers finer, or thicker when negative.
    Gauge(i32),
    /// Another thickness of the enamel.
    Build(Build),
    /// Hand wander more, as a share of the height.
    Wander(f64),
    /// Winding height more, mm.
    Height(f64),
    /// Core width more, mm.
    CoreWidth(f64),
    /// Gap to the strings more, mm.
    Gap(f64),
    /// Pole length more at the upper face, mm: the strings come nearer by as much, so that the gap stays.
    PoleLength(f64),
    /// Charge, as a share of full.
    Charge(f64),
    /// Another alloy for all magnets.
    Alloy(Grade),
    /// All gaps filled with a medium, or none.
    Potting(Medium),
    /// Leads of another kind, as long.
    Leads(LeadKind),
    /// A grounded foil round the coils, or none.
    Foil(bool),
}

/// A text that names no adjustment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("there is no such change")]
pub struct UnknownAdjustment;

impl fmt::Display for Adjustment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Turns(n) => write!(f, "turns:{n}"),
            Self::Gauge(n) => write!(f, "gauge:{n}"),
            Self::Build(Build::Single) => write!(f, "build:single"),
            Self::Build(Build::Heavy) => write!(f, "build:heavy"),
            Self::Wander(v) => write!(f, "wander:{v}"),
            Self::Height(v) => write!(f, "height:{v}"),
            Self::CoreWidth(v) => write!(f, "core:{v}"),
            Self::Gap(v) => write!(f, "gap:{v}"),
            Self::PoleLength(v) => write!(f, "poles:{v}"),
            Self::Charge(v) => write!(f, "charge:{v}"),
            Self::Alloy(grade) => write!(f, "alloy:{}", grade.word()),
            Self::Potting(medium) => write!(f, "potting:{}", medium.word()),
            Self::Leads(kind) => write!(f, "leads:{}", kind.word()),
            Self::Foil(is_there) => write!(f, "foil:{is_there}"),
        }
    }
}

impl FromStr for Adjustment {
    type Err = UnknownAdjustment;

    fn from_str(text: &str) -> Result<Self, UnknownAdjustment> {
        let (name, value) = text.split_once(':').ok_or(UnknownAdjustment)?;
        let number =
            || value.parse::<f64>().ok().filter(|v| v.is_finite() && v.abs() < 1e6).ok_or(UnknownAdjustment);
        let whole = || value.parse::<i32>().ok().filter(|v| v.abs() < 100_000).ok_or(UnknownAdjustment);
        Ok(match name {
            "turns" => Self::Turns(whole()?),
            "gauge" => Self::Gauge(whole()?),
            "build" if value == "single" => Self::Build(Build::Single),
            "build" if value == "heavy" => Self::Build(Build::Heavy),
            "wander" => Self::Wander(number()?),
            "height" => Self::Height(number()?),
            "core" => Self::CoreWidth(number()?),
            "gap" => Self::Gap(number()?),
            "poles" => Self::PoleLength(number()?),
            "charge" => Self::Charge(number()?),
            "alloy" => {
                let grade = Grade::MAGNETS.iter().copied().find(|g| g.word() == value);
                Self::Alloy(grade.ok_or(UnknownAdjustment)?)
            }
            "potting" => Self::Potting(value.parse().ok().ok_or(UnknownAdjustment)?),
            "leads" => Self::Leads(value.parse().ok().ok_or(UnknownAdjustment)?),
            "foil" => Self::Foil(value.parse().ok().ok_or(UnknownAdjustment)?),
            _ => return Err(UnknownAdjustment),
        })
    }
}

/// A length added, kept to the micrometre.
fn plus(value: &mut f64, more: f64) {
    *value = ((*value + more) * 1e3).round() / 1e3;
}

impl Adjustment {
    /// In words.
    #[must_use]
    pub fn words(&self) -> String {
        let signed = |v: f64, unit: &str| {
            let (size, what) = unit.split_once(' ').unwrap_or((unit, ""));
            let more = if v < 0.0 { "less" } else { "more" };
            format!("{} {size} {more} {what}", crate::quantity::fixed(v.abs(), 3))
        };
        match self {
            Self::Turns(n) => format!("{} turns {}", n.abs(), if *n < 0 { "fewer" } else { "more" }),
            Self::Gauge(n) => format!("{} gauge {}", n.abs(), if *n < 0 { "thicker" } else { "finer" }),
            Self::Build(Build::Single) => "single build".into(),
            Self::Build(Build::Heavy) => "heavy build".into(),
            Self::Wander(v) => signed(v * 100.0, "% hand wander"),
            Self::Height(v) => signed(*v, "mm winding height"),
            Self::CoreWidth(v) => signed(*v, "mm core width"),
            Self::Gap(v) => signed(*v, "mm gap to the strings"),
            Self::PoleLength(v) => signed(*v, "mm pole, same gap"),
            Self::Charge(v) => format!("charged to {} %", crate::quantity::fixed(v * 100.0, 1)),
            Self::Alloy(grade) => grade.word().replace('-', " "),
            Self::Potting(Medium::None) => "not potted".into(),
            Self::Potting(medium) => format!("potted in {}", medium.word()),
            Self::Leads(LeadKind::Shielded) => "braided lead".into(),
            Self::Leads(LeadKind::TwistedPair) => "twisted leads".into(),
            Self::Leads(LeadKind::FourConductor) => "four leads in a shield".into(),
            Self::Leads(LeadKind::None) => "no leads".into(),
            Self::Foil(true) => "grounded foil".into(),
            Self::Foil(false) => "no foil".into(),
        }
    }

    /// The design with the step done; `None` where it changes nothing or leaves the allowed range.
    #[must_use]
    pub fn applied(&self, design: &Design) -> Option<Design> {
        let mut next = design.clone();
        match *self {
            Self::Turns(n) => {
                for coil in &mut next.coils {
                    coil.wind.turns = coil.wind.turns.checked_add_signed(n)?;
                }
            }
            Self::Gauge(n) => {
                for coil in &mut next.coils {
                    coil.wire.gauge = neighbour(coil.wire.gauge, n)?;
                    coil.wire.spool = None;
                }
            }
            Self::Build(build) => {
                for coil in &mut next.coils {
                    coil.wire.build = build;
                }
            }
            Self::Wander(v) => {
                for coil in &mut next.coils {
                    coil.wind.wander = ((coil.wind.wander + v).max(0.0) * 1e3).round() / 1e3;
                }
            }
            Self::Height(v) => next.coils.iter_mut().for_each(|c| plus(&mut c.former.height_mm, v)),
            Self::CoreWidth(v) => {
                for core in next.coils.iter_mut().map(|c| &mut c.former.core) {
                    plus(&mut core.length_mm, v);
                    if let Some(width) = &mut core.width_mm {
                        plus(width, v);
                    }
                }
            }
            Self::Gap(v) => {
                let strings = &mut next.strings;
                if strings.each.is_empty() {
                    strings.each = (1..=strings.count).map(|n| strings.as_it_is(n)).collect();
                }
                strings.each.iter_mut().for_each(|s| plus(&mut s.gap_mm, v));
            }
            Self::PoleLength(v) => next.poles.iter_mut().for_each(|p| plus(&mut p.length_mm, v)),
            Self::Charge(v) => {
                next.poles.iter_mut().filter(|p| is_magnet(p.material)).for_each(|p| p.charge = v);
                next.bars.iter_mut().filter(|b| is_magnet(b.material)).for_each(|b| b.charge = v);
            }
            Self::Alloy(grade) => {
                let poles = next.poles.iter_mut().map(|p| &mut p.material);
                for material in poles.chain(next.bars.iter_mut().map(|b| &mut b.material)) {
                    if is_magnet(*material) {
                        *material = Material::Named(grade);
                    }
                }
            }
            Self::Potting(medium) => next.potting = Some(Potting { medium, fill: 1.0 }),
            Self::Leads(kind) => next.leads = Some(Leads { kind, pf_per_m: None, ..next.leads() }),
            Self::Foil(is_there) => next.ground(Grounded::Foil, is_there),
        }
        (next != *design && next.problems().is_empty()).then_some(next)
    }
}

fn is_magnet(material: Material) -> bool {
    match material {
        Material::Named(grade) => Grade::MAGNETS.contains(&grade),
        Material::Given(_) => false,
    }
}

/// The gauge some numbers finer in its own system; metric wire by steps of an eighth of an octave in area.
pub(super) fn neighbour(gauge: Gauge, finer: i32) -> Option<Gauge> {
    match gauge.system() {
        GaugeSystem::Awg(number) => Gauge::awg(number.checked_add_signed(finer)?).ok(),
        GaugeSystem::Swg(number) => Gauge::swg(number.checked_add_signed(finer)?).ok(),
        GaugeSystem::Metric(_) => {
            let bare_mm = gauge.bare_m() * 1e3 * 0.89_f64.powi(finer);
            Gauge::metric((bare_mm * 1e3).round() / 1e3).ok()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, differences, starting_point, tall_single};
    use proptest::prelude::*;
    use rstest::rstest;

    fn any_adjustment() -> impl Strategy<Value = Adjustment> {
        let step = -2.0_f64..2.0;
        prop_oneof![
            (-99_999_i32..99_999).prop_map(Adjustment::Turns),
            (-40_i32..40).prop_map(Adjustment::Gauge),
            Just(Adjustment::Build(Build::Single)),
            Just(Adjustment::Build(Build::Heavy)),
            (-1.0_f64..1.0).prop_map(Adjustment::Wander),
            step.clone().prop_map(Adjustment::Height),
            step.clone().prop_map(Adjustment::CoreWidth),
            step.clone().prop_map(Adjustment::Gap),
            step.prop_map(Adjustment::PoleLength),
            (0.0_f64..1.2).prop_map(Adjustment::Charge),
            (0..Grade::MAGNETS.len()).prop_map(|k| Adjustment::Alloy(Grade::MAGNETS[k])),
            (0..Medium::ALL.len()).prop_map(|k| Adjustment::Potting(Medium::ALL[k])),
            (0..LeadKind::ALL.len()).prop_map(|k| Adjustment::Leads(LeadKind::ALL[k])),
            proptest::bool::ANY.prop_map(Adjustment::Foil),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

        /// What a button sends is what it was made of.
        #[test]
        fn a_text_is_the_adjustment_that_it_was_written_of(adjustment in any_adjustment()) {
            prop_assert_eq!(adjustment.to_string().parse::<Adjustment>(), Ok(adjustment));
        }

        /// Whatever is asked for, what comes out is a design that the engine takes, or nothing.
        #[test]
        fn what_is_adjusted_is_a_design_that_the_engine_takes(
            adjustment in any_adjustment(),
            kind in 0..Format::ALL.len(),
        ) {
            let design = starting_point(Format::ALL[kind], "Sedge", 6, 10.4);
            if let Some(next) = adjustment.applied(&design) {
                prop_assert!(next.problems().is_empty());
                prop_assert_ne!(next, design);
            }
        }
    }

    #[rstest]
    #[case("turns")]
    #[case("turns:")]
    #[case("turns:many")]
    #[case("turns:100000")]
    #[case("turns:1.5")]
    #[case("gap:NaN")]
    #[case("gap:inf")]
    #[case("gap:1e7")]
    #[case("build:thick")]
    #[case("alloy:cheese")]
    #[case("alloy:steel")]
    #[case("lever:1")]
    #[case("")]
    fn other_texts_are_no_adjustment(#[case] text: &str) {
        assert_eq!(text.parse::<Adjustment>(), Err(UnknownAdjustment));
    }

    /// Each adjustment changes its own thing, in all coils or poles alike, and nothing else.
    #[rstest]
    #[case(Adjustment::Turns(300), ".wind.turns")]
    #[case(Adjustment::Gauge(1), ".wire.gauge")]
    #[case(Adjustment::Build(Build::Single), ".wire.build")]
    #[case(Adjustment::Wander(0.15), ".wind.wander")]
    #[case(Adjustment::Height(-1.0), ".former.height_mm")]
    #[case(Adjustment::CoreWidth(0.2), ".former.core.")]
    #[case(Adjustment::Gap(0.5), "strings.each")]
    #[case(Adjustment::Charge(0.8), ".charge")]
    #[case(Adjustment::Alloy(Grade::Alnico2), ".material")]
    #[case(Adjustment::Potting(Medium::Wax), "potting")]
    #[case(Adjustment::Leads(LeadKind::Shielded), "leads")]
    #[case(Adjustment::Foil(true), "wiring.grounded")]
    fn an_adjustment_changes_one_thing(#[case] adjustment: Adjustment, #[case] place: &str) {
        for kind in [Format::TallSingle, Format::TwinCoil] {
            let mut design = starting_point(kind, "Sedge", 6, 10.4);
            // What is adjusted to is not there yet.
            design.coils.iter_mut().for_each(|coil| coil.wire.build = Build::Heavy);
            let next = adjustment.applied(&design).unwrap();
            let changes = differences(&design, &next);
            assert!(!changes.is_empty(), "{kind:?}");
            assert!(changes.iter().all(|c| c.at.contains(place)), "{kind:?} {changes:?}");
        }
    }

    #[test]
    fn what_changes_nothing_or_leaves_the_range_is_none() {
        let design = tall_single("Sedge", 6, 10.4);
        let none = [
            Adjustment::Turns(0),
            Adjustment::Turns(-99_999),
            Adjustment::Gauge(40),
            Adjustment::Gap(-5.0),
            Adjustment::Height(-50.0),
            Adjustment::Charge(7.0),
            Adjustment::Wander(0.0),
        ];
        for adjustment in none {
            assert_eq!(adjustment.applied(&design), None, "{adjustment}");
        }
    }

    /// A wire that was measured on a spool is not the wire of another gauge.
    #[test]
    fn another_gauge_takes_the_spool_away() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.coils[0].wire.spool =
            Some(crate::design::Spool { ohm_per_m: Some(5.5), ..crate::design::Spool::default() });
        let next = Adjustment::Gauge(1).applied(&design).unwrap();
        assert_eq!(next.coils[0].wire.spool, None);
        assert_eq!(next.coils[0].wire.gauge.to_string(), "43 AWG");
    }

    #[test]
    fn a_gap_asks_for_the_strings_by_name() {
        let design = tall_single("Sedge", 6, 10.4);
        let before: Vec<f64> = (1..=6).map(|n| design.strings.core_and_gap_mm(n).1).collect();
        let next = Adjustment::Gap(0.5).applied(&design).unwrap();
        let after: Vec<f64> = next.strings.each.iter().map(|s| s.gap_mm).collect();
        assert_eq!(after.len(), 6);
        assert!(before.iter().zip(&after).all(|(b, a)| (a - b - 0.5).abs() < 1e-9));
    }

    #[rstest]
    #[case(Adjustment::Turns(100), Adjustment::Turns(-100), "100")]
    #[case(Adjustment::Gauge(1), Adjustment::Gauge(-1), "1")]
    #[case(Adjustment::Wander(0.15), Adjustment::Wander(-0.15), "15 %")]
    #[case(Adjustment::Gap(0.5), Adjustment::Gap(-0.5), "0.5 mm")]
    #[case(Adjustment::Height(1.25), Adjustment::Height(-1.25), "1.25 mm")]
    fn words_give_the_size_and_tell_the_ways_apart(
        #[case] one: Adjustment,
        #[case] other: Adjustment,
        #[case] size: &str,
    ) {
        assert_ne!(one.words(), other.words());
        assert!(one.words().contains(size) && other.words().contains(size));
        assert!(!other.words().contains('-'), "the way is a word");
    }
}
