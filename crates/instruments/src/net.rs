//! Drivers over TCP: one line is asked, one is answered. A connection is made for each question and kept for the next; what
//! goes wrong ends it, so that a late answer is never taken for the next one's.

use crate::{
    Answer, Gaussmeter, Inductive, Instrument, InstrumentError, LcrMeter, OhmMeter, Ohms, PATIENCE,
    SweepAnalyser, Winder, WinderState, Winding,
};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt as _, AsyncReadExt as _, AsyncWriteExt as _, BufReader};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// Longest answer, bytes: a sweep of a few thousand points.
const LONGEST: u64 = 200_000;
/// What meters of this manner show for more than they can read.
const OVERLOAD: f64 = 9.0e37;

/// A line to an instrument.
#[derive(Debug)]
pub struct Line {
    address: String,
    patience: Duration,
    stream: Option<BufReader<TcpStream>>,
}

impl Line {
    /// A line to an address, host and port; nothing is connected yet.
    #[must_use]
    pub fn to(address: impl Into<String>) -> Self {
        Self { address: address.into(), patience: PATIENCE, stream: None }
    }

    /// With another patience than the usual one.
    #[must_use]
    pub fn patient(mut self, patience: Duration) -> Self {
        self.patience = patience;
        self
    }

    /// Asks one line and takes one.
    ///
    /// # Errors
    /// Whatever keeps the answer from coming.
    pub async fn ask(&mut self, question: &str) -> Answer<String> {
        let patience = self.patience;
        let answer = match timeout(patience, self.exchange(question)).await {
            Ok(answer) => answer,
            Err(_) => Err(InstrumentError::Silent { seconds: patience.as_secs().max(1) }),
        };
        if answer.is_err() {
            self.stream = None;
        }
        match answer?.trim() {
            refused if refused.starts_with("error") => {
                let why = refused.trim_start_matches("error").trim_start_matches([':', ' ']);
                Err(InstrumentError::Refused { why: printable(why, MOST_SHOWN) })
            }
            good => Ok(good.to_owned()),
        }
    }

    async fn exchange(&mut self, question: &str) -> Answer<String> {
        let mut stream = match self.stream.take() {
            Some(stream) => stream,
            None => {
                let made = TcpStream::connect(&self.address).await;
                let unreachable = |_| InstrumentError::Unreachable { address: self.address.clone() };
                let made = made.map_err(unreachable)?;
                let _ = made.set_nodelay(true);
                BufReader::new(made)
            }
        };
        let lost = |_| InstrumentError::Lost;
        stream.get_mut().write_all(format!("{question}\n").as_bytes()).await.map_err(lost)?;
        let mut bytes = Vec::new();
        (&mut stream).take(LONGEST).read_until(b'\n', &mut bytes).await.map_err(lost)?;
        if bytes.last() != Some(&b'\n') {
            return Err(InstrumentError::Lost);
        }
        self.stream = Some(stream);
        String::from_utf8(bytes).map_err(|e| garbled(&String::from_utf8_lossy(e.as_bytes())))
    }

    /// Asks for one number.
    async fn number(&mut self, question: &str) -> Answer<f64> {
        let reply = self.ask(question).await?;
        let read = number(&reply);
        self.understood(read)
    }

    /// A reply that could not be understood also ends the connection.
    fn understood<T>(&mut self, read: Answer<T>) -> Answer<T> {
        if read.is_err() {
            self.stream = None;
        }
        read
    }
}

/// Most letters of an answer that are shown to anybody.
const MOST_SHOWN: usize = 80;

/// The beginning of an answer as it can be shown: whatever answers there may not be an instrument at all.
fn printable(reply: &str, most: usize) -> String {
    reply.trim().chars().filter(|c| !c.is_control()).take(most).collect()
}

fn garbled(reply: &str) -> InstrumentError {
    InstrumentError::Garbled { reply: printable(reply, 40) }
}

fn number(reply: &str) -> Answer<f64> {
    reply.trim().parse::<f64>().ok().filter(|v| v.is_finite()).ok_or_else(|| garbled(reply))
}

fn pair(reply: &str) -> Answer<(f64, f64)> {
    let (a, b) = reply.split_once(',').ok_or_else(|| garbled(reply))?;
    Ok((number(a)?, number(b)?))
}

impl Instrument for Line {
    async fn identify(&mut self) -> Answer<String> {
        self.ask("*IDN?").await.map(|reply| printable(&reply, MOST_SHOWN))
    }
}

impl LcrMeter for Line {
    async fn inductance(&mut self, hz: f64) -> Answer<Inductive> {
        let reply = self.ask(&format!("MEAS:IND? {hz}")).await?;
        let read = pair(&reply).map(|(henries, q)| Inductive { henries, q });
        self.understood(read)
    }

    async fn capacitance(&mut self, hz: f64) -> Answer<f64> {
        self.number(&format!("MEAS:CAP? {hz}")).await
    }
}

impl OhmMeter for Line {
    async fn resistance(&mut self) -> Answer<Ohms> {
        let ohms = self.number("MEAS:RES?").await?;
        Ok(if ohms > OVERLOAD { Ohms::Open } else { Ohms::Of(ohms) })
    }

    async fn temperature(&mut self) -> Answer<f64> {
        self.number("MEAS:TEMP?").await
    }
}

impl Gaussmeter for Line {
    async fn flux(&mut self) -> Answer<f64> {
        self.number("MEAS:FLUX?").await
    }
}

impl SweepAnalyser for Line {
    async fn sweep(&mut self, from_hz: f64, to_hz: f64, points: u32) -> Answer<Vec<(f64, f64)>> {
        let reply = self.ask(&format!("MEAS:SWEEP? {from_hz},{to_hz},{points}")).await?;
        let read: Answer<Vec<(f64, f64)>> = reply.split(';').map(pair).collect();
        self.understood(read)
    }
}

impl Winder for Line {
    async fn status(&mut self) -> Answer<Winding> {
        let reply = self.ask("STAT?").await?;
        let read = winding(&reply).ok_or_else(|| garbled(&reply));
        self.understood(read)
    }

    async fn run(&mut self, rpm: f64, until: Option<u32>) -> Answer<()> {
        let until = until.map_or_else(String::new, |turn| format!(" C{turn}"));
        self.ask(&format!("M3 S{rpm}{until}")).await.map(drop)
    }

    async fn stop(&mut self) -> Answer<()> {
        self.ask("M5").await.map(drop)
    }

    async fn preset(&mut self, turns: u32) -> Answer<()> {
        self.ask(&format!("G92 C{turns}")).await.map(drop)
    }
}

/// `turns=4120 rpm=480 tension=0.18 state=run`
fn winding(reply: &str) -> Option<Winding> {
    let value =
        |key: &str| reply.split_whitespace().find_map(|part| part.strip_prefix(key)?.strip_prefix('='));
    Some(Winding {
        turns: value("turns")?.parse().ok()?,
        rpm: value("rpm")?.parse().ok().filter(|v: &f64| v.is_finite() && *v >= 0.0)?,
        tension_n: value("tension").and_then(|t| t.parse().ok()),
        state: match value("state")? {
            "run" => WinderState::Running,
            "stop" => WinderState::Stopped,
            "broke" => WinderState::WireBroke,
            _ => return None,
        },
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("turns=4120 rpm=480 tension=0.18 state=run", Some((4120, WinderState::Running)))]
    #[case("state=broke turns=9 rpm=0", Some((9, WinderState::WireBroke)))]
    #[case("turns=-1 rpm=480 state=run", None)]
    #[case("turns=4 rpm=NaN state=run", None)]
    #[case("turns=4 rpm=1 state=dance", None)]
    #[case("", None)]
    fn a_status_line(#[case] reply: &str, #[case] read: Option<(u32, WinderState)>) {
        assert_eq!(winding(reply).map(|w| (w.turns, w.state)), read);
    }

    #[rstest]
    #[case("6.1512E+3", Ok(6151.2))]
    #[case(" -0.1134 ", Ok(-0.1134))]
    #[case("NaN", Err(InstrumentError::Garbled { reply: "NaN".into() }))]
    #[case("5,8k", Err(InstrumentError::Garbled { reply: "5,8k".into() }))]
    fn numbers(#[case] reply: &str, #[case] read: Answer<f64>) {
        assert_eq!(number(reply), read);
    }

    #[test]
    fn little_of_an_answer_is_shown() {
        let shown = printable(&format!("  \u{1b}[31mroot:x:0:0\u{0}{}", "x".repeat(500)), MOST_SHOWN);
        assert_eq!(shown.chars().count(), MOST_SHOWN);
        assert!(!shown.contains(char::is_control));
    }
}
