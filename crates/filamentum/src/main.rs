//! The program: serve the workshop, show the demo, predict a design file.

mod demo;
mod host;
mod prediction;

use clap::{Parser, Subcommand};
use host::Host;
use std::path::PathBuf;
use std::process::ExitCode;

/// Designs pickup coils, predicts what they will be, and compares with what was wound.
#[derive(Parser)]
#[command(version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the workshop.
    Serve(Host),
    /// Serve an invented workshop with designs, spools and runs in it, and a simulated bench beside it.
    Demo(Host),
    /// Serve a simulated bench: meters, analyser and winder on one port of loopback, by the lines that real ones speak.
    Bench {
        /// Port on loopback.
        #[arg(long, default_value_t = 8095)]
        port: u16,
        /// How many times faster than life winding and cooling go.
        #[arg(long, default_value_t = 1.0)]
        pace: f64,
    },
    /// Print the prediction of a design file.
    Predict {
        /// The file; - reads from standard input.
        file: PathBuf,
        /// One part only, by its key: `inductance_h`, `meter`, `strings`, `notices` …
        #[arg(long)]
        what: Option<String>,
        /// How to print it.
        #[arg(long, value_enum, default_value = "json")]
        format: prediction::Format,
    },
    /// Print the JSON Schema of the design file.
    Schema,
    /// Print the equivalent circuit of a design file as a netlist for general circuit simulators.
    Netlist {
        /// The file; - reads from standard input.
        file: PathBuf,
    },
    /// Print a design of a format to begin from.
    New {
        /// tall-single, twin-coil …
        kind: String,
        /// Strings, 4 to 10.
        #[arg(long, default_value_t = 6)]
        strings: u32,
        /// Distance of the strings over the poles, mm.
        #[arg(long, default_value_t = 10.4)]
        pitch: f64,
    },
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    let (host, show_demo) = match cli.command {
        Command::Predict { file, what, format } => return prediction::run(&file, what.as_deref(), format),
        Command::Schema => return prediction::schema(),
        Command::Netlist { file } => return prediction::netlist(&file),
        Command::New { kind, strings, pitch } => return prediction::new(&kind, strings, pitch),
        Command::Bench { port, pace } => {
            return match host::bench(port, pace) {
                Ok(()) => ExitCode::SUCCESS,
                Err(error) => {
                    eprintln!("filamentum: {error:#}");
                    ExitCode::FAILURE
                }
            };
        }
        Command::Serve(host) => (host, false),
        Command::Demo(host) => (host, true),
    };
    host::log();
    match host::run(&host, show_demo) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("filamentum: {error:#}");
            ExitCode::FAILURE
        }
    }
}
