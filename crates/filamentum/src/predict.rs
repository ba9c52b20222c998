//! `filamentum predict FILE`: the prediction as JSON, or every error with exit status 2.

use coil::design::Problem;
use std::io::Read as _;
use std::path::Path;
use std::process::ExitCode;

/// Longest document read, bytes.
const LONGEST: u64 = 4 << 20;

/// Reads the file, prints the prediction.
pub fn run(file: &Path) -> ExitCode {
    let refuse = |problems: &[Problem]| {
        println!("{}", serde_json::json!({ "errors": problems }));
        ExitCode::from(2)
    };
    let mut text = String::new();
    let read = if file.as_os_str() == "-" {
        std::io::stdin().take(LONGEST).read_to_string(&mut text)
    } else {
        std::fs::File::open(file).and_then(|open| open.take(LONGEST).read_to_string(&mut text))
    };
    if let Err(error) = read {
        let what = format!("cannot read {}: {error}", file.display());
        return refuse(&[Problem::new("", what, "name a design file, or - for standard input")]);
    }
    let predicted = coil::design::read(&text).and_then(|design| coil::predict::predict(&design));
    match predicted.map(|prediction| serde_json::to_string_pretty(&prediction)) {
        Ok(Ok(json)) => {
            println!("{json}");
            ExitCode::SUCCESS
        }
        Ok(Err(error)) => {
            eprintln!("filamentum: the prediction cannot be written: {error}");
            ExitCode::FAILURE
        }
        Err(problems) => refuse(&problems),
    }
}
