//! Every drawing of every format, read as XML [XML 1.0] and measured: all numbers are numbers, and what is drawn lies in its
//! frame.

use super::{of, solved};
use coil::design::{Design, Format, starting_point};
use coil::prediction::{Plane, Solution};
use coil::quantity::{FluxUnit, LengthUnit, MassUnit, TemperatureUnit, Units};
use presentation::drawing;
use presentation::drawing::chart::{histogram, interval, shares};
use presentation::field_map::field_map;
use roxmltree::{Document, Node};
use rstest::rstest;

const INCHES: Units = Units {
    length: LengthUnit::Inch,
    temperature: TemperatureUnit::Fahrenheit,
    flux: FluxUnit::Gauss,
    mass: MassUnit::Ounce,
};

/// Attributes that hold one number.
const NUMBERS: [&str; 11] = ["x", "y", "x1", "x2", "y1", "y2", "cx", "cy", "r", "width", "height"];

fn number(node: &Node<'_, '_>, name: &str) -> Option<f64> {
    let text = node.attribute(name)?;
    let value: f64 = text.parse().unwrap_or_else(|_| panic!("{name}=\"{text}\" is no number"));
    assert!(value.is_finite(), "{name}=\"{text}\"");
    Some(value)
}

/// The numbers of a path's data; relative steps are left out.
fn places(data: &str) -> Vec<f64> {
    data.split(|c: char| !(c.is_ascii_digit() || ".-e".contains(c)))
        .filter(|part| !part.is_empty())
        .map(|part| part.parse().unwrap_or_else(|_| panic!("“{part}” in {data} is no number")))
        .collect()
}

/// Reads a drawing; `room` is how far beyond its frame anything may stand, in its own units.
fn read(svg: &str, room: f64) -> usize {
    let document = Document::parse(svg).unwrap_or_else(|e| panic!("{e}: {svg}"));
    let root = document.root_element();
    assert_eq!(root.tag_name().name(), "svg");
    assert!(!root.attribute("aria-label").unwrap().trim().is_empty(), "a drawing says what it is");
    let view = places(root.attribute("viewBox").unwrap());
    let [left, top, wide, high] = view[..] else { panic!("{view:?}") };
    assert!(wide > 0.0 && high > 0.0 && view.iter().all(|v| v.is_finite()));
    let (right, bottom) = (left + wide, top + high);
    let is_within = |x: f64, y: f64, node: &Node<'_, '_>| {
        let within = (left - room..=right + room).contains(&x) && (top - room..=bottom + room).contains(&y);
        assert!(within, "({x}, {y}) of {node:?} is out of {view:?}");
    };
    let mut drawn = 0;
    for node in root.descendants().filter(Node::is_element) {
        for name in NUMBERS {
            number(&node, name);
        }
        let at = |x: &str, y: &str| Some((number(&node, x)?, number(&node, y)?));
        match node.tag_name().name() {
            "rect" => {
                let (x, y) = at("x", "y").unwrap_or_default();
                let (w, h) = at("width", "height").unwrap();
                assert!(w >= 0.0 && h >= 0.0, "{node:?}");
                is_within(x, y, &node);
                is_within(x + w, y + h, &node);
            }
            "circle" => {
                let (x, y) = at("cx", "cy").unwrap();
                assert!(number(&node, "r").unwrap() > 0.0);
                is_within(x, y, &node);
            }
            "text" => {
                let (x, y) = at("x", "y").unwrap();
                is_within(x, y, &node);
            }
            "path" => {
                let data = node.attribute("d").unwrap();
                assert!(data.starts_with(['M', 'm']) || data.is_empty(), "{data}");
                assert!(places(data).iter().all(|v| v.is_finite()), "{data}");
            }
            _ => continue,
        }
        drawn += 1;
    }
    drawn
}

/// From above, in section, and its wiring; by themselves and over another of its kind.
#[rstest]
fn a_pickup_is_drawn_in_its_frame(
    #[values(4, 6, 8)] strings: u32,
    #[values(Units::default(), INCHES)] units: Units,
) {
    for kind in Format::ALL {
        let design = starting_point(kind, "Sedge & <Sons>", strings, 10.0);
        let mut other = design.clone();
        for coil in &mut other.coils {
            coil.former.height_mm += 1.5;
        }
        let builds = vec![3.5; design.coils.len()];
        let (one, two) = ((&design, builds.as_slice()), (&other, builds.as_slice()));
        for svg in [
            drawing::top(&design, &builds, units),
            drawing::section(&design, &builds, units),
            drawing::top_over(one, two, units),
            drawing::section_over(one, two, units),
            drawing::wiring(&design),
        ] {
            assert!(read(&svg, 0.5) > 3, "{kind:?}");
        }
    }
}

/// A part that is larger makes the frame larger, never the part smaller: a millimetre stays a unit.
#[rstest]
#[case(|d: &mut Design| d.coils[0].former.height_mm *= 2.0)]
#[case(|d: &mut Design| d.coils[0].former.core = coil::former::Core::stadium(90.0, 12.0))]
#[case(|d: &mut Design| d.poles[0].length_mm *= 1.5)]
#[case(|d: &mut Design| d.poles.iter_mut().for_each(|p| p.diameter_mm *= 1.4))]
#[case(|d: &mut Design| d.coils[0].former.room_mm += 9.0)]
fn large_parts_stay_in_the_frame(#[case] change: fn(&mut Design)) {
    for kind in [Format::TallSingle, Format::TwinCoil, Format::WideSingle] {
        let mut design = of(kind);
        change(&mut design);
        let builds = vec![6.0; design.coils.len()];
        read(&drawing::top(&design, &builds, Units::default()), 0.5);
        read(&drawing::section(&design, &builds, Units::default()), 0.5);
    }
}

/// What is solved of a pickup: its winding, the guide's path, the field over its row, balance, pull and the bend.
#[test]
fn what_is_predicted_is_drawn_in_its_frame() {
    for kind in [Format::TallSingle, Format::TwinCoil, Format::Blade, Format::PerString] {
        let design = of(kind);
        let (solution, prediction) = solved(&design);
        let (plan, section) = solution.lay(0).unwrap();
        let units = Units::default();
        read(&drawing::laid(section, units), 0.5);
        read(&drawing::guide(plan), 0.5);
        let xs: Vec<f64> = (-40..=40).map(f64::from).collect();
        let row: Vec<(f64, f64)> =
            xs.iter().copied().zip(solution.flux_along_row_mt(&xs, 0.0, 25.0).iter().map(|b| b[2])).collect();
        read(&drawing::row(&row, &[-26.0, 0.0, 26.0], units), 0.5);
        for from_last in [false, true] {
            read(&drawing::balance(&prediction.strings, from_last), 0.5);
            read(&drawing::pull(&prediction.strings, from_last), 0.5);
        }
        let map = solution.bend_map(1).unwrap();
        assert!(read(&drawing::bend(&map, &[-26.0, 0.0, 26.0]), 0.5) > 20, "{kind:?}");
    }
}

/// A band with its target and its measurement, wherever those lie, and with open ends.
#[rstest]
#[case(None, None)]
#[case(Some([5500.0, 6000.0]), Some(5800.0))]
#[case(Some([1.0, 2.0]), Some(9e9))]
#[case(Some([f64::NEG_INFINITY, 6000.0]), Some(0.0))]
#[case(Some([5500.0, f64::INFINITY]), None)]
fn a_band_is_drawn_whatever_it_is_compared_with(
    #[case] target: Option<[f64; 2]>,
    #[case] measured: Option<f64>,
) {
    let predicted = solved(&of(Format::TallSingle)).1.pickup.resistance_20c_ohm;
    read(&drawing::band(&predicted, target, measured), 0.5);
    let point = coil::prediction::Quantity { nominal: 1.0, p05: 1.0, p95: 1.0 };
    read(&drawing::band(&point, target, measured), 0.5);
}

#[rstest]
#[case(&[])]
#[case(&[0.0])]
#[case(&[1e-9, -1e-9, 1e9, -1e9])]
fn charts_of_few_and_far_values(#[case] values: &[f64]) {
    read(&histogram(values, 0.005, 0.05, &|v| format!("{v:+.1} <%>")), 0.5);
    for value in values {
        read(&interval(*value, value - 0.01, value + 0.01, 0.05), 0.5);
    }
    let parts: Vec<(String, f64)> = values.iter().map(|v| ("K & <7>".to_owned(), v.abs())).collect();
    read(&shares(&parts), 0.5);
}

/// The map of the field is the engine's, point by point, to a fortieth of a millitesla; metal is told apart from it.
#[test]
fn the_map_holds_the_field() {
    let design = of(Format::TallSingle);
    let solution = Solution::compute(&design).unwrap();
    let map = solution.field_map(Plane::Section { x_mm: design.poles[0].x_mm }, 12, 8);
    let markup = field_map(&map, INCHES, "Field <in section>");
    let document = Document::parse(&markup).unwrap();
    let data = document.root_element().attributes().find(|a| a.name().starts_with("data-")).unwrap();
    let data: serde_json::Value = serde_json::from_str(data.value()).unwrap();
    let values = data["values"].as_str().unwrap();
    assert_eq!(values.len(), 12 * map.field_mt.len());
    let (steps, inside) = (data["steps"].as_f64().unwrap(), data["inside"].as_i64().unwrap());
    assert_eq!((data["unit"].as_str(), data["scale"].as_f64()), (Some("G"), Some(10.0)));
    for (k, point) in map.field_mt.iter().enumerate() {
        for axis in 0..3 {
            let from = 12 * k + 4 * axis;
            let kept = u16::from_str_radix(&values[from..from + 4], 16).unwrap().cast_signed();
            match point {
                Some(b) => assert!((f64::from(kept) / steps - b[axis]).abs() <= 0.5 / steps + 1e-9),
                None => assert_eq!(i64::from(kept), inside),
            }
        }
    }
    assert!(map.field_mt.iter().any(Option::is_none), "the section cuts a magnet");
}

/// A set's pickups along the strings, and what its positions hear of a string, whatever the pickups are called.
#[test]
fn a_set_is_drawn_in_its_frame() {
    use coil::prediction::Calibration;
    use coil::set::{PlacedPickup, SetSolution};
    let text = include_str!("../../../../examples/sets/three-voices.json");
    let mut set = coil::set::read(text).unwrap();
    let names = ["<b>one</b>", "two & \"three\"", "' onload='x"];
    for (pickup, name) in set.pickups.iter_mut().zip(names) {
        let old = std::mem::replace(&mut pickup.name, name.to_owned());
        for position in &mut set.switch {
            position.on.iter_mut().filter(|on| **on == old).for_each(|on| name.clone_into(on));
        }
    }
    let solve = |d: &Design| PlacedPickup::try_new(d, &Calibration::default()).map(std::sync::Arc::new);
    let solution = SetSolution::compute(&set, solve).unwrap();
    let signals: Vec<_> = (0..set.pickups.len()).filter_map(|i| solution.signal(i)).collect();
    assert_eq!(signals.len(), set.pickups.len());
    for units in [Units::default(), INCHES] {
        assert!(read(&drawing::neck(&set, &signals, units), 0.5) > 6);
        assert!(read(&drawing::neck(&set, &[], units), 0.5) > 6, "also before it is solved");
    }
    let heard: Vec<_> = (0..set.switch.len())
        .map(|index| {
            let string = solution.strings(index).into_iter().next().unwrap();
            (set.switch[index].name.clone(), string.partials)
        })
        .collect();
    assert!(read(&drawing::comb(&heard), 0.5) > 10);
}

/// What a fit leaves is drawn about nothing, however large or small it is.
#[rstest]
#[case(&[(100.0, 0.0), (1000.0, 0.0)])]
#[case(&[(0.0, -1e9), (1.0, 1e9)])]
#[case(&[(440.0, 0.2)])]
fn residuals_lie_about_nothing(#[case] off: &[(f64, f64)]) {
    let svg = presentation::plot::residuals(off, "<Ω>");
    let document = Document::parse(&svg).unwrap();
    let dots: Vec<Node<'_, '_>> = document.descendants().filter(|n| n.has_tag_name("circle")).collect();
    assert_eq!(dots.len(), off.len());
    for (dot, (_, value)) in dots.iter().zip(off) {
        let y = number(dot, "cy").unwrap();
        assert!((0.0..=120.0).contains(&y) && (y < 60.0) == (*value > 0.0), "{y} for {value}");
        assert!((0.0..=560.0).contains(&number(dot, "cx").unwrap()));
    }
}
