//! The form of a search for designs: what it asks for, and what was typed as targets and search space.

use crate::form_fields::{Errors, FormFields};
use crate::read::{farads, number_in};
use coil::quantity::{Frequency, Inductance, ParseQuantity, Resistance, Turns};
use coil::search::{Goal, SearchSpace, TargetRange};

/// Most wires and alloys of one search: each takes four predictions.
const MOST_TRACKS: u32 = 7 * 2 * 6;

/// What the panel asks for, by field.
pub const TARGETS: [(&str, Goal, &str); 6] = [
    ("search_r", Goal::Resistance, "Ω"),
    ("search_l", Goal::Inductance, "H"),
    ("search_c", Goal::Capacitance, "pF"),
    ("search_peak", Goal::Peak, "Hz"),
    ("search_height", Goal::PeakHeight, "dB"),
    ("search_output", Goal::Output, "dB to reference"),
];

/// What may change besides turns and gauge: field, name, and how far.
pub const FREEDOMS: [(&str, &str, &str); 6] = [
    ("search_builds", "Insulation build", "may change"),
    ("search_alloys", "Alloy", "may change"),
    ("search_heights", "Winding height", "by up to 1 mm"),
    ("search_cores", "Core width", "by up to 0.4 mm"),
    ("search_charges", "Charge", "down to 60 %"),
    ("search_lengths", "Pole length", "by up to 2 mm"),
];

/// What a goal is called where there is little room.
#[must_use]
pub const fn goal_label(goal: Goal) -> &'static str {
    match goal {
        Goal::Resistance => "R",
        Goal::Inductance => "L",
        Goal::Capacitance => "C",
        Goal::Peak => "Peak, loaded",
        Goal::PeakHeight => "Peak height",
        Goal::Output => "Output",
    }
}

/// The goal of that name, or another.
#[must_use]
pub fn goal_or(name: &str, other: Goal) -> Goal {
    Goal::ALL.into_iter().find(|g| g.key() == name).unwrap_or(other)
}

/// The targets and the search space of a form, or what is wrong with it by field.
///
/// # Errors
/// Messages by field, all at once.
pub fn read_search(form: &FormFields) -> Result<(Vec<TargetRange>, SearchSpace), Errors> {
    let mut errors = Errors::new();
    let number = |goal: Goal, text: &str| -> Result<f64, String> {
        let text_of = |e: &dyn std::fmt::Display| e.to_string();
        match goal {
            Goal::Resistance => Resistance::parse(text).map(Resistance::ohms).map_err(|e| text_of(&e)),
            Goal::Inductance => Inductance::parse(text).map(Inductance::henries).map_err(|e| text_of(&e)),
            Goal::Peak => Frequency::parse(text).map(Frequency::hz).map_err(|e| text_of(&e)),
            Goal::Capacitance => farads(text),
            Goal::PeakHeight | Goal::Output => number_in("dB")(text),
        }
    };
    let mut targets = Vec::new();
    for (name, goal, _) in TARGETS {
        let mut end = |suffix: &str| -> Option<f64> {
            let field = format!("{name}_{suffix}");
            match form.get(&field) {
                "" => None,
                text => number(goal, text).map_err(|e| errors.insert(field, e)).ok(),
            }
        };
        let (from, to) = (end("from"), end("to"));
        match (from, to) {
            (None, None) => {}
            (from, to) => {
                let (from, to) = (from.unwrap_or(f64::MIN / 1e9), to.unwrap_or(f64::MAX / 1e9));
                if from > to {
                    errors.insert(format!("{name}_to"), "The upper end is below the lower one.".into());
                }
                targets.push(TargetRange { goal, from, to });
            }
        }
    }
    let mut turns = |name: &str| match Turns::parse(form.get(name)) {
        Ok(turns) if (10..=50_000).contains(&turns.0) => turns.0,
        Ok(_) => {
            errors.insert(name.into(), "Between 10 and 50,000.".into());
            0
        }
        Err(error) => {
            errors.insert(name.into(), error.to_string());
            0
        }
    };
    let turns = (turns("search_turns_from"), turns("search_turns_to"));
    if turns.0 > turns.1 {
        errors.insert("search_turns_to".into(), "The upper end is below the lower one.".into());
    }
    if targets.is_empty() && errors.is_empty() {
        errors.insert("search_l_from".into(), "Enter at least one target.".into());
    }
    let gauges = form.get("search_gauges").parse::<u32>().unwrap_or(0).min(3);
    let may = |name: &str| form.is_ticked(name);
    let space = SearchSpace {
        turns,
        gauges,
        builds: may("search_builds"),
        alloys: may("search_alloys"),
        heights: may("search_heights"),
        cores: may("search_cores"),
        charges: may("search_charges"),
        lengths: may("search_lengths"),
    };
    debug_assert!((2 * gauges + 1) * 12 <= MOST_TRACKS);
    if errors.is_empty() { Ok((targets, space)) } else { Err(errors) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn form(fields: &[(&str, &str)]) -> FormFields {
        let mut all =
            vec![("search_turns_from", "6000"), ("search_turns_to", "9000"), ("search_gauges", "1")];
        all.extend_from_slice(fields);
        all.into_iter().collect()
    }

    #[test]
    fn targets_are_read_as_they_are_typed() {
        let (targets, space) =
            read_search(&form(&[("search_r_from", "8k"), ("search_output_to", "−1.5 dB")])).unwrap();
        assert_eq!((targets[0].goal, targets[0].from), (Goal::Resistance, 8000.0));
        assert_eq!((targets[1].goal, targets[1].to), (Goal::Output, -1.5));
        assert_eq!(space, SearchSpace { gauges: 1, ..SearchSpace::turns(6000, 9000) });
    }

    #[rstest]
    #[case(&[], "search_l_from")]
    #[case(&[("search_r_from", "much")], "search_r_from")]
    #[case(&[("search_l_from", "3"), ("search_l_to", "2")], "search_l_to")]
    #[case(&[("search_l_from", "3"), ("search_turns_to", "5")], "search_turns_to")]
    #[case(&[("search_output_from", "loud")], "search_output_from")]
    fn what_cannot_be_searched_for_is_told_at_its_field(#[case] fields: &[(&str, &str)], #[case] at: &str) {
        assert!(read_search(&form(fields)).unwrap_err().contains_key(at));
    }
}
