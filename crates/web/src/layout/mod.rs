//! The frame round every page.

mod field;

pub use field::{Choice, Field};

use crate::assets;
use crate::current_user::CurrentUser;
use trade::run::Stage;

/// What the frame needs.
pub struct Frame {
    /// Title of the page.
    pub title: String,
    /// The place that is lit in the spine.
    pub place: &'static str,
    /// Workshop.
    pub workshop: String,
    /// Who is signed in.
    pub person: String,
    /// Token of this session's forms.
    pub token: String,
    /// Path of the assets.
    pub assets: &'static str,
}

impl Frame {
    /// A frame for someone signed in.
    pub fn new(user: &CurrentUser, place: &'static str, title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            place,
            workshop: user.person.workshop.clone(),
            person: user.person.name.clone(),
            token: user.token.clone(),
            assets: assets::base(),
        }
    }
}

/// A knot on the thread: its word, and whether it is done, now or to come.
pub struct ProgressStep {
    /// The word.
    pub name: &'static str,
    /// `done`, `now` or `later`.
    pub state: &'static str,
}

/// Where on the thread Aim → Build → Wind → Measure → Judge something is; `None` before a run.
pub fn progress_steps(has_aim: bool, stage: Option<Stage>, record_judgement: bool) -> Vec<ProgressStep> {
    let reached = match stage {
        None => 1,
        Some(Stage::Wind) => 2,
        Some(Stage::Measure) => 3,
        Some(Stage::Judge) => 4,
    };
    ["Aim", "Build", "Wind", "Measure", "Judge"]
        .into_iter()
        .enumerate()
        .map(|(i, name)| {
            let done = if i == 0 { has_aim } else { i < reached || (i == 4 && record_judgement) };
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
    fn the_thread_shows_what_is_done_and_what_is_next(
        #[case] aim: bool,
        #[case] stage: Option<Stage>,
        #[case] states: &str,
    ) {
        let knots: Vec<&str> = progress_steps(aim, stage, false).iter().map(|knot| knot.state).collect();
        assert_eq!(knots.join(" "), states);
    }
}
