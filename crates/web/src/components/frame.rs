//! The frame round every page.

use crate::assets;
use crate::current_user::CurrentUser;
use crate::flash::Flash;
use trade::run::Stage;

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
}

/// The places of the navigation.
pub(crate) const PLACES: &[Place] = &[
    Place { key: "bench", label: "Bench", icon: "house-door", link: "/" },
    Place { key: "designs", label: "Designs", icon: "vector-pen", link: "/designs" },
    Place { key: "logbook", label: "Logbook", icon: "journal-text", link: "/logbook" },
    Place { key: "inventory", label: "Inventory", icon: "box-seam", link: "/spools" },
    Place { key: "instruments", label: "Instruments", icon: "lightning-charge", link: "/instruments" },
];

/// Tabs of the logbook: key, label, address.
pub(crate) const LOGBOOK_TABS: &[(&str, &str, &str)] = &[
    ("runs", "Runs", "/logbook"),
    ("consistency", "Consistency", "/consistency"),
    ("causes", "Causes", "/causes"),
    ("calibration", "Calibration", "/calibration"),
    ("matching", "Matching", "/matching"),
    ("experiments", "Experiments", "/experiments"),
];

/// Tabs of the inventory: key, label, address.
pub(crate) const INVENTORY_TABS: &[(&str, &str, &str)] = &[
    ("spools", "Spools", "/spools"),
    ("parts", "Magnets, bobbins, parts", "/parts"),
    ("costs", "Cost of a pickup", "/costs"),
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
}

impl Frame {
    /// A frame for someone signed in.
    pub(crate) fn new(user: &CurrentUser, place: &'static str, title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            place,
            workshop: user.person.workshop.clone(),
            person: user.person.name.clone(),
            drafts: format!("draft:{}:", user.person.id),
            token: user.token.clone(),
            assets: assets::base(),
            flash: user.flash.clone(),
        }
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
pub(crate) fn progress_steps(has_aim: bool, stage: Option<Stage>, judged: bool) -> Vec<ProgressStep> {
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
            let done = if i == 0 { has_aim } else { i < reached || (i == 4 && judged) };
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
        #[case] aim: bool,
        #[case] stage: Option<Stage>,
        #[case] states: &str,
    ) {
        let steps: Vec<&str> = progress_steps(aim, stage, false).iter().map(|step| step.state).collect();
        assert_eq!(steps.join(" "), states);
    }
}
