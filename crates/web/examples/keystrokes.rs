//! How long it takes from a key to painted figures, in a browser.
//!
//! `cargo run --release -p web --example keystrokes -- ADDRESS NAME PASSWORD PATH [KEYS]`, against a running server on loopback: PATH is a
//! page with a sheet, such as `/revisions/2/edit`. The turns of the first coil are typed anew again and again; from each key it is
//! measured until the figures that follow from it are painted. Needs Chromium and ChromeDriver (`script/setup --tests`).
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a tool for the one who measures")]

use e2e::journey;
use std::net::SocketAddr;

/// Keys that are pressed when nobody says how many, and how many of the first are not counted: the page is warm then.
const KEYS: u32 = 60;
const WARMING: u32 = 5;

/// Presses a key, waits for the figures of its turns, then for the frame that shows them; again and again. A frame is painted before the
/// second animation frame after the change begins.
const MEASURE: &str = "
    const [keys, done] = [arguments[0], arguments[arguments.length - 1]];
    const field = document.querySelector('[name=\"coils[0].wind.turns\"]');
    const figure = () => document.querySelector('[data-cell=wire] .number b')?.textContent;
    const painted = () => new Promise((next) => requestAnimationFrame(() => requestAnimationFrame(next)));
    const pause = (ms) => new Promise((next) => setTimeout(next, ms));
    (async () => {
        const first = Number(field.value.replace(/\\D/g, ''));
        const taken = [];
        for (let k = 0; k < keys; k++) {
            const before = figure();
            field.value = String(first - 500 + 37 * (k % 27) + (k % 2 ? 3 : 0));
            const began = performance.now();
            field.dispatchEvent(new Event('input', { bubbles: true }));
            while (figure() === before && performance.now() - began < 5000) await pause(1);
            await painted();
            taken.push(performance.now() - began);
            await pause(250);
        }
        done(taken.join(' '));
    })();
";

#[tokio::main]
async fn main() {
    let mut arguments = std::env::args().skip(1);
    let mut next = |what: &str| arguments.next().unwrap_or_else(|| panic!("{what} is missing"));
    let address: SocketAddr = next("the address").parse().unwrap();
    assert!(address.ip().is_loopback(), "load goes to loopback addresses only");
    let (name, password, path) = (next("the name"), next("the password"), next("the path"));
    let keys = arguments.next().and_then(|k| k.parse().ok()).unwrap_or(KEYS).min(500);
    journey(address, |b| async move {
        b.go("/sign-in").await;
        b.fill("sign_in", &name).await;
        b.fill("password", &password).await;
        b.press("main button[type=submit]").await;
        b.find(".spine").await;
        b.go(&path).await;
        b.find("[data-cell=wire] .number b").await;
        let script = MEASURE.replace("arguments[0], arguments", &format!("{}, arguments", keys + WARMING));
        let all = b.asked(&script).await;
        let mut taken: Vec<f64> =
            all.as_str().unwrap().split(' ').skip(WARMING as usize).map(|ms| ms.parse().unwrap()).collect();
        taken.sort_by(f64::total_cmp);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index")]
        let at = |share: f64| taken[((taken.len() - 1) as f64 * share).round() as usize];
        println!(
            "{} keys: p50 {:.0} ms, p95 {:.0} ms, longest {:.0} ms",
            taken.len(),
            at(0.5),
            at(0.95),
            at(1.0)
        );
        b
    })
    .await;
}
