//! Sets: pickups under the same strings, on one switch.

mod changes;
mod compare;
mod edit;
mod figures;
mod form;
mod list;
mod outcome;
mod page;
mod partner;
mod partner_fields;
mod search;
mod set_up;
mod share;

use crate::route_table::routes;

routes! {
    GET "/sets" [ReadDesigns] => list::show;
    POST "/sets" [ChangeDesigns] => edit::save_new;
    GET "/sets/new" [ChangeDesigns] => edit::new;
    GET "/sets/compare" [ReadDesigns] => compare::show;
    POST "/sets/preview" [ReadDesigns] => edit::preview;
    POST "/sets/audition" [ReadDesigns] => edit::audition;
    POST "/sets/import" [ChangeDesigns] => list::import;
    POST "/sets/search" [ReadDesigns] => search::begin;
    GET "/sets/search/{name}" [ReadDesigns] => search::progress;
    GET "/sets/{id}" [ReadDesigns] => edit::show;
    POST "/sets/{id}" [ChangeDesigns] => edit::save;
    POST "/sets/{id}/archive" [ChangeDesigns] => edit::archive;
    POST "/sets/{id}/partner" [ChangeDesigns] => partner::make;
    POST "/sets/{id}/balance" [ChangeDesigns] => changes::balance;
    POST "/sets/{id}/moves" [ChangeDesigns] => search::apply;
    POST "/sets/{id}/mend" [ChangeDesigns] => changes::mend;
    POST "/sets/{id}/undo" [ChangeDesigns] => changes::undo;
    POST "/sets/{id}/runs" [Wind] => changes::runs;
    GET "/sets/{id}/set.json" [ReadDesigns] => edit::export;
    GET "/sets/{id}/set-up" [ReadRuns] => set_up::show;
    GET "/sets/{id}/share" [ChangeDesigns] => share::show;
}
