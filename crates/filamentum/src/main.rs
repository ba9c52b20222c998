//! The program: serve the workshop, show the demo, predict a design file, back up, manage people.

mod archive;
mod configuration;
mod database;
mod demo;
mod host;
mod identification;
mod prediction;
mod schedule;
mod user;

use clap::{Parser, Subcommand};
use configuration::{DatabaseArguments, ServeArguments};
use host::Show;
use std::path::PathBuf;
use std::process::ExitCode;
use user::UserCommand;
use web::BaseUrl;

/// Predictions and pages ask for memory thousands of times: this gives it out in less time than the system's own (measured in
/// docs/physics.md).
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

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
    Serve(ServeArguments),
    /// Serve an invented workshop with designs, spools and runs in it, and a simulated bench beside it.
    Demo {
        #[command(flatten)]
        serve: ServeArguments,
        /// A password of your own for the demo's owner: needed to let other machines reach it.
        #[arg(long, env = "FILAMENTUM_DEMO_PASSWORD")]
        password: Option<String>,
    },
    /// Serve a simulated bench: meters, analyser and winder on one port of loopback, by the lines that real ones speak.
    Bench {
        /// Port on loopback.
        #[arg(long, default_value_t = 8095)]
        port: u16,
        /// How many times faster than life winding and cooling go.
        #[arg(long, default_value_t = 1.0)]
        pace: f64,
    },
    /// Serve a stand-in for a provider of single sign-on on loopback. It accepts any choice of person: use it for trials only.
    Provider {
        /// Port on loopback.
        #[arg(long, default_value_t = 8096)]
        port: u16,
        /// The secret that the workshop's program proves itself with.
        #[arg(long, default_value = "stand-in")]
        client_secret: String,
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
        format: prediction::OutputFormat,
        #[command(flatten)]
        instrument: prediction::InstrumentArguments,
    },
    /// Print the prediction of a set of pickups.
    Set {
        /// The file; - reads from standard input.
        file: PathBuf,
        /// How to print it.
        #[arg(long, value_enum, default_value = "json")]
        format: prediction::OutputFormat,
    },
    /// Print what a pickup can be, from what was measured of it.
    Identify {
        /// The file; - reads from standard input.
        file: PathBuf,
        /// How to print it.
        #[arg(long, value_enum, default_value = "json")]
        format: prediction::OutputFormat,
    },
    /// Print when each operation of some work is done, by whom and on what.
    Schedule {
        /// The file; - reads from standard input.
        file: PathBuf,
        /// How to print it.
        #[arg(long, value_enum, default_value = "json")]
        format: prediction::OutputFormat,
        /// Leave it at the first plan, without searching for a better one.
        #[arg(long)]
        quick: bool,
    },
    /// Print the JSON Schema of a document.
    Schema {
        /// Which.
        #[arg(value_enum, default_value = "design")]
        document: prediction::Document,
    },
    /// Print the equivalent circuit of a design file as a netlist for general circuit simulators.
    Netlist {
        /// The file; - reads from standard input.
        file: PathBuf,
    },
    /// Write everything into one file, also while the program serves, and check it.
    Backup {
        /// The file to write.
        file: PathBuf,
        #[command(flatten)]
        database: DatabaseArguments,
    },
    /// Say whether a backup is whole.
    Verify {
        /// The backup.
        file: PathBuf,
    },
    /// Restore a backup into an empty database.
    Restore {
        /// The backup.
        file: PathBuf,
        #[command(flatten)]
        database: DatabaseArguments,
    },
    /// Manage the people of the workshop without a browser.
    User {
        #[command(subcommand)]
        command: UserCommand,
        /// The address that people reach the workshop at, for links.
        #[arg(long, env = "FILAMENTUM_BASE_URL", global = true)]
        base_url: Option<BaseUrl>,
        /// Folder of the private MariaDB, where no other database is named.
        #[arg(long, env = "FILAMENTUM_DATA", global = true)]
        data: Option<PathBuf>,
        /// Configuration file (TOML).
        #[arg(long, env = "FILAMENTUM_CONFIG", global = true)]
        config: Option<PathBuf>,
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
    match run(Cli::parse().command) {
        Ok(code) => code,
        Err(error) => {
            eprintln!("filamentum: {error:#}");
            archive::refused(&error).unwrap_or(ExitCode::FAILURE)
        }
    }
}

/// Runs a command that works on a database.
fn on_database(work: impl Future<Output = anyhow::Result<()>>) -> anyhow::Result<ExitCode> {
    host::log();
    host::runtime()?.block_on(work)?;
    Ok(ExitCode::SUCCESS)
}

fn run(command: Command) -> anyhow::Result<ExitCode> {
    match command {
        Command::Predict { file, what, format, instrument } => {
            Ok(prediction::run(&file, what.as_deref(), format, &instrument))
        }
        Command::Set { file, format } => Ok(prediction::set(&file, format)),
        Command::Identify { file, format } => Ok(identification::run(&file, format)),
        Command::Schedule { file, format, quick } => Ok(schedule::run(&file, format, quick)),
        Command::Schema { document } => Ok(prediction::schema(document)),
        Command::Netlist { file } => Ok(prediction::netlist(&file)),
        Command::New { kind, strings, pitch } => Ok(prediction::new(&kind, strings, pitch)),
        Command::Bench { port, pace } => on_database(host::bench(port, pace)),
        Command::Provider { port, client_secret } => on_database(host::provider(port, &client_secret)),
        Command::Backup { file, database } => on_database(archive::backup(&database, &file)),
        Command::Verify { file } => on_database(archive::verify(&file)),
        Command::Restore { file, database } => on_database(archive::restore(&database, &file)),
        Command::User { command, base_url, data, config } => on_database(async {
            let database = DatabaseArguments { data, config, database_in_clear: false };
            user::run(&database, base_url, &command).await
        }),
        Command::Serve(serve) => on_database(host::serve(&serve, Show::Own)),
        Command::Demo { serve, password } => on_database(host::serve(&serve, Show::Demo { password })),
    }
}
