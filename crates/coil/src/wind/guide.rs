//! The guide's path: where every turn is asked to lie.

use crate::design::{Bias, Stage, Wind};
use rand::{RngExt as _, SeedableRng as _};
use rand_distr::{Distribution as _, StandardNormal};
use rand_pcg::Pcg64Mcg;
use std::f64::consts::PI;

/// Turns over which a hand keeps its error: its wander is noise smoothed over about as many (common
/// practice, no source).
const HAND_MEMORY: f64 = 8.0;
/// Turn to turn, the guide of a machine is true to a small part of the wire (common practice, no source).
pub const MACHINE_PLAY: f64 = 0.02;
/// Pitch of a machine-straight lay over the wire's diameter, so that turns do not climb (common practice,
/// no source).
pub const STRAIGHT_PITCH: f64 = 1.03;

/// What moves the guide of a coil.
#[derive(Clone, Debug, PartialEq)]
pub struct GuidePlan {
    /// Turns to lay.
    pub turns: u32,
    /// Height between the flanges, m.
    pub height_m: f64,
    /// How far inside the flanges the guide turns round, m.
    pub margin_m: f64,
    /// Wire diameter over the insulation, m.
    pub overall_m: f64,
    /// Turns that one pass from flange to flange lays.
    pub turns_per_pass: f64,
    /// Hand wander as a share of the height: twice its standard deviation.
    pub wander: f64,
    /// The staged plan; even from where it ends.
    pub stages: Vec<Stage>,
    /// A path of the guide's own instead of passes and stages: turn, and share of the height.
    pub own_path: Vec<[f64; 2]>,
    /// Seed of the hand's errors.
    pub seed: u64,
    /// Whether top and bottom are exchanged.
    pub mirrored: bool,
}

impl GuidePlan {
    /// The plan of a design's winding; as many turns a pass as fit side by side when it names none.
    #[must_use]
    pub fn new(wind: &Wind, height_m: f64, overall_m: f64) -> Self {
        let margin_m = (wind.margin_mm * 1e-3).min(0.45 * height_m);
        let side_by_side = ((height_m - 2.0 * margin_m) / (overall_m * STRAIGHT_PITCH)).max(1.0);
        Self {
            turns: wind.turns,
            height_m,
            margin_m,
            overall_m,
            turns_per_pass: wind.turns_per_pass.unwrap_or(side_by_side).max(1.0),
            wander: wind.wander,
            stages: wind.plan.clone(),
            own_path: wind.path.clone(),
            seed: wind.seed,
            mirrored: false,
        }
    }

    /// The same plan with top and bottom exchanged: it winds the mirrored coil.
    #[must_use]
    pub fn mirror(mut self) -> Self {
        self.mirrored = !self.mirrored;
        self
    }

    /// Height that the guide asks of every turn over the lower flange, m: a triangle between the margins,
    /// drawn towards where the stage prefers to be, with the hand's wander on it. Turns asked beyond a
    /// flange are turned back by it.
    #[must_use]
    pub fn path(&self) -> Vec<f64> {
        let mut path = self.path_unmirrored();
        if self.mirrored {
            for z in &mut path {
                *z = self.height_m - *z;
            }
        }
        path
    }

    /// The same for a machine, whose guide never leaves the margins: where a hand would sway beyond them it turns back.
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// use coil::prediction::lay_coil;
    /// let (plan, _) = lay_coil(&reference_coil(), 0).unwrap();
    /// let within = plan.margin_m - 1e-12..=plan.height_m - plan.margin_m + 1e-12;
    /// assert!(plan.machine_path().iter().all(|z| within.contains(z)));
    /// ```
    #[must_use]
    pub fn machine_path(&self) -> Vec<f64> {
        let low = self.margin_m.max(self.overall_m / 2.0);
        self.path().into_iter().map(|z| reflect(z, low, self.height_m - low)).collect()
    }

    pub(super) fn path_unmirrored(&self) -> Vec<f64> {
        let mut rng = Pcg64Mcg::seed_from_u64(self.seed);
        let keep = (-1.0 / HAND_MEMORY).exp();
        let fresh = (1.0 - keep * keep).sqrt();
        let mut error: f64 = StandardNormal.sample(&mut rng);
        let (low, high) = (self.overall_m / 2.0, self.height_m - self.overall_m / 2.0);
        let travel = (self.height_m - 2.0 * self.margin_m).max(0.0);
        let sway = 0.5 * self.wander * self.height_m;
        let mut stages = self.stages.iter().peekable();
        // The guide turns round out of step with the spindle: no two passes lay their turns in one place.
        let (mut pass, mut slip) = (0.0, 0.0);
        (0..self.turns)
            .map(|turn| {
                while stages.peek().is_some_and(|s| turn >= s.until_turn) {
                    stages.next();
                }
                let bias = stages.peek().map_or(Bias::Even, |s| s.bias);
                let passes = f64::from(turn) / self.turns_per_pass;
                if passes >= pass + 1.0 {
                    pass = passes.floor();
                    slip = (rng.random::<f64>() - 0.5) / self.turns_per_pass;
                }
                let even = fold(passes + slip);
                let noise: f64 = StandardNormal.sample(&mut rng);
                error = keep * error + fresh * noise;
                let place = own_place(&self.own_path, f64::from(turn)).map_or_else(
                    || self.margin_m + travel * dwell(bias, even),
                    |share| share * self.height_m,
                );
                let asked = place + sway * error + MACHINE_PLAY * self.overall_m * noise;
                reflect(asked, low, high)
            })
            .collect()
    }
}

/// Where a path of the guide's own has it at a turn, as a share of the height: straight between its points, from the start
/// again when it has ended. `None` without a path.
fn own_place(path: &[[f64; 2]], turn: f64) -> Option<f64> {
    let (first, last) = (path.first()?, path.last()?);
    let turn = if last[0] > 0.0 { turn % last[0] } else { 0.0 };
    if turn <= first[0] {
        return Some(first[1]);
    }
    let next = path.partition_point(|point| point[0] <= turn).min(path.len() - 1);
    let (a, b) = (path[next.saturating_sub(1)], path[next]);
    Some(a[1] + (b[1] - a[1]) * (turn - a[0]) / (b[0] - a[0]).max(f64::MIN_POSITIVE))
}

/// Where a guide that has covered the share `even` of its pass stands, 0…1, under a preference: the
/// inverse of the share of time spent below a place. `centre` and `edges` spend half as much again there
/// and half as much at the other; `top` and `bottom` run from half to one and a half times.
fn dwell(bias: Bias, even: f64) -> f64 {
    let swing = |sign: f64| {
        let below = |p: f64| p - sign * (2.0 * PI * p).sin() / (4.0 * PI);
        let mut p = even;
        for _ in 0..4 {
            let slope = 1.0 - sign * 0.5 * (2.0 * PI * p).cos();
            p = (p - (below(p) - even) / slope).clamp(0.0, 1.0);
        }
        p
    };
    // Time below p is p/2 + p²/2 when the top is preferred.
    let top = |even: f64| 0.5 * ((1.0 + 8.0 * even).sqrt() - 1.0);
    match bias {
        Bias::Even => even,
        Bias::Centre => swing(1.0),
        Bias::Edges => swing(-1.0),
        Bias::Top => top(even),
        Bias::Bottom => 1.0 - top(1.0 - even),
    }
}

/// Folds a height back between two limits.
fn reflect(value: f64, low: f64, high: f64) -> f64 {
    if (low..=high).contains(&value) {
        return value;
    }
    let span = high - low;
    if span <= 0.0 {
        return 0.5 * (low + high);
    }
    low + span * fold((value - low) / span)
}

/// A triangle of period 2 between 0 and 1.
fn fold(value: f64) -> f64 {
    // Truncation instead of a remainder: the triangle is even, and this is asked for every turn.
    #[allow(clippy::cast_possible_truncation, reason = "passes and reflections are few")]
    let whole = (0.5 * value.abs()) as i64 as f64;
    let phase = value.abs() - 2.0 * whole;
    if phase < 1.0 { phase } else { 2.0 - phase }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn plan(wander: f64, stages: Vec<Stage>) -> GuidePlan {
        GuidePlan {
            turns: 6000,
            height_m: 0.011,
            margin_m: 0.000_25,
            overall_m: 73e-6,
            turns_per_pass: 60.0,
            wander,
            stages,
            own_path: Vec::new(),
            seed: 7,
            mirrored: false,
        }
    }

    #[rstest]
    #[case(Bias::Centre, 0.35, 0.65, 1.2)]
    #[case(Bias::Top, 0.7, 1.0, 1.2)]
    #[case(Bias::Bottom, 0.0, 0.3, 1.2)]
    #[case(Bias::Edges, 0.35, 0.65, 0.7)]
    fn a_preference_is_where_the_turns_go(
        #[case] bias: Bias,
        #[case] from: f64,
        #[case] to: f64,
        #[case] least: f64,
    ) {
        let path = plan(0.0, vec![Stage { until_turn: 6000, bias }]).path();
        let inside = path.iter().filter(|z| (from..to).contains(&(**z / 0.011))).count() as f64;
        let ratio = inside / 6000.0 / (to - from);
        assert!(if least > 1.0 { ratio > least } else { ratio < least }, "{ratio}");
    }

    #[test]
    fn a_plan_ends_where_it_says_and_goes_on_even() {
        let staged = plan(0.0, vec![Stage { until_turn: 3000, bias: Bias::Bottom }]).path();
        let even = plan(0.0, Vec::new()).path();
        assert_ne!(staged[100..200], even[100..200]);
        assert_eq!(staged[3000..], even[3000..]);
    }

    #[test]
    fn wander_stays_between_the_flanges_and_a_seed_repeats_itself() {
        let path = plan(0.6, Vec::new()).path();
        assert!(path.iter().all(|z| *z >= 36e-6 && *z <= 0.011 - 36e-6));
        assert_eq!(path, plan(0.6, Vec::new()).path());
        let mirrored = plan(0.6, Vec::new()).mirror().path();
        assert!(path.iter().zip(&mirrored).all(|(a, b)| (a + b - 0.011).abs() < 1e-12));
    }

    /// A path of the guide's own is followed turn by turn, straight between its points, and begun anew at its end.
    #[test]
    fn a_path_of_its_own_is_followed() {
        let with = |own_path: Vec<[f64; 2]>| GuidePlan { own_path, ..plan(0.0, Vec::new()) };
        let zigzag = with(vec![[0.0, 0.1], [100.0, 0.9], [200.0, 0.1]]);
        let path = zigzag.path();
        let near = |turn: usize, share: f64| (path[turn] / zigzag.height_m - share).abs() < 0.01;
        assert!(near(50, 0.5) && near(100, 0.9) && near(150, 0.5) && near(250, 0.5) && near(425, 0.3));
        // One place held for good, and beyond a flange it is turned back.
        let held = with(vec![[0.0, 1.0], [10.0, 1.0]]).path();
        assert!(held.iter().all(|z| *z > 0.98 * zigzag.height_m && *z < zigzag.height_m));
    }
}
