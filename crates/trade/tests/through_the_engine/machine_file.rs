//! From a design to a machine's file, to the coil that a controller winds of it.

use coil::design::{Direction, Format, starting_point};
use coil::prediction::lay_coil;
use coil::wind::{GuidePlan, Section, lay};
use rstest::rstest;
use trade::machine::{Drive, MachineProfile, Plan, execute, gcode};

/// Thickest place of a winding, m.
fn build_m(section: &Section) -> f64 {
    section.turns.iter().map(|t| t.out_m).fold(0.0, f64::max)
}

/// What the controller lays is the coil that was designed: the same turns within the margins, as thick, in the sense that it is
/// to be wound.
#[rstest]
fn a_controller_winds_the_coil_that_was_designed(
    #[values(Format::TallSingle, Format::TwinCoil, Format::WideSingle)] kind: Format,
    #[values(Drive::RotaryAxis, Drive::SynchronisedFeed)] drive: Drive,
    #[values(Direction::Clockwise, Direction::CounterClockwise)] direction: Direction,
) {
    let mut design = starting_point(kind, "Sedge", 6, 10.4);
    design.coils[0].wind.direction = direction;
    let (guide, designed) = lay_coil(&design, 0).unwrap();
    let path_mm: Vec<f64> = guide.machine_path().iter().map(|z| z * 1e3).collect();
    let clockwise = direction == Direction::Clockwise;
    let plan = Plan { name: "Sedge", path_mm: &path_mm, clockwise, stops: &[300, 2000], rpm: 600.0 };
    let machine = MachineProfile { drive, flange_at_mm: 3.0, ..MachineProfile::default() };
    let done = execute(&gcode(&plan, &machine).unwrap(), machine.rotary, machine.guide).unwrap();
    assert_eq!(done.turns_mm.len(), path_mm.len());
    assert_eq!((done.stops, done.positive), (vec![300, 2000], clockwise));
    let minutes = path_mm.len() as f64 / 600.0;
    assert!((done.minutes / minutes - 1.0).abs() < 1e-6, "{} {minutes}", done.minutes);
    let (low, high) = (guide.margin_m * 1e3 + 3.0, (guide.height_m - guide.margin_m) * 1e3 + 3.0);
    for (at, asked) in done.turns_mm.iter().zip(&path_mm) {
        assert!((at - 3.0 - asked).abs() < 0.0021, "{at} {asked}");
        assert!((low - 0.0021..=high + 0.0021).contains(at), "{at} outside {low} to {high}");
    }
    let share = |at: f64| (at - 3.0) / (guide.height_m * 1e3);
    let executed = GuidePlan {
        own_path: (0..).zip(&done.turns_mm).map(|(k, at)| [f64::from(k), share(*at)]).collect(),
        wander: 0.0,
        stages: Vec::new(),
        ..guide
    };
    let room_m = design.coils[0].former.room_mm * 1e-3;
    let wound = lay(&executed, room_m, 0.33);
    let thicker = build_m(&wound) / build_m(&designed);
    assert!((thicker - 1.0).abs() < 0.06, "{thicker}");
}
