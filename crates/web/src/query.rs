//! The query of a page's address, and links that change one thing and keep the rest.

use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::future::{Ready, ready};

/// The parameters of an address, in order; a name may come more than once.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct QueryParameters(pub Vec<(String, String)>);

impl FromRequest for QueryParameters {
    type Error = actix_web::Error;
    type Future = Ready<Result<Self, Self::Error>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let pairs = web::Query::<Vec<(String, String)>>::from_query(request.query_string());
        ready(pairs.map(|pairs| Self(pairs.into_inner())).map_err(Into::into))
    }
}

impl QueryParameters {
    /// The first value of a name, trimmed; empty when absent.
    pub(crate) fn get(&self, name: &str) -> &str {
        self.0.iter().find(|(n, _)| n == name).map_or("", |(_, v)| v.trim())
    }

    /// All values of a name.
    pub(crate) fn all<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        self.0.iter().filter(move |(n, _)| n == name).map(|(_, v)| v.trim())
    }

    /// A number, where there is one.
    pub(crate) fn number(&self, name: &str) -> Option<u64> {
        self.get(name).parse().ok()
    }

    /// The address of `path` with one name set anew, or taken out when the value is empty.
    pub(crate) fn link(&self, path: &str, name: &str, value: &str) -> String {
        self.links(path, &[(name, value)])
    }

    /// The same with several.
    pub(crate) fn links(&self, path: &str, set: &[(&str, &str)]) -> String {
        let kept = self.0.iter().filter(|(n, v)| !v.is_empty() && !set.iter().any(|(name, _)| n == name));
        let mut pairs: Vec<(&str, &str)> = kept.map(|(n, v)| (n.as_str(), v.as_str())).collect();
        pairs.extend(set.iter().filter(|(_, v)| !v.is_empty()));
        if pairs.is_empty() {
            return path.to_owned();
        }
        format!("{path}?{}", serde_urlencoded::to_string(pairs).unwrap_or_default())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_changes_one_thing_and_keeps_the_rest() {
        let query = QueryParameters(
            [("q", "thick & thin"), ("col", "r"), ("col", "l"), ("page", "3"), ("to", "")]
                .map(|(n, v)| (n.to_owned(), v.to_owned()))
                .to_vec(),
        );
        assert_eq!(query.link("/logbook", "page", ""), "/logbook?q=thick+%26+thin&col=r&col=l");
        assert_eq!(query.links("/x", &[("page", "4"), ("col", "")]), "/x?q=thick+%26+thin&page=4");
        assert_eq!(QueryParameters::default().link("/logbook", "q", ""), "/logbook");
        assert_eq!(query.all("col").collect::<Vec<_>>(), ["r", "l"]);
    }
}
