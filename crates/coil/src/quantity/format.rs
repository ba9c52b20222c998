//! Writing what people read.

/// `value` with `digits` significant figures and no exponent, trailing zeros kept: a reading of
/// 5.80 says more than one of 5.8.
///
/// ```
/// use coil::quantity::significant;
/// assert_eq!(significant(5.8234, 3), "5.82");
/// assert_eq!(significant(12_345.0, 3), "12345");
/// assert_eq!(significant(0.004_567, 2), "0.0046");
/// ```
#[must_use]
pub fn significant(value: f64, digits: u32) -> String {
    if value == 0.0 || !value.is_finite() {
        return if value == 0.0 { "0".into() } else { "–".into() };
    }
    #[allow(clippy::cast_possible_truncation, reason = "a decimal exponent is within ±308")]
    let exponent = value.abs().log10().floor() as i32;
    let decimals = (digits.cast_signed() - 1 - exponent).max(0);
    let text = format!("{value:.*}", decimals.unsigned_abs() as usize);
    // 9.9996 at four figures rounds to 10.000: one decimal too many.
    if text.chars().filter(char::is_ascii_digit).count()
        > digits as usize + usize::from(text.trim_start_matches('-').starts_with("0."))
        && decimals > 0
        && value.abs() >= 1.0
    {
        return format!("{value:.*}", (decimals - 1).unsigned_abs() as usize);
    }
    text
}

/// `value` with at most `decimals` decimals and no trailing zeros: for form fields.
///
/// ```
/// use coil::quantity::fixed;
/// assert_eq!(fixed(2.400, 3), "2.4");
/// assert_eq!(fixed(11.0, 2), "11");
/// ```
#[must_use]
pub fn fixed(value: f64, decimals: usize) -> String {
    let text = format!("{value:.decimals$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

/// A whole number with thousands set apart by a thin blank: `7 500` reads well and no locale takes it
/// for a decimal.
///
/// ```
/// use coil::quantity::grouped;
/// assert_eq!(grouped(7_500), "7500");
/// assert_eq!(grouped(14_800), "14\u{202f}800");
/// ```
#[must_use]
pub fn grouped(value: u64) -> String {
    let digits = value.to_string();
    if digits.len() <= 4 {
        return digits;
    }
    let mut out = String::with_capacity(digits.len() + 4);
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push('\u{202f}');
        }
        out.push(c);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(6.1512, 4, "6.151")]
    #[case(5.8, 3, "5.80")]
    #[case(9.9996, 4, "10.00")]
    #[case(0.021_34, 3, "0.0213")]
    #[case(12_345.6, 3, "12346")]
    #[case(-2.25, 3, "-2.25")]
    #[case(0.0, 3, "0")]
    #[case(f64::NAN, 3, "–")]
    fn significant_figures(#[case] value: f64, #[case] digits: u32, #[case] text: &str) {
        assert_eq!(significant(value, digits), text);
    }

    #[test]
    fn fields_and_counts() {
        assert_eq!(fixed(17.0, 3), "17");
        assert_eq!(fixed(9.520, 3), "9.52");
        assert_eq!(fixed(100.0, 0), "100");
        assert_eq!(grouped(7500), "7500");
        assert_eq!(grouped(12_345), "12\u{202f}345");
    }
}
