//! Designs: the list, the workbench, revisions, the search, listening.

mod assumptions;
mod audition;
mod formats;
mod list;
mod maps;
mod meter_table;
mod posted_sheet;
mod preview;
mod preview_answer;
mod revision;
mod revision_forms;
mod search;
mod search_results;
mod sensitivity;
mod share;
mod sheet_step;
mod spools;
mod view;
mod workbench;

use crate::route_table::routes;

routes! {
    GET "/designs" [ReadDesigns] => list::show;
    POST "/designs" [ChangeDesigns] => workbench::save_new;
    GET "/designs/new" [ChangeDesigns] => formats::new;
    POST "/designs/preview" [ReadDesigns] => preview_answer::preview;
    POST "/designs/sensitivity" [ReadDesigns] => sensitivity::table;
    POST "/designs/assumptions" [ReadDesigns] => assumptions::table;
    POST "/designs/maps" [ReadDesigns] => maps::maps;
    POST "/designs/audition" [ReadDesigns] => audition::sound;
    POST "/designs/import" [ChangeDesigns] => formats::import;
    POST "/designs/search" [ReadDesigns] => search::begin;
    GET "/designs/search/{name}" [ReadDesigns] => search_results::progress;
    GET "/revisions/{id}/duplicate" [ChangeDesigns] => workbench::duplicate;
    POST "/revisions/{id}/vary" [ChangeDesigns] => revision_forms::vary;
    POST "/revisions/{id}/restore" [ChangeDesigns] => revision_forms::restore;
    POST "/revisions/{id}/label" [ChangeDesigns] => revision_forms::label;
    POST "/revisions/{id}/sweeps" [ChangeDesigns] => revision_forms::add_sweep;
    GET "/revisions/{id}/share" [ChangeDesigns] => share::show;
    GET "/revisions/{id}" [ReadDesigns] => revision::show;
    POST "/revisions/{id}" [ChangeDesigns] => workbench::save_next;
    GET "/revisions/{id}/edit" [ChangeDesigns] => workbench::edit;
    GET "/revisions/{id}/design.json" [ReadDesigns] => revision::export;
}
