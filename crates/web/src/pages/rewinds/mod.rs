//! The rewind desk: pickups that are examined, what they were, and how they are brought back.

mod changes;
mod curve;
mod diagnosis;
mod files;
mod form;
mod list;
mod page;
mod ranking;
mod restore;

use crate::route_table::routes;

routes! {
    GET "/rewinds" [ReadDesigns] => list::show;
    POST "/rewinds" [ChangeDesigns] => page::save_new;
    GET "/rewinds/new" [ChangeDesigns] => page::new;
    POST "/rewinds/preview" [ReadDesigns] => page::preview;
    POST "/rewinds/curve" [ReadDesigns] => curve::fit;
    POST "/rewinds/import" [ChangeDesigns] => files::import;
    GET "/rewinds/{id}" [ReadDesigns] => page::show;
    POST "/rewinds/{id}" [ChangeDesigns] => page::save;
    POST "/rewinds/{id}/archive" [ChangeDesigns] => changes::archive;
    POST "/rewinds/{id}/choose" [ChangeDesigns] => changes::choose;
    POST "/rewinds/{id}/answer" [ChangeDesigns] => changes::answer;
    POST "/rewinds/{id}/restore" [ChangeDesigns] => restore::restore;
    POST "/rewinds/{id}/copy" [ChangeDesigns] => restore::copy;
    GET "/rewinds/{id}/findings.json" [ReadDesigns] => files::export;
}
