//! Where a new design begins: generic dimensions of a format (common practice, no source).

use super::{
    Aims, Coil, Core, Design, Direction, FORMAT, Former, Handed, Kind, Load, Polarity, Pole, PoleShape,
    Strings, Wind, Wire, Wiring, default_from_bridge, default_room, default_scale, default_seed,
};
use crate::magnet::{Grade, Material};
use crate::wire::{Build, Insulation, ToleranceRange};

/// Where string `string` (from 1) of `count` stands along the row, mm, kept to the nanometre so that equal
/// rows compare equal. String 1 is the thinnest: on the treble side, at positive x, unless left-handed.
#[must_use]
pub fn place_in_row(string: u32, count: u32, pitch_mm: f64, handed: Handed) -> f64 {
    let side = if handed == Handed::Right { 1.0 } else { -1.0 };
    let steps = f64::from(count - 1) / 2.0 - f64::from(string - 1);
    (side * steps * pitch_mm * 1e6).round() / 1e6
}

/// A tall single for `count` strings at `pitch_mm`: rods of 4.75 mm in a row, a narrow coil 10.92 mm
/// high, 42 AWG heavy polyvinyl acetal.
#[must_use]
pub fn tall_single(name: &str, count: u32, pitch_mm: f64) -> Design {
    const ROD_MM: f64 = 4.75;
    const LINER_MM: f64 = 0.0;
    let row_mm = pitch_mm * f64::from(count - 1);
    let poles = (1..=count).map(|string| Pole {
        coil: "A".into(),
        string: Some(string),
        x_mm: place_in_row(string, count, pitch_mm, Handed::Right),
        shape: PoleShape::Rod,
        diameter_mm: ROD_MM,
        length_mm: 17.0,
        bottom_mm: 0.0,
        material: Material::Named(Grade::Alnico5),
        charge: 1.0,
        up: Polarity::South,
    });
    Design {
        format: FORMAT.into(),
        name: name.into(),
        kind: Kind::TallSingle,
        room_c: default_room(),
        strings: Strings {
            count,
            pitch_mm,
            scale_mm: default_scale(),
            from_bridge_mm: default_from_bridge(),
            handed: Handed::Right,
            each: Vec::new(),
        },
        coils: vec![Coil {
            name: "A".into(),
            center_mm: [0.0, 0.0],
            base_mm: 0.0,
            former: Former {
                core: Core::stadium(row_mm + ROD_MM + 2.0 * LINER_MM, ROD_MM + 2.0 * LINER_MM),
                height_mm: 10.92,
                room_mm: 5.6,
                flange_bottom_mm: 2.4,
                flange_top_mm: 1.6,
            },
            wire: Wire {
                gauge: "42 AWG".parse().unwrap_or_else(|_| unreachable!("42 AWG is in the table")),
                insulation: Insulation::PolyvinylAcetal,
                build: Build::Heavy,
                range: ToleranceRange::MinimumToNominal,
                spool: None,
            },
            wind: Wind {
                turns: 7620,
                direction: Direction::Clockwise,
                turns_per_pass: None,
                wander: crate::wind::WANDER_SCATTERED,
                margin_mm: 0.25,
                plan: Vec::new(),
                tension_n: None,
                packing: None,
                seed: default_seed(),
            },
        }],
        poles: poles.collect(),
        bars: Vec::new(),
        metal: Vec::new(),
        wiring: Wiring::default(),
        load: Load::default(),
        aims: Aims::default(),
    }
}
