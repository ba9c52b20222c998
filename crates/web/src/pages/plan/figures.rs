//! Figures of the shop.

use crate::app::App;
use crate::components::frame::Frame;
use crate::components::supply::supply_words;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use store::order::OrderState;
use workshop::ShopFigures;

/// Orders that left, as the page shows them.
const MOST_KEPT: usize = 20;

struct KeptRow {
    id: u64,
    number: u32,
    promised: String,
    gone: String,
    days: i64,
}

struct OperationRow {
    name: String,
    count: usize,
    own: String,
    usual: String,
}

#[derive(Template)]
#[template(path = "plan/figures.html")]
struct FiguresPage {
    frame: Frame,
    tab: &'static str,
    sums: Vec<(&'static str, String)>,
    kept: Vec<KeptRow>,
    operations: Vec<OperationRow>,
    in_progress: Vec<(String, usize)>,
    purchases: Vec<(String, String)>,
}

fn page(frame: Frame, figures: &ShopFigures) -> FiguresPage {
    let promises = figures.promises();
    let minutes = |m: Option<u32>| m.map_or_else(|| "–".to_owned(), |m| m.to_string());
    let orders = |state| figures.orders.get(&state).copied().unwrap_or_default().to_string();
    FiguresPage {
        frame,
        tab: "figures",
        sums: vec![
            (
                "Promises kept",
                promises.map_or_else(
                    || "none yet".to_owned(),
                    |(share, _)| format!("{:.0} % of {}", 100.0 * share, figures.kept.len()),
                ),
            ),
            (
                "Late ones, median",
                promises.and_then(|p| p.1).map_or_else(|| "–".to_owned(), |days| format!("{days} days")),
            ),
            ("Orders asked", orders(OrderState::Asked)),
            ("Agreed", orders(OrderState::Agreed)),
            ("In work", orders(OrderState::InWork)),
            ("Ready", orders(OrderState::Ready)),
        ],
        kept: figures
            .kept
            .iter()
            .take(MOST_KEPT)
            .map(|k| KeptRow {
                id: k.order.0,
                number: k.number,
                promised: k.promised_on.to_string(),
                gone: k.gone_on.to_string(),
                days: k.days_late(),
            })
            .collect(),
        operations: figures
            .operations
            .iter()
            .map(|o| OperationRow {
                name: o.name.clone(),
                count: o.count,
                own: minutes(o.own_minutes),
                usual: minutes(o.usual_minutes),
            })
            .collect(),
        in_progress: figures.in_progress.clone(),
        purchases: figures.purchases.iter().map(|(supply, amount)| supply_words(supply, *amount)).collect(),
    }
}

/// The page.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let figures = app.workshop.shop_figures(&user.actor).await?;
    render_page(&page(Frame::new(&user, "plan", "Figures of the shop"), &figures), false)
}
