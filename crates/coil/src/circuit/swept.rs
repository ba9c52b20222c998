//! What an instrument's own input adds to a sweep, taken off again.

use super::{InstrumentInput, Network};

/// Most that the capacitance at the leads is taken to differ from the network's own, F.
const MOST_F: f64 = 5e-9;

impl Network {
    /// The network with as much capacitance at its leads as lets an instrument show its peak at `peak_hz`: what was swept, by
    /// the coil's own inductance. `None` when no capacitance does that, or where the peak is no resonance.
    #[must_use]
    pub fn tuned_to(&self, peak_hz: f64, input: InstrumentInput) -> Option<Self> {
        if !peak_hz.is_finite() || peak_hz <= 0.0 {
            return None;
        }
        let with = |leads_f: f64| Self { leads_f, ..self.clone() };
        let shown_hz = |leads_f: f64| with(leads_f).seen_by(input).peak_hz;
        // A tenth of what it has by itself is less than any coil of its size has.
        let (mut low, mut high) = (self.leads_f - 0.9 * self.capacitance_f(), MOST_F);
        if !(shown_hz(high)..=shown_hz(low)).contains(&peak_hz) {
            return None;
        }
        while high - low > 1e-14 {
            let middle = 0.5 * (low + high);
            if shown_hz(middle) > peak_hz { low = middle } else { high = middle }
        }
        let found = with(0.5 * (low + high));
        (found.seen_by(input).peak_db > 0.1).then_some(found)
    }

    /// Level with nothing across the leads over the level that an instrument shows at `hz`, dB: to be added to what it swept.
    #[must_use]
    pub fn without_input_db(&self, input: InstrumentInput, hz: f64) -> f64 {
        self.response_db(None, hz) - self.response_db(Some(&input.load()), hz)
    }
}
