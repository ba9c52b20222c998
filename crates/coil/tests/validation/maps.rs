//! Maps of field and sensitivity, and what choices change: laws they must obey.

use coil::design::{Design, Format, Grounded, Medium, Potting, reference_coil, starting_point};
use coil::magnet::{Grade, Material};
use coil::prediction::{Calibration, Plane, Solution};
use coil::search::{Assumption, AssumptionComparison, compare_assumptions};
use rstest::rstest;

/// What a gaussmeter reads over a pole, the map shows at that place.
#[rstest]
#[case(Format::TallSingle)]
#[case(Format::TwinCoil)]
fn a_map_shows_what_a_probe_reads(#[case] kind: Format) {
    let design = starting_point(kind, "map", 6, 10.0);
    let solution = Solution::compute(&design).unwrap();
    let pole = &design.poles[2];
    let y = design.coils.iter().find(|c| c.name == pole.coil).unwrap().center_mm[1];
    let face = pole.bottom_mm + pole.length_mm;
    let map = solution.field_map(Plane::Section { x_mm: pole.x_mm }, 121, 81);
    let step = [0, 1].map(|k| (map.to_mm[k] - map.from_mm[k]) / [120.0, 80.0][k]);
    // The grid's point next above the middle of the face.
    let i = ((y - map.from_mm[0]) / step[0]).round();
    let j = ((face + 1.0 - map.from_mm[1]) / step[1]).ceil();
    let height = map.from_mm[1] + j * step[1];
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "places on the grid")]
    let shown = map.field_mt[j as usize * 121 + i as usize].unwrap()[1];
    let read = solution.pole_flux_mt(height - face)[2].unwrap();
    assert!((shown / read - 1.0).abs() < 0.06, "{kind:?}: {shown} {read}");
}

/// No flux begins or ends in air: over a closed square of the grid away from everything the outward flux is nothing. In a
/// section through the middle of a mirror-symmetric pickup what leaves the plane is nothing, so the check is made where the
/// field along x does not change: over the whole box of a map from above, two heights apart.
#[test]
fn flux_is_conserved() {
    let solution = Solution::compute(&reference_coil()).unwrap();
    let (low, high) = (22.0, 23.0);
    let (n, m) = (41, 31);
    let maps = [low, (low + high) / 2.0, high].map(|z_mm| solution.field_map(Plane::Above { z_mm }, n, m));
    let map = &maps[1];
    let (dx, dy) = ((map.to_mm[0] - map.from_mm[0]) / 40.0, (map.to_mm[1] - map.from_mm[1]) / 30.0);
    let at = |k: usize, i: usize, j: usize| maps[k].field_mt[j * n + i].unwrap();
    let weight = |k: usize, last: usize| if k == 0 || k == last { 0.5 } else { 1.0 };
    let mut through = 0.0;
    let mut size = 0.0;
    for j in 0..m {
        for i in 0..n {
            let w = weight(i, n - 1) * weight(j, m - 1) * dx * dy;
            through += w * (at(2, i, j)[2] - at(0, i, j)[2]);
            size += w * at(1, i, j)[2].abs();
        }
    }
    let sides = |k: usize| -> f64 {
        let x: f64 = (0..m).map(|j| weight(j, m - 1) * dy * (at(k, n - 1, j)[0] - at(k, 0, j)[0])).sum();
        let y: f64 = (0..n).map(|i| weight(i, n - 1) * dx * (at(k, i, m - 1)[1] - at(k, i, 0)[1])).sum();
        x + y
    };
    through += (high - low) * (sides(0) + 4.0 * sides(1) + sides(2)) / 6.0;
    assert!(through.abs() < 0.01 * size, "{through} of {size}");
}

/// A bend over single rods dips between them, over a blade it does not: makers choose blades for that (common practice, no
/// source).
#[test]
fn blades_are_even_where_rods_dip() {
    let between = |kind: Format| {
        let solution = Solution::compute(&starting_point(kind, "bend", 6, 10.0)).unwrap();
        solution.bend_map(3).unwrap()
    };
    let (rods, blade) = (between(Format::TallSingle), between(Format::Blade));
    assert!(rods.between_db < -1.5, "{}", rods.between_db);
    assert!(blade.between_db > rods.between_db + 1.0, "{} {}", blade.between_db, rods.between_db);
    // Loudest over a pole, quietest half way.
    let level = |x: f64| {
        let nearest = |a: &&(f64, f64), b: &&(f64, f64)| (a.0 - x).abs().total_cmp(&(b.0 - x).abs());
        let all: Vec<(f64, f64)> = rods.x_mm.iter().copied().zip(rods.level_db.iter().copied()).collect();
        all.iter().min_by(nearest).unwrap().1
    };
    assert!(level(5.0) > level(0.0) + 1.0 && level(-15.0) > level(-10.0) + 1.0);
    assert_eq!(rods.shares.len(), rods.x_mm.len() * rods.y_mm.len());
}

#[test]
fn without_a_magnet_there_is_nothing_to_hear() {
    let mut design = reference_coil();
    design.poles.iter_mut().for_each(|p| p.material = Material::Named(Grade::Brass));
    let solution = Solution::compute(&design).unwrap();
    assert_eq!(solution.bend_map(3), None);
    assert_eq!(solution.bend_map(0), None);
    let map = solution.field_map(Plane::Section { x_mm: 0.0 }, 8, 8);
    assert!(map.field_mt.iter().flatten().flatten().all(|b| b.abs() < 1e-9));
}

fn of(design: &Design, choice: Assumption) -> AssumptionComparison {
    compare_assumptions(design, &Calibration::default()).into_iter().find(|m| m.choice == choice).unwrap()
}

/// Potting, build and lay move the capacitance and with it the resonance; a film of another polymer of equal size moves both
/// by little; none of them touches the output (any textbook on capacitance; no timbre is claimed).
#[test]
fn what_matters_electrically() {
    let design = reference_coil();
    let wax = of(&design, Assumption::Potting).differences;
    assert!(wax.capacitance_f.p05 > 0.0 && wax.resonance_hz.p95 < 0.0);
    let enamel = of(&design, Assumption::Enamel).differences;
    assert!(enamel.capacitance_f.nominal.abs() < 0.3 * wax.capacitance_f.nominal);
    let heavy = of(&design, Assumption::Build).differences;
    assert!(heavy.capacitance_f.nominal < 0.0, "thicker films, less capacitance");
    for choice in [Assumption::Potting, Assumption::Enamel] {
        assert!(of(&design, choice).differences.output_db.nominal.abs() < 1e-6);
    }
}

/// What is uncertain of both sides alike falls out: the band of a change is narrower than that of either side.
#[test]
fn a_change_is_known_better_than_what_changes() {
    let design = reference_coil();
    let mut waxed = design.clone();
    waxed.potting = Some(Potting { medium: Medium::Wax, fill: 1.0 });
    let (a, b) = (Solution::compute(&design).unwrap(), Solution::compute(&waxed).unwrap());
    let change = a.differences(&b, &Calibration::default()).peak_hz;
    let own = b.prediction(&Calibration::default()).pickup.peak_hz.unwrap();
    assert!(change.p95 - change.p05 < 0.3 * (own.p95 - own.p05), "{change:?} {own:?}");
    let none = a.differences(&a, &Calibration::default());
    assert!(none.capacitance_f.nominal == 0.0 && none.peak_hz.p95.abs() < 1e-9);
}

/// Reversed by the winder or by the leads is one circuit, until something grounded faces the end that is outside.
#[test]
fn the_two_ways_to_reverse() {
    let plain = of(&reference_coil(), Assumption::Reverse).differences;
    assert!(plain.capacitance_f.nominal.abs() < 1e-18 && plain.peak_hz.nominal.abs() < 1e-6);
    let mut shielded = reference_coil();
    shielded.wiring.grounded = Some(vec![Grounded::Foil, Grounded::Poles]);
    let changed = of(&shielded, Assumption::Reverse).differences;
    assert!(changed.capacitance_f.nominal.abs() > 5e-12, "{:?}", changed.capacitance_f);
}

/// Alloys charged to one flux at the strings give about one output; the lower grade has the higher inductance.
#[test]
fn alloys_at_equal_flux() {
    let alloy = of(&reference_coil(), Assumption::Alloy);
    assert!(alloy.differences.output_db.nominal.abs() < 1.5, "{:?}", alloy.differences.output_db);
    assert!(alloy.differences.inductance_h.p05 > 0.0);
}

/// Steel under a tall coil adds inductance, a cover takes from the peak.
#[rstest]
#[case(Format::TallSingle)]
#[case(Format::TwinCoil)]
fn metal_matters(#[case] kind: Format) {
    let design = starting_point(kind, "metal", 6, 10.0);
    assert!(of(&design, Assumption::BasePlate).differences.inductance_h.nominal > 0.0);
    assert!(of(&design, Assumption::Cover).differences.peak_db.nominal < 0.0);
    assert!(of(&design, Assumption::CoverMetal).differences.peak_db.nominal < 0.0);
    assert_eq!(compare_assumptions(&design, &Calibration::default()).len(), Assumption::ALL.len());
}
