//! How the coils are joined, as drawn on paper: each coil with its start and finish, from ground to hot.

use super::{Element, Svg};
use coil::design::{Design, Direction, Sense};

/// Draws the joined coils between ground and hot.
pub fn wiring(design: &Design) -> String {
    let mut svg = Svg::default();
    let join = design.wiring.join.as_str();
    let alone = join.strip_prefix("split:").map(str::to_owned).or_else(|| {
        (join == "single").then(|| design.coils.first().map_or_else(String::new, |c| c.name.clone()))
    });
    let joined: Vec<_> =
        design.coils.iter().filter(|c| alone.as_ref().is_none_or(|a| *a == c.name)).collect();
    let parallel = join == "parallel";
    let across = if parallel { 1 } else { joined.len() };
    let width = 26.0 * across.max(1) as f64 + 34.0;
    let height = if parallel { 14.0 * joined.len() as f64 + 6.0 } else { 20.0 };
    let middle = height / 2.0;
    svg.put(Element::new("path").with("class", "lead").with("d", format_args!("M6 {middle:.2}H14")));
    svg.put(Element::new("path").with("class", "lead").with(
        "d",
        format_args!(
            "M3 {:.2}h6M4 {:.2}h4M5 {:.2}h2M6 {middle:.2}V{:.2}",
            middle + 3.0,
            middle + 4.0,
            middle + 5.0,
            middle + 3.0
        ),
    ));
    for (k, coil) in joined.iter().enumerate() {
        let (x, y) = if parallel { (14.0, 10.0 + 14.0 * k as f64) } else { (14.0 + 26.0 * k as f64, middle) };
        let start_first = design.wiring.sense.get(&coil.name).copied().unwrap_or(Sense::StartToGround)
            == Sense::StartToGround;
        let (left, right) = if start_first { ("start", "finish") } else { ("finish", "start") };
        if parallel {
            svg.put(
                Element::new("path")
                    .with("class", "lead")
                    .with("d", format_args!("M14 {middle:.2}V{y:.2}M{:.2} {y:.2}V{middle:.2}", 40.0)),
            );
        }
        svg.put(Element::new("path").with("class", "lead").with("d", format_args!("M{x:.2} {y:.2}h4a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0h4")));
        let turn = if coil.wind.direction == Direction::Clockwise { "↻" } else { "↺" };
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "middle")
                .with("x", format_args!("{:.2}", x + 13.0))
                .with("y", format_args!("{:.2}", y - 4.0))
                .text(format_args!("{} {turn}", coil.name)),
        );
        svg.put(
            Element::new("text")
                .with("class", "dim-text")
                .with("x", format_args!("{:.2}", x + 0.4))
                .with("y", format_args!("{:.2}", y + 4.2))
                .text(left),
        );
        svg.put(
            Element::new("text")
                .with("class", "dim-text")
                .with("text-anchor", "end")
                .with("x", format_args!("{:.2}", x + 25.6))
                .with("y", format_args!("{:.2}", y + 4.2))
                .text(right),
        );
    }
    let end = if parallel { 40.0 } else { 14.0 + 26.0 * joined.len() as f64 };
    svg.put(Element::new("path").with("class", "lead").with("d", format_args!("M{end:.2} {middle:.2}h6")));
    svg.put(
        Element::new("circle")
            .with("class", "terminal")
            .with("cx", format_args!("{:.2}", end + 7.0))
            .with("cy", format_args!("{middle:.2}"))
            .with("r", "1"),
    );
    svg.put(
        Element::new("text")
            .with("class", "axis")
            .with("dominant-baseline", "middle")
            .with("x", format_args!("{:.2}", end + 9.0))
            .with("y", format_args!("{middle:.2}"))
            .text("hot"),
    );
    svg.framed(
        [0.0, 0.0, width.max(60.0), height + 4.0],
        "wiring",
        "How the coils are joined, from ground to hot",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};

    #[test]
    fn a_coil_left_out_is_not_drawn() {
        let mut design = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
        let coils = |svg: &str| svg.matches("a2.2").count() / 4;
        assert_eq!(coils(&wiring(&design)), 2);
        design.wiring.join = "split:B".into();
        assert_eq!(coils(&wiring(&design)), 1);
        design.wiring.join = "parallel".into();
        assert_eq!(coils(&wiring(&design)), 2);
    }
}
