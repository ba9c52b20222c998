//! A family of designs that differ in one thing, at values of the maker's own choosing.

use super::Adjustment;
use crate::design::Design;
use crate::magnet::{Grade, Material};
use crate::quantity::{Fraction, Measure, ParseQuantity, Turns, Units, fixed};
use crate::wire::{Build, Gauge};
use crate::word::{Word as _, document_word};
use thiserror::Error;

/// Most variants of a family, beside the design itself.
pub const MOST_VARIANTS: usize = 7;

document_word! {
    /// What the designs of a family differ in.
    pub enum Varied {
        /// Turns of every coil, moved by as many as those of the first.
        Turns,
        /// The gauge, in the numbering of the design's own.
        Gauge,
        /// The thickness of the enamel.
        Build,
        /// The hand's wander.
        Wander,
        /// The winding height.
        Height,
        /// The gap to the strings.
        Gap,
        /// The length of all poles, at the same gap.
        PoleLength,
        /// The charge of all magnets.
        Charge,
        /// The alloy of all magnets.
        Alloy,
    }
}

/// One design of a family.
#[derive(Clone, Debug, PartialEq)]
pub struct Variant {
    /// Its value in words, such as `7200 turns`.
    pub value: String,
    /// The step that leads from the design to it.
    pub adjustment: Adjustment,
    /// The design.
    pub design: Design,
}

/// Why values make no family.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum FamilyError {
    /// There is no value, or none other than the design's own.
    #[error("no value differs from the design's own")]
    Empty,
    /// More variants than [`MOST_VARIANTS`].
    #[error("{0} values are too many")]
    TooMany(usize),
    /// A value that cannot be read.
    #[error("“{0}” cannot be read")]
    Unreadable(String),
    /// A value at which the engine takes no such design, or which changes nothing about it.
    #[error("at “{0}” there is no such design")]
    OutOfRange(String),
    /// A range of what has no numbers between.
    #[error("there is no range of it")]
    NoRange,
}

/// A value that was read.
enum Value {
    Number(f64),
    Gauge(Gauge),
    Build(Build),
    Alloy(Grade),
}

impl Varied {
    /// The designs that differ from `design` in this thing at the values of a text: a list (`7200, 7500, 7800`) or a range with its
    /// step (`7000 to 8000 by 250`). Lengths without a unit are in that of `units`, shares in per cent. The design's own value is
    /// left out: the design itself stands for it.
    ///
    /// # Errors
    /// [`FamilyError`].
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// use coil::quantity::Units;
    /// use coil::search::Varied;
    ///
    /// let family = Varied::Turns.variants(&reference_coil(), "7000 to 8000 by 250", Units::default()).unwrap();
    /// let turns: Vec<u32> = family.iter().map(|v| v.design.coils[0].wind.turns).collect();
    /// assert_eq!(turns, [7000, 7250, 7750, 8000], "the coil itself has 7,500");
    /// ```
    pub fn variants(self, design: &Design, text: &str, units: Units) -> Result<Vec<Variant>, FamilyError> {
        let mut all: Vec<Variant> = Vec::new();
        for (words, value) in self.values(text, units)? {
            let adjustment = self.adjustment(design, &value).ok_or_else(|| out_of_range(&words))?;
            if is_nothing(adjustment) {
                continue;
            }
            let varied = adjustment.applied(design).ok_or_else(|| out_of_range(&words))?;
            if varied != *design && !all.iter().any(|v| v.design == varied) {
                all.push(Variant { value: self.words(&value, units), adjustment, design: varied });
            }
        }
        match all.len() {
            0 => Err(FamilyError::Empty),
            1..=MOST_VARIANTS => Ok(all),
            many => Err(FamilyError::TooMany(many)),
        }
    }

    fn values(self, text: &str, units: Units) -> Result<Vec<(String, Value)>, FamilyError> {
        let text = text.trim();
        if let Some((from, rest)) = text.split_once(" to ") {
            let (to, step) = rest.split_once(" by ").ok_or_else(|| FamilyError::Unreadable(short(text)))?;
            return self.range([from, to, step], units);
        }
        let split = |by: &[&str]| -> Vec<String> {
            let mut parts = vec![text.to_owned()];
            for separator in by {
                parts = parts.iter().flat_map(|p| p.split(separator).map(str::to_owned)).collect();
            }
            parts.iter().map(|p| p.trim().to_owned()).filter(|p| !p.is_empty()).collect()
        };
        // A comma within a number has no space after it; where none has, commas part.
        let mut parts = split(&[";", "\n", " and ", ", "]);
        if parts.len() == 1 && self.value(&parts[0], units).is_none() {
            parts = split(&[","]);
        }
        let read = |part: String| match self.value(&part, units) {
            Some(value) => Ok((short(&part), value)),
            None => Err(FamilyError::Unreadable(short(&part))),
        };
        parts.into_iter().map(read).collect()
    }

    fn range(self, [from, to, step]: [&str; 3], units: Units) -> Result<Vec<(String, Value)>, FamilyError> {
        let number = |text: &str| match self.value(text.trim(), units) {
            Some(Value::Number(number)) => Ok(number),
            Some(_) => Err(FamilyError::NoRange),
            None => Err(FamilyError::Unreadable(short(text))),
        };
        let (from, to, step) = (number(from)?, number(to)?, number(step)?);
        let count = (to - from) / step;
        if !(0.0..=60.0).contains(&count) {
            return Err(FamilyError::Unreadable(format!("by {}", fixed(step, 4))));
        }
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most 60")]
        let last = (count + 1e-9).floor() as u32;
        let value = |k: u32| from + step * f64::from(k);
        Ok((0..=last).map(|k| (fixed(value(k), 4), Value::Number(value(k)))).collect())
    }

    fn value(self, text: &str, units: Units) -> Option<Value> {
        let length = || units.read(Measure::Length, text).ok().map(Value::Number);
        let share = || Fraction::parse_in(text, "%").ok().map(|f| Value::Number(f.ratio()));
        match self {
            Self::Turns => Turns::parse(text).ok().map(|t| Value::Number(f64::from(t.0))),
            Self::Gauge => text.parse().ok().map(Value::Gauge),
            Self::Build => match text {
                "single" => Some(Value::Build(Build::Single)),
                "heavy" => Some(Value::Build(Build::Heavy)),
                _ => None,
            },
            Self::Wander | Self::Charge => share(),
            Self::Height | Self::Gap | Self::PoleLength => length(),
            Self::Alloy => {
                let word = text.to_lowercase().replace(' ', "-");
                let of_number = format!("alnico-{word}");
                let grade = Grade::MAGNETS.iter().find(|g| g.word() == word || g.word() == of_number);
                grade.map(|grade| Value::Alloy(*grade))
            }
        }
    }

    /// The step from the design's own value to another; `None` where the design has nothing of it.
    fn adjustment(self, design: &Design, value: &Value) -> Option<Adjustment> {
        let coil = design.coils.first()?;
        let metal = || {
            let poles = design.poles.iter().map(|p| (p.material, p.charge));
            let all = poles.chain(design.bars.iter().map(|b| (b.material, b.charge)));
            let mut magnets = all.filter(|(material, _)| material.demagnetisation().is_some());
            magnets.next()
        };
        Some(match (self, value) {
            #[allow(clippy::cast_possible_truncation, reason = "turns that were read, some ten thousands")]
            (Self::Turns, Value::Number(n)) => {
                Adjustment::Turns((n - f64::from(coil.wind.turns)).round() as i32)
            }
            (Self::Gauge, Value::Gauge(gauge)) => {
                let steps = |n: &i32| super::adjustment::neighbour(coil.wire.gauge, *n) == Some(*gauge);
                Adjustment::Gauge((-30..=30).find(steps)?)
            }
            (Self::Build, Value::Build(build)) if *build == coil.wire.build => Adjustment::Turns(0),
            (Self::Build, Value::Build(build)) => Adjustment::Build(*build),
            (Self::Wander, Value::Number(share)) => Adjustment::Wander(share - coil.wind.wander),
            (Self::Height, Value::Number(mm)) => Adjustment::Height(mm - coil.former.height_mm),
            (Self::Gap, Value::Number(mm)) => Adjustment::Gap(mm - design.strings.core_and_gap_mm(1).1),
            (Self::PoleLength, Value::Number(mm)) => {
                Adjustment::PoleLength(mm - design.poles.first()?.length_mm)
            }
            (Self::Charge, Value::Number(share)) => {
                let (_, now) = metal()?;
                if (now - share).abs() < 1e-9 { Adjustment::Turns(0) } else { Adjustment::Charge(*share) }
            }
            (Self::Alloy, Value::Alloy(grade)) => {
                let (now, _) = metal()?;
                if now == Material::Named(*grade) { Adjustment::Turns(0) } else { Adjustment::Alloy(*grade) }
            }
            _ => return None,
        })
    }

    fn words(self, value: &Value, units: Units) -> String {
        let percent = |share: f64| format!("{} %", fixed(share * 100.0, 2));
        match (self, value) {
            (Self::Turns, Value::Number(n)) => format!("{n:.0} turns"),
            (Self::Wander, Value::Number(share)) => format!("hand wander {}", percent(*share)),
            (Self::Charge, Value::Number(share)) => format!("charged to {}", percent(*share)),
            (Self::Height, Value::Number(mm)) => format!("{} high", units.length(*mm, 3)),
            (Self::Gap, Value::Number(mm)) => format!("gap {}", units.length(*mm, 3)),
            (_, Value::Number(mm)) => format!("poles of {}", units.length(*mm, 3)),
            (_, Value::Gauge(gauge)) => gauge.to_string(),
            (_, Value::Build(build)) => Adjustment::Build(*build).words(),
            (_, Value::Alloy(grade)) => Adjustment::Alloy(*grade).words(),
        }
    }
}

fn short(text: &str) -> String {
    text.trim().chars().take(40).collect()
}

fn out_of_range(words: &str) -> FamilyError {
    FamilyError::OutOfRange(words.to_owned())
}

/// Whether a step leads nowhere: the value is the design's own.
fn is_nothing(adjustment: Adjustment) -> bool {
    match adjustment {
        Adjustment::Turns(n) | Adjustment::Gauge(n) => n == 0,
        Adjustment::Wander(v) | Adjustment::Height(v) | Adjustment::Gap(v) | Adjustment::PoleLength(v) => {
            v.abs() < 1e-9
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, differences, starting_point, tall_single};
    use rstest::rstest;

    #[rstest]
    #[case(Varied::Turns, "7000, 7 200; 7500 and 8k", &["7000 turns", "7200 turns", "8000 turns"])]
    #[case(Varied::Turns, "7000,7200,7400", &["7000 turns", "7200 turns", "7400 turns"])]
    #[case(Varied::Turns, "7400 to 7600 by 100", &["7400 turns", "7600 turns"])]
    #[case(Varied::Gauge, "41, 42 AWG, 43", &["41 AWG", "43 AWG"])]
    #[case(Varied::Charge, "100, 80, 55.5", &["charged to 80 %", "charged to 55.5 %"])]
    #[case(Varied::Gap, "2.4, 3.2 mm", &["gap 3.2 mm"])]
    #[case(Varied::Height, "10 to 12 by 0.5", &["10 mm high", "10.5 mm high", "11.5 mm high", "12 mm high"])]
    #[case(Varied::Alloy, "alnico 2, 3", &["alnico 2", "alnico 3"])]
    #[case(Varied::Wander, "0, 15", &["hand wander 0 %", "hand wander 15 %"])]
    fn values_are_read_as_makers_write_them(#[case] of: Varied, #[case] text: &str, #[case] values: &[&str]) {
        let design = tall_single("Sedge", 6, 10.4);
        let found = of.variants(&design, text, Units::default()).unwrap();
        assert_eq!(found.iter().map(|v| v.value.as_str()).collect::<Vec<_>>(), values);
        for variant in found {
            assert!(!differences(&design, &variant.design).is_empty());
        }
    }

    #[rstest]
    #[case(Varied::Turns, "", FamilyError::Empty)]
    #[case(Varied::Turns, "7500", FamilyError::Empty)]
    #[case(Varied::Turns, "many", FamilyError::Unreadable("many".into()))]
    #[case(Varied::Turns, "7000 to 8000", FamilyError::Unreadable("7000 to 8000".into()))]
    #[case(Varied::Turns, "7000 to 8000 by 10", FamilyError::Unreadable("by 10".into()))]
    #[case(Varied::Turns, "7000 to 8000 by 100", FamilyError::TooMany(10))]
    #[case(Varied::Turns, "3", FamilyError::OutOfRange("3".into()))]
    #[case(Varied::Gauge, "0.2 mm", FamilyError::OutOfRange("0.2 mm".into()))]
    #[case(Varied::Alloy, "alnico 2 to alnico 5 by alnico 3", FamilyError::NoRange)]
    #[case(Varied::Build, "single to heavy by single", FamilyError::NoRange)]
    fn what_makes_no_family_is_told(#[case] of: Varied, #[case] text: &str, #[case] error: FamilyError) {
        let design = tall_single("Sedge", 6, 10.4);
        assert_eq!(of.variants(&design, text, Units::default()).unwrap_err(), error);
    }

    /// Steel takes no charge, and a coil without poles has none to lengthen.
    #[test]
    fn what_a_design_has_not_cannot_be_varied() {
        let mut design = starting_point(Format::Blade, "Sedge", 6, 10.0);
        design.bars.clear();
        for of in [Varied::Charge, Varied::Alloy] {
            let text = if of == Varied::Charge { "80" } else { "alnico 2" };
            assert!(matches!(of.variants(&design, text, Units::default()), Err(FamilyError::OutOfRange(_))));
        }
    }
}
