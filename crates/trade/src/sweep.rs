//! A measured response: read from what analysers write, and its peak.

use coil::circuit::{InstrumentInput, Network};
use serde::{Deserialize, Serialize};

/// Most points kept of a sweep.
const MOST_POINTS: usize = 2000;
/// Largest level, dB, or impedance, Ω, of a point.
const LARGEST: f64 = 1e9;

/// A measured response.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sweep {
    /// Frequencies, Hz, rising.
    pub hz: Vec<f64>,
    /// Levels, dB; against the level at the low end, as predicted responses are against theirs at 80 Hz.
    pub db: Vec<f64>,
    /// The input that stood across the coil as it was swept, where it is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub input: Option<InstrumentInput>,
}

/// A line that cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SweepError {
    /// The line is no pair of numbers.
    #[error("line {line} is no frequency and level: “{text}”")]
    Line {
        /// From 1.
        line: usize,
        /// What stands there, shortened.
        text: String,
    },
    /// Frequencies must rise, within what is heard and a decade beyond.
    #[error("line {line}: {hz} Hz is not above the frequency before it, or not between 1 Hz and 1 MHz")]
    Order {
        /// From 1.
        line: usize,
        /// What stands there.
        hz: String,
    },
    /// Too few or too many.
    #[error("a sweep has 8 to {MOST_POINTS} points; this has {0}")]
    Count(usize),
    /// The low end says where 0 dB is.
    #[error("the sweep begins at {0} Hz: begin at 400 Hz or below, where the level is flat")]
    NoLowEnd(u32),
}

impl Sweep {
    /// Reads lines of frequency and level: Hz and dB, separated by comma, semicolon, tab or blanks; a decimal comma where
    /// the parts are otherwise parted. Lines that begin with a letter or a `#`, `*` or `;` are headings.
    ///
    /// ```
    /// use trade::sweep::Sweep;
    /// let lines: Vec<String> = (0..12).map(|k| format!("{} {}", 100 << k, k % 3)).collect();
    /// let sweep = Sweep::read(&lines.join("\n")).unwrap();
    /// assert_eq!(sweep.hz.len(), 12);
    /// assert_eq!(sweep.db[0], 0.0, "levels are against the low end");
    /// assert!(Sweep::read("100 0\nmuch").is_err());
    /// ```
    ///
    /// # Errors
    /// The first line that cannot be read, or what is wrong with the whole.
    pub fn read(text: &str) -> Result<Self, SweepError> {
        let (hz, db) = points(text)?;
        if hz[0] > 400.0 {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most 1e6")]
            return Err(SweepError::NoLowEnd(hz[0] as u32));
        }
        Ok(Self { hz, db, input: None }.against_low_end())
    }

    /// A sweep that an instrument gave, with what it puts across the leads.
    ///
    /// # Errors
    /// As [`points`], each point being a line.
    pub fn from_points(
        hz: Vec<f64>,
        db: Vec<f64>,
        input: Option<InstrumentInput>,
    ) -> Result<Self, SweepError> {
        for k in 1..=hz.len() {
            check(&hz[..k], &db[..k.min(db.len())], k)?;
        }
        if hz.len() != db.len() || !(8..=MOST_POINTS).contains(&hz.len()) {
            return Err(SweepError::Count(hz.len()));
        }
        Ok(Self { hz, db, input }.against_low_end())
    }

    /// With the level at 80 Hz, or at the lowest frequency above, as 0 dB.
    #[must_use]
    pub fn against_low_end(mut self) -> Self {
        let at = self.hz.iter().position(|f| *f >= 80.0).unwrap_or(0);
        let zero = self.db[at];
        self.db.iter_mut().for_each(|v| *v -= zero);
        self
    }

    /// The sweep as it would be with nothing across the leads: the pickup's circuit, brought to the swept peak, says what the
    /// instrument's input took. `None` where the input is not known, or the peak cannot be that of such a circuit.
    #[must_use]
    pub fn without_input(&self, circuit: &Network) -> Option<Self> {
        let input = self.input?;
        let circuit = circuit.tuned_to(self.peak()?.0, input)?;
        let level = |(hz, db): (&f64, &f64)| db + circuit.without_input_db(input, *hz);
        let db = self.hz.iter().zip(&self.db).map(level).collect();
        Some(Self { hz: self.hz.clone(), db, input: None }.against_low_end())
    }

    /// Frequency and height of its highest point, by a parabola through it and its neighbours on a logarithmic scale.
    /// `None` when it is highest at an end.
    #[must_use]
    pub fn peak(&self) -> Option<(f64, f64)> {
        let top = (0..self.db.len()).max_by(|a, b| self.db[*a].total_cmp(&self.db[*b]))?;
        if top == 0 || top + 1 == self.db.len() {
            return None;
        }
        let [x0, x1, x2] = [top - 1, top, top + 1].map(|i| self.hz[i].ln());
        let [y0, y1, y2] = [top - 1, top, top + 1].map(|i| self.db[i]);
        let (left, right) = ((y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1));
        let bend = (right - left) / (x2 - x0);
        if bend >= 0.0 {
            return Some((self.hz[top], y1));
        }
        let x = ((x0 + x1) / 2.0 - left / (2.0 * bend)).clamp(x0, x2);
        Some((x.exp(), y0 + left * (x - x0) + bend * (x - x0) * (x - x1)))
    }
}

/// Reads lines of frequency and value as [`Sweep::read`] does, of whatever was swept.
///
/// # Errors
/// The first line that cannot be read, or what is wrong with the whole.
pub fn points(text: &str) -> Result<(Vec<f64>, Vec<f64>), SweepError> {
    let (mut hz, mut values) = (Vec::new(), Vec::new());
    for (k, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with(|c: char| c.is_alphabetic() || "#*;\"".contains(c)) {
            continue;
        }
        let wrong = || SweepError::Line { line: k + 1, text: line.chars().take(40).collect() };
        let (f, value) = pair(line).ok_or_else(wrong)?;
        hz.push(f);
        values.push(value);
        check(&hz, &values, k + 1)?;
    }
    if (8..=MOST_POINTS).contains(&hz.len()) { Ok((hz, values)) } else { Err(SweepError::Count(hz.len())) }
}

/// Checks the last point of a sweep, which stands in a line: frequencies rise, and levels are such as can be.
fn check(hz: &[f64], values: &[f64], line: usize) -> Result<(), SweepError> {
    let [before @ .., f] = hz else { return Ok(()) };
    let is_level = values.last().is_some_and(|value| value.is_finite() && value.abs() <= LARGEST);
    if !(1.0..=1e6).contains(f) || before.last().is_some_and(|last| f <= last) || !is_level {
        return Err(SweepError::Order { line, hz: f.to_string() });
    }
    Ok(())
}

/// Two numbers of a line, whatever parts them.
fn pair(line: &str) -> Option<(f64, f64)> {
    let number = |t: &str| t.trim().parse::<f64>().ok().filter(|v| v.is_finite());
    let both = |parts: Vec<&str>, comma: bool| {
        let read = |t: &str| if comma { number(&t.replace(',', ".")) } else { number(t) };
        Some((read(parts.first()?)?, read(parts.get(1)?)?))
    };
    let cut = |by: &[char]| line.split(by).map(str::trim).filter(|p| !p.is_empty()).collect::<Vec<_>>();
    if line.contains([';', '\t']) {
        both(cut(&[';', '\t']), true)
    } else if line.contains(' ') && !line.contains(", ") {
        both(cut(&[' ']), true)
    } else {
        both(cut(&[',']), false)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Hz,dB\n", ",", ".")]
    #[case("# a sweep\n", "\t", ".")]
    #[case("", ";", ",")]
    #[case("Frequency Level\n", "   ", ".")]
    #[case("", ", ", ".")]
    fn what_analysers_write(#[case] head: &str, #[case] between: &str, #[case] point: &str) {
        let lines: Vec<String> = (0..12)
            .map(|k| format!("{}{between}{}", 100 * (k + 1), format!("-2.{k}").replace('.', point)))
            .collect();
        let sweep = Sweep::read(&format!("{head}{}\n", lines.join("\n"))).unwrap();
        assert_eq!((sweep.hz.len(), sweep.hz[11]), (12, 1200.0));
        assert!((sweep.db[5] + 0.5).abs() < 1e-9, "against the low end");
    }

    #[rstest]
    #[case("100,0\n200,much\n", SweepError::Line { line: 2, text: "200,much".into() })]
    #[case("100,0\n90,1\n", SweepError::Order { line: 2, hz: "90".into() })]
    #[case("100,0\n", SweepError::Count(1))]
    fn what_is_wrong_is_said_by_line(#[case] text: &str, #[case] error: SweepError) {
        assert_eq!(Sweep::read(text), Err(error));
    }

    /// The peak of a resonance is found between its points: R, L and C in the voltage-divider form have it at
    /// f₀·√(1 − 1/(2Q²)), with the height Q/√(1 − 1/(4Q²)) (any textbook on filters).
    #[test]
    fn a_peak_between_points() {
        let (f0, q) = (4000.0, 3.0);
        let hz: Vec<f64> = (0..60).map(|k| 80.0 * 1.1f64.powi(k)).collect();
        let level = |f: f64| {
            let x = f / f0;
            -10.0 * ((1.0 - x * x).powi(2) + (x / q) * (x / q)).log10()
        };
        let sweep = Sweep { db: hz.iter().map(|f| level(*f)).collect(), hz, input: None };
        let (hz, db) = sweep.peak().unwrap();
        assert!((hz / (f0 * (1.0 - 1.0 / (2.0 * q * q)).sqrt()) - 1.0).abs() < 0.01, "{hz}");
        assert!((db - 20.0 * (q / (1.0 - 1.0 / (4.0 * q * q)).sqrt()).log10()).abs() < 0.15, "{db}");
        let falling = Sweep { hz: vec![100.0, 200.0, 400.0], db: vec![0.0, -1.0, -2.0], input: None };
        assert_eq!(falling.peak(), None);
    }

    fn swept(circuit: &Network, input: InstrumentInput) -> Sweep {
        let hz: Vec<f64> = (0..140).map(|k| 80.0 * 1.042f64.powi(k)).collect();
        let db = hz.iter().map(|f| circuit.response_db(Some(&input.load()), *f)).collect();
        Sweep { hz, db, input: Some(input) }
    }

    /// A coil of another capacitance than was predicted, and of an inductance a little off, swept through 110 pF: without
    /// them its peak is found where the coil by itself has it.
    #[rstest]
    #[case(1.0, 0.01)]
    #[case(0.97, 0.02)]
    #[case(1.03, 0.02)]
    fn an_input_is_taken_off(#[case] inductance: f64, #[case] within: f64) {
        let input = InstrumentInput { capacitance_f: 110e-12, resistance_ohm: 1e6 };
        let predicted = Network::single(6200.0, 2.6, 90e-12);
        let real = Network::single(6200.0, 2.6 * inductance, 130e-12);
        let raw = swept(&real, input);
        let alone = raw.without_input(&predicted).unwrap();
        let (found, shown) = (alone.peak().unwrap().0, raw.peak().unwrap().0);
        let exact = real.peak(None).peak_hz;
        assert!((found / exact - 1.0).abs() < within, "{found} {exact}");
        assert!(found > 1.2 * shown);
        // Nothing is added where nothing was across.
        let nothing = InstrumentInput { capacitance_f: 0.0, resistance_ohm: 1e15 };
        let bare = swept(&real, nothing);
        let same = bare.without_input(&predicted).unwrap();
        assert!(same.db.iter().zip(&bare.db).all(|(a, b)| (a - b).abs() < 0.01));
    }

    #[test]
    fn what_cannot_be_corrected_is_left() {
        let coil = Network::single(6200.0, 2.6, 90e-12);
        let input = InstrumentInput { capacitance_f: 110e-12, resistance_ohm: 1e6 };
        let unknown = Sweep { input: None, ..swept(&coil, input) };
        assert_eq!(unknown.without_input(&coil), None);
        // A peak above that of the instrument's input alone cannot be.
        let other = Network::single(6200.0, 0.9, 20e-12);
        assert_eq!(swept(&other, input).without_input(&coil), None);
        let falling = Sweep { hz: vec![100.0, 200.0, 400.0], db: vec![0.0, -1.0, -2.0], input: Some(input) };
        assert_eq!(falling.without_input(&coil), None);
    }
}
