//! Routes: one line each with its method, its path, what it asks of the caller, and its handler. The use cases decide for themselves
//! as well.

use actix_web::http::Method;
use std::collections::HashMap;
use workshop::Action;

/// What a route asks of the caller.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Access {
    /// Nothing: nobody is signed in yet, or it only ends a session.
    Open,
    /// Permission for an action.
    Signed(Action),
    /// The same, and a password that was typed within five minutes, so that a session left open gives nobody a lasting way in. It is
    /// refused at a shared station.
    Fresh(Action),
}

impl Access {
    /// The action that it needs permission for; `None` where it is open.
    pub fn action(self) -> Option<Action> {
        match self {
            Self::Open => None,
            Self::Signed(action) | Self::Fresh(action) => Some(action),
        }
    }
}

/// A route.
#[derive(Clone, Copy, Debug)]
pub struct Route {
    /// `GET` or `POST`.
    pub method: &'static str,
    /// Its path, with the names of its parts in braces.
    pub path: &'static str,
    /// What it asks of the caller.
    pub access: Access,
}

/// The routes of a module: `GET "/sets/{id}" [ReadDesigns] => show;`, with `[open]` and `[fresh ManagePeople]` as the other kinds of
/// access. Makes the function `routes`, which registers them, and the constant `TABLE`.
macro_rules! routes {
    (@access open) => { $crate::route_table::Access::Open };
    (@access fresh $action:ident) => { $crate::route_table::Access::Fresh(workshop::Action::$action) };
    (@access $action:ident) => { $crate::route_table::Access::Signed(workshop::Action::$action) };
    (@method GET) => { actix_web::web::get() };
    (@method POST) => { actix_web::web::post() };
    ($($method:ident $path:literal [$($access:ident)+] => $handler:expr;)+) => {
        /// What the routes ask of the caller.
        pub(super) const TABLE: &[$crate::route_table::Route] = &[$($crate::route_table::Route {
            method: stringify!($method),
            path: $path,
            access: routes!(@access $($access)+),
        }),+];

        /// Registers the routes.
        pub(super) fn routes(config: &mut actix_web::web::ServiceConfig) {
            config$(.route($path, routes!(@method $method).to($handler)))+;
        }
    };
}
pub(crate) use routes;

/// What all routes ask of the caller.
#[derive(Debug)]
pub(crate) struct RouteTable(HashMap<(&'static str, &'static str), Access>);

impl FromIterator<Route> for RouteTable {
    fn from_iter<I: IntoIterator<Item = Route>>(routes: I) -> Self {
        Self(routes.into_iter().map(|route| ((route.method, route.path), route.access)).collect())
    }
}

impl RouteTable {
    /// What a route asks for; `None` where there is none.
    pub(crate) fn access(&self, method: &Method, path: &str) -> Option<Access> {
        let method = if method == Method::HEAD { Method::GET.as_str() } else { method.as_str() };
        self.0.get(&(method, path)).copied()
    }

    /// Whether nobody has to be signed in for a route.
    pub(crate) fn is_open(&self, method: &Method, path: &str) -> bool {
        self.access(method, path) == Some(Access::Open)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_method_of_a_path_has_its_own_access() {
        let signed = Access::Signed(Action::ReadRuns);
        let table: RouteTable = [("GET", "/runs/{id}", signed), ("POST", "/sign-in", Access::Open)]
            .map(|(method, path, access)| Route { method, path, access })
            .into_iter()
            .collect();
        assert_eq!(table.access(&Method::GET, "/runs/{id}"), Some(signed));
        assert_eq!(table.access(&Method::HEAD, "/runs/{id}"), Some(signed));
        assert_eq!(table.access(&Method::POST, "/runs/{id}"), None);
        assert_eq!(table.access(&Method::GET, "/runs/7"), None, "paths are patterns");
        assert!(table.is_open(&Method::POST, "/sign-in") && !table.is_open(&Method::GET, "/sign-in"));
    }
}
