//! The traveller of a run: its operations in order, each with its caution, its sign-off, and what must be in before it
//! can be signed. The usual operations are common practice, no source; a workshop keeps its own.

mod connections;
mod rewind;

pub use connections::{BarPlacement, CoilEnd, Connection, bar_placements, connections, direction_words};
pub use rewind::{RewindFinish, Wrap};

use crate::reading::{Kind, Reading, open_coil, standing};
use coil::capital;
use coil::design::{Design, Format, Medium, MetalPart, PoleShape};
use coil::magnet::{Grade, Material};
use coil::wire::Stripping;
use serde::{Deserialize, Serialize};

/// One operation.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Operation {
    /// A stable name within the traveller.
    pub key: String,
    /// What is done.
    pub name: String,
    /// How, in a sentence or two.
    #[serde(default)]
    pub how: String,
    /// What can hurt, and how it does not; empty where nothing can.
    #[serde(default)]
    pub caution: String,
    /// Readings without which it cannot be signed, unless they are waived with a reason.
    #[serde(default)]
    pub hold: Vec<Kind>,
    /// Minutes that it has to lie, dry or soak.
    #[serde(default)]
    pub minutes: Option<u32>,
}

/// The operations of a run in order.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Traveller(pub Vec<Operation>);

/// Somebody's name under an operation.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Signature {
    /// The operation's key.
    pub operation: String,
    /// Who.
    pub by: String,
    /// When, UTC.
    pub at: time::PrimitiveDateTime,
    /// Why it was signed without what it holds for; empty otherwise.
    pub waived: String,
}

/// Where an operation stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OperationStatus {
    /// Signed.
    Done(Signature),
    /// The next to do; with the readings that it still waits for.
    Now(Vec<Kind>),
    /// After others.
    Later,
}

/// Why an operation cannot be signed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SigningRefusal {
    /// There is none of that name.
    #[error("there is no such operation")]
    Unknown,
    /// It is signed.
    #[error("this is already signed")]
    Signed,
    /// Others come before it.
    #[error("“{0}” comes first")]
    Before(String),
    /// Readings are missing.
    #[error("it waits for {0}: take it, or waive it with a reason")]
    Holds(String),
}

/// Most operations, and letters of each, of a workshop's own traveller.
const MOST: usize = 40;
const LETTERS: usize = 400;

const GRIND: &str = "Glasses and dust mask; grind only unmagnetised poles, and wet where you can.";
const LACQUER: &str =
    "Outdoors or under extraction, gloves, no flame or spark near; rags dry flat. Follow the data sheet.";
const EPOXY: &str = "Gloves, glasses and fresh air; resin and hardener irritate. Follow the data sheet.";
const SPIN: &str =
    "Hair, sleeves and gloves away from the spindle; guard on. Running wire cuts: never stop it by hand.";
const SOLDER: &str = "Extract the fumes, wash your hands afterwards: solder may hold lead.";
const MAGNETS: &str =
    "Strong magnets pinch and shatter: one at a time, glasses on; pacemakers, cards and watches stay away.";
const WAX: &str = "Thermostat or double boiler, never an open flame, never left alone; keep a lid at hand. No water on burning wax.";

fn operation(key: &str, name: &str, how: &str, caution: &str) -> Operation {
    Operation {
        key: key.into(),
        name: name.into(),
        how: how.into(),
        caution: caution.into(),
        hold: Vec::new(),
        minutes: None,
    }
}

impl Traveller {
    /// The usual operations for a design.
    ///
    /// ```
    /// use trade::traveller::Traveller;
    /// let traveller = Traveller::usual(&coil::design::reference_coil());
    /// assert!(traveller.check().is_ok() && !traveller.0.is_empty());
    /// assert!(!traveller.is_done(&[]));
    /// ```
    #[must_use]
    pub fn usual(design: &Design) -> Self {
        let magnet = |m: Material| matches!(m, Material::Named(g) if Grade::MAGNETS.contains(&g));
        let rods = design.poles.iter().any(|p| p.shape == PoleShape::Rod && magnet(p.material));
        let charged = rods || design.poles.iter().any(|p| magnet(p.material));
        let fibre = matches!(design.kind, Format::TallSingle | Format::ShortSingle | Format::ButtonMagnet);
        let mut all = vec![operation(
            "seams",
            "Dress the bobbin",
            "Sand seams and sharp edges, so that nothing catches the wire.",
            "Dust mask for fibre and old plastics.",
        )];
        if rods {
            all.push(operation("bevel", "Bevel the poles", "Before they are charged.", GRIND));
        }
        if fibre {
            all.push(operation(
                "press",
                "Press the poles",
                "Outer ones first, with the jig for square and the spacer for equal height; right ones for each string.",
                "",
            ));
            let insulate = operation(
                "insulate",
                "Lacquer or tape the poles",
                "A dip in lacquer, dry by its data sheet, or polyimide tape round them, so that the wire never shorts on a pole.",
                LACQUER,
            );
            all.push(Operation { minutes: Some(24 * 60), ..insulate });
        }
        all.push(operation("start-lead", "Start lead", &start_lead(design), ""));
        let wind = operation(
            "wind",
            "Wind",
            "The first turns by hand, counted. Look at the guides soon after the start and at every stop.",
            SPIN,
        );
        all.push(Operation { hold: vec![Kind::Turns], ..wind });
        all.push(operation("close", "Close the coil", &close(design), SOLDER));
        let check = operation(
            "first-check",
            "First check",
            "Resistance with the coil's temperature, then inductance. None often means enamel not burned through yet.",
            "",
        );
        all.push(Operation { hold: vec![Kind::Resistance], ..check });
        if charged {
            let charge = operation(
                "charge",
                "Charge the magnets",
                "Between two strong magnets; then read every pole, and its polarity with a compass.",
                MAGNETS,
            );
            all.push(Operation { hold: vec![Kind::Flux], ..charge });
        }
        all.push(operation("assemble", "Assemble", &assemble(design), SOLDER));
        all.extend(potting(design));
        let how = if charged { "Assembled, charged and cold." } else { "Assembled and cold." };
        let last = operation("final", "Final measurement", how, "");
        all.push(Operation { hold: vec![Kind::Resistance, Kind::Inductance], ..last });
        Self(all)
    }

    /// Without what is done to the whole pickup: for a coil that is wound alone. The names are those of the usual
    /// operations; a workshop's own stay.
    #[must_use]
    pub fn for_coil(mut self) -> Self {
        self.0.retain(|one| !["assemble", "pot", "final"].contains(&one.key.as_str()));
        // What the final measurement would hold for is read at the first check: nothing comes after it.
        for check in self.0.iter_mut().filter(|one| one.key == "first-check") {
            if check.hold == [Kind::Resistance] {
                check.hold.push(Kind::Inductance);
            }
        }
        self
    }

    /// Only what is done to the whole pickup: for one that is assembled of coils wound by themselves. Of a workshop's own traveller that has
    /// none of the usual names, its last operation.
    #[must_use]
    pub fn for_assembly(mut self) -> Self {
        let last = self.0.last().cloned();
        self.0.retain(|one| ["assemble", "pot", "final"].contains(&one.key.as_str()));
        if self.0.is_empty() {
            self.0.extend(last);
        }
        self
    }

    /// Without waiting for what cannot be read on what is wound: flux where no pole is a magnet.
    #[must_use]
    pub fn readable_on(mut self, wound: &Design) -> Self {
        let is_magnet = |m: Material| m.demagnetisation().is_some();
        let mut poles = wound.numbered_poles().into_iter().map(|(_, index)| &wound.poles[index]);
        if !poles.any(|p| is_magnet(p.material)) {
            for one in &mut self.0 {
                one.hold.retain(|kind| *kind != Kind::Flux);
            }
        }
        self
    }

    /// What is wrong with a traveller that a workshop wrote.
    ///
    /// # Errors
    /// The first thing to mend.
    pub fn check(&self) -> Result<(), String> {
        if self.0.is_empty() || self.0.len() > MOST {
            return Err(format!("A traveller has 1 to {MOST} operations."));
        }
        for (k, one) in self.0.iter().enumerate() {
            if one.name.trim().is_empty() || one.key.is_empty() {
                return Err(format!("Operation {} needs a name.", k + 1));
            }
            if [&one.name, &one.how, &one.caution].iter().any(|t| t.chars().count() > LETTERS) {
                return Err(format!("“{}”: up to {LETTERS} letters each.", one.name));
            }
            if self.0[..k].iter().any(|other| other.key == one.key) {
                return Err(format!("Two operations are called “{}”.", one.key));
            }
        }
        Ok(())
    }

    /// Where every operation stands.
    #[must_use]
    pub fn progress(&self, signed: &[Signature], readings: &[Reading]) -> Vec<(Operation, OperationStatus)> {
        let mut reached = false;
        self.0
            .iter()
            .enumerate()
            .map(|(at, one)| {
                let status = match signed.iter().find(|s| s.operation == one.key) {
                    Some(done) => OperationStatus::Done(done.clone()),
                    None if reached => OperationStatus::Later,
                    None => {
                        reached = true;
                        OperationStatus::Now(self.missing(at, signed, readings))
                    }
                };
                (one.clone(), status)
            })
            .collect()
    }

    /// Whether an operation can be signed now; `waived` is the reason for going on without its readings.
    ///
    /// # Errors
    /// What is in the way.
    pub fn may_sign(
        &self,
        key: &str,
        signed: &[Signature],
        readings: &[Reading],
        waived: &str,
    ) -> Result<(), SigningRefusal> {
        let at = self.0.iter().position(|one| one.key == key).ok_or(SigningRefusal::Unknown)?;
        let is_signed = |key: &str| signed.iter().any(|s| s.operation == key);
        if is_signed(key) {
            return Err(SigningRefusal::Signed);
        }
        if let Some(before) = self.0[..at].iter().find(|one| !is_signed(&one.key)) {
            return Err(SigningRefusal::Before(before.name.clone()));
        }
        let missing = self.missing(at, signed, readings);
        if missing.is_empty() || !waived.trim().is_empty() {
            return Ok(());
        }
        let names: Vec<&str> = missing.iter().map(|kind| kind.name()).collect();
        Err(SigningRefusal::Holds(names.join(" and ")))
    }

    /// Readings that an operation holds for and that are not in. An open coil has been read, and holds nothing up.
    fn missing(&self, at: usize, signed: &[Signature], readings: &[Reading]) -> Vec<Kind> {
        let is_in = |kind: &Kind| {
            let is_later = self.is_later(at, *kind, signed);
            let is_read = standing(readings).iter().any(|r| r.kind == *kind && is_later(r));
            is_read || (*kind != Kind::Turns && open_coil(readings).is_some_and(is_later))
        };
        self.0[at].hold.iter().copied().filter(|kind| !is_in(kind)).collect()
    }

    /// Whether a reading was taken for an operation. Where an earlier one held for the kind as well, it is taken anew: what was read before
    /// that one was signed says nothing of what was done since.
    fn is_later(&self, at: usize, kind: Kind, signed: &[Signature]) -> impl Fn(&Reading) -> bool {
        let holding = self.0[..at].iter().filter(|one| one.hold.contains(&kind));
        let since =
            holding.filter_map(|one| signed.iter().find(|s| s.operation == one.key)).map(|s| s.at).max();
        move |r: &Reading| match (since, r.taken_at) {
            (Some(since), Some(taken)) => taken > since,
            _ => true,
        }
    }

    /// What was read for each operation, the last of each kind that it holds for; nothing where one of them is not read yet. What is
    /// read after an operation was signed belongs to a later one.
    #[must_use]
    pub fn readings_for(&self, signed: &[Signature], readings: &[Reading]) -> Vec<Vec<Reading>> {
        let is_signed = |one: &Operation| signed.iter().find(|s| s.operation == one.key);
        let of = |(at, one): (usize, &Operation)| -> Option<Vec<Reading>> {
            let until = is_signed(one).map(|s| s.at);
            let kind = |kind: &Kind| {
                if self.0[..at].iter().any(|before| before.hold.contains(kind) && is_signed(before).is_none())
                {
                    return None;
                }
                let is_later = self.is_later(at, *kind, signed);
                let is_before =
                    |r: &Reading| !matches!((until, r.taken_at), (Some(until), Some(taken)) if taken > until);
                standing(readings)
                    .into_iter()
                    .rfind(|r| r.kind == *kind && is_later(r) && is_before(r))
                    .cloned()
            };
            one.hold.iter().map(kind).collect()
        };
        self.0.iter().enumerate().map(|one| of(one).unwrap_or_default()).collect()
    }

    /// Whether every operation is signed.
    #[must_use]
    pub fn is_done(&self, signed: &[Signature]) -> bool {
        !self.0.is_empty() && self.0.iter().all(|one| signed.iter().any(|s| s.operation == one.key))
    }
}

/// What is assembled: only parts that the design has, with the joints and bars by name.
fn assemble(design: &Design) -> String {
    let has = |part: MetalPart| design.metal.iter().any(|m| m.part == part);
    let mut steps = Vec::new();
    for bar in bar_placements(design) {
        steps.push(format!("Bar magnet: north face {}.", bar.north_face));
    }
    for one in connections(design) {
        if let Connection::Joint((a, from), (b, to)) = one {
            steps.push(format!("Join coil {a}, {}, to coil {b}, {}.", from.words(), to.words()));
        }
    }
    let plate = has(MetalPart::BasePlate) || has(MetalPart::Plate);
    if plate {
        steps.push("Plate, insulated from the poles where it touches them.".into());
    }
    steps.push("Leads; tape round the coil.".into());
    if has(MetalPart::Cover) {
        steps.push("Cover.".into());
    }
    match (plate, has(MetalPart::Cover)) {
        (true, true) => steps.push("Ground the plate and the cover.".into()),
        (true, false) => steps.push("Ground the plate.".into()),
        (false, true) => steps.push("Ground the cover.".into()),
        (false, false) => {}
    }
    steps.join(" ")
}

/// How the coil is potted; nothing of a design that is not.
fn potting(design: &Design) -> Option<Operation> {
    let potting = design.potting();
    if potting.fill <= 0.0 {
        return None;
    }
    let (name, how, caution, minutes) = match potting.medium {
        Medium::None => return None,
        Medium::Wax => ("Pot in wax", "Until no more bubbles rise; wipe and let it cool.", WAX, Some(15)),
        Medium::Lacquer => {
            ("Pot in lacquer", "Until no more bubbles rise; dry by the data sheet.", LACQUER, None)
        }
        Medium::Epoxy => ("Pot in epoxy", "Mix and cure by the data sheet.", EPOXY, None),
    };
    Some(Operation { minutes, ..operation("pot", name, how, caution) })
}

/// Which way the lead goes, for the direction.
fn start_lead(design: &Design) -> String {
    let coils: Vec<String> = design
        .coils
        .iter()
        .map(|c| {
            let way = direction_words(c.wind.direction);
            if design.coils.len() == 1 {
                format!("The coil runs {way} seen from above")
            } else {
                format!("coil {} runs {way} seen from above", c.name)
            }
        })
        .collect();
    format!(
        "Through its eyelet and wrapped, so that the first turn pulls it tight. {}. The start is at the core, the finish at \
         the edge.",
        capital(&coils.join(", "))
    )
}

/// How the ends are stripped, by the insulation.
fn close(design: &Design) -> String {
    let scrape = design.coils.iter().any(|c| c.wire.insulation.stripping() == Stripping::Scrape);
    let strip = if scrape {
        "This enamel does not burn off: scrape it before soldering"
    } else {
        "This enamel burns off in the solder: hot iron, and wait until it flows"
    };
    format!("Tape before cutting; the last turns run out next to the finish eyelet. {strip}.")
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Potting, starting_point, tall_single};
    use coil::wire::Insulation;
    use rstest::rstest;

    fn reading(kind: Kind) -> Reading {
        Reading {
            id: 1,
            corrects: None,
            kind,
            pole: None,
            value: Some(1.0),
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            taken_at: None,
        }
    }

    fn sign(key: &str) -> Signature {
        Signature {
            operation: key.into(),
            by: "Ode".into(),
            at: time::macros::datetime!(2026-11-25 09:00),
            waived: String::new(),
        }
    }

    /// Common practice, no source: rods are bevelled before they are pressed and charged after the coil is checked; a
    /// twin with steel poles has nothing to charge by the pole; wax comes before the last measurement.
    #[rstest]
    #[case(Format::TallSingle, true)]
    #[case(Format::TwinCoil, false)]
    #[case(Format::WideSingle, false)]
    fn the_order_of_the_work(#[case] kind: Format, #[case] rods: bool) {
        let mut design = starting_point(kind, "Sedge", 6, 10.0);
        let has = |design: &Design, key: &str| Traveller::usual(design).0.iter().any(|o| o.key == key);
        assert!(!has(&design, "pot"), "what the design has not is not done");
        design.potting = Some(Potting { medium: Medium::Wax, fill: 1.0 });
        let all = Traveller::usual(&design);
        let at = |key: &str| all.0.iter().position(|o| o.key == key);
        assert_eq!((at("bevel").is_some(), at("charge").is_some()), (rods, rods));
        assert!(at("wind") < at("close") && at("close") < at("first-check") && at("pot") < at("final"));
        if rods {
            assert!(
                at("bevel") < at("press") && at("press") < at("insulate") && at("first-check") < at("charge")
            );
        }
        for key in ["wind", "pot", "close"] {
            assert!(!all.0[at(key).unwrap()].caution.is_empty(), "{key} can hurt");
        }
        all.check().unwrap();
    }

    /// Plain enamel and polyvinyl acetal are scraped, polyurethane burns off (common practice, no source).
    #[test]
    fn how_the_ends_are_stripped() {
        let mut design = tall_single("Sedge", 6, 10.4);
        let how = |d: &Design| Traveller::usual(d).0.iter().find(|o| o.key == "close").unwrap().how.clone();
        design.coils[0].wire.insulation = Insulation::PlainEnamel;
        assert!(how(&design).contains("scrape"));
        design.coils[0].wire.insulation = Insulation::Polyurethane;
        assert!(how(&design).contains("burns off in the solder"));
    }

    #[test]
    fn hold_points_hold_until_read_or_waived() {
        let all = Traveller::usual(&tall_single("Sedge", 6, 10.4));
        let mut signed: Vec<Signature> =
            ["seams", "bevel", "press", "insulate", "start-lead"].map(sign).to_vec();
        assert_eq!(all.may_sign("close", &signed, &[], ""), Err(SigningRefusal::Before("Wind".into())));
        assert_eq!(all.may_sign("wind", &signed, &[], ""), Err(SigningRefusal::Holds("the turns".into())));
        assert_eq!(all.may_sign("wind", &signed, &[reading(Kind::Turns)], ""), Ok(()));
        assert_eq!(all.may_sign("wind", &signed, &[], "counter stood still; wound by the clock"), Ok(()));
        assert_eq!(all.may_sign("seams", &signed, &[], ""), Err(SigningRefusal::Signed));
        assert_eq!(all.may_sign("moon", &signed, &[], ""), Err(SigningRefusal::Unknown));
        let progress = all.progress(&signed, &[]);
        assert!(matches!(&progress[5].1, OperationStatus::Now(missing) if *missing == [Kind::Turns]));
        assert_eq!(progress[6].1, OperationStatus::Later);
        // An open coil is a reading: nothing is gained by waiting for its ohms.
        signed.extend(["wind", "close"].map(sign));
        assert_eq!(all.may_sign("first-check", &signed, &[reading(Kind::Open)], ""), Ok(()));
        assert!(!all.is_done(&signed));
        signed.extend(["first-check", "charge", "assemble", "final"].map(sign));
        assert!(all.is_done(&signed));
    }

    /// The final measurement is one of its own: what the first check read does not stand for it.
    #[test]
    fn the_final_measurement_holds_until_it_is_made() {
        let all = Traveller::usual(&tall_single("Sedge", 6, 10.4));
        let signed: Vec<Signature> =
            all.0.iter().filter(|one| one.key != "final").map(|one| sign(&one.key)).collect();
        let at = |kind, hour: u8| {
            let taken_at = signed[0].at.replace_hour(hour).ok();
            Reading { taken_at, ..reading(kind) }
        };
        let before = [at(Kind::Resistance, 8), at(Kind::Inductance, 8)];
        let missing = || Err(SigningRefusal::Holds("the resistance".into()));
        assert_eq!(
            all.may_sign("final", &signed, &before, ""),
            missing(),
            "inductance was not held for before"
        );
        let after = [at(Kind::Resistance, 8), at(Kind::Inductance, 8), at(Kind::Resistance, 10)];
        assert_eq!(all.may_sign("final", &signed, &after, ""), Ok(()));
        assert_eq!(all.may_sign("final", &signed, &before, "sold as it is"), Ok(()));
    }

    /// What the first check read stands there and nowhere else: the final measurement is empty until it is made.
    #[test]
    fn readings_stand_at_the_operation_that_they_were_taken_for() {
        let all = Traveller::usual(&tall_single("Sedge", 6, 10.4));
        let place = |key: &str| all.0.iter().position(|one| one.key == key).unwrap();
        let at = |kind, hour: u8| {
            let taken_at = sign("x").at.replace_hour(hour).ok();
            Reading { taken_at, ..reading(kind) }
        };
        let first = [at(Kind::Resistance, 8), at(Kind::Inductance, 8)];
        let none = all.readings_for(&[], &first);
        assert_eq!((none[place("first-check")].len(), none[place("final")].len()), (1, 0));
        let signed: Vec<Signature> =
            all.0.iter().filter(|one| one.key != "final").map(|one| sign(&one.key)).collect();
        let later = [&first[..], &[at(Kind::Resistance, 10), at(Kind::Inductance, 10)]].concat();
        let both = all.readings_for(&signed, &later);
        assert_eq!(both[place("first-check")][0].taken_at, first[0].taken_at);
        assert_eq!(both[place("final")].len(), 2);
        assert_eq!(both[place("final")][0].taken_at, later[2].taken_at);
    }

    #[test]
    fn a_coil_alone_is_checked_and_not_potted() {
        let all = Traveller::usual(&starting_point(Format::TwinCoil, "Sedge", 6, 10.0)).for_coil();
        assert_eq!(all.0.last().unwrap().key, "first-check");
    }

    /// Nothing waits for a reading that has no field: the flux of a coil without magnets under its strings.
    #[test]
    fn nothing_waits_for_what_cannot_be_read() {
        let holds = |design: &Design, coil: Option<&str>| {
            let mut traveller = Traveller::usual(design);
            let wound = coil.map_or_else(|| design.clone(), |name| design.alone(name).unwrap());
            if coil.is_some() {
                traveller = traveller.for_coil();
            }
            let all = traveller.readable_on(&wound).0;
            all.into_iter().flat_map(|one| one.hold).collect::<Vec<_>>()
        };
        let of = |kind| starting_point(kind, "Sedge", 6, 10.4);
        assert!(holds(&of(Format::TallSingle), None).contains(&Kind::Flux));
        assert!(
            holds(&of(Format::ButtonMagnet), None).contains(&Kind::Flux),
            "buttons are numbered in their order"
        );
        assert!(!holds(&of(Format::Concentric), Some("outer")).contains(&Kind::Flux));
        assert!(holds(&of(Format::Concentric), Some("inner")).contains(&Kind::Flux));
        // A coil alone closes with all that its verdict asks for.
        let alone = holds(&of(Format::TwinCoil), Some("A"));
        assert_eq!(alone, [Kind::Turns, Kind::Resistance, Kind::Inductance]);
    }

    #[test]
    fn a_workshops_own_traveller_is_checked() {
        let one = |key: &str, name: &str| operation(key, name, "", "");
        assert!(Traveller(vec![]).check().is_err());
        assert!(Traveller(vec![one("a", " ")]).check().unwrap_err().contains("needs a name"));
        assert!(
            Traveller(vec![one("a", "x"), one("a", "y")]).check().unwrap_err().contains("Two operations")
        );
        assert!(Traveller(vec![one("a", &"x".repeat(500))]).check().is_err());
    }
}
