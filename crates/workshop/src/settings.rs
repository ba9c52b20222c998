//! What a workshop decides once for everybody in it.

use crate::actor::Actor;
use crate::credentials::LONGEST_SIGN_IN;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::{Design, Load, Problem, tall_single};
use serde::{Deserialize, Serialize};
use std::ops::RangeInclusive;
use store::person::Person;

/// How many minutes of rest a station may wait before it asks again who stands at it.
pub const STATION_REST_MINUTES: RangeInclusive<u32> = 1..=240;

/// The settings of a workshop. Fields may be added: what an older row does not name is what is usual.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct WorkshopSettings {
    /// Everybody needs a second factor beside the password.
    pub second_factor_required: bool,
    /// After so many minutes of rest a shared station asks again who stands at it.
    pub station_rest_minutes: u32,
    /// The temperature of the room that new designs begin with, °C.
    pub room_c: f64,
    /// The controls and the cable that new designs begin with.
    pub load: Load,
}

impl Default for WorkshopSettings {
    fn default() -> Self {
        let usual = tall_single("", 6, 10.4);
        Self {
            second_factor_required: false,
            station_rest_minutes: 5,
            room_c: usual.room_c,
            load: usual.load,
        }
    }
}

impl WorkshopSettings {
    /// Of the workshop that a person belongs to.
    #[must_use]
    pub fn of(person: &Person) -> Self {
        let text = person.workshop_settings.as_deref();
        text.and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default()
    }

    /// Lets a new design begin with what is usual here.
    pub fn apply_to(&self, design: &mut Design) {
        design.room_c = self.room_c;
        design.load = self.load.clone();
    }

    /// What the engine would not take, by its place in a design.
    #[must_use]
    pub fn problems(&self) -> Vec<Problem> {
        let mut design = tall_single("Settings", 6, 10.4);
        self.apply_to(&mut design);
        let mut all = design.problems();
        if !STATION_REST_MINUTES.contains(&self.station_rest_minutes) {
            all.push(Problem {
                at: "station_rest_minutes".into(),
                text: format!(
                    "between {} and {} minutes",
                    STATION_REST_MINUTES.start(),
                    STATION_REST_MINUTES.end()
                ),
                try_: String::new(),
            });
        }
        all
    }
}

impl Workshop {
    /// The workshop's name and settings.
    ///
    /// # Errors
    /// When there is no such person.
    pub async fn settings(&self, actor: &Actor) -> Result<(String, WorkshopSettings), Refusal> {
        actor.require(Action::ManageSettings)?;
        let person = self.store.person(actor.person).await?.ok_or(Refusal::NotFound("person"))?;
        let settings = WorkshopSettings::of(&person);
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
        Ok(self.of(actor).set_settings(actor.person, name, &text).await?)
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
        settings.station_rest_minutes = 0;
        let mut at: Vec<String> = settings.problems().into_iter().map(|p| p.at).collect();
        at.sort();
        assert_eq!(at, ["load.cable_pf", "room_c", "station_rest_minutes"]);
    }
}
