//! How the coils are joined, as drawn on paper: each coil with its start and finish, from ground to hot.

use super::Svg;
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
    svg.put(format_args!(r#"<path class="lead" d="M6 {middle:.2}H14"/><path class="lead" d="M3 {0:.2}h6M4 {1:.2}h4M5 {2:.2}h2M6 {middle:.2}V{0:.2}"/>"#, middle + 3.0, middle + 4.0, middle + 5.0));
    for (k, coil) in joined.iter().enumerate() {
        let (x, y) = if parallel { (14.0, 10.0 + 14.0 * k as f64) } else { (14.0 + 26.0 * k as f64, middle) };
        let start_first = design.wiring.sense.get(&coil.name).copied().unwrap_or(Sense::StartToGround)
            == Sense::StartToGround;
        let (left, right) = if start_first { ("start", "finish") } else { ("finish", "start") };
        if parallel {
            svg.put(format_args!(
                r#"<path class="lead" d="M14 {middle:.2}V{y:.2}M{0:.2} {y:.2}V{middle:.2}"/>"#,
                40.0
            ));
        }
        svg.put(format_args!(
            r#"<path class="lead" d="M{x:.2} {y:.2}h4a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0a2.2 2.2 0 0 1 4.5 0h4"/>"#
        ));
        let turn = if coil.wind.direction == Direction::Clockwise { "↻" } else { "↺" };
        svg.put(format_args!(
            r#"<text class="axis" text-anchor="middle" x="{:.2}" y="{:.2}">{} {turn}</text>"#,
            x + 13.0,
            y - 4.0,
            coil.name
        ));
        svg.put(format_args!(
            r#"<text class="dim-text" x="{:.2}" y="{:.2}">{left}</text>"#,
            x + 0.4,
            y + 4.2
        ));
        svg.put(format_args!(
            r#"<text class="dim-text" text-anchor="end" x="{:.2}" y="{:.2}">{right}</text>"#,
            x + 25.6,
            y + 4.2
        ));
    }
    let end = if parallel { 40.0 } else { 14.0 + 26.0 * joined.len() as f64 };
    svg.put(format_args!(r#"<path class="lead" d="M{end:.2} {middle:.2}h6"/><circle class="terminal" cx="{:.2}" cy="{middle:.2}" r="1"/>"#, end + 7.0));
    svg.put(format_args!(
        r#"<text class="axis" dominant-baseline="middle" x="{:.2}" y="{middle:.2}">hot</text>"#,
        end + 9.0
    ));
    svg.framed(
        [0.0, 0.0, width.max(60.0), height + 4.0],
        "wiring",
        "How the coils are joined, from ground to hot",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Kind, starting_point};

    #[test]
    fn a_coil_left_out_is_not_drawn() {
        let mut design = starting_point(Kind::TwinCoil, "Sedge", 6, 10.0);
        let coils = |svg: &str| svg.matches("a2.2").count() / 4;
        assert_eq!(coils(&wiring(&design)), 2);
        design.wiring.join = "split:B".into();
        assert_eq!(coils(&wiring(&design)), 1);
        design.wiring.join = "parallel".into();
        assert_eq!(coils(&wiring(&design)), 2);
    }
}
