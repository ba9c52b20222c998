//! What the owner decides: people, shared stations, and who changed what.

mod audit;
mod backups;
mod people;
mod policy_reports;
mod settings;
mod stations;
mod unreadable;

use crate::route_table::routes;

routes! {
    GET "/people" [ManagePeople] => people::show;
    POST "/people" [fresh ManagePeople] => people::invite;
    POST "/people/{id}/role" [fresh ManagePeople] => people::set_role;
    POST "/people/{id}/link" [fresh ManagePeople] => people::link;
    POST "/people/{id}/second-factor" [fresh ManagePeople] => people::reset_second_factor;
    POST "/people/{id}/{change:disable|enable|anonymise}" [fresh ManagePeople] => people::change;
    GET "/stations" [ManageSettings] => stations::show;
    POST "/stations" [fresh ManageSettings] => stations::add;
    POST "/stations/{id}/retire" [ManageSettings] => stations::retire;
    GET "/backups" [BackUp] => backups::show;
    POST "/backups" [BackUp] => backups::begin;
    GET "/backups/{name}" [BackUp] => backups::download;
    POST "/backups/{name}/verify" [BackUp] => backups::verify;
    GET "/settings" [ManageSettings] => settings::show;
    POST "/settings" [ManageSettings] => settings::save;
    GET "/audit" [ReadAudit] => audit::show;
    GET "/policy-reports" [ReadAudit] => policy_reports::show;
    POST "/policy-report" [open] => policy_reports::take;
    GET "/unreadable" [ChangeDesigns] => unreadable::show;
    GET "/unreadable/{kind}/{id}/document.txt" [ChangeDesigns] => unreadable::export;
    POST "/unreadable/{kind}/{id}/delete" [ChangeDesigns] => unreadable::delete;
}
