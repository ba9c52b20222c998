//! How numbers are written in tables that spreadsheets open, and read back.

use serde::{Deserialize, Serialize};

/// How a table separates its columns and writes its decimals.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum SpreadsheetFormat {
    /// A decimal point, columns separated by commas (RFC 4180).
    #[default]
    Point,
    /// A decimal comma, columns separated by semicolons.
    Comma,
}

impl SpreadsheetFormat {
    /// What separates the columns.
    #[must_use]
    pub const fn delimiter(self) -> u8 {
        match self {
            Self::Point => b',',
            Self::Comma => b';',
        }
    }

    /// A number that was written with a decimal point, as this table has it.
    ///
    /// ```
    /// use trade::spreadsheet::SpreadsheetFormat;
    /// assert_eq!(SpreadsheetFormat::Comma.number("5.75"), "5,75");
    /// ```
    #[must_use]
    pub fn number(self, pointed: &str) -> String {
        match self {
            Self::Point => pointed.to_owned(),
            Self::Comma => pointed.replace('.', ","),
        }
    }
}

/// A cell of a table whose columns are separated by semicolons: its one comma, before digits alone, is a decimal comma.
#[must_use]
pub fn pointed(cell: &str) -> String {
    let is_decimal = match cell.split_once(',') {
        Some((before, after)) => {
            !after.contains([',', '.'])
                && !before.contains('.')
                && after.starts_with(|c: char| c.is_ascii_digit())
        }
        None => false,
    };
    if is_decimal { cell.replace(',', ".") } else { cell.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("575,123", "575.123")]
    #[case("4,4e-11", "4.4e-11")]
    #[case("5,75k", "5.75k")]
    #[case("1,234,567", "1,234,567")]
    #[case("1,234.5", "1,234.5")]
    #[case("open", "open")]
    fn a_comma_is_a_decimal_comma_where_columns_have_semicolons(#[case] cell: &str, #[case] read: &str) {
        assert_eq!(pointed(cell), read);
    }
}
