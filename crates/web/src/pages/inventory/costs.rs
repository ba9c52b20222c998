//! What a pickup costs, and what it takes of each part.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::respond::{redirect, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::Units;
use presentation::field::Choice;
use presentation::format::{self, money};
use store::{DesignId, PartId};
use workshop::DesignCost;

#[derive(Template)]
#[template(path = "inventory/costs.html")]
struct CostsPage {
    frame: Frame,
    tab: &'static str,
    designs: Vec<Choice>,
    design: String,
    name: String,
    lines: Vec<(String, String, String)>,
    sum: String,
    missing: bool,
    /// Parts with how many one pickup takes, and how many pickups the stock will do for.
    parts: Vec<(u64, String, u32, String)>,
    enough: String,
    error: String,
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    costs_page(&app, &user, query.number("design").map(DesignId), "").await
}

/// The lines of a cost: what, how much, price.
fn lines(cost: &DesignCost, units: Units) -> Vec<(String, String, String)> {
    let price = |cost: Option<f64>| cost.map_or_else(|| "no price".into(), money);
    let wire = cost.wire.iter().map(|w| {
        let amount = format!("{} m, {}", format::turns(w.metres), units.mass(w.grams, 1));
        (format!("wire of coil {}, {}", w.coil, w.gauge), amount, price(w.cost))
    });
    let parts = cost.parts.iter().filter(|(_, count)| *count > 0).map(|(part, count)| {
        let sum = part.each_cost.map(|each| each * f64::from(*count));
        (part.name.clone(), count.to_string(), price(sum))
    });
    wire.chain(parts).collect()
}

async fn costs_page(
    app: &App,
    user: &CurrentUser,
    design: Option<DesignId>,
    error: &str,
) -> Result<HttpResponse, AppError> {
    let (designs, cost) = app.workshop.design_cost(&user.actor, design).await?;
    let mut page = CostsPage {
        frame: Frame::new(user, "inventory", "What a pickup costs"),
        tab: "costs",
        designs: designs.iter().map(|r| Choice::new(r.design_id.to_string(), r.name.clone())).collect(),
        design: String::new(),
        name: String::new(),
        lines: Vec::new(),
        sum: String::new(),
        missing: false,
        parts: Vec::new(),
        enough: String::new(),
        error: error.to_owned(),
    };
    if let Some(cost) = cost {
        let (sum, missing) = cost.total();
        page.design = cost.revision.design_id.to_string();
        page.name.clone_from(&cost.revision.name);
        page.lines = lines(&cost, user.settings.units);
        page.enough = cost.pickups_in_stock().map_or_else(String::new, |(n, part)| {
            format!("The stock suffices for {n} more; {part} runs out first.")
        });
        (page.sum, page.missing) = (money(sum), missing);
        page.parts = cost
            .parts
            .iter()
            .map(|(p, count)| (p.id.0, p.name.clone(), *count, format!("{} in stock", p.stock)))
            .collect();
    }
    render_page(&page, !error.is_empty())
}

/// What a form says of how many of each part a pickup takes; `None` where a count cannot be.
fn counts(form: &FormData) -> Option<Vec<(PartId, u32)>> {
    let parts = form.iter().filter_map(|(name, value)| {
        let id = name.strip_prefix("part-").and_then(|id| id.parse::<u64>().ok())?;
        let value = value.trim();
        let count = if value.is_empty() { Some(0) } else { value.parse::<u32>().ok() };
        Some(count.filter(|count| *count <= 1000).map(|count| (PartId(id), count)))
    });
    parts.collect()
}

/// Sets what one pickup of a design takes of each part.
pub(super) async fn update(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let design = form.id("design").map(DesignId).ok_or(AppError::NotFound("design"))?;
    let Some(counts) = counts(&form) else {
        return costs_page(&app, &user, Some(design), "A pickup takes 0 to 1,000 of a part.").await;
    };
    app.workshop.set_design_parts(&user.actor, design, &counts).await?;
    Ok(redirect(format!("/costs?design={design}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_are_read_or_refused_whole() {
        let form = |value: &str| FormData::from_iter([("part-3", value)]);
        assert_eq!(counts(&form("6")), Some(vec![(PartId(3), 6)]));
        assert_eq!(counts(&form("")), Some(vec![(PartId(3), 0)]));
        assert_eq!((counts(&form("-1")), counts(&form("2000"))), (None, None));
    }
}
