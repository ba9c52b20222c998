//! The share sheet: a revision on one page, with just what its maker wants others to see.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing;
use crate::error::AppError;
use crate::format::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, MILLITESLA, PICOFARAD, Scale};
use crate::layout::Frame;
use crate::plot::{curves, plot};
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::design::{Coil, Design};
use coil::prediction::{Prediction, Quantity};
use coil::quantity::fixed;
use std::collections::BTreeSet;
use store::RevisionId;
use store::design::RevisionRow;

/// What can be shown: name in the address, label, whether it is without being asked for.
const PARTS: [(&str, &str, bool); 12] = [
    ("figures", "Resistance, inductance, resonance", true),
    ("response", "Response", true),
    ("top", "Drawing from above", true),
    ("section", "Section", true),
    ("strings", "Strings and place", true),
    ("magnets", "Magnets and flux", true),
    ("load", "Load that it is meant for", true),
    ("dimensions", "Bobbin's dimensions", false),
    ("wire", "Wire", false),
    ("turns", "Turns and build", false),
    ("plan", "Wind plan", false),
    ("aims", "Aims", false),
];

/// A part of the sheet: heading, and what is said.
struct Part {
    title: &'static str,
    facts: Vec<(String, String)>,
}

#[derive(Template, WebTemplate)]
#[template(path = "designs/share.html")]
pub struct SharePage {
    frame: Frame,
    row: RevisionRow,
    parts: Vec<(&'static str, &'static str, bool)>,
    kind: &'static str,
    said: Vec<Part>,
    drawings: Vec<(&'static str, String)>,
    plot: String,
    /// Turns are hidden while figures are shown that let them be guessed.
    guessable: bool,
    dimensioned: bool,
}

fn word<T: serde::Serialize>(value: T) -> String {
    let text = serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned));
    text.unwrap_or_default().replace('-', " ")
}

fn fact(name: &str, value: impl Into<String>) -> (String, String) {
    (name.to_owned(), value.into())
}

/// Everything that the chosen parts say.
fn said(design: &Design, prediction: Option<&Prediction>, shown: &BTreeSet<&str>) -> Vec<Part> {
    let mut all = vec![
        ("figures", "What it is", prediction.map(figures).unwrap_or_default()),
        ("strings", "Strings and place", strings(design)),
        ("magnets", "Magnets and flux", magnets(design, prediction)),
        ("load", "Load that it is meant for", load(design)),
    ];
    for coil in &design.coils {
        all.extend(coil_facts(coil));
    }
    all.push(("aims", "Aims", aims(design)));
    all.into_iter()
        .filter(|(key, _, facts)| shown.contains(key) && !facts.is_empty())
        .map(|(_, title, facts)| Part { title, facts })
        .collect()
}

/// Names and values.
type Facts = Vec<(String, String)>;

fn figures(prediction: &Prediction) -> Facts {
    let pickup = &prediction.pickup;
    let with = |scale: Scale, q: Quantity| format!("{} ({})", scale.text(q.nominal), scale.band(&q));
    let output = format!("{:+.1} dB", pickup.relative_output_db.nominal).replace('-', "−");
    vec![
        fact("Resistance at 20 °C", with(KILOOHM, pickup.resistance_20c_ohm)),
        fact("Inductance", with(HENRY, pickup.inductance_h)),
        fact("Capacitance", with(PICOFARAD, pickup.capacitance_f)),
        fact("Resonance alone", with(KILOHERTZ, pickup.resonance_unloaded_hz)),
        fact("Peak with load", with(KILOHERTZ, pickup.peak_hz)),
        fact("Its height", DECIBEL.text(pickup.peak_db.nominal)),
        fact("Output to the reference coil", output),
    ]
}

fn strings(design: &Design) -> Facts {
    let strings = &design.strings;
    vec![
        fact("Strings", strings.count.to_string()),
        fact("Pitch", format!("{} mm", fixed(strings.pitch_mm, 2))),
        fact("Handed", word(strings.handed)),
        fact("Scale", format!("{} mm", fixed(strings.scale_mm, 1))),
        fact("From the bridge", format!("{} mm", fixed(strings.from_bridge_mm, 1))),
    ]
}

fn magnets(design: &Design, prediction: Option<&Prediction>) -> Facts {
    let mut facts = Facts::new();
    for pole in &design.poles {
        let size = format!("{} × {} mm", fixed(pole.diameter_mm, 2), fixed(pole.length_mm, 2));
        let one = fact(&format!("Pole {}", word(pole.shape)), format!("{}, {size}", word(pole.material)));
        if !facts.contains(&one) {
            facts.push(one);
        }
    }
    for bar in &design.bars {
        let [x, y, z] = bar.size_mm.map(|v| fixed(v, 2));
        facts.push(fact("Bar", format!("{}, {x} × {y} × {z} mm", word(bar.material))));
    }
    let faces = prediction.iter().flat_map(|p| p.poles.iter().map(|q| q.face_mt.nominal.abs() * 1e-3));
    let ends = faces.fold(None, |ends: Option<(f64, f64)>, v| {
        Some(ends.map_or((v, v), |(low, high)| (low.min(v), high.max(v))))
    });
    if let Some((low, high)) = ends {
        let text = format!("{} to {}", MILLITESLA.number(low), MILLITESLA.text(high));
        facts.push(fact("Flux density at the faces", text));
    }
    facts
}

fn load(design: &Design) -> Facts {
    let load = &design.load;
    vec![
        fact("Volume", format!("{} kΩ", fixed(load.volume_kohm, 1))),
        fact("Tone", format!("{} kΩ, {} nF", fixed(load.tone_kohm, 1), fixed(load.tone_nf, 1))),
        fact("Cable", format!("{} pF", fixed(load.cable_pf, 0))),
    ]
}

fn coil_facts(coil: &Coil) -> [(&'static str, &'static str, Facts); 4] {
    let (former, wind) = (&coil.former, &coil.wind);
    let (length, width) = former.core.size_mm();
    let named = |facts: Facts| std::iter::once(fact("Coil", coil.name.clone())).chain(facts).collect();
    let flanges = format!("{} and {} mm", fixed(former.flange_bottom_mm, 2), fixed(former.flange_top_mm, 2));
    let bobbin = vec![
        fact("Core", format!("{} × {} mm", fixed(length, 2), fixed(width, 2))),
        fact("Winding height", format!("{} mm", fixed(former.height_mm, 2))),
        fact("Room for build", format!("{} mm", fixed(former.room_mm, 2))),
        fact("Flanges", flanges),
    ];
    let wire = vec![
        fact("Gauge", coil.wire.gauge.to_string()),
        fact("Insulation", word(coil.wire.insulation)),
        fact("Build", word(coil.wire.build)),
    ];
    let turns = vec![
        fact("Turns", crate::format::turns(wind.turns)),
        fact("Direction from above", word(wind.direction)),
    ];
    let passes = wind.turns_per_pass.map_or_else(|| "as usual".into(), |t| fixed(t, 1));
    let plan = vec![
        fact("Turns per pass", passes),
        fact("Hand wander", format!("{} %", fixed(wind.wander * 100.0, 1))),
        fact("Margins", format!("{} mm", fixed(wind.margin_mm, 2))),
    ];
    [
        ("dimensions", "Bobbin", named(bobbin)),
        ("wire", "Wire", named(wire)),
        ("turns", "Turns", named(turns)),
        ("plan", "Wind plan", named(plan)),
    ]
}

fn aims(design: &Design) -> Facts {
    let range = |ends: Option<[f64; 2]>, scale: Scale| {
        ends.map(|[a, b]| format!("{} – {}", scale.number(a), scale.text(b)))
    };
    let aims = &design.aims;
    [
        ("Resistance", range(aims.resistance_ohm, KILOOHM)),
        ("Inductance", range(aims.inductance_h, HENRY)),
        ("Loaded peak", range(aims.peak_hz, KILOHERTZ)),
        ("Output", range(aims.output_db, DECIBEL)),
    ]
    .into_iter()
    .filter_map(|(name, value)| Some(fact(name, value?)))
    .collect()
}

/// What the address asks to be shown; without a word, what gives no recipe away.
fn shown(query: &[(String, String)]) -> BTreeSet<&'static str> {
    let asked: Vec<&str> = query.iter().filter(|(k, _)| k == "show").map(|(_, v)| v.as_str()).collect();
    PARTS
        .iter()
        .filter(|(key, _, usual)| if asked.is_empty() { *usual } else { asked.contains(key) })
        .map(|(key, _, _)| *key)
        .collect()
}

/// The sheet, with the choice of what stands on it; the choice is in the address and not on paper.
pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<Vec<(String, String)>>,
) -> Result<SharePage, AppError> {
    let revision = app.store.of(user.workshop()).revision(RevisionId(*id)).await?;
    let design = revision.design;
    let of = Some(revision.row.design_id);
    let prediction = app.predicted(user.workshop(), of, &design).await?.ok();
    let shown = shown(&query);
    // How full the bobbin is tells the turns.
    let builds: Vec<f64> = match &prediction {
        Some(p) if shown.contains("turns") => p.coils.iter().map(|c| c.build_mm).collect(),
        _ => Vec::new(),
    };
    let mut drawings = Vec::new();
    if shown.contains("top") {
        drawings.push(("From above", drawing::top(&design, &builds)));
    }
    if shown.contains("section") {
        drawings.push(("Section through a pole", drawing::section(&design, &builds)));
    }
    Ok(SharePage {
        frame: Frame::new(&user, "designs", format!("{} r{}", revision.row.name, revision.row.number)),
        parts: PARTS.iter().map(|(key, label, _)| (*key, *label, shown.contains(key))).collect(),
        kind: design.kind.name(),
        said: said(&design, prediction.as_deref(), &shown),
        drawings,
        plot: match &prediction {
            Some(p) if shown.contains("response") => {
                plot(&curves("", 0, &p.response), "Response in decibels over frequency")
            }
            _ => String::new(),
        },
        guessable: shown.contains("figures") && shown.contains("wire") && !shown.contains("turns"),
        dimensioned: shown.contains("dimensions"),
        row: revision.row,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::predict;

    #[test]
    fn no_recipe_leaves_without_being_asked_for() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.aims.inductance_h = Some([2.5, 2.6]);
        let prediction = predict(&design).unwrap();
        let text = |shown: &BTreeSet<&str>| -> String {
            said(&design, Some(&prediction), shown)
                .into_iter()
                .flat_map(|p| p.facts.into_iter().map(move |(n, v)| format!("{} {n} {v}; ", p.title)))
                .collect()
        };
        let usual = text(&shown(&[]));
        assert!(usual.contains("Inductance") && usual.contains("alnico 5"), "{usual}");
        for secret in ["Turns", "Wind plan", "Aims", "AWG", "2.5 – 2.6"] {
            assert!(!usual.contains(secret), "{secret}: {usual}");
        }
        let asked = shown(&[("show".into(), "turns".into()), ("show".into(), "aims".into())]);
        let all = text(&asked);
        assert!(all.contains("7620") && all.contains("2.50 – 2.60") && !all.contains("Resistance"), "{all}");
    }
}
