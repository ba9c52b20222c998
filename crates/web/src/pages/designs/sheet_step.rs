//! What a button of the workbench does to the whole design.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use coil::design::{Design, Step, Targets};
use coil::search::{Adjustment, Goal, TonePreset, targets_like};
use presentation::form_fields::Errors;
use presentation::search_form::goal_or;
use presentation::sheet::OneByOne;
use std::str::FromStr;
use store::RevisionId;
use store::design::Revision;
use workshop::Refusal;

/// Least and most that a reference's figure may be moved by, %.
const MOVES_PERCENT: (f64, f64) = (-60.0, 300.0);

/// What a button does to the whole design.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum SheetStep {
    /// Nothing: the fields are read.
    Read,
    /// Nothing, and the fields are shown again, even where they cannot be read.
    Show,
    /// The design that the form carries takes the place of what the fields say.
    Load,
    /// Poles are set one by one.
    PolesEach,
    /// An adjustment is made.
    Adjust(Adjustment),
    /// Targets by a tone preset.
    Preset(TonePreset),
    /// Targets like those of a reference pickup.
    TargetsLike,
    /// Parts are added, removed or arranged.
    Arrange(Step),
}

impl FromStr for SheetStep {
    type Err = AppError;

    fn from_str(text: &str) -> Result<Self, AppError> {
        match (text, text.split_once(':')) {
            ("", _) => Some(Self::Read),
            ("show", _) => Some(Self::Show),
            ("load", _) => Some(Self::Load),
            ("poles.each", _) => Some(Self::PolesEach),
            ("targets-like", _) => Some(Self::TargetsLike),
            (_, Some(("adjust", adjustment))) => adjustment.parse().map(Self::Adjust).ok(),
            (_, Some(("preset", preset))) => preset.parse().map(Self::Preset).ok(),
            (step, _) => step.parse().map(Self::Arrange).ok(),
        }
        .ok_or(AppError::NotFound("step of the workbench"))
    }
}

impl SheetStep {
    /// What is set one by one after it.
    pub(super) fn one_by_one(&self, before: OneByOne) -> OneByOne {
        OneByOne {
            poles: before.poles || *self == Self::PolesEach,
            strings: before.strings || *self == Self::Arrange(Step::EachString),
        }
    }

    /// Whether it may change which fields the sheet has.
    pub(super) const fn shows_fields(self) -> bool {
        !matches!(self, Self::Read)
    }

    /// Whether it sets the targets.
    pub(super) const fn sets_targets(self) -> bool {
        matches!(self, Self::Preset(_) | Self::TargetsLike)
    }

    /// Does it to a design; what is in the way is told at its field.
    pub(super) async fn apply(
        self,
        (app, user): (&App, &CurrentUser),
        form: &FormData,
        parent: Option<&Revision>,
        design: &mut Design,
    ) -> Result<Result<(), Errors>, AppError> {
        let not_done = |why: String| Errors::from([("name".to_owned(), why)]);
        Ok(match self {
            Self::Read | Self::Show | Self::Load | Self::PolesEach => Ok(()),
            Self::Adjust(adjustment) => match adjustment.applied(design) {
                Some(next) => {
                    *design = next;
                    Ok(())
                }
                None => Err(not_done(refusal_text(&Refusal::AdjustmentOutOfRange))),
            },
            Self::Preset(preset) => {
                // The preset moves the figures of the revision that one goes on from, or of the design as it is.
                let from = parent.map_or(&*design, |p| &p.design);
                let of = parent.map(|p| p.row.design_id);
                match app.workshop.prediction_of(&user.actor, of, from).await? {
                    Ok(now) => {
                        design.targets = preset.targets(&now);
                        Ok(())
                    }
                    Err(problems) => Err(not_done(refusal_text(&Refusal::NotPredictable(problems)))),
                }
            }
            Self::TargetsLike => match targets_from_form(app, user, form).await? {
                Ok(targets) => {
                    design.targets = targets;
                    Ok(())
                }
                Err(message) => Err(Errors::from([("search_like_by".to_owned(), message)])),
            },
            Self::Arrange(step) => {
                step.apply(design).map_err(|error| not_done(format!("Not done: {error}.")))
            }
        })
    }
}

/// Targets as those of a pickup, with one figure moved.
async fn targets_from_form(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
) -> Result<Result<Targets, String>, AppError> {
    let typed = form.get("search_like_by").trim_end_matches('%').trim().replace('−', "-").replace(',', ".");
    let by = if typed.is_empty() { Ok(0.0) } else { typed.parse::<f64>() };
    let Ok(by) = by else { return Ok(Err("Type per cent, such as 15 or -10.".into())) };
    if !(MOVES_PERCENT.0..=MOVES_PERCENT.1).contains(&by) {
        return Ok(Err("Between 60 % less and 300 % more.".into()));
    }
    let Some(id) = form.id("search_like_of") else { return Ok(Err("Choose a pickup.".into())) };
    let reference = app.workshop.revision(&user.actor, RevisionId(id)).await?;
    let goal = goal_or(form.get("search_like_goal"), Goal::Output);
    let moved = (by != 0.0).then_some((goal, by / 100.0));
    let of = Some(reference.row.design_id);
    Ok(match app.workshop.prediction_of(&user.actor, of, &reference.design).await? {
        Ok(prediction) => Ok(targets_like(&prediction, moved)),
        Err(problems) => Err(refusal_text(&Refusal::NotPredictable(problems))),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_are_read_by_their_names() {
        let step = |text: &str| text.parse::<SheetStep>().ok();
        assert_eq!(step("adjust:turns:100"), Some(SheetStep::Adjust(Adjustment::Turns(100))));
        assert_eq!(step("preset:brighter"), Some(SheetStep::Preset(TonePreset::Brighter)));
        assert_eq!(step("coil.add"), Some(SheetStep::Arrange(Step::AddCoil)));
        assert_eq!(step("poles.each"), Some(SheetStep::PolesEach));
        assert_eq!(step(""), Some(SheetStep::Read));
        assert_eq!((step("adjust:luck"), step("dance")), (None, None));
    }
}
