//! Feeds every parser, and the engine's checks, with text that nobody means well: good examples changed at random. Counts the
//! inputs, and ends with the text at which something panicked.
//!
//! `cargo run -p filamentum --example hostile -- 10000000 1` takes how many inputs, and a seed.
#![allow(clippy::unwrap_used, reason = "a tool for the developer")]

use coil::design::{Design, Format, limit_at, starting_point};
use coil::quantity::Units;
use coil::quantity::{
    Capacitance, Frequency, Inductance, Length, ParseQuantity, Resistance, Temperature, Tension, Turns,
};
use instruments::network::Network;
use presentation::form_fields::FormFields;
use rand::rngs::StdRng;
use rand::{Rng, RngExt as _, SeedableRng as _};
use std::hint::black_box;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::Instant;

/// What replaces a piece of a text.
const PIECES: [&str; 49] = [
    "0",
    "-0",
    "1e308",
    "-1e308",
    "1e-400",
    "1e-200",
    "5e-324",
    "2.2250738585072014e-308",
    "4.9e-310",
    "1.7976931348623157e308",
    "NaN",
    "inf",
    "-1",
    "4294967296",
    "18446744073709551616",
    "0.0000001",
    ".",
    ",",
    "1,234,567",
    "1 234",
    "½",
    "1/16",
    "7/0",
    "\"",
    "'",
    "″",
    "mm",
    "in",
    "k",
    "kΩ",
    "Ω",
    "µ",
    "°C",
    "F",
    "e",
    "E+",
    "{",
    "}",
    "[",
    "]",
    ":",
    "\n",
    "\t",
    ";",
    "null",
    "\u{0}",
    "\u{202e}",
    "😀",
    "ｏｄｅ",
];

/// A parser: its name, of how many inputs in a thousand it gets, good examples, and what is called.
struct Parser {
    name: &'static str,
    share: u64,
    examples: Vec<String>,
    feed: Box<dyn Fn(&str)>,
}

fn quantity<Q: ParseQuantity>(text: &str) {
    let _ = black_box(Q::parse(text).is_ok());
}

fn quantities(text: &str) {
    quantity::<Length>(text);
    quantity::<Resistance>(text);
    quantity::<Inductance>(text);
    quantity::<Capacitance>(text);
    quantity::<Frequency>(text);
    quantity::<Temperature>(text);
    quantity::<Tension>(text);
    quantity::<Turns>(text);
}

/// A document as it comes from outside: read, and where it reads, everything that is asked before anything is computed.
fn document(text: &str) {
    if let Ok(design) = coil::design::read(text) {
        let _ = black_box(design.problems());
        let _ = black_box(serde_json::to_string(&design));
    }
}

/// A number as nobody writes it: at and beyond the ends of what is allowed, none, subnormal, or as large as there are.
fn extreme(place: &str, dice: &mut impl Rng) -> f64 {
    let (low, high) = limit_at(place).map_or((0.0, 1.0), |limit| (limit.low, limit.high));
    let all = [
        low,
        high,
        f64::midpoint(low, high),
        low + 1e-9 * (high - low),
        0.0,
        -0.0,
        5e-324,
        1e-310,
        1e-200,
        1e-9,
        1e300,
    ];
    // Mostly what is allowed, since the rest is refused by the first of them.
    let most = if dice.random_bool(0.8) { 5 } else { all.len() };
    all[dice.random_range(0..most)]
}

/// A design with some of its numbers changed to extremes, given by a seed; predicted where it is allowed.
fn extremes(bases: &[Design], text: &str) {
    let mut dice = StdRng::seed_from_u64(text.parse().unwrap_or(0));
    let mut value = serde_json::to_value(&bases[dice.random_range(0..bases.len())]).unwrap();
    let mut places = Vec::new();
    numbers(&value, "", "", &mut places);
    for _ in 0..dice.random_range(1..=4) {
        let (pointer, place) = &places[dice.random_range(0..places.len())];
        if let Some(number) = value.pointer_mut(pointer) {
            let extreme = extreme(place, &mut dice);
            *number = if number.is_u64() && (0.0..1e9).contains(&extreme) {
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 1e9")]
                let count = extreme as u64;
                count.into()
            } else {
                serde_json::json!(extreme)
            };
        }
    }
    if let Ok(design) = coil::design::read(&value.to_string()) {
        let prediction = coil::prediction::predict(&design);
        let _ = black_box(prediction.is_ok());
    }
}

/// Where the numbers of a document are: as a pointer, and as the table of limits calls the place.
fn numbers(value: &serde_json::Value, pointer: &str, place: &str, all: &mut Vec<(String, String)>) {
    match value {
        serde_json::Value::Number(_) => all.push((pointer.to_owned(), place.to_owned())),
        serde_json::Value::Array(items) => {
            for (k, item) in items.iter().enumerate() {
                numbers(item, &format!("{pointer}/{k}"), &format!("{place}[{k}]"), all);
            }
        }
        serde_json::Value::Object(fields) => {
            for (name, field) in fields {
                let dot = if place.is_empty() { "" } else { "." };
                numbers(field, &format!("{pointer}/{name}"), &format!("{place}{dot}{name}"), all);
            }
        }
        _ => {}
    }
}

/// The fields of a sheet: `name=value` a line.
fn sheet(base: &Design, text: &str) {
    let fields: FormFields =
        text.lines().filter_map(|l| l.split_once('=')).map(|(k, v)| (k.to_owned(), v.to_owned())).collect();
    let _ = black_box(presentation::sheet::read(&fields, base, &[], Units::default()).is_ok());
}

fn parsers() -> Vec<Parser> {
    let owned = |all: &[&str]| all.iter().map(ToString::to_string).collect::<Vec<_>>();
    let designs: Vec<Design> = Format::ALL.iter().map(|kind| starting_point(*kind, "One", 6, 10.4)).collect();
    let documents = designs.iter().map(|d| serde_json::to_string(d).unwrap()).collect();
    let lines = |d: &Design| {
        let form = presentation::sheet::form_of(d, Units::default()).0;
        form.into_iter().map(|(k, v)| format!("{k}={v}\n")).collect::<String>()
    };
    let sheets = designs.iter().map(lines).collect();
    let base = designs[0].clone();
    vec![
        Parser {
            name: "quantities, eight kinds each",
            share: 640,
            examples: owned(&[
                "5,8k", "5k8", "73F", "0.66in", "1/16\"", "open", "6.1 kΩ", "2.4 H", "105 pF", "1 kHz",
                "18 g", "0.25 N", "7,500", "-40 °C", "2 1/2 in", "4.7nF",
            ]),
            feed: Box::new(quantities),
        },
        Parser {
            name: "networks of instruments",
            share: 90,
            examples: owned(&["192.168.1.0/24 5025-5030", "10.0.0.7 5025", "fd00::/64 1-65535"]),
            feed: Box::new(|text| {
                let _ = black_box(text.parse::<Network>().is_ok());
            }),
        },
        Parser {
            name: "addresses of the application",
            share: 60,
            examples: owned(&["https://pickups.example", "http://192.168.1.5:8090/"]),
            feed: Box::new(|text| {
                let _ = black_box(text.parse::<web::BaseUrl>().is_ok());
            }),
        },
        Parser {
            name: "names and passwords",
            share: 50,
            examples: owned(&["ode", "Ode Farrow", "öde", "seven thousand turns"]),
            feed: Box::new(|text| {
                let _ = black_box(workshop::sign_in_name(text));
                let _ = black_box(workshop::is_sound_pin(text));
            }),
        },
        Parser {
            name: "sweeps",
            share: 60,
            examples: owned(&[
                "Hz,dB\n100,0.1\n1000,0.4\n4000,6.2\n9000,-3",
                "100 0.1 12\n200 0.1 11\n",
                "1k;0\n2k;1",
            ]),
            feed: Box::new(|text| {
                let _ = black_box(trade::sweep::Sweep::read(text).is_ok());
            }),
        },
        Parser {
            name: "logs of counters",
            share: 50,
            examples: owned(&["0 0\n1.5 12\n60 7500\n", "seconds,turns\n1,2\n3,4\n"]),
            feed: Box::new(|text| {
                let _ = black_box(trade::machine::counter_log(text).is_ok());
            }),
        },
        Parser {
            name: "tables of runs",
            share: 30,
            examples: owned(&[
                "design,turns,resistance,inductance,date\nReed,7500,5.8k,2.2 H,2026-10-01\nReed,7400,5.7k,,2026-10-02\n",
                "Design;Turns;R\n\"Reed; two\";7,500;5k8\n",
            ]),
            feed: Box::new(|text| {
                let _ = black_box(trade::run_import::read(text).is_ok());
            }),
        },
        Parser { name: "design documents", share: 15, examples: documents, feed: Box::new(document) },
        Parser {
            name: "predictions of extremes",
            share: 2,
            examples: (0..10_000).map(|k| k.to_string()).collect(),
            feed: Box::new(move |text| extremes(&designs, text)),
        },
        Parser {
            name: "fields of the sheet",
            share: 3,
            examples: sheets,
            feed: Box::new(move |text| sheet(&base, text)),
        },
    ]
}

/// A place in a text between two characters.
fn place(text: &str, dice: &mut impl Rng) -> usize {
    let mut at = dice.random_range(0..=text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

/// A text with one to four changes.
fn changed(text: &str, dice: &mut impl Rng) -> String {
    let mut text = text.to_owned();
    for _ in 0..dice.random_range(1..=4) {
        let (a, b) = (place(&text, dice), place(&text, dice));
        let (from, to) = (a.min(b), a.max(b));
        // Mostly a short piece: what is cut in half is refused at once.
        let mut to = if dice.random_bool(0.9) { to.min(from + 12) } else { to };
        while !text.is_char_boundary(to) {
            to += 1;
        }
        match dice.random_range(0..5) {
            0 => text.replace_range(from..to, ""),
            1 => text.insert_str(from, PIECES[dice.random_range(0..PIECES.len())]),
            2 => text.replace_range(from..to, PIECES[dice.random_range(0..PIECES.len())]),
            3 => {
                let piece = text[from..to].to_owned();
                text.insert_str(to, &piece);
            }
            _ => {
                let any = char::from_u32(dice.random_range(0..0x0011_0000)).unwrap_or('\u{fffd}');
                text.insert(from, any);
            }
        }
    }
    text
}

fn main() {
    let mut arguments = std::env::args().skip(1);
    let total: u64 = arguments.next().and_then(|n| n.parse().ok()).unwrap_or(100_000);
    let seed: u64 = arguments.next().and_then(|n| n.parse().ok()).unwrap_or(1);
    let mut dice = StdRng::seed_from_u64(seed);
    let mut sum = 0;
    println!("| parser | inputs | panics | seconds |\n| --- | --- | --- | --- |");
    for parser in parsers() {
        let count = total * parser.share / 1000;
        let began = Instant::now();
        for _ in 0..count {
            let example = &parser.examples[dice.random_range(0..parser.examples.len())];
            let text = changed(example, &mut dice);
            if catch_unwind(AssertUnwindSafe(|| (parser.feed)(&text))).is_err() {
                println!("| {} | | 1 | |\n{text:?}", parser.name);
                std::process::exit(1);
            }
        }
        sum += count;
        println!("| {} | {count} | 0 | {:.0} |", parser.name, began.elapsed().as_secs_f64());
    }
    println!("{sum} inputs, seed {seed}, no panic");
}
