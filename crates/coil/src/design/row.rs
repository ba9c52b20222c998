//! What follows the row of strings when their number, their pitch or the hand changes.

use super::{Coil, Design, Direction, Handed, Pole, PoleShape, Strings};
use crate::former::CoreShape;

/// Most that a core is longer than its row of poles and still holds just that row, mm.
const LINER_MM: f64 = 10.0;
/// Share of the row that a part without poles of its own spans when it belongs to the row.
const SPANS: f64 = 0.9;
/// Room that is left between neighbours of coils with a string each, mm.
const BETWEEN_MM: f64 = 0.6;
/// Least and most room between wide magnets of a row, over their diameter, mm.
const BETWEEN_BUTTONS_MM: f64 = 1.0;

/// Where string `string` (from 1) of `count` stands along the row, mm, kept to the nanometre so that equal
/// rows compare equal. String 1 is the thinnest: on the treble side, at positive x, unless left-handed.
///
/// ```
/// use coil::design::{Handed, place_in_row};
/// // Six strings 10 mm apart: the outer ones 25 mm from the middle, the highest to the right.
/// assert_eq!(place_in_row(1, 6, 10.0, Handed::Right), 25.0);
/// assert_eq!(place_in_row(6, 6, 10.0, Handed::Right), -25.0);
/// assert_eq!(place_in_row(1, 6, 10.0, Handed::Left), -25.0);
/// ```
#[must_use]
pub fn place_in_row(string: u32, count: u32, pitch_mm: f64, handed: Handed) -> f64 {
    let side = if handed == Handed::Right { 1.0 } else { -1.0 };
    let steps = f64::from(count.max(1) - 1) / 2.0 - (f64::from(string) - 1.0);
    (side * steps * pitch_mm * 1e6).round() / 1e6
}

/// Length and width that just hold the poles of a coil, mm.
pub(super) fn row_of(design: &Design, coil: &str) -> Option<(f64, f64)> {
    let mut poles = design.poles.iter().filter(|p| p.coil == coil).peekable();
    poles.peek()?;
    let (low, high, thick) = poles.fold((f64::MAX, f64::MIN, 0.0_f64), |(low, high, thick), p| {
        (low.min(p.x_mm), high.max(p.x_mm), thick.max(p.diameter_mm))
    });
    Some((high - low + thick, thick))
}

/// Length of a row of strings between its outer ones, mm.
fn row_mm(strings: &Strings) -> f64 {
    strings.pitch_mm * f64::from(strings.count.max(1) - 1)
}

fn round(mm: f64) -> f64 {
    (mm * 1e6).round() / 1e6
}

/// Places of wide magnets under a row of strings, from end to end and as many as fit, mm: no string lies far from one.
pub(super) fn button_places(row_mm: f64, diameter_mm: f64) -> Vec<f64> {
    let room = diameter_mm + BETWEEN_BUTTONS_MM;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few dozen at most")]
    let gaps = (row_mm / room).floor().clamp(1.0, 58.0) as u32;
    let step = row_mm.max(room) / f64::from(gaps);
    (0..=gaps).map(|k| round((f64::from(k) - f64::from(gaps) / 2.0) * step)).collect()
}

/// What stood in the row of strings before follows it: poles to their strings' new places and one more for every new string, coils
/// with a string each likewise, wide magnets from end to end, cores, bars and plates that spanned the row to its new length, and the
/// list of strings to their number.
pub fn follow_row(before: &Design, design: &mut Design) {
    let (old, new) = (&before.strings, design.strings.clone());
    let moved =
        old.count != new.count || (old.pitch_mm - new.pitch_mm).abs() > 1e-9 || old.handed != new.handed;
    if moved && (4..=10).contains(&new.count) {
        if has_a_coil_for_each_string(before) {
            coils_follow(design, &new);
        } else {
            let rows: Vec<String> =
                before.coils.iter().filter(|c| is_a_row(before, c)).map(|c| c.name.clone()).collect();
            for name in &rows {
                poles_follow(before, design, name, &new);
            }
            buttons_follow(before, design, &new);
            spans_follow(before, design, &rows, row_mm(&new) - row_mm(old));
        }
    }
    let each = &mut design.strings.each;
    if let Some(last) = each.last().cloned() {
        each.resize(new.count as usize, last);
    }
}

/// Whether a pole stands under its string.
fn is_in_row(strings: &Strings, pole: &Pole) -> bool {
    pole.string.is_some_and(|s| {
        (place_in_row(s, strings.count, strings.pitch_mm, strings.handed) - pole.x_mm).abs() < 1e-6
    })
}

/// Whether a coil holds a pole under every string.
fn is_a_row(design: &Design, coil: &Coil) -> bool {
    let row: Vec<&Pole> = design.poles.iter().filter(|p| p.coil == coil.name).collect();
    row.len() == design.strings.count as usize && row.iter().all(|p| is_in_row(&design.strings, p))
}

/// Whether every string has a coil of its own with a pole in it.
fn has_a_coil_for_each_string(design: &Design) -> bool {
    design.coils.len() > 1
        && design.coils.len() == design.strings.count as usize
        && design.coils.iter().all(|coil| {
            let mut own = design.poles.iter().filter(|p| p.coil == coil.name);
            let is_under =
                |p: &Pole| is_in_row(&design.strings, p) && (p.x_mm - coil.center_mm[0]).abs() < 1e-6;
            own.next().is_some_and(is_under) && own.next().is_none()
        })
}

/// As many coils as strings, each under its own: further ones are like the last, turned over against it.
fn coils_follow(design: &mut Design, new: &Strings) {
    let place = |string: u32| place_in_row(string, new.count, new.pitch_mm, new.handed);
    let count = new.count as usize;
    design.coils.truncate(count);
    let kept: Vec<String> = design.coils.iter().map(|c| c.name.clone()).collect();
    design.poles.retain(|p| kept.contains(&p.coil));
    design.wiring.sense.retain(|name, _| kept.contains(name));
    while design.coils.len() < count {
        let Some(mut coil) = design.coils.last().cloned() else { return };
        let from = std::mem::take(&mut coil.name);
        let taken = |name: &str| design.coils.iter().any(|c| c.name == name);
        coil.name = (1..=999).map(|k| format!("S{k}")).find(|name| !taken(name)).unwrap_or_default();
        coil.wind.direction = match coil.wind.direction {
            Direction::Clockwise => Direction::CounterClockwise,
            Direction::CounterClockwise => Direction::Clockwise,
        };
        let own: Vec<Pole> = design.poles.iter().filter(|p| p.coil == from).cloned().collect();
        for pole in own {
            design.poles.push(Pole { coil: coil.name.clone(), up: pole.up.other(), ..pole });
        }
        design.coils.push(coil);
    }
    for (string, coil) in (1..).zip(&mut design.coils) {
        coil.center_mm[0] = round(place(string));
        for pole in design.poles.iter_mut().filter(|p| p.coil == coil.name) {
            (pole.string, pole.x_mm) = (Some(string), place(string));
        }
        // Neighbours must not stand in one another.
        let room = (new.pitch_mm - coil.former.core.size_mm().0 - BETWEEN_MM) / 2.0;
        coil.former.room_mm = round(coil.former.room_mm.min(room).max(0.4));
    }
}

fn poles_follow(before: &Design, design: &mut Design, name: &str, new: &Strings) {
    let place = |string: u32| place_in_row(string, new.count, new.pitch_mm, new.handed);
    if let (Some((row, thick)), Some(coil)) =
        (row_of(before, name), design.coils.iter_mut().find(|c| c.name == name))
    {
        let core = coil.former.core;
        let liner = core.size_mm().0 - row;
        if core.shape != CoreShape::Round && liner > -1e-6 && liner < LINER_MM {
            coil.former.core.length_mm = round(row_mm(new) + thick + liner);
        }
    }
    let mut row: Vec<_> = design.poles.iter().filter(|p| p.coil == name).cloned().collect();
    let at = design.poles.iter().position(|p| p.coil == name).unwrap_or(0);
    design.poles.retain(|p| p.coil != name);
    row.truncate(new.count as usize);
    while let Some(last) = row.last().filter(|_| row.len() < new.count as usize).cloned() {
        row.push(last);
    }
    for (string, pole) in (1..).zip(&mut row) {
        pole.string = Some(string);
        pole.x_mm = place(string);
    }
    design.poles.splice(at..at, row);
}

/// Wide magnets that stood from end to end do so again.
fn buttons_follow(before: &Design, design: &mut Design, new: &Strings) {
    for coil in &before.coils {
        let own: Vec<&Pole> = before.poles.iter().filter(|p| p.coil == coil.name).collect();
        let Some(first) = own.first().filter(|p| p.shape == PoleShape::Button && p.string.is_none()) else {
            continue;
        };
        let places = button_places(row_mm(&before.strings), first.diameter_mm);
        let stood = own.len() == places.len()
            && own
                .iter()
                .zip(&places)
                .all(|(p, x)| p.shape == PoleShape::Button && (p.x_mm - x).abs() < 1e-6);
        if !stood {
            continue;
        }
        let Some(like) = design.poles.iter().find(|p| p.coil == coil.name).cloned() else { continue };
        let at = design.poles.iter().position(|p| p.coil == coil.name).unwrap_or(0);
        design.poles.retain(|p| p.coil != coil.name);
        let places = button_places(row_mm(new), like.diameter_mm);
        design.poles.splice(at..at, places.into_iter().map(|x_mm| Pole { x_mm, ..like.clone() }));
    }
}

/// Cores, bars and plates that spanned the row before span it again.
fn spans_follow(before: &Design, design: &mut Design, rows: &[String], longer_mm: f64) {
    let spanned = |size_mm: f64| size_mm >= SPANS * row_mm(&before.strings);
    for coil in design.coils.iter_mut().filter(|c| !rows.contains(&c.name)) {
        let core = &mut coil.former.core;
        if core.shape != CoreShape::Round && spanned(core.length_mm) {
            core.length_mm = round((core.length_mm + longer_mm).max(1.0));
        }
    }
    let bars = design.bars.iter_mut().map(|b| &mut b.size_mm[0]);
    for size in bars.chain(design.metal.iter_mut().map(|m| &mut m.size_mm[0])) {
        if spanned(*size) {
            *size = round((*size + longer_mm).max(1.0));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, starting_point, tall_single};

    #[test]
    fn the_row_follows_its_strings_and_left_hands_mirror_it() {
        let before = tall_single("Sedge", 6, 10.4);
        let mut after = before.clone();
        (after.strings.count, after.strings.pitch_mm, after.strings.handed) = (8, 9.0, Handed::Left);
        follow_row(&before, &mut after);
        assert_eq!(after.poles.len(), 8);
        assert!((after.poles[0].x_mm + 31.5).abs() < 1e-9);
        assert!((after.coils[0].former.core.length_mm - (63.0 + 4.75)).abs() < 1e-9);
        let mut back = after.clone();
        (back.strings.count, back.strings.pitch_mm, back.strings.handed) = (6, 10.4, Handed::Right);
        follow_row(&after, &mut back);
        assert_eq!(back, before);
    }

    /// However many strings there are and however wide they stand, every format follows, is sound, and lets no string be heard
    /// more than 6 dB under the mean; back at the row before it is what it was.
    #[test]
    fn every_format_follows_its_strings() {
        for kind in Format::ALL {
            for count in 4..=10 {
                for pitch_mm in [9.5, 10.4, 11.5] {
                    let before = starting_point(kind, "Sedge", 6, 10.4);
                    let mut after = before.clone();
                    (after.strings.count, after.strings.pitch_mm) = (count, pitch_mm);
                    follow_row(&before, &mut after);
                    let case = format!("{kind:?}, {count} at {pitch_mm}");
                    assert!(after.problems().is_empty(), "{case}: {:?}", after.problems());
                    let heard: Vec<f64> = crate::prediction::predict(&after)
                        .unwrap_or_else(|e| panic!("{case}: {e:?}"))
                        .strings
                        .iter()
                        .map(|s| s.relative_db)
                        .collect();
                    let mean = heard.iter().sum::<f64>() / heard.len() as f64;
                    let least = heard.iter().copied().fold(f64::MAX, f64::min);
                    assert!(least > mean - 6.0, "{case}: {heard:.1?}");
                    let mut back = after.clone();
                    (back.strings.count, back.strings.pitch_mm) = (6, 10.4);
                    follow_row(&after, &mut back);
                    assert_eq!(back.poles.len(), before.poles.len(), "{case}");
                    assert_eq!(back.coils.len(), before.coils.len(), "{case}");
                }
            }
        }
    }

    #[test]
    fn a_string_that_is_not_heard_is_told() {
        let told = |design: &Design| {
            let notices = crate::prediction::predict(design).unwrap().notices;
            notices.iter().any(|n| n.code == "string-not-heard")
        };
        let mut blade = starting_point(Format::Blade, "Sedge", 6, 10.4);
        assert!(!told(&blade));
        // Ten strings over what was made for six, and nobody moved the parts.
        blade.strings.count = 10;
        assert!(told(&blade));
    }
}
