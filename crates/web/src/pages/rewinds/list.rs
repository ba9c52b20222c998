//! The list of examined pickups.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::format;
use store::rewind::{Purpose, RewindRow, RewindState};
use store::{ClientKey, RewindId};

#[derive(Template)]
#[template(path = "rewinds/list.html")]
pub(super) struct ListPage {
    frame: Frame,
    rows: Vec<ListRow>,
    tags: Vec<String>,
    q: String,
    tag: String,
    state: String,
    by_name: bool,
    is_archived: bool,
    key: ClientKey,
    document: String,
    import_error: String,
}

struct ListRow {
    id: RewindId,
    name: String,
    purpose: &'static str,
    conclusion: String,
    state: &'static str,
    tags: Vec<String>,
    when: String,
    by: String,
}

fn state_words(state: RewindState) -> &'static str {
    match state {
        RewindState::Open => "being measured",
        RewindState::Explained => "explained",
        RewindState::Designed => "design made",
        RewindState::Left => "left as it is",
    }
}

impl ListRow {
    fn from_row(row: RewindRow) -> Self {
        Self {
            id: row.id,
            purpose: if row.purpose.0 == Purpose::Model { "model" } else { "rewind" },
            conclusion: row.conclusion,
            state: state_words(row.state.0),
            tags: row.tags.split(", ").filter(|t| !t.is_empty()).map(str::to_owned).collect(),
            when: format::moment(row.changed_at),
            by: row.by,
            name: row.name,
        }
    }
}

/// The list; with the text of an import that was refused, and why.
pub(super) async fn list_page(
    app: &App,
    user: &CurrentUser,
    query: &QueryParameters,
    refused: Option<(String, String)>,
) -> Result<HttpResponse, AppError> {
    let is_archived = query.get("archived") == "yes";
    let all = app.workshop.rewinds(&user.actor, is_archived).await?;
    let mut rows: Vec<ListRow> = all.into_iter().map(ListRow::from_row).collect();
    let mut tags: Vec<String> = rows.iter().flat_map(|r| r.tags.iter().cloned()).collect();
    tags.sort();
    tags.dedup();
    let (q, tag, state) =
        (query.get("q").to_owned(), query.get("tag").to_owned(), query.get("state").to_owned());
    let words = q.to_lowercase();
    rows.retain(|r| {
        format!("{} {} {}", r.name, r.conclusion, r.tags.join(" ")).to_lowercase().contains(&words)
            && (tag.is_empty() || r.tags.contains(&tag))
            && (state.is_empty() || r.state == state || r.purpose == state)
    });
    let by_name = query.get("sort") == "name";
    if by_name {
        rows.sort_by_key(|r| r.name.to_lowercase());
    }
    let (document, import_error) = refused.unwrap_or_default();
    let page = ListPage {
        frame: Frame::new(user, "rewinds", "Rewinds"),
        rows,
        tags,
        q,
        tag,
        state,
        by_name,
        is_archived,
        key: ClientKey::random(),
        document,
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
