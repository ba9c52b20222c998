//! Lists of values in statements.

use sqlx::{Encode, MySql, QueryBuilder, Type};

/// Writes `column IN (…)` with every value bound; of no values what no row fulfils.
pub(crate) fn push_in<T>(query: &mut QueryBuilder<MySql>, column: &str, values: impl IntoIterator<Item = T>)
where
    T: for<'t> Encode<'t, MySql> + Type<MySql>,
{
    let mut values = values.into_iter();
    let Some(first) = values.next() else {
        query.push("FALSE");
        return;
    };
    query.push(column).push(" IN (").push_bind(first);
    for value in values {
        query.push(", ").push_bind(value);
    }
    query.push(")");
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(&[], "SELECT FALSE")]
    #[case(&[7], "SELECT id IN (?)")]
    #[case(&[7, 8, 9], "SELECT id IN (?, ?, ?)")]
    fn every_value_is_bound(#[case] values: &[u64], #[case] expected: &str) {
        let mut query = QueryBuilder::new("SELECT ");
        push_in(&mut query, "id", values.iter().copied());
        assert_eq!(query.sql().as_str(), expected);
    }
}
