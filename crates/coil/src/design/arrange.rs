//! Whole steps on a design: what a maker does in one gesture and would else type twenty times.

use super::row::row_of;
use super::{Axis, Bar, Bias, Coil, Design, Direction, End, Metal, MetalPart, OneString, Stage};
use crate::former::Core;
use crate::magnet::{Grade, Material};
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

/// How far poles stand over one another along the row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stagger {
    /// All as long as the longest.
    Level,
    /// The middle strings higher, for a rounded fingerboard.
    Arched,
    /// String by string for a wound third and plain treble strings (common practice, no source).
    Stepped,
}

/// A step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Step {
    /// One more coil: a copy beside the last.
    AddCoil,
    /// A copy of a coil with its poles, on its other side.
    DuplicateCoil(usize),
    /// A coil to the other side of the row, its poles turned over.
    MirrorCoil(usize),
    /// A coil wound the other way round.
    ReverseCoil(usize),
    /// A coil and its poles taken out.
    RemoveCoil(usize),
    /// The core to the size that just holds the coil's poles.
    FitCore(usize),
    /// Pole lengths.
    Stagger(Stagger),
    /// One more pole in a coil: beside the last of a row, or a second blade across from the first.
    AddPole(usize),
    /// A pole taken out.
    RemovePole(usize),
    /// Every pole's diameter, alloy, charge and polarity as the first one's of its coil.
    FillPoles,
    /// The strings one by one.
    EachString,
    /// A bar magnet under the coils.
    AddBar,
    /// A bar taken out.
    RemoveBar(usize),
    /// A plate under everything.
    AddMetal,
    /// A metal part taken out.
    RemoveMetal(usize),
    /// A stage of a coil's plan, from where the last one ends.
    AddStage(usize),
    /// A coil's last stage taken out.
    RemoveStage(usize),
}

/// Why a step cannot be done.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum StepError {
    /// It is not the name of a step.
    #[error("“{0}” is no step")]
    Unknown(String),
    /// What it is about is not there.
    #[error("there is no such part any more")]
    Missing,
    /// A pickup keeps one coil.
    #[error("a pickup has at least one coil: change this one instead")]
    LastCoil,
    /// More coils than are predicted.
    #[error("a pickup has at most {} coils here", MOST_COILS)]
    TooMany,
    /// More poles than are predicted.
    #[error("a pickup has at most {} poles here", MOST_POLES)]
    TooManyPoles,
    /// A further pole would stand in another one.
    #[error(
        "there is no room for one more pole in this coil: make its core longer or wider, or its poles thinner"
    )]
    NoRoom,
}

/// Most coils that a step makes.
const MOST_COILS: usize = 12;
/// Most poles that a step makes.
const MOST_POLES: usize = 60;
/// Clear distance of a further pole from its neighbour, mm.
const BETWEEN_POLES_MM: f64 = 1.0;
/// Distance of two coils' flanges when one is put beside another, mm.
const BESIDE_MM: f64 = 1.0;

impl fmt::Display for Step {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::AddCoil => write!(f, "coil.add"),
            Self::DuplicateCoil(i) => write!(f, "coil.duplicate:{i}"),
            Self::MirrorCoil(i) => write!(f, "coil.mirror:{i}"),
            Self::ReverseCoil(i) => write!(f, "coil.reverse:{i}"),
            Self::RemoveCoil(i) => write!(f, "coil.remove:{i}"),
            Self::FitCore(i) => write!(f, "core.fit:{i}"),
            Self::Stagger(Stagger::Level) => write!(f, "poles.level"),
            Self::Stagger(Stagger::Arched) => write!(f, "poles.arched"),
            Self::Stagger(Stagger::Stepped) => write!(f, "poles.stepped"),
            Self::AddPole(i) => write!(f, "pole.add:{i}"),
            Self::RemovePole(i) => write!(f, "pole.remove:{i}"),
            Self::FillPoles => write!(f, "poles.fill"),
            Self::EachString => write!(f, "strings.each"),
            Self::AddBar => write!(f, "bar.add"),
            Self::RemoveBar(i) => write!(f, "bar.remove:{i}"),
            Self::AddMetal => write!(f, "metal.add"),
            Self::RemoveMetal(i) => write!(f, "metal.remove:{i}"),
            Self::AddStage(i) => write!(f, "stage.add:{i}"),
            Self::RemoveStage(i) => write!(f, "stage.remove:{i}"),
        }
    }
}

impl FromStr for Step {
    type Err = StepError;

    fn from_str(text: &str) -> Result<Self, StepError> {
        let (name, index) = text.split_once(':').unwrap_or((text, "0"));
        let unknown = || StepError::Unknown(text.chars().take(40).collect());
        let i = index.parse::<usize>().ok().ok_or_else(unknown)?;
        Ok(match name {
            "coil.add" => Self::AddCoil,
            "coil.duplicate" => Self::DuplicateCoil(i),
            "coil.mirror" => Self::MirrorCoil(i),
            "coil.reverse" => Self::ReverseCoil(i),
            "coil.remove" => Self::RemoveCoil(i),
            "core.fit" => Self::FitCore(i),
            "poles.level" => Self::Stagger(Stagger::Level),
            "poles.arched" => Self::Stagger(Stagger::Arched),
            "poles.stepped" => Self::Stagger(Stagger::Stepped),
            "pole.add" => Self::AddPole(i),
            "pole.remove" => Self::RemovePole(i),
            "poles.fill" => Self::FillPoles,
            "strings.each" => Self::EachString,
            "bar.add" => Self::AddBar,
            "bar.remove" => Self::RemoveBar(i),
            "metal.add" => Self::AddMetal,
            "metal.remove" => Self::RemoveMetal(i),
            "stage.add" => Self::AddStage(i),
            "stage.remove" => Self::RemoveStage(i),
            _ => return Err(unknown()),
        })
    }
}

impl Step {
    /// Does the step.
    ///
    /// # Errors
    /// [`StepError`], with the design as it was.
    pub fn apply(self, design: &mut Design) -> Result<(), StepError> {
        match self {
            Self::AddCoil => duplicate(design, design.coils.len().saturating_sub(1)),
            Self::DuplicateCoil(i) => duplicate(design, i),
            Self::MirrorCoil(i) => {
                let coil = design.coils.get_mut(i).ok_or(StepError::Missing)?;
                coil.center_mm[1] = -coil.center_mm[1];
                let name = coil.name.clone();
                for pole in design.poles.iter_mut().filter(|p| p.coil == name) {
                    pole.up = pole.up.other();
                }
                Ok(())
            }
            Self::ReverseCoil(i) => {
                let wind = &mut design.coils.get_mut(i).ok_or(StepError::Missing)?.wind;
                wind.direction = match wind.direction {
                    Direction::Clockwise => Direction::CounterClockwise,
                    Direction::CounterClockwise => Direction::Clockwise,
                };
                Ok(())
            }
            Self::RemoveCoil(i) => remove_coil(design, i),
            Self::FitCore(i) => fit_core(design, i),
            Self::Stagger(stagger) => {
                staggered(design, stagger);
                Ok(())
            }
            Self::AddPole(i) => add_pole(design, i),
            Self::RemovePole(i) => {
                take_out(&mut design.poles, i)?;
                design.drop_missing_grounds();
                Ok(())
            }
            Self::FillPoles => {
                for coil in &design.coils {
                    let mut row = design.poles.iter_mut().filter(|p| p.coil == coil.name);
                    let Some(first) = row.next().map(|p| p.clone()) else { continue };
                    for pole in row {
                        pole.diameter_mm = first.diameter_mm;
                        pole.shape = first.shape;
                        pole.material = first.material;
                        pole.charge = first.charge;
                        pole.up = first.up;
                    }
                }
                Ok(())
            }
            Self::EachString => {
                let strings = &mut design.strings;
                if strings.each.is_empty() {
                    strings.each =
                        (1..=strings.count).map(|n| one_string(strings.core_and_gap_mm(n))).collect();
                }
                Ok(())
            }
            Self::AddBar => {
                let (length, bottom) = under(design);
                design.bars.push(Bar {
                    material: Material::Named(Grade::Alnico5),
                    size_mm: [length, 12.7, 3.2],
                    center_mm: [0.0, 0.0, bottom - 1.7],
                    magnetised: Axis::Y,
                    charge: 1.0,
                    north: End::Positive,
                });
                Ok(())
            }
            Self::RemoveBar(i) => take_out(&mut design.bars, i),
            Self::AddMetal => {
                let (length, bottom) = under(design);
                design.metal.push(Metal {
                    part: MetalPart::BasePlate,
                    material: Material::Named(Grade::NickelSilver),
                    size_mm: [length + 16.0, 30.0, 0.8],
                    center_mm: [0.0, 0.0, bottom - 1.0],
                    wall_mm: None,
                });
                Ok(())
            }
            Self::RemoveMetal(i) => {
                take_out(&mut design.metal, i)?;
                design.drop_missing_grounds();
                Ok(())
            }
            Self::AddStage(i) => {
                let wind = &mut design.coils.get_mut(i).ok_or(StepError::Missing)?.wind;
                let from = wind.plan.last().map_or(0, |s| s.until_turn);
                let until_turn = from + (wind.turns.saturating_sub(from) / 2).max(1);
                wind.plan.push(Stage { until_turn, bias: Bias::Centre });
                Ok(())
            }
            Self::RemoveStage(i) => {
                design.coils.get_mut(i).ok_or(StepError::Missing)?.wind.plan.pop();
                Ok(())
            }
        }
    }
}

impl Design {
    /// One coil on its own former with its poles, without what is fitted later: what lies on the bench when it has just
    /// been wound. `None` when there is no coil of that name.
    #[must_use]
    pub fn alone(&self, coil: &str) -> Option<Self> {
        let one = self.coils.iter().find(|c| c.name == coil)?.clone();
        let mut alone = self.clone();
        alone.coils = vec![one];
        // It is potted later; where nothing was said, nothing is said now.
        alone.potting = alone.potting.map(|_| crate::design::Potting::default());
        alone.wiring.grounded = None;
        alone.poles.retain(|p| p.coil == coil);
        alone.bars.clear();
        alone.metal.clear();
        "single".clone_into(&mut alone.wiring.join);
        alone.wiring.sense.retain(|name, _| name == coil);
        // What the whole is to become is no target of a part.
        alone.targets = crate::design::Targets::default();
        Some(alone)
    }
}

/// The first string that has no pole, in a row whose poles belong to strings.
fn next_string(design: &Design, coil: &str) -> Option<u32> {
    let mut own = design.poles.iter().filter(|p| p.coil == coil).peekable();
    let taken: Vec<u32> = own.clone().filter_map(|p| p.string).collect();
    let has_strings = own.peek().is_none() || !taken.is_empty();
    (1..=design.strings.count).find(|n| has_strings && !taken.contains(n))
}

/// A pole for the first string without one; else beside the outermost, within the core; a blade gets a second across from it.
fn add_pole(design: &mut Design, i: usize) -> Result<(), StepError> {
    if design.poles.len() >= MOST_POLES {
        return Err(StepError::TooManyPoles);
    }
    let coil = design.coils.get(i).ok_or(StepError::Missing)?.clone();
    let (length, width) = coil.former.core.size_mm();
    let last = design.poles.iter().rposition(|p| p.coil == coil.name);
    let Some(last) = last else {
        let strings = &design.strings;
        let place = super::place_in_row(1, strings.count, strings.pitch_mm, strings.handed);
        let height = coil.former.flange_bottom_mm + coil.former.height_mm + coil.former.flange_top_mm;
        let is_under = (place - coil.center_mm[0]).abs() < length / 2.0;
        design.poles.push(super::Pole {
            coil: coil.name.clone(),
            string: is_under.then_some(1),
            x_mm: if is_under { place } else { coil.center_mm[0] },
            y_mm: 0.0,
            shape: super::PoleShape::Rod,
            diameter_mm: (width - 0.2).clamp(0.5, 4.8),
            length_mm: height,
            bottom_mm: coil.base_mm,
            bevel_mm: 0.0,
            material: Material::Named(Grade::Alnico5),
            charge: 1.0,
            up: super::Polarity::South,
        });
        return Ok(());
    };
    let mut pole = design.poles[last].clone();
    let room = pole.diameter_mm + BETWEEN_POLES_MM;
    if pole.shape == super::PoleShape::Blade {
        let own = design.poles.iter().filter(|p| p.coil == coil.name).count();
        if own > 1 || width < 2.0 * pole.diameter_mm + BETWEEN_POLES_MM {
            return Err(StepError::NoRoom);
        }
        pole.y_mm = room / 2.0;
        design.poles[last].y_mm = -room / 2.0;
    } else if let Some(string) = next_string(design, &coil.name) {
        let strings = &design.strings;
        pole.x_mm = super::place_in_row(string, strings.count, strings.pitch_mm, strings.handed);
        pole.string = Some(string);
    } else {
        let own = || design.poles.iter().filter(|p| p.coil == coil.name).map(|p| p.x_mm);
        let (low, high) = (own().fold(f64::MAX, f64::min), own().fold(f64::MIN, f64::max));
        let fits = |x: f64| (x - coil.center_mm[0]).abs() + pole.diameter_mm / 2.0 <= length / 2.0 + 1e-6;
        pole.x_mm = [high + room, low - room].into_iter().find(|x| fits(*x)).ok_or(StepError::NoRoom)?;
        pole.string = None;
    }
    design.poles.insert(last + 1, pole);
    Ok(())
}

fn take_out<T>(all: &mut Vec<T>, i: usize) -> Result<(), StepError> {
    if i >= all.len() {
        return Err(StepError::Missing);
    }
    all.remove(i);
    Ok(())
}

fn one_string((core, gap_mm): (f64, f64)) -> OneString {
    OneString { note: String::new(), diameter_mm: core, core_mm: None, gap_mm }
}

/// Length along the row and the lowest point of what is there, mm.
fn under(design: &Design) -> (f64, f64) {
    let length = design.coils.iter().map(|c| c.former.core.size_mm().0).fold(10.0, f64::max);
    let coils = design.coils.iter().map(|c| c.base_mm);
    let parts = design.metal.iter().map(|m| m.center_mm[2] - m.size_mm[2] / 2.0);
    let bars = design.bars.iter().map(|b| b.center_mm[2] - b.size_mm[2] / 2.0);
    (length, coils.chain(parts).chain(bars).fold(0.0, f64::min))
}

fn free_name(design: &Design) -> String {
    let taken = |name: &str| design.coils.iter().any(|c| c.name == name);
    ('A'..='Z')
        .map(String::from)
        .find(|name| !taken(name))
        .unwrap_or_else(|| format!("{}", design.coils.len() + 1))
}

fn across_mm(coil: &Coil) -> f64 {
    coil.former.core.size_mm().1 + 2.0 * coil.former.room_mm
}

/// A second coil goes to the other side of the row with the first moved aside; further ones beside the outermost.
fn duplicate(design: &mut Design, i: usize) -> Result<(), StepError> {
    if design.coils.len() >= MOST_COILS {
        return Err(StepError::TooMany);
    }
    let mut copy = design.coils.get(i).ok_or(StepError::Missing)?.clone();
    let from = copy.name.clone();
    copy.name = free_name(design);
    let step = across_mm(&copy) + BESIDE_MM;
    if design.coils.len() == 1 && copy.center_mm[1].abs() < 1e-9 {
        design.coils[0].center_mm[1] = -step / 2.0;
        copy.center_mm[1] = step / 2.0;
    } else {
        let outermost = design.coils.iter().map(|c| c.center_mm[1]).fold(f64::MIN, f64::max);
        copy.center_mm[1] = outermost + step;
    }
    let poles: Vec<_> = design.poles.iter().filter(|p| p.coil == from).cloned().collect();
    for mut pole in poles {
        copy.name.clone_into(&mut pole.coil);
        // The usual pair is turned over in magnet and winding, so that hum is lost and the string is not.
        pole.up = pole.up.other();
        design.poles.push(pole);
    }
    if design.wiring.join == "single" {
        design.wiring.join = "series".into();
    }
    design.coils.push(copy);
    let last = design.coils.len() - 1;
    Step::ReverseCoil(last).apply(design)
}

fn remove_coil(design: &mut Design, i: usize) -> Result<(), StepError> {
    if i >= design.coils.len() {
        return Err(StepError::Missing);
    }
    if design.coils.len() == 1 {
        return Err(StepError::LastCoil);
    }
    let gone = design.coils.remove(i).name;
    design.poles.retain(|p| p.coil != gone);
    design.wiring.sense.remove(&gone);
    if design.coils.len() == 1 {
        design.coils[0].center_mm[1] = 0.0;
        design.wiring.join = "single".into();
    } else if design.wiring.join == format!("split:{gone}") {
        design.wiring.join = "series".into();
    }
    Ok(())
}

fn fit_core(design: &mut Design, i: usize) -> Result<(), StepError> {
    let name = &design.coils.get(i).ok_or(StepError::Missing)?.name;
    let (length, width) = row_of(design, name).ok_or(StepError::Missing)?;
    design.coils[i].former.core = Core::stadium(length, width);
    Ok(())
}

fn staggered(design: &mut Design, stagger: Stagger) {
    // Of six strings, thinnest first, mm over the lowest; other counts read between them.
    const STEPPED_MM: [f64; 6] = [0.4, 0.0, 1.2, 1.6, 0.9, 0.4];
    const ARCH_MM: f64 = 1.2;
    let count = design.strings.count;
    let last = f64::from(count.max(2) - 1);
    let over = |string: u32| -> f64 {
        let t = f64::from(string.saturating_sub(1)) / last;
        match stagger {
            Stagger::Level => 0.0,
            Stagger::Arched => ARCH_MM * 4.0 * t * (1.0 - t),
            Stagger::Stepped => {
                let at = t * (STEPPED_MM.len() - 1) as f64;
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 5")]
                let k = (at as usize).min(STEPPED_MM.len() - 2);
                STEPPED_MM[k] + (at - k as f64) * (STEPPED_MM[k + 1] - STEPPED_MM[k])
            }
        }
    };
    for coil in &design.coils {
        let row = || design.poles.iter().filter(|p| p.coil == coil.name && p.string.is_some());
        let low = row().map(|p| p.length_mm).fold(f64::INFINITY, f64::min);
        let high = row().map(|p| p.length_mm).fold(0.0, f64::max);
        let base = if stagger == Stagger::Level { high } else { low };
        for pole in design.poles.iter_mut().filter(|p| p.coil == coil.name) {
            if let Some(string) = pole.string {
                pole.length_mm = ((base + over(string)) * 1e3).round() / 1e3;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, starting_point, tall_single};
    use rstest::rstest;

    #[rstest]
    #[case("coil.add")]
    #[case("coil.duplicate:0")]
    #[case("coil.mirror:0")]
    #[case("coil.reverse:0")]
    #[case("core.fit:0")]
    #[case("poles.level")]
    #[case("poles.arched")]
    #[case("poles.stepped")]
    #[case("poles.fill")]
    #[case("strings.each")]
    #[case("bar.add")]
    #[case("metal.add")]
    #[case("stage.add:0")]
    #[case("stage.remove:0")]
    fn every_step_is_said_and_leaves_a_sound_design(#[case] text: &str) {
        let step: Step = text.parse().unwrap();
        assert_eq!(step.to_string().trim_end_matches(":0"), text.trim_end_matches(":0"));
        for kind in Format::ALL {
            let mut design = starting_point(kind, "Sedge", 6, 10.0);
            let before = design.clone();
            match step.apply(&mut design) {
                Ok(()) => assert!(design.problems().is_empty(), "{kind:?} {text}: {:?}", design.problems()),
                Err(_) => assert_eq!(design, before, "{kind:?} {text}"),
            }
        }
    }

    /// Two coils turned over against one another lose the hum (common practice, no source).
    #[test]
    fn a_duplicate_makes_a_pair_that_loses_the_hum() {
        let mut design = tall_single("Sedge", 6, 10.4);
        Step::DuplicateCoil(0).apply(&mut design).unwrap();
        assert_eq!((design.coils.len(), design.poles.len(), design.wiring.join.as_str()), (2, 12, "series"));
        let pickup = crate::prediction::predict(&design).unwrap().pickup;
        assert!(pickup.hum_rejection_db.unwrap() > 30.0);
        Step::RemoveCoil(1).apply(&mut design).unwrap();
        assert_eq!(design, tall_single("Sedge", 6, 10.4));
        assert_eq!(Step::RemoveCoil(0).apply(&mut design), Err(StepError::LastCoil));
    }

    #[test]
    fn a_stagger_belongs_to_the_strings_not_to_the_places() {
        let mut design = tall_single("Sedge", 6, 10.4);
        Step::Stagger(Stagger::Stepped).apply(&mut design).unwrap();
        let lengths: Vec<f64> = design.poles.iter().map(|p| p.length_mm).collect();
        assert_eq!(lengths, [17.4, 17.0, 18.2, 18.6, 17.9, 17.4]);
        Step::Stagger(Stagger::Level).apply(&mut design).unwrap();
        assert!(design.poles.iter().all(|p| (p.length_mm - 18.6).abs() < 1e-9));
    }

    /// A coil of a twin on the bench reads half the ohms of the pair (both are alike, in series), and less than half its
    /// henries: the other coil and the magnet's bar are not there yet.
    #[test]
    fn a_coil_alone_is_sound_and_reads_half() {
        let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
        let whole = crate::prediction::predict(&twin).unwrap().pickup;
        for coil in ["A", "B"] {
            let alone = twin.alone(coil).unwrap();
            assert!(alone.problems().is_empty(), "{:?}", alone.problems());
            let pickup = crate::prediction::predict(&alone).unwrap().pickup;
            let half = pickup.resistance_20c_ohm.nominal / whole.resistance_20c_ohm.nominal;
            assert!((half - 0.5).abs() < 0.01, "{coil}: {half}");
            assert!(pickup.inductance_h.nominal < 0.55 * whole.inductance_h.nominal);
        }
        assert!(twin.alone("Z").is_none());
    }

    #[test]
    fn poles_are_added_and_taken_out() {
        let mut design = tall_single("Sedge", 6, 10.4);
        assert_eq!(Step::AddPole(0).apply(&mut design), Err(StepError::NoRoom), "every string has one");
        Step::RemovePole(2).apply(&mut design).unwrap();
        Step::AddPole(0).apply(&mut design).unwrap();
        let again = design.poles.iter().find(|p| p.string == Some(3)).unwrap();
        assert!((again.x_mm - 5.2).abs() < 1e-9);
        assert_eq!((design.poles.len(), design.problems()), (6, vec![]));
        while !design.poles.is_empty() {
            Step::RemovePole(0).apply(&mut design).unwrap();
        }
        Step::AddPole(0).apply(&mut design).unwrap();
        assert!(crate::prediction::predict(&design).is_ok());
    }

    /// Two blades in one coil link the coil's flux on both sides of its middle: more steel in the core, more inductance.
    #[test]
    fn a_second_blade_stands_across_from_the_first() {
        let mut design = starting_point(Format::Blade, "Sedge", 6, 10.0);
        assert_eq!(Step::AddPole(0).apply(&mut design), Err(StepError::NoRoom));
        design.coils[0].former.core.width_mm = Some(9.0);
        let henries = |d: &Design| crate::prediction::predict(d).unwrap().pickup.inductance_h.nominal;
        let one = henries(&design);
        Step::AddPole(0).apply(&mut design).unwrap();
        assert_eq!(design.poles.len(), 2);
        assert!((design.poles[0].y_mm + design.poles[1].y_mm).abs() < 1e-9);
        assert!(design.problems().is_empty(), "{:?}", design.problems());
        assert!(henries(&design) > 1.05 * one);
        let mut nested = design.clone();
        nested.poles[1].y_mm = nested.poles[0].y_mm;
        assert_eq!(nested.problems()[0].at, "poles[1].x_mm");
    }

    #[test]
    fn nonsense_is_refused() {
        for text in ["coil.eat", "coil.add:x", ""] {
            assert!(matches!(text.parse::<Step>(), Err(StepError::Unknown(_))), "{text}");
        }
        let mut design = tall_single("Sedge", 6, 10.4);
        assert_eq!(Step::RemoveBar(0).apply(&mut design), Err(StepError::Missing));
        assert_eq!(Step::DuplicateCoil(7).apply(&mut design), Err(StepError::Missing));
    }
}
