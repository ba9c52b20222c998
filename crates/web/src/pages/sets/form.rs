//! The form of a set: its fields, and the set that they say.

use coil::capital;
use coil::circuit::Join;
use coil::design::{Design, Problem};
use coil::quantity::{Measure, Units};
use coil::set::{ControlWiring, Controls, LeadOrder, SwitchPosition, Targets};
use presentation::field::{Choice, Field};
use presentation::form_fields::{Errors, FormFields};
use presentation::format;
use presentation::read::{measured, number_in, optional};
use std::collections::BTreeMap;
use store::RevisionId;
use store::design::RevisionRow;
use workshop::{DraftPickup, SetDraft};

/// Most pickups and positions that a form has.
const MOST_PICKUPS: usize = 6;
const MOST_POSITIONS: usize = 16;

/// Where a new pickup stands, mm from the bridge: near it, near the neck, between, and wherever there is room.
const PLACES_MM: [f64; MOST_PICKUPS] = [45.0, 155.0, 100.0, 72.0, 128.0, 183.0];
const NAMES: [&str; MOST_PICKUPS] = ["bridge", "neck", "middle", "fourth", "fifth", "sixth"];

/// A pickup's fields.
pub(super) struct PickupFields {
    /// Its index.
    pub index: usize,
    /// Its name as typed.
    pub name: String,
    /// Fields in order.
    pub fields: Vec<Field>,
    /// The revision's page.
    pub revision: Option<u64>,
    /// A newer revision of its design, by its name.
    pub newer: Option<String>,
}

/// A position's fields.
pub(super) struct PositionFields {
    /// Its index.
    pub index: usize,
    /// Its name.
    pub name: Field,
    /// Pickups: name of the box, the pickup's name, whether it is on.
    pub on: Vec<(String, String, bool)>,
    /// What is wrong with what is on.
    pub on_error: String,
    /// How they are joined.
    pub join: Field,
    /// Which coils of a pickup of several are used.
    pub coils: Vec<Field>,
}

impl PositionFields {
    /// Whether several pickups are on, so that they can be joined in more than one way.
    pub(super) fn is_several(&self) -> bool {
        self.on.iter().filter(|(.., on)| *on).count() > 1
    }
}

/// A set in its fields.
pub(super) struct SetFields {
    /// Its name, and the hidden ones' values.
    pub name: Field,
    /// Pickups.
    pub pickups: Vec<PickupFields>,
    /// Positions.
    pub positions: Vec<PositionFields>,
    /// Controls, cable and targets.
    pub controls: Vec<Field>,
    /// Whether another pickup, or another position, still fits.
    pub has_room: (bool, bool),
}

/// The form that shows a draft.
pub(super) fn filled(draft: &SetDraft, units: Units) -> FormFields {
    let mut form = FormFields::default();
    form.set("name", draft.name.clone());
    for (i, p) in draft.pickups.iter().enumerate() {
        form.set(format!("p{i}_name"), p.name.clone());
        form.set(format!("p{i}_revision"), p.revision.to_string());
        form.set(format!("p{i}_place"), units.field(Measure::Length, p.from_bridge_mm));
        form.set(format!("p{i}_turned"), if p.turned { "yes" } else { "" });
        form.set(format!("p{i}_leads"), if p.leads == LeadOrder::Swapped { "swapped" } else { "" });
    }
    for (j, s) in draft.switch.iter().enumerate() {
        form.set(format!("s{j}_name"), s.name.clone());
        for (i, p) in draft.pickups.iter().enumerate() {
            if s.on.contains(&p.name) {
                form.set(format!("s{j}_on{i}"), "yes");
            }
            if let Some(join) = s.coils.get(&p.name) {
                form.set(format!("s{j}_coils{i}"), join.clone());
            }
        }
        form.set(format!("s{j}_join"), if s.join == Some(Join::Series) { "series" } else { "" });
    }
    let number = |value: f64| format::plain(value, 6);
    form.set("volume", number(draft.controls.volume_kohm));
    form.set("tone", number(draft.controls.tone_kohm));
    form.set("tone_nf", number(draft.controls.tone_nf));
    form.set("wiring", if draft.controls.wiring == ControlWiring::Own { "own" } else { "" });
    form.set("cable", number(draft.cable_pf));
    form.set("input", number(draft.input_mohm));
    form.set("balance", draft.targets.balance_db.map_or_else(String::new, number));
    form.set("order", if draft.targets.peaks_in_order { "yes" } else { "" });
    form.set("hum", draft.targets.hum_rejection_db.map_or_else(String::new, number));
    form
}

fn pickup_count(form: &FormFields) -> usize {
    (0..MOST_PICKUPS).take_while(|i| form.has(&format!("p{i}_name"))).count()
}

fn position_count(form: &FormFields) -> usize {
    (0..MOST_POSITIONS).take_while(|j| form.has(&format!("s{j}_name"))).count()
}

/// The set that a form says, and what cannot be read of it: such a set is neither predicted nor saved.
pub(super) fn read(form: &FormFields, units: Units) -> (SetDraft, Errors) {
    let mut errors = Errors::new();
    let mut pickups = Vec::new();
    for i in 0..pickup_count(form) {
        let field = |key: &str| format!("p{i}_{key}");
        let revision = form.id(&field("revision"));
        if revision.is_none() {
            errors.insert(field("revision"), "Choose the design.".into());
        }
        let range = (1.0, 1200.0);
        let place = measured(form, &mut errors, &field("place"), range, (Measure::Length, units));
        if place.is_none() {
            errors.entry(field("place")).or_insert_with(|| "Type its distance from the bridge.".into());
        }
        if form.get(&field("name")).trim().is_empty() {
            errors.insert(field("name"), "Type a name, such as neck or bridge.".into());
        }
        pickups.push(DraftPickup {
            name: form.get(&field("name")).to_owned(),
            revision: RevisionId(revision.unwrap_or_default()),
            from_bridge_mm: place.unwrap_or(f64::NAN),
            turned: form.get(&field("turned")) == "yes",
            leads: if form.get(&field("leads")) == "swapped" {
                LeadOrder::Swapped
            } else {
                LeadOrder::Normal
            },
        });
    }
    let mut switch = Vec::new();
    for j in 0..position_count(form) {
        let is_on = |i: &usize| form.get(&format!("s{j}_on{i}")) == "yes";
        let on: Vec<usize> = (0..pickups.len()).filter(is_on).collect();
        let coils: BTreeMap<String, String> = on
            .iter()
            .map(|&i| (pickups[i].name.clone(), form.get(&format!("s{j}_coils{i}")).to_owned()))
            .filter(|(_, join)| !join.is_empty())
            .collect();
        let join = if form.get(&format!("s{j}_join")) == "series" { Join::Series } else { Join::Parallel };
        switch.push(SwitchPosition {
            name: form.get(&format!("s{j}_name")).to_owned(),
            join: (on.len() > 1).then_some(join),
            on: on.into_iter().map(|i| pickups[i].name.clone()).collect(),
            coils,
        });
    }
    let usual = Controls::default();
    let mut needed = |name: &str, range: (f64, f64), unit: &'static str, usual: f64| {
        let value = optional(form, &mut errors, name, range, number_in(unit));
        if value.is_none() {
            errors
                .entry(name.into())
                .or_insert_with(|| format!("Type a value; {} {unit} is usual.", format::plain(usual, 3)));
        }
        value.unwrap_or(usual)
    };
    let controls = Controls {
        volume_kohm: needed("volume", (1.0, 1e5), "kΩ", usual.volume_kohm),
        tone_kohm: needed("tone", (0.0, 1e5), "kΩ", usual.tone_kohm),
        tone_nf: needed("tone_nf", (0.0, 1000.0), "nF", usual.tone_nf),
        wiring: if form.get("wiring") == "own" { ControlWiring::Own } else { ControlWiring::Shared },
    };
    let cable_pf = needed("cable", (0.0, 10_000.0), "pF", 470.0);
    let input_mohm = needed("input", (0.001, 1000.0), "MΩ", 1.0);
    let mut number = |name: &str, range: (f64, f64), unit: &'static str| {
        optional(form, &mut errors, name, range, number_in(unit))
    };
    let targets = Targets {
        balance_db: number("balance", (0.0, 20.0), "dB"),
        hum_rejection_db: number("hum", (0.0, 80.0), "dB"),
        peaks_in_order: form.get("order") == "yes",
    };
    let name = form.get("name").to_owned();
    (SetDraft { name, pickups, controls, cable_pf, input_mohm, switch, targets }, errors)
}

/// Problems of a set's document at the fields that they belong to.
pub(super) fn at_fields(problems: &[Problem], errors: &mut Errors) {
    for problem in problems {
        let words = format!("{}; {}.", capital(&problem.text), problem.try_);
        errors.entry(field_of(&problem.at)).or_insert(words);
    }
}

fn field_of(at: &str) -> String {
    let index = |rest: &str| rest.split(']').next().unwrap_or("0").to_owned();
    if let Some(rest) = at.strip_prefix("pickups[") {
        let i = index(rest);
        return match rest.split_once('.').map_or("", |(_, place)| place) {
            "name" => format!("p{i}_name"),
            "from_bridge_mm" => format!("p{i}_place"),
            _ => format!("p{i}_revision"),
        };
    }
    if let Some(rest) = at.strip_prefix("switch[") {
        let j = index(rest);
        let is_name = rest.split_once('.').is_some_and(|(_, place)| place == "name");
        return if is_name { format!("s{j}_name") } else { format!("s{j}_on") };
    }
    match at {
        "controls.volume_kohm" => "volume",
        "controls.tone_kohm" => "tone",
        "controls.tone_nf" => "tone_nf",
        "cable_pf" => "cable",
        "input_mohm" => "input",
        "targets.balance_db" => "balance",
        "targets.hum_rejection_db" => "hum",
        "targets.peaks_in_order" => "order",
        _ => "name",
    }
    .to_owned()
}

/// Makes a whole change of a set. What is no step leaves it as it is.
pub(super) fn step(draft: &mut SetDraft, step: &str, rows: &[RevisionRow]) {
    let (what, index) = step.split_once(':').unwrap_or((step, "0"));
    let index: usize = index.parse().unwrap_or(usize::MAX);
    let was_usual = draft.switch == SetDraft::usual_switch(&draft.pickups);
    match what {
        "pickup.add" if draft.pickups.len() < MOST_PICKUPS => {
            let taken = |name: &str| draft.pickups.iter().any(|p| p.name == name);
            let k = (0..MOST_PICKUPS).find(|k| !taken(NAMES[*k])).unwrap_or(draft.pickups.len());
            let last = draft.pickups.last().map(|p| p.revision);
            draft.pickups.push(DraftPickup {
                name: NAMES[k].to_owned(),
                revision: last.or_else(|| rows.first().map(|r| r.id)).unwrap_or(RevisionId(0)),
                from_bridge_mm: PLACES_MM[k],
                turned: false,
                leads: LeadOrder::Normal,
            });
            // From the bridge on, as they lie in the drawing.
            draft.pickups.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        }
        "pickup.remove" if index < draft.pickups.len() && draft.pickups.len() > 1 => {
            let gone = draft.pickups.remove(index).name;
            for position in &mut draft.switch {
                position.on.retain(|name| *name != gone);
                position.coils.remove(&gone);
            }
            draft.switch.retain(|position| !position.on.is_empty());
        }
        "position.add" if draft.switch.len() < MOST_POSITIONS => {
            let on = draft.pickups.iter().map(|p| p.name.clone()).collect();
            let name = (draft.switch.len() + 1).to_string();
            draft.switch.push(SwitchPosition {
                name,
                on,
                join: Some(Join::Parallel),
                coils: BTreeMap::new(),
            });
        }
        "position.remove" if index < draft.switch.len() && draft.switch.len() > 1 => {
            draft.switch.remove(index);
        }
        "switch.usual" => draft.switch = SetDraft::usual_switch(&draft.pickups),
        "switch.toggle" => draft.switch = SetDraft::toggle_switch(&draft.pickups),
        "revision.newest" => {
            if let Some(pickup) = draft.pickups.get_mut(index)
                && let Some(newest) = newer_revision(rows, pickup.revision)
            {
                pickup.revision = newest.id;
            }
        }
        "leads.swap" => {
            if let Some(pickup) = draft.pickups.get_mut(index) {
                pickup.leads = pickup.leads.exchanged();
            }
        }
        _ => {}
    }
    if what.starts_with("pickup.") && was_usual {
        draft.switch = SetDraft::usual_switch(&draft.pickups);
    }
}

/// The newest revision of the design that a revision belongs to, where that is another. A variant has been chosen for itself: nothing
/// is newer than it.
fn newer_revision(rows: &[RevisionRow], of: RevisionId) -> Option<&RevisionRow> {
    let chosen = rows.iter().find(|row| row.id == of).filter(|row| !row.is_variant)?;
    let of_design = rows.iter().filter(|row| row.design_id == chosen.design_id && !row.is_variant);
    of_design.max_by_key(|row| row.number).filter(|newest| newest.number > chosen.number)
}

/// A set to begin with: so many pickups of the first revisions at hand.
pub(super) fn begun(rows: &[RevisionRow], chosen: &[RevisionId], count: usize) -> SetDraft {
    let mut draft = SetDraft {
        name: String::new(),
        pickups: Vec::new(),
        controls: Controls::default(),
        cable_pf: 470.0,
        input_mohm: 1.0,
        switch: Vec::new(),
        targets: Targets::default(),
    };
    for _ in 0..count.clamp(1, MOST_PICKUPS) {
        step(&mut draft, "pickup.add", rows);
    }
    for (pickup, revision) in draft.pickups.iter_mut().zip(chosen) {
        pickup.revision = *revision;
    }
    draft.switch = SetDraft::usual_switch(&draft.pickups);
    draft
}

/// A form with what is wrong with it and what its fields are chosen from.
pub(super) struct Shown<'a> {
    /// What was typed.
    pub form: &'a FormFields,
    /// Messages by field.
    pub errors: &'a Errors,
    /// The revisions to choose from.
    pub rows: &'a [RevisionRow],
    /// The designs of its pickups, as far as they are known.
    pub designs: &'a [Option<&'a Design>],
    /// The workshop's units.
    pub units: Units,
}

impl Shown<'_> {
    /// All fields.
    pub(super) fn fields(&self) -> SetFields {
        let (pickups, positions) = (pickup_count(self.form), position_count(self.form));
        SetFields {
            name: self.field(Field::typed("name", "Name of the set", "")),
            pickups: (0..pickups).map(|i| self.pickup(i)).collect(),
            positions: (0..positions).map(|j| self.position(j, pickups)).collect(),
            controls: self.controls(),
            has_room: (pickups < MOST_PICKUPS, positions < MOST_POSITIONS),
        }
    }

    fn field(&self, field: Field) -> Field {
        field.filled(self.form, self.errors)
    }

    fn chosen(&self, name: &str, label: &str, options: &[(&'static str, &'static str)]) -> Field {
        let options = options.iter().map(|(value, label)| Choice::new(*value, *label)).collect();
        self.field(Field::chosen(name, label, "", options))
    }

    fn revisions(&self, chosen: &str) -> Vec<Choice> {
        let words = |r: &RevisionRow| format!("{} r{} ({})", r.name, r.number, r.kind.name());
        let mut all = vec![Choice::new("", "choose")];
        all.extend(self.rows.iter().map(|r| Choice::new(r.id.to_string(), words(r))));
        // One that is older than those listed stays chosen.
        if !chosen.is_empty() && !all.iter().any(|c| c.value == chosen) {
            all.push(Choice::new(chosen.to_owned(), "an older revision"));
        }
        all
    }

    fn pickup(&self, i: usize) -> PickupFields {
        let key = |key: &str| format!("p{i}_{key}");
        let revision = self.form.get(&key("revision")).to_owned();
        let place_hint = "To its middle; or drag it in the drawing.";
        let place = (Measure::Length, self.units);
        PickupFields {
            index: i,
            name: self.form.get(&key("name")).to_owned(),
            newer: revision
                .parse()
                .ok()
                .and_then(|id| newer_revision(self.rows, RevisionId(id)))
                .map(|newest| format!("r{}", newest.number)),
            revision: revision.parse().ok(),
            fields: vec![
                self.field(Field::typed(&key("name"), "Name in the set", "")),
                self.field(Field::chosen(&key("revision"), "Design", "", self.revisions(&revision))),
                self.field(Field::measured(&key("place"), "From the bridge", place_hint, place)),
                self.chosen(&key("leads"), "Leads", &[("", "as designed"), ("swapped", "swapped")]),
                self.chosen(&key("turned"), "Sits", &[("", "as designed"), ("yes", "turned by half a turn")]),
            ],
        }
    }

    fn position(&self, j: usize, pickups: usize) -> PositionFields {
        let name_of = |i: usize| self.form.get(&format!("p{i}_name")).to_owned();
        let is_on = |i: usize| self.form.get(&format!("s{j}_on{i}")) == "yes";
        let coils = (0..pickups).filter(|i| is_on(*i)).filter_map(|i| {
            let design = self.designs.get(i).copied().flatten()?;
            if design.coils.len() < 2 {
                return None;
            }
            let mut choices = vec![
                Choice::new("", "as designed"),
                Choice::new("series", "in series"),
                Choice::new("parallel", "in parallel"),
            ];
            let alone = |name: &String| Choice::new(format!("split:{name}"), format!("coil {name} alone"));
            choices.extend(design.coils.iter().map(|c| alone(&c.name)));
            let label = format!("Coils of {}", name_of(i));
            Some(self.field(Field::chosen(&format!("s{j}_coils{i}"), &label, "", choices)))
        });
        PositionFields {
            index: j,
            name: self.field(Field::typed(&format!("s{j}_name"), "Position", "")),
            on: (0..pickups).map(|i| (format!("s{j}_on{i}"), name_of(i), is_on(i))).collect(),
            on_error: self.errors.get(&format!("s{j}_on")).cloned().unwrap_or_default(),
            join: self.chosen(
                &format!("s{j}_join"),
                "Joined",
                &[("", "in parallel"), ("series", "in series")],
            ),
            coils: coils.collect(),
        }
    }

    fn controls(&self) -> Vec<Field> {
        let typed = |name: &str, label: &str, hint: &str, unit: &str| {
            self.field(Field::typed(name, label, hint).unit(unit))
        };
        let balance_hint = "± from the mean level of all; empty for none.";
        let hum_hint = "Where several pickups are on; empty for none.";
        vec![
            typed("volume", "Volume", "", "kΩ"),
            typed("tone", "Tone", "", "kΩ"),
            typed("tone_nf", "Tone capacitor", "0 for none.", "nF"),
            self.chosen("wiring", "Controls", &[("", "shared by all"), ("own", "a volume and a tone each")]),
            typed("cable", "Cable", "", "pF"),
            typed("input", "Amplifier input", "", "MΩ"),
            typed("balance", "Target: balance within", balance_hint, "dB"),
            typed("hum", "Target: hum rejection at least", hum_hint, "dB"),
            self.chosen(
                "order",
                "Target: peaks",
                &[("", "in any order"), ("yes", "highest at the bridge, lowest at the neck")],
            ),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row_free(count: usize) -> SetDraft {
        begun(&[], &[RevisionId(4), RevisionId(7), RevisionId(9)], count)
    }

    /// A draft shown in its form says the same draft again.
    #[test]
    fn what_is_shown_is_what_is_read() {
        let mut draft = row_free(3);
        draft.name = "Sedge".into();
        draft.pickups[1].leads = LeadOrder::Swapped;
        draft.pickups[2].turned = true;
        draft.switch[1].join = Some(Join::Series);
        draft.switch[0].coils.insert("bridge".into(), "split:A".into());
        draft.targets.balance_db = Some(1.5);
        draft.targets.peaks_in_order = true;
        draft.controls.wiring = ControlWiring::Own;
        let (again, errors) = read(&filled(&draft, Units::default()), Units::default());
        assert_eq!(again, draft);
        assert!(errors.is_empty(), "{errors:?}");
    }

    /// The switch grows with the pickups until it is changed by hand; a pickup that goes takes its positions along.
    #[test]
    fn steps_keep_the_switch_whole() {
        let mut draft = row_free(2);
        assert_eq!(draft.switch.len(), 3);
        step(&mut draft, "pickup.add", &[]);
        assert_eq!((draft.pickups[1].name.as_str(), draft.switch.len()), ("middle", 5));
        step(&mut draft, "position.remove:0", &[]);
        step(&mut draft, "pickup.remove:0", &[]);
        assert!(draft.switch.iter().all(|p| !p.on.is_empty() && !p.on.contains(&"bridge".to_owned())));
        step(&mut draft, "switch.usual", &[]);
        assert_eq!(draft.switch.len(), 3);
        step(&mut draft, "pickup.add", &[]);
        step(&mut draft, "switch.toggle", &[]);
        assert_eq!(draft.switch.iter().map(|p| p.on.len()).collect::<Vec<_>>(), [1, 3, 1]);
        step(&mut draft, "switch.usual", &[]);
        step(&mut draft, "leads.swap:1", &[]);
        assert_eq!(draft.pickups[1].leads, LeadOrder::Swapped);
        let before = draft.clone();
        for nothing in ["", "leads.swap:9", "pickup.remove:x", "no.step"] {
            step(&mut draft, nothing, &[]);
        }
        assert_eq!(draft, before);
    }

    #[test]
    fn what_cannot_be_stands_at_its_field() {
        let mut form = filled(&row_free(2), Units::default());
        form.set("p1_place", "far");
        form.set("volume", "-3");
        form.set("p0_revision", "");
        let (_, errors) = read(&form, Units::default());
        assert_eq!(errors.keys().collect::<Vec<_>>(), ["p0_revision", "p1_place", "volume"]);
        let mut errors = Errors::new();
        let problem = |at: &str| Problem::new(at, "is wrong", "mend it");
        at_fields(
            &[problem("switch[1].on[0]"), problem("pickups[0].design.strings.count"), problem("cable_pf")],
            &mut errors,
        );
        assert_eq!(errors.keys().collect::<Vec<_>>(), ["cable", "p0_revision", "s1_on"]);
    }
}
