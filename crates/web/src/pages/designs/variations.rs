//! What of a revision can be varied, one thing at a time.

use coil::magnet::Grade;
use coil::search::Adjustment;

/// What can be varied: field value, what it is called, and the adjustment to either side.
pub(super) const VARIED: [(&str, &str, [Adjustment; 2]); 7] = [
    ("turns", "turns, by 300", [Adjustment::Turns(-300), Adjustment::Turns(300)]),
    ("gauge", "gauge, by one", [Adjustment::Gauge(-1), Adjustment::Gauge(1)]),
    ("wander", "hand wander, by 15 %", [Adjustment::Wander(-0.15), Adjustment::Wander(0.15)]),
    ("gap", "gap to the strings, by 0.5 mm", [Adjustment::Gap(-0.5), Adjustment::Gap(0.5)]),
    ("height", "winding height, by 1 mm", [Adjustment::Height(-1.0), Adjustment::Height(1.0)]),
    ("charge", "charge: 100, 80 and 60 %", [Adjustment::Charge(0.8), Adjustment::Charge(0.6)]),
    (
        "alloy",
        "alloy: alnico 2 and alnico 3",
        [Adjustment::Alloy(Grade::Alnico2), Adjustment::Alloy(Grade::Alnico3)],
    ),
];
