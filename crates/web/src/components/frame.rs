//! The frame round every page.

use crate::assets;
use crate::current_user::CurrentUser;
use crate::flash::Flash;
use coil::quantity::Units;
use trade::run::Stage;
use workshop::{Action, Actor};

/// A place in the navigation.
pub(crate) struct Place {
    /// Its key, as pages name it.
    pub key: &'static str,
    /// Its label.
    pub label: &'static str,
    /// Its icon.
    pub icon: &'static str,
    /// Where it leads.
    pub link: &'static str,
    /// What it asks for.
    pub action: Action,
}

/// The places of the navigation.
const PLACES: &[Place] = &[
    Place { key: "bench", label: "Bench", icon: "house-door", link: "/", action: Action::ReadRuns },
    Place { key: "plan", label: "Plan", icon: "calendar-week", link: "/day", action: Action::ReadRuns },
    Place {
        key: "designs",
        label: "Designs",
        icon: "vector-pen",
        link: "/designs",
        action: Action::ReadDesigns,
    },
    Place { key: "sets", label: "Sets", icon: "toggles", link: "/sets", action: Action::ReadDesigns },
    Place {
        key: "rewinds",
        label: "Rewinds",
        icon: "arrow-repeat",
        link: "/rewinds",
        action: Action::ReadDesigns,
    },
    Place {
        key: "logbook",
        label: "Logbook",
        icon: "journal-text",
        link: "/logbook",
        action: Action::ReadRuns,
    },
    Place {
        key: "inventory",
        label: "Inventory",
        icon: "box-seam",
        link: "/spools",
        action: Action::ReadStock,
    },
    Place {
        key: "instruments",
        label: "Instruments",
        icon: "lightning-charge",
        link: "/instruments",
        action: Action::ReadInstruments,
    },
    Place {
        key: "workshop",
        label: "Workshop",
        icon: "people",
        link: "/people",
        action: Action::ManagePeople,
    },
];

/// A tab of a place.
pub(crate) struct Tab {
    /// Its key, as pages name it.
    pub key: &'static str,
    /// Its label.
    pub label: &'static str,
    /// Where it leads.
    pub link: &'static str,
    /// What it asks for.
    pub action: Action,
}

const fn tab(key: &'static str, label: &'static str, link: &'static str, action: Action) -> Tab {
    Tab { key, label, link, action }
}

/// The tabs of each place, by its key.
const TABS: &[(&str, &[Tab])] = &[
    (
        "logbook",
        &[
            tab("runs", "Runs", "/logbook", Action::ReadRuns),
            tab("consistency", "Consistency", "/consistency", Action::ReadAnalysis),
            tab("causes", "Causes", "/causes", Action::ReadAnalysis),
            tab("calibration", "Calibration", "/calibration", Action::ReadAnalysis),
            tab("experiments", "Experiments", "/experiments", Action::ReadAnalysis),
        ],
    ),
    (
        "plan",
        &[
            tab("day", "The day", "/day", Action::ReadRuns),
            tab("week", "The week", "/week", Action::ReadRuns),
            tab("orders", "Orders", "/orders", Action::ReadOrders),
            tab("figures", "Figures", "/shop-figures", Action::ReadOrders),
        ],
    ),
    (
        "sets",
        &[
            tab("sets", "Sets", "/sets", Action::ReadDesigns),
            tab("matching", "Matching", "/matching", Action::ReadAnalysis),
        ],
    ),
    (
        "inventory",
        &[
            tab("spools", "Spools", "/spools", Action::ReadStock),
            tab("parts", "Magnets, bobbins, parts", "/parts", Action::ReadStock),
            tab("costs", "Cost of a pickup", "/costs", Action::ReadDesigns),
        ],
    ),
    (
        "workshop",
        &[
            tab("people", "People", "/people", Action::ManagePeople),
            tab("stations", "Shared stations", "/stations", Action::ManageSettings),
            tab("settings", "Settings", "/settings", Action::ManageSettings),
            tab("backups", "Backups", "/backups", Action::BackUp),
            tab("audit", "Changes", "/audit", Action::ReadAudit),
            tab("policy-reports", "Blocked content", "/policy-reports", Action::ReadAudit),
        ],
    ),
];

/// What the frame needs.
pub(crate) struct Frame {
    /// Title of the page.
    pub title: String,
    /// The place that is marked in the navigation.
    pub place: &'static str,
    /// Workshop.
    pub workshop: String,
    /// Who is signed in.
    pub person: String,
    /// Where this person's drafts are kept in the browser.
    pub drafts: String,
    /// Token of this session's forms.
    pub token: String,
    /// Path of the assets.
    pub assets: &'static str,
    /// A message about what was done just now.
    pub flash: Option<Flash>,
    /// Names of stored records that cannot be read, for those who can do something about it.
    pub unreadable: Vec<String>,
    /// The shared station that they stand at.
    pub station: Option<String>,
    /// The workshop's units.
    pub units: Units,
    actor: Actor,
}

impl Frame {
    /// A frame for someone signed in.
    pub(crate) fn new(user: &CurrentUser, place: &'static str, title: impl Into<String>) -> Self {
        let is_known = place == "account" || PLACES.iter().any(|known| known.key == place);
        debug_assert!(is_known, "{place} is no place of the navigation");
        Self {
            title: title.into(),
            place,
            workshop: user.person.workshop.clone(),
            person: user.person.name.clone(),
            drafts: format!("draft:{}:", user.person.id),
            token: user.token.clone(),
            assets: assets::base(),
            flash: user.flash.clone(),
            unreadable: user
                .app
                .workshop
                .unreadable_records(&user.actor)
                .unwrap_or_default()
                .into_iter()
                .map(|record| record.name)
                .collect(),
            station: user.station.as_ref().map(|station| station.name.clone()),
            units: user.settings.units,
            actor: user.actor,
        }
    }

    /// The places that whoever is signed in may open.
    pub(crate) fn places(&self) -> Vec<&'static Place> {
        PLACES.iter().filter(|place| self.may(place.action)).collect()
    }

    /// The tabs of this place that whoever is signed in may open; none where there would be one.
    pub(crate) fn tabs(&self) -> Vec<&'static Tab> {
        let all = TABS.iter().find(|(place, _)| *place == self.place).map_or(&[][..], |(_, tabs)| *tabs);
        let open: Vec<&Tab> = all.iter().filter(|tab| self.may(tab.action)).collect();
        if open.len() > 1 { open } else { Vec::new() }
    }

    /// Whether whoever is signed in may do something: what they may not do is not offered.
    pub(crate) const fn may(&self, action: Action) -> bool {
        self.actor.may(action)
    }

    /// Whether they may wind and measure.
    pub(crate) const fn may_wind(&self) -> bool {
        self.may(Action::Wind)
    }

    /// Whether they may see designs and targets.
    pub(crate) const fn may_read_designs(&self) -> bool {
        self.may(Action::ReadDesigns)
    }

    /// Whether they may change designs.
    pub(crate) const fn may_change_designs(&self) -> bool {
        self.may(Action::ChangeDesigns)
    }

    /// Whether they may take and change orders.
    pub(crate) const fn may_change_orders(&self) -> bool {
        self.may(Action::ChangeOrders)
    }

    /// Whether they may change the inventory.
    pub(crate) const fn may_change_stock(&self) -> bool {
        self.may(Action::ChangeStock)
    }

    /// Whether they may add and retire instruments.
    pub(crate) const fn may_change_instruments(&self) -> bool {
        self.may(Action::ChangeInstruments)
    }

    /// Whether they may see what the runs say as a whole.
    pub(crate) const fn may_read_analysis(&self) -> bool {
        self.may(Action::ReadAnalysis)
    }

    /// Whether they may decide about calibration, matching and experiments.
    pub(crate) const fn may_change_analysis(&self) -> bool {
        self.may(Action::ChangeAnalysis)
    }

    /// Whether they may decide how each format is worked.
    pub(crate) const fn may_change_travellers(&self) -> bool {
        self.may(Action::ChangeTravellers)
    }

    /// Whether they may bring runs in from files.
    pub(crate) const fn may_import_runs(&self) -> bool {
        self.may(Action::ImportRuns)
    }

    /// Whether they may decide about the workshop's settings.
    pub(crate) const fn may_manage_settings(&self) -> bool {
        self.may(Action::ManageSettings)
    }
}

/// A step of the progress: its word, and whether it is done, current or to come.
pub(crate) struct ProgressStep {
    /// The word.
    pub name: &'static str,
    /// `done`, `now` or `later`.
    pub state: &'static str,
}

/// How far something is from target to judgement; `stage` is `None` before a run.
pub(crate) fn progress_steps(has_target: bool, stage: Option<Stage>, judged: bool) -> Vec<ProgressStep> {
    let reached = match stage {
        None => 1,
        Some(Stage::Wind) => 2,
        Some(Stage::Measure) => 3,
        Some(Stage::Judge) => 4,
    };
    ["Target", "Build", "Wind", "Measure", "Judge"]
        .into_iter()
        .enumerate()
        .map(|(i, name)| {
            let done = if i == 0 { has_target } else { i < reached || (i == 4 && judged) };
            let state = if done {
                "done"
            } else if i == reached {
                "now"
            } else {
                "later"
            };
            ProgressStep { name, state }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(false, None, "later now later later later")]
    #[case(true, None, "done now later later later")]
    #[case(true, Some(Stage::Wind), "done done now later later")]
    #[case(true, Some(Stage::Measure), "done done done now later")]
    #[case(true, Some(Stage::Judge), "done done done done now")]
    fn the_steps_show_what_is_done_and_what_is_next(
        #[case] target: bool,
        #[case] stage: Option<Stage>,
        #[case] states: &str,
    ) {
        let steps: Vec<&str> = progress_steps(target, stage, false).iter().map(|step| step.state).collect();
        assert_eq!(steps.join(" "), states);
    }
}
