//! What the pickup hears of a string: its partials by place and aperture, what covers take away, the magnets' pull.

use super::winding;
use coil::design::{Design, Format, Metal, MetalPart, OneString, starting_point};
use coil::magnet::{Body, Charged, Grade, Magnetised, Material, Resolution, Rod, System, flux_density};
use coil::prediction::{Partial, Prediction, predict};
use coil::string::{Along, Linkage, Steel};
use rstest::rstest;
use serde_json::json;

/// A pickup with a standard tuning, 648 mm of string.
fn tuned(kind: Format) -> Design {
    let mut design = starting_point(kind, "heard", 6, 10.0);
    design.strings.scale_mm = 648.0;
    design.strings.each = ["E4", "B3", "G3", "D3", "A2", "E2"]
        .into_iter()
        .map(|note| OneString { note: note.into(), diameter_mm: 0.4, core_mm: None, gap_mm: 2.4 })
        .collect();
    design
}

/// Coils of a twin 18.4 mm apart.
fn twin() -> Design {
    let mut design = tuned(Format::TwinCoil);
    design.coils[0].center_mm[1] = -9.2;
    design.coils[1].center_mm[1] = 9.2;
    design
}

/// By how much less a partial is heard by two coils than by a point between them, at the partial nearest a frequency.
fn comb_db(design: &Design, string: usize, hz: f64) -> f64 {
    let prediction = predict(design).unwrap();
    let partials = &prediction.strings[string].partials;
    let nearest = |a: &&Partial, b: &&Partial| (a.hz - hz).abs().total_cmp(&(b.hz - hz).abs());
    let partial = partials.iter().min_by(nearest).unwrap();
    let x = design.strings.from_bridge_mm / design.strings.scale_mm;
    let point = (f64::from(partial.n) * std::f64::consts::PI * x).sin().abs();
    partial.place_db - 20.0 * point.max(0.03).log10()
}

/// Two coils hear a partial of wavelength twice their distance in opposite sense: for 18.4 mm on 648 mm the first nulls of the
/// open strings lie at 2.90, 3.87, 5.17 and 6.90 kHz (the geometry of a comb).
#[rstest]
#[case(5, 2900.0)]
#[case(4, 3870.0)]
#[case(3, 5170.0)]
#[case(2, 6900.0)]
fn two_coils_make_a_comb(#[case] string: usize, #[case] null_hz: f64) {
    let both = twin();
    assert!(comb_db(&both, string, null_hz) < -18.0, "{}", comb_db(&both, string, null_hz));
    assert!(comb_db(&both, string, null_hz / 4.0) > -4.0);
    let mut split = both;
    split.wiring.join = "split:A".into();
    // One coil has no null there, only its own width.
    let at = |design: &Design| {
        let strings = predict(design).unwrap().strings;
        let near = |p: &&Partial| (p.hz / null_hz - 1.0).abs() < 0.06;
        strings[string].partials.iter().filter(near).map(|p| p.place_db).fold(f64::MIN, f64::max)
    };
    assert!(at(&split) > -12.0, "{}", at(&split));
}

/// A tall single's rod, charged.
fn charged_rod() -> Vec<Charged> {
    let curve = Material::Named(Grade::Alnico5).demagnetisation().unwrap();
    let rod = Rod {
        axis_m: (0.0, 0.0),
        bottom_m: 0.0,
        length_m: 17e-3,
        radius_m: 2.375e-3,
        bevel_m: 0.0,
        mu_r: 4.3,
        magnet: Some(Magnetised { curve, charge: 1.0 }),
    };
    let system = System::new(&[Body::Rod(rod)], Resolution::default());
    system.charged(&system.remanent_state())
}

/// The aperture is what bending the string does: a string that is bent by εcos(ky) takes the field along its own direction,
/// and its linkage changes by ε∫a(y)cos(ky) dy.
#[rstest]
#[case(0.080)]
#[case(0.040)]
#[case(0.021)]
fn the_aperture_is_what_bending_does(#[case] wavelength_m: f64) {
    let (held, z, step) = (charged_rod(), 19.6e-3, 0.05e-3);
    let coil = winding(&json!({
        "straight_mm": 52, "inner_end_radius_mm": 2.6, "height_mm": 11, "build_mm": 3.6, "turns": 7600
    }));
    // The coil stands about the origin, the rod under the string.
    let poles = |p: [f64; 3]| flux_density(&held, p);
    let coils = |p: [f64; 3]| coil.field_at(&[[p[0], p[1], p[2] - 9e-3]])[0];
    let line = Linkage::new(0.2e-3, 0.0, 0.0);
    let k = 2.0 * std::f64::consts::PI / wavelength_m;
    let along = |field: &dyn Fn([f64; 3]) -> [f64; 3], bend: f64| {
        // What lies along the bent string stands for what lies along y; beyond that the fields are left out.
        let at = |y: f64, lift: f64| {
            let b = field([0.0, y, z + lift + bend * (k * y).cos()]);
            let slope = -bend * k * (k * y).sin();
            [0.0, b[1] + slope * b[2], b[2]]
        };
        let ys = line.points();
        let slope = |y: &f64| {
            let (up, down) = (at(*y, step), at(*y, -step));
            std::array::from_fn(|i| (up[i] - down[i]) / (2.0 * step))
        };
        Along { field: ys.iter().map(|y| at(*y, 0.0)).collect(), by_m: ys.iter().map(slope).collect() }
    };
    let plain = |mut a: Along| {
        a.field.iter_mut().chain(&mut a.by_m).for_each(|b| b[2] = 0.0);
        a
    };
    let steel = Steel { mu_r: 100.0, saturation_t: 1.8 };
    let linked = |bend: f64| {
        line.magnetised(steel, plain(along(&poles, bend)), None).linkage(&plain(along(&coils, bend)))
    };
    let bent = (linked(20e-6) - linked(-20e-6)) / 40e-6;
    let (own, of_coil) = (along(&poles, 0.0), along(&coils, 0.0));
    let aperture = line.magnetised(steel, own, None).aperture(&of_coil);
    // What lies across the string is in the aperture and not in the bent line: a tenth.
    let summed: f64 = aperture.iter().zip(line.points()).map(|(a, y)| a * (k * y).cos()).sum();
    assert!((summed / bent - 1.0).abs() < 0.14, "{summed:e} {bent:e}");
}

/// A rod hears little more than the string over its face: partials as short as 21 mm reach it nearly whole.
#[test]
fn a_rod_hears_a_few_millimetres() {
    let mut design = tuned(Format::TallSingle);
    design.strings.from_bridge_mm = 54.0;
    let partials = predict(&design).unwrap().strings.remove(5).partials;
    // The twelfth of string at the bridge: partials 6 and 18 have antinodes there, of 216 and 72 mm; 54 of 24 mm.
    let heard = [6, 18, 54].map(|n: usize| partials[n - 1].place_db);
    assert!(heard.iter().all(|db| *db > -2.0 && *db < 0.5), "{heard:?}");
}

/// Where the pickup stands decides: near the bridge low partials are weak, and the sixth vanishes at a sixth of the string.
#[test]
fn the_place_on_the_string() {
    let mut design = tuned(Format::TallSingle);
    design.strings.from_bridge_mm = 108.0;
    let partials = predict(&design).unwrap().strings.remove(5).partials;
    // At 108 mm of 648 sin(π/6) is a half: −6.02 dB; the third partial has its antinode there.
    assert!((partials[0].place_db + 6.02).abs() < 0.05, "{:?}", partials[0]);
    assert!(partials[2].place_db.abs() < 0.1, "{:?}", partials[2]);
    assert!(partials[5].place_db < -30.0, "{:?}", partials[5]);
    // The circuit lifts what lies near its peak.
    let peak = predict(&design).unwrap().pickup.peak_hz.unwrap().nominal;
    let near = partials.iter().min_by(|a, b| (a.hz - peak).abs().total_cmp(&(b.hz - peak).abs())).unwrap();
    assert!(near.loaded_db > near.place_db + 1.0, "{near:?}");
}

/// A cover of half a millimetre, 70 by 38 by 18 mm, its top just above the poles.
fn with_cover(design: &Design, material: Grade) -> Design {
    let top = design.poles.iter().map(|p| p.bottom_mm + p.length_mm).fold(f64::NEG_INFINITY, f64::max) + 0.6;
    let mut covered = design.clone();
    covered.metal.push(Metal {
        part: MetalPart::Cover,
        material: Material::Named(material),
        size_mm: [70.0, 38.0, 18.0],
        center_mm: [0.0, 0.0, top - 9.0],
        wall_mm: Some(0.5),
    });
    covered
}

fn loaded_db(design: &Design, prediction: &Prediction, hz: f64) -> f64 {
    prediction.circuit.response_db(Some(&design.load.circuit()), hz)
}

/// A cover takes away from the signal: above 5 kHz the loaded curve lies below the uncovered one, copper below brass below
/// nickel silver. To 0.1 dB: a wide cover of nickel silver lowers a single's inductance by as much as it screens.
#[rstest]
#[case(Format::TallSingle)]
#[case(Format::TwinCoil)]
fn covers_take_away_from_the_treble(#[case] kind: Format) {
    let bare = starting_point(kind, "covered", 6, 10.0);
    let open = predict(&bare).unwrap();
    let covered = [Grade::NickelSilver, Grade::Brass, Grade::Copper].map(|material| {
        let design = with_cover(&bare, material);
        predict(&design).unwrap()
    });
    for hz in [5500.0, 7000.0, 10_000.0] {
        let levels: Vec<f64> =
            std::iter::once(&open).chain(&covered).map(|p| loaded_db(&bare, p, hz)).collect();
        assert!(levels.windows(2).all(|pair| pair[1] < pair[0] + 0.1), "{kind:?} {hz} Hz: {levels:?}");
    }
}

/// Without conducting parts nothing is taken: a ceramic bar and air.
#[test]
fn what_does_not_conduct_does_not_screen() {
    let mut design = starting_point(Format::TallSingle, "ceramic", 6, 10.0);
    design.poles.iter_mut().for_each(|p| p.material = Material::Named(Grade::Ceramic8));
    assert!(predict(&design).unwrap().circuit.screening.is_empty());
}

/// Virtual work: where nothing saturates the pull is half the change of ∫M·B dV with height (any textbook on magnetostatics).
#[test]
fn the_pull_is_the_change_of_energy() {
    let held = charged_rod();
    let line = Linkage::new(0.2e-3, 0.0, 0.0);
    let free = Steel { saturation_t: 1e6, ..Steel::default() };
    let step = 0.1e-3;
    let field = |z: f64| -> Vec<[f64; 3]> {
        line.points().iter().map(|y| flux_density(&held, [0.0, *y, z])).collect()
    };
    let along = |z: f64| {
        let (up, down) = (field(z + step), field(z - step));
        let slope = up.iter().zip(&down).map(|(a, b)| std::array::from_fn(|i| (a[i] - b[i]) / (2.0 * step)));
        Along { field: field(z), by_m: slope.collect() }
    };
    // ∫M·B is what the string links of its own poles' field.
    let energy = |z: f64| 0.5 * line.magnetised(free, along(z), None).linkage(&along(z));
    for z in [20e-3, 21e-3] {
        let (pull, by_m) = line.magnetised(free, along(z), None).pull();
        let change = (energy(z + 0.2e-3) - energy(z - 0.2e-3)) / 0.4e-3;
        assert!((pull / change - 1.0).abs() < 0.02, "{pull:e} {change:e}");
        // It pulls downwards, and less further away.
        assert!(pull < 0.0 && by_m > 0.0);
    }
}

/// Magnets close to a string pull it flat; far away they do not; a strong row pulls harder than a weak one.
#[test]
fn magnets_pull_strings_flat() {
    let of = |gap_mm: f64, charge: f64| {
        let mut design = tuned(Format::TallSingle);
        design.strings.each.iter_mut().for_each(|s| s.gap_mm = gap_mm);
        design.poles.iter_mut().for_each(|p| p.charge = charge);
        let string = predict(&design).unwrap().strings.remove(5);
        (string.pull_mn, string.pull_cents)
    };
    let (close, far, weak) = (of(1.5, 1.0), of(6.0, 1.0), of(1.5, 0.5));
    assert!(close.0 > 2.0 * weak.0 && weak.0 > 0.0 && close.0 > 5.0 * far.0, "{close:?} {far:?} {weak:?}");
    assert!(close.1 < weak.1 && weak.1 < 0.0 && close.1 < far.1 && far.1 < 0.0);
}
