//! When people work.

use serde::{Deserialize, Serialize};
use time::{OffsetDateTime, PrimitiveDateTime, UtcOffset};
use trade::schedule::{Calendar, FORMAT, Moment, Work};

/// When people work, and how much the wax pot holds.
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
    /// Minutes that the workshop's clock is ahead of UTC.
    pub utc_offset_minutes: i32,
    /// Pickups that hang in the wax at once.
    pub pot_holds: u32,
}

impl Default for ShopHours {
    fn default() -> Self {
        Self {
            days: ["Mon", "Tue", "Wed", "Thu", "Fri"].map(str::to_owned).to_vec(),
            from: "08:00".into(),
            to: "17:00".into(),
            off: Vec::new(),
            utc_offset_minutes: 0,
            pot_holds: 6,
        }
    }
}

impl ShopHours {
    fn offset(&self) -> UtcOffset {
        UtcOffset::from_whole_seconds(self.utc_offset_minutes.clamp(-14 * 60, 14 * 60) * 60)
            .unwrap_or(UtcOffset::UTC)
    }

    /// The workshop's clock now.
    #[must_use]
    pub fn now(&self) -> Moment {
        let here = OffsetDateTime::now_utc().to_offset(self.offset());
        Moment(PrimitiveDateTime::new(here.date(), here.time()))
    }

    pub(crate) fn local(&self, utc: PrimitiveDateTime) -> Moment {
        let here = utc.assume_utc().to_offset(self.offset());
        Moment(PrimitiveDateTime::new(here.date(), here.time()))
    }

    pub(crate) fn calendar(&self) -> Calendar {
        Calendar {
            name: "shop".into(),
            hours: self.days.iter().map(|d| (d.clone(), self.from.clone(), self.to.clone())).collect(),
            off: self.off.clone(),
        }
    }

    /// What is wrong with them, by its place.
    #[must_use]
    pub fn problems(&self) -> Vec<String> {
        let work = Work {
            format: FORMAT.into(),
            from: self.now(),
            calendars: vec![self.calendar()],
            resources: Vec::new(),
            jobs: Vec::new(),
            seed: 0,
        };
        let mut all: Vec<String> = work.problems().into_iter().map(|p| p.at).collect();
        if self.days.is_empty() {
            all.push("calendars[0].days".into());
        }
        all
    }
}
