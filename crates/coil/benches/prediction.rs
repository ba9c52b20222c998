//! How long a prediction takes, and its dear parts.

use coil::design::tall_single;
use coil::inductance::Winding;
use coil::magnet::Held;
use coil::predict::{pole_flux_mt, predict};
use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;

fn prediction(c: &mut Criterion) {
    let design = tall_single("bench", 6, 10.4);
    c.bench_function("predict a six-string tall single", |b| b.iter(|| predict(black_box(&design))));
    c.bench_function("flux over the poles", |b| b.iter(|| pole_flux_mt(black_box(&design), 0.5)));
    let winding = Winding {
        core: design.coils[0].former.core.outline(),
        center_m: (0.0, 0.0),
        from_z_m: 2.4e-3,
        to_z_m: 13.3e-3,
        build_m: 4.6e-3,
        turns: 7620.0,
    };
    c.bench_function("inductance of the air coil", |b| b.iter(|| black_box(&winding).inductance_h()));
    c.bench_function("no magnet", |b| b.iter(|| Held::solve(black_box(&[]))));
}

criterion_group!(benches, prediction);
criterion_main!(benches);
