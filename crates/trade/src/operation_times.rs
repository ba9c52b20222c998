//! How long the operations of a traveller take, what they need, and how long what is made has to lie afterwards.
//!
//! The usual times are common practice, no source; a shop's own medians replace them as soon as there are ten of an operation.

use crate::schedule::{Batch, Operation as ScheduledOperation};
use crate::traveller::Operation;

/// Fewest observations from which a shop's own median replaces what is usual.
pub const FEWEST: usize = 10;
/// Turns a minute at which winding time is reckoned, and minutes to set it up.
const TURNS_A_MINUTE: f64 = 500.0;
const SET_UP_MINUTES: u32 = 5;
/// Longest that an operation is believed to have taken by hand: beyond it something else was done between.
const LONGEST_MINUTES: f64 = 240.0;

/// Kinds of resources.
pub const PERSON: &str = "person";
/// A winder.
pub const WINDER: &str = "winder";
/// A gaussmeter.
pub const GAUSSMETER: &str = "gaussmeter";
/// A rack on which lacquer dries.
pub const RACK: &str = "rack";
/// A pot of wax.
pub const POT: &str = "pot";

/// What an operation takes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OperationTime {
    /// Minutes during which hands, or a machine, are on it.
    pub minutes: u32,
    /// Minutes that it lies afterwards, with nobody.
    pub wait_minutes: u32,
    /// Kinds of which it needs one each.
    pub needs: &'static [&'static str],
    /// What it can be done together with.
    pub batch: Option<Batch>,
}

/// What an operation usually takes; `turns` are those of the coil, `dip_holds` how many bobbins are lacquered at once.
///
/// ```
/// use trade::operation_times::usual;
/// use trade::traveller::Traveller;
/// let traveller = Traveller::usual(&coil::design::reference_coil());
/// let of = |key: &str| usual(traveller.0.iter().find(|o| o.key == key).unwrap(), 7500, 6);
/// // Lacquer dries for a day with nobody at it; winding takes a person and a winder.
/// assert_eq!(of("insulate").wait_minutes, 24 * 60);
/// assert_eq!((of("wind").minutes, of("wind").needs.len()), (20, 2));
/// ```
#[must_use]
pub fn usual(operation: &Operation, turns: u32, dip_holds: u32) -> OperationTime {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "turns of a coil")]
    let winding = SET_UP_MINUTES + (f64::from(turns) / TURNS_A_MINUTE).ceil().min(1e6) as u32;
    let minutes = match operation.key.as_str() {
        "wind" => winding,
        "unwind" => 30,
        "clean-poles" | "assemble" => 25,
        "bevel" => 15,
        "start-lead" | "first-check" | "photograph" => 5,
        "pot" => 20,
        _ => 10,
    };
    let lies = operation.minutes.unwrap_or(0);
    let (wait_minutes, needs): (u32, &'static [&'static str]) = match operation.key.as_str() {
        // It hangs in the wax for a part of its time, and cools for as long again.
        "pot" => {
            return OperationTime {
                minutes: minutes.max(lies),
                wait_minutes: 45,
                needs: &[POT],
                batch: None,
            };
        }
        "wind" => (lies, &[PERSON, WINDER]),
        "charge" => (lies, &[PERSON, GAUSSMETER]),
        _ => (lies, &[PERSON]),
    };
    // One dip takes several bobbins, as they hang on one rack.
    let batch =
        (operation.key == "insulate").then(|| Batch { name: "lacquer".into(), most: dip_holds.max(1) });
    OperationTime { minutes, wait_minutes, needs, batch }
}

/// Whether so many minutes are believed of an operation: not of signatures that were given one after the other at the end.
#[must_use]
pub fn is_observed(minutes: f64) -> bool {
    minutes > 0.2 && minutes <= LONGEST_MINUTES
}

/// A shop's own median of what an operation takes, minutes; `None` below ten observations. What took longer than four hours was left lying,
/// and does not count.
///
/// ```
/// use trade::operation_times::own_median;
/// assert_eq!(own_median(&[12.0; 9]), None);
/// let ten: Vec<f64> = (8..18).map(f64::from).collect();
/// assert_eq!(own_median(&ten), Some(13));
/// ```
#[must_use]
pub fn own_median(minutes: &[f64]) -> Option<u32> {
    let mut known: Vec<f64> = minutes.iter().copied().filter(|m| is_observed(*m)).collect();
    if known.len() < FEWEST {
        return None;
    }
    known.sort_by(f64::total_cmp);
    let middle = known.len() / 2;
    let median =
        if known.len().is_multiple_of(2) { 0.5 * (known[middle - 1] + known[middle]) } else { known[middle] };
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "up to four hours")]
    Some((median.ceil() as u32).max(1))
}

impl OperationTime {
    /// As a schedule takes it.
    #[must_use]
    pub fn scheduled(&self, name: &str) -> ScheduledOperation {
        ScheduledOperation {
            name: name.to_owned(),
            minutes: self.minutes,
            wait_minutes: self.wait_minutes,
            needs: self.needs.iter().map(|kind| vec![(*kind).to_owned()]).collect(),
            start: None,
            on: Vec::new(),
            waits_on: (self.batch.is_some() && self.wait_minutes > 0).then(|| RACK.to_owned()),
            batch: self.batch.clone(),
        }
    }
}
