//! A design resolved to the numbers that the physics takes, and the figures that come out.

use crate::circuit::{CoilCircuit, LoadCircuit, Peak};
use crate::design::{Design, Kind, Polarity, PoleShape, Problem};
use crate::former::Outline;
use crate::inductance::Winding;
use crate::magnet::Rod;
use crate::wind::{LEADS_F, Lay, Pattern, self_capacitance, usual_packing};
use crate::wire::{Pull, WireData, at_temperature, pull};

/// Everything that the prediction of a single coil depends on, SI.
#[derive(Clone, Debug)]
pub(super) struct Model {
    pub turns: f64,
    pub wire: WireData,
    pub packing: f64,
    /// Relative standard deviation of the packing.
    pub packing_sd: f64,
    pub pattern: Pattern,
    pub core: Outline,
    pub from_z_m: f64,
    pub to_z_m: f64,
    pub center_m: (f64, f64),
    pub room_c: f64,
    pub pull: Option<Pull>,
    pub rods: Vec<Rod>,
    pub load: LoadCircuit,
    /// Factors of the models' own errors, 1 when they are right.
    pub inductance_factor: f64,
    pub capacitance_factor: f64,
    pub output_factor: f64,
    /// Strings: place along the row, core diameter, height over z = 0, all m.
    pub strings: Vec<StringAt>,
}

/// A string over the pickup.
#[derive(Clone, Copy, Debug)]
#[allow(clippy::struct_field_names, reason = "the unit stands in every name")]
pub(super) struct StringAt {
    pub x_m: f64,
    pub core_m: f64,
    pub z_m: f64,
}

/// Inductance in air and with the poles, H.
#[derive(Clone, Copy, Debug)]
pub(super) struct Inductances {
    pub air_h: f64,
    pub whole_h: f64,
}

/// The figures of one evaluation.
#[derive(Clone, Debug)]
pub(super) struct Figures {
    pub lay: Lay,
    pub wire_mass_g: f64,
    pub resistance_20c_ohm: f64,
    pub resistance_ohm: f64,
    pub inductance_air_h: f64,
    pub inductance_h: f64,
    pub capacitance_f: f64,
    pub resonance_hz: f64,
    pub peak: Peak,
    pub relative_output_db: f64,
}

impl Figures {
    pub fn circuit(&self) -> CoilCircuit {
        CoilCircuit {
            resistance_ohm: self.resistance_ohm,
            inductance_h: self.inductance_h,
            capacitance_f: self.capacitance_f,
        }
    }
}

impl Model {
    /// Resolves a checked design; the problems are what this version cannot compute.
    pub fn of(design: &Design) -> Result<Self, Vec<Problem>> {
        let mut problems = Vec::new();
        if design.kind != Kind::TallSingle {
            problems.push(Problem::new(
                "kind",
                format!(
                    "a {} is not predicted yet; this version predicts the tall single",
                    design.kind.name()
                ),
                "keep the document: it stays valid, and a later version will predict it",
            ));
        }
        if design.coils.len() != 1 {
            problems.push(Problem::new(
                "coils",
                format!("{} coils that act on one another are not predicted yet", design.coils.len()),
                "predict one coil at a time",
            ));
        }
        for (i, pole) in design.poles.iter().enumerate() {
            if matches!(pole.shape, PoleShape::Blade | PoleShape::Square | PoleShape::Button) {
                problems.push(Problem::new(
                    &format!("poles[{i}].shape"),
                    "blades, buttons and square poles are not predicted yet",
                    "use round rods",
                ));
            }
        }
        if !problems.is_empty() {
            return Err(problems);
        }
        let coil = &design.coils[0];
        let spool = coil.wire.spool.unwrap_or_default();
        let mm = |value: Option<f64>| value.map(|v| v * 1e-3);
        let ohms = spool.ohm_per_m.map(|r| at_temperature(r, spool.at_c.unwrap_or(20.0), 20.0));
        let wire = WireData::ordered(coil.wire.gauge, coil.wire.insulation, coil.wire.build, coil.wire.range)
            .measured(mm(spool.bare_mm), mm(spool.overall_mm), ohms);
        let bottom_mm = coil.base_mm + coil.former.flange_bottom_mm;
        let rods: Vec<Rod> = design
            .poles
            .iter()
            .map(|pole| Rod {
                axis_m: (pole.x_mm * 1e-3, coil.center_mm[1] * 1e-3),
                bottom_m: pole.bottom_mm * 1e-3,
                length_m: pole.length_mm * 1e-3,
                radius_m: pole.diameter_mm * 0.5e-3,
                mu_r: pole.material.recoil_mu(),
                curve: pole.material.demagnetisation(),
                charge: match pole.up {
                    Polarity::North => pole.charge,
                    Polarity::South => -pole.charge,
                },
            })
            .collect();
        Ok(Self {
            turns: f64::from(coil.wind.turns),
            packing: coil.wind.packing.unwrap_or_else(|| usual_packing(coil.wind.wander)),
            // A measured packing still varies from coil to coil by hand; an assumed one twice as much.
            packing_sd: if coil.wind.packing.is_some() { 0.025 } else { 0.05 },
            pattern: Pattern::of_wander(coil.wind.wander),
            core: coil.former.core.outline(),
            from_z_m: bottom_mm * 1e-3,
            to_z_m: (bottom_mm + coil.former.height_mm) * 1e-3,
            center_m: (coil.center_mm[0] * 1e-3, coil.center_mm[1] * 1e-3),
            room_c: design.room_c,
            pull: coil.wind.tension_n.map(|tension| pull(tension, wire.bare_m)),
            load: load(design),
            inductance_factor: 1.0,
            capacitance_factor: 1.0,
            output_factor: 1.0,
            strings: strings(design),
            wire,
            rods,
        })
    }

    pub fn height_m(&self) -> f64 {
        self.to_z_m - self.from_z_m
    }

    pub fn lay(&self) -> Lay {
        Lay::uniform(self.turns, self.wire.overall_m, self.packing, &self.core, self.height_m())
    }

    pub fn winding(&self, lay: &Lay) -> Winding {
        Winding {
            core: self.core,
            center_m: self.center_m,
            from_z_m: self.from_z_m,
            to_z_m: self.to_z_m,
            build_m: lay.build_m,
            turns: self.turns,
        }
    }

    /// Thickest place of the coil over its mean build (common practice, no source): a scattered coil
    /// swells a little in the middle.
    pub fn unevenness(&self) -> f64 {
        match self.pattern {
            Pattern::Straight => 1.02,
            Pattern::Scattered => 1.08,
        }
    }

    /// The figures that follow once the inductances, in air and with the poles, and the output are known.
    pub fn figures(&self, inductances: Inductances, output: f64) -> Figures {
        let inductance_air_h = inductances.air_h * self.inductance_factor;
        let inductance_h = inductances.whole_h * self.inductance_factor;
        let lay = self.lay();
        let stretch = self.pull.map_or(1.0, |p| p.resistance_factor);
        let resistance_20c_ohm = lay.wire_m * self.wire.ohm_per_m * stretch;
        let coil_f =
            self_capacitance(self.turns, &self.wire, self.packing, self.pattern, &lay, self.height_m());
        let circuit = CoilCircuit {
            resistance_ohm: at_temperature(resistance_20c_ohm, 20.0, self.room_c),
            inductance_h,
            capacitance_f: coil_f * self.capacitance_factor + LEADS_F,
        };
        Figures {
            wire_mass_g: lay.wire_m * self.wire.mass_per_m() * 1e3,
            resistance_20c_ohm,
            resistance_ohm: circuit.resistance_ohm,
            inductance_air_h,
            inductance_h,
            capacitance_f: circuit.capacitance_f,
            resonance_hz: circuit.resonance_hz(),
            peak: circuit.peak(Some(&self.load)),
            relative_output_db: 20.0 * (output * self.output_factor).log10(),
            lay,
        }
    }
}

pub(super) fn load(design: &Design) -> LoadCircuit {
    let load = &design.load;
    LoadCircuit {
        volume_ohm: load.volume_kohm * 1e3,
        tone_ohm: if load.tone_nf > 0.0 { load.tone_kohm * 1e3 } else { f64::INFINITY },
        tone_f: load.tone_nf * 1e-9,
        cable_f: load.cable_pf * 1e-12,
        input_ohm: load.input_mohm * 1e6,
    }
}

/// The strings over their poles; a string without a pole of its own stands where the pitch puts it.
fn strings(design: &Design) -> Vec<StringAt> {
    let middle = f64::from(design.strings.count - 1) / 2.0;
    (1..=design.strings.count)
        .map(|number| {
            let pole = design.poles.iter().find(|p| p.string == Some(number));
            let (core_mm, gap_mm) = design.strings.core_and_gap_mm(number);
            let row_mm = (middle - f64::from(number - 1)) * design.strings.pitch_mm;
            let top_mm = pole.map_or_else(
                || {
                    let coil = &design.coils[0];
                    coil.base_mm
                        + coil.former.flange_bottom_mm
                        + coil.former.height_mm
                        + coil.former.flange_top_mm
                },
                |p| p.bottom_mm + p.length_mm,
            );
            StringAt {
                x_m: pole.map_or(row_mm, |p| p.x_mm) * 1e-3,
                core_m: core_mm * 1e-3,
                // The gap is to the underside; the axis lies half a core higher.
                z_m: (top_mm + gap_mm + core_mm / 2.0) * 1e-3,
            }
        })
        .collect()
}
