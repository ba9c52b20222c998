//! The pickups of a set under their strings, to scale.

use super::{Element, Svg};
use coil::design::{Design, place_in_row};
use coil::prediction::PickupSignal;
use coil::quantity::Units;
use coil::set::{LeadOrder, Set, half_width_mm};

/// Share of the strings that is drawn, from the bridge: beyond it no pickup stands.
const SHOWN: f64 = 0.4;

/// A set from above, the bridge at the left: strings, frets, and every pickup at its place with the pole that is up and the way its
/// current runs. `signals` are those of the solved pickups; none where the set cannot be predicted. Each pickup can be dragged: it
/// carries its index, and the frame carries the millimetres that are drawn.
pub fn neck(set: &Set, signals: &[&PickupSignal], units: Units) -> String {
    let Some(first) = set.pickups.first() else { return String::new() };
    let strings = &first.design.strings;
    let scale = strings.scale_mm;
    let furthest = set.pickups.iter().map(|p| p.from_bridge_mm).filter(|v| v.is_finite()).fold(0.0, f64::max);
    let wide = (SHOWN * scale).max(furthest + 30.0).min(scale);
    let row = strings.pitch_mm * f64::from(strings.count) / 2.0 + 4.0;
    let half = set.pickups.iter().map(|p| across_mm(&p.design) + 1.0).fold(row, f64::max);
    let (top, bottom) = (-half - 10.0, half + 15.0);
    let mut svg = Svg::default();
    svg.put(
        Element::new("rect")
            .with("class", "neck-board")
            .with("x", format_args!("{:.1}", scale / 4.0 - 6.0))
            .with("y", format_args!("{:.1}", -half + 2.0))
            .with("width", format_args!("{:.1}", (wide - scale / 4.0 + 6.0).max(0.0)))
            .with("height", format_args!("{:.1}", 2.0 * half - 4.0)),
    );
    for fret in 1..=24 {
        let x = scale * 0.5_f64.powf(f64::from(fret) / 12.0);
        if x > wide {
            continue;
        }
        let line = format!("M{x:.2} {:.1}V{:.1}", -half + 2.0, half - 2.0);
        svg.put(Element::new("path").with("class", "fret").with("d", line));
        let label = Element::new("text").with("class", "dim-text").with("text-anchor", "middle");
        svg.put(
            label.with("x", format_args!("{x:.1}")).with("y", format_args!("{:.1}", half + 3.0)).text(fret),
        );
    }
    svg.put(
        Element::new("path")
            .with("class", "bridge-line")
            .with("d", format_args!("M0 {:.1}V{:.1}", -half, half)),
    );
    let bridge = Element::new("text").with("class", "dim-text").with("x", "0").with("text-anchor", "middle");
    svg.put(bridge.with("y", format_args!("{:.1}", half + 3.0)).text("bridge"));
    for (i, pickup) in set.pickups.iter().enumerate().filter(|(_, p)| p.from_bridge_mm.is_finite()) {
        svg.put(drawn(set, i, signals.get(i).copied(), units, (half, pickup.from_bridge_mm)));
    }
    for number in 1..=strings.count {
        let y = place_in_row(number, strings.count, strings.pitch_mm, strings.handed);
        let width = 0.25 + strings.outer_mm(number) * 0.7;
        let line = Element::new("path")
            .with("class", "string-line")
            .with("stroke-width", format_args!("{width:.2}"));
        svg.put(line.with("d", format_args!("M0 {y:.2}H{wide:.1}")));
    }
    svg.framed_group(
        [-14.0, top, wide + 18.0, bottom - top],
        "neck",
        "The pickups under the strings, bridge at the left",
    )
}

/// Half of what a pickup takes across the strings, mm.
fn across_mm(design: &Design) -> f64 {
    let coils = design.coils.iter().map(|coil| {
        let (length, _) = coil.former.core.size_mm();
        coil.center_mm[0].abs() + length / 2.0 + coil.former.room_mm
    });
    coils.fold(0.0, f64::max)
}

fn drawn(set: &Set, i: usize, signal: Option<&PickupSignal>, units: Units, (half, x): (f64, f64)) -> Element {
    let pickup = &set.pickups[i];
    let along = half_width_mm(&pickup.design);
    let across = across_mm(&pickup.design);
    let mut group = Element::new("g")
        .with("class", "set-pickup")
        .with("data-pickup", i)
        .with("transform", format_args!("translate({x:.2} 0)"));
    let title = format!("{}, {} from the bridge", pickup.name, units.length(x, 1));
    group = group.child(Element::new("title").text(title));
    group = group.child(
        Element::new("rect")
            .with("class", "set-body")
            .with("x", format_args!("{:.2}", -along))
            .with("y", format_args!("{:.2}", -across))
            .with("width", format_args!("{:.2}", 2.0 * along))
            .with("height", format_args!("{:.2}", 2.0 * across))
            .with("rx", format_args!("{:.2}", along.min(8.0) * 0.6)),
    );
    let turn = if pickup.turned { -1.0 } else { 1.0 };
    for pole in &pickup.design.poles {
        let [x, y] = pickup.design.place_of_pole_mm(pole);
        group = group.child(
            Element::new("circle")
                .with("class", "set-pole")
                // Its coils' y is counted towards the bridge.
                .with("cx", format_args!("{:.2}", -turn * y))
                .with("cy", format_args!("{:.2}", turn * x))
                .with("r", format_args!("{:.2}", (pole.diameter_mm / 2.0).min(4.0))),
        );
    }
    let label = |y: f64, class: &'static str, text: String| {
        Element::new("text")
            .with("class", class)
            .with("text-anchor", "middle")
            .with("x", "0")
            .with("y", format_args!("{y:.1}"))
            .text(text)
    };
    group = group.child(label(-half - 3.0, "set-name", pickup.name.clone()));
    if let Some(signal) = signal {
        let leads = if pickup.leads == LeadOrder::Swapped { -1.0 } else { 1.0 };
        let pole = if signal.polarity() > 0.0 { "N" } else { "S" };
        let way = if signal.sense * leads > 0.0 { "↺" } else { "↻" };
        group = group.child(label(half + 7.0, "set-marks", format!("{pole} {way}")));
    }
    group.child(label(half + 12.0, "dim-text", units.length(x, 1)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::set::{Controls, FORMAT, SetPickup, Targets};

    /// Every pickup is at its place, can be found by the script that drags it, and no name is markup.
    #[test]
    fn pickups_stand_at_their_places() {
        let pickup = |name: &str, from_bridge_mm| SetPickup {
            name: name.into(),
            design: tall_single("Sedge", 6, 10.4),
            from_bridge_mm,
            turned: false,
            leads: LeadOrder::Normal,
        };
        let set = Set {
            format: FORMAT.into(),
            name: "Sedge".into(),
            pickups: vec![pickup("<b>bridge</b>", 42.0), pickup("neck", 158.0), pickup("nowhere", f64::NAN)],
            controls: Controls::default(),
            cable_pf: 470.0,
            input_mohm: 1.0,
            switch: Vec::new(),
            targets: Targets::default(),
        };
        let svg = neck(&set, &[], Units::default());
        assert!(
            svg.contains("translate(42.00 0)") && svg.contains("translate(158.00 0)") && !svg.contains("NaN")
        );
        assert!(
            !svg.contains("<b>") && svg.contains(r#"data-pickup="1""#) && !svg.contains(r#"data-pickup="2""#)
        );
        // The twelfth fret lies at half the scale, the twenty-fourth at a quarter.
        assert!(svg.contains("M162.00 "), "{svg}");
    }
}
