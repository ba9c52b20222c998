//! The list of designs.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::Word as _;
use coil::design::Format;
use serde::Deserialize;
use store::design::{DesignFilter, DesignOrder, RevisionRow};

/// Orders of the list, as the address and as people name them.
const ORDERS: &[(&str, &str)] = &[
    ("", "newest first"),
    ("name", "by name"),
    ("resistance", "highest resistance first"),
    ("inductance", "highest inductance first"),
];

#[derive(Template, WebTemplate)]
#[template(path = "designs/list.html")]
pub(super) struct ListPage {
    frame: Frame,
    rows: Vec<RevisionRow>,
    query: ListQuery,
    kinds: Vec<(&'static str, &'static str)>,
    tags: Vec<String>,
}

/// What the address asks for.
#[derive(Clone, Debug, Default, Deserialize)]
pub(super) struct ListQuery {
    #[serde(default)]
    q: String,
    #[serde(default)]
    sort: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    tag: String,
    /// `yes` for archived ones.
    #[serde(default)]
    archived: String,
}

impl ListQuery {
    fn filter(&self) -> DesignFilter {
        DesignFilter {
            search: self.q.clone(),
            tag: self.tag.clone(),
            kind: self.kind.parse().ok(),
            archived: self.archived == "yes",
            order: match self.sort.as_str() {
                "name" => DesignOrder::Name,
                "resistance" => DesignOrder::Resistance,
                "inductance" => DesignOrder::Inductance,
                _ => DesignOrder::Newest,
            },
        }
    }

    /// Whether anything is left out.
    fn is_narrowed(&self) -> bool {
        !(self.q.is_empty() && self.tag.is_empty() && self.kind.is_empty() && self.archived.is_empty())
    }
}

/// The newest revision of every design that the address asks for.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<ListQuery>,
) -> Result<ListPage, AppError> {
    let query = query.into_inner();
    Ok(ListPage {
        frame: Frame::new(&user, "designs", "Designs"),
        rows: app.workshop.designs(&user.actor, &query.filter()).await?,
        kinds: Format::ALL.iter().map(|k| (k.word(), k.name())).collect(),
        tags: app.workshop.tags(&user.actor).await?,
        query,
    })
}
