//! Search for words in rows: inside of words too, in any script, and phrases in quotes.
//!
//! A full-text index finds words by their beginnings. It is given every ending of every word, so that it finds what stands inside a
//! word as the beginning of one of its endings.

use crate::{RunId, Store, StoreError};
use sqlx::{MySql, MySqlConnection, QueryBuilder};
use std::collections::BTreeSet;

/// Shortest piece that the index holds, letters: the server's own least.
const SHORTEST: usize = 3;
/// Longest piece that the index holds, letters; what is searched for beyond is looked for in the words themselves.
const LONGEST: usize = 20;
/// Most letters of the pieces of a row.
const MOST_LETTERS: usize = 60_000;
/// Rows that are given their pieces at once, where an older version wrote none.
const AT_ONCE: u32 = 500;

/// Words that MariaDB's full-text index leaves out (the default list of InnoDB).
const STOPWORDS: [&str; 36] = [
    "a", "about", "an", "are", "as", "at", "be", "by", "com", "de", "en", "for", "from", "how", "i", "in",
    "is", "it", "la", "of", "on", "or", "that", "the", "this", "to", "was", "what", "when", "where", "who",
    "will", "with", "und", "the", "www",
];

/// What the index holds of a text: every ending of every word, each once.
///
/// ```
/// use store::word_search::pieces;
/// assert_eq!(pieces("Seam, seam"), "eam seam");
/// ```
#[must_use]
pub fn pieces(text: &str) -> String {
    let mut all: BTreeSet<String> = BTreeSet::new();
    for word in text.to_lowercase().split(|c: char| !c.is_alphanumeric()) {
        let letters: Vec<char> = word.chars().collect();
        for from in 0..(letters.len() + 1).saturating_sub(SHORTEST) {
            all.insert(letters[from..].iter().take(LONGEST).collect());
        }
    }
    let mut out = String::new();
    for piece in all {
        if out.len() + piece.len() >= MOST_LETTERS {
            break;
        }
        if !out.is_empty() {
            out.push(' ');
        }
        out.push_str(&piece);
    }
    out
}

/// What somebody searches for: words, and phrases in quotes, in small letters.
fn terms(query: &str) -> Vec<String> {
    let mut all = Vec::new();
    for (k, part) in query.to_lowercase().split(['"', '“', '”', '„']).enumerate() {
        if k % 2 == 1 && !part.trim().is_empty() {
            all.push(part.split_whitespace().collect::<Vec<_>>().join(" "));
        } else {
            all.extend(part.split_whitespace().map(str::to_owned));
        }
    }
    all
}

/// How words are looked up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Lookup {
    /// By the index: best for words that few rows have.
    Index,
    /// Row by row in the list's own order, until there are enough: best for words that many rows have.
    InOrder,
}

/// Writes the conditions that all terms of a query hold in the words of the rows called `l`, read row by row.
pub(crate) fn conditions_in_order(words: &str, query: &mut QueryBuilder<MySql>) {
    for term in terms(words) {
        query.push(" AND LOCATE(").push_bind(term).push(", l.words) > 0");
    }
}

/// Writes the conditions that all terms of a query hold in the rows called `l`.
pub(crate) fn conditions(words: &str, query: &mut QueryBuilder<MySql>) {
    let mut indexed: BTreeSet<String> = BTreeSet::new();
    for term in terms(words) {
        let mut is_found_by_index = false;
        for word in term.split(|c: char| !c.is_alphanumeric()) {
            let letters = word.chars().count();
            if letters >= SHORTEST && !STOPWORDS.contains(&word) {
                indexed.insert(format!("+{}*", word.chars().take(LONGEST).collect::<String>()));
                is_found_by_index |= word == term && letters <= LONGEST;
            }
        }
        if !is_found_by_index {
            query.push(" AND LOCATE(").push_bind(term).push(", l.words) > 0");
        }
    }
    if !indexed.is_empty() {
        let all = indexed.into_iter().collect::<Vec<_>>().join(" ");
        query.push(" AND MATCH(l.suffixes) AGAINST (").push_bind(all).push(" IN BOOLEAN MODE)");
    }
}

/// Writes the pieces of a row of the logbook, as its words are now.
pub(crate) async fn write_pieces(connection: &mut MySqlConnection, run: RunId) -> Result<(), StoreError> {
    let words: Option<String> = sqlx::query_scalar("SELECT words FROM logbook WHERE run_id = ?")
        .bind(run)
        .fetch_optional(&mut *connection)
        .await?;
    sqlx::query("UPDATE logbook SET suffixes = ? WHERE run_id = ?")
        .bind(pieces(&words.unwrap_or_default()))
        .bind(run)
        .execute(&mut *connection)
        .await?;
    Ok(())
}

impl Store {
    /// Gives rows of the logbook that an older version wrote what a search needs; returns how many there were. Called again until there
    /// are none.
    pub async fn fill_word_search(&self) -> Result<u64, StoreError> {
        let rows: Vec<(RunId, String)> =
            sqlx::query_as("SELECT run_id, words FROM logbook WHERE suffixes IS NULL LIMIT ?")
                .bind(AT_ONCE)
                .fetch_all(&self.pool)
                .await?;
        let mut tx = self.pool.begin().await?;
        for (run, words) in &rows {
            sqlx::query("UPDATE logbook SET suffixes = ? WHERE run_id = ? AND suffixes IS NULL")
                .bind(pieces(words))
                .bind(run)
                .execute(&mut *tx)
                .await?;
        }
        tx.commit().await?;
        Ok(rows.len() as u64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Whatever stands inside a word is the beginning of a piece.
    #[rstest]
    #[case("Drahtbruch", "bruch")]
    #[case("磁石を着磁する", "着磁す")]
    #[case("tape-seam", "seam")]
    #[case("a very-long-compound-of-words-without-end", "compound")]
    fn what_is_inside_a_word_begins_a_piece(#[case] text: &str, #[case] inside: &str) {
        assert!(pieces(text).split(' ').any(|piece| piece.starts_with(inside)), "{}", pieces(text));
    }

    #[rstest]
    #[case("", &[])]
    #[case("Seam  tape", &["seam", "tape"])]
    #[case("loose \"Start  lead\" red", &["loose", "start lead", "red"])]
    #[case("„Naht offen“ rot", &["naht offen", "rot"])]
    #[case("\"", &[])]
    fn phrases_are_in_quotes(#[case] query: &str, #[case] expected: &[&str]) {
        assert_eq!(terms(query), expected);
    }

    #[test]
    fn a_long_text_has_only_so_many_pieces() {
        let text: String = (0..20_000).map(|k| format!("word{k} ")).collect();
        assert!(pieces(&text).len() <= MOST_LETTERS);
        assert_eq!(pieces("on a"), "");
    }
}
