//! Days and times as people write them.

use time::format_description::BorrowedFormatItem;
use time::macros::format_description;
use time::{Date, Month, PrimitiveDateTime, Time};

const DAY: &[BorrowedFormatItem<'_>] = format_description!("[year]-[month]-[day]");
const MINUTE: &[BorrowedFormatItem<'_>] = format_description!("[year]-[month]-[day] [hour]:[minute]");
const SECOND: &[BorrowedFormatItem<'_>] =
    format_description!("[year]-[month]-[day] [hour]:[minute]:[second]");

/// A moment as it was written, or why it is none.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Written {
    At(PrimitiveDateTime),
    /// Day and month can be either way round.
    TwoWays(Date, Date),
    /// A year in which no coil of this logbook was wound.
    Year(i32),
    Unreadable,
}

/// Years that a run can be of: a slip of the pen is none of them.
const YEARS: std::ops::RangeInclusive<i32> = 1950..=2100;

/// `2026-11-24`, `2026-11-24 03:14`, `2026-11-24T03:14:15Z`, and days as people write them: `24.11.2026`, `24 Nov 2026`, `Nov 24,
/// 2026`, `2026/11/24`; `11/24/2026` where only one way of reading it is a day.
pub(super) fn moment(text: &str) -> Written {
    let plain = text.trim().trim_end_matches('Z').replace('T', " ");
    let exact =
        PrimitiveDateTime::parse(&plain, SECOND).or_else(|_| PrimitiveDateTime::parse(&plain, MINUTE));
    if let Ok(at) = exact.or_else(|_| Date::parse(&plain, DAY).map(Date::midnight)) {
        return checked(at.date(), at.time());
    }
    let text = text.trim();
    let (day, time) = match text.rsplit_once(' ').filter(|(_, last)| last.contains(':')) {
        Some((day, time)) => match clock(time) {
            Some(time) => (day, time),
            None => return Written::Unreadable,
        },
        None => (text, Time::MIDNIGHT),
    };
    match spoken_day(day.trim().trim_end_matches(',')) {
        Written::At(at) => checked(at.date(), time),
        other => other,
    }
}

fn checked(date: Date, time: Time) -> Written {
    if YEARS.contains(&date.year()) { Written::At(date.with_time(time)) } else { Written::Year(date.year()) }
}

/// `9:05`, `09:05:30`.
fn clock(text: &str) -> Option<Time> {
    let parts: Vec<u8> = text.split(':').map(str::parse).collect::<Result<_, _>>().ok()?;
    match parts[..] {
        [hour, minute] => Time::from_hms(hour, minute, 0).ok(),
        [hour, minute, second] => Time::from_hms(hour, minute, second).ok(),
        _ => None,
    }
}

/// A day by numbers, or with its month as a word.
fn spoken_day(text: &str) -> Written {
    let parts: Vec<&str> =
        text.split(|c: char| c == '.' || c == '/' || c == '-' || c == ',' || c.is_whitespace()).collect();
    let parts: Vec<&str> = parts.into_iter().filter(|part| !part.is_empty()).collect();
    let [a, b, c] = parts[..] else { return Written::Unreadable };
    let number = |part: &str| part.parse::<u16>().ok();
    let day = |year: u16, month: Option<Month>, day: u16| {
        let day = u8::try_from(day).ok()?;
        Date::from_calendar_date(i32::from(year), month?, day).ok()
    };
    let month = |n: u16| u8::try_from(n).ok().and_then(|n| Month::try_from(n).ok());
    let at = |date: Option<Date>| date.map_or(Written::Unreadable, |d| Written::At(d.midnight()));
    if let Some((month, others)) = month_word(&[a, b, c]) {
        let (Some(x), Some(y)) = (number(others[0]), number(others[1])) else { return Written::Unreadable };
        return if y >= 1000 { at(day(y, Some(month), x)) } else { at(day(x, Some(month), y)) };
    }
    let (Some(x), Some(y), Some(z)) = (number(a), number(b), number(c)) else { return Written::Unreadable };
    if x >= 1000 {
        return at(day(x, month(y), z));
    }
    if z < 1000 {
        return Written::Unreadable;
    }
    // With points the day comes first; with strokes it depends on where one lives.
    if text.contains('.') {
        return at(day(z, month(y), x));
    }
    match (day(z, month(y), x), day(z, month(x), y)) {
        (Some(one), Some(other)) if one != other => Written::TwoWays(one, other),
        (one, other) => at(one.or(other)),
    }
}

/// The month that one of three parts names in English, by its first three letters or whole, and the other two parts.
fn month_word<'a>(parts: &[&'a str; 3]) -> Option<(Month, [&'a str; 2])> {
    let named = |word: &str| {
        let word = word.to_lowercase();
        (1..=12_u8).filter_map(|n| Month::try_from(n).ok()).find(|month| {
            let name = month.to_string().to_lowercase();
            word == name || word == name[..3]
        })
    };
    let (at, month) = parts.iter().enumerate().find_map(|(k, part)| Some((k, named(part)?)))?;
    let others: Vec<&str> = parts.iter().enumerate().filter(|(k, _)| *k != at).map(|(_, p)| *p).collect();
    Some((month, [others[0], others[1]]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use time::macros::{date, datetime};

    #[rstest]
    #[case("2026-11-24", datetime!(2026-11-24 00:00))]
    #[case("2026/11/24", datetime!(2026-11-24 00:00))]
    #[case("24.11.2026", datetime!(2026-11-24 00:00))]
    #[case("4.5.2026 9:05", datetime!(2026-05-04 09:05))]
    #[case("11/24/2026", datetime!(2026-11-24 00:00))]
    #[case("24/11/2026 17:30:10", datetime!(2026-11-24 17:30:10))]
    #[case("24 Nov 2026", datetime!(2026-11-24 00:00))]
    #[case("November 24, 2026", datetime!(2026-11-24 00:00))]
    #[case("24-nov-2026", datetime!(2026-11-24 00:00))]
    #[case("05/05/2026", datetime!(2026-05-05 00:00))]
    fn days_are_read_as_people_write_them(#[case] text: &str, #[case] at: PrimitiveDateTime) {
        assert_eq!(moment(text), Written::At(at));
    }

    #[rstest]
    #[case("31.2.2026")]
    #[case("24.11.26")]
    #[case("next Tuesday week")]
    #[case("24 Nov")]
    #[case("2026-11-24 25:00")]
    #[case("24.11.2026 noon:ish")]
    fn what_is_no_day_is_refused(#[case] text: &str) {
        assert_eq!(moment(text), Written::Unreadable);
    }

    #[test]
    fn a_day_that_can_be_two_is_asked_about_and_a_strange_year_refused() {
        assert_eq!(moment("04/05/2026"), Written::TwoWays(date!(2026 - 05 - 04), date!(2026 - 04 - 05)));
        assert_eq!(moment("0226-11-24"), Written::Year(226));
        assert_eq!(moment("24.11.2206"), Written::Year(2206));
    }
}
