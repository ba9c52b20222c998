//! What a share sheet shows, by parts: nothing that gives a recipe away unless it is asked for.

use crate::figures::Figure;
use crate::format::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, PICOFARAD, Scale};
use coil::Word as _;
use coil::design::{Coil, Design, target_ends};
use coil::magnet::Material;
use coil::prediction::{Prediction, Quantity};
use coil::quantity::{Units, fixed};
use std::collections::BTreeSet;

/// What can be shown: name in the address, label, whether it is shown without being asked for.
const PARTS: [(&str, &str, bool); 12] = [
    ("figures", "Resistance, inductance, resonance", true),
    ("response", "Response", true),
    ("top", "Drawing from above", true),
    ("section", "Cross-section", true),
    ("strings", "Strings and position", true),
    ("magnets", "Magnets and flux", true),
    ("load", "Intended load", true),
    ("dimensions", "Bobbin dimensions", false),
    ("wire", "Wire", false),
    ("turns", "Turns", false),
    ("plan", "Wind plan", false),
    ("aims", "Targets", false),
];

/// The parts that are shown.
#[derive(Clone, Debug)]
pub struct Shown(BTreeSet<&'static str>);

impl Shown {
    /// Those asked for; without a word, the workshop's usual ones (see [`Self::usual`]).
    pub fn from_keys<'a>(asked: impl Iterator<Item = &'a str>, usual: Option<&[String]>) -> Self {
        let asked: Vec<&str> = asked.collect();
        if asked.is_empty() { Self::usual(usual) } else { Self::only(|key| asked.contains(&key)) }
    }

    /// Those that the workshop shows to begin with; where it has decided nothing, those that give no recipe away.
    pub fn usual(decided: Option<&[String]>) -> Self {
        match decided {
            Some(keys) => Self::only(|key| keys.iter().any(|k| k == key)),
            None => Self(PARTS.iter().filter(|(_, _, usual)| *usual).map(|(key, _, _)| *key).collect()),
        }
    }

    /// Those of which something holds.
    pub fn only(is_shown: impl Fn(&str) -> bool) -> Self {
        Self(PARTS.iter().map(|(key, _, _)| *key).filter(|key| is_shown(key)).collect())
    }

    /// The keys of those shown.
    pub fn keys(&self) -> Vec<String> {
        self.0.iter().map(|key| (*key).to_owned()).collect()
    }

    /// Whether a part is shown.
    pub fn has(&self, part: &str) -> bool {
        self.0.contains(part)
    }

    /// Key, label and whether it is shown, of every part.
    pub fn choices(&self) -> Vec<(&'static str, &'static str, bool)> {
        PARTS.iter().map(|(key, label, _)| (*key, *label, self.has(key))).collect()
    }
}

/// A part of the sheet: heading and facts.
#[derive(Clone, Debug)]
pub struct Part {
    /// Heading.
    pub title: &'static str,
    /// Names and values.
    pub facts: Facts,
}

fn fact(name: &str, value: impl Into<String>) -> (String, String) {
    (name.to_owned(), value.into())
}

/// Everything in the chosen parts.
pub fn parts(design: &Design, prediction: Option<&Prediction>, shown: &Shown, units: Units) -> Vec<Part> {
    let mut all = vec![
        ("figures", "What it is", prediction.map(figures).unwrap_or_default()),
        ("strings", "Strings and position", strings(design, units)),
        ("magnets", "Magnets and flux", magnets(design, prediction, units)),
        ("load", "Intended load", load(design)),
    ];
    for coil in &design.coils {
        all.extend(coil_facts(coil, units));
    }
    all.push(("aims", "Targets", targets(design)));
    all.into_iter()
        .filter(|(key, _, facts)| shown.has(key) && !facts.is_empty())
        .map(|(_, title, facts)| Part { title, facts })
        .collect()
}

/// Names and values.
type Facts = Vec<(String, String)>;

fn figures(prediction: &Prediction) -> Facts {
    let pickup = &prediction.pickup;
    let with = |scale: Scale, q: Quantity| format!("{} ({})", scale.text(q.nominal), scale.band(&q));
    vec![
        fact("Resistance at 20 °C", with(KILOOHM, pickup.resistance_20c_ohm)),
        fact("Inductance", with(HENRY, pickup.inductance_h)),
        fact("Capacitance", with(PICOFARAD, pickup.capacitance_f)),
        fact("Resonance, unloaded", with(KILOHERTZ, pickup.resonance_unloaded_hz)),
        fact(
            "Peak, loaded",
            Figure::Peak.find_in(pickup).map_or_else(|| "none".into(), |q| with(KILOHERTZ, *q)),
        ),
        fact("Peak height", Figure::PeakHeight.text_in(pickup)),
        fact("Output, to the reference coil", Figure::RelativeOutput.text_in(pickup)),
    ]
}

fn strings(design: &Design, units: Units) -> Facts {
    let strings = &design.strings;
    vec![
        fact("Strings", strings.count.to_string()),
        fact("Pitch", units.length(strings.pitch_mm, 2)),
        fact("Handed", strings.handed.spoken()),
        fact("Scale", units.length(strings.scale_mm, 1)),
        fact("Distance from the bridge", units.length(strings.from_bridge_mm, 1)),
    ]
}

fn material(of: &Material) -> String {
    match of {
        Material::Named(grade) => grade.spoken(),
        Material::Given(_) => "material by its figures".into(),
    }
}

fn magnets(design: &Design, prediction: Option<&Prediction>, units: Units) -> Facts {
    let mut facts = Facts::new();
    for pole in &design.poles {
        let size = units.lengths(&[pole.diameter_mm, pole.length_mm], 2);
        let one =
            fact(&format!("Pole {}", pole.shape.spoken()), format!("{}, {size}", material(&pole.material)));
        if !facts.contains(&one) {
            facts.push(one);
        }
    }
    for bar in &design.bars {
        facts.push(fact("Bar", format!("{}, {}", material(&bar.material), units.lengths(&bar.size_mm, 2))));
    }
    let faces = prediction.iter().flat_map(|p| p.poles.iter().map(|q| q.face_mt.nominal.abs() * 1e-3));
    let ends = faces.fold(None, |ends: Option<(f64, f64)>, v| {
        Some(ends.map_or((v, v), |(low, high)| (low.min(v), high.max(v))))
    });
    if let Some((low, high)) = ends {
        let scale = Scale::flux(units);
        let text = format!("{} to {}", scale.number(low), scale.text(high));
        facts.push(fact("Flux density at the faces", text));
    }
    facts
}

fn load(design: &Design) -> Facts {
    let load = &design.load;
    let (leads, potting) = (design.leads(), design.potting());
    let medium = potting.medium.word();
    let potted = if medium == "none" {
        "none".into()
    } else {
        format!("{medium}, {} % of the gaps", fixed(potting.fill * 100.0, 0))
    };
    vec![
        fact("Potting", potted),
        fact("Leads", format!("{} pF", fixed(leads.capacitance_f() * 1e12, 0))),
        fact("Volume", format!("{} kΩ", fixed(load.volume_kohm, 1))),
        fact("Tone", format!("{} kΩ, {} nF", fixed(load.tone_kohm, 1), fixed(load.tone_nf, 1))),
        fact("Cable", format!("{} pF", fixed(load.cable_pf, 0))),
    ]
}

fn coil_facts(coil: &Coil, units: Units) -> [(&'static str, &'static str, Facts); 4] {
    let (former, wind) = (&coil.former, &coil.wind);
    let (length, width) = former.core.size_mm();
    let named = |facts: Facts| std::iter::once(fact("Coil", coil.name.clone())).chain(facts).collect();
    let flanges = [former.flange_bottom_mm, former.flange_top_mm].map(|mm| units.length(mm, 2)).join(" and ");
    let bobbin = vec![
        fact("Core", units.lengths(&[length, width], 2)),
        fact("Winding height", units.length(former.height_mm, 2)),
        fact("Room for the winding", units.length(former.room_mm, 2)),
        fact("Flanges", flanges),
    ];
    let wire = vec![
        fact("Gauge", coil.wire.gauge.to_string()),
        fact("Insulation", coil.wire.insulation.spoken()),
        fact("Build", coil.wire.build.spoken()),
    ];
    let turns = vec![
        fact("Turns", crate::format::turns(wind.turns)),
        fact("Direction from above", wind.direction.spoken()),
    ];
    let passes = wind.turns_per_pass.map_or_else(|| "automatic".into(), |t| fixed(t, 1));
    let plan = vec![
        fact("Turns per pass", passes),
        fact("Hand wander", format!("{} %", fixed(wind.wander * 100.0, 1))),
        fact("Margins", units.length(wind.margin_mm, 2)),
    ];
    [
        ("dimensions", "Bobbin", named(bobbin)),
        ("wire", "Wire", named(wire)),
        ("turns", "Turns", named(turns)),
        ("plan", "Wind plan", named(plan)),
    ]
}

fn targets(design: &Design) -> Facts {
    let range = |key: &str, ends: Option<[f64; 2]>, scale: Scale| {
        ends.map(|ends| match target_ends(key, ends) {
            [a, b] if b.is_infinite() => format!("at least {}", scale.text(a)),
            [a, b] if a.is_infinite() => format!("at most {}", scale.text(b)),
            [a, b] => format!("{} – {}", scale.number(a), scale.text(b)),
        })
    };
    let targets = &design.targets;
    [
        ("Resistance", range("resistance_ohm", targets.resistance_ohm, KILOOHM)),
        ("Inductance", range("inductance_h", targets.inductance_h, HENRY)),
        ("Peak, loaded", range("peak_hz", targets.peak_hz, KILOHERTZ)),
        ("Output", range("output_db", targets.output_db, DECIBEL)),
    ]
    .into_iter()
    .filter_map(|(name, value)| Some(fact(name, value?)))
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::predict;

    #[test]
    fn no_recipe_is_shown_without_being_asked_for() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.targets.inductance_h = Some([2.5, 2.6]);
        let prediction = predict(&design).unwrap();
        let titles = |asked: &[&str]| -> Vec<&str> {
            let shown = Shown::from_keys(asked.iter().copied(), None);
            parts(&design, Some(&prediction), &shown, Units::default()).iter().map(|p| p.title).collect()
        };
        assert_eq!(titles(&[]), ["What it is", "Strings and position", "Magnets and flux", "Intended load"]);
        assert_eq!(titles(&["turns", "aims"]), ["Turns", "Targets"]);
    }

    /// Targets with both ends and with one, and a response that only falls, in the words of a sheet.
    #[test]
    fn open_targets_and_no_peak_are_said() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.targets.resistance_ohm = Some([5600.0, 6000.0]);
        design.targets.inductance_h = Some([2.5, 100.0]);
        design.targets.peak_hz = Some([100.0, 4200.0]);
        design.load.volume_kohm = 30.0;
        let prediction = predict(&design).unwrap();
        let shown = Shown::from_keys(PARTS.iter().map(|(key, _, _)| *key), None);
        let all = parts(&design, Some(&prediction), &shown, Units::default());
        let of = |title: &str, name: &str| {
            let part = all.iter().find(|p| p.title == title).unwrap();
            part.facts.iter().find(|(n, _)| n == name).map(|(_, value)| value.clone()).unwrap()
        };
        assert!(of("Targets", "Resistance").contains('–'));
        assert!(of("Targets", "Inductance").starts_with("at least 2.5"));
        assert!(of("Targets", "Peak, loaded").starts_with("at most 4.2"));
        let peaks: Vec<&str> = all
            .iter()
            .filter(|p| p.title != "Targets")
            .flat_map(|p| p.facts.iter().filter(|(n, _)| n == "Peak, loaded").map(|(_, v)| v.as_str()))
            .collect();
        assert!(peaks.iter().all(|value| !value.contains("kHz")), "{peaks:?}");
    }

    /// Everything that a sheet can show of the standard tall single, as it was.
    #[test]
    fn the_whole_sheet_is_as_it_was() {
        let design = tall_single("Sedge", 6, 10.4);
        let prediction = predict(&design).unwrap();
        let all = Shown::from_keys(PARTS.iter().map(|(key, _, _)| *key), None);
        let text: String = parts(&design, Some(&prediction), &all, Units::default())
            .iter()
            .flat_map(|p| p.facts.iter().map(|(name, value)| format!("{} | {name} | {value}\n", p.title)))
            .collect();
        insta::assert_snapshot!("share_sheet", text);
    }
}
