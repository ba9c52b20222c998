//! What is worked out in two ways comes out alike, and what textbooks say of circuits, fields and matrices holds. Textbook laws
//! are named where they are used; formats and figures are our own.

use coil::circuit::{InstrumentInput, Join, Network, NetworkCoil};
use coil::design::{
    Design, Format, Grounded, LeadKind, Leads, Medium, Metal, MetalPart, PoleShape, Potting, starting_point,
};
use coil::eddy::{Sheet, cells_of, panels_of};
use coil::former::Core;
use coil::inductance::{MU_0, Winding, field_of_zones, inductance_of_zones};
use coil::magnet::{Body, Grade, Material, Resolution, Rod, State, System};
use coil::prediction::{Calibration, Solution, predict};
use coil::search::Goal;
use coil::wind::{GuidePlan, Pattern, lay};
use coil::wire::{Insulation, ToleranceRange};
use nalgebra::{DMatrix, DVector};
use rstest::rstest;
use std::f64::consts::PI;

fn winding() -> Winding {
    Winding {
        core: Core::stadium(50.0, 6.0).outline(),
        center_m: (0.0, 0.0),
        from_z_m: 0.0,
        to_z_m: 9e-3,
        build_m: 4e-3,
        turns: 6000.0,
    }
}

/// A window cut into zones that are alike is the window (superposition): its inductance and its field anywhere.
#[rstest]
#[case(1)]
#[case(3)]
fn zones_that_are_alike_are_the_whole(#[case] count: u32) {
    let whole = winding();
    let step = whole.height_m() / f64::from(count);
    let zones: Vec<Winding> = (0..count)
        .map(|k| Winding {
            from_z_m: step * f64::from(k),
            to_z_m: step * f64::from(k + 1),
            turns: whole.turns / f64::from(count),
            ..whole
        })
        .collect();
    let ratio = inductance_of_zones(&whole, &zones) / whole.inductance_h();
    assert!((ratio - 1.0).abs() < 1e-9, "{ratio}");
    let points = [[0.0, 0.0, 4e-3], [0.01, 0.002, 12e-3], [0.04, -0.01, -6e-3]];
    for (cut, field) in field_of_zones(&zones, &points).iter().zip(whole.field_at(&points)) {
        let size = field.iter().map(|b| b * b).sum::<f64>().sqrt();
        assert!(cut.iter().zip(field).all(|(a, b)| (a - b).abs() < 0.02 * size), "{cut:?} {field:?}");
    }
}

/// Turns gathered at one end make a stronger field there and the more inductance, the nearer they are together.
#[test]
fn uneven_zones_are_no_even_window() {
    let whole = winding();
    let step = whole.height_m() / 3.0;
    let zones = |shares: [f64; 3]| -> Vec<Winding> {
        (0..3_u32)
            .zip(shares)
            .map(|(k, share)| Winding {
                from_z_m: step * f64::from(k),
                to_z_m: step * f64::from(k + 1),
                turns: whole.turns * share,
                ..whole
            })
            .collect()
    };
    let of = |shares| inductance_of_zones(&whole, &zones(shares));
    assert!(of([0.1, 0.8, 0.1]) > of([1.0 / 3.0; 3]) && of([0.5, 0.0, 0.5]) < of([1.0 / 3.0; 3]));
    // The rough rule follows the fine one.
    let rough = whole.rough_inductance_h() / whole.inductance_h();
    assert!((rough - 1.0).abs() < 0.05, "{rough}");
}

fn two_coils(join: Join, sense: f64) -> Network {
    let coil = |sense| NetworkCoil {
        resistance_ohm: 4000.0,
        capacitance_f: 30e-12,
        sense,
        signal: 0.5,
        eddy_share: 0.5,
    };
    Network {
        coils: vec![coil(1.0), coil(sense)],
        inductance_h: vec![vec![2.0, 0.3], vec![0.3, 1.0]],
        join,
        relaxations: Vec::new(),
        screening: Vec::new(),
        leads_f: 0.0,
    }
}

/// Voltages in series divide as the inductances with their mutual part; the shares are the whole (Kirchhoff).
#[rstest]
#[case(1.0, [2.3 / 3.6, 1.3 / 3.6], 3.6)]
#[case(-1.0, [1.7 / 2.4, 0.7 / 2.4], 2.4)]
fn a_voltage_divides_by_inductance(#[case] sense: f64, #[case] shares: [f64; 2], #[case] henries: f64) {
    let network = two_coils(Join::Series, sense);
    assert!((network.inductance_h() - henries).abs() < 1e-12);
    for (found, share) in network.voltage_shares().iter().zip(shares) {
        assert!((found - share).abs() < 1e-12, "{found} {share}");
    }
    assert_eq!(two_coils(Join::Parallel, sense).voltage_shares(), [1.0, 1.0]);
}

/// A peak is found alike from nothing and from near; at resonance a coil shows ω²LC = 1 (any textbook).
#[test]
fn a_peak_is_found_alike_from_near() {
    let network = Network::single(6000.0, 2.4, 120e-12);
    let peak = network.peak(None);
    let near = network.peak_near(None, Some(peak));
    assert!((near.peak_hz / peak.peak_hz - 1.0).abs() < 1e-3 && (near.peak_db - peak.peak_db).abs() < 0.01);
    let wrong = coil::circuit::Peak { peak_hz: 2.0 * peak.peak_hz, ..peak };
    let found = network.peak_near(None, Some(wrong));
    assert!(
        (found.peak_hz / peak.peak_hz - 1.0).abs() < 1e-3,
        "a peak that is elsewhere is found all the same"
    );
    let expected = 1.0 / (2.0 * PI * (2.4_f64 * 120e-12).sqrt());
    assert!((peak.peak_hz / expected - 1.0).abs() < 0.01);
}

/// A network tuned to a peak shows it there; no capacitance raises a peak, nor makes one beyond what can be.
#[rstest]
#[case(0.95)]
#[case(0.7)]
#[case(0.4)]
fn a_network_is_tuned_to_what_was_swept(#[case] share: f64) {
    let input = InstrumentInput { capacitance_f: 40e-12, resistance_ohm: 1e7 };
    let network = Network::single(6000.0, 2.4, 60e-12);
    let shown = network.seen_by(input).peak_hz;
    let tuned = network.tuned_to(share * shown, input).unwrap();
    assert!((tuned.seen_by(input).peak_hz / (share * shown) - 1.0).abs() < 1e-3);
    assert!(tuned.leads_f > network.leads_f);
    for hz in [10.0 * shown, 0.0, -5.0, f64::NAN, f64::INFINITY] {
        assert!(network.tuned_to(hz, input).is_none(), "{hz}");
    }
    // Far below the peak an instrument takes nothing away; at it, it does.
    assert!(network.without_input_db(input, 50.0).abs() < 0.05);
    let free = network.peak(None).peak_hz;
    assert!(network.without_input_db(input, free) > 1.0);
}

fn rods() -> Vec<Body> {
    [-5.2e-3, 5.2e-3]
        .map(|x| {
            Body::Rod(Rod {
                axis_m: (x, 0.0),
                bottom_m: 0.0,
                length_m: 16e-3,
                radius_m: 2.4e-3,
                bevel_m: 0.0,
                mu_r: 200.0,
                magnet: None,
            })
        })
        .to_vec()
}

/// Answers and products of drives are of one symmetric matrix: aᵀA⁻¹b is b·respond(a), either way round (reciprocity).
#[test]
fn products_of_drives_are_reciprocal() {
    let bodies = rods();
    let system = System::new(&bodies, Resolution::default());
    assert_eq!(System::unknowns_of(&bodies, Resolution::default()), system.unknowns());
    let drive = |k: f64| State::from_fn(system.unknowns(), |i, _| (k * i as f64 + k).sin());
    let drives = DMatrix::from_columns(&[drive(0.3), drive(1.1)]);
    let products = system.products(&drives);
    let reduced = system.reduced(&drives);
    let again = System::products_between(&reduced, &reduced);
    for i in 0..2 {
        for j in 0..2 {
            let direct = drives.column(i).dot(&system.respond(&drives.column(j).into_owned()));
            let size = (products[(i, i)] * products[(j, j)]).sqrt();
            assert!((products[(i, j)] - direct).abs() < 1e-9 * size, "{} {direct}", products[(i, j)]);
            assert!((products[(i, j)] - again[(j, i)]).abs() < 1e-9 * size);
        }
        assert!(products[(i, i)] > 0.0, "magnetising takes energy");
    }
    let none = System::new(&[], Resolution::default());
    assert!(none.is_empty() && none.products(&DMatrix::zeros(0, 2)).iter().all(|p| *p == 0.0));
}

/// What a coil gains by the rods in it is the same from the rods' answer and from their shares, and rises with permeability.
#[test]
fn gains_add_up_over_the_parts() {
    let coil = winding();
    let gain = |mu_r: f64| {
        let bodies: Vec<Body> = rods()
            .into_iter()
            .map(|body| match body {
                Body::Rod(rod) => Body::Rod(Rod { mu_r, ..rod }),
                block @ Body::Block(_) => block,
            })
            .collect();
        let system = System::new(&bodies, Resolution::default());
        let probe = system.probe();
        let drive = System::drive(&probe, &coil.field_at(&probe.points_m));
        let answer = system.respond(&drive);
        let whole = MU_0 * drive.dot(&answer);
        let shares: f64 = (0..2).map(|i| MU_0 * system.share(i, &drive, &answer)).sum();
        assert!((whole / shares - 1.0).abs() < 1e-9);
        // Rods that stand alike on either side gain alike.
        let own = |i| system.share(i, &drive, &answer);
        assert!((own(0) / own(1) - 1.0).abs() < 1e-6);
        whole
    };
    let gains = [1.5, 5.0, 50.0, 500.0].map(gain);
    assert!(gains.windows(2).all(|g| g[0] < g[1]) && gains[3] < 2.0 * gains[2], "{gains:?}");
}

/// What drives currents in a sheet drives losses: symmetric, never negative, and twice as much through half the resistance.
#[test]
fn a_sheet_takes_by_its_conductivity() {
    let panels = panels_of([0.0, 0.0, -2e-3], [60e-3, 30e-3, 0.6e-3], None);
    let sheet = |sigma: f64| Sheet::new(&panels, 0.6e-3, sigma, 8e-3);
    let (one, two) = (sheet(4e6), sheet(8e6));
    assert!(cells_of(&panels, 8e-3) > cells_of(&panels, 14e-3));
    let flux = |sheet: &Sheet, up: f64| -> DVector<f64> {
        let points = sheet.points_m();
        sheet.flux(&Winding { from_z_m: up, to_z_m: up + 9e-3, ..winding() }.field_at(&points))
    };
    let (near, far) = (flux(&one, 1e-3), flux(&one, 6e-3));
    let (a, b) = (one.drive_product(&near, &far), one.drive_product(&far, &near));
    assert!((a / b - 1.0).abs() < 1e-9);
    let (own, other) = (one.drive_product(&near, &near), one.drive_product(&far, &far));
    assert!(own > other && other > 0.0 && a * a < own * other, "Cauchy and Schwarz");
    assert!((two.drive_product(&flux(&two, 1e-3), &flux(&two, 1e-3)) / own - 2.0).abs() < 1e-6);
    // The ways of dying away together hold what drives them: Σ strength is the drive's own product.
    let strengths: f64 = one.modes(&near, None).iter().map(|m| m.relaxation.strength_hs).sum();
    assert!((strengths / own - 1.0).abs() < 0.02, "{strengths} {own}");
}

/// Lists of strings, leads and grounded parts say what the design says.
#[test]
fn what_is_not_said_is_usual() {
    let mut design = starting_point(Format::TwinCoil, "usual", 6, 10.0);
    let strings = &design.strings;
    for number in 1..=6 {
        let whole = strings.as_it_is(number);
        assert!((whole.diameter_mm - strings.outer_mm(number)).abs() < 1e-12);
        assert!(whole.core_mm.is_none_or(|core| core < whole.diameter_mm));
        assert!(strings.fundamental_hz(number) > strings.fundamental_hz(number + 1) || number == 6);
    }
    assert!((strings.place_of_pickup() - strings.from_bridge_mm / strings.scale_mm).abs() < 1e-12);
    for kind in LeadKind::ALL {
        let leads = |pf_per_m| Leads { kind, length_mm: 500.0, pf_per_m };
        assert!((leads(None).capacitance_f() - 0.5e-12 * kind.usual_pf_per_m()).abs() < 1e-18);
        assert!((leads(Some(100.0)).capacitance_f() - 50e-12).abs() < 1e-18);
        assert!(
            leads(Some(100.0)).relative_sd() < leads(None).relative_sd(),
            "what is stated is known better"
        );
    }
    // What is no longer there is grounded no more.
    let cover = Metal {
        part: MetalPart::Cover,
        material: Material::Named(Grade::NickelSilver),
        size_mm: [70.0, 38.0, 16.0],
        center_mm: [0.0, 0.0, 9.0],
        wall_mm: Some(0.5),
    };
    design.metal.push(cover);
    design.wiring.grounded = Some(vec![Grounded::Cover, Grounded::Foil]);
    assert!(Grounded::Cover.is_in(&design) && design.is_grounded(Grounded::Cover));
    design.metal.retain(|m| m.part != MetalPart::Cover);
    design.drop_missing_grounds();
    assert_eq!(design.wiring.grounded, Some(vec![Grounded::Foil]));
    // A blade has no bevel.
    design.poles[0].bevel_mm = 0.4;
    design.poles[0].shape = PoleShape::Blade;
    design.drop_bevels_of_flat_poles();
    assert!(design.poles[0].bevel_mm == 0.0 && !design.poles[0].is_round());
}

/// The simulated lay's thickest and thinnest places lie about its mean, and a hand's wander spreads them.
#[rstest]
#[case(0.0)]
#[case(0.15)]
#[case(0.3)]
fn a_lay_is_thick_and_thin_about_its_mean(#[case] wander: f64) {
    let mut wind = starting_point(Format::TallSingle, "lay", 6, 10.0).coils[0].wind.clone();
    wind.wander = wander;
    let section = lay(&GuidePlan::new(&wind, 11e-3, 73.7e-6), 12e-3, 0.33);
    let (thin, mean, thick) = (section.thinnest_m(), section.mean_build_m(), section.thickest_m());
    assert!(thin < mean * 1.02 && mean < thick, "{thin} {mean} {thick}");
    let zones = section.zones(5);
    assert!((zones.iter().map(|z| z.0).sum::<f64>() - section.turns.len() as f64).abs() < 1e-9);
    assert!((section.minutes(500.0) - section.turns.len() as f64 / 500.0).abs() < 1e-9);
    let straight = Pattern::from_wander(wander) == Pattern::Straight;
    assert_eq!(straight, wander < 0.05);
}

/// Tables of wire agree with one another: a band holds its middle, a tolerance its nominal; thermal classes are those of
/// IEC 60085 (from memory).
#[test]
fn tables_of_wire_agree() {
    for insulation in Insulation::ALL {
        let (low, high) = insulation.permittivity_band();
        assert!((low..=high).contains(&insulation.permittivity()), "{insulation:?}");
        assert!([90, 105, 120, 130, 155, 180, 200, 220, 250].contains(&insulation.thermal_class_c()));
    }
    // MW 15 polyvinyl acetal, MW 75 polyurethane, MW 80 polyurethane with nylon (from memory).
    assert_eq!(Insulation::PolyvinylAcetal.mw_number(), Some(15));
    assert_eq!(Insulation::Polyurethane.mw_number(), Some(75));
    assert_eq!(Insulation::PolyurethaneNylon.mw_number(), Some(80));
    let (full, thin, thick) = (
        ToleranceRange::Full.ohm_ratio(),
        ToleranceRange::MinimumToNominal.ohm_ratio(),
        ToleranceRange::NominalToMaximum.ohm_ratio(),
    );
    assert_eq!((full.0, full.1), (thick.0, thin.1));
    assert_eq!((thin.0, thick.1), (1.0, 1.0), "either half ends at the nominal");
}

/// A goal's change is back where it was after there and back; levels add, all else multiplies.
#[rstest]
#[case(Goal::Resistance, false)]
#[case(Goal::Inductance, false)]
#[case(Goal::Capacitance, false)]
#[case(Goal::Peak, false)]
#[case(Goal::PeakHeight, true)]
#[case(Goal::Output, true)]
fn a_change_goes_there_and_back(#[case] goal: Goal, #[case] is_level: bool) {
    assert_eq!(goal.is_level(), is_level);
    let of = |turns: u32, potting: Option<Potting>| {
        let mut design: Design = starting_point(Format::TallSingle, "goal", 6, 10.0);
        design.coils[0].wind.turns = turns;
        design.potting = potting;
        predict(&design).unwrap()
    };
    let (before, after) = (of(7000, None), of(8000, Some(Potting { medium: Medium::Wax, fill: 1.0 })));
    let (there, back) =
        (goal.change_between(&before, &after).unwrap(), goal.change_between(&after, &before).unwrap());
    let left = if is_level { there + back } else { (1.0 + there) * (1.0 + back) - 1.0 };
    assert!(left.abs() < 1e-9, "{there} {back}");
    assert!(there.abs() > 1e-3);
}

/// A pickup by itself and as one of a set sends the same (the set adds only where it stands), and turned round the opposite.
#[test]
fn a_signal_is_turned_round_with_its_leads() {
    let mut design = starting_point(Format::TallSingle, "signal", 6, 10.0);
    let signal = |design: &Design| {
        let placed = coil::set::PlacedPickup::try_new(design, &Calibration::default()).unwrap();
        placed.signal.fundamental_wb_m()
    };
    let one = signal(&design);
    for pole in &mut design.poles {
        pole.up = match pole.up {
            coil::design::Polarity::North => coil::design::Polarity::South,
            coil::design::Polarity::South => coil::design::Polarity::North,
        };
    }
    assert!((signal(&design) / one + 1.0).abs() < 1e-6, "magnets turned over");
    let solution = Solution::compute(&design).unwrap();
    let level = solution.between_poles().unwrap();
    assert!((0.0..=1.0).contains(&level));
}

/// What is kept from before and what is worked out beside it changes no figure: a design predicts the same to the last bit when
/// other windings and other poles came in between, and when several threads ask at once.
#[rstest]
fn what_is_kept_changes_no_figure(
    #[values(
        Format::TallSingle,
        Format::ShortSingle,
        Format::WideSingle,
        Format::TwinCoil,
        Format::StackedTwin,
        Format::Blade,
        Format::ButtonMagnet,
        Format::Concentric,
        Format::PerString
    )]
    kind: Format,
) {
    let text = |design: &Design| serde_json::to_string(&predict(design).unwrap()).unwrap();
    let design = starting_point(kind, "kept", 6, 10.0);
    let first = text(&design);
    let mut rewound = design.clone();
    rewound.coils[0].wind.turns -= 211;
    let mut shorter = design.clone();
    shorter.poles[0].length_mm -= 0.25;
    let mut moved = design.clone();
    for coil in &mut moved.coils {
        coil.base_mm += 0.5;
    }
    for other in [&rewound, &shorter, &moved] {
        assert_ne!(text(other), first);
    }
    assert_eq!(text(&design), first);
    std::thread::scope(|scope| {
        let asked: Vec<_> = [&design, &shorter, &design, &rewound]
            .map(|d| scope.spawn(move || text(d)))
            .into_iter()
            .collect();
        let answers: Vec<String> = asked.into_iter().map(|one| one.join().unwrap()).collect();
        assert_eq!((&answers[0], &answers[2]), (&first, &first));
    });
}

/// Where the zero of height lies is nobody's concern: a pickup whose parts are all lifted alike reads the same.
#[rstest]
fn a_pickup_is_the_same_at_any_height(
    #[values(Format::TallSingle, Format::ShortSingle, Format::TwinCoil, Format::ButtonMagnet)] kind: Format,
    #[values(-3.0, 8.5)] up_mm: f64,
) {
    let design = starting_point(kind, "lifted", 6, 10.0);
    let mut lifted = design.clone();
    lifted.coils.iter_mut().for_each(|c| c.base_mm += up_mm);
    lifted.poles.iter_mut().for_each(|p| p.bottom_mm += up_mm);
    lifted.bars.iter_mut().for_each(|b| b.center_mm[2] += up_mm);
    lifted.metal.iter_mut().for_each(|m| m.center_mm[2] += up_mm);
    let (one, other) = (predict(&design).unwrap().pickup, predict(&lifted).unwrap().pickup);
    for (a, b) in [
        (one.resistance_ohm, other.resistance_ohm),
        (one.inductance_h, other.inductance_h),
        (one.capacitance_f, other.capacitance_f),
        (one.resonance_unloaded_hz, other.resonance_unloaded_hz),
        (one.output_mv, other.output_mv),
    ] {
        assert!((a.nominal / b.nominal - 1.0).abs() < 1e-3, "{kind:?} {up_mm}: {a:?} {b:?}");
    }
}

/// Twice as large in every length at equal turns is twice the inductance (dimensions of the Neumann integral), and a magnet of
/// twice the size has the same field at twice the distance (fields of magnetised bodies depend on shape alone).
#[test]
fn sizes_scale() {
    let small = winding();
    let core = Core::stadium(100.0, 12.0).outline();
    let large = Winding { core, to_z_m: 2.0 * small.to_z_m, build_m: 2.0 * small.build_m, ..small };
    assert!((large.inductance_h() / small.inductance_h() - 2.0).abs() < 1e-9);
    let beside = |w: &Winding, by: f64| Winding { center_m: (0.0, 30e-3 * by), ..*w };
    let (one, two) = (small.mutual_h(&beside(&small, 1.0)), large.mutual_h(&beside(&large, 2.0)));
    assert!((two / one - 2.0).abs() < 1e-9);
    let field = |size: f64| {
        let magnet = coil::magnet::Magnetised {
            curve: Material::Named(Grade::Alnico5).demagnetisation().unwrap(),
            charge: 1.0,
        };
        let rod = Rod {
            axis_m: (0.0, 0.0),
            bottom_m: 0.0,
            length_m: 16e-3 * size,
            radius_m: 2.4e-3 * size,
            bevel_m: 0.0,
            mu_r: Material::Named(Grade::Alnico5).recoil_mu(),
            magnet: Some(magnet),
        };
        let system = System::new(&[Body::Rod(rod)], Resolution::default());
        let charges = system.charged(&system.remanent_state());
        coil::magnet::flux_density(&charges, [1e-3 * size, 2e-3 * size, 19e-3 * size])
    };
    let (one, two) = (field(1.0), field(2.0));
    for (a, b) in one.iter().zip(two) {
        assert!((a - b).abs() < 1e-6 * one[2].abs(), "{one:?} {two:?}");
    }
}

/// Eddy currents in a sheet of twice the size, thickness included, die away four times as slowly (diffusion).
#[test]
fn currents_die_away_with_the_square_of_size() {
    let slowest = |size: f64| {
        let panels = panels_of([0.0, 0.0, -2e-3 * size], [60e-3 * size, 30e-3 * size, 0.6e-3 * size], None);
        let sheet = Sheet::new(&panels, 0.6e-3 * size, 5e6, 8e-3 * size);
        let points: Vec<[f64; 3]> = sheet.points_m();
        let even = vec![[0.0, 0.0, 1.0]; points.len()];
        let modes = sheet.modes(&sheet.flux(&even), None);
        modes.iter().map(|m| m.relaxation.time_s).fold(0.0, f64::max)
    };
    let ratio = slowest(2.0) / slowest(1.0);
    assert!((ratio - 4.0).abs() < 1e-6, "{ratio}");
}
