//! Laws of the wind simulator, whatever the plan.

use coil::design::{Bias, Stage, tall_single};
use coil::former::Core;
use coil::wind::{GuidePlan, PACKING_SCATTERED, PACKING_STRAIGHT, Section, lay};
use proptest::prelude::*;

fn any_plan() -> impl Strategy<Value = GuidePlan> {
    let bias = prop_oneof![
        Just(Bias::Even),
        Just(Bias::Centre),
        Just(Bias::Edges),
        Just(Bias::Top),
        Just(Bias::Bottom)
    ];
    (200u32..3000, 2e-3..14e-3, 0.0..0.4e-3, 40e-6..120e-6, 5.0..250.0, 0.0..1.0, bias, 1u64..1000).prop_map(
        |(turns, height_m, margin_m, overall_m, turns_per_pass, wander, bias, seed)| GuidePlan {
            turns,
            height_m,
            margin_m,
            overall_m,
            turns_per_pass,
            wander,
            stages: vec![Stage { until_turn: turns / 2, bias }],
            own_path: Vec::new(),
            seed,
            mirrored: false,
        },
    )
}

fn plan(wander: f64, seed: u64) -> GuidePlan {
    let mut wind = tall_single("laws", 6, 10.4).coils[0].wind.clone();
    (wind.wander, wind.seed) = (wander, seed);
    GuidePlan::new(&wind, 11.0e-3, 73e-6)
}

fn packing(wander: f64) -> f64 {
    let seeds = 1..=4u64;
    let all: f64 = seeds.clone().map(|seed| lay(&plan(wander, seed), 1.0, 0.33).packing()).sum();
    all / seeds.count() as f64
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Turns are conserved and stay between the flanges; those beyond the flange's edge are reported; a seed repeats
    /// itself.
    #[test]
    fn turns_are_conserved_and_kept(plan in any_plan(), room in 0.2e-3..6e-3f64) {
        let section = lay(&plan, room, 0.33);
        prop_assert_eq!(section.turns.len(), plan.turns as usize);
        let half = 0.5 * plan.overall_m;
        for turn in &section.turns {
            prop_assert!(turn.height_m >= half * 0.999 && turn.height_m <= plan.height_m - half * 0.999);
            prop_assert!(turn.out_m >= half * 0.999 && turn.out_m.is_finite());
        }
        // Beyond the edge by more than single precision can doubt.
        let beyond = section.turns.iter().filter(|t| t.out_m + half > room * 1.001).count();
        prop_assert!(section.jumped as usize >= beyond, "{} {beyond}", section.jumped);
        prop_assert_eq!(lay(&plan, room, 0.33), section);
    }

    /// A mirrored plan gives the mirrored coil.
    #[test]
    fn a_mirrored_plan_is_the_mirrored_coil(plan in any_plan()) {
        let (one, other) = (lay(&plan, 1.0, 0.33), lay(&plan.clone().mirror(), 1.0, 0.33));
        let core = Core::stadium(56.75, 4.75).outline();
        for (a, b) in one.turns.iter().zip(&other.turns) {
            prop_assert!((a.height_m + b.height_m - plan.height_m).abs() < 1e-9 && (a.out_m - b.out_m).abs() < 1e-12);
        }
        prop_assert!((one.wire_m(&core) - other.wire_m(&core)).abs() < 1e-9);
        let asked = plan.path();
        let mirrored = plan.clone().mirror().path();
        prop_assert!(asked.iter().zip(&mirrored).all(|(a, b)| (a + b - plan.height_m).abs() < 1e-9));
    }

    /// Length is the sum of the turns, and a uniform lay of the same packing has the same.
    #[test]
    fn length_is_the_sum_of_the_turns(plan in any_plan()) {
        let section = lay(&plan, 1.0, 0.33);
        let core = Core::stadium(56.75, 4.75).outline();
        let summed: f64 = (0..section.turns.len()).map(|i| section.turn_length_m(i, &core)).sum();
        prop_assert!((section.wire_m(&core) / summed - 1.0).abs() < 1e-9);
        let uniform = coil::wind::Lay::uniform(
            f64::from(plan.turns), plan.overall_m, section.packing(), &core, plan.height_m,
        );
        prop_assert!((section.wire_m(&core) / uniform.wire_m - 1.0).abs() < 1e-3);
    }
}

/// A machine-straight lay on a tall former packs to about 0.90, a hand-scattered one to about 0.79 (common practice,
/// no source).
#[test]
fn the_two_lays_of_practice() {
    assert!((packing(0.0) / PACKING_STRAIGHT - 1.0).abs() < 0.03, "{}", packing(0.0));
    assert!((packing(0.3) / PACKING_SCATTERED - 1.0).abs() < 0.03, "{}", packing(0.3));
}

#[test]
fn more_wander_never_packs_tighter_on_average() {
    let all: Vec<f64> = [0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.8, 1.2].into_iter().map(packing).collect();
    assert!(all.windows(2).all(|pair| pair[1] <= pair[0] + 0.003), "{all:?}");
}

/// A harder pull draws the turns closer, a slack one leaves the coil fat (common practice, no source).
#[test]
fn tension_squeezes_the_lay() {
    let build = |of_breaking: f64| lay(&plan(0.3, 1), 1.0, of_breaking).mean_build_m();
    assert!(build(0.05) > build(0.33) && build(0.33) > build(0.6));
}

/// Guides set far inside the flanges leave waisted edges; a plan that prefers the middle makes a belly there.
#[test]
fn margins_and_stages_shape_the_coil() {
    let thirds = |section: &Section| section.zones(3).iter().map(|z| z.1).collect::<Vec<f64>>();
    let wide = GuidePlan { margin_m: 2e-3, ..plan(0.0, 1) };
    let belly = thirds(&lay(&wide, 1.0, 0.33));
    assert!(belly[1] > 1.2 * belly[0] && belly[1] > 1.2 * belly[2], "{belly:?}");
    let staged = GuidePlan { stages: vec![Stage { until_turn: 7500, bias: Bias::Centre }], ..plan(0.0, 1) };
    let centre = lay(&staged, 1.0, 0.33).zones(3);
    assert!(centre[1].0 > 1.1 * centre[0].0, "{centre:?}");
    assert!(lay(&wide, 1.0, 0.33).thickest_m() > 1.1 * lay(&plan(0.0, 1), 1.0, 0.33).thickest_m());
}
