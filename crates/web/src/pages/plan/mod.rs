//! The day and the week: what is done next, by whom, and why then.

mod day;
mod deeds;
mod feed;
mod figures;
mod gantt;
mod hour_fields;
mod hours;
mod week;

use crate::route_table::routes;

routes! {
    GET "/day" [ReadRuns] => day::show;
    POST "/day/begin" [Wind] => deeds::begin;
    POST "/day/lay-down" [Wind] => deeds::lay_down;
    POST "/day/pin" [Wind] => deeds::pin;
    POST "/day/outages" [Wind] => deeds::report;
    POST "/day/outages/{id}/end" [Wind] => deeds::there_again;
    POST "/day/seen" [Wind] => deeds::seen;
    GET "/shop-figures" [ReadOrders] => figures::show;
    GET "/week" [ReadRuns] => week::show;
    POST "/week/hours" [ManageSettings] => hours::save;
    POST "/week/hours/person" [ManageSettings] => hours::save_of_person;
    POST "/week/feeds" [fresh ReadRuns] => feed::make;
    POST "/week/feeds/{id}/end" [ReadRuns] => feed::end;
    GET "/calendar.ics" [open] => feed::show;
}
