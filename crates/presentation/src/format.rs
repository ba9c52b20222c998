//! Numbers and dates as people read them.

use coil::prediction::Quantity;
use coil::quantity::{Measure, Units, grouped, significant};
use std::borrow::Borrow;
use time::PrimitiveDateTime;
use time::macros::format_description;

/// How a quantity is shown: its unit, the factor from SI and the figures worth showing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scale {
    /// Unit.
    pub unit: &'static str,
    factor: f64,
    digits: u32,
}

/// Kiloohms.
pub const KILOOHM: Scale = Scale { unit: "kΩ", factor: 1e-3, digits: 3 };
/// Henries.
pub const HENRY: Scale = Scale { unit: "H", factor: 1.0, digits: 3 };
/// Picofarads.
pub const PICOFARAD: Scale = Scale { unit: "pF", factor: 1e12, digits: 2 };
/// Kilohertz.
pub const KILOHERTZ: Scale = Scale { unit: "kHz", factor: 1e-3, digits: 3 };
/// Metres.
pub const METRE: Scale = Scale { unit: "m", factor: 1.0, digits: 3 };

/// Per cent, of ratios.
pub const PERCENT: Scale = Scale { unit: "%", factor: 100.0, digits: 3 };

/// Decibels.
pub const DECIBEL: Scale = Scale { unit: "dB", factor: 1.0, digits: 2 };
/// Millivolts, of values in millivolts.
pub const MILLIVOLT: Scale = Scale { unit: "mV", factor: 1.0, digits: 3 };

/// A number as templates hand it over: by value or by reference, whole or not.
pub trait Number {
    /// The value.
    fn value(&self) -> f64;
}

impl Number for f64 {
    fn value(&self) -> f64 {
        *self
    }
}

impl Number for u32 {
    fn value(&self) -> f64 {
        f64::from(*self)
    }
}

impl Number for u64 {
    fn value(&self) -> f64 {
        *self as f64
    }
}

impl Number for usize {
    fn value(&self) -> f64 {
        *self as f64
    }
}

impl<T: Number> Number for &T {
    fn value(&self) -> f64 {
        (**self).value()
    }
}

impl Scale {
    /// Of lengths in metres.
    pub fn length(units: Units) -> Self {
        let conversion = units.conversion(Measure::Length);
        Self { unit: conversion.symbol, factor: 1e3 / conversion.per, digits: 3 }
    }

    /// Of flux densities in tesla.
    pub fn flux(units: Units) -> Self {
        let conversion = units.conversion(Measure::Flux);
        Self { unit: conversion.symbol, factor: 1e3 / conversion.per, digits: 3 }
    }

    /// The same with one figure more, for measured values.
    #[must_use]
    pub fn finer(self) -> Self {
        Self { digits: self.digits + 1, ..self }
    }

    /// The value in this unit.
    pub fn scaled(self, si: f64) -> f64 {
        si * self.factor
    }

    /// A bare number in this unit.
    pub fn number(self, si: f64) -> String {
        significant(si * self.factor, self.digits)
    }

    /// A number with its unit.
    pub fn text(self, si: impl Number) -> String {
        format!("{}\u{a0}{}", self.number(si.value()), self.unit)
    }

    /// "5.62 – 6.04"
    pub fn band(self, q: &Quantity) -> String {
        format!("{} – {}", self.number(q.p05), self.number(q.p95))
    }
}

/// A number with its sign; what rounds to nothing has none.
pub fn signed(value: f64, decimals: usize) -> String {
    let text = format!("{value:+.decimals$}");
    let is_zero = text.chars().all(|c| matches!(c, '+' | '-' | '0' | '.'));
    if is_zero { text[1..].to_owned() } else { text.replace('-', "−") }
}

/// A ratio less one as a signed per cent: "+1.3 %".
pub fn signed_percent(ratio: f64, decimals: usize) -> String {
    format!("{} %", signed(ratio * 100.0, decimals))
}

/// A change in the logarithm as a signed per cent.
pub fn signed_percent_of_ln(ln: f64, decimals: usize) -> String {
    signed_percent(ln.exp_m1(), decimals)
}

/// A signed level: "+1.5 dB".
pub fn signed_db(db: f64, decimals: usize) -> String {
    format!("{} dB", signed(db, decimals))
}

/// Two coils cancel no more hum than this, dB: alike on paper, they differ by about 1 % once they are wound.
const MOST_REJECTION_DB: f64 = 40.0;

/// How much hum is rejected: "23 dB", and "over 40 dB" of coils that are equal on paper.
pub fn rejection(db: f64) -> String {
    if db > MOST_REJECTION_DB {
        format!("over {MOST_REJECTION_DB:.0}\u{a0}dB")
    } else {
        format!("{db:.0}\u{a0}dB")
    }
}

/// A sum of money in the workshop's currency.
pub fn money(value: f64) -> String {
    format!("{value:.2}")
}

/// "1 run", "12 runs".
pub fn counted(count: impl Number, one: &str) -> String {
    let count = count.value();
    format!("{} {one}{}", turns(count), if (count - 1.0).abs() < 0.5 { "" } else { "s" })
}

/// A number for a table cell, without trailing zeros.
pub fn plain(value: impl Number, decimals: usize) -> String {
    coil::quantity::fixed(value.value(), decimals)
}

/// A count of turns.
pub fn turns(count: impl Number) -> String {
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a count, clamped to its range"
    )]
    grouped(count.value().round().clamp(0.0, 1e9) as u64)
}

/// "2026-11-24 03:14", in the order that every language reads (ISO 8601); stored and shown in UTC until the page's script
/// turns it into local time.
pub fn moment(at: impl Borrow<PrimitiveDateTime>) -> String {
    let form = format_description!("[year]-[month]-[day] [hour]:[minute]");
    at.borrow().format(form).unwrap_or_default()
}

/// For machines: `2026-11-24T03:14:00Z`.
pub fn iso(at: impl Borrow<PrimitiveDateTime>) -> String {
    let form = format_description!("[year]-[month]-[day]T[hour]:[minute]:[second]Z");
    at.borrow().format(form).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn numbers_carry_their_unit_and_figures() {
        assert_eq!(KILOOHM.text(6151.2), "6.15\u{a0}kΩ");
        assert_eq!(KILOOHM.finer().text(6151.2), "6.151\u{a0}kΩ");
        assert_eq!(PICOFARAD.text(4.35e-11), "44\u{a0}pF");
        assert_eq!(KILOHERTZ.band(&Quantity { nominal: 4300.0, p05: 4226.0, p95: 4458.0 }), "4.23 – 4.46");
        assert_eq!(turns(7500_u32), "7500");
        assert_eq!(turns(14_800.4), "14\u{202f}800");
        assert_eq!(plain(0.0734, 4), "0.0734");
    }

    #[test]
    fn moments_for_people_and_machines() {
        let at = datetime!(2026-11-24 03:14:15);
        assert_eq!(moment(at), "2026-11-24 03:14");
        assert_eq!(iso(at), "2026-11-24T03:14:15Z");
    }
}
