//! Other names, and deleting what nothing depends on.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::outcome;
use crate::respond::redirect;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::{Handler, HttpResponse, web};
use store::deletion::Deletable;
use store::{PartId, RevisionId, SpoolId};

/// Longest name, letters.
const LONGEST_NAME: usize = 120;
const RENAMED: &str = "Renamed.";

/// A kind of thing: where its pages are, what it is, and the list that remains.
type Pages = (&'static str, Deletable, &'static str);

routes! {
    POST "/revisions/{id}/delete" [ChangeDesigns] => post(("revisions", Deletable::Revision, "/designs"));
    POST "/spools/{id}/delete" [ChangeStock] => post(("spools", Deletable::Spool, "/spools"));
    POST "/parts/{id}/delete" [ChangeStock] => post(("parts", Deletable::Part, "/parts"));
    POST "/instruments/{id}/delete" [ChangeInstruments] => post(("instruments", Deletable::Instrument, "/instruments"));
    POST "/sets/{id}/delete" [ChangeDesigns] => post(("sets", Deletable::PickupSet, "/sets"));
    POST "/rewinds/{id}/delete" [ChangeDesigns] => post(("rewinds", Deletable::Rewind, "/rewinds"));
    POST "/experiments/{id}/delete" [ChangeAnalysis] => post(("experiments", Deletable::Experiment, "/experiments"));
    POST "/orders/{id}/delete" [ChangeOrders] => post(("orders", Deletable::Order, "/orders"));
    POST "/spools/{id}/name" [ChangeStock] => post_name(Renamed::Spool);
    POST "/parts/{id}/name" [ChangeStock] => post_name(Renamed::Part);
    POST "/revisions/{id}/name" [ChangeDesigns] => rename_design;
}

/// What a handler here takes.
type Arguments = (web::Data<App>, CurrentUser, Session, web::Path<u64>, FormData);

fn post(pages: Pages) -> impl Handler<Arguments, Output = Result<HttpResponse, AppError>> {
    move |app, user, session, id, form| delete(app, user, session, id, form, pages)
}

fn post_name(what: Renamed) -> impl Handler<Arguments, Output = Result<HttpResponse, AppError>> {
    move |app, user, session, id, form| rename(app, user, session, id, form, what)
}

async fn delete(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _form: FormData,
    (pages, what, list): Pages,
) -> Result<HttpResponse, AppError> {
    let deleted = app.workshop.delete(&user.actor, what, *id).await;
    // Parts have no page of their own.
    let is_left = deleted.is_err() && what != Deletable::Part;
    let page = if is_left { format!("/{pages}/{id}") } else { list.to_owned() };
    outcome::tell(&session, page, deleted.map(|()| "Deleted."))
}

/// The name that was typed; what is wrong with it is told on the next page.
fn name_of<'f>(form: &'f FormData, session: &Session) -> Option<&'f str> {
    let name = form.get("name");
    let is_name = !name.is_empty() && name.chars().count() <= LONGEST_NAME;
    if !is_name {
        flash::put(session, FlashKind::NotDone, "Not renamed: a name has 1 to 120 letters.");
    }
    is_name.then_some(name)
}

/// Something that has its name beside its other data, and is renamed in place.
#[derive(Clone, Copy)]
enum Renamed {
    Spool,
    Part,
}

async fn rename(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
    what: Renamed,
) -> Result<HttpResponse, AppError> {
    let page = match what {
        Renamed::Spool => format!("/spools/{id}"),
        // Parts have no page of their own.
        Renamed::Part => "/parts".to_owned(),
    };
    let Some(name) = name_of(&form, &session) else { return Ok(redirect(page)) };
    let done = match what {
        Renamed::Spool => app.workshop.rename_spool(&user.actor, SpoolId(*id), name).await,
        Renamed::Part => app.workshop.rename_part(&user.actor, PartId(*id), name).await,
    };
    outcome::tell(&session, page, done.map(|()| RENAMED))
}

async fn rename_design(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let page = format!("/revisions/{id}");
    let Some(name) = name_of(&form, &session) else { return Ok(redirect(page)) };
    match app.workshop.rename_design(&user.actor, RevisionId(*id), form.key()?, name).await {
        Ok(next) => Ok(outcome::done(&session, format!("/revisions/{next}"), RENAMED)),
        Err(refusal) => Ok(outcome::not_done(&session, page, outcome::reason(refusal, "")?)),
    }
}
