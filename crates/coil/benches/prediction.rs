//! How long a prediction takes, and its dear parts: the targets and what was measured stand in docs/physics.md.

use coil::design::{Format, starting_point};
use coil::magnet::{Body, Grade, Magnetised, Material, Resolution, Rod, System};
use coil::prediction::{Calibration, Solution, predict};
use coil::set::{PlacedPickup, SetSolution};
use coil::wind::{Bonds, GuidePlan, lay};
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use std::sync::Arc;

/// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn prediction(c: &mut Criterion) {
    let mut group = c.benchmark_group("predict");
    for kind in Format::ALL {
        let mut design = starting_point(kind, kind.name(), 6, 10.0);
        group.bench_function(BenchmarkId::from_parameter(kind.name()), |b| {
            // Other parts and another lay each time, by too little to see: nothing is kept from before.
            b.iter(|| {
                design.poles[0].length_mm += 2e-6;
                for coil in &mut design.coils {
                    coil.former.height_mm += 2e-6;
                }
                predict(black_box(&design))
            });
        });
    }
    group.finish();
    // As on the sheet: other poles each time, one or a whole row, under the same windings. A step is more than that by which poles
    // count as alike.
    for (name, count) in [("predict another pole", 1), ("predict another row of poles", usize::MAX)] {
        let mut group = c.benchmark_group(name);
        for kind in Format::ALL {
            let mut design = starting_point(kind, kind.name(), 6, 10.0);
            group.bench_function(BenchmarkId::from_parameter(kind.name()), |b| {
                b.iter(|| {
                    for pole in design.poles.iter_mut().take(count) {
                        pole.length_mm += 2e-6;
                    }
                    predict(black_box(&design))
                });
            });
        }
        group.finish();
    }
    // As on the sheet: another number of turns each time, over the same magnets and metal.
    let mut group = c.benchmark_group("predict another winding");
    for kind in Format::ALL {
        let design = starting_point(kind, kind.name(), 6, 10.0);
        let mut turns = 0;
        group.bench_function(BenchmarkId::from_parameter(kind.name()), |b| {
            b.iter(|| {
                let mut design = design.clone();
                turns = (turns + 1) % 500;
                design.coils[0].wind.turns -= turns;
                predict(black_box(&design))
            });
        });
    }
    group.finish();
    let tall = starting_point(Format::TallSingle, "bench", 6, 10.4);
    c.bench_function("flux over six poles", |b| {
        b.iter(|| Solution::compute(black_box(&tall)).map(|s| s.pole_flux_mt(0.5)));
    });
    let mut group = c.benchmark_group("monte carlo");
    group.sample_size(10);
    group.bench_function("2,000 tall singles", |b| {
        b.iter(|| Solution::compute(black_box(&tall)).map(|s| s.monte_carlo(2000, 1)));
    });
    group.finish();
}

/// A set of three pickups on a switch of five positions: all new, one of them new, and with all of them known.
fn sets(c: &mut Criterion) {
    let text = include_str!("../../../examples/sets/three-voices.json");
    let mut set = coil::set::read(text).expect("the example reads");
    let solve = |d: &coil::design::Design| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new);
    let mut group = c.benchmark_group("set of three");
    group.bench_function("all new", |b| {
        b.iter(|| SetSolution::compute(black_box(&set), solve).map(|s| s.prediction()));
    });
    let placed: Vec<_> = (0..3).map(|i| solve(&set.placed(i, None)).expect("it predicts")).collect();
    let known: Vec<_> = (0..3).map(|i| (set.placed(i, None), placed[i].clone())).collect();
    let looked_up = |d: &coil::design::Design| match known.iter().find(|(design, _)| design == d) {
        Some((_, placed)) => Ok(placed.clone()),
        None => solve(d),
    };
    group.bench_function("all known", |b| {
        b.iter(|| SetSolution::compute(black_box(&set), looked_up).map(|s| s.prediction()));
    });
    let turns = set.pickups[0].design.coils[0].wind.turns;
    group.bench_function("one new", |b| {
        b.iter(|| {
            let wind = &mut set.pickups[0].design.coils[0].wind;
            wind.turns = if wind.turns > turns { turns - 1 } else { wind.turns + 100 };
            SetSolution::compute(black_box(&set), looked_up).map(|s| s.prediction())
        });
    });
    group.finish();
}

fn parts(c: &mut Criterion) {
    let tall = starting_point(Format::TallSingle, "bench", 6, 10.4);
    let core = tall.coils[0].former.core.outline();
    let mut wind = tall.coils[0].wind.clone();
    wind.turns = 10_000;
    let plan = GuidePlan::new(&wind, 11.0e-3, 73e-6);
    c.bench_function("lay 10,000 turns", |b| b.iter(|| lay(black_box(&plan), 1.0, 0.33)));
    let section = lay(&plan, 1.0, 0.33);
    c.bench_function("bonds of 10,000 turns", |b| b.iter(|| Bonds::from_section(black_box(&section), &core)));
    let winding = coil::inductance::Winding {
        core,
        center_m: (0.0, 0.0),
        from_z_m: 2.4e-3,
        to_z_m: 13.3e-3,
        build_m: 4.6e-3,
        turns: 7500.0,
    };
    c.bench_function("inductance of the air coil", |b| b.iter(|| black_box(&winding).inductance_h()));
    let curve = Material::Named(Grade::Alnico5).demagnetisation();
    let magnet = curve.map(|curve| Magnetised { curve, charge: 1.0 });
    let rod = |x: f64, mu_r: f64, magnet| {
        Body::Rod(Rod {
            axis_m: (x, 0.0),
            bottom_m: 0.0,
            length_m: 17e-3,
            radius_m: 2.375e-3,
            bevel_m: 0.0,
            mu_r,
            magnet,
        })
    };
    c.bench_function("what a rod magnet holds", |b| {
        b.iter(|| System::new(black_box(&[rod(0.0, 4.3, magnet)]), Resolution::default()).remanent_state());
    });
    let rods: Vec<Body> = (0..6).map(|i| rod((f64::from(i) - 2.5) * 10.4e-3, 200.0, None)).collect();
    let mut group = c.benchmark_group("six steel rods, intervals");
    for rod in [4, 6, 8, 12] {
        let resolution = Resolution { rod, ..Resolution::default() };
        group.bench_function(BenchmarkId::from_parameter(rod), |b| {
            b.iter(|| System::new(black_box(&rods), resolution));
        });
    }
    group.finish();
}

criterion_group!(benches, prediction, sets, parts);
criterion_main!(benches);
