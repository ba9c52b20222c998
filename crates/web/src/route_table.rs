//! What each route asks of whoever calls it. The use cases decide for themselves as well; a route that is not in the table is open
//! to nobody.

use actix_web::http::Method;
use workshop::Action;

/// Routes where nobody is signed in, or that only end a session.
const OPEN: &[&str] = &[
    "GET /sign-in",
    "POST /sign-in",
    "GET /setup",
    "POST /setup",
    "POST /sign-out",
    "POST /password-strength",
    "POST /policy-report",
    "POST /sign-in/passkey",
    "POST /sign-in/passkey/begin",
    "GET /sign-in/provider",
    "GET /sign-in/provider/back",
    "GET /sign-in/code",
    "POST /sign-in/code",
    "GET /welcome/{token}",
    "POST /welcome/{token}",
    "GET /station",
    "POST /station/enrol",
    "POST /station/stand",
    "POST /station/leave",
    "POST /winder-stop",
    "GET /calendar.ics",
];

/// What takes a password that was typed within five minutes, so that a session left open gives nobody a lasting way in. At a
/// shared station nobody does it.
const FRESH: &[&str] = &[
    "POST /account/pin",
    "POST /account/password",
    "POST /account/second-factor",
    "POST /account/second-factor/remove",
    "POST /account/passkeys",
    "POST /account/passkeys/new",
    "POST /account/passkeys/{id}/remove",
    "POST /account/provider",
    "POST /account/provider/remove",
    "POST /week/feeds",
    "POST /people",
    "POST /people/{id}/role",
    "POST /people/{id}/link",
    "POST /people/{id}/second-factor",
    "POST /people/{id}/{change:disable|enable|anonymise}",
    "POST /stations",
];

/// What a route asks for, by its method and its pattern.
const ROUTES: &[(Action, &[&str])] = &[
    (
        Action::OwnAccount,
        &[
            "GET /account",
            "GET /account/data.json",
            "POST /account/password",
            "POST /account/pin",
            "GET /account/second-factor",
            "POST /account/second-factor",
            "POST /account/second-factor/remove",
            "POST /account/passkeys",
            "POST /account/passkeys/new",
            "POST /account/passkeys/{id}/remove",
            "POST /account/provider",
            "POST /account/provider/remove",
            "POST /account/sessions/others",
            "POST /account/sessions/{id}",
        ],
    ),
    (
        Action::ReadRuns,
        &[
            "GET /",
            "GET /runs/{id}",
            "GET /runs/{id}/paper",
            "GET /photos/{id}",
            "GET /photos/{id}/small",
            "GET /runs/{id}/section",
            "GET /travellers",
            "GET /day",
            "GET /timers.json",
            "POST /week/feeds",
            "POST /week/feeds/{id}/end",
            "GET /week",
            "GET /logbook",
            "GET /logbook.csv",
            "GET /logbook.json",
            "GET /jobs/{name}",
            "POST /jobs/{name}/cancel",
        ],
    ),
    (
        Action::Wind,
        &[
            "POST /runs",
            "GET /runs/new",
            "POST /runs/{id}/readings",
            "POST /runs/{id}/sign",
            "GET /runs/{id}/station",
            "GET /runs/{id}/live",
            "POST /runs/{id}/void",
            "POST /runs/{id}/assemble",
            "POST /runs/{id}/events",
            "POST /runs/{id}/winder",
            "POST /runs/{id}/read",
            "POST /runs/{id}/cooling",
            "GET /runs/{id}/guide.{form:gcode|csv}",
            "POST /runs/{id}/counter",
            "POST /runs/{id}/parts",
            "POST /sets/{id}/runs",
            "POST /photos",
            "POST /photos/{id}/remove",
            "POST /photos/{id}/put-back",
            "POST /day/begin",
            "POST /day/lay-down",
            "POST /day/pin",
            "POST /day/outages",
            "POST /day/outages/{id}/end",
            "POST /day/seen",
            "POST /timers",
            "POST /timers/{id}/end",
            "POST /instruments/{id}/test",
        ],
    ),
    (Action::ReadStock, &["GET /spools", "GET /spools/{id}", "GET /parts"]),
    (
        Action::ChangeStock,
        &[
            "POST /spools",
            "POST /spools/{id}",
            "POST /spools/{id}/checks",
            "POST /spools/{id}/name",
            "POST /spools/{id}/delete",
            "POST /parts",
            "POST /parts/{id}",
            "POST /parts/{id}/moves",
            "POST /parts/{id}/name",
            "POST /parts/{id}/delete",
        ],
    ),
    (Action::ReadInstruments, &["GET /instruments"]),
    (
        Action::ChangeInstruments,
        &[
            "POST /instruments",
            "GET /instruments/{id}/edit",
            "POST /instruments/{id}",
            "GET /instruments/{id}/machine",
            "POST /instruments/{id}/machine",
            "POST /instruments/{id}/shown",
            "POST /instruments/{id}/retire",
            "POST /instruments/{id}/delete",
            "POST /instruments/{id}/bench",
        ],
    ),
    (
        Action::ReadDesigns,
        &[
            "GET /designs",
            "POST /designs/preview",
            "POST /designs/sensitivity",
            "POST /designs/matters",
            "POST /designs/maps",
            "POST /designs/audition",
            "POST /designs/search",
            "GET /designs/search/{name}",
            "GET /revisions/{id}",
            "GET /revisions/{id}/design.json",
            "GET /compare",
            "GET /compare.csv",
            "GET /costs",
            "GET /sets",
            "GET /rewinds",
            "GET /rewinds/{id}",
            "GET /rewinds/{id}/findings.json",
            "POST /rewinds/preview",
            "POST /rewinds/curve",
            "GET /sets/{id}",
            "GET /sets/{id}/set.json",
            "GET /sets/{id}/set-up",
            "GET /sets/compare",
            "POST /sets/preview",
            "POST /sets/audition",
            "POST /sets/search",
            "GET /sets/search/{name}",
        ],
    ),
    (
        Action::ChangeDesigns,
        &[
            "POST /designs",
            "GET /designs/new",
            "POST /designs/import",
            "GET /unreadable",
            "GET /unreadable/{kind}/{id}/document.txt",
            "POST /unreadable/{kind}/{id}/delete",
            "POST /revisions/{id}",
            "GET /revisions/{id}/edit",
            "GET /revisions/{id}/duplicate",
            "GET /revisions/{id}/share",
            "POST /revisions/{id}/vary",
            "POST /revisions/{id}/name",
            "POST /revisions/{id}/delete",
            "POST /revisions/{id}/restore",
            "POST /revisions/{id}/label",
            "POST /revisions/{id}/sweeps",
            "POST /costs",
            "GET /sets/new",
            "GET /rewinds/new",
            "POST /rewinds",
            "POST /rewinds/import",
            "POST /rewinds/{id}",
            "POST /rewinds/{id}/archive",
            "POST /rewinds/{id}/delete",
            "POST /rewinds/{id}/choose",
            "POST /rewinds/{id}/answer",
            "POST /rewinds/{id}/restore",
            "POST /rewinds/{id}/copy",
            "GET /sets/{id}/share",
            "POST /sets",
            "POST /sets/import",
            "POST /sets/{id}",
            "POST /sets/{id}/archive",
            "POST /sets/{id}/delete",
            "POST /sets/{id}/partner",
            "POST /sets/{id}/balance",
            "POST /sets/{id}/mend",
            "POST /sets/{id}/moves",
        ],
    ),
    (
        Action::ReadOrders,
        &[
            "GET /shop-figures",
            "GET /orders",
            "GET /orders/{id}",
            "GET /orders/{id}/paper",
            "POST /orders/promise",
        ],
    ),
    (
        Action::ChangeOrders,
        &["GET /orders/new", "POST /orders", "POST /orders/{id}", "POST /orders/{id}/delete"],
    ),
    (
        Action::ReadAnalysis,
        &[
            "GET /consistency",
            "GET /causes",
            "GET /calibration",
            "GET /calibration/rejudge/{job}",
            "GET /matching",
            "GET /experiments",
            "GET /experiments/{id}",
        ],
    ),
    (
        Action::ChangeAnalysis,
        &[
            "POST /runs/{id}/judge",
            "POST /calibration",
            "POST /calibration/switch",
            "POST /calibration/design",
            "POST /calibration/rejudge",
            "POST /matched-sets",
            "POST /matched-sets/{id}/dissolve",
            "POST /matched-sets/{id}/sold",
            "POST /experiments",
            "POST /experiments/{id}/close",
            "POST /experiments/{id}/delete",
            "POST /experiments/{id}/listen",
            "POST /experiments/{id}/listen/{listening}",
            "POST /experiments/{id}/listen/{listening}/key",
        ],
    ),
    (Action::ChangeTravellers, &["POST /travellers"]),
    (Action::ImportRuns, &["GET /logbook/import", "POST /logbook/import", "GET /logbook/import/{job}"]),
    (
        Action::ManagePeople,
        &[
            "GET /people",
            "POST /people",
            "POST /people/{id}/role",
            "POST /people/{id}/link",
            "POST /people/{id}/second-factor",
            "POST /people/{id}/{change:disable|enable|anonymise}",
        ],
    ),
    (
        Action::ManageSettings,
        &[
            "POST /week/hours",
            "POST /week/hours/person",
            "GET /settings",
            "POST /settings",
            "GET /stations",
            "POST /stations",
            "POST /stations/{id}/retire",
            "POST /instruments/networks",
            "POST /instruments/networks/{id}/remove",
        ],
    ),
    (Action::ReadAudit, &["GET /audit", "GET /policy-reports"]),
    (
        Action::BackUp,
        &["GET /backups", "POST /backups", "GET /backups/{name}", "POST /backups/{name}/verify"],
    ),
];

/// Whether an entry of the tables is this route.
fn is_route(entry: &str, method: &Method, pattern: &str) -> bool {
    let method = if method == Method::HEAD { &Method::GET } else { method };
    entry.split_once(' ').is_some_and(|(m, p)| m == method.as_str() && p == pattern)
}

/// What a route asks for; `None` where it is not in the table.
pub(crate) fn action_of(method: &Method, pattern: &str) -> Option<Action> {
    let holds = |routes: &[&str]| routes.iter().any(|entry| is_route(entry, method, pattern));
    ROUTES.iter().find(|(_, routes)| holds(routes)).map(|(action, _)| *action)
}

/// Whether a route takes a password that was typed just now.
pub(crate) fn is_fresh(method: &Method, pattern: &str) -> bool {
    FRESH.iter().any(|entry| is_route(entry, method, pattern))
}

/// Whether nobody has to be signed in for a route.
pub(crate) fn is_open(method: &Method, pattern: &str) -> bool {
    OPEN.iter().any(|entry| is_route(entry, method, pattern))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_route_stands_in_the_table_once_and_nothing_else_is_open() {
        let mut all: Vec<&str> = ROUTES.iter().flat_map(|(_, routes)| routes.iter().copied()).collect();
        let count = all.len();
        all.sort_unstable();
        all.dedup();
        assert_eq!(all.len(), count);
        let unknown = FRESH.iter().filter(|entry| !all.contains(entry)).collect::<Vec<_>>();
        assert!(unknown.is_empty(), "{unknown:?}");
        assert_eq!(action_of(&Method::GET, "/runs/{id}"), Some(Action::ReadRuns));
        assert_eq!(action_of(&Method::POST, "/runs/{id}"), None);
        assert_eq!(action_of(&Method::DELETE, "/runs/{id}"), None);
    }
}
