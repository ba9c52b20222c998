//! What choices change that makers differ about, for one design: a table that is fetched by itself.

use super::posted_sheet::design_of;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{render, render_page};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::prediction::Quantity;
use coil::search::{Assumption, AssumptionComparison};
use presentation::format::{self, signed_percent};
use workshop::Scatter;

/// A change of a quantity.
struct Change {
    /// In its unit.
    text: String,
    /// 5 to 95 %, empty where nothing changes.
    band: String,
    /// Whether it is larger than what coils of one design scatter by.
    is_larger: bool,
}

struct AssumptionRow {
    question: &'static str,
    from: String,
    to: String,
    verdict: &'static str,
    /// Its class.
    key: &'static str,
    changes: Vec<Change>,
}

#[derive(Template)]
#[template(path = "designs/_assumptions.html")]
struct AssumptionsTable {
    rows: Vec<AssumptionRow>,
    scatter: String,
}

#[derive(Template)]
#[template(path = "designs/_fetched_panel.html")]
pub(super) struct FetchedPanel {
    pub from: &'static str,
    pub wait: &'static str,
}

/// The panel, before the table is there.
pub(super) fn panel() -> Result<String, AppError> {
    render(&FetchedPanel { from: "/designs/assumptions", wait: "Comparing both sides of every choice …" })
}

const fn question(choice: Assumption) -> &'static str {
    match choice {
        Assumption::Potting => "Potted or not?",
        Assumption::Lay => "Scattered or straight?",
        Assumption::Build => "Heavy or single build?",
        Assumption::Enamel => "Another enamel of equal size?",
        Assumption::Alloy => "Another alloy at equal flux?",
        Assumption::BasePlate => "A steel base plate?",
        Assumption::Cover => "A cover?",
        Assumption::CoverMetal => "Which metal for the cover?",
        Assumption::Bevel => "Bevelled poles?",
        Assumption::Reverse => "Reversed by winder or by leads?",
    }
}

/// A change in a unit; `None` where it is less than `least`, which is none.
fn change(q: Quantity, per: f64, digits: usize, least: f64, scatter: f64) -> Change {
    let signed = |v: f64| format::signed(v / per, digits);
    if q.nominal.abs() < least && q.p05.abs() < least && q.p95.abs() < least {
        return Change { text: "=".into(), band: String::new(), is_larger: false };
    }
    Change {
        text: signed(q.nominal),
        band: format!("{}…{}", signed(q.p05), signed(q.p95)),
        is_larger: q.nominal.abs() > scatter,
    }
}

/// Changes of resonance and peak are told in kHz, of the peak's height and the output in dB; a change counts where it is
/// larger than the scatter, and in decibels from a half on, which is about what is heard.
fn row(matter: AssumptionComparison, scatter: Scatter, reference: Reference) -> AssumptionRow {
    const HEARD_DB: f64 = 0.5;
    let d = matter.differences;
    let peak = if d.have_peaks {
        change(d.peak_hz, 1e3, 2, 5.0, scatter.peak() * reference.peak_hz.unwrap_or_default())
    } else {
        Change { text: "none left".into(), band: String::new(), is_larger: true }
    };
    let changes = vec![
        change(d.capacitance_f, 1e-12, 1, 0.05e-12, scatter.capacitance * reference.capacitance_f),
        change(d.resonance_hz, 1e3, 2, 5.0, scatter.resonance() * reference.resonance_hz),
        peak,
        change(d.peak_db, 1.0, 2, 0.005, HEARD_DB),
        change(d.output_db, 1.0, 2, 0.005, HEARD_DB),
    ];
    let (is_loaded, is_alone) =
        (changes[2..].iter().any(|c| c.is_larger), changes[..2].iter().any(|c| c.is_larger));
    let (key, verdict) = match (is_loaded, is_alone) {
        (true, _) => ("yes", "Yes, with the load too"),
        (false, true) => ("alone", "Unloaded only"),
        (false, false) => ("no", "No: coils differ by more"),
    };
    AssumptionRow {
        question: question(matter.choice),
        from: matter.from,
        to: matter.to,
        verdict,
        key,
        changes,
    }
}

/// What the scatter is a share of.
#[derive(Clone, Copy)]
struct Reference {
    capacitance_f: f64,
    resonance_hz: f64,
    /// None where the response only falls.
    peak_hz: Option<f64>,
}

/// The table of a sheet as it was sent.
pub(super) async fn table(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (design, _) = design_of(&app, &user, &form).await?;
    let Ok(now) = app.workshop.uncalibrated_prediction(&design).await? else {
        return Err(AppError::BadRequest("This design cannot be predicted.".into()));
    };
    let reference = Reference {
        capacitance_f: now.pickup.capacitance_f.nominal,
        resonance_hz: now.pickup.resonance_unloaded_hz.nominal,
        peak_hz: now.pickup.peak_hz.map(|q| q.nominal),
    };
    let (all, scatter) = app.workshop.compare_assumptions(&user.actor, &design).await?;
    let whose = if scatter.is_own {
        "this workshop's own coils"
    } else {
        "hand-wound coils, until your runs say otherwise"
    };
    let scatter_words = format!(
        "{} in inductance and {} in capacitance, as {whose}",
        signed_percent(scatter.inductance, 1).trim_start_matches('+'),
        signed_percent(scatter.capacitance, 0).trim_start_matches('+'),
    );
    let rows = all.into_iter().map(|m| row(m, scatter, reference)).collect();
    render_page(&AssumptionsTable { rows, scatter: scatter_words }, false)
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::prediction::Calibration;
    use coil::search::compare_assumptions;

    #[test]
    fn what_is_within_the_scatter_does_not_count() {
        let design = coil::design::reference_coil();
        let reference = Reference { capacitance_f: 43e-12, resonance_hz: 16e3, peak_hz: Some(4.3e3) };
        let scatter = Scatter { inductance: 0.01, capacitance: 0.08, is_own: true };
        let rows: Vec<AssumptionRow> = compare_assumptions(&design, &Calibration::default())
            .into_iter()
            .map(|m| row(m, scatter, reference))
            .collect();
        assert_eq!(rows.len(), Assumption::ALL.len());
        let of = |choice: Assumption| rows.iter().find(|r| r.question == question(choice)).unwrap();
        // Wax shows on an analyser; film chemistry at equal size shows nowhere; both ways to reverse are one circuit.
        assert!(
            of(Assumption::Potting).changes[0].is_larger && !of(Assumption::Potting).changes[3].is_larger
        );
        assert!(of(Assumption::Enamel).changes.iter().all(|c| !c.is_larger));
        assert!(of(Assumption::Reverse).changes.iter().all(|c| c.text == "="));
    }
}
