//! Reading what people type.

use super::{
    Capacitance, FluxDensity, Fraction, Frequency, Inductance, Length, LinearResistance, Mass, Resistance,
    Temperature, Tension, Turns,
};
use thiserror::Error;

/// Why a typed quantity could not be read, in words for the person who typed it.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum ParseQuantityError {
    /// Nothing was typed.
    #[error("this is empty: type a number, for example {example}")]
    Empty {
        /// What a good answer looks like.
        example: &'static str,
    },
    /// No number at the start.
    #[error("cannot read “{typed}” as a number: type it for example as {example}")]
    NotANumber {
        /// What was typed.
        typed: String,
        /// What a good answer looks like.
        example: &'static str,
    },
    /// The number is fine, the unit is not one of this quantity.
    #[error("“{unit}” is not a unit for this: use {known}")]
    UnknownUnit {
        /// The unit as typed.
        unit: String,
        /// The units that would do.
        known: &'static str,
    },
}

/// A quantity that can be read from what a maker types or says.
pub trait ParseQuantity: Sized {
    /// What a good answer looks like.
    const EXAMPLE: &'static str;
    /// The units that are understood, for messages.
    const UNITS: &'static str;

    /// Builds the value from a number and the (trimmed) unit; `None` when the unit is unknown.
    fn from_spoken(value: f64, unit: &str) -> Option<Self>;

    /// Reads `text`; a bare number takes the quantity's usual unit.
    ///
    /// # Errors
    /// [`ParseQuantityError`] says what to type instead.
    fn parse(text: &str) -> Result<Self, ParseQuantityError> {
        Self::parse_in(text, "")
    }

    /// Reads `text`; a bare number takes the unit `bare`.
    ///
    /// # Errors
    /// [`ParseQuantityError`] says what to type instead.
    fn parse_in(text: &str, bare: &str) -> Result<Self, ParseQuantityError> {
        let (value, unit) = number(text, Self::EXAMPLE)?;
        let unit = if unit.is_empty() { bare } else { unit };
        Self::from_spoken(value, unit)
            .ok_or_else(|| ParseQuantityError::UnknownUnit { unit: unit.to_owned(), known: Self::UNITS })
    }
}

/// Splits `text` into its leading number and the rest, trimmed.
///
/// Understood: `17`, `-0.5`, `.375`, `0,66` (decimal comma), `7,500` and `7 430` (thousands), `5k8` (the unit's letter for
/// the point), `1/16`, `2 1/2`.
///
/// # Errors
/// [`ParseQuantityError::Empty`] or [`ParseQuantityError::NotANumber`].
pub fn number<'a>(text: &'a str, example: &'static str) -> Result<(f64, &'a str), ParseQuantityError> {
    let text = text.trim();
    if text.is_empty() {
        return Err(ParseQuantityError::Empty { example });
    }
    let refuse = || ParseQuantityError::NotANumber { typed: text.chars().take(40).collect(), example };
    if let Some(found) = spaced_thousands(text) {
        return Ok(found);
    }
    let (first, rest) = split_decimal(text).ok_or_else(refuse)?;
    if let Some((value, unit)) = letter_for_point(text) {
        return Ok((value, unit));
    }
    if let Some(below) = rest.strip_prefix('/') {
        let (denominator, rest) = split_decimal(below).ok_or_else(refuse)?;
        return finite(first / denominator).map(|v| (v, rest.trim())).ok_or_else(refuse);
    }
    // "2 1/2": a whole number, a blank, a fraction.
    if let Some((numerator, after)) = split_decimal(rest.trim_start())
        && rest.starts_with(' ')
        && let Some((denominator, tail)) = after.strip_prefix('/').and_then(split_decimal)
    {
        return finite(first + numerator / denominator).map(|v| (v, tail.trim())).ok_or_else(refuse);
    }
    finite(first).map(|v| (v, rest.trim())).ok_or_else(refuse)
}

/// Blanks that stand between thousands.
const BLANKS: [char; 4] = [' ', '\u{a0}', '\u{2009}', '\u{202f}'];

/// A whole number with blanks between its thousands, and what follows it: `7 430`, `14 800 turns`.
fn spaced_thousands(text: &str) -> Option<(f64, &str)> {
    let mut end = text.find(|c: char| !c.is_ascii_digit())?;
    if !(1..=3).contains(&end) || text.starts_with('0') {
        return None;
    }
    let (mut digits, mut groups) = (text[..end].to_owned(), 0);
    while let Some(group) = text[end..].strip_prefix(BLANKS) {
        let width = group.find(|c: char| !c.is_ascii_digit()).unwrap_or(group.len());
        if width != 3 || group[width..].starts_with(['/', '.', ',']) {
            break;
        }
        digits.push_str(&group[..3]);
        end = text.len() - group.len() + 3;
        groups += 1;
    }
    (groups > 0).then(|| Some((digits.parse().ok()?, text[end..].trim())))?
}

/// A number with its unit's letter in place of the point, as meters and parts are marked: `5k8`, `2H2`, `4R7`.
fn letter_for_point(text: &str) -> Option<(f64, &str)> {
    let at = text.find(|c: char| !c.is_ascii_digit()).filter(|at| *at > 0)?;
    let letter = text[at..].chars().next().filter(char::is_ascii_alphabetic)?;
    let below = &text[at + letter.len_utf8()..];
    let is_number = !below.is_empty() && below.chars().all(|c| c.is_ascii_digit());
    let value = is_number.then(|| format!("{}.{below}", &text[..at]).parse().ok())??;
    Some((value, &text[at..at + letter.len_utf8()]))
}

fn finite(value: f64) -> Option<f64> {
    value.is_finite().then_some(value)
}

/// A signed decimal at the start of `text`, and what follows it.
fn split_decimal(text: &str) -> Option<(f64, &str)> {
    let unsigned = text.strip_prefix(['-', '+', '−']).unwrap_or(text);
    let end =
        unsigned.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == ',')).unwrap_or(unsigned.len());
    let (digits, rest) = unsigned.split_at(end);
    let magnitude: f64 = plain_decimal(digits)?.parse().ok()?;
    let negative = text.starts_with(['-', '−']);
    Some((if negative { -magnitude } else { magnitude }, rest))
}

/// `digits` with its commas resolved: thousands when every group fits, else one decimal comma.
fn plain_decimal(digits: &str) -> Option<String> {
    if !digits.contains(',') {
        return Some(digits.to_owned());
    }
    // A comma behind a point is neither way of writing here: what it means is not guessed.
    if digits.find('.').is_some_and(|point| digits[point..].contains(',')) {
        return None;
    }
    let whole = digits.split('.').next().unwrap_or(digits);
    let groups: Vec<&str> = whole.split(',').collect();
    let lead = groups[0];
    let thousands =
        (1..=3).contains(&lead.len()) && !lead.starts_with('0') && groups[1..].iter().all(|g| g.len() == 3);
    if thousands {
        return Some(digits.replace(',', ""));
    }
    (groups.len() == 2 && !digits.contains('.')).then(|| digits.replace(',', "."))
}

/// How the ohm is written, in lower case: the Greek letter and the sign for it.
const OHM: [&str; 4] = ["ω", "ohm", "ohms", "r"];

/// Implements [`ParseQuantity`] from a table of units.
macro_rules! spoken {
    ($type:ty, $example:literal, $known:literal, |$v:ident, $unit:ident| $body:expr) => {
        impl ParseQuantity for $type {
            const EXAMPLE: &'static str = $example;
            const UNITS: &'static str = $known;
            fn from_spoken($v: f64, $unit: &str) -> Option<Self> {
                $body
            }
        }
    };
}

spoken!(Length, "17 mm or 0.66 in", "mm, cm, m, km, µm, in, thou, ft", |v, unit| Some(
    match unit.to_lowercase().as_str() {
        "" | "mm" | "millimetre" | "millimetres" | "millimeters" => Self::from_mm(v),
        "cm" => Self::from_mm(v * 10.0),
        "m" | "metre" | "metres" | "meters" => Self::from_m(v),
        "km" => Self::from_m(v * 1e3),
        "µm" | "μm" | "um" | "micron" | "microns" => Self::from_mm(v * 1e-3),
        "in" | "inch" | "inches" | "\"" | "″" | "''" => Self::from_inches(v),
        "thou" | "mil" | "mils" => Self::from_inches(v * 1e-3),
        "ft" | "foot" | "feet" | "'" | "′" => Self::from_feet(v),
        _ => return None,
    }
));
spoken!(LinearResistance, "5.4 Ω/m or 1.66 Ω/ft", "Ω/m, Ω/km, Ω/ft", |v, unit| {
    let unit = unit.to_lowercase().replace(' ', "");
    let per =
        if unit.is_empty() { "m" } else { unit.split_once('/').filter(|(ohm, _)| OHM.contains(ohm))?.1 };
    Some(match per {
        "m" => Self::from_ohm_per_m(v),
        "km" => Self::from_ohm_per_m(v * 1e-3),
        "ft" | "foot" => Self::from_ohm_per_foot(v),
        "kft" | "1000ft" => Self::from_ohm_per_foot(v * 1e-3),
        _ => return None,
    })
});
// "M" is mega and "m" is milli on a meter's display, but nobody winds a milliohm coil: both are read as mega.
spoken!(Resistance, "5.8k or 5800", "Ω, k, kΩ, M", |v, unit| Some(
    match unit
        .to_lowercase()
        .trim_end_matches("ohms")
        .trim_end_matches("ohm")
        .trim_end_matches(['ω', 'Ω', 'r'])
        .trim()
    {
        "" => Self::from_ohms(v),
        "k" | "kilo" => Self::from_kiloohms(v),
        "m" | "meg" | "mega" => Self::from_ohms(v * 1e6),
        _ => return None,
    }
));
spoken!(Inductance, "2.2 H", "H, mH", |v, unit| Some(match unit.to_lowercase().as_str() {
    "" | "h" | "henry" | "henries" => Self::from_henries(v),
    "mh" => Self::from_henries(v * 1e-3),
    "µh" | "μh" | "uh" => Self::from_henries(v * 1e-6),
    _ => return None,
}));
spoken!(Capacitance, "120 pF", "pF, nF, µF", |v, unit| Some(match unit.to_lowercase().as_str() {
    "" | "p" | "pf" => Self::from_picofarads(v),
    "n" | "nf" => Self::from_nanofarads(v),
    "u" | "uf" | "µf" | "μf" => Self::from_farads(v * 1e-6),
    _ => return None,
}));
spoken!(Frequency, "1 kHz", "Hz, kHz", |v, unit| Some(match unit.to_lowercase().as_str() {
    "" | "hz" => Self::from_hz(v),
    "k" | "khz" => Self::from_khz(v),
    _ => return None,
}));
spoken!(FluxDensity, "95 mT or 950 G", "mT, G, T", |v, unit| Some(match unit {
    "" | "mT" | "mt" | "MT" => Self::from_mt(v),
    "G" | "g" | "gauss" | "Gauss" | "Gs" => Self::from_gauss(v),
    "kG" | "kg" => Self::from_gauss(v * 1e3),
    "T" | "t" => Self::from_tesla(v),
    _ => return None,
}));
spoken!(Mass, "120 g", "g, kg, lb, oz", |v, unit| Some(match unit.to_lowercase().as_str() {
    "" | "g" => Self::from_g(v),
    "kg" => Self::from_kg(v),
    "lb" | "lbs" => Self::from_kg(v * 0.453_592_37),
    "oz" => Self::from_kg(v * 0.028_349_523),
    _ => return None,
}));
spoken!(Tension, "0.18 N or 18 g", "N, cN, g", |v, unit| Some(match unit.to_lowercase().as_str() {
    "" | "n" => Self::from_newtons(v),
    "cn" => Self::from_newtons(v * 1e-2),
    "mn" => Self::from_newtons(v * 1e-3),
    "g" | "gf" | "grams" => Self::from_grams_force(v),
    _ => return None,
}));
spoken!(Temperature, "22 °C or 73 F", "°C, °F", |v, unit| Some(
    match unit.trim_start_matches("deg").trim_start_matches('°').trim().to_lowercase().as_str() {
        "" | "c" => Self::from_celsius(v),
        "f" => Self::from_fahrenheit(v),
        _ => return None,
    }
));
// A bare number up to 2 is a ratio ("0.79"), above it a per cent ("79"): nothing here exceeds twice its whole.
spoken!(Fraction, "0.79 or 79 %", "%", |v, unit| Some(match unit {
    "" if v.abs() <= 2.0 => Self::from_ratio(v),
    "" | "%" => Self::from_percent(v),
    _ => return None,
}));
impl ParseQuantity for Turns {
    const EXAMPLE: &'static str = "7500";
    const UNITS: &'static str = "turns, k";

    fn from_spoken(value: f64, unit: &str) -> Option<Self> {
        let turns = match unit.to_lowercase().as_str() {
            "" | "turns" | "turn" | "t" => value,
            "k" => value * 1e3,
            _ => return None,
        };
        // Saturates at the end of u32; the field's own range then says what is allowed.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to the type")]
        Some(Self(turns.round().clamp(0.0, f64::from(u32::MAX)) as u32))
    }

    /// Turns are whole and not negative: half a turn is a slip of the finger.
    fn parse_in(text: &str, bare: &str) -> Result<Self, ParseQuantityError> {
        let (value, unit) = number(text, Self::EXAMPLE)?;
        let unit = if unit.is_empty() { bare } else { unit };
        let whole = if unit.eq_ignore_ascii_case("k") { value * 1e3 } else { value };
        if whole < 0.0 || (whole - whole.round()).abs() > 1e-6 {
            let typed = text.chars().take(40).collect();
            return Err(ParseQuantityError::NotANumber { typed, example: Self::EXAMPLE });
        }
        Self::from_spoken(value, unit)
            .ok_or_else(|| ParseQuantityError::UnknownUnit { unit: unit.to_owned(), known: Self::UNITS })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    // 0.3048 m to the foot is exact by definition.
    #[rstest]
    #[case("5.4", 5.4)]
    #[case("5.4 Ω/m", 5.4)]
    #[case("5.4 ohm / m", 5.4)]
    #[case("1.66 Ω/ft", 5.446_194_2)]
    #[case("1660 ohms/1000ft", 5.446_194_2)]
    #[case("5400 Ω/km", 5.4)]
    fn resistances_by_length(#[case] typed: &str, #[case] ohm_per_m: f64) {
        assert!((LinearResistance::parse(typed).unwrap().ohm_per_m() - ohm_per_m).abs() < 1e-6, "{typed}");
    }

    #[test]
    fn a_resistance_alone_is_none_by_length() {
        assert!(LinearResistance::parse("5.4 Ω").is_err() && LinearResistance::parse("5.4 kg/m").is_err());
    }

    // 25.4 mm to the inch is exact by definition.
    #[rstest]
    #[case("0.66in", 16.764)]
    #[case("0.66 in", 16.764)]
    #[case("17 mm", 17.0)]
    #[case("17", 17.0)]
    #[case(".375\"", 9.525)]
    #[case("0,45 in", 11.43)]
    #[case("1/16 in", 1.5875)]
    #[case("2 1/2 in", 63.5)]
    #[case("2.5 thou", 0.0635)]
    #[case("63.5 µm", 0.0635)]
    fn lengths(#[case] typed: &str, #[case] mm: f64) {
        assert!((Length::parse(typed).unwrap().mm() - mm).abs() < 1e-9, "{typed}");
    }

    #[rstest]
    #[case("5.8k", 5800.0)]
    #[case("6.15 kΩ", 6150.0)]
    #[case("5730 ohm", 5730.0)]
    #[case("5,730", 5730.0)]
    #[case("250 kohms", 250e3)]
    #[case("1M", 1e6)]
    #[case("5k8", 5800.0)]
    #[case("4R7", 4.7)]
    #[case("5,8k", 5800.0)]
    #[case("5 730", 5730.0)]
    #[case("5\u{202f}730 Ω", 5730.0)]
    fn resistances(#[case] typed: &str, #[case] ohms: f64) {
        assert!((Resistance::parse(typed).unwrap().ohms() - ohms).abs() < 1e-6, "{typed}");
    }

    #[test]
    fn other_units_people_use() {
        assert!((Temperature::parse("73 F").unwrap().celsius() - 22.777_78).abs() < 1e-4);
        assert!((Temperature::parse("22°C").unwrap().celsius() - 22.0).abs() < 1e-12);
        assert!((Inductance::parse("2.2 H").unwrap().henries() - 2.2).abs() < 1e-12);
        assert!((Capacitance::parse("120 pF").unwrap().picofarads() - 120.0).abs() < 1e-9);
        assert!((FluxDensity::parse("-950 G").unwrap().mt() + 95.0).abs() < 1e-9);
        assert!((Tension::parse("18 g").unwrap().newtons() - 0.176_52).abs() < 1e-4);
        assert_eq!(Turns::parse("7,500").unwrap(), Turns(7500));
        assert_eq!(Turns::parse("7.5k").unwrap(), Turns(7500));
        assert_eq!(Turns::parse("7k5").unwrap(), Turns(7500));
        assert_eq!(Turns::parse("7 430").unwrap(), Turns(7430));
        assert_eq!(Turns::parse("14\u{202f}800 turns").unwrap(), Turns(14_800));
        assert!(Turns::parse("3.5").is_err() && Turns::parse("3,5").is_err() && Turns::parse("-1").is_err());
        assert!((Inductance::parse("2H2").unwrap().henries() - 2.2).abs() < 1e-12);
        assert!((Fraction::parse("79").unwrap().ratio() - 0.79).abs() < 1e-12);
    }

    #[rstest]
    #[case("")]
    #[case("   ")]
    #[case("long")]
    #[case("1/0")]
    #[case("--3")]
    #[case("1.2.3")]
    #[case("1,2,3")]
    #[case("17 furlongs")]
    #[case("9e999")]
    fn what_cannot_be_read_says_what_to_type(#[case] typed: &str) {
        let message = Length::parse(typed).unwrap_err().to_string();
        assert!(message.contains("mm") || message.contains("empty"), "{message}");
    }
}
