//! The diagnosis by quick tests, in words.

use coil::quantity::Units;
use presentation::format::{self, HENRY, KILOOHM};
use trade::diagnosis::{Expected, Finding, Outcome, QuickTest, Remedy, Step, next_step};
use workshop::RewindDraft;

/// Where the diagnosis stands.
pub(super) struct DiagnosisPart {
    pub answers: Vec<Answer>,
    pub question: &'static str,
    pub how: &'static str,
    pub expected: String,
    /// Value and words of each thing that the test can show.
    pub outcomes: Vec<(String, &'static str)>,
    pub finding: &'static str,
    pub remedy: &'static str,
    pub what_to_do: &'static str,
}

/// A quick test that was answered.
pub(super) struct Answer {
    pub test: &'static str,
    pub outcome: &'static str,
}

const fn question(test: QuickTest) -> (&'static str, &'static str) {
    match test {
        QuickTest::Resistance => ("Ohm meter over the leads", "Cold, with nothing else connected."),
        QuickTest::Eyelets => {
            ("Ohm meter at the eyelets", "Past the leads and their joints, on the coil’s own ends.")
        }
        QuickTest::OuterTurns => (
            "Ohm meter from the start to the outermost turn",
            "Open the tape, find the outer end, scrape or tin a little of it.",
        ),
        QuickTest::ToMetal => (
            "Ohm meter from each lead to every pole and metal part",
            "With the ground lead taken off those parts: nothing may connect.",
        ),
        QuickTest::Inductance => ("Inductance over the leads", "Assembled as it will be used."),
        QuickTest::Quality => ("Quality at the same frequency", "Many meters show it as Q, or as D = 1/Q."),
        QuickTest::Flux => ("Flux over every pole, with its sign", "A compass tells the sign as well."),
        QuickTest::Story => ("Wire and turns against what is said of it", "See the ranking above."),
    }
}

const fn outcome_words(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::AsExpected => "as expected",
        Outcome::Open => "no connection",
        Outcome::Low => "lower than that",
        Outcome::FarLow => "next to nothing",
        Outcome::High => "higher than that",
        Outcome::Unsteady => "it wanders",
        Outcome::Connected => "there is a connection",
        Outcome::SomeReversed => "some have the other sign",
        Outcome::Differs => "it is not what was said",
    }
}

/// What was found, and what to do about it.
const fn finding_words(finding: Finding) -> (&'static str, &'static str) {
    match finding {
        Finding::LooseLead => ("A lead or its joint is broken", "Solder a new lead to the eyelet."),
        Finding::BrokenOutside => (
            "The wire is broken in the outer turns",
            "Take off turns to the break, join the end to the eyelet; note how many turns are gone.",
        ),
        Finding::BrokenInside => {
            ("The wire is broken where nobody reaches it", "Count the turns as they come off.")
        }
        Finding::ShortToMetal => (
            "The coil touches a pole or a metal part",
            "Wind it anew over poles that are taped or lacquered.",
        ),
        Finding::Corrosion => (
            "Damp or corroded poles conduct",
            "Dry it in a warm place for a day, clean the poles, and measure again before the coil is touched.",
        ),
        Finding::ShortedTurns => ("Turns are bridged", "Nothing but other wire helps."),
        Finding::OtherPoles => (
            "Poles are missing, or of another steel",
            "Compare them with what belongs into this pickup; the coil may be well.",
        ),
        Finding::PoorJoint => {
            ("A joint of the leads has a resistance of its own", "Scrape and solder both ends anew.")
        }
        Finding::LeadsTouch => ("The leads touch before the coil", "Part them and insulate them."),
        Finding::WeakMagnets => ("The magnets have lost a part of their charge", "Charge them again."),
        Finding::ReversedPole => {
            ("A pole is the other way up", "Magnetise it the other way, or turn it over.")
        }
        Finding::WrongRewind => (
            "It was wound before with other wire or turns",
            "Decide whether it is to be what it was first, or left as it is liked.",
        ),
        Finding::Sound => ("No fault found", "Leave it as it is."),
    }
}

fn expected_words(test: QuickTest, expected: &Expected, units: Units) -> String {
    let band = |scale: format::Scale, q: &coil::prediction::Quantity| {
        format!("{} ({})", scale.text(q.nominal), scale.band(q))
    };
    match test {
        QuickTest::Resistance | QuickTest::Eyelets | QuickTest::OuterTurns => {
            expected.resistance_ohm.as_ref().map_or_else(String::new, |q| band(KILOOHM, q))
        }
        QuickTest::ToMetal => "no connection".into(),
        QuickTest::Inductance => expected
            .inductance_h
            .as_ref()
            .map_or_else(String::new, |q| format!("{} at {:.0} Hz", band(HENRY, q), expected.test_hz)),
        QuickTest::Quality => expected
            .quality
            .map_or_else(String::new, |q| format!("{q:.1}, a bridged coil far below half of it")),
        QuickTest::Flux => {
            let all: Vec<String> = expected.flux_t.iter().flatten().map(|t| units.flux(t * 1e3, 0)).collect();
            all.join(", ")
        }
        QuickTest::Story => String::new(),
    }
}

/// Where the diagnosis of a pickup stands, with what the next test should show on this one.
pub(super) fn diagnosis(draft: &RewindDraft, expected: &Expected, units: Units) -> DiagnosisPart {
    let answers = draft
        .answers
        .iter()
        .map(|(test, outcome)| Answer { test: question(*test).0, outcome: outcome_words(*outcome) })
        .collect();
    let mut part = DiagnosisPart {
        answers,
        question: "",
        how: "",
        expected: String::new(),
        outcomes: Vec::new(),
        finding: "",
        remedy: "",
        what_to_do: "",
    };
    match next_step(&draft.answers) {
        Step::Ask(test, outcomes) => {
            (part.question, part.how) = question(test);
            part.expected = expected_words(test, expected, units);
            let key = |outcome: &Outcome| {
                let (test, outcome): (&str, &str) = (test.into(), (*outcome).into());
                format!("{test}:{outcome}")
            };
            part.outcomes = outcomes.iter().map(|o| (key(o), outcome_words(*o))).collect();
        }
        Step::Found(finding) => {
            (part.finding, part.what_to_do) = finding_words(finding);
            part.remedy = match finding.remedy() {
                Remedy::Rewind => "rewind",
                Remedy::Repair => "repair",
                Remedy::Leave => "leave",
            };
        }
    }
    part
}
