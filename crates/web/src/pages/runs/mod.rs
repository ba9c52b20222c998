//! Winding runs: starting one, its traveller, the station, readings, the verdict.

mod assembly;
mod log_form;
mod log_row;
mod machine;
mod measure;
mod page;
mod paper;
mod paste;
mod readings;
mod start;
mod station;
mod traveller;
mod traveller_form;

use crate::route_table::routes;
use store::ClientKey;

routes! {
    POST "/runs" [Wind] => start::start;
    GET "/runs/new" [Wind] => start::new;
    GET "/runs/{id}" [ReadRuns] => page::show;
    POST "/runs/{id}/judge" [ChangeAnalysis] => page::judge_again;
    POST "/runs/{id}/readings" [Wind] => readings::log;
    POST "/runs/{id}/sign" [Wind] => traveller::sign;
    GET "/runs/{id}/station" [Wind] => station::show;
    GET "/runs/{id}/live" [Wind] => station::live;
    POST "/runs/{id}/void" [Wind] => page::void;
    POST "/runs/{id}/assemble" [Wind] => assembly::assemble;
    POST "/runs/{id}/events" [Wind] => station::log_event;
    POST "/runs/{id}/winder" [Wind] => station::command;
    POST "/winder-stop" [open] => station::stop;
    GET "/runs/{id}/section" [ReadRuns] => station::section;
    POST "/runs/{id}/read" [Wind] => measure::read;
    POST "/runs/{id}/cooling" [Wind] => measure::cooling;
    GET "/runs/{id}/guide.{form:gcode|csv}" [Wind] => machine::guide;
    POST "/runs/{id}/counter" [Wind] => machine::import;
    GET "/runs/{id}/paper" [ReadRuns] => paper::show;
    GET "/travellers" [ReadRuns] => traveller_form::show;
    POST "/travellers" [ChangeTravellers] => traveller_form::save;
}

/// A key for a form that is sent by a button alone.
pub(super) fn fresh_key() -> ClientKey {
    ClientKey::random()
}
