//! Places in a design's document, as typed references: `coils[0].wind.turns` is that field of the design.

use coil::Word;
use coil::design::{
    Bar, Coil, Design, Grounded, LeadKind, Leads, Medium, Metal, OneString, Pole, Potting, Sense, Spool,
    Targets,
};
use coil::magnet::{Grade, Material};
use coil::quantity::fixed;
use coil::wire::Gauge;
use std::collections::BTreeMap;
use std::str::FromStr;

/// A field of a design.
pub(super) enum Slot<'a> {
    /// A number in the document's unit.
    Number(&'a mut f64),
    /// A number that may be absent.
    Optional(&'a mut Option<f64>),
    /// A whole number.
    Whole(&'a mut u32),
    /// One of a list of words.
    Word(Box<dyn WordSlot + 'a>),
    /// Words.
    Text(&'a mut String),
    /// A wire gauge.
    Gauge(&'a mut Gauge),
    /// A material: a named grade, or given by figures.
    Material(&'a mut Material),
    /// What was measured on a spool.
    Spool(&'a mut Option<Spool>),
    /// Which end of a coil looks to ground; absent for the usual one.
    Sense(&'a mut BTreeMap<String, Sense>, String),
    /// One end of a range that may be absent.
    End(&'a mut Option<[f64; 2]>, usize),
    /// The medium of a potting that may be absent, and how much it fills.
    Medium(&'a mut Option<Potting>),
    Fill(&'a mut Option<Potting>),
    /// Kind, length and capacitance per metre of leads that may be absent.
    LeadKind(&'a mut Option<Leads>),
    LeadLength(&'a mut Option<Leads>),
    LeadCapacitance(&'a mut Option<Leads>),
    /// Whether a part is grounded; absent for the usual ones.
    Grounded {
        parts: &'a mut Option<Vec<Grounded>>,
        usual: Vec<Grounded>,
        part: Grounded,
    },
}

/// Changes what may be absent: what is as it is taken to be where nothing is said stays unsaid.
fn change<T: Copy + Default + PartialEq>(slot: &mut Option<T>, change: impl FnOnce(&mut T)) {
    let mut value = slot.unwrap_or_default();
    change(&mut value);
    if slot.is_some() || value != T::default() {
        *slot = Some(value);
    }
}

/// A word of a list, whatever the list.
pub(super) trait WordSlot {
    /// The word.
    fn word(&self) -> &'static str;
    /// Sets it; false when the list has no such word.
    fn set(&mut self, word: &str) -> bool;
}

impl<T: Copy + FromStr + Into<&'static str>> WordSlot for &mut T {
    fn word(&self) -> &'static str {
        Word::word(**self)
    }

    fn set(&mut self, word: &str) -> bool {
        word.parse().map(|value| **self = value).is_ok()
    }
}

fn word<'a, T: Copy + FromStr + Into<&'static str> + 'a>(value: &'a mut T) -> Slot<'a> {
    Slot::Word(Box::new(value))
}

impl Slot<'_> {
    /// Its number, if it is one and there.
    pub(super) fn number(&self) -> Option<f64> {
        match self {
            Self::Number(value) => Some(**value),
            Self::Optional(value) => **value,
            Self::Whole(value) => Some(f64::from(**value)),
            Self::End(range, end) => range.map(|r| r[*end]),
            Self::Fill(potting) => Some(potting.unwrap_or_default().fill),
            Self::LeadLength(leads) => Some(leads.unwrap_or_default().length_mm),
            Self::LeadCapacitance(leads) => leads.and_then(|l| l.pf_per_m),
            _ => None,
        }
    }

    /// Sets its number; `None` takes it out where it may be absent.
    pub(super) fn set_number(&mut self, new: Option<f64>) {
        match (self, new) {
            (Self::Number(value), Some(new)) => **value = new,
            (Self::Optional(value), new) => **value = new,
            #[allow(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "its range is checked"
            )]
            (Self::Whole(value), Some(new)) => **value = new.round() as u32,
            (Self::Fill(potting), Some(new)) => change(potting, |p| p.fill = new),
            (Self::LeadLength(leads), Some(new)) => change(leads, |l| l.length_mm = new),
            (Self::LeadCapacitance(leads), new) => change(leads, |l| l.pf_per_m = new),
            _ => {}
        }
    }

    /// As a field shows it: words, a gauge, `keep` for what no list has.
    pub(super) fn text(&self) -> String {
        match self {
            Self::Word(value) => value.word().to_owned(),
            Self::Text(value) => (*value).clone(),
            Self::Gauge(gauge) => gauge.to_string(),
            Self::Material(Material::Named(grade)) => grade.word().to_owned(),
            Self::Material(Material::Given(_)) => "keep".into(),
            Self::Spool(spool) => if spool.is_some() { "keep" } else { "" }.into(),
            Self::Sense(all, coil) => all.get(coil).map_or("", |sense| sense.word()).to_owned(),
            Self::Medium(potting) => potting.unwrap_or_default().medium.word().to_owned(),
            Self::LeadKind(leads) => leads.unwrap_or_default().kind.word().to_owned(),
            Self::Grounded { parts, usual, part } => {
                let is_grounded = parts.as_ref().unwrap_or(usual).contains(part);
                if is_grounded { "yes" } else { "no" }.into()
            }
            other => other.number().map_or_else(String::new, |n| fixed(n, 4)),
        }
    }

    /// Sets a word; false when there is no such word here.
    pub(super) fn set_word(&mut self, word: &str) -> bool {
        match self {
            Self::Word(value) => value.set(word),
            Self::Text(value) => {
                word.clone_into(value);
                true
            }
            Self::Material(value) => {
                word.parse::<Grade>().map(|grade| **value = Material::Named(grade)).is_ok()
            }
            Self::Medium(potting) => {
                word.parse::<Medium>().map(|medium| change(potting, |p| p.medium = medium)).is_ok()
            }
            Self::LeadKind(leads) => {
                word.parse::<LeadKind>().map(|kind| change(leads, |l| l.kind = kind)).is_ok()
            }
            Self::Grounded { parts, usual, part } => {
                let before = parts.as_ref().unwrap_or(usual);
                let is_wanted = word == "yes";
                if before.contains(part) != is_wanted {
                    let in_order = Grounded::ALL.into_iter();
                    let kept = in_order.filter(|p| if p == part { is_wanted } else { before.contains(p) });
                    **parts = Some(kept.collect());
                }
                matches!(word, "yes" | "no")
            }
            Self::Sense(all, coil) if word.is_empty() => {
                all.remove(coil);
                true
            }
            Self::Sense(all, coil) => {
                let sense = word.parse();
                if let Ok(sense) = sense {
                    all.insert(coil.clone(), sense);
                }
                sense.is_ok()
            }
            _ => false,
        }
    }
}

/// `coils[2].wire.gauge` as (2, "wire.gauge"), by the name of the list.
fn indexed<'t>(at: &'t str, list: &str) -> Option<(usize, &'t str)> {
    let rest = at.strip_prefix(list)?.strip_prefix('[')?;
    let (index, rest) = rest.split_once(']')?;
    Some((index.parse().ok()?, rest.strip_prefix('.').unwrap_or(rest)))
}

/// `size_mm[1]` as that number of an array.
fn place<'a, const N: usize>(array: &'a mut [f64; N], at: &str, key: &str) -> Option<Slot<'a>> {
    let (index, _) = indexed(at, key)?;
    array.get_mut(index).map(Slot::Number)
}

/// The field of a design at a place; `None` when there is no such place.
pub(super) fn slot<'a>(design: &'a mut Design, at: &str) -> Option<Slot<'a>> {
    if let Some((k, rest)) = indexed(at, "coils") {
        return coil(design.coils.get_mut(k)?, rest);
    }
    if let Some((k, rest)) = indexed(at, "poles") {
        return pole(design.poles.get_mut(k)?, rest);
    }
    if let Some((k, rest)) = indexed(at, "bars") {
        return bar(design.bars.get_mut(k)?, rest);
    }
    if let Some((k, rest)) = indexed(at, "metal") {
        return metal(design.metal.get_mut(k)?, rest);
    }
    if let Some((k, rest)) = indexed(at, "strings.each") {
        return string(design.strings.each.get_mut(k)?, rest);
    }
    if let Some(rest) = at.strip_prefix("aims.") {
        return target(&mut design.targets, rest);
    }
    if let Some(name) = at.strip_prefix("wiring.sense.") {
        return Some(Slot::Sense(&mut design.wiring.sense, name.to_owned()));
    }
    if let Some(part) = at.strip_prefix("wiring.grounded.") {
        let part = part.parse().ok()?;
        let usual =
            [Grounded::Plate, Grounded::Cover].into_iter().filter(|part| part.is_in(design)).collect();
        return Some(Slot::Grounded { parts: &mut design.wiring.grounded, usual, part });
    }
    let (strings, load) = (&mut design.strings, &mut design.load);
    Some(match at {
        "name" => Slot::Text(&mut design.name),
        "room_c" => Slot::Number(&mut design.room_c),
        "strings.count" => Slot::Whole(&mut strings.count),
        "strings.pitch_mm" => Slot::Number(&mut strings.pitch_mm),
        "strings.handed" => word(&mut strings.handed),
        "strings.scale_mm" => Slot::Number(&mut strings.scale_mm),
        "strings.from_bridge_mm" => Slot::Number(&mut strings.from_bridge_mm),
        "wiring.join" => Slot::Text(&mut design.wiring.join),
        "potting.medium" => Slot::Medium(&mut design.potting),
        "potting.fill" => Slot::Fill(&mut design.potting),
        "leads.kind" => Slot::LeadKind(&mut design.leads),
        "leads.length_mm" => Slot::LeadLength(&mut design.leads),
        "leads.pf_per_m" => Slot::LeadCapacitance(&mut design.leads),
        "wiring.foil_gap_mm" => Slot::Optional(&mut design.wiring.foil_gap_mm),
        "load.volume_kohm" => Slot::Number(&mut load.volume_kohm),
        "load.volume_at" => Slot::Number(&mut load.volume_at),
        "load.tone_at" => Slot::Number(&mut load.tone_at),
        "load.tone_kohm" => Slot::Number(&mut load.tone_kohm),
        "load.tone_nf" => Slot::Number(&mut load.tone_nf),
        "load.cable_pf" => Slot::Number(&mut load.cable_pf),
        "load.input_mohm" => Slot::Number(&mut load.input_mohm),
        _ => return None,
    })
}

fn coil<'a>(coil: &'a mut Coil, at: &str) -> Option<Slot<'a>> {
    if let Some((k, rest)) = indexed(at, "wind.plan") {
        let stage = coil.wind.plan.get_mut(k)?;
        return match rest {
            "until_turn" => Some(Slot::Whole(&mut stage.until_turn)),
            "bias" => Some(word(&mut stage.bias)),
            _ => None,
        };
    }
    if at.starts_with("center_mm") {
        return place(&mut coil.center_mm, at, "center_mm");
    }
    let (former, wire, wind) = (&mut coil.former, &mut coil.wire, &mut coil.wind);
    Some(match at {
        "base_mm" => Slot::Number(&mut coil.base_mm),
        "former.core.shape" => word(&mut former.core.shape),
        "former.core.corner_mm" => Slot::Optional(&mut former.core.corner_mm),
        "former.core.length_mm" => Slot::Number(&mut former.core.length_mm),
        "former.core.width_mm" => Slot::Optional(&mut former.core.width_mm),
        "former.height_mm" => Slot::Number(&mut former.height_mm),
        "former.room_mm" => Slot::Number(&mut former.room_mm),
        "former.flange_bottom_mm" => Slot::Number(&mut former.flange_bottom_mm),
        "former.flange_top_mm" => Slot::Number(&mut former.flange_top_mm),
        "wire.gauge" => Slot::Gauge(&mut wire.gauge),
        "wire.insulation" => word(&mut wire.insulation),
        "wire.build" => word(&mut wire.build),
        "wire.range" => word(&mut wire.range),
        "wire.spool" => Slot::Spool(&mut wire.spool),
        "wind.turns" => Slot::Whole(&mut wind.turns),
        "wind.direction" => word(&mut wind.direction),
        "wind.turns_per_pass" => Slot::Optional(&mut wind.turns_per_pass),
        "wind.wander" => Slot::Number(&mut wind.wander),
        "wind.margin_mm" => Slot::Number(&mut wind.margin_mm),
        "wind.tension_n" => Slot::Optional(&mut wind.tension_n),
        "wind.packing" => Slot::Optional(&mut wind.packing),
        _ => return None,
    })
}

fn pole<'a>(pole: &'a mut Pole, at: &str) -> Option<Slot<'a>> {
    Some(match at {
        "length_mm" => Slot::Number(&mut pole.length_mm),
        "diameter_mm" => Slot::Number(&mut pole.diameter_mm),
        "x_mm" => Slot::Number(&mut pole.x_mm),
        "y_mm" => Slot::Number(&mut pole.y_mm),
        "shape" => word(&mut pole.shape),
        "bottom_mm" => Slot::Number(&mut pole.bottom_mm),
        "bevel_mm" => Slot::Number(&mut pole.bevel_mm),
        "material" => Slot::Material(&mut pole.material),
        "charge" => Slot::Number(&mut pole.charge),
        "up" => word(&mut pole.up),
        _ => return None,
    })
}

fn bar<'a>(bar: &'a mut Bar, at: &str) -> Option<Slot<'a>> {
    Some(match at {
        "material" => Slot::Material(&mut bar.material),
        "charge" => Slot::Number(&mut bar.charge),
        "magnetised" => word(&mut bar.magnetised),
        "north" => word(&mut bar.north),
        _ if at.starts_with("size_mm") => return place(&mut bar.size_mm, at, "size_mm"),
        _ => return place(&mut bar.center_mm, at, "center_mm"),
    })
}

fn metal<'a>(metal: &'a mut Metal, at: &str) -> Option<Slot<'a>> {
    Some(match at {
        "part" => word(&mut metal.part),
        "material" => Slot::Material(&mut metal.material),
        "wall_mm" => Slot::Optional(&mut metal.wall_mm),
        _ if at.starts_with("size_mm") => return place(&mut metal.size_mm, at, "size_mm"),
        _ => return place(&mut metal.center_mm, at, "center_mm"),
    })
}

fn string<'a>(string: &'a mut OneString, at: &str) -> Option<Slot<'a>> {
    Some(match at {
        "note" => Slot::Text(&mut string.note),
        "diameter_mm" => Slot::Number(&mut string.diameter_mm),
        "core_mm" => Slot::Optional(&mut string.core_mm),
        "gap_mm" => Slot::Number(&mut string.gap_mm),
        _ => return None,
    })
}

/// The range of a target by its key.
pub(super) fn target_range<'a>(targets: &'a mut Targets, key: &str) -> Option<&'a mut Option<[f64; 2]>> {
    Some(match key {
        "resistance_ohm" => &mut targets.resistance_ohm,
        "inductance_h" => &mut targets.inductance_h,
        "capacitance_f" => &mut targets.capacitance_f,
        "resonance_unloaded_hz" => &mut targets.resonance_unloaded_hz,
        "peak_hz" => &mut targets.peak_hz,
        "peak_db" => &mut targets.peak_db,
        "output_db" => &mut targets.output_db,
        _ => return None,
    })
}

fn target<'a>(targets: &'a mut Targets, at: &str) -> Option<Slot<'a>> {
    let (key, end) = at.split_once('[')?;
    let end: usize = end.trim_end_matches(']').parse().ok().filter(|end| *end < 2)?;
    target_range(targets, key).map(|range| Slot::End(range, end))
}
