//! Orders: the list, one order, and what prints of it.

mod form;
mod list;
mod page;
mod paper;

use crate::route_table::routes;

routes! {
    GET "/orders" [ReadOrders] => list::show;
    POST "/orders" [ChangeOrders] => page::save_new;
    GET "/orders/new" [ChangeOrders] => page::new;
    POST "/orders/promise" [ReadOrders] => page::promise;
    GET "/orders/{id}" [ReadOrders] => page::show;
    POST "/orders/{id}" [ChangeOrders] => page::save;
    GET "/orders/{id}/paper" [ReadOrders] => paper::show;
}
