//! The units that a workshop reads and types. The engine, the database and every file stay in millimetres, degrees Celsius,
//! millitesla and grams; only what people read and type is in these.

use super::{
    FluxDensity, Length, LinearResistance, Mass, ParseQuantity, ParseQuantityError, Temperature, fixed,
    grouped, number,
};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

macro_rules! unit {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $symbol:literal,)+ }) => {
        $(#[$doc])*
        #[derive(
            Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
        )]
        #[serde(rename_all = "kebab-case")]
        #[strum(serialize_all = "kebab-case")]
        pub enum $name {
            $($(#[$vdoc])* $variant,)+
        }

        impl $name {
            /// All, the usual one first.
            pub const ALL: [Self; 2] = [$(Self::$variant),+];

            /// Its symbol.
            #[must_use]
            pub const fn symbol(self) -> &'static str {
                match self {
                    $(Self::$variant => $symbol,)+
                }
            }
        }
    };
}

unit!(
    /// For lengths.
    LengthUnit {
        /// Millimetres.
        #[default]
        Millimetre = "mm",
        /// Inches.
        Inch = "in",
    }
);
unit!(
    /// For temperatures.
    TemperatureUnit {
        /// Degrees Celsius.
        #[default]
        Celsius = "°C",
        /// Degrees Fahrenheit.
        Fahrenheit = "°F",
    }
);
unit!(
    /// For flux densities.
    FluxUnit {
        /// Millitesla.
        #[default]
        Millitesla = "mT",
        /// Gauss.
        Gauss = "G",
    }
);
unit!(
    /// For weights.
    MassUnit {
        /// Grams.
        #[default]
        Gram = "g",
        /// Ounces.
        Ounce = "oz",
    }
);

/// Exact by definition.
const METRES_PER_FOOT: f64 = 0.3048;

/// What people read and type.
///
/// ```
/// use coil::quantity::{LengthUnit, Units};
/// let imperial = Units { length: LengthUnit::Inch, ..Units::default() };
/// assert_eq!(imperial.length(11.0, 2), "0.433 in");
/// assert_eq!(imperial.sentence("The flanges leave 2.54 mm."), "The flanges leave 0.1 in.");
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Units {
    /// Of lengths.
    pub length: LengthUnit,
    /// Of temperatures.
    pub temperature: TemperatureUnit,
    /// Of flux densities.
    pub flux: FluxUnit,
    /// Of weights.
    pub mass: MassUnit,
}

/// What can be shown in one of two units.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Measure {
    /// A length, in millimetres inside.
    Length,
    /// A temperature, in degrees Celsius inside.
    Temperature,
    /// A flux density, in millitesla inside.
    Flux,
    /// A weight, in grams inside.
    Mass,
    /// A length of wire, in metres inside; in feet where lengths are in inches.
    WireLength,
    /// Resistance by the length of wire, in ohms per metre inside; per foot where lengths are in inches.
    LinearResistance,
}

/// How the value inside becomes the one that is shown.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Conversion {
    /// The unit that is shown.
    pub symbol: &'static str,
    /// The unit inside, per unit as shown.
    pub per: f64,
    /// What is shown for nothing inside.
    pub offset: f64,
    /// Decimals that the shown unit needs beyond those of the unit inside, for the same fineness.
    more_decimals: i32,
}

impl Conversion {
    /// A unit of its own, that no workshop changes: `per` of the unit inside make one as shown.
    #[must_use]
    pub const fn own(symbol: &'static str, per: f64) -> Self {
        Self { symbol, per, offset: 0.0, more_decimals: 0 }
    }

    /// The value as shown.
    #[must_use]
    pub fn shown(&self, inside: f64) -> f64 {
        inside / self.per + self.offset
    }

    /// The value inside.
    #[must_use]
    pub fn inside(&self, shown: f64) -> f64 {
        (shown - self.offset) * self.per
    }

    /// How far a value inside may be off when it was read from one that was shown with so many decimals of the unit inside.
    #[must_use]
    pub fn rounding(&self, decimals: i32) -> f64 {
        if self.is_same() { 0.0 } else { 0.5 * self.per.abs() * 10_f64.powi(-decimals - self.more_decimals) }
    }

    /// Whether what is shown is what is inside.
    fn is_same(&self) -> bool {
        (self.per - 1.0).abs() < f64::EPSILON && self.offset.abs() < f64::EPSILON
    }

    /// The value as shown, without its unit; `decimals` are those of the unit inside.
    #[must_use]
    pub fn number(&self, inside: f64, decimals: usize) -> String {
        let decimals = decimals.saturating_add_signed(self.more_decimals as isize);
        unsigned_zero(fixed(self.shown(inside), decimals))
    }

    /// The value as a form's field shows it: up to four decimals, whatever the unit.
    #[must_use]
    pub fn field(&self, inside: f64) -> String {
        unsigned_zero(fixed(self.shown(inside), 4))
    }
}

fn unsigned_zero(text: String) -> String {
    if text == "-0" { "0".into() } else { text }
}

impl Units {
    /// How a measure is shown.
    #[must_use]
    pub const fn conversion(self, measure: Measure) -> Conversion {
        match measure {
            Measure::Length => match self.length {
                LengthUnit::Millimetre => Conversion::own("mm", 1.0),
                LengthUnit::Inch => Conversion { more_decimals: 1, ..Conversion::own("in", 25.4) },
            },
            Measure::WireLength => match self.length {
                LengthUnit::Millimetre => Conversion::own("m", 1.0),
                LengthUnit::Inch => Conversion::own("ft", METRES_PER_FOOT),
            },
            Measure::LinearResistance => match self.length {
                LengthUnit::Millimetre => Conversion::own("Ω/m", 1.0),
                LengthUnit::Inch => {
                    Conversion { more_decimals: 1, ..Conversion::own("Ω/ft", 1.0 / METRES_PER_FOOT) }
                }
            },
            Measure::Temperature => match self.temperature {
                TemperatureUnit::Celsius => Conversion::own("°C", 1.0),
                TemperatureUnit::Fahrenheit => {
                    Conversion { offset: 32.0, ..Conversion::own("°F", 1.0 / 1.8) }
                }
            },
            Measure::Flux => match self.flux {
                FluxUnit::Millitesla => Conversion::own("mT", 1.0),
                FluxUnit::Gauss => Conversion { more_decimals: -1, ..Conversion::own("G", 0.1) },
            },
            Measure::Mass => match self.mass {
                MassUnit::Gram => Conversion::own("g", 1.0),
                MassUnit::Ounce => Conversion { more_decimals: 2, ..Conversion::own("oz", 28.349_523_125) },
            },
        }
    }

    /// The unit of a measure.
    #[must_use]
    pub const fn symbol(self, measure: Measure) -> &'static str {
        self.conversion(measure).symbol
    }

    fn text(self, measure: Measure, inside: f64, decimals: usize) -> String {
        let conversion = self.conversion(measure);
        format!("{} {}", conversion.number(inside, decimals), conversion.symbol)
    }

    /// A length in millimetres, with its unit; `decimals` are those of millimetres.
    #[must_use]
    pub fn length(self, mm: f64, decimals: usize) -> String {
        self.text(Measure::Length, mm, decimals)
    }

    /// Lengths in millimetres that belong together, "62 × 12.7 × 3.2 mm".
    #[must_use]
    pub fn lengths(self, mm: &[f64], decimals: usize) -> String {
        let conversion = self.conversion(Measure::Length);
        let numbers: Vec<String> = mm.iter().map(|v| conversion.number(*v, decimals)).collect();
        format!("{} {}", numbers.join(" × "), conversion.symbol)
    }

    /// A length of wire in metres, with its unit, in whole units.
    #[must_use]
    pub fn wire_length(self, metres: f64) -> String {
        let conversion = self.conversion(Measure::WireLength);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to its range")]
        let shown = conversion.shown(metres).round().clamp(0.0, 1e12) as u64;
        format!("{} {}", grouped(shown), conversion.symbol)
    }

    /// A resistance in ohms per metre of wire, with its unit; `decimals` are those of ohms per metre.
    #[must_use]
    pub fn linear_resistance(self, ohm_per_m: f64, decimals: usize) -> String {
        self.text(Measure::LinearResistance, ohm_per_m, decimals)
    }

    /// A temperature in degrees Celsius, with its unit.
    #[must_use]
    pub fn temperature(self, celsius: f64, decimals: usize) -> String {
        self.text(Measure::Temperature, celsius, decimals)
    }

    /// A flux density in millitesla, with its unit; `decimals` are those of millitesla.
    #[must_use]
    pub fn flux(self, mt: f64, decimals: usize) -> String {
        self.text(Measure::Flux, mt, decimals)
    }

    /// A weight in grams, with its unit; `decimals` are those of grams.
    #[must_use]
    pub fn mass(self, grams: f64, decimals: usize) -> String {
        self.text(Measure::Mass, grams, decimals)
    }

    /// A value in the unit inside as a form's field shows it.
    #[must_use]
    pub fn field(self, measure: Measure, inside: f64) -> String {
        self.conversion(measure).field(inside)
    }

    /// Reads what was typed; a bare number is in the unit that is shown. The answer is in the unit inside.
    ///
    /// # Errors
    /// [`ParseQuantityError`] says what to type instead.
    pub fn read(self, measure: Measure, typed: &str) -> Result<f64, ParseQuantityError> {
        let bare = self.symbol(measure);
        match measure {
            Measure::Length => Length::parse_in(typed, bare).map(Length::mm),
            Measure::WireLength => Length::parse_in(typed, bare).map(Length::m),
            Measure::LinearResistance => {
                LinearResistance::parse_in(typed, bare).map(LinearResistance::ohm_per_m)
            }
            Measure::Temperature => Temperature::parse_in(typed, bare).map(Temperature::celsius),
            Measure::Flux => FluxDensity::parse_in(typed, bare).map(FluxDensity::mt),
            Measure::Mass => Mass::parse_in(typed, bare).map(Mass::g),
        }
    }

    /// A sentence whose quantities are in millimetres, degrees Celsius, millitesla or grams, with those in the units shown:
    /// every run of numbers before such a unit ("1.2 to 2.4 mm", "62 × 12.7 × 3.2 mm"). "At 20 °C" is the temperature of
    /// reference of a resistance (IEC 60028), and stays.
    #[must_use]
    pub fn sentence(self, text: &str) -> Cow<'_, str> {
        if self == Self::default() {
            return Cow::Borrowed(text);
        }
        let mut out = text.to_owned();
        for (symbol, measure) in [
            ("mm", Measure::Length),
            ("°C", Measure::Temperature),
            ("mT", Measure::Flux),
            ("g", Measure::Mass),
        ] {
            let conversion = self.conversion(measure);
            if conversion.symbol != symbol {
                out = convert(&out, symbol, &conversion);
            }
        }
        Cow::Owned(out)
    }
}

/// What may stand between the numbers of one quantity.
const BETWEEN: [&str; 5] = [" to ", " – ", " and ", " × ", " or "];

/// `text` with every number that stands before `symbol` converted.
fn convert(text: &str, symbol: &str, conversion: &Conversion) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = next_symbol(rest, symbol) {
        let before = &rest[..at];
        let (kept, numbers) = before.split_at(numbers_begin(before));
        out.push_str(kept);
        if numbers.is_empty() || is_reference_temperature(kept, numbers, symbol) {
            out.push_str(numbers);
            out.push_str(symbol);
        } else {
            out.push_str(&converted(numbers, conversion));
            out.push_str(conversion.symbol);
        }
        rest = &rest[at + symbol.len()..];
    }
    out.push_str(rest);
    out
}

/// Whether this is the temperature of reference.
fn is_reference_temperature(before: &str, numbers: &str, symbol: &str) -> bool {
    symbol == "°C" && numbers.trim() == "20" && before.to_lowercase().ends_with("at ")
}

/// Where the symbol stands next as a word of its own.
fn next_symbol(text: &str, symbol: &str) -> Option<usize> {
    text.match_indices(symbol).map(|(at, _)| at).find(|at| {
        let before = text[..*at].chars().next_back();
        let after = text[at + symbol.len()..].chars().next();
        before.is_some_and(|c| c == ' ' || c == '\u{a0}')
            && !after.is_some_and(|c| c.is_alphanumeric() || "²³/·".contains(c))
    })
}

fn is_of_number(c: char) -> bool {
    c.is_ascii_digit() || matches!(c, '.' | '-' | '−' | '+')
}

/// Where the numbers at the end of `text` begin; its length where there are none.
fn numbers_begin(text: &str) -> usize {
    let mut end = text.trim_end_matches([' ', '\u{a0}']).len();
    let mut begin = text.len();
    loop {
        let start = text[..end].trim_end_matches(is_of_number).len();
        if !text[start..end].contains(|c: char| c.is_ascii_digit()) {
            return begin;
        }
        begin = start;
        match BETWEEN.iter().find_map(|b| text[..start].strip_suffix(b)) {
            Some(shorter) => end = shorter.len(),
            None => return begin,
        }
    }
}

fn converted(numbers: &str, conversion: &Conversion) -> String {
    let mut out = String::new();
    let mut rest = numbers;
    while !rest.is_empty() {
        let end = rest.find(|c: char| !is_of_number(c)).unwrap_or(rest.len());
        let (token, after) = rest.split_at(end);
        match number(token, "") {
            Ok((value, "")) => {
                let decimals = token.split_once('.').map_or(0, |(_, d)| d.len());
                out.push_str(&conversion.number(value, decimals));
            }
            _ => out.push_str(token),
        }
        let next = after.find(is_of_number).unwrap_or(after.len());
        let (between, later) = after.split_at(next);
        out.push_str(between);
        rest = later;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const IMPERIAL: Units = Units {
        length: LengthUnit::Inch,
        temperature: TemperatureUnit::Fahrenheit,
        flux: FluxUnit::Gauss,
        mass: MassUnit::Ounce,
    };

    /// By definition: 25.4 mm to the inch, 28.349523125 g to the ounce, 1 G = 0.1 mT, 212 °F = 100 °C.
    #[rstest]
    #[case(Measure::Length, 25.4, 1.0)]
    #[case(Measure::Mass, 28.349_523_125, 1.0)]
    #[case(Measure::WireLength, 0.3048, 1.0)]
    #[case(Measure::LinearResistance, 3.280_839_895, 1.0)]
    #[case(Measure::Flux, 1.0, 10.0)]
    #[case(Measure::Temperature, 100.0, 212.0)]
    #[case(Measure::Temperature, -40.0, -40.0)]
    fn values_go_out_and_in(#[case] measure: Measure, #[case] inside: f64, #[case] shown: f64) {
        let conversion = IMPERIAL.conversion(measure);
        assert!((conversion.shown(inside) - shown).abs() < 1e-9);
        assert!((conversion.inside(shown) - inside).abs() < 1e-9);
        assert!((IMPERIAL.read(measure, &format!("{shown}")).unwrap() - inside).abs() < 1e-6);
    }

    #[test]
    fn a_unit_that_is_typed_wins() {
        assert!((IMPERIAL.read(Measure::Length, "17 mm").unwrap() - 17.0).abs() < 1e-9);
        assert!((Units::default().read(Measure::Length, "1 in").unwrap() - 25.4).abs() < 1e-9);
        assert!((IMPERIAL.read(Measure::Length, "3/8").unwrap() - 9.525).abs() < 1e-9);
        assert!((IMPERIAL.read(Measure::Flux, "-95 mT").unwrap() + 95.0).abs() < 1e-9);
    }

    #[rstest]
    #[case("The flanges leave 2.54 mm.", "The flanges leave 0.1 in.")]
    #[case("1.27 to 2.54 mm is usual.", "0.05 to 0.1 in is usual.")]
    #[case("a bar of 25.4 × 12.7 × 2.54 mm", "a bar of 1 × 0.5 × 0.1 in")]
    #[case("At 20 °C. In a room of 20 °C, at 25 °C", "At 20 °C. In a room of 68 °F, at 77 °F")]
    #[case("100\u{a0}mT", "1000\u{a0}G")]
    #[case("−95.5 mT", "-955 G")]
    #[case("3 coils of 10 g", "3 coils of 0.35 oz")]
    #[case("Pole 3 at 0.127 mm and 1.27 mm", "Pole 3 at 0.005 in and 0.05 in")]
    #[case("no mm here, 12 mm² there, 3 kg", "no mm here, 12 mm² there, 3 kg")]
    #[case("", "")]
    fn sentences_are_converted(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(IMPERIAL.sentence(text), expected);
        assert_eq!(Units::default().sentence(text), text);
    }
}
