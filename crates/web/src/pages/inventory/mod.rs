//! Inventory: spools, parts, and what a pickup costs.

mod costs;
mod parts;
mod spool;
mod spools;

use crate::route_table::routes;

routes! {
    GET "/spools" [ReadStock] => spools::show;
    POST "/spools" [ChangeStock] => spools::add;
    GET "/spools/{id}" [ReadStock] => spool::show;
    POST "/spools/{id}" [ChangeStock] => spool::update;
    POST "/spools/{id}/checks" [ChangeStock] => spool::check;
    GET "/parts" [ReadStock] => parts::show;
    POST "/parts" [ChangeStock] => parts::add;
    POST "/parts/{id}" [ChangeStock] => parts::update;
    POST "/parts/{id}/moves" [ChangeStock] => parts::move_stock;
    GET "/costs" [ReadDesigns] => costs::show;
    POST "/costs" [ChangeDesigns] => costs::update;
    POST "/runs/{id}/parts" [Wind] => parts::move_for_run;
}
