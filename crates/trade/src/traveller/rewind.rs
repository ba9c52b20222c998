//! What the traveller of a pickup that is brought back has before and after the winding.

use super::{SOLDER, Traveller, operation};
use serde::{Deserialize, Serialize};

const AGEING: &str =
    "Stains, acids and fumes: gloves, glasses, outdoors or under extraction, and only as local rules allow.";

/// What goes round the coil of a pickup that is brought back.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Wrap {
    /// Tape.
    #[default]
    Tape,
    /// String.
    String,
    /// Nothing, as it was.
    Nothing,
}

/// How a pickup that is brought back is finished.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct RewindFinish {
    /// What goes round its coil.
    pub wrap: Wrap,
    /// New parts are made to look as old as the others.
    pub is_aged: bool,
}

impl Traveller {
    /// For a pickup that is brought back: what is done before it can be wound comes first, and parts that it has are not made. Of a
    /// workshop's own traveller all operations stay, after those.
    ///
    /// ```
    /// use trade::traveller::Traveller;
    /// let rewind = Traveller::usual(&coil::design::reference_coil()).for_rewind(Default::default());
    /// assert_eq!(rewind.0[0].key, "photograph");
    /// assert!(rewind.0.iter().all(|one| one.key != "press") && rewind.check().is_ok());
    /// ```
    #[must_use]
    pub fn for_rewind(mut self, finish: RewindFinish) -> Self {
        // The poles stand in the former already, and its edges have held a coil.
        self.0.retain(|one| !["seams", "bevel", "press"].contains(&one.key.as_str()));
        let before = [
            operation(
                "photograph",
                "Photograph it",
                "Both sides, the leads with their colours, tape, markings, and where the old coil's edge stands.",
                "",
            ),
            operation(
                "unsolder",
                "Unsolder the leads",
                "Keep the old leads and the cover with the order.",
                SOLDER,
            ),
            operation(
                "unwind",
                "Take the old wire off",
                "Count the turns, keep a piece of the wire, weigh all of it.",
                "Old plastics are brittle, old lacquer and dust irritate: gloves, glasses, dust mask.",
            ),
            operation(
                "clean-poles",
                "Clean the poles",
                "Take rust off dry, with the magnets where they are; then tape or lacquer them, so that the wire never shorts on one.",
                "Dust mask; solvents only outdoors or under extraction, no flame near.",
            ),
        ];
        self.0.retain(|one| !before.iter().any(|b| b.key == one.key));
        self.0.splice(0..0, before);
        self.finish(finish);
        self
    }

    /// Every operation that is usual for a design, as it is made new and as an old one is brought back, each once.
    #[must_use]
    pub fn for_rewind_and_new(self) -> Self {
        let mut all = self.clone().for_rewind(RewindFinish { wrap: Wrap::Tape, is_aged: true });
        let known: Vec<String> = all.0.iter().map(|one| one.key.clone()).collect();
        all.0.extend(self.0.into_iter().filter(|one| !known.contains(&one.key)));
        all
    }

    /// Wraps the coil once it is checked, while its ends can still be reached, and ages new parts before wax closes their surface.
    fn finish(&mut self, finish: RewindFinish) {
        let wrap = match finish.wrap {
            Wrap::Nothing => None,
            Wrap::Tape => Some(operation(
                "wrap",
                "Tape the coil",
                "As the old one was: the photographs show how wide and how often.",
                "",
            )),
            Wrap::String => Some(operation(
                "wrap",
                "Wind string round the coil",
                "As the old one was: by hand, close, without pressing the turns; its end under the last ones.",
                "",
            )),
        };
        let aged = finish.is_aged.then(|| {
            operation(
                "age",
                "Age the new parts",
                "Leads, screws and covers to match the old ones: try it on a piece that is not needed, and keep it off the coil.",
                AGEING,
            )
        });
        for (new, before) in
            [(wrap, ["charge", "assemble", "pot", "final"].as_slice()), (aged, &["pot", "final"])]
        {
            let Some(new) = new.filter(|new| self.0.iter().all(|one| one.key != new.key)) else { continue };
            let at = self.0.iter().position(|one| before.contains(&one.key.as_str())).unwrap_or(self.0.len());
            self.0.insert(at, new);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Medium, Potting, tall_single};
    use rstest::rstest;

    /// A rewind ends as its owner wants it: the wrap follows the first check, ageing comes before wax.
    #[rstest]
    #[case(Wrap::Tape, false)]
    #[case(Wrap::String, true)]
    #[case(Wrap::Nothing, true)]
    fn a_rewind_is_finished_as_it_was(#[case] wrap: Wrap, #[case] is_aged: bool) {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.potting = Some(Potting { medium: Medium::Wax, fill: 1.0 });
        let all = Traveller::usual(&design).for_rewind(RewindFinish { wrap, is_aged });
        let at = |key: &str| all.0.iter().position(|o| o.key == key);
        assert_eq!((at("wrap").is_some(), at("age").is_some()), (wrap != Wrap::Nothing, is_aged));
        if let Some(wrapped) = at("wrap") {
            assert!(at("first-check") < Some(wrapped) && Some(wrapped) < at("assemble"));
        }
        if let Some(aged) = at("age") {
            assert!(at("assemble") < Some(aged) && Some(aged) < at("pot"));
            assert!(!all.0[aged].caution.is_empty());
        }
        assert!(at("unwind") < at("clean-poles") && at("clean-poles") < at("wind") && at("press").is_none());
        all.check().unwrap();
    }
}
