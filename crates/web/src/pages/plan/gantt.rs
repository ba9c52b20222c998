//! A week of work as bars.

use presentation::drawing::Element;
use time::{Date, Duration};

/// Something that is done, minutes after the first midnight shown.
#[derive(Clone, Debug)]
pub(super) struct Bar {
    pub start: i64,
    pub end: i64,
    pub label: String,
    pub link: String,
    pub tone: usize,
    pub is_late: bool,
}

const LEFT: f64 = 130.0;
const DAY: f64 = 150.0;
const ROW: f64 = 26.0;
const TOP: f64 = 24.0;
const MINUTES: i64 = 24 * 60;

/// Lanes of a row: what overlaps lies one above the other.
fn lanes(bars: &[Bar]) -> (Vec<usize>, usize) {
    let mut order: Vec<usize> = (0..bars.len()).collect();
    order.sort_by_key(|&k| bars[k].start);
    let mut ends: Vec<i64> = Vec::new();
    let mut of = vec![0; bars.len()];
    for k in order {
        let lane = ends.iter().position(|end| *end <= bars[k].start).unwrap_or(ends.len());
        if lane == ends.len() {
            ends.push(bars[k].end);
        } else {
            ends[lane] = bars[k].end;
        }
        of[k] = lane;
    }
    (of, ends.len().max(1))
}

/// What is shown across: seven days, each from one time of day to another, minutes after midnight.
struct Days {
    shown: (i64, i64),
}

impl Days {
    fn x(&self, minutes: i64) -> f64 {
        let minutes = minutes.clamp(0, 7 * MINUTES);
        let of_day = (minutes % MINUTES - self.shown.0).clamp(0, self.shown.1 - self.shown.0);
        let share = of_day as f64 / (self.shown.1 - self.shown.0).max(1) as f64;
        LEFT + DAY * ((minutes / MINUTES) as f64 + share)
    }

    /// A bar in its place: a link that says what it is.
    fn bar(&self, bar: &Bar, row: usize, y: f64) -> Element {
        let (left, right) = (self.x(bar.start), self.x(bar.end));
        let late = if bar.is_late { " late" } else { "" };
        let rect = Element::new("rect")
            .with("class", format_args!("tone{}{late}", bar.tone))
            .with("x", format_args!("{left:.1}"))
            .with("y", format_args!("{y:.1}"))
            .with("width", format_args!("{:.1}", (right - left).max(2.5)))
            .with("height", ROW - 6.0);
        let around = if bar.link.is_empty() {
            Element::new("g").with("role", "img")
        } else {
            Element::new("a").with("href", &bar.link)
        };
        around
            .with("data-row", row)
            .with("aria-label", &bar.label)
            .child(Element::new("title").text(&bar.label))
            .child(rect)
    }
}

fn line(from: (f64, f64), to: (f64, f64)) -> Element {
    Element::new("line").with("x1", from.0).with("x2", to.0).with("y1", from.1).with("y2", to.1)
}

/// The drawing: days across, each from one time of day to another (`shown`, minutes after midnight), a row for each name; every bar is a
/// link that says what it is.
pub(super) fn gantt(from: Date, shown: (i64, i64), rows: &[(String, Vec<Bar>)]) -> String {
    let days = Days { shown };
    let laid: Vec<(Vec<usize>, usize)> = rows.iter().map(|(_, bars)| lanes(bars)).collect();
    let high: f64 = TOP + laid.iter().map(|l| ROW * l.1 as f64 + 6.0).sum::<f64>();
    let wide = LEFT + 7.0 * DAY;
    let mut svg = Element::new("svg")
        .with("class", "gantt")
        .with("x-data", "gantt")
        .with("viewBox", format_args!("0 0 {wide} {high}"))
        .with("role", "group")
        .with("aria-label", format_args!("Seven days from {from}"));
    for day in 0..7_i32 {
        let date = from + Duration::days(i64::from(day));
        let left = LEFT + DAY * f64::from(day);
        let name = &format!("{:?}", date.weekday())[..3];
        svg = svg.child(line((left, 0.0), (left, high))).child(
            Element::new("text")
                .with("x", left + 4.0)
                .with("y", 15)
                .text(format_args!("{name} {}", date.day())),
        );
    }
    let mut top = TOP;
    for (row, ((name, bars), (lane, count))) in rows.iter().zip(&laid).enumerate() {
        svg = svg
            .child(Element::new("text").with("class", "row").with("x", 4).with("y", top + 17.0).text(name));
        for (bar, lane) in bars.iter().zip(lane) {
            svg = svg.child(days.bar(bar, row, top + ROW * *lane as f64 + 2.0));
        }
        top += ROW * *count as f64 + 6.0;
        svg = svg.child(line((0.0, top - 3.0), (wide, top - 3.0)).with("class", "under"));
    }
    svg.markup()
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    fn bar(start: i64, end: i64) -> Bar {
        Bar { start, end, label: "a <b> & \"c\"".into(), link: "/runs/1".into(), tone: 0, is_late: false }
    }

    #[test]
    fn what_overlaps_lies_apart() {
        let bars = [bar(0, 60), bar(30, 90), bar(60, 120)];
        assert_eq!(lanes(&bars), (vec![0, 1, 0], 2));
        assert_eq!(lanes(&[]), (Vec::new(), 1), "an empty row is a row");
    }

    fn number(node: &roxmltree::Node<'_, '_>, name: &str) -> f64 {
        node.attribute(name).unwrap().parse().unwrap()
    }

    /// Read as XML: every bar says what it is, lies within its week, and no name becomes an element.
    #[test]
    fn bars_lie_in_their_week() {
        let mut bars = vec![bar(-500, 60), bar(600, 700), bar(10_000, 90_000), bar(2 * MINUTES, 2 * MINUTES)];
        bars[1].link.clear();
        bars[1].is_late = true;
        let drawn =
            gantt(date!(2026 - 11 - 25), (480, 1020), &[("<i>".into(), bars), ("nobody".into(), Vec::new())]);
        let document = roxmltree::Document::parse(&drawn).unwrap();
        let of = |name: &str| document.descendants().filter(|n| n.has_tag_name(name)).collect::<Vec<_>>();
        assert!(drawn.contains("Wed 25") && of("b").is_empty() && of("i").is_empty());
        assert_eq!((of("rect").len(), of("a").len(), of("g").len()), (4, 3, 1));
        let view: Vec<f64> = document
            .root_element()
            .attribute("viewBox")
            .unwrap()
            .split(' ')
            .map(|v| v.parse().unwrap())
            .collect();
        for rect in of("rect") {
            let (x, wide) = (number(&rect, "x"), number(&rect, "width"));
            assert!(x >= LEFT - 0.1 && x + wide <= view[2] + 2.6 && wide > 0.0, "{rect:?}");
            assert!(number(&rect, "y") + number(&rect, "height") <= view[3]);
        }
        for link in of("a") {
            assert_eq!(link.attribute("aria-label"), Some("a <b> & \"c\""));
        }
        assert_eq!(of("rect").iter().filter(|r| r.attribute("class").unwrap().contains("late")).count(), 1);
    }

    /// A time of day outside what is shown stands at the edge of its day.
    #[rstest::rstest]
    #[case(0, 0.0)]
    #[case(480, 0.0)]
    #[case(750, 0.5)]
    #[case(1020, 1.0)]
    #[case(1400, 1.0)]
    #[case(MINUTES + 750, 1.5)]
    #[case(99 * MINUTES, 7.0)]
    #[case(-5, 0.0)]
    fn a_minute_has_its_place(#[case] minutes: i64, #[case] day: f64) {
        let x = Days { shown: (480, 1020) }.x(minutes);
        assert!((x - LEFT - DAY * day).abs() < 1e-9, "{x}");
    }
}
