//! Quantities: one newtype each, SI inside, units only at the edge.
//!
//! One parser reads what people type (`"0.66in"`, `"17 mm"`, `"5.8k"`, `"73 F"`), one formatter
//! writes what people read.

mod format;
mod parse;
mod units;

pub use format::{fixed, grouped, significant};
pub use parse::{ParseQuantity, ParseQuantityError, number};
pub use units::{Conversion, FluxUnit, LengthUnit, MassUnit, Measure, TemperatureUnit, Units};

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident, $($(#[$cdoc:meta])* $from:ident / $get:ident = $factor:expr;)+) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd)]
        pub struct $name(f64);

        impl $name {
            $(
                $(#[$cdoc])*
                #[must_use]
                pub const fn $from(value: f64) -> Self { Self(value * $factor) }
                $(#[$cdoc])*
                #[must_use]
                pub const fn $get(self) -> f64 { self.0 / $factor }
            )+
        }
    };
}

quantity!(
    /// A length, stored in metres.
    Length,
    /// In metres.
    from_m / m = 1.0;
    /// In millimetres.
    from_mm / mm = 1e-3;
    /// In inches (25.4 mm exactly).
    from_inches / inches = 25.4e-3;
    /// In feet (12 inches).
    from_feet / feet = 0.3048;
);
quantity!(
    /// Electrical resistance, stored in ohms.
    Resistance,
    /// In ohms.
    from_ohms / ohms = 1.0;
    /// In kiloohms.
    from_kiloohms / kiloohms = 1e3;
);
quantity!(
    /// Resistance of wire by its length, stored in ohms per metre.
    LinearResistance,
    /// In ohms per metre.
    from_ohm_per_m / ohm_per_m = 1.0;
    /// In ohms per foot (0.3048 m exactly).
    from_ohm_per_foot / ohm_per_foot = 1.0 / 0.3048;
);
quantity!(
    /// Inductance, stored in henries.
    Inductance,
    /// In henries.
    from_henries / henries = 1.0;
);
quantity!(
    /// Capacitance, stored in farads.
    Capacitance,
    /// In farads.
    from_farads / farads = 1.0;
    /// In picofarads.
    from_picofarads / picofarads = 1e-12;
    /// In nanofarads.
    from_nanofarads / nanofarads = 1e-9;
);
quantity!(
    /// Frequency, stored in hertz.
    Frequency,
    /// In hertz.
    from_hz / hz = 1.0;
    /// In kilohertz.
    from_khz / khz = 1e3;
);
quantity!(
    /// Magnetic flux density, stored in tesla; the sign is the polarity.
    FluxDensity,
    /// In tesla.
    from_tesla / tesla = 1.0;
    /// In millitesla.
    from_mt / mt = 1e-3;
    /// In gauss.
    from_gauss / gauss = 1e-4;
);
quantity!(
    /// Mass, stored in kilograms.
    Mass,
    /// In kilograms.
    from_kg / kg = 1.0;
    /// In grams.
    from_g / g = 1e-3;
);
quantity!(
    /// Pull on the wire, stored in newtons.
    Tension,
    /// In newtons.
    from_newtons / newtons = 1.0;
    /// In grams-force (9.80665 mN).
    from_grams_force / grams_force = 9.806_65e-3;
);
quantity!(
    /// A fraction of one, such as fill or charge.
    Fraction,
    /// As a ratio.
    from_ratio / ratio = 1.0;
    /// In per cent.
    from_percent / percent = 1e-2;
);

/// Temperature, stored in degrees Celsius: the trade reads Celsius or Fahrenheit and never needs an
/// absolute zero here.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
pub struct Temperature(f64);

impl Temperature {
    /// From degrees Celsius.
    #[must_use]
    pub const fn from_celsius(value: f64) -> Self {
        Self(value)
    }
    /// From degrees Fahrenheit.
    #[must_use]
    pub const fn from_fahrenheit(value: f64) -> Self {
        Self((value - 32.0) / 1.8)
    }
    /// In degrees Celsius.
    #[must_use]
    pub const fn celsius(self) -> f64 {
        self.0
    }
}

/// A count of turns.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Turns(pub u32);
