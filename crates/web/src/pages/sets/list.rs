//! The list of sets, and the import of one.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;
use store::pickup_set::PickupSetRow;
use store::{ClientKey, PickupSetId};
use workshop::{Refusal, SetDraft};

#[derive(Template)]
#[template(path = "sets/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    rows: Vec<ListRow>,
    has_designs: bool,
    q: String,
    by_name: bool,
    is_archived: bool,
    key: ClientKey,
    document: String,
    import_error: String,
}

struct ListRow {
    id: PickupSetId,
    name: String,
    pickups: String,
    positions: usize,
    trouble: String,
    when: String,
    by: String,
}

impl ListRow {
    fn from_row(row: PickupSetRow, draft: &SetDraft) -> Self {
        let mut order: Vec<_> = draft.pickups.iter().collect();
        order.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        Self {
            id: row.id,
            name: row.name,
            pickups: order.iter().map(|p| p.name.as_str()).collect::<Vec<_>>().join(", "),
            positions: draft.switch.len(),
            trouble: row.trouble,
            when: format::moment(row.changed_at),
            by: row.by,
        }
    }
}

async fn list_page(
    app: &App,
    user: &CurrentUser,
    query: &QueryParameters,
    refused: Option<(&FormData, String)>,
) -> Result<HttpResponse, AppError> {
    let is_archived = query.get("archived") == "yes";
    let (q, by_name) = (query.get("q").to_owned(), query.get("sort") == "name");
    let sets = app.workshop.pickup_sets(&user.actor, is_archived).await?;
    let words = q.to_lowercase();
    let mut rows: Vec<ListRow> =
        sets.into_iter().map(|(row, draft)| ListRow::from_row(row, &draft)).collect();
    rows.retain(|r| format!("{} {}", r.name, r.pickups).to_lowercase().contains(&words));
    if by_name {
        rows.sort_by_key(|r| r.name.to_lowercase());
    }
    let (form, import_error) = refused.map_or((None, String::new()), |(form, error)| (Some(form), error));
    let page = ListPage {
        frame: Frame::new(user, "sets", "Sets"),
        tab: "sets",
        rows,
        has_designs: !app.workshop.revisions_for_sets(&user.actor).await?.is_empty(),
        q,
        by_name,
        is_archived,
        key: ClientKey::random(),
        document: form.map_or_else(String::new, |f| f.untrimmed("document").to_owned()),
        import_error,
    };
    render_page(&page, !page.import_error.is_empty())
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    list_page(&app, &user, &query, None).await
}

pub(super) async fn import(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let read = coil::set::read(form.untrimmed("document"));
    let done = match read {
        Ok(set) => match app.workshop.import_set(&user.actor, &form.key()?, &set).await {
            Ok(id) => return Ok(redirect(format!("/sets/{id}"))),
            Err(Refusal::NotPredictable(problems)) => problems,
            Err(refusal) => return Err(refusal.into()),
        },
        Err(problems) => problems,
    };
    let words: Vec<String> =
        done.iter().take(5).map(|p| format!("{}: {}; {}.", p.at, p.text, p.try_)).collect();
    let query = QueryParameters::default();
    list_page(&app, &user, &query, Some((&form, words.join(" ")))).await
}
