//! What a document must hold to before anything is computed from it.

use super::FORMAT;
use super::limits::limit_at;
use super::limits::out_of_range;
use super::{Design, Grounded};
use crate::former::{Core, CoreShape};
use crate::magnet::Material;
use serde::Serialize;

/// Something in a document that cannot be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Problem {
    /// Its place, such as `coils[0].wind.turns`.
    pub at: String,
    /// What is wrong.
    pub text: String,
    /// What to do.
    #[serde(rename = "try")]
    pub try_: String,
}

impl Problem {
    /// A problem at a place.
    pub fn new(at: &str, text: impl Into<String>, try_: impl Into<String>) -> Self {
        Self { at: at.to_owned(), text: text.into(), try_: try_.into() }
    }
}

/// Most points of a guide's path.
const LONGEST_PATH: usize = 10_000;

/// Gathers problems as the document is walked.
struct Walk(Vec<Problem>);

impl Walk {
    /// Checks a number against the table of limits.
    fn limited(&mut self, at: &str, value: f64) {
        self.limited_to(at, value, f64::INFINITY);
    }

    /// The same, at most `most` as well.
    fn limited_to(&mut self, at: &str, value: f64, most: f64) {
        debug_assert!(limit_at(at).is_some(), "{at} has no limit");
        if let Some(limit) = limit_at(at) {
            self.within(at, value, limit.low, limit.high.min(most), limit.unit);
        }
    }

    fn within(&mut self, at: &str, value: f64, low: f64, high: f64, unit: &str) {
        if let Some((text, try_)) = out_of_range(value, low, high, unit) {
            self.report(at, text, try_);
        }
    }

    fn optional(&mut self, at: &str, value: Option<f64>) {
        if let Some(value) = value {
            self.limited(at, value);
        }
    }

    fn report(&mut self, at: &str, text: impl Into<String>, try_: impl Into<String>) {
        self.0.push(Problem::new(at, text, try_));
    }

    /// A name within the document: 1 to `most` characters, none of them a control character.
    fn name(&mut self, at: &str, name: &str, most: usize) {
        if name.trim().is_empty() || name.chars().count() > most || name.contains(char::is_control) {
            self.report(at, format!("a name has 1 to {most} letters"), "call it A, B, neck, bridge …");
        }
    }

    fn vector(&mut self, at: &str, vector: &[f64]) {
        for (k, value) in vector.iter().enumerate() {
            self.limited(&format!("{at}[{k}]"), *value);
        }
    }

    fn material(&mut self, at: &str, material: Material) {
        if let Material::Given(given) = material {
            self.within(&format!("{at}.mu_r"), given.mu_r, 1.0, 100_000.0, "");
            self.within(&format!("{at}.br_t"), given.br_t, 0.0, 1.6, "T");
            self.within(&format!("{at}.sigma_ms_m"), given.sigma_ms_m, 0.0, 65.0, "MS/m");
        }
    }

    fn core(&mut self, at: &str, core: &Core) {
        let (length, width) = core.size_mm();
        self.limited(&format!("{at}.length_mm"), length);
        self.limited(&format!("{at}.width_mm"), width);
        if core.width_mm.is_none() && core.shape != CoreShape::Round {
            self.report(
                &format!("{at}.width_mm"),
                "the width is missing",
                "give the core's size across the strings' row",
            );
        }
        if core.shape == CoreShape::Round && core.width_mm.is_some_and(|w| (w - core.length_mm).abs() > 1e-6)
        {
            self.report(
                &format!("{at}.width_mm"),
                "a round core is as wide as it is long",
                "use a stadium, or equal sizes",
            );
        }
        if let Some(corner) = core.corner_mm {
            self.limited_to(&format!("{at}.corner_mm"), corner, length.min(width) / 2.0);
        }
    }

    /// A guide's own path: turns that rise, heights between the flanges.
    fn guide_path(&mut self, at: &str, path: &[[f64; 2]]) {
        if path.len() == 1 || path.len() > LONGEST_PATH {
            self.report(
                at,
                format!("{} points", path.len()),
                format!("a path has 2 to {LONGEST_PATH} of them"),
            );
        }
        let mut before = -1.0;
        for (k, [turn, height]) in path.iter().enumerate().take(LONGEST_PATH) {
            self.within(&format!("{at}[{k}][0]"), *turn, 0.0, 50_000.0, "turns");
            self.within(&format!("{at}[{k}][1]"), *height, 0.0, 1.0, "");
            if *turn <= before {
                self.report(&format!("{at}[{k}][0]"), "the turns of a path rise", "put its points in order");
            }
            before = *turn;
        }
    }

    fn target(&mut self, at: &str, target: Option<[f64; 2]>) {
        if let Some([from, to]) = target {
            self.vector(at, &[from, to]);
            if from > to {
                self.report(
                    at,
                    format!("the target runs from {from} down to {to}"),
                    "put the lower end first",
                );
            }
        }
    }
}

impl Design {
    /// Everything that is out of range or contradicts itself, by its place; empty when all is well.
    #[must_use]
    pub fn problems(&self) -> Vec<Problem> {
        let mut walk = Walk(Vec::new());
        if self.format != FORMAT {
            walk.report(
                "format",
                format!("the design’s format is “{}”", self.format.chars().take(60).collect::<String>()),
                format!("write \"format\": \"{FORMAT}\" if that is what it is"),
            );
        }
        if self.name.trim().is_empty() || self.name.chars().count() > 120 {
            walk.report(
                "name",
                "a design needs a name of up to 120 letters",
                "call it what you call it at the bench",
            );
        }
        walk.limited("room_c", self.room_c);
        self.check_strings(&mut walk);
        self.check_coils(&mut walk);
        self.check_poles(&mut walk);
        self.check_parts(&mut walk);
        self.check_rest(&mut walk);
        walk.0
    }

    fn check_strings(&self, walk: &mut Walk) {
        let strings = &self.strings;
        walk.limited("strings.count", f64::from(strings.count));
        walk.limited("strings.pitch_mm", strings.pitch_mm);
        walk.limited("strings.scale_mm", strings.scale_mm);
        walk.limited_to("strings.from_bridge_mm", strings.from_bridge_mm, strings.scale_mm);
        if strings.each.len() > strings.count as usize {
            walk.report(
                "strings.each",
                "more strings are listed than counted",
                "raise strings.count or drop the extra ones",
            );
        }
        for (i, string) in strings.each.iter().enumerate().take(10) {
            let at = |key: &str| format!("strings.each[{i}].{key}");
            walk.limited(&at("diameter_mm"), string.diameter_mm);
            if let Some(core) = string.core_mm {
                walk.limited_to(&at("core_mm"), core, string.diameter_mm.max(0.1));
            }
            walk.limited(&at("gap_mm"), string.gap_mm);
        }
    }

    fn check_coils(&self, walk: &mut Walk) {
        if self.coils.is_empty() || self.coils.len() > 12 {
            walk.report("coils", format!("{} coils", self.coils.len()), "a pickup has 1 to 12 of them");
        }
        for (i, coil) in self.coils.iter().enumerate().take(12) {
            let at = |key: &str| format!("coils[{i}].{key}");
            walk.name(&at("name"), &coil.name, 40);
            if self.coils[..i].iter().any(|other| other.name == coil.name) {
                walk.report(
                    &at("name"),
                    format!("two coils are called “{}”", coil.name),
                    "give each its own name",
                );
            }
            walk.vector(&at("center_mm"), &coil.center_mm);
            walk.limited(&at("base_mm"), coil.base_mm);
            walk.core(&at("former.core"), &coil.former.core);
            walk.limited(&at("former.height_mm"), coil.former.height_mm);
            walk.limited(&at("former.room_mm"), coil.former.room_mm);
            walk.limited(&at("former.flange_bottom_mm"), coil.former.flange_bottom_mm);
            walk.limited(&at("former.flange_top_mm"), coil.former.flange_top_mm);
            if let Some(spool) = &coil.wire.spool {
                walk.optional(&at("wire.spool.bare_mm"), spool.bare_mm);
                walk.optional(&at("wire.spool.overall_mm"), spool.overall_mm);
                if let (Some(bare), Some(overall)) = (spool.bare_mm, spool.overall_mm)
                    && bare > overall
                {
                    walk.report(
                        &at("wire.spool.overall_mm"),
                        "the wire is thinner with its enamel than without",
                        "measure both again",
                    );
                }
                walk.optional(&at("wire.spool.ohm_per_m"), spool.ohm_per_m);
                walk.optional(&at("wire.spool.at_c"), spool.at_c);
                walk.optional(&at("wire.spool.left_m"), spool.left_m);
            }
            let wind = &coil.wind;
            walk.limited(&at("wind.turns"), f64::from(wind.turns));
            walk.optional(&at("wind.turns_per_pass"), wind.turns_per_pass);
            walk.limited(&at("wind.wander"), wind.wander);
            walk.limited_to(
                &at("wind.margin_mm"),
                wind.margin_mm,
                coil.former.height_mm.clamp(0.0, 60.0) / 2.0,
            );
            for (k, stage) in wind.plan.iter().enumerate() {
                walk.limited(&at(&format!("wind.plan[{k}].until_turn")), f64::from(stage.until_turn));
            }
            walk.guide_path(&at("wind.path"), &wind.path);
            walk.optional(&at("wind.tension_n"), wind.tension_n);
            walk.optional(&at("wind.packing"), wind.packing);
        }
    }

    fn check_poles(&self, walk: &mut Walk) {
        if self.poles.len() > 60 {
            walk.report("poles", format!("{} poles", self.poles.len()), "up to 60 can be computed");
        }
        for (i, pole) in self.poles.iter().enumerate().take(60) {
            let at = |key: &str| format!("poles[{i}].{key}");
            if !self.coils.iter().any(|coil| coil.name == pole.coil) {
                walk.report(
                    &at("coil"),
                    format!("there is no coil “{}”", pole.coil),
                    "name one of the coils",
                );
            }
            if pole.string.is_some_and(|s| s == 0 || s > self.strings.count) {
                walk.report(&at("string"), "there is no such string", format!("1 to {}", self.strings.count));
            }
            walk.limited(&at("x_mm"), pole.x_mm);
            walk.limited(&at("y_mm"), pole.y_mm);
            walk.limited(&at("diameter_mm"), pole.diameter_mm);
            walk.limited(&at("length_mm"), pole.length_mm);
            walk.limited(&at("bottom_mm"), pole.bottom_mm);
            walk.limited(&at("bevel_mm"), pole.bevel_mm);
            let most =
                if pole.is_round() { (0.45 * pole.diameter_mm).min(0.5 * pole.length_mm) } else { 0.0 };
            if pole.bevel_mm > most {
                let allowed = if pole.is_round() {
                    format!("up to {most:.2} mm here")
                } else {
                    "0: only round poles are bevelled".into()
                };
                walk.report(&at("bevel_mm"), "the bevel is wider than the pole allows", allowed);
            }
            walk.limited(&at("charge"), pole.charge);
            walk.material(&at("material"), pole.material);
            let beside = |other: &super::Pole| {
                let room = (other.diameter_mm + pole.diameter_mm) / 2.0 - 1e-6;
                let is_blade = [pole, other].iter().any(|p| p.shape == super::PoleShape::Blade);
                // A blade runs through its coil from end to end.
                let is_near_along = is_blade || (other.x_mm - pole.x_mm).abs() < room;
                other.coil == pole.coil && is_near_along && (other.y_mm - pole.y_mm).abs() < room
            };
            if self.poles[..i].iter().any(beside) {
                walk.report(
                    &at("x_mm"),
                    "this pole stands inside its neighbour",
                    "set the poles further apart or make them thinner",
                );
            }
        }
    }

    fn check_parts(&self, walk: &mut Walk) {
        for (i, bar) in self.bars.iter().enumerate().take(24) {
            let at = |key: &str| format!("bars[{i}].{key}");
            walk.vector(&at("size_mm"), &bar.size_mm);
            walk.vector(&at("center_mm"), &bar.center_mm);
            walk.limited(&at("charge"), bar.charge);
            walk.material(&at("material"), bar.material);
        }
        for (i, metal) in self.metal.iter().enumerate().take(24) {
            let at = |key: &str| format!("metal[{i}].{key}");
            walk.vector(&at("size_mm"), &metal.size_mm);
            walk.vector(&at("center_mm"), &metal.center_mm);
            walk.optional(&at("wall_mm"), metal.wall_mm);
            walk.material(&at("material"), metal.material);
        }
        if self.bars.len() > 24 || self.metal.len() > 24 {
            walk.report("bars", "too many bars or metal parts", "up to 24 of each can be computed");
        }
    }

    fn check_surroundings(&self, walk: &mut Walk) {
        walk.optional("potting.fill", self.potting.map(|p| p.fill));
        walk.optional("leads.length_mm", self.leads.map(|l| l.length_mm));
        walk.optional("leads.pf_per_m", self.leads.and_then(|l| l.pf_per_m));
        walk.optional("wiring.foil_gap_mm", self.wiring.foil_gap_mm);
        let grounded = self.wiring.grounded.iter().flatten();
        for (i, &part) in grounded.enumerate().take(2 * Grounded::ALL.len()) {
            let at = format!("wiring.grounded[{i}]");
            let name: &str = part.into();
            if !part.is_in(self) {
                walk.report(
                    &at,
                    format!("there is no conducting {name} to ground"),
                    "add the part, or leave it out here",
                );
            }
            if self.wiring.grounded.iter().flatten().take(i).any(|other| *other == part) {
                walk.report(&at, format!("“{name}” is listed twice"), "list it once");
            }
        }
    }

    fn check_rest(&self, walk: &mut Walk) {
        let join = self.wiring.join.as_str();
        let split = join.strip_prefix("split:");
        if !matches!(join, "single" | "series" | "parallel" | "sections")
            && !split.is_some_and(|name| self.coils.iter().any(|coil| coil.name == name))
        {
            walk.report(
                "wiring.join",
                format!("cannot join the coils as “{join}”"),
                "single, series, parallel, sections, or split:NAME of a coil",
            );
        }
        for name in self.wiring.sense.keys() {
            if !self.coils.iter().any(|coil| coil.name == *name) {
                walk.report(
                    &format!("wiring.sense.{name}"),
                    "there is no such coil",
                    "name one of the coils",
                );
            }
        }
        self.check_surroundings(walk);
        walk.limited("load.volume_kohm", self.load.volume_kohm);
        walk.limited("load.volume_at", self.load.volume_at);
        walk.limited("load.tone_kohm", self.load.tone_kohm);
        walk.limited("load.tone_at", self.load.tone_at);
        walk.limited("load.tone_nf", self.load.tone_nf);
        walk.limited("load.cable_pf", self.load.cable_pf);
        walk.limited("load.input_mohm", self.load.input_mohm);
        walk.target("aims.resistance_ohm", self.targets.resistance_ohm);
        walk.target("aims.inductance_h", self.targets.inductance_h);
        walk.target("aims.capacitance_f", self.targets.capacitance_f);
        walk.target("aims.peak_hz", self.targets.peak_hz);
        walk.target("aims.resonance_unloaded_hz", self.targets.resonance_unloaded_hz);
        walk.target("aims.peak_db", self.targets.peak_db);
        walk.target("aims.output_db", self.targets.output_db);
        walk.target("aims.output_mv", self.targets.output_mv);
    }
}
