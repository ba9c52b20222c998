//! From a set to its prediction.

use super::circuit::JoinedPickups;
use super::document::{Set, SwitchPosition};
use super::notices;
use super::placed::PlacedPickup;
use super::report::{
    Balance, Hum, Orientation, Pair, PairPhase, PositionPrediction, PositionResponse, SetPrediction,
    StringBalance,
};
use crate::audition::{Phrase, play_heard};
use crate::circuit::{Join, Network, Peak};
use crate::design::{Design, Problem};
use crate::prediction::{Calibration, Contribution, ContributionSource, PickupSignal, Prediction, Quantity};
use crate::string::{Pluck, partial_speed_m_s};
use nalgebra::Complex;
use std::sync::Arc;

/// Points of a response, on a log scale from 50 Hz to 20 kHz.
const RESPONSE_POINTS: usize = 121;
/// Frequency at which hum is weighed, Hz: rectified mains, between the mains' own and its harmonics.
pub(super) const HUM_HZ: f64 = 100.0;
/// Most rejection that is told, dB.
const MOST_REJECTION_DB: f64 = 80.0;
/// Highest partial that counts for the output, Hz.
const HIGHEST_HZ: f64 = 5000.0;
/// Standard deviations from the middle to the 5 % and 95 % points.
const NINETY: f64 = 1.645;

/// A string as a position hears it.
#[derive(Clone, Debug, PartialEq)]
pub struct PositionString {
    /// Its number, from 1.
    pub string: u32,
    /// Output, mV.
    pub output_mv: f64,
    /// Its partials from the first.
    pub partials: Vec<PositionPartial>,
}

/// A partial as a position hears it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PositionPartial {
    /// Which, from 1.
    pub n: u32,
    /// Its frequency on the open string, without stiffness, Hz.
    pub hz: f64,
    /// What the places of the pickups and the widths of string that they hear do to it, dB: 0 where all hear an antinode.
    pub place_db: f64,
    /// The same with the circuit, relative to low frequencies, dB.
    pub loaded_db: f64,
}

/// A pickup that is on.
#[derive(Clone, Debug)]
struct Member {
    placed: Arc<PlacedPickup>,
    /// −1 where its leads are exchanged.
    leads: f64,
}

/// A set with all its pickups solved: everything that is asked of it is answered from here.
#[derive(Clone, Debug)]
pub struct SetSolution {
    set: Set,
    /// Pickups by themselves.
    alone: Vec<Member>,
    /// Those that are on, position by position.
    on: Vec<Vec<Member>>,
}

/// Predicts a set, pickup by pickup anew, by the uncalibrated model.
///
/// ```
/// use coil::design::reference_coil;
/// use coil::set::{PairPhase, predict_set, read_value};
/// let design = serde_json::to_value(reference_coil()).unwrap();
/// let set = read_value(serde_json::json!({
///     "format": "filamentum-set/1", "name": "Sedge",
///     "pickups": [{"name": "bridge", "design": design, "from_bridge_mm": 42},
///                 {"name": "neck", "design": design, "from_bridge_mm": 158, "leads": "swapped"}],
///     "switch": [{"name": "both", "on": ["bridge", "neck"]}],
/// })).unwrap();
/// // The same pickup twice, one of them with its leads exchanged, is out of phase.
/// assert_eq!(predict_set(&set).unwrap().positions[0].phase, PairPhase::Out);
/// ```
///
/// # Errors
/// Every reason why the set cannot be predicted, by its place.
pub fn predict_set(set: &Set) -> Result<SetPrediction, Vec<Problem>> {
    let solved = SetSolution::compute(set, |design| {
        PlacedPickup::try_new(design, &Calibration::default()).map(Arc::new)
    })?;
    Ok(solved.prediction())
}

impl SetSolution {
    /// Solves all pickups of a set as its positions use them. `solve` solves one of them, or knows it already; it is asked once for
    /// each that differs.
    ///
    /// # Errors
    /// What contradicts itself in the set, by its place; and those of `solve`, by the pickup's place.
    pub fn compute(
        set: &Set,
        mut solve: impl FnMut(&Design) -> Result<Arc<PlacedPickup>, Vec<Problem>>,
    ) -> Result<Self, Vec<Problem>> {
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(problems);
        }
        let mut known: Vec<(usize, String, Arc<PlacedPickup>)> = Vec::new();
        let mut member = |i: usize, join: Option<&str>| {
            let own = &set.pickups[i].design.wiring.join;
            let join = join.unwrap_or(own);
            let leads = PlacedPickup::sign(set.pickups[i].leads);
            if let Some((_, _, placed)) = known.iter().find(|(k, j, _)| *k == i && j == join) {
                return Ok(Member { placed: placed.clone(), leads });
            }
            let placed = solve(&set.placed(i, Some(join))).map_err(|problems| {
                let inside = |p: Problem| Problem { at: format!("pickups[{i}].design.{}", p.at), ..p };
                problems.into_iter().map(inside).collect::<Vec<_>>()
            })?;
            known.push((i, join.to_owned(), placed.clone()));
            Ok(Member { placed, leads })
        };
        let alone =
            (0..set.pickups.len()).map(|i| member(i, None)).collect::<Result<Vec<_>, Vec<Problem>>>()?;
        let mut on = Vec::with_capacity(set.switch.len());
        for position in &set.switch {
            let mut members = Vec::with_capacity(position.on.len());
            for name in &position.on {
                let i = set.position_of(name).unwrap_or_default();
                members.push(member(i, position.coils.get(name).map(String::as_str))?);
            }
            on.push(members);
        }
        Ok(Self { set: set.clone(), alone, on })
    }

    /// The set that was solved.
    #[must_use]
    pub fn set(&self) -> &Set {
        &self.set
    }

    /// A pickup by itself at its place; `None` when there is no such one.
    #[must_use]
    pub fn pickup(&self, index: usize) -> Option<&Prediction> {
        self.alone.get(index).map(|m| &m.placed.prediction)
    }

    /// What a pickup by itself sends and gathers, towards its own hot lead; `None` when there is no such one.
    #[must_use]
    pub fn signal(&self, index: usize) -> Option<&PickupSignal> {
        self.alone.get(index).map(|m| &m.placed.signal)
    }

    /// The whole prediction.
    #[must_use]
    pub fn prediction(&self) -> SetPrediction {
        let positions: Vec<PositionPrediction> = self
            .set
            .switch
            .iter()
            .zip(&self.on)
            .map(|(position, members)| self.position(position, members))
            .collect();
        let count = self.alone.len();
        let pairs: Vec<Pair> = (0..count)
            .flat_map(|a| (a + 1..count).map(move |b| (a, b)))
            .map(|(a, b)| self.pair(a, b))
            .collect();
        let balance = self.balance();
        let signals: Vec<&PickupSignal> = self.alone.iter().map(|m| &m.placed.signal).collect();
        let notices = notices::compute(&self.set, &signals, &positions, &pairs, &balance);
        SetPrediction {
            format: "filamentum-set-prediction/1".into(),
            engine: crate::ENGINE.into(),
            positions,
            pairs,
            balance,
            notices,
        }
    }

    fn joined(&self, members: &[Member], join: Option<Join>) -> JoinedPickups {
        JoinedPickups::new(
            &self.set,
            members.iter().map(|m| m.placed.prediction.circuit.clone()).collect(),
            members.iter().map(Member::sent_wb_m).collect(),
            join.unwrap_or(Join::Parallel),
        )
    }

    fn position(&self, position: &SwitchPosition, members: &[Member]) -> PositionPrediction {
        let joined = self.joined(members, position.join);
        let peak = Peak::find(|hz| joined.amplitude(hz).powi(2), None);
        let heard = Heard::new(&joined, members);
        let moved = moved(&joined, members, &heard, peak);
        let nominal = Figures::new(&joined, peak, heard.output(&vec![1.0; members.len()]));
        let q = |pick: fn(&Figures) -> f64| absolute(pick(&nominal), moved.iter().map(pick));
        let ratio = |pick: fn(&Figures) -> f64| relative(pick(&nominal), moved.iter().map(pick));
        let hz: Vec<f64> = (0..RESPONSE_POINTS)
            .map(|i| 50.0 * 400f64.powf(i as f64 / (RESPONSE_POINTS - 1) as f64))
            .collect();
        let rest = joined.amplitude(80.0).max(f64::MIN_POSITIVE);
        let loaded_db = hz.iter().map(|hz| decibels(joined.amplitude(*hz) / rest)).collect();
        let first = joined.signals[0];
        let most = self.alone.iter().map(|m| m.sent_wb_m().abs()).fold(0.0, f64::max);
        PositionPrediction {
            name: position.name.clone(),
            resistance_ohm: ratio(|f| f.resistance_ohm),
            inductance_h: ratio(|f| f.inductance_h),
            peak_hz: peak.is_peak().then(|| ratio(|f| f.peak.peak_hz)),
            peak_db: q(|f| f.peak.peak_db),
            output_mv: ratio(|f| f.output_mv),
            relative_output_db: {
                let reference = heard.reference_mv.max(1e-12);
                let mv = ratio(|f| f.output_mv);
                let of = |mv: f64| decibels(mv / reference);
                Quantity { nominal: of(mv.nominal), p05: of(mv.p05), p95: of(mv.p95) }
            },
            hum_rejection_db: hum_rejection_db(&joined, members),
            between_poles_db: {
                let bent: Option<Vec<f64>> = members.iter().map(|m| m.placed.between_poles).collect();
                bent.map(|factors| decibels(heard.output(&factors) / nominal.output_mv.max(1e-12)))
            },
            phase: PairPhase::from_agreement(joined.signals.iter().all(|s| s * first >= 0.0)),
            response: PositionResponse {
                hz,
                loaded_db,
                low_db: decibels(joined.left(80.0) / most.max(f64::MIN_POSITIVE)),
            },
        }
    }

    /// The strings as position `index` of the switch hears them, with their partials up to 12 kHz; none when there is no such
    /// position.
    #[must_use]
    pub fn strings(&self, index: usize) -> Vec<PositionString> {
        let (Some(position), Some(members)) = (self.set.switch.get(index), self.on.get(index)) else {
            return Vec::new();
        };
        let joined = self.joined(members, position.join);
        let heard = Heard::new(&joined, members);
        let outputs = heard.outputs(&vec![1.0; members.len()]);
        let low = joined.transfers(80.0);
        let strings = members[0].placed.signal.strings.iter().enumerate();
        let partials = |(s, string): (usize, &crate::prediction::StringAtPickup)| {
            let whole = |by: &[Complex<f64>]| -> f64 {
                let each =
                    members.iter().zip(by).map(|(m, t)| t.norm() * m.placed.signal.strings[s].whole_wb_m);
                each.sum::<f64>().max(1e-30)
            };
            let count = u32::try_from(string.partials_wb_m.len()).unwrap_or(u32::MAX);
            (1..=count)
                .map(|n| {
                    let hz = f64::from(n) * string.fundamental_hz;
                    let sum = |by: &[Complex<f64>]| {
                        let each = members.iter().zip(by).map(|(m, t)| t * m.partial_wb_m(s, n));
                        each.sum::<Complex<f64>>().norm()
                    };
                    let (parts, transfers) = (joined.parts(hz), joined.transfers(hz));
                    PositionPartial {
                        n,
                        hz,
                        place_db: decibels(sum(&parts) / whole(&parts)),
                        loaded_db: decibels(sum(&transfers) / whole(&low)),
                    }
                })
                .collect()
        };
        (1..)
            .zip(strings)
            .map(|(string, at)| PositionString { string, output_mv: outputs[at.0], partials: partials(at) })
            .collect()
    }

    /// Position `index` as it sounds, volts at the amplifier, [`RATE_HZ`](crate::audition::RATE_HZ) samples per second; nothing when there
    /// is no such position.
    #[must_use]
    pub fn sound(&self, index: usize, phrase: &Phrase) -> Vec<f64> {
        let (Some(position), Some(members)) = (self.set.switch.get(index), self.on.get(index)) else {
            return Vec::new();
        };
        let joined = self.joined(members, position.join);
        let heard = |string: usize, k: usize, hz: f64| {
            let n = u32::try_from(k + 1).unwrap_or(u32::MAX);
            let each = members.iter().zip(joined.transfers(hz)).map(|(m, t)| t * m.partial_wb_m(string, n));
            each.sum::<Complex<f64>>()
        };
        let partials: Vec<usize> =
            members[0].placed.signal.strings.iter().map(|s| s.partials_wb_m.len()).collect();
        play_heard(&self.set.pickups[0].design.strings, &partials, &heard, phrase)
    }

    /// How position `index` is joined: what it sends to the amplifier's input in volts for what a string of one volt induces in the
    /// louder pickup, as a netlist for general circuit simulators; `None` when there is no such position.
    #[must_use]
    pub fn netlist(&self, index: usize) -> Option<String> {
        let joined = self.joined(self.on.get(index)?, self.set.switch.get(index)?.join);
        let largest = joined.signals.iter().fold(0.0_f64, |most, s| most.max(s.abs())).max(1e-30);
        let pickups: Vec<(&Network, f64)> =
            joined.networks.iter().zip(joined.weights().iter().map(|s| s / largest)).collect();
        let title = format!("{}, {}", self.set.name, self.set.switch[index].name);
        Some(crate::circuit::netlist_of_set(&title, &pickups, joined.join, &joined.load, joined.own.as_ref()))
    }

    /// Response of position `index` at `hz`, in the units of [`Self::netlist`]; `None` when there is no such position.
    #[must_use]
    pub fn response(&self, index: usize, hz: f64) -> Option<f64> {
        let joined = self.joined(self.on.get(index)?, self.set.switch.get(index)?.join);
        let largest = joined.signals.iter().fold(0.0_f64, |most, s| most.max(s.abs())).max(1e-30);
        Some(joined.amplitude(hz) / largest)
    }

    /// Two pickups by themselves.
    fn pair(&self, a: usize, b: usize) -> Pair {
        self.pair_if(a, b, false, false)
    }

    /// Two pickups, as they would be with the sense of the second reversed (wound the other way, or its leads exchanged) or its magnets
    /// turned over.
    ///
    /// # Panics
    /// When there are no such pickups.
    #[must_use]
    pub fn pair_if(&self, a: usize, b: usize, is_sense_reversed: bool, is_polarity_reversed: bool) -> Pair {
        let other = Member {
            leads: self.alone[b].leads * if is_sense_reversed { -1.0 } else { 1.0 },
            placed: self.alone[b].placed.clone(),
        };
        let pair = [self.alone[a].clone(), other];
        let flip = if is_polarity_reversed { -1.0 } else { 1.0 };
        let polarity = pair[0].placed.signal.polarity() * pair[1].placed.signal.polarity() * flip;
        let sense = pair[0].sense() * pair[1].sense();
        let names = [&self.set.pickups[a].name, &self.set.pickups[b].name];
        let both = self.set.switch.iter().find(|p| names.iter().all(|name| p.on.contains(name)));
        let joined = self.joined(&pair, both.and_then(|p| p.join));
        Pair {
            a: names[0].clone(),
            b: names[1].clone(),
            polarity: Orientation::from_agreement(polarity > 0.0),
            sense: Orientation::from_agreement(sense > 0.0),
            phase: PairPhase::from_agreement(polarity * sense > 0.0),
            hum: if sense > 0.0 { Hum::Adds } else { Hum::Cancels },
            hum_rejection_db: hum_rejection_db(&joined, &pair),
        }
    }

    fn balance(&self) -> Vec<Balance> {
        let found: Vec<(Quantity, Vec<f64>)> = self
            .alone
            .iter()
            .map(|member| {
                let strings = member.placed.signal.outputs_mv();
                let mean = mean(&strings);
                let q = member.placed.prediction.pickup.output_mv;
                let by = mean / q.nominal.max(1e-12);
                (Quantity { nominal: mean, p05: q.p05 * by, p95: q.p95 * by }, strings)
            })
            .collect();
        let levels: Vec<f64> = found.iter().map(|(q, _)| decibels(q.nominal)).collect();
        let middle = mean(&levels);
        let named = self.set.pickups.iter().zip(found).zip(levels);
        named
            .map(|((pickup, (output_mv, strings)), level)| Balance {
                name: pickup.name.clone(),
                relative_db: level - middle,
                strings: (1..)
                    .zip(&strings)
                    .map(|(string, mv)| StringBalance {
                        string,
                        output_mv: *mv,
                        relative_db: decibels(mv / output_mv.nominal.max(1e-12)),
                    })
                    .collect(),
                output_mv,
            })
            .collect()
    }
}

impl Member {
    fn sense(&self) -> f64 {
        self.placed.signal.sense * self.leads
    }

    /// What it sends, signed by its fundamental: its place along the string does not count.
    fn sent_wb_m(&self) -> f64 {
        let signal = &self.placed.signal;
        let sign = if signal.fundamental_wb_m() < 0.0 { -1.0 } else { 1.0 };
        self.leads * sign * signal.strings.iter().map(|s| s.whole_wb_m).sum::<f64>()
    }

    /// Partial `n` (from 1) of a string (from 0), signed towards the hot lead in the set.
    fn partial_wb_m(&self, string: usize, n: u32) -> f64 {
        let partials = self.placed.signal.strings.get(string).map(|s| &s.partials_wb_m);
        self.leads * partials.and_then(|p| p.get(n as usize - 1)).copied().unwrap_or_default()
    }
}

/// The strings as joined pickups hear them: per string and partial, what each pickup adds, mV.
struct Heard {
    strings: Vec<Vec<Vec<Complex<f64>>>>,
    reference_mv: f64,
}

impl Heard {
    fn new(joined: &JoinedPickups, members: &[Member]) -> Self {
        let first = &members[0].placed.signal.strings;
        let strings = first.iter().enumerate().map(|(s, string)| {
            (1..=string.partials_wb_m.len())
                .filter_map(|n| u32::try_from(n).ok())
                .map(|n| (n, f64::from(n) * string.fundamental_hz))
                .take_while(|(_, hz)| *hz <= HIGHEST_HZ)
                .map(|(n, hz)| {
                    let speed = partial_speed_m_s(Pluck::default(), string.fundamental_hz, n) * 1e3;
                    let parts = joined.parts(hz);
                    members.iter().zip(parts).map(|(m, part)| part * m.partial_wb_m(s, n) * speed).collect()
                })
                .collect()
        });
        Self {
            strings: strings.collect(),
            reference_mv: mean(&first.iter().map(|s| s.reference_mv).collect::<Vec<_>>()),
        }
    }

    /// Output of every string, mV RMS, with each pickup's signal times a factor.
    fn outputs(&self, factors: &[f64]) -> Vec<f64> {
        let size = |partial: &Vec<Complex<f64>>| -> f64 {
            0.5 * partial.iter().zip(factors).map(|(v, f)| v * *f).sum::<Complex<f64>>().norm_sqr()
        };
        self.strings.iter().map(|partials| partials.iter().map(size).sum::<f64>().sqrt()).collect()
    }

    fn output(&self, factors: &[f64]) -> f64 {
        mean(&self.outputs(factors))
    }
}

/// The figures of a position.
#[derive(Clone, Copy, Debug)]
struct Figures {
    resistance_ohm: f64,
    inductance_h: f64,
    peak: Peak,
    output_mv: f64,
}

impl Figures {
    fn new(joined: &JoinedPickups, peak: Peak, output_mv: f64) -> Self {
        Self { resistance_ohm: joined.resistance_ohm(), inductance_h: joined.inductance_h(), peak, output_mv }
    }
}

/// How a figure of a pickup spreads: by what is its own, and by what all pickups share, as standard deviations of its logarithm.
#[derive(Clone, Copy, Debug)]
struct Spread {
    own: f64,
    common: f64,
}

impl Spread {
    fn from_quantity(prediction: &Prediction, key: &str, quantity: Quantity) -> Self {
        let sd = (quantity.p95.max(1e-30) / quantity.p05.max(1e-30)).ln().abs() / (2.0 * NINETY);
        // The models' errors, what a workshop's runs leave open and the room are those of every pickup.
        let is_common = |c: &&Contribution| {
            c.to == key && (!matches!(c.source(), ContributionSource::Place(_)) || c.input == "room_c")
        };
        let share: f64 = prediction.contributions.iter().filter(is_common).map(|c| c.share).sum();
        let share = share.clamp(0.0, 1.0);
        Self { own: sd * (1.0 - share).sqrt(), common: sd * share.sqrt() }
    }
}

/// The figures with every input of every pickup moved by one standard deviation, and with what they share moved in all.
fn moved(joined: &JoinedPickups, members: &[Member], heard: &Heard, near: Peak) -> Vec<Figures> {
    let spreads: Vec<[Spread; 4]> = members
        .iter()
        .map(|member| {
            let (all, p) = (&member.placed.prediction, &member.placed.prediction.pickup);
            [
                Spread::from_quantity(all, "resistance_ohm", p.resistance_ohm),
                Spread::from_quantity(all, "inductance_h", p.inductance_h),
                Spread::from_quantity(all, "capacitance_f", p.capacitance_f),
                Spread::from_quantity(all, "output_mv", p.output_mv),
            ]
        })
        .collect();
    let nominal_mv = heard.output(&vec![1.0; members.len()]);
    let figures = |changes: &dyn Fn(usize, usize) -> f64| {
        let mut other = joined.clone();
        for (i, network) in other.networks.iter_mut().enumerate() {
            *network = network.scaled(changes(i, 0), changes(i, 1), changes(i, 2));
        }
        let factors: Vec<f64> = (0..members.len()).map(|i| changes(i, 3).exp()).collect();
        let is_circuit = (0..members.len()).any(|i| (0..3).any(|k| changes(i, k) != 0.0));
        let peak = if is_circuit { Peak::find(|hz| other.amplitude(hz).powi(2), Some(near)) } else { near };
        let mv = if is_circuit { nominal_mv } else { heard.output(&factors) };
        Figures::new(&other, peak, mv)
    };
    let mut all = Vec::new();
    for which in 0..4 {
        for (i, spread) in spreads.iter().enumerate() {
            let own = spread[which].own;
            all.push(figures(&|k, w| if k == i && w == which { own } else { 0.0 }));
        }
        if spreads.iter().any(|s| s[which].common > 0.0) {
            all.push(figures(&|k, w| if w == which { spreads[k][which].common } else { 0.0 }));
        }
    }
    all
}

fn absolute(nominal: f64, moved: impl Iterator<Item = f64>) -> Quantity {
    let by = NINETY * moved.map(|v| (v - nominal).powi(2)).sum::<f64>().sqrt();
    Quantity { nominal, p05: nominal - by, p95: nominal + by }
}

fn relative(nominal: f64, moved: impl Iterator<Item = f64>) -> Quantity {
    if nominal <= 0.0 {
        return Quantity { nominal, p05: nominal, p95: nominal };
    }
    let by = NINETY * moved.map(|v| (v / nominal).max(1e-9).ln().powi(2)).sum::<f64>().sqrt();
    Quantity { nominal, p05: nominal * (-by).exp(), p95: nominal * by.exp() }
}

/// Rejection of hum by members that are joined, dB: what an even field induces in all of them, against what it would with every coil
/// in one sense.
fn hum_rejection_db(joined: &JoinedPickups, members: &[Member]) -> f64 {
    let (mut left, mut whole) = ([Complex::new(0.0, 0.0); 3], 0.0);
    for (member, part) in members.iter().zip(joined.parts(HUM_HZ)) {
        whole += part.norm() * member.placed.signal.hum_area_whole_m2;
        for (sum, area) in left.iter_mut().zip(member.placed.signal.hum_area_m2) {
            *sum += part * member.leads * area;
        }
    }
    let left = left.iter().map(Complex::norm_sqr).sum::<f64>().sqrt();
    decibels(whole.max(1e-30) / left.max(1e-30)).clamp(0.0, MOST_REJECTION_DB)
}

fn decibels(ratio: f64) -> f64 {
    20.0 * ratio.max(1e-6).log10()
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len().max(1) as f64
}
