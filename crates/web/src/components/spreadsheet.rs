//! Text in tables that spreadsheets open.

/// Text that a spreadsheet would take for a formula gets a mark before it.
pub(crate) fn unformulated(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text.to_owned() }
}

#[cfg(test)]
mod tests {
    #[test]
    fn no_cell_becomes_a_formula() {
        assert_eq!(super::unformulated("=1+1"), "'=1+1");
        assert_eq!(super::unformulated("Reed"), "Reed");
    }
}
