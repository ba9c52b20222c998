//! The work document, `filamentum-work/1`: what is to be done, by what, and when people are there.

use serde::{Deserialize, Serialize};
use time::macros::format_description;
use time::{PrimitiveDateTime, Time, Weekday};

/// The format name that a work document may carry.
pub const FORMAT: &str = "filamentum-work/1";
/// Most jobs, operations in all, resources.
const MOST_JOBS: usize = 2000;
const MOST_OPERATIONS: usize = 5000;
const MOST_RESOURCES: usize = 200;
/// Longest operation and wait, minutes.
const LONGEST_MINUTES: u32 = 60 * 24 * 60;

/// What is to be scheduled.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Work {
    /// `filamentum-work/1`; may be absent.
    #[serde(default = "format_name")]
    pub format: String,
    /// Nothing begins before this.
    pub from: Moment,
    /// When people are there.
    #[serde(default)]
    pub calendars: Vec<Calendar>,
    /// Who and what does it.
    pub resources: Vec<Resource>,
    /// What is to be done.
    pub jobs: Vec<Job>,
    /// Seed of the improvement; the same work and seed give the same schedule.
    #[serde(default)]
    pub seed: u64,
}

fn format_name() -> String {
    FORMAT.into()
}

/// A moment of local time, to the minute: `2026-11-25T08:00`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment(pub PrimitiveDateTime);

const MOMENT: &[time::format_description::FormatItem<'static>] =
    format_description!("[year]-[month]-[day]T[hour]:[minute]");

impl std::fmt::Display for Moment {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0.format(MOMENT).ok().ok_or(std::fmt::Error)?)
    }
}

impl std::str::FromStr for Moment {
    type Err = time::error::Parse;
    fn from_str(text: &str) -> Result<Self, Self::Err> {
        // Seconds may stand there, and are left out.
        let text = if text.len() == 19 { &text[..16] } else { text };
        PrimitiveDateTime::parse(text, MOMENT).map(Self)
    }
}

impl Serialize for Moment {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Moment {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        text.parse().map_err(|_error: time::error::Parse| {
            serde::de::Error::custom(format!(
                "“{}” is no moment such as 2026-11-25T08:00",
                text.chars().take(40).collect::<String>()
            ))
        })
    }
}

impl Moment {
    /// Minutes after another moment; negative before it.
    #[must_use]
    pub fn minutes_after(self, other: Self) -> i64 {
        (self.0 - other.0).whole_minutes()
    }

    /// So many minutes later.
    #[must_use]
    pub fn later(self, minutes: i64) -> Self {
        Self(self.0.saturating_add(time::Duration::minutes(minutes)))
    }
}

/// When somebody is there, week by week.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Calendar {
    /// Its name.
    pub name: String,
    /// Day of the week, from, to: `["Mon", "08:00", "17:00"]`; `24:00` is the end of the day.
    pub hours: Vec<(String, String, String)>,
    /// Days off, such as `2026-12-24`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub off: Vec<String>,
}

/// Somebody or something that does work.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Resource {
    /// Its name, of its own.
    pub name: String,
    /// What it is: person, winder, pot.
    pub kind: String,
    /// The calendar that it keeps; always there when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub calendar: Option<String>,
    /// How many operations at once.
    #[serde(default = "one")]
    pub capacity: u32,
    /// When it is broken or away: from, to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub away: Vec<(Moment, Moment)>,
}

fn one() -> u32 {
    1
}

fn unit() -> f64 {
    1.0
}

/// A job: operations one after the other.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Job {
    /// Its name, of its own.
    pub name: String,
    /// When it was promised; never late when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub due: Option<Moment>,
    /// Not before this.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub release: Option<Moment>,
    /// What a minute of lateness costs.
    #[serde(default = "unit")]
    pub weight: f64,
    /// In their order.
    pub operations: Vec<Operation>,
}

/// An operation.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Operation {
    /// What it is called.
    #[serde(default)]
    pub name: String,
    /// Minutes that it takes, unbroken.
    pub minutes: u32,
    /// Minutes that what comes after has to wait, day and night.
    #[serde(default)]
    pub wait_minutes: u32,
    /// Kinds of which it holds one resource each while it lasts; several kinds in one entry are alternatives.
    #[serde(default)]
    pub needs: Vec<Vec<String>>,
    /// It begins then, whatever else.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start: Option<Moment>,
    /// Names of the resources that a pinned or running operation holds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub on: Vec<String>,
    /// Kind of the resource that it lies on while it waits: a drying rack.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub waits_on: Option<String>,
    /// What it can be done together with: one dip takes several bobbins.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<Batch>,
}

/// Operations that can be done as one: they begin and end together, and hold what they need once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Batch {
    /// Those of one name go together, when they take equally long.
    pub name: String,
    /// Most of them at once, from 1.
    pub most: u32,
}

/// What is wrong with a work document.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct WorkProblem {
    /// Its place in the document.
    pub at: String,
    /// Stable name.
    pub code: String,
    /// What is wrong.
    pub text: String,
}

impl WorkProblem {
    pub(super) fn new(at: impl Into<String>, code: &str, text: impl Into<String>) -> Self {
        Self { at: at.into(), code: code.into(), text: text.into() }
    }
}

/// Day of the week by its first three letters.
pub(super) fn weekday(text: &str) -> Option<Weekday> {
    let all = [
        ("mon", Weekday::Monday),
        ("tue", Weekday::Tuesday),
        ("wed", Weekday::Wednesday),
        ("thu", Weekday::Thursday),
        ("fri", Weekday::Friday),
        ("sat", Weekday::Saturday),
        ("sun", Weekday::Sunday),
    ];
    let short: String = text.trim().to_lowercase().chars().take(3).collect();
    all.into_iter().find(|(name, _)| *name == short).map(|(_, day)| day)
}

/// Minutes after midnight.
pub(super) fn clock(text: &str) -> Option<u32> {
    if text == "24:00" {
        return Some(24 * 60);
    }
    let time = Time::parse(text, format_description!("[hour]:[minute]")).ok()?;
    Some(u32::from(time.hour()) * 60 + u32::from(time.minute()))
}

/// Reads a work document from JSON text and checks it.
///
/// # Errors
/// Every problem, by its place.
pub fn read(text: &str) -> Result<Work, Vec<WorkProblem>> {
    let mut reader = serde_json::Deserializer::from_str(text);
    let work: Work = serde_path_to_error::deserialize(&mut reader).map_err(|error| {
        vec![WorkProblem::new(error.path().to_string(), "unreadable", error.inner().to_string())]
    })?;
    let problems = work.problems();
    if problems.is_empty() { Ok(work) } else { Err(problems) }
}

impl Work {
    /// Everything that contradicts itself, by its place.
    #[must_use]
    pub fn problems(&self) -> Vec<WorkProblem> {
        let mut all = Vec::new();
        let mut add = |at: String, code: &str, text: String| all.push(WorkProblem::new(at, code, text));
        if self.format != FORMAT {
            add("format".into(), "format", format!("{FORMAT} is read here"));
        }
        let operations: usize = self.jobs.iter().map(|j| j.operations.len()).sum();
        for (at, count, most) in [
            ("jobs", self.jobs.len(), MOST_JOBS),
            ("jobs[*].operations", operations, MOST_OPERATIONS),
            ("resources", self.resources.len(), MOST_RESOURCES),
        ] {
            if count > most {
                add(at.into(), "too-many", format!("{count}; up to {most} are scheduled"));
            }
        }
        for (i, calendar) in self.calendars.iter().enumerate() {
            if self.calendars[..i].iter().any(|c| c.name == calendar.name) {
                add(format!("calendars[{i}].name"), "name-taken", "there are two of this name".into());
            }
            for (k, (day, from, to)) in calendar.hours.iter().enumerate() {
                let at = format!("calendars[{i}].hours[{k}]");
                match (weekday(day), clock(from), clock(to)) {
                    (Some(_), Some(from), Some(to)) if from < to => {}
                    _ => add(at, "hours", "a day of the week, from and to such as Mon, 08:00, 17:00".into()),
                }
            }
            for (k, day) in calendar.off.iter().enumerate() {
                if time::Date::parse(day, format_description!("[year]-[month]-[day]")).is_err() {
                    add(format!("calendars[{i}].off[{k}]"), "date", "a day such as 2026-12-24".into());
                }
            }
        }
        for (i, resource) in self.resources.iter().enumerate() {
            if self.resources[..i].iter().any(|r| r.name == resource.name) {
                add(format!("resources[{i}].name"), "name-taken", "there are two of this name".into());
            }
            if resource.calendar.as_ref().is_some_and(|c| !self.calendars.iter().any(|k| k.name == *c)) {
                add(
                    format!("resources[{i}].calendar"),
                    "unknown-calendar",
                    "there is no such calendar".into(),
                );
            }
            for (k, (from, to)) in resource.away.iter().enumerate() {
                if from >= to {
                    let text = "from a moment to a later one".into();
                    add(format!("resources[{i}].away[{k}]"), "away", text);
                }
            }
            if resource.capacity == 0 || resource.capacity > 1000 {
                add(format!("resources[{i}].capacity"), "capacity", "between 1 and 1,000".into());
            }
        }
        for (i, job) in self.jobs.iter().enumerate() {
            if !(job.weight >= 0.0 && job.weight <= 1e6) {
                add(format!("jobs[{i}].weight"), "weight", "between 0 and 1,000,000".into());
            }
            if job.operations.is_empty() {
                add(format!("jobs[{i}].operations"), "empty", "a job has an operation at least".into());
            }
            for (k, operation) in job.operations.iter().enumerate() {
                let at = |key: &str| format!("jobs[{i}].operations[{k}].{key}");
                if operation.minutes > LONGEST_MINUTES || operation.wait_minutes > LONGEST_MINUTES {
                    add(at("minutes"), "minutes", format!("up to {LONGEST_MINUTES} minutes"));
                }
                if operation.batch.as_ref().is_some_and(|b| !(1..=1000).contains(&b.most)) {
                    add(at("batch.most"), "batch", "between 1 and 1,000".into());
                }
                for (n, kinds) in operation.needs.iter().enumerate() {
                    if !self.resources.iter().any(|r| kinds.contains(&r.kind)) {
                        add(
                            at(&format!("needs[{n}]")),
                            "no-such-resource",
                            "no resource is of that kind".into(),
                        );
                    }
                }
                if operation
                    .waits_on
                    .as_ref()
                    .is_some_and(|kind| !self.resources.iter().any(|r| r.kind == *kind))
                {
                    add(at("waits_on"), "no-such-resource", "no resource is of that kind".into());
                }
                for (n, name) in operation.on.iter().enumerate() {
                    if !self.resources.iter().any(|r| r.name == *name) {
                        add(at(&format!("on[{n}]")), "no-such-resource", "no resource has that name".into());
                    }
                }
            }
        }
        all
    }
}
