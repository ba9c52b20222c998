//! The list of designs.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::layout::Frame;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::design::Kind;
use serde::Deserialize;
use store::design::{DesignFilter, DesignOrder, RevisionRow};

#[derive(Template, WebTemplate)]
#[template(path = "designs/list.html")]
pub struct ListPage {
    frame: Frame,
    rows: Vec<RevisionRow>,
    asked: Query,
    kinds: Vec<(String, &'static str)>,
    tags: Vec<String>,
}

/// What the address asks for.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Query {
    #[serde(default)]
    q: String,
    #[serde(default)]
    sort: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    tag: String,
    /// `away` for those that were put away.
    #[serde(default)]
    shelf: String,
}

impl Query {
    fn filter(&self) -> DesignFilter {
        DesignFilter {
            search: self.q.clone(),
            tag: self.tag.clone(),
            kind: self.kind.clone(),
            archived: self.shelf == "away",
            order: match self.sort.as_str() {
                "name" => DesignOrder::Name,
                "resistance" => DesignOrder::Resistance,
                "inductance" => DesignOrder::Inductance,
                _ => DesignOrder::Newest,
            },
        }
    }

    /// Whether anything is left out.
    fn narrows(&self) -> bool {
        !(self.q.is_empty() && self.tag.is_empty() && self.kind.is_empty() && self.shelf.is_empty())
    }
}

/// The newest revision of every design asked for.
pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Query>,
) -> Result<ListPage, AppError> {
    let asked = query.into_inner();
    Ok(ListPage {
        frame: Frame::new(&user, "designs", "Designs"),
        rows: app.store.of(user.workshop()).designs(&asked.filter()).await?,
        kinds: Kind::ALL.iter().map(|k| (super::word_of(*k), k.name())).collect(),
        tags: app.store.of(user.workshop()).tags().await?,
        asked,
    })
}
