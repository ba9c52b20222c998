//! Text in tables that spreadsheets open.

/// What spreadsheets take for the beginning of a formula, also in the wide forms of East Asian writing.
const BEGINNINGS: [char; 8] = ['=', '+', '-', '@', '＝', '＋', '－', '＠'];

/// Text that a spreadsheet would take for a formula gets a mark before it: blanks, byte order marks and other invisible
/// characters before it do not hide one.
///
/// ```
/// use presentation::spreadsheet::unformulated;
/// assert_eq!(unformulated("=1+1"), "'=1+1");
/// assert_eq!(unformulated("Sedge - neck"), "Sedge - neck");
/// ```
#[must_use]
pub fn unformulated(text: &str) -> String {
    let is_passed_over = |c: char| {
        c.is_whitespace() || c.is_control() || matches!(c, '\u{feff}' | '\u{200b}'..='\u{200f}' | '\u{2060}')
    };
    let begins = text.trim_start_matches(is_passed_over).starts_with(BEGINNINGS);
    if begins || text.starts_with(['\t', '\r', '\n']) { format!("'{text}") } else { text.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::unformulated;
    use rstest::rstest;

    #[rstest]
    #[case("=1+1")]
    #[case("@sum(a1)")]
    #[case("\u{feff}=1+1")]
    #[case("  =1+1")]
    #[case("\u{200b}+1")]
    #[case("＝1+1")]
    #[case("－2")]
    #[case("\tx")]
    fn no_cell_becomes_a_formula(#[case] text: &str) {
        assert_eq!(unformulated(text), format!("'{text}"));
    }

    #[rstest]
    #[case("5.8")]
    #[case("Sedge, neck")]
    #[case("")]
    #[case("run 3 = good")]
    fn other_cells_stay_as_they_are(#[case] text: &str) {
        assert_eq!(unformulated(text), text);
    }
}
