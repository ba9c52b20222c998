//! Charts of many runs: values over runs with their limits, intervals beside one another, shares.

use super::{Element, Svg};
use trade::consistency::{Limits, Stretch};

/// A point of a run chart.
#[derive(Debug)]
pub struct Point {
    /// Its value.
    pub value: f64,
    /// What it is, for the pointer and the reader.
    pub title: String,
    /// Where it leads; empty for nowhere.
    pub link: String,
    /// Whether it is part of what breaks a rule.
    pub bad: bool,
}

/// A change of phase: before which point, and what came in.
#[derive(Debug)]
pub struct Phase {
    /// The first point after it.
    pub at: usize,
    /// In a few words.
    pub words: String,
}

/// What a run chart shows.
pub struct RunChart<'a> {
    /// Points in the order of the runs.
    pub points: &'a [Point],
    /// Limits by stretches of points; none where there are too few.
    pub limits: &'a [Stretch],
    /// Changes of phase.
    pub phases: &'a [Phase],
    /// The target.
    pub target: Option<(f64, f64)>,
    /// How values are written.
    pub text: &'a dyn Fn(f64) -> String,
    /// Height of the drawing.
    pub height: f64,
    /// What it is of.
    pub title: &'a str,
}

impl std::fmt::Debug for RunChart<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("RunChart")
            .field("points", &self.points)
            .field("title", &self.title)
            .finish_non_exhaustive()
    }
}

const WIDTH: f64 = 960.0;
const LEFT: f64 = 74.0;
const RIGHT: f64 = 84.0;

/// Values over runs.
pub fn run_chart(chart: &RunChart<'_>) -> String {
    let mut svg = Svg::default();
    let (top, bottom) = (if chart.phases.is_empty() { 12.0 } else { 54.0 }, chart.height - 24.0);
    let all = chart
        .points
        .iter()
        .map(|p| p.value)
        .chain(chart.limits.iter().flat_map(|s| [s.limits.lower, s.limits.upper]))
        .chain(chart.target.iter().flat_map(|(a, b)| [*a, *b]).filter(|end| end.is_finite()));
    let (low, high) = all.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(v), h.max(v)));
    let room = 0.06 * (high - low).max(high.abs() * 1e-6).max(f64::MIN_POSITIVE);
    let (low, high) = (low - room, high + room);
    let y = |v: f64| bottom - (v - low) / (high - low) * (bottom - top);
    let step = (WIDTH - LEFT - RIGHT) / (chart.points.len().max(2) - 1) as f64;
    let x = |k: usize| LEFT + step * k as f64;
    frame(&mut svg, chart, &Scales { top, bottom, low, high, room, step });
    let path: Vec<String> =
        chart.points.iter().enumerate().map(|(k, p)| format!("{:.1} {:.1}", x(k), y(p.value))).collect();
    svg.put(Element::new("path").with("class", "through").with("d", format_args!("M{}", path.join("L"))));
    let size = if chart.points.len() > 150 { 2.2 } else { 4.2 };
    for (k, point) in chart.points.iter().enumerate() {
        let (cx, cy) = (x(k), y(point.value));
        let class = if point.bad { "dot bad" } else { "dot" };
        let outline = format!(
            "M{cx:.1} {:.1}L{:.1} {cy:.1}L{cx:.1} {:.1}L{:.1} {cy:.1}Z",
            cy - size,
            cx + size,
            cy + size,
            cx - size
        );
        let title = Element::new("title").text(&point.title);
        let mark = Element::new("path").with("class", class).with("d", outline).child(title);
        if point.link.is_empty() || chart.points.len() > 400 {
            svg.put(mark);
        } else {
            svg.put(Element::new("a").with("href", &point.link).with("aria-label", &point.title).child(mark));
        }
    }
    if let (Some(first), Some(last)) = (chart.points.first(), chart.points.last()) {
        for (k, point, anchor) in [(0, first, "start"), (chart.points.len() - 1, last, "end")] {
            let words = point.title.split(':').next().unwrap_or_default();
            svg.put(
                Element::new("text")
                    .with("class", "tick")
                    .with("x", format_args!("{:.1}", x(k)))
                    .with("y", format_args!("{:.1}", chart.height - 6.0))
                    .with("text-anchor", anchor)
                    .text(words),
            );
        }
    }
    // Its points are links: a group, and not one picture.
    svg.framed_group([0.0, 0.0, WIDTH, chart.height], "run-chart", chart.title)
}

/// Where values and runs stand.
struct Scales {
    top: f64,
    bottom: f64,
    low: f64,
    high: f64,
    room: f64,
    step: f64,
}

/// The lines of limits: class, value, word. A lower limit of nothing is no line: nothing can be below it.
fn lines_of(limits: &Limits) -> impl Iterator<Item = (&'static str, f64, &'static str)> {
    let all = [
        ("limit", limits.upper, "upper limit"),
        ("centre", limits.centre, "mean"),
        ("limit", limits.lower, "lower limit"),
    ];
    let has_lower = limits.lower != 0.0;
    all.into_iter().filter(move |(_, _, word)| has_lower || *word != "lower limit")
}

/// Target, phases and limits.
fn frame(svg: &mut Svg, chart: &RunChart<'_>, scales: &Scales) {
    let &Scales { top, bottom, low, high, room, step } = scales;
    let y = |v: f64| bottom - (v - low) / (high - low) * (bottom - top);
    if let Some((from, to)) = chart.target {
        // An open end runs to the edge.
        let (from, to) = (from.max(low), to.min(high));
        svg.put(
            Element::new("rect")
                .with("class", "aim")
                .with("x", LEFT)
                .with("y", format_args!("{:.1}", y(to)))
                .with("width", format_args!("{:.1}", WIDTH - LEFT - RIGHT))
                .with("height", format_args!("{:.1}", (y(from) - y(to)).max(1.0))),
        );
        svg.put(
            Element::new("text")
                .with("class", "tick")
                .with("x", format_args!("{:.1}", LEFT + 4.0))
                .with("y", format_args!("{:.1}", y(to) + 12.0))
                .text("aim"),
        );
    }
    // Words on the first of three lines where they have room.
    let mut ends = [f64::NEG_INFINITY; 3];
    for phase in chart.phases {
        let at = if phase.at == 0 { LEFT } else { LEFT + step * (phase.at as f64 - 0.5) };
        let wide = 6.8 * phase.words.chars().count() as f64;
        let from = (at + 3.0).min(WIDTH - wide - 2.0);
        let lane = (0..3)
            .find(|lane| ends[*lane] + 6.0 < from)
            .unwrap_or_else(|| (0..3).min_by(|a, b| ends[*a].total_cmp(&ends[*b])).unwrap_or(0));
        ends[lane] = from + wide;
        svg.put(
            Element::new("path")
                .with("class", "phase")
                .with("d", format_args!("M{at:.1} {:.1}V{bottom:.1}", top - 6.0 - 14.0 * (2 - lane) as f64)),
        );
        svg.put(
            Element::new("text")
                .with("class", "phase-words")
                .with("x", format_args!("{from:.1}"))
                .with("y", 13 + 14 * lane)
                .text(&phase.words),
        );
    }
    if let Some(last) = chart.limits.last() {
        for stretch in chart.limits {
            let limits = &stretch.limits;
            let from = if stretch.from == 0 { LEFT } else { LEFT + step * (stretch.from as f64 - 0.5) };
            let is_last = stretch.to == last.to;
            let to = if is_last { WIDTH - RIGHT } else { LEFT + step * (stretch.to as f64 - 0.5) };
            for (class, value, word) in lines_of(limits) {
                svg.put(
                    Element::new("path")
                        .with("class", class)
                        .with("d", format_args!("M{from:.1} {:.1}H{to:.1}", y(value)))
                        .child(Element::new("title").text(format_args!("{word} {}", (chart.text)(value)))),
                );
            }
        }
        // The level of today is the one that the next coil is judged by.
        for (_, value, word) in lines_of(&last.limits) {
            svg.put(
                Element::new("text")
                    .with("class", "tick")
                    .with("x", format_args!("{:.1}", LEFT - 6.0))
                    .with("y", format_args!("{:.1}", y(value) + 4.0))
                    .with("text-anchor", "end")
                    .text((chart.text)(value)),
            );
            svg.put(
                Element::new("text")
                    .with("class", "tick")
                    .with("x", format_args!("{:.1}", WIDTH - RIGHT + 5.0))
                    .with("y", format_args!("{:.1}", y(value) + 4.0))
                    .text(word),
            );
        }
    } else {
        for value in [low + room, high - room] {
            svg.put(
                Element::new("text")
                    .with("class", "tick")
                    .with("x", format_args!("{:.1}", LEFT - 6.0))
                    .with("y", format_args!("{:.1}", y(value) + 4.0))
                    .with("text-anchor", "end")
                    .text((chart.text)(value)),
            );
        }
    }
}

/// An estimate with its interval on a scale from −`reach` to `reach`, nothing in the middle.
pub fn interval(value: f64, from: f64, to: f64, reach: f64) -> String {
    let at = |v: f64| 60.0 + 56.0 * (v / reach.max(f64::MIN_POSITIVE)).clamp(-1.0, 1.0);
    let mut svg = Svg::default();
    let class = if from > 0.0 || to < 0.0 { "interval clear" } else { "interval" };
    svg.put(Element::new("path").with("class", "zero").with("d", "M60 1V19"));
    svg.put(
        Element::new("path")
            .with("class", class)
            .with("d", format_args!("M{:.1} 10H{:.1}", at(from), at(to))),
    );
    svg.put(
        Element::new("circle")
            .with("class", class)
            .with("cx", format_args!("{:.1}", at(value)))
            .with("cy", "10")
            .with("r", "3.6"),
    );
    svg.framed([0.0, 0.0, 120.0, 20.0], "band", "estimate with its interval")
}

/// Shares of a whole, side by side: word and share.
pub fn shares(parts: &[(String, f64)]) -> String {
    let whole: f64 = parts.iter().map(|(_, s)| s).sum();
    let mut svg = Svg::default();
    let mut x = 0.0;
    for (k, (word, share)) in parts.iter().enumerate() {
        let width = 600.0 * share / whole.max(f64::MIN_POSITIVE);
        svg.put(
            Element::new("rect")
                .with("class", format_args!("share s{}", k % 7))
                .with("x", format_args!("{x:.1}"))
                .with("y", "0")
                .with("width", format_args!("{:.1}", (width - 1.0).max(0.0)))
                .with("height", "22")
                .child(Element::new("title").text(format_args!(
                    "{}: {:.0} %",
                    word,
                    100.0 * share / whole.max(f64::MIN_POSITIVE)
                ))),
        );
        if width > 62.0 {
            svg.put(
                Element::new("text")
                    .with("class", "share-words")
                    .with("x", format_args!("{:.1}", x + 5.0))
                    .with("y", "15")
                    .text(word),
            );
        }
        x += width;
    }
    svg.framed([0.0, 0.0, 600.0, 22.0], "shares", "where the spread comes from")
}

/// Predicted against measured, as deviations: a histogram in steps of `step` from −`reach` to `reach`.
pub fn histogram(values: &[f64], step: f64, reach: f64, scale: &dyn Fn(f64) -> String) -> String {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few dozen")]
    let half = (reach / step).round() as usize;
    let mut counts = vec![0_u32; 2 * half + 1];
    for value in values {
        let at = (value / step).round().clamp(-(half as f64), half as f64) + half as f64;
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped above")]
        {
            counts[at as usize] += 1;
        }
    }
    let most = f64::from(counts.iter().copied().max().unwrap_or(1).max(1));
    let wide = 440.0 / counts.len() as f64;
    let mut svg = Svg::default();
    for (k, count) in counts.iter().enumerate().filter(|(_, c)| **c > 0) {
        let height = 110.0 * f64::from(*count) / most;
        svg.put(
            Element::new("rect")
                .with("class", "bar-of")
                .with("x", format_args!("{:.1}", 20.0 + wide * k as f64))
                .with("y", format_args!("{:.1}", 120.0 - height))
                .with("width", format_args!("{:.1}", (wide - 1.0).max(1.0)))
                .with("height", format_args!("{height:.1}"))
                .child(Element::new("title").text(format_args!(
                    "{}: {count} run{}",
                    &scale((k as f64 - half as f64) * step),
                    if *count == 1 { "" } else { "s" }
                ))),
        );
    }
    let middle = 20.0 + wide * (half as f64 + 0.5);
    svg.put(Element::new("path").with("class", "centre").with("d", format_args!("M{middle:.1} 4V120")));
    svg.put(Element::new("path").with("class", "axis").with("d", "M20 120H460"));
    for (value, at, anchor) in [(-reach, 20.0, "start"), (0.0, middle, "middle"), (reach, 460.0, "end")] {
        let words = if value == 0.0 { "as predicted".to_owned() } else { scale(value) };
        svg.put(
            Element::new("text")
                .with("class", "tick")
                .with("x", format_args!("{at:.1}"))
                .with("y", "134")
                .with("text-anchor", anchor)
                .text(&words),
        );
    }
    svg.framed(
        [0.0, 0.0, 480.0, 138.0],
        "histogram",
        "deviation of what was measured from what was predicted",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use trade::consistency::individuals;

    fn point(value: f64) -> Point {
        Point { value, title: format!("Run <{value}>: {value}"), link: "/runs/1".into(), bad: value > 9.0 }
    }

    #[test]
    fn a_chart_holds_its_points_limits_and_phases_and_no_markup_of_theirs() {
        let values = [5.0, 6.0, 5.5, 5.2, 9.5, 5.8];
        let points: Vec<Point> = values.iter().map(|v| point(*v)).collect();
        let (limits, _) = individuals(&values).unwrap();
        let svg = run_chart(&RunChart {
            points: &points,
            limits: &[Stretch { from: 0, to: 3, limits }, Stretch { from: 3, to: 6, limits }],
            phases: &[Phase { at: 3, words: "spool <K>".into() }],
            target: Some((5.0, 6.0)),
            text: &|v| format!("{v:.1}"),
            height: 260.0,
            title: "R",
        });
        assert_eq!(svg.matches("<a href").count(), 6);
        assert_eq!(svg.matches("dot bad").count(), 1);
        assert!(svg.contains("spool &lt;K&gt;") && !svg.contains("<K>") && svg.contains("upper limit"));
        assert!(!svg.contains("NaN") && !svg.contains("inf"));
    }

    /// Each stretch has its own three lines, from where it begins to where it ends; the words stand once, at the level of today. A
    /// lower limit below nothing is drawn, one of nothing is not.
    #[test]
    fn limits_are_drawn_by_stretches() {
        let limits = |centre: f64, lower: f64| Limits { centre, lower, upper: centre + 3.0, sigma: 1.0 };
        let points: Vec<Point> = [5.0, 6.0, 5.5, 8.2, 8.5, 8.8].iter().map(|v| point(*v)).collect();
        let drawn = |limits: &[Stretch]| {
            run_chart(&RunChart {
                points: &points,
                limits,
                phases: &[],
                target: Some((5.0, f64::INFINITY)),
                text: &|v| format!("{v:.1}"),
                height: 260.0,
                title: "R",
            })
        };
        let two = drawn(&[
            Stretch { from: 0, to: 3, limits: limits(5.5, 2.5) },
            Stretch { from: 3, to: 6, limits: limits(8.5, 5.5) },
        ]);
        assert_eq!(two.matches(r#"class="limit""#).count(), 4);
        assert_eq!(two.matches(r#"class="centre""#).count(), 2);
        assert_eq!(two.matches(">upper limit<").count(), 1);
        assert!(!two.contains("inf") && !two.contains("NaN"));
        let one = |lower: f64| drawn(&[Stretch { from: 0, to: 6, limits: limits(0.5, lower) }]);
        assert_eq!(one(-2.5).matches(r#"class="limit""#).count(), 2);
        assert_eq!(one(0.0).matches(r#"class="limit""#).count(), 1);
    }

    #[test]
    fn equal_points_are_drawn_too() {
        let points = [point(5.0), point(5.0)];
        let svg = run_chart(&RunChart {
            points: &points,
            limits: &[],
            phases: &[],
            target: None,
            text: &|v| format!("{v}"),
            height: 200.0,
            title: "R",
        });
        assert!(!svg.contains("NaN") && !svg.contains("inf"), "{svg}");
    }

    #[test]
    fn far_out_values_stand_at_the_edge() {
        let svg = histogram(&[0.0, 0.001, 0.9, -0.9], 0.005, 0.05, &|v| format!("{v:.3}"));
        assert_eq!(svg.matches("bar-of").count(), 3);
        assert!(interval(0.02, 0.01, 0.03, 0.05).contains("clear"));
        assert!(!interval(0.02, -0.01, 0.05, 0.05).contains("clear"));
        assert!(shares(&[("spool".into(), 3.0), ("rest".into(), 1.0)]).contains("75 %"));
    }
}
