//! The simulated bench as a server of its own: every instrument on one port, by the same lines that real ones speak.
//!
//! Besides those, the bench itself listens to what no instrument knows: `SIM:LAY` with a piece as JSON, `SIM:FAULTS` with a
//! list of them, `SIM:PROBE 3,0.5`, `SIM:LINE good|silent|garbage|lost`.

use crate::simulated::{Bench, Fault, Line, Piece};
use crate::{
    Answer, Gaussmeter as _, Instrument as _, InstrumentError, LcrMeter as _, OhmMeter as _, Ohms,
    SweepAnalyser as _, Winder as _, WinderState,
};
use tokio::io::{AsyncBufReadExt as _, AsyncReadExt as _, AsyncWriteExt as _, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// Longest line taken, bytes: a design as JSON.
const LONGEST: u64 = 500_000;

/// Answers on a listener until the task is ended.
pub async fn serve(bench: Bench, listener: TcpListener) {
    while let Ok((stream, _)) = listener.accept().await {
        tokio::spawn(talk(bench.clone(), stream));
    }
}

async fn talk(mut bench: Bench, stream: TcpStream) {
    let _ = stream.set_nodelay(true);
    let mut stream = BufReader::new(stream);
    loop {
        let mut line = Vec::new();
        match (&mut stream).take(LONGEST).read_until(b'\n', &mut line).await {
            Ok(n) if n > 0 => {}
            _ => return,
        }
        let line = String::from_utf8_lossy(&line).trim().to_owned();
        let ours = line.starts_with("SIM:");
        let reply = match bench.line() {
            _ if ours => answered(&mut bench, &line).await,
            Line::Good => answered(&mut bench, &line).await,
            Line::Silent => continue,
            Line::Garbage => "#\u{fffd}~ 0x3F".to_owned(),
            Line::Lost => return,
        };
        if stream.get_mut().write_all(format!("{reply}\n").as_bytes()).await.is_err() {
            return;
        }
    }
}

async fn answered(bench: &mut Bench, line: &str) -> String {
    match command(bench, line).await {
        Ok(reply) => reply,
        Err(InstrumentError::Refused { why }) => format!("error: {why}"),
        Err(error) => format!("error: {error}"),
    }
}

fn numbers(text: &str) -> Answer<Vec<f64>> {
    let read: Option<Vec<f64>> = text.split(',').map(|t| t.trim().parse().ok()).collect();
    read.ok_or_else(|| InstrumentError::Refused { why: format!("“{text:.40}” is no number") })
}

async fn command(bench: &mut Bench, line: &str) -> Answer<String> {
    let unknown = || InstrumentError::Refused { why: format!("“{line:.40}” is no command") };
    let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
    let one = || numbers(rest).and_then(|all| all.first().copied().ok_or_else(unknown));
    let ok = |()| "ok".to_owned();
    Ok(match word {
        "*IDN?" => bench.identify().await?,
        "MEAS:RES?" => match bench.resistance().await? {
            Ohms::Of(ohms) => format!("{ohms:.6E}"),
            Ohms::Open => "9.9E37".to_owned(),
        },
        "MEAS:TEMP?" => format!("{:.2}", bench.temperature().await?),
        "MEAS:IND?" => {
            let read = bench.inductance(one()?).await?;
            format!("{:.6E},{:.4}", read.henries, read.q)
        }
        "MEAS:CAP?" => format!("{:.6E}", bench.capacitance(one()?).await?),
        "MEAS:FLUX?" => format!("{:.5}", bench.flux().await?),
        "MEAS:SWEEP?" => {
            let all = numbers(rest)?;
            let [from, to, points] = all[..] else { return Err(unknown()) };
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
            let points = points.clamp(0.0, 1e6) as u32;
            let pairs = bench.sweep(from, to, points).await?;
            pairs.iter().map(|(hz, db)| format!("{hz},{db:.2}")).collect::<Vec<_>>().join(";")
        }
        "STAT?" => {
            let now = bench.status().await?;
            let state = match now.state {
                WinderState::Running => "run",
                WinderState::Stopped => "stop",
                WinderState::WireBroke => "broke",
            };
            let tension = now.tension_n.map_or_else(String::new, |t| format!(" tension={t:.3}"));
            format!("turns={} rpm={}{tension} state={state}", now.turns, now.rpm)
        }
        "M3" => {
            let value = |letter: char| rest.split_whitespace().find_map(|word| word.strip_prefix(letter));
            let rpm = value('S').and_then(|text| text.parse().ok()).ok_or_else(unknown)?;
            let until = value('C').map(|text| text.parse().ok().ok_or_else(unknown)).transpose()?;
            bench.run(rpm, until).await.map(ok)?
        }
        "M5" => bench.stop().await.map(ok)?,
        "G92" => {
            let turns = rest.trim_start_matches('C').parse().ok().ok_or_else(unknown)?;
            bench.preset(turns).await.map(ok)?
        }
        "SIM:LAY" => {
            let piece: Piece = serde_json::from_str(rest)
                .map_err(|error| InstrumentError::Refused { why: error.to_string() })?;
            bench.lay(piece).map(ok)?
        }
        "SIM:PROBE" => {
            let all = numbers(rest)?;
            let [pole, gap_mm] = all[..] else { return Err(unknown()) };
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
            bench.hold_probe(pole.clamp(0.0, 99.0) as u32, gap_mm);
            ok(())
        }
        "SIM:FAULTS" => {
            let faults: Vec<Fault> = serde_json::from_str(rest)
                .map_err(|error| InstrumentError::Refused { why: error.to_string() })?;
            bench.set_faults(faults);
            ok(())
        }
        "SIM:LINE" => {
            bench.set_line(match rest {
                "good" => Line::Good,
                "silent" => Line::Silent,
                "garbage" => Line::Garbage,
                "lost" => Line::Lost,
                _ => return Err(unknown()),
            });
            ok(())
        }
        _ => return Err(unknown()),
    })
}
