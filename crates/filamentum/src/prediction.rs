//! The engine from the command line: predict, schema, netlist, new.

use coil::circuit::InstrumentInput;
use coil::design::{Design, Format, Problem};
use coil::prediction::{Prediction, Quantity};
use coil::set::SetPrediction;
use serde_json::Value;
use std::fmt::Write as _;
use std::io::Read as _;
use std::path::Path;
use std::process::ExitCode;

/// How a prediction is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum OutputFormat {
    /// The prediction document.
    Json,
    /// For people.
    Text,
}

/// The input of an instrument that reads the resonance.
#[derive(Clone, Copy, Debug, clap::Args)]
pub(crate) struct InstrumentArguments {
    /// Capacitance of an instrument's input with its lead, pF: the prediction tells the resonance that it shows.
    #[arg(long, value_name = "PF")]
    instrument_pf: Option<f64>,
    /// Resistance of that input, MΩ.
    #[arg(long, value_name = "MOHM", default_value_t = 1.0)]
    instrument_mohm: f64,
}

impl InstrumentArguments {
    /// The input; `None` where none is named.
    fn input(&self) -> Result<Option<InstrumentInput>, Vec<Problem>> {
        let Some(pf) = self.instrument_pf else { return Ok(None) };
        let mut problems = Vec::new();
        let mut check = |at: &str, value: f64, low: f64, high: f64, unit: &str| {
            // Written so that NaN is outside.
            if !(value >= low && value <= high) {
                let text = format!("{value} {unit} is out of range");
                problems.push(Problem::new(at, text, format!("between {low} and {high} {unit}")));
            }
        };
        check("--instrument-pf", pf, 0.0, 5000.0, "pF");
        check("--instrument-mohm", self.instrument_mohm, 0.01, 10_000.0, "MΩ");
        if !problems.is_empty() {
            return Err(problems);
        }
        let resistance_ohm = self.instrument_mohm * 1e6;
        Ok(Some(InstrumentInput { capacitance_f: pf * 1e-12, resistance_ohm }))
    }
}

pub(crate) fn refuse(problems: &[Problem]) -> ExitCode {
    println!("{}", serde_json::json!({ "errors": problems }));
    ExitCode::from(2)
}

/// Reads a design from a file or, for `-`, from standard input.
fn design(file: &Path) -> Result<Design, Vec<Problem>> {
    coil::design::read(&text_in(file)?)
}

/// The text of a file or, for `-`, of standard input.
pub(crate) fn text_in(file: &Path) -> Result<String, Vec<Problem>> {
    // One byte more than is read, so that what is too long is known to be.
    let longest = coil::design::LONGEST_BYTES as u64 + 1;
    let mut bytes = Vec::new();
    let read = if file.as_os_str() == "-" {
        std::io::stdin().take(longest).read_to_end(&mut bytes)
    } else {
        std::fs::File::open(file).and_then(|open| open.take(longest).read_to_end(&mut bytes))
    };
    let cannot = |what: String| vec![Problem::new("", what, "name a file, or - for standard input")];
    read.map_err(|error| cannot(format!("cannot read {}: {error}", file.display())))?;
    String::from_utf8(bytes)
        .map_err(|error| cannot(format!("{} is not text in UTF-8: {error}", file.display())))
}

/// Predicts the file and prints the prediction, or the part of it called `what`.
pub(crate) fn run(
    file: &Path,
    what: Option<&str>,
    format: OutputFormat,
    instrument: &InstrumentArguments,
) -> ExitCode {
    let predicted = instrument.input().and_then(|input| {
        let prediction = coil::prediction::predict(&design(file)?)?;
        Ok(match input {
            Some(input) => prediction.with_instrument(input),
            None => prediction,
        })
    });
    let prediction = match predicted {
        Ok(prediction) => prediction,
        Err(problems) => return refuse(&problems),
    };
    let document = match serde_json::to_value(&prediction) {
        Ok(document) => document,
        Err(error) => {
            eprintln!("filamentum: the prediction cannot be written: {error}");
            return ExitCode::FAILURE;
        }
    };
    match (what, format) {
        (None, OutputFormat::Text) => print!("{}", text(&prediction)),
        (None, OutputFormat::Json) => println!("{document:#}"),
        (Some(key), format) => match part(&document, key) {
            Some(Value::Object(q)) if format == OutputFormat::Text && q.contains_key("p05") => {
                let show = |name: &str| q.get(name).map(ToString::to_string).unwrap_or_default();
                println!("{} ({} to {})", show("nominal"), show("p05"), show("p95"));
            }
            Some(found) => println!("{found:#}"),
            None => {
                let text = format!("a prediction has no part “{}”", key.chars().take(60).collect::<String>());
                return refuse(&[Problem::new(
                    "--what",
                    text,
                    format!("one of {}", keys(&document).join(", ")),
                )]);
            }
        },
    }
    ExitCode::SUCCESS
}

/// A part of the prediction by its key: of the pickup, or of the whole.
fn part<'a>(document: &'a Value, key: &str) -> Option<&'a Value> {
    document["pickup"].get(key).or_else(|| document.get(key))
}

fn keys(document: &Value) -> Vec<String> {
    let of =
        |value: &Value| value.as_object().into_iter().flat_map(|o| o.keys().cloned()).collect::<Vec<_>>();
    let mut keys = of(&document["pickup"]);
    keys.extend(of(document));
    keys
}

/// A document whose JSON Schema is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum Document {
    /// `filamentum-design/1`.
    Design,
    /// `filamentum-set/1`.
    Set,
    /// `filamentum-findings/1`.
    Findings,
}

/// Prints the JSON Schema of a document.
pub(crate) fn schema(document: Document) -> ExitCode {
    let schema = match document {
        Document::Design => coil::design::schema(),
        Document::Set => coil::set::schema(),
        Document::Findings => coil::identification::schema(),
    };
    println!("{schema:#}");
    ExitCode::SUCCESS
}

/// Predicts a set of pickups and prints the prediction.
pub(crate) fn set(file: &Path, format: OutputFormat) -> ExitCode {
    let predicted =
        text_in(file).and_then(|text| coil::set::read(&text)).and_then(|set| coil::set::predict_set(&set));
    let prediction = match predicted {
        Ok(prediction) => prediction,
        Err(problems) => return refuse(&problems),
    };
    print(format, &prediction, set_text)
}

/// Prints a document, or what is written of it for people.
pub(crate) fn print<T: serde::Serialize>(
    format: OutputFormat,
    document: &T,
    text: impl FnOnce(&T) -> String,
) -> ExitCode {
    match (format, serde_json::to_string_pretty(document)) {
        (OutputFormat::Text, _) => print!("{}", text(document)),
        (OutputFormat::Json, Ok(document)) => println!("{document}"),
        (OutputFormat::Json, Err(error)) => {
            eprintln!("filamentum: the document cannot be written: {error}");
            return ExitCode::FAILURE;
        }
    }
    ExitCode::SUCCESS
}

/// The prediction of a set for people.
fn set_text(prediction: &SetPrediction) -> String {
    use coil::Word as _;
    let mut out = String::new();
    let mut line = |args: std::fmt::Arguments<'_>| {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{args}");
    };
    line(format_args!("Position          R kΩ     L H  peak Hz  peak dB  output mV  hum dB  phase"));
    for p in &prediction.positions {
        let peak = p.peak_hz.map_or_else(|| "none".to_owned(), |q| format!("{:.0}", q.nominal));
        line(format_args!(
            "{:<16} {:>5.2} {:>7.3} {peak:>8} {:>8.1} {:>10.1} {:>7.1}  {}",
            p.name,
            p.resistance_ohm.nominal / 1e3,
            p.inductance_h.nominal,
            p.peak_db.nominal,
            p.output_mv.nominal,
            p.hum_rejection_db,
            p.phase.word(),
        ));
    }
    for p in &prediction.pairs {
        let (phase, hum) = (p.phase.word(), p.hum.word());
        line(format_args!(
            "{} and {}: {phase} phase, hum {hum}, rejection {:.1} dB",
            p.a, p.b, p.hum_rejection_db
        ));
    }
    for b in &prediction.balance {
        line(format_args!(
            "{}: {:+.1} dB against the mean of all, {:.1} mV",
            b.name, b.relative_db, b.output_mv.nominal
        ));
    }
    for n in &prediction.notices {
        line(format_args!("{} {}: {} ({})", n.level.word(), n.at, n.text, n.try_));
    }
    out
}

/// Prints the equivalent circuit as a netlist.
pub(crate) fn netlist(file: &Path) -> ExitCode {
    match design(file).and_then(|design| Ok(coil::prediction::Solution::compute(&design)?.netlist())) {
        Ok(text) => {
            print!("{text}");
            ExitCode::SUCCESS
        }
        Err(problems) => refuse(&problems),
    }
}

/// Prints a design of a format to begin from.
pub(crate) fn new(kind: &str, strings: u32, pitch_mm: f64) -> ExitCode {
    let Some(kind) = Format::ALL.into_iter().find(|k| key_of(*k) == kind) else {
        let all: Vec<String> = Format::ALL.into_iter().map(key_of).collect();
        return refuse(&[Problem::new(
            "kind",
            "there is no such format",
            format!("one of {}", all.join(", ")),
        )]);
    };
    if !(4..=10).contains(&strings) {
        return refuse(&[Problem::new("--strings", format!("{strings} strings"), "4 to 10")]);
    }
    let design = coil::design::starting_point(kind, kind.name(), strings, pitch_mm);
    let problems = design.problems();
    if !problems.is_empty() {
        return refuse(&problems);
    }
    match serde_json::to_string_pretty(&design) {
        Ok(json) => {
            println!("{json}");
            ExitCode::SUCCESS
        }
        Err(error) => {
            eprintln!("filamentum: the design cannot be written: {error}");
            ExitCode::FAILURE
        }
    }
}

fn key_of(kind: Format) -> String {
    serde_json::to_value(kind).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

/// A prediction for people.
fn text(prediction: &Prediction) -> String {
    let mut out = String::new();
    let mut line = |args: std::fmt::Arguments<'_>| {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{args}");
    };
    let pickup = &prediction.pickup;
    let mut row = |what: &str, q: Quantity, scale: f64, unit: &str, digits: usize| {
        let [n, a, b] = [q.nominal, q.p05, q.p95].map(|v| v * scale);
        line(format_args!("{what:<28}{n:>10.digits$} {unit:<4} ({a:.digits$} to {b:.digits$})"));
    };
    row("Resistance at 20 °C", pickup.resistance_20c_ohm, 1e-3, "kΩ", 3);
    row("Resistance at room temperature", pickup.resistance_ohm, 1e-3, "kΩ", 3);
    row("Inductance", pickup.inductance_h, 1.0, "H", 3);
    row("Inductance at 1 kHz", pickup.inductance_1khz_h, 1.0, "H", 3);
    row("Capacitance", pickup.capacitance_f, 1e12, "pF", 1);
    row("Resonance, unloaded", pickup.resonance_unloaded_hz, 1e-3, "kHz", 2);
    if let Some(peak) = pickup.peak_hz {
        row("Peak, loaded", peak, 1e-3, "kHz", 2);
    }
    row("Peak height", pickup.peak_db, 1.0, "dB", 1);
    row("−3 dB at", pickup.minus3db_hz, 1e-3, "kHz", 2);
    row("Output", pickup.output_mv, 1.0, "mV", 1);
    row("Output, to the reference coil", pickup.relative_output_db, 1.0, "dB", 1);
    if let Some(db) = pickup.hum_rejection_db {
        line(format_args!("{:<28}{db:>10.1} dB", "Hum rejection"));
    }
    for coil in &prediction.coils {
        line(format_args!(
            "Coil {}: {} turns, {:.0} m of wire, {:.2} mm thick ({:.2} to {:.2}), {:.0} % of the room, packing {:.2}, {:.0} min at 500 rpm",
            coil.name,
            coil.turns,
            coil.wire_length_m.nominal,
            coil.build_mm,
            coil.build_min_mm,
            coil.build_max_mm,
            coil.fill * 100.0,
            coil.packing,
            coil.minutes
        ));
    }
    for meter in &pickup.meter {
        line(format_args!(
            "Meter at {:>6} Hz: Ls {:.3} H, Rs {:.2} kΩ, Q {:.2}, capacitance range {:.2} nF",
            meter.at_hz,
            meter.ls_h,
            meter.rs_ohm * 1e-3,
            meter.q,
            meter.capacitance_mode_f * 1e9
        ));
    }
    for pole in &prediction.poles {
        let up = format!("{:?}", pole.up).to_lowercase();
        line(format_args!(
            "Pole {}: {:.0} mT at the face, {:.0} mT at the string, {up} up",
            pole.string, pole.face_mt.nominal, pole.string_mt.nominal
        ));
    }
    for string in &prediction.strings {
        line(format_args!(
            "String {}: {:.1} mV, {:+.1} dB against the mean",
            string.string, string.output_mv.nominal, string.balance_db
        ));
    }
    for notice in &prediction.notices {
        let level = format!("{:?}", notice.level).to_lowercase();
        line(format_args!("{level} {} {}: {} {}", notice.code, notice.at, notice.text, notice.try_));
    }
    out
}
