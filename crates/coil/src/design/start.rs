//! Where a new design begins: generic dimensions of every format (common practice, no source).

use super::row::{button_places, place_in_row};
use super::strings::{default_from_bridge, default_scale};
use super::winding::default_seed;
use super::{
    Axis, Bar, Coil, Design, Direction, End, FORMAT, Format, Former, Handed, Leads, Load, Metal, MetalPart,
    Polarity, Pole, PoleShape, Potting, Sense, Strings, Targets, Wind, Wire, Wiring, default_room,
};
use crate::former::{Core, CoreShape};
use crate::magnet::{Grade, Material};
use crate::wire::{Build, Gauge, Insulation, ToleranceRange};

/// Turns of the standard tall single.
const TALL_TURNS: u32 = 7500;
/// Its winding height, mm.
const TALL_HEIGHT_MM: f64 = 11.0;

/// A tall single for `count` strings at `pitch_mm`: rods of 4.75 mm in a row, a narrow coil 11 mm high with 7,500 turns
/// of 42 AWG heavy polyvinyl acetal.
#[must_use]
pub fn tall_single(name: &str, count: u32, pitch_mm: f64) -> Design {
    starting_point(Format::TallSingle, name, count, pitch_mm)
}

/// The coil that outputs are relative to: the standard tall single for six strings, fully charged.
#[must_use]
pub fn reference_coil() -> Design {
    tall_single("reference", 6, 10.4)
}

/// A sound design of a format to begin from.
///
/// ```
/// use coil::design::{Format, starting_point};
/// for kind in Format::ALL {
///     assert!(starting_point(kind, "Sedge", 6, 10.0).problems().is_empty(), "{kind:?}");
/// }
/// ```
#[must_use]
pub fn starting_point(kind: Format, name: &str, count: u32, pitch_mm: f64) -> Design {
    let start = Start { count, pitch_mm, row_mm: pitch_mm * f64::from(count.max(1) - 1) };
    let mut design = start.bare(kind, name);
    match kind {
        Format::TallSingle => start.tall(&mut design),
        Format::ShortSingle => start.short(&mut design),
        Format::WideSingle => start.wide(&mut design),
        Format::TwinCoil => start.twin(&mut design),
        Format::StackedTwin => start.stacked(&mut design),
        Format::Blade => start.blade(&mut design),
        Format::ButtonMagnet => start.button(&mut design),
        Format::Concentric => start.concentric(&mut design),
        Format::PerString => start.per_string(&mut design),
    }
    design
}

/// The strings that a design begins with.
struct Start {
    count: u32,
    pitch_mm: f64,
    row_mm: f64,
}

const ROD_MM: f64 = 4.75;
const BUTTON_MM: f64 = 12.0;

impl Start {
    /// Turns for this row, from those of a six-string one: a longer coil has more inductance per turn.
    fn turns(&self, six_strings: f64) -> u32 {
        let share = (50.0 / self.row_mm.max(20.0)).sqrt().clamp(0.6, 1.0);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some thousands")]
        {
            ((six_strings * share / 10.0).round() * 10.0) as u32
        }
    }

    fn bare(&self, kind: Format, name: &str) -> Design {
        Design {
            format: FORMAT.into(),
            name: name.into(),
            kind,
            room_c: default_room(),
            strings: Strings {
                count: self.count,
                pitch_mm: self.pitch_mm,
                scale_mm: default_scale(),
                from_bridge_mm: default_from_bridge(),
                handed: Handed::Right,
                each: Vec::new(),
            },
            coils: Vec::new(),
            poles: Vec::new(),
            bars: Vec::new(),
            metal: Vec::new(),
            potting: Some(Potting::default()),
            leads: Some(Leads::default()),
            wiring: Wiring::default(),
            load: Load::default(),
            targets: Targets::default(),
        }
    }

    fn tall(&self, design: &mut Design) {
        let core = Core::stadium(self.row_mm + ROD_MM, ROD_MM);
        design.coils.push(coil("A", former(core, TALL_HEIGHT_MM, 5.6), wire(42, Build::Heavy), TALL_TURNS));
        self.row(design, "A", (PoleShape::Rod, ROD_MM, 17.0, 0.0), Grade::Alnico5, Polarity::South);
    }

    fn short(&self, design: &mut Design) {
        let core = Core::stadium(self.row_mm + ROD_MM, ROD_MM);
        design.coils.push(coil("A", former(core, 6.6, 9.0), wire(42, Build::Heavy), self.turns(7000.0)));
        self.row(design, "A", (PoleShape::Rod, ROD_MM, 12.6, 0.0), Grade::Alnico5, Polarity::South);
        design.metal.push(plate(MetalPart::BasePlate, Grade::Steel, [self.row_mm + 16.0, 24.0, 1.0], -0.7));
    }

    fn wide(&self, design: &mut Design) {
        let core = Core::stadium(self.row_mm + 6.4, 6.4);
        design.coils.push(coil("A", former(core, 6.2, 12.5), wire(42, Build::Single), self.turns(9400.0)));
        self.row(design, "A", (PoleShape::Screw, 3.2, 19.0, -8.0), Grade::Steel, Polarity::North);
        // Like poles face the screws from both sides.
        for (side, north) in [(1.0, End::Negative), (-1.0, End::Positive)] {
            design.bars.push(Bar {
                material: Material::Named(Grade::Alnico5),
                size_mm: [self.row_mm + 10.0, 12.7, 3.2],
                center_mm: [0.0, side * 8.2, -1.7],
                magnetised: Axis::Y,
                charge: 1.0,
                north,
            });
        }
        design.metal.push(plate(
            MetalPart::BasePlate,
            Grade::NickelSilver,
            [self.row_mm + 32.0, 34.0, 0.8],
            -3.8,
        ));
    }

    fn twin(&self, design: &mut Design) {
        for (name, y) in [("A", -9.2), ("B", 9.2)] {
            let core = Core::stadium(self.row_mm + 5.6, 5.6);
            let mut one = coil(name, former(core, 6.4, 5.6), wire(42, Build::Single), self.turns(5000.0));
            one.center_mm = [0.0, y];
            (one.former.flange_bottom_mm, one.former.flange_top_mm) = (1.2, 1.2);
            design.coils.push(one);
        }
        self.row(design, "A", (PoleShape::Slug, 4.8, 12.2, -3.4), Grade::Steel, Polarity::South);
        self.row(design, "B", (PoleShape::Screw, 4.6, 18.0, -9.2), Grade::Steel, Polarity::North);
        design.bars.push(Bar {
            material: Material::Named(Grade::Alnico5),
            size_mm: [self.row_mm + 10.0, 12.7, 3.2],
            center_mm: [0.0, 0.0, -1.7],
            magnetised: Axis::Y,
            charge: 1.0,
            north: End::Positive,
        });
        let size = [self.row_mm + 20.0, 38.0, 0.8];
        design.metal.push(plate(MetalPart::BasePlate, Grade::NickelSilver, size, -3.8));
        series(design, &["B"]);
    }

    fn stacked(&self, design: &mut Design) {
        for (name, base_mm) in [("lower", 0.0), ("upper", 6.2)] {
            let core = Core::stadium(self.row_mm + ROD_MM, ROD_MM);
            let mut one = coil(name, former(core, 4.6, 5.6), wire(43, Build::Single), 4200);
            one.base_mm = base_mm;
            (one.former.flange_bottom_mm, one.former.flange_top_mm) = (1.2, 1.2);
            design.coils.push(one);
        }
        self.row(design, "upper", (PoleShape::Rod, ROD_MM, 17.0, -2.0), Grade::Alnico5, Polarity::South);
        series(design, &["lower"]);
    }

    fn blade(&self, design: &mut Design) {
        let core = Core::stadium(self.row_mm + 10.0, 3.6);
        design.coils.push(coil("A", former(core, 8.0, 6.5), wire(43, Build::Single), self.turns(7200.0)));
        let pole = Pole {
            string: None,
            ..pole("A", (PoleShape::Blade, 3.2, 15.0, 0.0), Grade::Steel, Polarity::North, 0.0)
        };
        design.poles.push(pole);
        design.bars.push(Bar {
            material: Material::Named(Grade::Ceramic8),
            size_mm: [self.row_mm + 8.0, 8.0, 4.0],
            center_mm: [0.0, 0.0, -2.05],
            magnetised: Axis::Z,
            charge: 1.0,
            north: End::Positive,
        });
    }

    fn button(&self, design: &mut Design) {
        let core = Core {
            shape: CoreShape::Rectangle,
            corner_mm: Some(2.0),
            ..Core::stadium(self.row_mm.max(BUTTON_MM + 1.0) + BUTTON_MM + 2.0, 14.0)
        };
        design.coils.push(coil("A", former(core, 5.2, 7.0), wire(42, Build::Single), 5200));
        for x in button_places(self.row_mm, BUTTON_MM) {
            let shape = (PoleShape::Button, BUTTON_MM, 5.0, 2.6);
            design.poles.push(Pole { string: None, ..pole("A", shape, Grade::Alnico5, Polarity::South, x) });
        }
    }

    fn concentric(&self, design: &mut Design) {
        const INNER_MM: f64 = 2.1;
        let inner = Core::stadium(self.row_mm + ROD_MM, ROD_MM);
        let outer = Core::stadium(self.row_mm + ROD_MM + 2.0 * INNER_MM, ROD_MM + 2.0 * INNER_MM);
        design.coils.push(coil(
            "inner",
            former(inner, TALL_HEIGHT_MM, INNER_MM),
            wire(42, Build::Heavy),
            2700,
        ));
        design.coils.push(coil("outer", former(outer, TALL_HEIGHT_MM, 3.6), wire(42, Build::Heavy), 4600));
        self.row(design, "inner", (PoleShape::Rod, ROD_MM, 17.0, 0.0), Grade::Alnico5, Polarity::South);
        design.wiring.join = "sections".into();
    }

    fn per_string(&self, design: &mut Design) {
        for string in 1..=self.count {
            let name = format!("S{string}");
            let odd = string % 2 == 1;
            let x = place_in_row(string, self.count, self.pitch_mm, Handed::Right);
            let room = ((self.pitch_mm - ROD_MM - 0.6) / 2.0).max(0.4);
            let turns = ((room * 0.88 * 10.0 * 0.76 / 0.0559_f64.powi(2)) / 10.0).floor() * 10.0;
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some thousands")]
            let mut one = coil(
                &name,
                former(Core::round(ROD_MM), 10.0, room),
                wire(44, Build::Single),
                turns.clamp(100.0, 20_000.0) as u32,
            );
            one.center_mm = [x, 0.0];
            one.wind.direction = if odd { Direction::Clockwise } else { Direction::CounterClockwise };
            design.coils.push(one);
            let up = if odd { Polarity::South } else { Polarity::North };
            design.poles.push(Pole {
                string: Some(string),
                ..pole(&name, (PoleShape::Rod, ROD_MM, 17.0, 0.0), Grade::Alnico5, up, x)
            });
        }
        design.wiring.join = "series".into();
    }

    /// A pole under every string.
    fn row(
        &self,
        design: &mut Design,
        coil: &str,
        shape: (PoleShape, f64, f64, f64),
        grade: Grade,
        up: Polarity,
    ) {
        for string in 1..=self.count {
            let x = place_in_row(string, self.count, self.pitch_mm, Handed::Right);
            design.poles.push(Pole { string: Some(string), ..pole(coil, shape, grade, up, x) });
        }
    }
}

/// A pole by shape, diameter, length and height of its lower face.
fn pole(
    coil: &str,
    (shape, diameter_mm, length_mm, bottom_mm): (PoleShape, f64, f64, f64),
    grade: Grade,
    up: Polarity,
    x_mm: f64,
) -> Pole {
    Pole {
        coil: coil.into(),
        string: None,
        x_mm,
        y_mm: 0.0,
        shape,
        diameter_mm,
        length_mm,
        bottom_mm,
        bevel_mm: 0.0,
        material: Material::Named(grade),
        charge: 1.0,
        up,
    }
}

fn former(core: Core, height_mm: f64, room_mm: f64) -> Former {
    Former { core, height_mm, room_mm, flange_bottom_mm: 2.4, flange_top_mm: 1.6 }
}

fn wire(awg: u32, build: Build) -> Wire {
    Wire {
        gauge: Gauge::awg(awg).unwrap_or_else(|_| unreachable!("42 to 44 AWG are in the table")),
        insulation: if build == Build::Heavy {
            Insulation::PolyvinylAcetal
        } else {
            Insulation::Polyurethane
        },
        build,
        range: ToleranceRange::Full,
        spool: None,
    }
}

fn coil(name: &str, former: Former, wire: Wire, turns: u32) -> Coil {
    Coil {
        name: name.into(),
        center_mm: [0.0, 0.0],
        base_mm: 0.0,
        former,
        wire,
        wind: Wind {
            turns,
            direction: Direction::Clockwise,
            turns_per_pass: None,
            wander: crate::wind::WANDER_SCATTERED,
            margin_mm: 0.25,
            plan: Vec::new(),
            path: Vec::new(),
            tension_n: None,
            packing: None,
            seed: default_seed(),
        },
    }
}

fn plate(part: MetalPart, grade: Grade, size_mm: [f64; 3], center_z_mm: f64) -> Metal {
    let material = Material::Named(grade);
    Metal { part, material, size_mm, center_mm: [0.0, 0.0, center_z_mm], wall_mm: None }
}

/// Coils in series, those named with their finish to ground.
fn series(design: &mut Design, turned: &[&str]) {
    design.wiring.join = "series".into();
    for coil in &design.coils {
        let sense =
            if turned.contains(&coil.name.as_str()) { Sense::FinishToGround } else { Sense::StartToGround };
        design.wiring.sense.insert(coil.name.clone(), sense);
    }
}
