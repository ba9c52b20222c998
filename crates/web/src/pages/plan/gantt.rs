//! A week of work as bars.

use std::fmt::Write as _;
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

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

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

/// The drawing: days across, each from one time of day to another (`shown`, minutes after midnight), a row for each name; every bar is a
/// link that says what it is.
pub(super) fn gantt(from: Date, shown: (i64, i64), rows: &[(String, Vec<Bar>)]) -> String {
    let x = |minutes: i64| {
        let minutes = minutes.clamp(0, 7 * MINUTES);
        let of_day = (minutes % MINUTES - shown.0).clamp(0, shown.1 - shown.0);
        LEFT + DAY * ((minutes / MINUTES) as f64 + of_day as f64 / (shown.1 - shown.0).max(1) as f64)
    };
    let laid: Vec<(Vec<usize>, usize)> = rows.iter().map(|(_, bars)| lanes(bars)).collect();
    let high: f64 = TOP + laid.iter().map(|l| ROW * l.1 as f64 + 6.0).sum::<f64>();
    let wide = LEFT + 7.0 * DAY;
    let mut out = String::new();
    // Writing to a String cannot fail.
    let _ = write!(
        out,
        r#"<svg class="gantt" viewBox="0 0 {wide} {high}" role="group" aria-label="Seven days from {from}">"#
    );
    for day in 0..7_i32 {
        let date = from + Duration::days(i64::from(day));
        let left = x(i64::from(day) * MINUTES);
        let name = &format!("{:?}", date.weekday())[..3];
        let _ = write!(
            out,
            r#"<line x1="{left}" x2="{left}" y1="0" y2="{high}"/><text x="{}" y="15">{name} {}</text>"#,
            left + 4.0,
            date.day()
        );
    }
    let mut top = TOP;
    for (row, ((name, bars), (lane, count))) in rows.iter().zip(&laid).enumerate() {
        let _ = write!(out, r#"<text class="row" x="4" y="{}">{}</text>"#, top + 17.0, escaped(name));
        for (bar, lane) in bars.iter().zip(lane) {
            let (left, right) = (x(bar.start), x(bar.end));
            let y = top + ROW * *lane as f64 + 2.0;
            let late = if bar.is_late { " late" } else { "" };
            let label = escaped(&bar.label);
            let width = (right - left).max(2.5);
            let rect = format!(
                r#"<rect class="tone{}{late}" x="{left:.1}" y="{y:.1}" width="{width:.1}" height="{}"/>"#,
                bar.tone,
                ROW - 6.0
            );
            let _ = if bar.link.is_empty() {
                write!(
                    out,
                    r#"<g role="img" data-row="{row}" aria-label="{label}"><title>{label}</title>{rect}</g>"#
                )
            } else {
                write!(
                    out,
                    r#"<a href="{}" data-row="{row}" aria-label="{label}"><title>{label}</title>{rect}</a>"#,
                    escaped(&bar.link)
                )
            };
        }
        top += ROW * *count as f64 + 6.0;
        let _ = write!(out, r#"<line class="under" x1="0" x2="{wide}" y1="{0}" y2="{0}"/>"#, top - 3.0);
    }
    out.push_str("</svg>");
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    fn bar(start: i64, end: i64) -> Bar {
        Bar { start, end, label: "a <b> & \"c\"".into(), link: "/runs/1".into(), tone: 0, is_late: false }
    }

    #[test]
    fn what_overlaps_lies_apart_and_names_are_no_markup() {
        let bars = [bar(0, 60), bar(30, 90), bar(60, 120)];
        assert_eq!(lanes(&bars), (vec![0, 1, 0], 2));
        let drawn = gantt(date!(2026 - 11 - 25), (480, 1020), &[("<i>".into(), bars.to_vec())]);
        assert!(!drawn.contains("<b>") && !drawn.contains("<i>") && drawn.contains("Wed 25"));
    }
}
