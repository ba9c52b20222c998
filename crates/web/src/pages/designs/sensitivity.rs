//! What each adjustment changes: a table that is fetched by itself, since it takes about twenty predictions.

use super::posted_sheet::design_of;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{render, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::Units;
use coil::search::{Goal, Sensitivity};
use presentation::format::{signed_db, signed_percent};
use presentation::search_form::{goal_label, goal_or};

/// Changes below this share are none.
const LEAST_SHARE: f64 = 5e-4;
/// Changes below so many dB are none.
const LEAST_DB: f64 = 0.005;

struct SensitivityRow {
    step: String,
    label: String,
    changes: Vec<(String, bool)>,
}

#[derive(Template)]
#[template(path = "designs/_sensitivity.html")]
struct SensitivityTable {
    goals: Vec<(&'static str, &'static str, bool)>,
    rows: Vec<SensitivityRow>,
}

#[derive(Template)]
#[template(path = "designs/_sensitivity_panel.html")]
struct SensitivityPanel {
    goal: &'static str,
}

/// The panel, before the table is there; it says what the table is ranked by.
pub(super) fn panel(form: &FormData) -> Result<String, AppError> {
    render(&SensitivityPanel { goal: goal_or(form.get("goal"), Goal::Inductance).key() })
}

fn change_text(goal: Goal, change: Option<f64>) -> String {
    let Some(change) = change else { return "no peak".into() };
    let least = if goal.is_level() { LEAST_DB } else { LEAST_SHARE };
    if change.abs() < least {
        "=".into()
    } else if goal.is_level() {
        signed_db(change, 2)
    } else {
        signed_percent(change, 1)
    }
}

fn rows(all: Vec<Sensitivity>, ranked: Goal, units: Units) -> SensitivityTable {
    let row = |s: Sensitivity| SensitivityRow {
        step: format!("adjust:{}", s.adjustment),
        label: units.sentence(&s.adjustment.words()).into_owned(),
        changes: Goal::ALL.iter().zip(s.changes).map(|(g, c)| (change_text(*g, c), *g == ranked)).collect(),
    };
    SensitivityTable {
        rows: all.into_iter().map(row).collect(),
        goals: Goal::ALL.iter().map(|g| (g.key(), goal_label(*g), *g == ranked)).collect(),
    }
}

/// The table of a sheet as it was sent, largest change of its goal first.
pub(super) async fn table(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (design, _) = design_of(&app, &user, &form).await?;
    let goal = goal_or(form.get("goal"), Goal::Inductance);
    let all = app.workshop.sensitivities(&user.actor, &design, goal).await?;
    render_page(&rows(all, goal, user.settings.units), false)
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::search::Adjustment;

    #[test]
    fn each_row_can_be_tried_and_small_changes_are_none() {
        let one = Sensitivity {
            adjustment: Adjustment::Turns(100),
            changes: [Some(0.013), Some(0.026), Some(0.0), Some(-0.019), Some(0.001), None],
        };
        let table = rows(vec![one], Goal::Inductance, Units::default());
        assert_eq!(table.rows[0].step, "adjust:turns:100");
        let texts: Vec<&str> = table.rows[0].changes.iter().map(|(text, _)| text.as_str()).collect();
        assert_eq!(texts, ["+1.3 %", "+2.6 %", "=", "−1.9 %", "=", "no peak"]);
        assert!(table.rows[0].changes[1].1 && !table.rows[0].changes[0].1);
    }
}
