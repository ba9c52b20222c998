//! The program: serve the workshop, show the demo, predict a design file.

mod demo;
mod host;
mod predict;

use clap::{Args, Parser, Subcommand};
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
    /// Serve an invented workshop with designs, spools and runs in it.
    Demo(Host),
    /// Print the prediction of a design file.
    Predict {
        /// The file; - reads from standard input.
        file: PathBuf,
    },
}

/// Where and on what to serve. With `DATABASE_URL` set, that MariaDB is used; otherwise a private one is
/// started on loopback.
#[derive(Args)]
struct Host {
    /// Port on loopback.
    #[arg(long, default_value_t = 8090)]
    port: u16,
    /// Folder of the private MariaDB.
    #[arg(long, default_value = "data")]
    data: PathBuf,
    /// Begin anew: removes what is in the data folder.
    #[arg(long)]
    fresh: bool,
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    let (host, show_demo) = match cli.command {
        Command::Predict { file } => return predict::run(&file),
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
