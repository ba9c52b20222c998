//! The verdict on a coil: pass, look again or stop, with the likeliest causes and the test that would
//! tell them apart.

use crate::comparison::{Comparison, Standing};
use crate::explanation::{Explanation, Fault, explain};
use crate::plan::{Asked, Missed, Plan};
use crate::reading::{self, Kind, Reading};
use crate::run::Stage;
use coil::prediction::Solution;
use serde::{Deserialize, Serialize};

/// How a coil stands.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Level {
    /// Readings are still missing; those taken are fine.
    Waiting,
    /// All inside.
    Pass,
    /// Something is off: look again before going on.
    Look,
    /// Do not go on with this coil.
    Stop,
    /// Begun by mistake: kept in the log, marked void, and out of all statistics.
    Void,
}

impl Level {
    /// Every level.
    pub const ALL: [Self; 5] = [Self::Waiting, Self::Pass, Self::Look, Self::Stop, Self::Void];

    /// Whether a coil of that level says something of the coils before and after it: one that was stopped or voided does not.
    #[must_use]
    pub const fn counts(self) -> bool {
        !matches!(self, Self::Stop | Self::Void)
    }

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// Its name as people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Waiting => "Waiting for readings",
            Self::Pass => "Pass",
            Self::Look => "Out of tolerance",
            Self::Stop => "Stop",
            Self::Void => "Void",
        }
    }

    /// The level of that stable name.
    #[must_use]
    pub fn from_key(key: &str) -> Option<Self> {
        key.parse().ok()
    }
}

/// A possible cause.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Cause {
    /// What it may be.
    pub what: String,
    /// The test that would tell.
    pub next_test: String,
    /// How probable it is among the known faults, 0…1; `None` where nothing was weighed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probability: Option<f64>,
    /// The fault; `None` where nothing was weighed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fault: Option<Fault>,
}

/// The verdict.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Verdict {
    /// How the coil stands.
    pub level: Level,
    /// In a sentence or two.
    pub text: String,
    /// What it may be, likeliest first.
    pub causes: Vec<Cause>,
    /// What the plan, the targets or the design ask for and is not there, apart from whether it is what was predicted.
    #[serde(default)]
    pub missed: Vec<Missed>,
}

impl Verdict {
    /// The verdict in a line, with its likeliest cause and the runner-up, each with its probability.
    #[must_use]
    pub fn in_a_line(&self) -> String {
        let share = |c: &Cause| c.probability.map_or_else(String::new, |p| format!(" ({:.0} %)", p * 100.0));
        match self.causes.as_slice() {
            [] => self.text.clone(),
            [only] => format!("{} Most likely{}: {}.", self.text, share(only), only.what),
            [first, second, ..] => format!(
                "{} Most likely{}: {}. Otherwise{}: {}.",
                self.text,
                share(first),
                first.what,
                share(second),
                second.what
            ),
        }
    }
}

/// Causes less probable than this are not worth a word.
const LEAST_PROBABLE: f64 = 0.05;
/// Most causes that are told.
const MOST_CAUSES: usize = 4;
/// A pole that differs so far from the middle of its row, in the logarithm of its flux, stands out by itself.
const ODD_POLE: f64 = 0.15;

/// Judges a run from its comparisons and readings: whether it is what was predicted, and apart from that whether it is what
/// was asked for. `solution` is that of the coil as wound; without it no cause is weighed.
#[must_use]
pub fn judge(
    comparisons: &[Comparison],
    readings: &[Reading],
    solution: Option<&Solution>,
    plan: &Plan,
) -> Verdict {
    if reading::open_coil(readings).is_some() {
        return open_coil();
    }
    let missed = plan.missed(readings);
    if let Some(verdict) = reversed(comparisons) {
        return Verdict { missed, ..verdict };
    }
    let off: Vec<&Comparison> = comparisons.iter().filter(|c| c.standing != Standing::Inside).collect();
    if off.is_empty() {
        return asked_too(all_inside(comparisons, readings), missed);
    }
    let (mut causes, fits) = solution.map_or_else(|| (Vec::new(), true), |s| weighed(s, comparisons));
    // Weak or strong magnets say already what a usual factor has in common.
    let is_by_magnets = causes
        .first()
        .and_then(|best| best.fault)
        .is_some_and(|fault| matches!(fault, Fault::WeakMagnets | Fault::StrongMagnets));
    let common =
        || common_flux(comparisons).filter(|(_, is_scale)| *is_scale || !is_by_magnets).map(|(c, _)| c);
    causes.splice(0..0, odd_poles(comparisons).or_else(common));
    causes.truncate(MOST_CAUSES);
    let far = off.iter().any(|c| c.bands.abs() > 3.0 * c.limit);
    let level = if far { Level::Stop } else { Level::Look };
    let mut text = in_words(comparisons);
    if !fits {
        text.push_str(" None of the known faults fits well by itself: two may have come together.");
    }
    asked_too(Verdict { level, text, causes, missed: Vec::new() }, missed)
}

/// The causes by how probable they are, and whether the best of them fits.
fn weighed(solution: &Solution, comparisons: &[Comparison]) -> (Vec<Cause>, bool) {
    let found = explain(solution, comparisons);
    let likely = found.all.iter().filter(|e| e.probability >= LEAST_PROBABLE);
    let causes = likely.take(MOST_CAUSES).map(|e| {
        let turns = solution.design().coils.first().map_or(0, |c| c.wind.turns);
        let (what, next_test) = fault_words(e, turns);
        Cause { what, next_test, probability: Some(e.probability), fault: Some(e.fault) }
    });
    (causes.collect(), found.fits)
}

/// What a fault of a size is, in words, and the test that would tell.
fn fault_words(e: &Explanation, turns: u32) -> (String, String) {
    let percent = e.size.abs() * 100.0;
    let few = (e.size.abs() * f64::from(turns)).round();
    let (what, next_test) = match e.fault {
        Fault::Chance => (
            "nothing: of good coils about one in ten lies outside its band".into(),
            "measure again; wind the next one and see whether it does the same",
        ),
        Fault::MiscountedTurns if e.size < 0.0 => (
            format!("fewer turns than counted, by about {few:.0}: the counter slipped, or hand turns were counted twice"),
            "compare the ratio: turns missing lower the inductance by about twice the per cent of the ohms",
        ),
        Fault::MiscountedTurns => (
            format!("more turns than counted, by about {few:.0}: the counter was not reset, or hand turns were left out"),
            "check the counter's log and the hand turns; weigh the coil against a good one",
        ),
        Fault::ShortedTurns => (
            "shorted turns, by nicked wire or a scraped pole: few of them barely move the ohms and pull the inductance down"
                .into(),
            "read the inductance at 100 Hz and at 10 kHz: with shorted turns it falls steeply and Q is poor",
        ),
        Fault::WarmCoil if e.size > 0.0 => (
            format!("the coil was about {:.0} °C warmer than noted", e.size),
            "leave it beside the meter for an hour and measure again",
        ),
        Fault::WarmCoil => (
            format!("the coil was about {:.0} °C cooler than noted", -e.size),
            "note the coil's own temperature, not the room's, and measure again",
        ),
        Fault::OtherGauge => (
            format!(
                "{} on the spool, by about {:.0} gauge{}",
                if e.size > 0.0 { "thinner wire" } else { "thicker wire" },
                e.size.abs(),
                if e.size.abs() > 1.5 { "s" } else { "" }
            ),
            "measure the wire's diameter under its enamel, and read the spool's label",
        ),
        Fault::WireSize if e.size > 0.0 => (
            format!("wire with about {percent:.1} % more ohms a metre: stretched by tension, or on the thin side of its gauge"),
            "measure the spool's ohms per metre; compare the outer size of the coil",
        ),
        Fault::WireSize => (
            format!("wire with about {percent:.1} % fewer ohms a metre: on the thick side of its gauge"),
            "measure the spool's ohms per metre and its diameter",
        ),
        Fault::Winding if e.size < 0.0 => (
            format!("a looser winding than planned, by about {percent:.0} %: too little tension, or more scatter"),
            "measure the coil's outer size and the tension; check that the cover still fits",
        ),
        Fault::Winding => (
            format!("a tighter winding than planned, by about {percent:.0} %: high tension, or less scatter"),
            "measure the coil's outer size and the tension of the next one",
        ),
        Fault::Poles if e.size > 0.0 => (
            "poles that bring less: not in place, of another alloy, or of another steel".into(),
            "read the flux over each pole, then the inductance again with the pickup assembled",
        ),
        Fault::Poles => (
            "poles that bring more: of a grade with higher permeability, or steel near the coil".into(),
            "remove steel from the bench and measure again; check the alloy by its flux",
        ),
        Fault::WeakMagnets => (
            format!("magnets at about {:.0} % of what was expected: not fully charged, or of a weaker alloy", e.size * 100.0),
            "charge again between two strong magnets and measure: a full charge does not increase",
        ),
        Fault::StrongMagnets => (
            "a stronger alloy or longer rods than designed, or the probe was nearer than noted".into(),
            "measure a rod's length and diameter, and the probe's distance",
        ),
        Fault::AddedCapacitance => (
            format!("about {:.1} times the capacitance: wax between the turns, or that of leads, cover or instrument", e.size),
            "measure both resonances again with the leads off, and compare before and after potting",
        ),
        Fault::Misread => (
            format!("a slip in the reading of the {}", quantity_words(e.misread)),
            "read it once more: at the bare wire, on the right range, with the clips firm",
        ),
    };
    (what, next_test.to_owned())
}

const fn quantity_words(kind: Option<Kind>) -> &'static str {
    match kind {
        Some(Kind::Resistance) => "resistance",
        Some(Kind::Inductance) => "inductance",
        Some(Kind::Capacitance) => "capacitance",
        Some(Kind::Flux) => "flux",
        _ => "coil's size",
    }
}

/// Poles whose polarity is the other way round: one, some, or all of them, which is another matter.
fn reversed(comparisons: &[Comparison]) -> Option<Verdict> {
    let flux: Vec<&Comparison> = comparisons.iter().filter(|c| c.kind == Kind::Flux).collect();
    let turned: Vec<String> =
        flux.iter().filter(|c| c.reversed).map(|c| c.pole.unwrap_or(0).to_string()).collect();
    let (text, what, next_test) = match turned.as_slice() {
        [] => return None,
        all if all.len() == flux.len() && all.len() > 1 => (
            "All poles have the other polarity than designed.".to_owned(),
            "all rods were charged the other way up, or the probe was held the other way round",
            "check the probe on a magnet whose north is known, then charge again the right way up",
        ),
        [one] => (
            format!("Pole {one} has the wrong polarity."),
            "the rod was pressed in or charged upside down",
            "check with a compass, pull or recharge the rod, and read all poles again",
        ),
        some => (
            format!("Poles {} have the wrong polarity.", some.join(", ")),
            "these rods were pressed in or charged upside down",
            "check with a compass, pull or recharge the rods, and read all poles again",
        ),
    };
    let causes = vec![cause(what, next_test)];
    Some(Verdict { level: Level::Stop, text, causes, missed: Vec::new() })
}

/// The flux over each pole against what was expected, in the logarithm, from the weakest on.
fn flux_ratios(comparisons: &[Comparison]) -> Vec<(u32, f64)> {
    let read = comparisons.iter().filter(|c| c.kind == Kind::Flux && c.measured > 0.0);
    let mut flux: Vec<(u32, f64)> = read.filter_map(|c| Some((c.pole?, c.ratio()))).collect();
    flux.sort_by(|a, b| a.1.total_cmp(&b.1));
    flux
}

/// A factor beyond which no charge, alloy or distance explains what all poles read, and only the meter's scale does.
const SCALE_FACTOR: f64 = 4.0;

/// What all poles of a row have in common where they are off alike: not one of them is at fault. With it, whether only the meter's scale
/// explains it.
fn common_flux(comparisons: &[Comparison]) -> Option<(Cause, bool)> {
    let flux = flux_ratios(comparisons);
    let middle = flux.get(flux.len() / 2)?.1;
    let is_alike = flux.iter().all(|f| (f.1 - middle).abs() <= ODD_POLE);
    let is_off = comparisons.iter().any(|c| c.kind == Kind::Flux && c.standing != Standing::Inside);
    if flux.len() < 3 || !is_alike || !is_off {
        return None;
    }
    let factor = middle.exp();
    let times = if factor < 1.0 {
        format!("all poles alike read {:.0} % of what was expected", factor * 100.0)
    } else {
        format!("all poles alike read {factor:.1} times what was expected")
    };
    let is_scale = middle.abs() > SCALE_FACTOR.ln();
    let found = if is_scale {
        cause(
            &format!("{times}: the meter’s unit, range or zero"),
            "read a magnet whose field is known: gauss are a tenth of a millitesla, and ranges differ by tens",
        )
    } else {
        cause(
            &format!("{times}: the probe’s distance, the charge of all, or their alloy"),
            "read one pole at a distance that is measured; then charge all again, and read the same pole",
        )
    };
    Some((found, is_scale))
}

/// Poles that stand out of their row.
fn odd_poles(comparisons: &[Comparison]) -> Option<Cause> {
    let flux = flux_ratios(comparisons);
    let middle = flux.get(flux.len() / 2)?.1;
    let mut odd: Vec<u32> = flux.iter().filter(|f| (f.1 - middle).abs() > ODD_POLE).map(|f| f.0).collect();
    odd.sort_unstable();
    // Where half the row stands out there is no row to stand out of.
    if odd.is_empty() || flux.len() < 3 || odd.len() * 2 > flux.len() {
        return None;
    }
    let names: Vec<String> = odd.iter().map(ToString::to_string).collect();
    let what = format!(
        "pole {} alone: charged less, of another alloy, or read at another distance",
        names.join(", ")
    );
    Some(cause(&what, "read those poles again at the same distance, then charge them again"))
}

/// Adds what was asked for and is not there: a coil that is what it should be for its turns, but not what was planned, does not
/// pass in silence.
fn asked_too(mut verdict: Verdict, missed: Vec<Missed>) -> Verdict {
    let words: Vec<String> = missed
        .iter()
        .map(|m| {
            let name = if m.kind == Kind::Turns { "turns" } else { quantity_words(Some(m.kind)) };
            let side = if m.got < m.range[0] { "below" } else { "above" };
            match m.asked {
                Asked::Plan => {
                    let planned = f64::midpoint(m.range[0], m.range[1]);
                    let more = if m.got < planned { "fewer" } else { "more" };
                    format!("{:.0} {name} {more} than planned", (m.got - planned).abs())
                }
                Asked::Target => format!("{name} {side} the design's target"),
                Asked::Design => format!("{name} {side} what the design promises with its own wire"),
            }
        })
        .collect();
    if !words.is_empty() {
        verdict.text = format!("{} Not as asked: {}.", verdict.text, words.join(", "));
        if verdict.level == Level::Pass {
            verdict.level = Level::Look;
        }
    }
    Verdict { missed, ..verdict }
}

fn cause(what: &str, next_test: &str) -> Cause {
    Cause { what: what.to_owned(), next_test: next_test.to_owned(), probability: None, fault: None }
}

fn open_coil() -> Verdict {
    Verdict {
        level: Level::Stop,
        text: "The coil reads open: no current flows.".into(),
        causes: vec![
            cause(
                "the enamel has not burned through at a joint; a missing reading is often caused by this",
                "scrape or burn off both ends again, tin them, and read at the bare wire",
            ),
            cause(
                "the wire is broken, most often at a lead or where it left a flange",
                "probe from the start towards any loose end; unwind the outermost turns to find it",
            ),
        ],
        missed: Vec::new(),
    }
}

fn all_inside(comparisons: &[Comparison], readings: &[Reading]) -> Verdict {
    if Stage::from_readings(readings) == Stage::Judge {
        return Verdict {
            level: Level::Pass,
            text: "All readings are within tolerance: the coil is what was predicted.".into(),
            causes: Vec::new(),
            missed: Vec::new(),
        };
    }
    let text = if comparisons.is_empty() {
        "Nothing to judge yet: log turns, resistance and inductance."
    } else {
        "The readings so far are within tolerance. Log the missing ones for a verdict."
    };
    Verdict { level: Level::Waiting, text: text.into(), causes: Vec::new(), missed: Vec::new() }
}

/// "Resistance is fine, inductance 11 % low."
fn in_words(comparisons: &[Comparison]) -> String {
    let mut parts = Vec::new();
    for (kind, name) in [
        (Kind::Resistance, "resistance"),
        (Kind::Inductance, "inductance"),
        (Kind::Capacitance, "capacitance"),
        (Kind::Width, "width"),
        (Kind::Length, "length"),
    ] {
        if let Some(c) = comparisons.iter().find(|c| c.kind == kind) {
            parts.push(match c.standing {
                Standing::Inside => format!("{name} is within tolerance"),
                Standing::Low => format!("{name} is {:.1} % low", -c.deviation * 100.0),
                Standing::High => format!("{name} is {:.1} % high", c.deviation * 100.0),
            });
        }
    }
    let poles: Vec<String> = comparisons
        .iter()
        .filter(|c| c.kind == Kind::Flux && c.standing != Standing::Inside)
        .map(|c| format!("{} ({:+.0} %)", c.pole.unwrap_or(0), c.deviation * 100.0))
        .collect();
    if !poles.is_empty() {
        parts.push(format!("flux is out of tolerance over pole {}", poles.join(", ")));
    }
    let mut text = parts.join(", ");
    if let Some(first) = text.get(..1).map(str::to_uppercase) {
        text.replace_range(..1, &first);
    }
    format!("{text}.")
}
#[cfg(test)]
mod tests {
    use super::*;
    use coil::prediction::Quantity;

    fn at(kind: Kind, pole: Option<u32>, bands: f64) -> Comparison {
        let standing = match bands {
            b if b < -1.0 => Standing::Low,
            b if b > 1.0 => Standing::High,
            _ => Standing::Inside,
        };
        Comparison {
            kind,
            pole,
            predicted: Quantity { nominal: 100.0, p05: 95.0, p95: 105.0 },
            measured: 100.0 + 5.0 * bands,
            deviation: 0.05 * bands,
            bands,
            standing,
            reversed: false,
            learned: 0.0,
            limit: 1.0,
        }
    }

    /// Readings that are all off by one factor blame no single pole, and far off they blame the meter; one pole that differs stands out.
    #[test]
    fn a_common_factor_is_not_blamed_on_one_pole() {
        let pole = |pole: u32, ratio: f64| Comparison {
            measured: 100.0 * ratio,
            deviation: ratio.ln(),
            ..at(Kind::Flux, Some(pole), (ratio - 1.0) / 0.05)
        };
        let row = |ratios: [f64; 6]| -> Vec<Comparison> {
            (1..).zip(ratios).map(|(n, ratio)| pole(n, ratio)).collect()
        };
        let cause = |row: &[Comparison]| odd_poles(row).or_else(|| Some(common_flux(row)?.0)).map(|c| c.what);
        let far = cause(&row([0.02, 0.021, 0.02, 0.0195, 0.02, 0.0205])).unwrap();
        assert!(far.contains("all poles") && far.contains("meter"), "{far}");
        let near = cause(&row([0.7, 0.71, 0.7, 0.69, 0.7, 0.72])).unwrap();
        assert!(near.contains("all poles") && near.contains("charge"), "{near}");
        let one = cause(&row([1.0, 0.5, 1.0, 1.02, 0.98, 1.0])).unwrap();
        assert!(one.contains("pole 2 alone"), "{one}");
        assert_eq!(cause(&row([1.0, 1.01, 0.99, 1.0, 1.0, 1.0])), None);
    }

    fn taken(kind: Kind) -> Reading {
        let id = kind as u64;
        Reading {
            id,
            corrects: None,
            kind,
            pole: None,
            value: Some(1.0),
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            taken_at: None,
        }
    }

    fn level(comparisons: &[Comparison], readings: &[Reading]) -> Level {
        judge(comparisons, readings, None, &Plan::default()).level
    }

    #[test]
    fn inside_passes_once_all_is_read() {
        let all = [taken(Kind::Turns), taken(Kind::Resistance), taken(Kind::Inductance)];
        let comparisons = [at(Kind::Resistance, None, 0.9), at(Kind::Inductance, None, -0.9)];
        assert_eq!(level(&comparisons, &all), Level::Pass);
        assert_eq!(level(&comparisons[..1], &all[..2]), Level::Waiting);
        assert_eq!(level(&[], &[]), Level::Waiting);
        assert_eq!(level(&[at(Kind::Resistance, None, 1.5)], &all), Level::Look);
        assert_eq!(level(&[at(Kind::Resistance, None, 3.5)], &all), Level::Stop);
        assert_eq!(level(&[], &[taken(Kind::Open)]), Level::Stop);
    }

    /// Verdicts of older versions are read: they know no probabilities, and nothing that was missed.
    #[test]
    fn verdicts_of_older_versions_are_read() {
        let old = r#"{"level":"look","text":"…","causes":[{"what":"a","next_test":"b"}]}"#;
        let verdict: Verdict = serde_json::from_str(old).unwrap_or_else(|e| panic!("{e}"));
        assert_eq!((verdict.causes[0].probability, verdict.missed.len()), (None, 0));
    }
}
