//! What a traveller says of a pickup's parts by name: its leads, the joints between its coils, and its bar magnets.

use coil::design::{Axis, Bar, Design, Direction, End, Polarity, Sense};

/// An end of a coil's winding.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CoilEnd {
    /// The first turn, at the core.
    Start,
    /// The last turn, at the edge.
    Finish,
}

impl CoilEnd {
    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Start => "start, inside",
            Self::Finish => "finish, outside",
        }
    }
}

/// Something that is connected, by the names of coils.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Connection {
    /// Ends that go to the hot lead, all together.
    Hot(Vec<(String, CoilEnd)>),
    /// Ends that go to ground, all together.
    Ground(Vec<(String, CoilEnd)>),
    /// Two ends that are joined to each other and to nothing else.
    Joint((String, CoilEnd), (String, CoilEnd)),
    /// A coil whose ends stay free.
    Unused(String),
}

/// What is connected in a design, lead by lead and joint by joint: coils in series from ground to the hot lead in their order.
///
/// ```
/// use coil::design::{Format, starting_point};
/// use trade::traveller::{Connection, connections};
/// let twin = connections(&starting_point(Format::TwinCoil, "Sedge", 6, 10.0));
/// assert!(matches!(&twin[..], [Connection::Hot(hot), Connection::Ground(_), Connection::Joint(..)] if hot[0].0 == "B"));
/// ```
#[must_use]
pub fn connections(design: &Design) -> Vec<Connection> {
    let ends = |name: &String| {
        if design.wiring.sense.get(name) == Some(&Sense::FinishToGround) {
            (CoilEnd::Finish, CoilEnd::Start)
        } else {
            (CoilEnd::Start, CoilEnd::Finish)
        }
    };
    let names: Vec<&String> = design.coils.iter().map(|c| &c.name).collect();
    let split = design.wiring.join.strip_prefix("split:");
    let used: Vec<&String> =
        names.iter().copied().filter(|name| split.is_none_or(|only| only == name.as_str())).collect();
    let cold = |name: &&String| ((*name).clone(), ends(name).0);
    let hot = |name: &&String| ((*name).clone(), ends(name).1);
    let mut all = if design.wiring.join == "parallel" {
        vec![
            Connection::Hot(used.iter().map(hot).collect()),
            Connection::Ground(used.iter().map(cold).collect()),
        ]
    } else {
        let mut all = vec![
            Connection::Hot(used.last().map(hot).into_iter().collect()),
            Connection::Ground(used.first().map(cold).into_iter().collect()),
        ];
        all.extend(used.windows(2).map(|pair| Connection::Joint(hot(&pair[0]), cold(&pair[1]))));
        all
    };
    let unused = names.into_iter().filter(|name| !used.contains(name));
    all.extend(unused.map(|name| Connection::Unused(name.clone())));
    all
}

/// How a bar magnet lies.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BarPlacement {
    /// Where its north face looks: towards a coil or a row of poles, up or down.
    pub north_face: String,
    /// What a compass shows over the poles that a face touches: each row, with the pole that is up there.
    pub up: Vec<(String, Polarity)>,
}

/// How each bar magnet of a design lies, in the design's order.
#[must_use]
pub fn bar_placements(design: &Design) -> Vec<BarPlacement> {
    design.bars.iter().map(|bar| placement(design, bar)).collect()
}

fn placement(design: &Design, bar: &Bar) -> BarPlacement {
    let positive = bar.north == End::Positive;
    match bar.magnetised {
        Axis::Z => BarPlacement {
            north_face: if positive { "up" } else { "down" }.to_owned(),
            up: rows(design)
                .into_iter()
                .map(|(name, _)| (name, if positive { Polarity::North } else { Polarity::South }))
                .collect(),
        },
        Axis::X => BarPlacement {
            north_face: if positive { "the last string" } else { "the first string" }.to_owned(),
            up: Vec::new(),
        },
        Axis::Y => {
            // The nearest row on either side: its poles continue the face that touches them.
            let beside = |side: f64| {
                let off = |y: f64| (y - bar.center_mm[1]) * side;
                rows(design)
                    .into_iter()
                    .filter(|(_, y)| off(*y) > 0.5)
                    .min_by(|a, b| off(a.1).total_cmp(&off(b.1)))
            };
            let north_side = if positive { 1.0 } else { -1.0 };
            let (north, south) = (beside(north_side), beside(-north_side));
            let away = || if positive { "towards the neck" } else { "towards the bridge" }.to_owned();
            BarPlacement {
                north_face: north.as_ref().map_or_else(away, |(name, _)| format!("against {name}")),
                up: [(north, Polarity::North), (south, Polarity::South)]
                    .into_iter()
                    .filter_map(|(row, up)| Some((row?.0, up)))
                    .collect(),
            }
        }
    }
}

/// Rows of poles by name, each with where it stands along the strings, mm: a coil's, or that of the pickup.
fn rows(design: &Design) -> Vec<(String, f64)> {
    let mut all: Vec<(String, f64)> = Vec::new();
    for pole in &design.poles {
        let is_of_coil = design.coils.len() > 1 && design.coils.iter().any(|c| c.name == pole.coil);
        let name =
            if is_of_coil { format!("the poles of coil {}", pole.coil) } else { "the poles".to_owned() };
        let y = design.place_of_pole_mm(pole)[1];
        if !all.iter().any(|(known, at)| *known == name && (at - y).abs() < 0.5) {
            all.push((name, y));
        }
    }
    all
}

/// The direction of a coil's turns, in words.
#[must_use]
pub fn direction_words(direction: Direction) -> &'static str {
    match direction {
        Direction::Clockwise => "clockwise",
        Direction::CounterClockwise => "counter-clockwise",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};
    use coil::prediction::Solution;

    fn twin() -> Design {
        starting_point(Format::TwinCoil, "Sedge", 6, 10.0)
    }

    /// Every way of joining uses each end once: what is not joined goes to a lead.
    #[test]
    fn every_end_is_connected_once() {
        for join in ["series", "parallel", "split:A", "split:B"] {
            let mut design = twin();
            design.wiring.join = join.into();
            design.wiring.sense.insert("B".into(), Sense::FinishToGround);
            let mut ends = Vec::new();
            for one in connections(&design) {
                match one {
                    Connection::Hot(some) | Connection::Ground(some) => ends.extend(some),
                    Connection::Joint(a, b) => ends.extend([a, b]),
                    Connection::Unused(name) => {
                        ends.extend([(name.clone(), CoilEnd::Start), (name, CoilEnd::Finish)]);
                    }
                }
            }
            ends.sort_by_key(|(name, end)| (name.clone(), *end == CoilEnd::Finish));
            let each = |name: &str| [(name.to_owned(), CoilEnd::Start), (name.to_owned(), CoilEnd::Finish)];
            assert_eq!(ends, [each("A"), each("B")].concat(), "{join}");
        }
        // In series with the second coil the other way round its start is hot, and the finishes are joined.
        let mut design = twin();
        design.wiring.join = "series".into();
        design.wiring.sense.insert("B".into(), Sense::FinishToGround);
        let (hot, joint) = (("B".to_owned(), CoilEnd::Start), ("B".to_owned(), CoilEnd::Finish));
        let all = connections(&design);
        assert_eq!(all[0], Connection::Hot(vec![hot]));
        assert_eq!(all[2], Connection::Joint(("A".to_owned(), CoilEnd::Finish), joint));
    }

    /// What the words promise of the compass is what the engine finds over the poles.
    #[test]
    fn the_compass_shows_what_the_field_is() {
        for north in [End::Positive, End::Negative] {
            let mut design = twin();
            design.bars[0].north = north;
            let said = &bar_placements(&design)[0];
            assert_eq!(said.up.len(), 2, "{said:?}");
            for coil in ["A", "B"] {
                let (_, up) = said.up.iter().find(|(row, _)| row.ends_with(&format!("coil {coil}"))).unwrap();
                let mut alone = design.clone();
                alone.wiring.join = format!("split:{coil}");
                let polarity = Solution::compute(&alone).unwrap().signal().polarity();
                assert_eq!(*up == Polarity::North, polarity > 0.0, "coil {coil}, {north:?}");
            }
        }
    }

    /// Two bars beside one row of screws look at it with like faces.
    #[test]
    fn bars_of_a_wide_single_face_each_other_alike() {
        let design = starting_point(Format::WideSingle, "Sedge", 6, 10.0);
        let all = bar_placements(&design);
        let ups: Vec<Polarity> = all.iter().flat_map(|bar| bar.up.iter().map(|(_, up)| *up)).collect();
        assert!(ups.len() == design.bars.len() && ups.windows(2).all(|w| w[0] == w[1]), "{all:?}");
    }
}
