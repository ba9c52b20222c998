//! What a workshop decides once for everybody in it.

use crate::actor::Actor;
use crate::credentials::LONGEST_SIGN_IN;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::shop_hours::ShopHours;
use coil::design::{Design, Load, Problem, tall_single};
use coil::quantity::Units;
use serde::{Deserialize, Serialize};
use std::ops::RangeInclusive;
use store::person::{Person, Role};
use store::session::SessionLimits;
use time::Duration;
use trade::comparison::TolerancePolicy;
use trade::pairing::ReverseWinding;
use trade::run::StopPolicy;
use trade::spreadsheet::SpreadsheetFormat;

/// How many minutes of rest a station may wait before it asks again who stands at it.
pub const STATION_REST_MINUTES: RangeInclusive<u32> = 1..=240;

/// How long a person may stay signed in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SessionPolicy {
    /// Without doing anything, minutes.
    pub idle_minutes: u32,
    /// At most, hours.
    pub longest_hours: u32,
}

/// What [`SessionPolicy::idle_minutes`] may be.
pub const IDLE_MINUTES: RangeInclusive<u32> = 5..=720;
/// What [`SessionPolicy::longest_hours`] may be.
pub const LONGEST_HOURS: RangeInclusive<u32> = 1..=168;

impl SessionPolicy {
    fn limits(self) -> SessionLimits {
        SessionLimits {
            idle: Duration::minutes(i64::from(self.idle_minutes)),
            longest: Duration::hours(i64::from(self.longest_hours)),
        }
    }
}

/// Who signs in by the provider of single sign-on, and as what.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct SingleSignOnSettings {
    /// Whether anybody does.
    pub is_on: bool,
    /// The claim that names what somebody is: a text, or a list of texts; `outer.inner` for one within another.
    pub claim: String,
    /// Its words for each role, separated by commas; none where nobody gets that role by it.
    pub owner: String,
    /// The same.
    pub designer: String,
    /// The same.
    pub operator: String,
    /// The same.
    pub viewer: String,
}

impl Default for SingleSignOnSettings {
    fn default() -> Self {
        let none = String::new;
        Self {
            is_on: false,
            claim: "groups".into(),
            owner: none(),
            designer: none(),
            operator: none(),
            viewer: none(),
        }
    }
}

impl SingleSignOnSettings {
    /// The highest role that words of the claim give.
    #[must_use]
    pub fn role(&self, words: &[String]) -> Option<Role> {
        let is_said = |of: &str| {
            of.split(',').map(str::trim).any(|word| !word.is_empty() && words.iter().any(|w| w == word))
        };
        let all = [
            (Role::Owner, &self.owner),
            (Role::Designer, &self.designer),
            (Role::Operator, &self.operator),
            (Role::Viewer, &self.viewer),
        ];
        all.into_iter().find(|(_, of)| is_said(of)).map(|(role, _)| role)
    }
}

/// What leaves the workshop without being asked for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct PrivacySettings {
    /// Parts of a design that a share sheet shows to begin with, by their keys; `None` for those that give no recipe away.
    pub shared_parts: Option<Vec<String>>,
    /// Whether exported tables name people; else they are numbered.
    pub names_in_exports: bool,
}

impl Default for PrivacySettings {
    fn default() -> Self {
        Self { shared_parts: None, names_in_exports: true }
    }
}

/// What colours a workshop's leads have.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct LeadColours {
    /// Of the hot lead.
    pub hot: String,
    /// Of the lead at ground.
    pub ground: String,
}

impl Default for LeadColours {
    fn default() -> Self {
        Self { hot: "white".into(), ground: "black".into() }
    }
}

/// The settings of a workshop. Fields may be added: what an older row does not name is what is usual.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct WorkshopSettings {
    /// Everybody needs a second factor beside the password.
    pub second_factor_required: bool,
    /// People may sign in with passkeys.
    pub passkeys_allowed: bool,
    /// Who signs in by the provider of single sign-on.
    pub single_sign_on: SingleSignOnSettings,
    /// After so many minutes of rest a shared station asks again who stands at it.
    pub station_rest_minutes: u32,
    /// How long owners may stay signed in.
    pub owner_session: SessionPolicy,
    /// How long everybody else may.
    pub other_session: SessionPolicy,
    /// The temperature of the room that new designs begin with, °C.
    pub room_c: f64,
    /// The controls and the cable that new designs begin with.
    pub load: Load,
    /// What people read and type.
    pub units: Units,
    /// How numbers are written in files for spreadsheets.
    pub spreadsheets: SpreadsheetFormat,
    /// How a coil is made that runs the other way round than its partner.
    pub reverse_winding: ReverseWinding,
    /// Colours of the leads, as travellers name them: the hot one and the one at ground.
    pub lead_colours: LeadColours,
    /// Where new runs propose to stop.
    pub stops: StopPolicy,
    /// How far the coils of new runs may lie from what the workshop's coils do.
    pub tolerance: TolerancePolicy,
    /// What leaves the workshop without being asked for.
    pub privacy: PrivacySettings,
    /// When people work.
    pub hours: ShopHours,
}

impl Default for WorkshopSettings {
    fn default() -> Self {
        let usual = tall_single("", 6, 10.4);
        Self {
            second_factor_required: false,
            passkeys_allowed: true,
            single_sign_on: SingleSignOnSettings::default(),
            station_rest_minutes: 5,
            // ASVS 4.0.3, 3.3.2 at level 2: after 12 hours, or 30 minutes of rest.
            owner_session: SessionPolicy { idle_minutes: 30, longest_hours: 12 },
            other_session: SessionPolicy { idle_minutes: 30, longest_hours: 12 },
            room_c: usual.room_c,
            load: usual.load,
            units: Units::default(),
            spreadsheets: SpreadsheetFormat::default(),
            reverse_winding: ReverseWinding::default(),
            lead_colours: LeadColours::default(),
            stops: StopPolicy::default(),
            tolerance: TolerancePolicy::default(),
            privacy: PrivacySettings::default(),
            hours: ShopHours::default(),
        }
    }
}

fn outside(at: &str, low: impl std::fmt::Display, high: impl std::fmt::Display) -> Problem {
    Problem { at: at.into(), text: format!("between {low} and {high}"), try_: String::new() }
}

impl WorkshopSettings {
    /// As a workshop keeps them, JSON; the usual ones where it keeps none.
    #[must_use]
    pub fn read(text: Option<&str>) -> Self {
        text.and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default()
    }

    /// Of the workshop that a person belongs to.
    #[must_use]
    pub fn from_person(person: &Person) -> Self {
        Self::read(person.workshop_settings.as_deref())
    }

    /// Lets a new design begin with what is usual here.
    pub fn apply_to(&self, design: &mut Design) {
        design.room_c = self.room_c;
        design.load = self.load.clone();
    }

    /// How long a person of a role may stay signed in.
    #[must_use]
    pub fn session_policy(&self, role: Role) -> SessionPolicy {
        if role == Role::Owner { self.owner_session } else { self.other_session }
    }

    pub(crate) fn session_limits(&self, role: Role) -> SessionLimits {
        self.session_policy(role).limits()
    }

    /// What is out of range, by its place in the settings; what the engine would not take by its place in a design.
    #[must_use]
    pub fn problems(&self) -> Vec<Problem> {
        let mut design = tall_single("Settings", 6, 10.4);
        self.apply_to(&mut design);
        let mut all = design.problems();
        let whole = [
            ("station_rest_minutes", self.station_rest_minutes, STATION_REST_MINUTES),
            ("owner_session.idle_minutes", self.owner_session.idle_minutes, IDLE_MINUTES),
            ("owner_session.longest_hours", self.owner_session.longest_hours, LONGEST_HOURS),
            ("other_session.idle_minutes", self.other_session.idle_minutes, IDLE_MINUTES),
            ("other_session.longest_hours", self.other_session.longest_hours, LONGEST_HOURS),
            ("stops.first", self.stops.first, 0..=StopPolicy::MOST),
        ];
        let broken = whole.into_iter().filter(|(_, value, range)| !range.contains(value));
        all.extend(broken.map(|(at, _, range)| outside(at, range.start(), range.end())));
        if self.stops.every != 0 && !(StopPolicy::CLOSEST..=StopPolicy::MOST).contains(&self.stops.every) {
            all.push(outside("stops.every", StopPolicy::CLOSEST, StopPolicy::MOST));
        }
        for at in self.hours.problems() {
            all.push(Problem {
                at: format!("hours.{at}"),
                text: "this cannot be".into(),
                try_: String::new(),
            });
        }
        let sd = TolerancePolicy::RANGE;
        if !sd.contains(&self.tolerance.control_sd) {
            all.push(outside("tolerance.control_sd", sd.start(), sd.end()));
        }
        all
    }
}

impl Workshop {
    /// The settings of the actor's workshop.
    pub(crate) async fn settings_of(&self, actor: &Actor) -> Result<WorkshopSettings, Refusal> {
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        Ok(WorkshopSettings::from_person(&person))
    }

    /// The workshop's name and settings.
    ///
    /// # Errors
    /// When there is no such person.
    pub async fn settings(&self, actor: &Actor) -> Result<(String, WorkshopSettings), Refusal> {
        actor.require(Action::ManageSettings)?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        let settings = WorkshopSettings::from_person(&person);
        Ok((person.workshop, settings))
    }

    /// Sets the workshop's name and settings; they hold from the next page on.
    ///
    /// # Errors
    /// [`Refusal::UnusableName`], [`Refusal::NotPredictable`] with what is out of range.
    pub async fn change_settings(
        &self,
        actor: &Actor,
        name: &str,
        settings: &WorkshopSettings,
    ) -> Result<(), Refusal> {
        actor.require(Action::ManageSettings)?;
        let name = name.trim();
        let length = name.chars().count();
        if !(1..=LONGEST_SIGN_IN).contains(&length) || name.contains(char::is_control) {
            return Err(Refusal::UnusableName);
        }
        let problems = settings.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let text = serde_json::to_string(settings)?;
        Ok(self.store_of(actor).set_settings(actor.person, name, &text).await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_row_does_not_name_is_usual() {
        let read: WorkshopSettings =
            serde_json::from_str("{\"station_rest_minutes\": 9, \"later\": 1}").unwrap();
        let expected = WorkshopSettings { station_rest_minutes: 9, ..WorkshopSettings::default() };
        assert_eq!(read, expected);
        assert!(read.problems().is_empty());
    }

    #[test]
    fn the_engine_decides_what_is_in_range() {
        let mut settings = WorkshopSettings { room_c: 400.0, ..WorkshopSettings::default() };
        settings.load.cable_pf = -1.0;
        assert_eq!(places(&settings), ["load.cable_pf", "room_c"]);
    }

    fn places(settings: &WorkshopSettings) -> Vec<String> {
        let mut at: Vec<String> = settings.problems().into_iter().map(|p| p.at).collect();
        at.sort();
        at
    }

    #[test]
    fn every_setting_has_its_range() {
        let session = |idle_minutes, longest_hours| SessionPolicy { idle_minutes, longest_hours };
        let out = WorkshopSettings {
            station_rest_minutes: 0,
            owner_session: session(4, 169),
            other_session: session(721, 0),
            stops: StopPolicy { first: 50_001, every: 49 },
            tolerance: TolerancePolicy { control_sd: 1.6 },
            ..WorkshopSettings::default()
        };
        let all = [
            "other_session.idle_minutes",
            "other_session.longest_hours",
            "owner_session.idle_minutes",
            "owner_session.longest_hours",
            "station_rest_minutes",
            "stops.every",
            "stops.first",
            "tolerance.control_sd",
        ];
        assert_eq!(places(&out), all);
        let edge = WorkshopSettings {
            station_rest_minutes: 240,
            owner_session: session(5, 1),
            other_session: session(720, 168),
            stops: StopPolicy { first: 0, every: 0 },
            tolerance: TolerancePolicy { control_sd: 6.0 },
            ..WorkshopSettings::default()
        };
        assert!(edge.problems().is_empty());
    }

    #[rstest::rstest]
    #[case(&["staff"], Some(Role::Operator))]
    #[case(&["staff", "winding-heads"], Some(Role::Owner))]
    #[case(&["heads"], Some(Role::Owner))]
    #[case(&["guests"], None)]
    #[case(&["heads, winding-heads"], None)]
    #[case(&[""], None)]
    #[case(&[], None)]
    fn the_highest_role_that_is_said_counts(#[case] words: &[&str], #[case] role: Option<Role>) {
        let settings = SingleSignOnSettings {
            owner: "heads, winding-heads".into(),
            operator: "staff,,".into(),
            ..SingleSignOnSettings::default()
        };
        let words: Vec<String> = words.iter().map(|&word| word.to_owned()).collect();
        assert_eq!(settings.role(&words), role);
    }

    #[test]
    fn sessions_are_limited_by_role() {
        let other_session = SessionPolicy { idle_minutes: 720, longest_hours: 168 };
        let settings = WorkshopSettings { other_session, ..WorkshopSettings::default() };
        let owner = settings.session_limits(Role::Owner);
        assert_eq!((owner.idle, owner.longest), (Duration::minutes(30), Duration::hours(12)));
        let others = [Role::Viewer, Role::Operator, Role::Designer].map(|role| settings.session_limits(role));
        assert!(others.iter().all(|limits| limits.idle > owner.idle && limits.longest > owner.longest));
    }
}
