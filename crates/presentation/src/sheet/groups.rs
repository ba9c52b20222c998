//! The groups of a design's sheet: which fields there are, in which order, with what is usual.

use super::fields::{
    Entry, FieldDef, Group, Row, SpoolOption, Tool, def, headed, material, measure, mm, number, optional,
    percent, scaled, turns, typed, words,
};
use super::one_by_one::OneByOne;
use super::{poles, surroundings};
use crate::field::Choice;
use crate::read::number_in;
use coil::Word as _;
use coil::design::{Design, Format, MetalPart};
use coil::former::CoreShape;
use coil::quantity::{Fraction, Frequency, Inductance, Measure, Resistance, Tension, Turns, Units};
use coil::wire::{Insulation, Stripping};

/// The insulations, each with its thermal class and how it is stripped.
fn insulations() -> Entry {
    let label = |insulation: Insulation| {
        let stripping = match insulation.stripping() {
            Stripping::Solder => "solders through",
            Stripping::Scrape => "to be scraped",
        };
        format!("{} ({} °C, {stripping})", insulation.spoken(), insulation.thermal_class_c())
    };
    Entry::Choice(Insulation::ALL.into_iter().map(|i| Choice::new(i.word(), label(i))).collect())
}

/// All groups of a design's sheet, in the workshop's units.
pub(super) fn groups(
    design: &Design,
    spools: &[SpoolOption],
    one_by_one: OneByOne,
    units: Units,
) -> Vec<Group> {
    let mut all = groups_in_file_units(design, spools, one_by_one);
    if units != Units::default() {
        all.iter_mut().flat_map(Group::all_fields_mut).for_each(|def| def.set_units(units));
    }
    all
}

fn groups_in_file_units(design: &Design, spools: &[SpoolOption], one_by_one: OneByOne) -> Vec<Group> {
    let mut all = vec![targets()];
    all.extend(coils(design, spools));
    all.push(poles::group(design, one_by_one.poles));
    all.extend(groups_after_poles(design, one_by_one.strings));
    all
}

/// All groups but that of the poles, in the document's units.
pub(super) fn groups_without_poles(design: &Design) -> Vec<Group> {
    let mut all = vec![targets()];
    all.extend(coils(design, &[]));
    all.extend(groups_after_poles(design, true));
    all
}

fn coils(design: &Design, spools: &[SpoolOption]) -> impl Iterator<Item = Group> {
    (0..design.coils.len()).flat_map(|i| [coil_winding(design, i, spools), coil_former(design, i)])
}

fn groups_after_poles(design: &Design, each_string: bool) -> Vec<Group> {
    let mut all = vec![strings(design, each_string)];
    all.extend(parts(design));
    if design.coils.len() > 1 {
        all.push(wiring(design));
    }
    all.push(surroundings::group(design));
    all.push(load());
    all
}

fn targets() -> Group {
    let from_to = |at: &str, what: &str, entry: fn() -> Entry, hint: &'static str| {
        [
            def(format!("{at}[0]"), format!("{what} from"), entry(), hint),
            def(format!("{at}[1]"), "to", entry(), "Empty for no target, or for “at least”."),
        ]
    };
    let ohms = || optional(number("Ω", |t| typed(t, Resistance::ohms)));
    let henries = || optional(number("H", |t| typed(t, Inductance::henries)));
    let hertz = || optional(number("Hz", |t| typed(t, Frequency::hz)));
    let picofarads = || optional(scaled("pF", 1e-12, |t| number_in("pF")(t)));
    Group {
        title: "Target".into(),
        folded: true,
        fields: [
            from_to("aims.resistance_ohm", "Resistance", ohms, "At 20 °C. Type 5.6k or 5600."),
            from_to("aims.inductance_h", "Inductance", henries, "As a meter reads it at a low frequency."),
            from_to(
                "aims.resonance_unloaded_hz",
                "Resonance, unloaded",
                hertz,
                "Of the pickup with its leads alone. Type 9 kHz.",
            ),
            from_to(
                "aims.peak_hz",
                "Peak, loaded",
                hertz,
                "With the pots, capacitor and cable of the load. Type 3.2 kHz.",
            ),
            from_to("aims.capacitance_f", "Capacitance", picofarads, "Of the pickup alone. Type 90 pF."),
            from_to("aims.peak_db", "Peak height", decibels, "Over the low level, loaded."),
            from_to("aims.output_db", "Output", decibels, "To the reference coil. Type +1.5."),
        ]
        .into_iter()
        .flatten()
        .collect(),
        ..Group::default()
    }
}

fn decibels() -> Entry {
    optional(number("dB", |t| {
        let bare = t.replace('−', "-");
        let bare = bare.trim().trim_end_matches("dB").trim().trim_start_matches('+');
        bare.parse::<f64>().ok().filter(|v| v.is_finite()).ok_or_else(|| "type decibels: +2 or -1.5".into())
    }))
}

fn coil_of(design: &Design, i: usize) -> String {
    if design.coils.len() == 1 { String::new() } else { format!("Coil {}, ", design.coils[i].name) }
}

#[allow(clippy::too_many_lines, reason = "one list of a coil's fields")]
fn coil_winding(design: &Design, i: usize, spools: &[SpoolOption]) -> Group {
    let at = |key: &str| format!("coils[{i}].{key}");
    let coil = &design.coils[i];
    let mut choices = vec![Choice::new("", "from the table")];
    if coil.wire.spool.is_some() {
        choices.push(Choice::new("keep", "as measured for this design"));
    }
    choices.extend(spools.iter().map(|s| Choice::new(s.id.to_string(), s.label.clone())));
    let newtons = number("N", |t| typed(t, Tension::newtons));
    let packing = number("", |t| typed(t, Fraction::ratio));
    let passes = number("", |t| typed(t, |t: Turns| f64::from(t.0)));
    let mut fields = vec![
        def(at("wind.turns"), "Turns", turns(), turns_hint(design.kind)),
        def(
            at("wire.gauge"),
            "Gauge",
            Entry::Gauge,
            "42 AWG is usual, 43 and 44 for strong coils. Also 0.063 mm or 46 SWG.",
        ),
        def(
            at("wire.insulation"),
            "Insulation",
            insulations(),
            "With its thermal class, and how it comes off before soldering. Scrape in good light, and extract the fumes.",
        ),
        def(
            at("wire.build"),
            "Build",
            words(&[("single", "single"), ("heavy", "heavy")]),
            "Thicker enamel: fewer turns in the room, less capacitance.",
        ),
        def(
            at("wire.range"),
            "Tolerance range",
            words(&[
                ("full", "any within the gauge"),
                ("minimum-to-nominal", "nominal or thinner"),
                ("nominal-to-maximum", "nominal or thicker"),
            ]),
            "Where in its tolerance the wire was asked for.",
        ),
        def(
            at("wire.spool"),
            "Spool",
            Entry::Choice(choices),
            "A measured spool narrows the band of R most.",
        ),
        def(
            at("wind.wander"),
            "Hand wander",
            percent(),
            "0 is machine-straight, a scattering hand wanders by about 30. More needs more room and has less capacitance.",
        ),
        def(
            at("wind.turns_per_pass"),
            "Turns per pass",
            optional(passes),
            "From flange to flange. Empty: as many as lie side by side.",
        ),
        def(
            at("wind.packing"),
            "Measured packing",
            optional(packing),
            "Empty: from the simulated lay. Straight 0.90, scattered 0.79.",
        ),
        def(
            at("wind.direction"),
            "Direction",
            words(&[("clockwise", "clockwise"), ("counter-clockwise", "counter-clockwise")]),
            "Seen from above, start to finish.",
        ),
        def(
            at("wind.tension_n"),
            "Tension",
            optional(newtons),
            "Empty: a third of what breaks the wire. Also in g.",
        ),
        def(
            at("wind.margin_mm"),
            "Guide margin",
            mm(),
            "How far inside the flanges the guide turns; 0.25 mm is usual.",
        ),
    ];
    let biases =
        [("even", "even"), ("centre", "centre"), ("edges", "edges"), ("top", "top"), ("bottom", "bottom")];
    for k in 0..coil.wind.plan.len() {
        fields.push(def(
            at(&format!("wind.plan[{k}].until_turn")),
            format!("Stage {} until turn", k + 1),
            turns(),
            "Where this stage of the plan ends; the next begins.",
        ));
        fields.push(def(
            at(&format!("wind.plan[{k}].bias")),
            "prefers the",
            words(&biases),
            "Where the guide spends most of its time.",
        ));
    }
    let mut tools = vec![Tool { step: format!("stage.add:{i}"), label: "Add a stage to the plan".into() }];
    if !coil.wind.plan.is_empty() {
        tools.push(Tool { step: format!("stage.remove:{i}"), label: "Remove the last stage".into() });
    }
    Group {
        title: headed(&format!("{}wire and wind", coil_of(design, i))),
        fields,
        tools,
        ..Group::default()
    }
}

fn turns_hint(kind: Format) -> &'static str {
    match kind {
        Format::TallSingle => "Tall singles usually take 7,000 to 8,500.",
        Format::WideSingle => "Wide singles usually take 8,000 to 10,000.",
        Format::TwinCoil => "Each coil of a twin usually takes 4,500 to 6,000.",
        Format::ShortSingle => "Short singles usually take 6,500 to 8,500.",
        _ => "",
    }
}

const fn core_name(shape: CoreShape) -> &'static str {
    match shape {
        CoreShape::Round => "round",
        CoreShape::Stadium => "straight with round ends",
        CoreShape::Rectangle => "rectangle",
    }
}

fn coil_former(design: &Design, i: usize) -> Group {
    let at = |key: &str| format!("coils[{i}].{key}");
    let coil = &design.coils[i];
    let shapes = [CoreShape::Round, CoreShape::Stadium, CoreShape::Rectangle]
        .map(|shape| Choice::new(shape.word(), core_name(shape)));
    let shape_note = "What the first turn lies on.";
    let mut fields =
        vec![def(at("former.core.shape"), "Core shape", Entry::Choice(shapes.to_vec()), shape_note)];
    if coil.former.core.shape == CoreShape::Round {
        fields.push(def(at("former.core.length_mm"), "Core diameter", mm(), "Outside."));
    } else {
        let note = "Outside, across the row, liner included. Empty: as wide as long.";
        fields.push(def(at("former.core.length_mm"), "Core length", mm(), "Outside, along the row."));
        fields.push(def(at("former.core.width_mm"), "Core width", optional(mm()), note));
    }
    if coil.former.core.shape == CoreShape::Rectangle {
        let note = "Radius of its corners. Empty: sharp.";
        fields.push(def(at("former.core.corner_mm"), "Core corners", optional(mm()), note));
    }
    fields.extend([
        def(at("former.height_mm"), "Winding height", mm(), "Between the flanges."),
        def(at("former.room_mm"), "Room for the winding", mm(), "From the core to the flange's edge."),
        def(at("former.flange_bottom_mm"), "Lower flange", mm(), "Thickness; 1.2 to 2.4 mm is usual."),
        def(at("former.flange_top_mm"), "Upper flange", mm(), "Thickness; 1.2 to 2.4 mm is usual."),
        def(at("base_mm"), "Height of the base", mm(), "Of the lower flange's underside."),
        def(at("center_mm[1]"), "Across", mm(), "Its middle from the row's, towards the bridge positive."),
    ]);
    if design.kind == Format::PerString {
        fields.push(def(at("center_mm[0]"), "Along", mm(), "Its middle along the row."));
    }
    let mut tools = vec![
        Tool { step: format!("core.fit:{i}"), label: "Fit the core to its poles".into() },
        Tool { step: format!("coil.duplicate:{i}"), label: "Duplicate".into() },
        Tool { step: format!("coil.mirror:{i}"), label: "Mirror".into() },
        Tool { step: format!("coil.reverse:{i}"), label: "Reverse the winding direction".into() },
    ];
    if design.coils.len() > 1 {
        tools.push(Tool { step: format!("coil.remove:{i}"), label: "Remove this coil".into() });
    }
    Group { title: headed(&format!("{}former", coil_of(design, i))), fields, tools, ..Group::default() }
}

fn strings(design: &Design, each: bool) -> Group {
    let mut fields = vec![
        def("strings.count", "Strings", turns(), "4 to 10. Poles and core follow."),
        def("strings.pitch_mm", "Pitch", mm(), "Between neighbours, over the poles."),
        def(
            "strings.handed",
            "Handed",
            words(&[("right", "right"), ("left", "left")]),
            "Left mirrors the row.",
        ),
        def("strings.scale_mm", "Vibrating length", mm(), "Nut to bridge; 648 mm is usual."),
        def("strings.from_bridge_mm", "Distance from the bridge", mm(), "Bridge to the middle of the poles."),
        def(
            "room_c",
            "Room temperature",
            measure(Measure::Temperature),
            "For the resistance as it will be read.",
        ),
    ];
    let mut group = Group { title: "Strings and room".into(), ..Group::default() };
    let is_each = each && !design.strings.each.is_empty();
    if !is_each && design.strings.one_gap_mm().is_some() {
        fields.insert(
            3,
            def(
                "strings.gap",
                "Gap to the strings",
                mm(),
                "Pole face to the string's underside; 2.4 mm is usual.",
            ),
        );
        group.tools.push(Tool { step: "strings.each".into(), label: "Set strings individually".into() });
    } else {
        let rows = (0..design.strings.each.len()).map(|k| {
            let at = |key: &str| format!("strings.each[{k}].{key}");
            let cells = vec![
                def(at("note"), "note", Entry::Words, ""),
                def(at("diameter_mm"), "diameter", mm(), ""),
                def(at("core_mm"), "core", optional(mm()), ""),
                def(at("gap_mm"), "gap", mm(), ""),
            ];
            Row { name: format!("{}", k + 1), cells: cells.into_iter().map(Some).collect(), tool: None }
        });
        group.table = Some((vec!["Note", "Diameter", "Core", "Gap"], rows.collect()));
    }
    group.fields = fields;
    group
}

/// The axes, and where they run.
const AXES: [&str; 3] = ["x", "y", "z"];
const ALONG: [&str; 3] =
    ["Along the row of strings.", "Along the strings, to the bridge.", "Up, from the lower flange."];

fn parts(design: &Design) -> Vec<Group> {
    let mut all = Vec::new();
    let place = |of: &str, key: &'static str, what: &str| -> Vec<FieldDef> {
        (0..3)
            .map(|k| def(format!("{of}.{key}[{k}]"), format!("{what} {}", AXES[k]), mm(), ALONG[k]))
            .collect()
    };
    for (i, bar) in design.bars.iter().enumerate() {
        let of = format!("bars[{i}]");
        let mut fields = vec![
            def(
                format!("{of}.material"),
                "Alloy",
                material(bar.material, true),
                "A magnet's grade, or steel for a keeper.",
            ),
            def(format!("{of}.charge"), "Charge", percent(), "Share of full charge."),
            def(
                format!("{of}.magnetised"),
                "Magnetised along",
                words(&[("x", "x, the row"), ("y", "y, across"), ("z", "z, up")]),
                "Bars under screws and slugs: across.",
            ),
            def(
                format!("{of}.north"),
                "North at its",
                words(&[("positive", "positive end"), ("negative", "negative end")]),
                "Two bars under one coil face each other with like poles.",
            ),
        ];
        fields.extend(place(&of, "size_mm", "Size"));
        fields.extend(place(&of, "center_mm", "Middle"));
        if bar.material.demagnetisation().is_none() {
            // Steel takes no charge.
            fields.retain(|def| !["charge", "north"].iter().any(|key| def.at.ends_with(key)));
        }
        let tools = vec![Tool { step: format!("bar.remove:{i}"), label: "Remove this bar".into() }];
        all.push(Group { title: format!("Bar magnet {}", i + 1), fields, tools, ..Group::default() });
    }
    for (i, metal) in design.metal.iter().enumerate() {
        let of = format!("metal[{i}]");
        let mut fields = vec![
            def(
                format!("{of}.part"),
                "Part",
                words(&[
                    ("base-plate", "base plate"),
                    ("cover", "cover"),
                    ("keeper", "keeper"),
                    ("plate", "plate"),
                    ("shield", "shield"),
                ]),
                "A cover has a wall; all else is solid.",
            ),
            def(
                format!("{of}.material"),
                "Metal",
                material(metal.material, false),
                "Nickel silver and brass carry eddy currents, steel bends the field as well.",
            ),
        ];
        if metal.part == MetalPart::Cover || metal.wall_mm.is_some() {
            fields.push(def(
                format!("{of}.wall_mm"),
                "Wall",
                optional(mm()),
                "Thickness of the sheet; 0.5 mm is usual.",
            ));
        }
        fields.extend(place(&of, "size_mm", "Size"));
        fields.extend(place(&of, "center_mm", "Middle"));
        let tools = vec![Tool { step: format!("metal.remove:{i}"), label: "Remove this part".into() }];
        all.push(Group {
            title: headed(&format!("{} {}", metal.part.spoken(), i + 1)),
            fields,
            tools,
            ..Group::default()
        });
    }
    all.push(Group {
        title: "More parts".into(),
        tools: vec![
            Tool { step: "bar.add".into(), label: "Add a bar magnet".into() },
            Tool { step: "metal.add".into(), label: "Add a plate or cover".into() },
            Tool { step: "coil.add".into(), label: "Add a coil".into() },
        ],
        ..Group::default()
    });
    all
}

fn wiring(design: &Design) -> Group {
    let mut joins = vec![
        Choice::new("series", "in series"),
        Choice::new("parallel", "in parallel"),
        Choice::new("sections", "sections of one coil"),
        Choice::new("single", "first coil alone"),
    ];
    joins.extend(
        design
            .coils
            .iter()
            .map(|c| Choice::new(format!("split:{}", c.name), format!("split: {} alone", c.name))),
    );
    let mut fields = vec![def(
        "wiring.join",
        "Connection of the coils",
        Entry::Choice(joins),
        "In series is usual; parallel is brighter and softer.",
    )];
    fields.extend(design.coils.iter().map(|c| {
        def(
            format!("wiring.sense.{}", c.name),
            format!("Coil {}", c.name),
            words(&[
                ("", "as usual: start to ground"),
                ("start-to-ground", "start to ground"),
                ("finish-to-ground", "finish to ground"),
            ]),
            "Which end faces ground.",
        )
    }));
    Group { title: "Wiring".into(), fields, ..Group::default() }
}

/// What the position of a knob is.
const KNOB: &str = "Share of the pot's resistance; 100 is fully up. Half a turn leaves 50 of a linear pot, 10 to 20 of a logarithmic one.";

fn load() -> Group {
    let kohm = || number("kΩ", |t| number_in("kΩ")(t));
    Group {
        title: "Load".into(),
        folded: true,
        fields: vec![
            def("load.volume_kohm", "Volume pot", kohm(), "250 for singles, 500 for twins is usual."),
            def("load.volume_at", "Volume knob", percent(), KNOB),
            def("load.tone_kohm", "Tone pot", kohm(), "250 or 500 is usual."),
            def("load.tone_at", "Tone knob", percent(), KNOB),
            def(
                "load.tone_nf",
                "Tone capacitor",
                number("nF", |t| number_in("nF")(t)),
                "22 or 47 is usual; 0 for none.",
            ),
            def(
                "load.cable_pf",
                "Cable",
                number("pF", |t| number_in("pF")(t)),
                "About 100 pF a metre; 470 is usual.",
            ),
            def("load.input_mohm", "Amplifier input", number("MΩ", |t| number_in("MΩ")(t)), "1 is usual."),
        ],
        ..Group::default()
    }
}
