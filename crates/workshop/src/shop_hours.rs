//! When people work.

use jiff::Timestamp;
use jiff::tz::{AmbiguousOffset, Offset, TimeZone, TimeZoneDatabase};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use time::{OffsetDateTime, PrimitiveDateTime, UtcOffset};
use trade::schedule::{Calendar, FORMAT, Moment, Work};

/// When people work, and how much goes into the wax and the lacquer at once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct ShopHours {
    /// Days of the week, `Mon` to `Sun`.
    pub days: Vec<String>,
    /// From, such as `08:00`.
    pub from: String,
    /// To.
    pub to: String,
    /// Days off, such as `2026-12-24`.
    pub off: Vec<String>,
    /// Time zone by its name in the IANA database, such as `Europe/Lisbon`; empty for a fixed offset.
    pub zone: String,
    /// Minutes that the workshop's clock is ahead of UTC, where no zone is named.
    pub utc_offset_minutes: i32,
    /// Pickups that hang in the wax at once.
    pub pot_holds: u32,
    /// Bobbins that are dipped in lacquer at once.
    pub dip_holds: u32,
    /// Bobbins that dry on the rack at once.
    pub rack_holds: u32,
    /// Hours of people who keep other ones, by their number.
    pub people: BTreeMap<u64, PersonHours>,
}

/// When somebody works who keeps hours of their own.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct PersonHours {
    /// Days of the week, `Mon` to `Sun`.
    pub days: Vec<String>,
    /// From, such as `08:00`.
    pub from: String,
    /// To.
    pub to: String,
    /// Days off besides those of the shop.
    pub off: Vec<String>,
}

impl Default for ShopHours {
    fn default() -> Self {
        Self {
            days: ["Mon", "Tue", "Wed", "Thu", "Fri"].map(str::to_owned).to_vec(),
            from: "08:00".into(),
            to: "17:00".into(),
            off: Vec::new(),
            zone: String::new(),
            utc_offset_minutes: 0,
            pot_holds: 6,
            dip_holds: 6,
            rack_holds: 24,
            people: BTreeMap::new(),
        }
    }
}

/// Name of the shop's calendar in the work document.
pub(crate) const SHOP: &str = "shop";

impl ShopHours {
    /// Names of all time zones, in order.
    #[must_use]
    pub fn zones() -> Vec<String> {
        let names = TimeZoneDatabase::bundled();
        names.available().map(|name| name.to_string()).filter(|name| name.contains('/')).collect()
    }

    fn tz(&self) -> Option<TimeZone> {
        TimeZoneDatabase::bundled().get(&self.zone).ok()
    }

    /// How far the workshop's clock is ahead of UTC at a moment of UTC.
    fn offset_at(&self, utc: PrimitiveDateTime) -> UtcOffset {
        let at = Timestamp::from_second(utc.assume_utc().unix_timestamp()).ok();
        let seconds = self.tz().zip(at).map(|(zone, at)| zone.to_offset(at).seconds());
        let seconds = seconds.unwrap_or_else(|| self.utc_offset_minutes.clamp(-14 * 60, 14 * 60) * 60);
        UtcOffset::from_whole_seconds(seconds).unwrap_or(UtcOffset::UTC)
    }

    /// The workshop's clock now.
    #[must_use]
    pub fn now(&self) -> Moment {
        let now = OffsetDateTime::now_utc();
        self.local(PrimitiveDateTime::new(now.date(), now.time()))
    }

    /// The workshop's clock at a moment of UTC, to the minute.
    #[must_use]
    pub fn local(&self, utc: PrimitiveDateTime) -> Moment {
        let here = utc.assume_utc().to_offset(self.offset_at(utc));
        let minute = time::Time::from_hms(here.hour(), here.minute(), 0).unwrap_or(time::Time::MIDNIGHT);
        Moment(PrimitiveDateTime::new(here.date(), minute))
    }

    /// UTC at a moment of the workshop's clock. Of an hour that comes twice the first is meant; one that the clock leaves out is read as
    /// if it had not.
    ///
    /// ```
    /// use workshop::ShopHours;
    /// let hours = ShopHours { zone: "Europe/Lisbon".into(), ..ShopHours::default() };
    /// let utc = |text: &str| hours.utc(text.parse().unwrap()).to_string();
    /// assert_eq!(utc("2026-01-15T08:00"), "2026-01-15 8:00:00.0");
    /// assert_eq!(utc("2026-07-15T08:00"), "2026-07-15 7:00:00.0");
    /// ```
    #[must_use]
    pub fn utc(&self, at: Moment) -> PrimitiveDateTime {
        let on_the_wall = Timestamp::from_second(at.0.assume_utc().unix_timestamp()).ok();
        let found = self.tz().zip(on_the_wall).and_then(|(zone, at)| {
            match zone.to_ambiguous_timestamp(Offset::UTC.to_datetime(at)).offset() {
                AmbiguousOffset::Unambiguous { offset } | AmbiguousOffset::Fold { before: offset, .. } => {
                    Some(offset.seconds())
                }
                AmbiguousOffset::Gap { .. } => None,
            }
        });
        let ahead = found.unwrap_or_else(|| self.offset_at(at.0).whole_seconds());
        at.0.saturating_sub(time::Duration::seconds(i64::from(ahead)))
    }

    /// The calendars of the shop and of everybody who keeps other hours.
    pub(crate) fn calendars(&self) -> Vec<Calendar> {
        let hours = |days: &[String], from: &str, to: &str| {
            days.iter().map(|d| (d.clone(), from.to_owned(), to.to_owned())).collect()
        };
        let mut all = vec![Calendar {
            name: SHOP.into(),
            hours: hours(&self.days, &self.from, &self.to),
            off: self.off.clone(),
        }];
        all.extend(self.people.iter().map(|(id, own)| Calendar {
            name: person_calendar(*id),
            hours: hours(&own.days, &own.from, &own.to),
            off: self.off.iter().chain(&own.off).cloned().collect(),
        }));
        all
    }

    /// The calendar that somebody keeps.
    pub(crate) fn calendar_of(&self, person: u64) -> String {
        if self.people.contains_key(&person) { person_calendar(person) } else { SHOP.into() }
    }

    /// What is wrong with them, by its place in the work document: the shop's calendar is the first, those of people follow in the order
    /// of their numbers.
    #[must_use]
    pub fn problems(&self) -> Vec<String> {
        let work = Work {
            format: FORMAT.into(),
            from: self.now(),
            calendars: self.calendars(),
            resources: Vec::new(),
            jobs: Vec::new(),
            seed: 0,
        };
        let mut all: Vec<String> = work.problems().into_iter().map(|p| p.at).collect();
        if self.days.is_empty() {
            all.push("calendars[0].days".into());
        }
        if !self.zone.is_empty() && self.tz().is_none() {
            all.push("zone".into());
        }
        all
    }
}

fn person_calendar(id: u64) -> String {
    format!("person {id}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    /// The clock goes forward on the last Sunday of March and back on the last of October in the European Union (Directive 2000/84/EC):
    /// what a person calls eight o'clock stays eight o'clock.
    #[test]
    fn a_zone_keeps_the_clock_on_the_wall() {
        let hours = ShopHours { zone: "Europe/Lisbon".into(), ..ShopHours::default() };
        for (local, utc) in [
            (datetime!(2026-03-28 08:00), datetime!(2026-03-28 08:00)),
            (datetime!(2026-03-30 08:00), datetime!(2026-03-30 07:00)),
            (datetime!(2026-10-24 08:00), datetime!(2026-10-24 07:00)),
            (datetime!(2026-10-26 08:00), datetime!(2026-10-26 08:00)),
        ] {
            assert_eq!(hours.utc(Moment(local)), utc);
            assert_eq!(hours.local(utc), Moment(local));
        }
        let fixed = ShopHours { utc_offset_minutes: -90, ..ShopHours::default() };
        assert_eq!(fixed.utc(Moment(datetime!(2026-07-01 08:00))), datetime!(2026-07-01 09:30));
        assert!(
            ShopHours { zone: "Nowhere/Else".into(), ..ShopHours::default() }
                .problems()
                .contains(&"zone".into())
        );
        assert!(ShopHours::zones().len() > 300);
    }

    #[test]
    fn who_keeps_other_hours_has_a_calendar_with_the_shops_days_off() {
        let mut hours = ShopHours { off: vec!["2026-12-24".into()], ..ShopHours::default() };
        let own = PersonHours {
            days: vec!["Sat".into()],
            from: "10:00".into(),
            to: "14:00".into(),
            off: vec!["2026-12-26".into()],
        };
        hours.people.insert(7, own);
        assert!(hours.problems().is_empty());
        assert_eq!((hours.calendar_of(7).as_str(), hours.calendar_of(8).as_str()), ("person 7", SHOP));
        assert_eq!(hours.calendars()[1].off, ["2026-12-24", "2026-12-26"]);
        hours.people.get_mut(&7).unwrap().to = "09:00".into();
        assert!(hours.problems()[0].starts_with("calendars[1]"));
    }
}
