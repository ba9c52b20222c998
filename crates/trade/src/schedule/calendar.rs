//! Working hours as minutes after the schedule's beginning.

use super::document::{Calendar, Moment, clock, weekday};
use time::Date;
use time::macros::format_description;

/// Days ahead for which hours are known; beyond them nobody works.
const DAYS: i64 = 3 * 366;

/// Times when somebody is there: from, to, in minutes, in order, touching ones as one. Nothing for somebody who is always there.
#[derive(Clone, Debug, Default)]
pub(super) struct Hours(Option<Vec<(i64, i64)>>);

impl Hours {
    pub(super) fn always() -> Self {
        Self(None)
    }

    pub(super) fn new(calendar: &Calendar, from: Moment) -> Self {
        let off: Vec<Date> = calendar
            .off
            .iter()
            .filter_map(|day| Date::parse(day, format_description!("[year]-[month]-[day]")).ok())
            .collect();
        let midnight = Moment(from.0.date().midnight()).minutes_after(from);
        let mut all: Vec<(i64, i64)> = Vec::new();
        for day in 0..DAYS {
            let date = from.0.date().saturating_add(time::Duration::days(day));
            if off.contains(&date) {
                continue;
            }
            for (name, begins, ends) in &calendar.hours {
                if weekday(name) != Some(date.weekday()) {
                    continue;
                }
                if let (Some(begins), Some(ends)) = (clock(begins), clock(ends)) {
                    let start = midnight + day * 24 * 60;
                    all.push((start + i64::from(begins), start + i64::from(ends)));
                }
            }
        }
        all.sort_unstable();
        let mut joined: Vec<(i64, i64)> = Vec::with_capacity(all.len());
        for (from, to) in all {
            match joined.last_mut() {
                Some(last) if last.1 >= from => last.1 = last.1.max(to),
                _ => joined.push((from, to)),
            }
        }
        Self(Some(joined))
    }

    /// The same hours without some times: from, to.
    pub(super) fn without(self, away: &[(i64, i64)]) -> Self {
        if away.is_empty() {
            return self;
        }
        // Somebody who is always there is so for as long as hours are known.
        let mut left = self.0.unwrap_or_else(|| vec![(-DAYS * 24 * 60, DAYS * 24 * 60)]);
        for &(from, to) in away {
            left = left
                .into_iter()
                .flat_map(|(a, b)| [(a, b.min(from)), (a.max(to), b)])
                .filter(|(a, b)| a < b)
                .collect();
        }
        Self(Some(left))
    }

    /// The earliest moment from `at` on at which so many unbroken minutes begin; `None` where there is never that long.
    pub(super) fn fits(&self, at: i64, minutes: i64) -> Option<i64> {
        let Some(hours) = &self.0 else { return Some(at) };
        let first = hours.partition_point(|(_, to)| *to < at + minutes);
        hours[first..].iter().find_map(|(from, to)| {
            let start = at.max(*from);
            (start + minutes <= *to).then_some(start)
        })
    }

    /// Minutes that are worked from 0 to `to`.
    pub(super) fn worked(&self, to: i64) -> i64 {
        match &self.0 {
            None => to.max(0),
            Some(hours) => hours.iter().map(|(a, b)| ((*b).min(to) - (*a).max(0)).max(0)).sum(),
        }
    }
}
