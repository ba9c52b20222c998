//! The logbook: every run, its export, and importing runs.

mod export;
mod filter;
mod import;
mod page;

use crate::route_table::routes;

routes! {
    GET "/logbook" [ReadRuns] => page::show;
    GET "/logbook.csv" [ReadRuns] => export::csv;
    GET "/logbook.json" [ReadRuns] => export::json;
    GET "/logbook/import" [ImportRuns] => import::show;
    POST "/logbook/import" [ImportRuns] => import::check;
    GET "/logbook/import/{job}" [ImportRuns] => import::progress;
}
