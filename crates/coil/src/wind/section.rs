//! The wind simulator: turn upon turn, in one section of the coil.
//!
//! Every turn goes down where the guide asks, rests on the turns below it, slides towards the nearest hollow
//! as far as friction lets it, and then rides higher by what it does not nest: a turn that runs across the
//! turns below sits in their hollows for a part of its way only. The section stands for any place round the
//! coil: what one turn does along its way, neighbouring turns do side by side.

use super::guide::GuidePlan;
use crate::former::Outline;
use std::f64::consts::PI;
use wide::f32x4;

/// A turn slides down any slope steeper than this: enamel on enamel under tension (from memory: 0.1 to 0.2).
const FRICTION: f32 = 0.15;
/// Longest step of a slide, in diameters, how many there can be, and where a slope is felt.
const STEP: f32 = 0.5;
const STEPS: usize = 24;
const FEEL: f32 = 0.02;
/// Crossings per turn at which a turn rides half its way on the crests. With [`SLIDE`] it is set so that a
/// machine-straight lay on a tall former packs to 0.90 and a hand-scattered one to 0.79 (common practice,
/// no source); everything between and beyond is the model's own.
const CROSSINGS_HALF: f32 = 12.5;
/// Speed at which the minutes are reckoned, turns per minute (common practice, no source).
pub const USUAL_RPM: f64 = 500.0;

/// One turn in the section of a coil; the how manyth it is is its place in the list.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LaidTurn {
    /// Distance of its axis from the core, m.
    pub out_m: f64,
    /// Height of its axis over the lower flange, m.
    pub height_m: f64,
}

/// A coil as laid.
#[derive(Clone, Debug, PartialEq)]
pub struct Section {
    /// Every turn, in the order they were laid.
    pub turns: Vec<LaidTurn>,
    /// Wire diameter over the insulation, m.
    pub overall_m: f64,
    /// Height between the flanges, m.
    pub height_m: f64,
    /// Outermost surface over the height, from core, m: one value per strip of [`Section::strip_m`].
    pub profile_m: Vec<f64>,
    /// Turns that lay outside the flange's edge when they were laid: they will have jumped it.
    pub jumped: u32,
}

/// What turns meet on: the topmost turn in every half diameter of height, with empty strips beyond either flange. In
/// wire diameters and in single precision, eight strips at a time: this is where the time goes.
struct Surface {
    height: Vec<f32>,
    out: Vec<f32>,
    /// How far the guide moved during the topmost turn.
    slope: Vec<f32>,
}

/// Empty strips on either side.
const MARGIN: usize = 5;
/// Strips looked at together, and how many of them lie below: those that a turn can touch before and after a step.
const TOGETHER: usize = 7;
const BELOW: usize = 3;

impl Surface {
    fn new(height: f32) -> Self {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "heights are bounded")]
        let count = (height * 2.0).ceil() as usize + 2 * MARGIN + 1;
        Self { height: vec![-9.0; count], out: vec![-9.0; count], slope: vec![0.0; count] }
    }

    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to the strips")]
    fn strip(&self, z: f32) -> usize {
        ((z * 2.0).max(0.0) as usize + MARGIN).min(self.out.len() - MARGIN - 1)
    }

    /// How far out a turn comes to rest at each of several heights about `near`: on the core, or on the turns
    /// there. Side by side, since one after the other they would wait for each other's roots.
    fn rests(&self, near: f32, at: f32x4) -> f32x4 {
        let from = self.strip(near) - BELOW;
        let (height, out) = (&self.height[from..from + TOGETHER], &self.out[from..from + TOGETHER]);
        // Two chains of maxima, so that neither waits for the other.
        let mut most = [f32x4::splat(0.5); 2];
        for (k, (height, out)) in height.iter().zip(out).enumerate() {
            let apart = at - f32x4::splat(*height);
            let room = f32x4::ONE - apart * apart;
            let touching = f32x4::splat(*out) + room.fast_max(f32x4::ZERO).sqrt();
            most[k % 2] = most[k % 2].fast_max(room.simd_gt(f32x4::ZERO) & touching);
        }
        most[0].fast_max(most[1])
    }

    /// Where a turn at `z` would lie on the crest of the highest one that it touches.
    fn crest(&self, z: f32) -> f32 {
        let at = self.strip(z);
        let crests = |from: usize| {
            let four = |all: &[f32]| f32x4::from([all[from], all[from + 1], all[from + 2], all[from + 3]]);
            let near = (f32x4::splat(z) - four(&self.height)).abs().simd_lt(f32x4::ONE);
            near & (four(&self.out) + f32x4::ONE)
        };
        // Five strips can hold a turn within a diameter: four and four of them.
        let [a, b, c, d] = crests(at - 2).fast_max(crests(at - 1)).to_array();
        let larger = |a: f32, b: f32| if a > b { a } else { b };
        larger(larger(a, b), larger(c, d))
    }

    /// Where a turn asked at `asked` slides to, and how far out it rests there: down the slope on which it lands, as
    /// long as that is steeper than friction, by half diameters and in the end by eighths.
    fn settle(&self, asked: f32, low: f32, high: f32) -> (f32, f32) {
        let (low, high) = (f32x4::splat(low), f32x4::splat(high));
        let look = |z: f32, ways: f32x4| {
            let tried = (f32x4::splat(z) + ways).fast_max(low).fast_min(high);
            (tried.to_array(), self.rests(z, tried).to_array())
        };
        let (tried, rests) = look(asked, f32x4::from([0.0, FEEL, STEP, -STEP]));
        let (mut z, mut out) = (asked, rests[0]);
        if out <= 0.5 {
            return (z, out);
        }
        let (side, far) = if rests[1] < out { (1.0, 2) } else { (-1.0, 3) };
        if rests[far] < out - FRICTION * STEP {
            (z, out) = (tried[far], rests[far]);
        }
        let ways = f32x4::splat(side * STEP) * f32x4::from([1.0, 0.5, 0.25, 0.75]);
        for _ in 0..STEPS {
            let (tried, rests) = look(z, ways);
            let leads_down = |k: usize, from: f32, way: f32| rests[k] < from - FRICTION * STEP * way;
            if leads_down(0, out, 1.0) && (tried[0] - z).abs() > 1e-6 {
                (z, out) = (tried[0], rests[0]);
                continue;
            }
            // The rest in one choice without a branch, which nothing could foretell.
            let (half, quarter) = (leads_down(1, out, 0.5), leads_down(2, out, 0.25));
            let beyond = leads_down(3, rests[1], 0.25);
            let choice = usize::from(half) + 2 * usize::from(quarter) + 4 * usize::from(beyond);
            let k = [0, 1, 2, 1, 0, 3, 2, 3][choice];
            let (places, outs) = ([z, tried[1], tried[2], tried[3]], [out, rests[1], rests[2], rests[3]]);
            return (places[k], outs[k]);
        }
        (z, out)
    }

    fn add(&mut self, z: f32, out: f32, slope: f32) {
        let at = self.strip(z);
        if out > self.out[at] {
            (self.height[at], self.out[at], self.slope[at]) = (z, out, slope);
        }
    }
}

/// Lays a coil. `room_m` is the way from core to the flange's edge; `of_breaking` is the pull on the wire as a
/// share of what breaks it: a harder pull draws a turn deeper between those below, a slack one leaves it up.
#[must_use]
pub fn lay(plan: &GuidePlan, room_m: f64, of_breaking: f64) -> Section {
    let overall = plan.overall_m;
    let wires_per_m = overall.recip();
    // A mirrored plan is wound as it is and the coil turned over: the strips know no up and down.
    let path = plan.path_unmirrored();
    #[allow(clippy::cast_possible_truncation, reason = "single precision is ample for a lay")]
    let in_wires = |m: f64| (m * wires_per_m) as f32;
    let (low, high, room) = (0.5, in_wires(plan.height_m) - 0.5, in_wires(room_m));
    // A third of the breaking pull is usual; nothing pulls a turn through another.
    #[allow(clippy::cast_possible_truncation, reason = "single precision is ample for a lay")]
    let slack = (1.2 - 0.6 * of_breaking).clamp(0.7, 1.2) as f32;
    let mut surface = Surface::new(in_wires(plan.height_m));
    let mut turns: Vec<LaidTurn> = Vec::with_capacity(path.len());
    let mut jumped = 0;
    let mut before = path.first().map_or(0.0, |z| in_wires(*z));
    for asked in path.into_iter().map(in_wires) {
        let (z, rest) = surface.settle(asked, low, high);
        let slope = asked - before;
        before = asked;
        let crossings = (slope - surface.slope[surface.strip(z)]).abs();
        let riding = (slack * crossings / (crossings + CROSSINGS_HALF)).min(1.0);
        let out = rest + riding * (surface.crest(z) - rest).max(0.0);
        jumped += u32::from(out + 0.5 > room);
        surface.add(z, out, slope);
        let height_m = f64::from(z) * overall;
        let height_m = if plan.mirrored { plan.height_m - height_m } else { height_m };
        turns.push(LaidTurn { out_m: f64::from(out) * overall, height_m });
    }
    let profile_m = profile(&turns, plan.height_m, overall);
    Section { turns, overall_m: overall, height_m: plan.height_m, profile_m, jumped }
}

/// Height of a strip of the profile in wire diameters: turns that ride in one another's hollows still
/// count once.
const STRIP: f64 = 3.0;

/// Outer surface over the height, in strips of about three wires.
fn profile(turns: &[LaidTurn], height_m: f64, overall: f64) -> Vec<f64> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "heights are bounded")]
    let count = ((height_m / (STRIP * overall)) as usize).clamp(1, 400);
    let mut strips = vec![0.0_f64; count];
    for turn in turns {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
        let at = ((turn.height_m / height_m * count as f64).max(0.0) as usize).min(count - 1);
        strips[at] = strips[at].max(turn.out_m + overall / 2.0);
    }
    strips
}

impl Section {
    /// Height of one strip of the profile, m.
    #[must_use]
    pub fn strip_m(&self) -> f64 {
        self.height_m / self.profile_m.len() as f64
    }

    /// Mean thickness of the coil over its height, m: of a uniform lay of the same turns and wire it is that
    /// lay's build.
    #[must_use]
    pub fn mean_build_m(&self) -> f64 {
        // Twice the mean distance of the turns: exact for an even filling, and blind to single crests.
        let count = self.turns.len().max(1) as f64;
        2.0 * self.turns.iter().map(|t| t.out_m).sum::<f64>() / count
    }

    /// Thickest place, m: the mean of its three highest strips.
    #[must_use]
    pub fn thickest_m(&self) -> f64 {
        let mut strips = self.profile_m.clone();
        strips.sort_by(|a, b| b.total_cmp(a));
        let top = &strips[..strips.len().min(3)];
        top.iter().sum::<f64>() / top.len().max(1) as f64
    }

    /// Thinnest place, m, away from the outer twentieth at either flange.
    #[must_use]
    pub fn thinnest_m(&self) -> f64 {
        let edge = self.profile_m.len() / 20;
        let inner = &self.profile_m[edge..self.profile_m.len() - edge];
        inner.iter().copied().fold(f64::INFINITY, f64::min)
    }

    /// Packing: wire diameter squared times turns, over the window filled.
    #[must_use]
    pub fn packing(&self) -> f64 {
        let wire = self.turns.len() as f64 * self.overall_m * self.overall_m;
        wire / (self.mean_build_m() * self.height_m).max(f64::MIN_POSITIVE)
    }

    /// Length of turn `i` round `core`, m.
    #[must_use]
    pub fn turn_length_m(&self, i: usize, core: &Outline) -> f64 {
        core.perimeter_m() + 2.0 * PI * self.turns[i].out_m
    }

    /// Length of all the wire round `core`, m.
    #[must_use]
    pub fn wire_m(&self, core: &Outline) -> f64 {
        let out: f64 = self.turns.iter().map(|t| t.out_m).sum();
        self.turns.len() as f64 * core.perimeter_m() + 2.0 * PI * out
    }

    /// Minutes of winding at a speed in turns per minute.
    #[must_use]
    pub fn minutes(&self, rpm: f64) -> f64 {
        self.turns.len() as f64 / rpm
    }

    /// Whole layers: build over the wire's diameter.
    #[must_use]
    pub fn layers(&self) -> f64 {
        self.mean_build_m() / self.overall_m
    }

    /// Turns and mean build in `count` zones of equal height, bottom first.
    #[must_use]
    pub fn zones(&self, count: usize) -> Vec<(f64, f64)> {
        let mut zones = vec![(0.0, 0.0); count];
        for turn in &self.turns {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
            let at = ((turn.height_m / self.height_m * count as f64).max(0.0) as usize).min(count - 1);
            zones[at].0 += 1.0;
            zones[at].1 += turn.out_m;
        }
        for zone in &mut zones {
            zone.1 = if zone.0 > 0.0 { 2.0 * zone.1 / zone.0 } else { 0.0 };
        }
        zones
    }
}
