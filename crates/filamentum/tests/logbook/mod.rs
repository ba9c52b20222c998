//! What the demo's logbook shows, in the browser.

use super::Demo;
use e2e::{Browser, journey};
use std::net::SocketAddr;

/// A demo of its own, and where it listens.
fn demo() -> (Demo, tempfile::TempDir, SocketAddr) {
    let folder = tempfile::tempdir().unwrap();
    let demo = Demo::start(&folder.path().join("demo"));
    let lines = demo.until("Sign in as");
    let address = lines.iter().find_map(|l| l.split("http://").nth(1)).unwrap().trim();
    (demo, folder, address.parse().unwrap())
}

async fn read(b: &Browser, css: &str) -> String {
    b.until(css, |t| !t.is_empty()).await
}

/// Somebody finds on the bench that a model is not steady, looks since when, and finds the cause: the spool and the operator
/// that were new then. A table with bad lines is corrected and imported, once. A pair is matched and reserved. The
/// set that was connected the wrong way round is found and mended, balanced, and filled from stock and from the winder.
#[tokio::test(flavor = "multi_thread")]
async fn a_drifting_model_its_cause_an_import_and_a_pair() {
    let (demo, _folder, address) = demo();
    journey(address, |b| async move {
        b.sign_in("ode").await;
        drift(&b).await;
        import(&b).await;
        pair(&b).await;
        crossed_set(&b).await;
        for page in [
            "/calibration",
            "/experiments/1",
            "/spools/1",
            "/parts",
            "/costs",
            "/logbook?col=design&col=peak",
        ] {
            b.go(page).await;
            b.find("nav.nav-tabs").await;
            b.is_well().await;
        }
        b
    })
    .await;
    drop(demo);
}

async fn drift(b: &Browser) {
    // A shift that a new spool explains is told by its spool, and is no series out of control.
    b.until(".attention", |t| t.contains("Spool K-12 reads") && !t.contains("not in control")).await;
    b.is_well().await;
    b.go("/consistency?design=1").await;
    b.find("#headline.look").await;
    let cause = read(b, "[aria-labelledby=h-why]").await;
    let at = |words: &str| cause.find(words).unwrap_or_else(|| panic!("{words}: {cause}"));
    assert!(at("K-12") < at("Wren Ashby"), "the larger first");
    b.find("svg.run-chart .dot.bad").await;
    b.is_well().await;
    b.press_called("means of five").await;
    b.until("figure", |t| t.contains("ive")).await;
    b.press_called("All causes").await;
    // Both causes are clear, and what the runs cannot separate is told as such.
    b.until(".cause-card", |t| t.contains("K-12") || t.contains("Wren Ashby")).await;
    let all = read(b, "main").await;
    assert!(all.contains("Wren Ashby") && all.contains("K-12") && all.contains("Winder two"), "{all}");
    assert!(
        b.count(".cause-card .level.look").await >= 2 && b.count(".cause-card .level.waiting").await >= 1
    );
    b.is_well().await;
}

async fn import(b: &Browser) {
    let table = "date;design;spool;operator;turns;resistance;coil_c;inductance\\n\
        2026-01-05;Reed lap steel, bridge;K-7;Ivo Tarn;7500;5.81k;21.5;2.10 H\\n\
        2026-01-06;Reed lap steel;K-77;Ivo Tarn;7500;lots;21.0;2.09 H\\n";
    let type_in = |text: &str| format!("arguments[0](document.querySelector('#text').value = \"{text}\")");
    b.press_called("Runs").await;
    let before = read(b, "#count").await;
    b.press_called("Import runs").await;
    b.find("#text").await;
    b.is_well().await;
    b.asked(&type_in(table)).await;
    b.press_called("Check the lines").await;
    b.until(".import-sum", |t| t.starts_with("1 line") && t.contains("1 new run.")).await;
    let lines = read(b, "table tbody").await;
    assert!(lines.contains("“Reed lap steel, bridge”") && lines.contains("“lots”"), "{lines}");
    b.is_well().await;
    let corrected =
        table.replace("Reed lap steel;K-77", "Reed lap steel, bridge;K-7").replace("lots", "5.79k");
    b.asked(&type_in(&corrected)).await;
    b.press_called("Check again").await;
    b.until(".import-sum", |t| t.starts_with("2 new runs.")).await;
    b.press_called("Import 2 runs").await;
    b.until("main", |t| t.contains("2 runs imported")).await;
    b.press_called("Go to the logbook").await;
    let number = |text: &str| text.split(' ').next().unwrap().parse::<u32>().unwrap();
    let now = b.until("#count", |t| t != before).await;
    assert_eq!(number(&now), number(&before) + 2);
    // The same once more is known.
    b.go("/logbook/import").await;
    b.find("#text").await;
    b.asked(&type_in(&corrected)).await;
    b.press_called("Check the lines").await;
    b.until(".import-sum", |t| t.contains("0 new runs, 2 ")).await;
}

async fn pair(b: &Browser) {
    b.go("/matching").await;
    b.is_well().await;
    b.choose("first", "1").await;
    b.choose("second", "1").await;
    b.press_called("Find the best sets").await;
    let found = b.until("#h-found", |t| t.contains("coils in stock")).await;
    b.is_well().await;
    b.fill("name", "Pair for the long lap steel").await;
    b.press("form[action='/matched-sets'] button").await;
    b.until("#h-found", |t| t.contains("coils in stock") && t != found).await;
    b.until("[aria-labelledby=h-sets]", |t| t.contains("Pair for the long lap steel")).await;
    b.press_called("Return to stock").await;
    b.until("[aria-labelledby=h-sets]", |t| !t.contains("Pair for the long lap steel")).await;
}

async fn crossed_set(b: &Browser) {
    b.go("/sets").await;
    b.until("table", |t| t.contains("out of phase")).await;
    b.press_called("Marram console, three voices").await;
    b.find(".pair-cell.out").await;
    assert_eq!(b.count(".set-positions tr.bad").await, 2, "both positions with the middle");
    b.press("button[form=mend]").await;
    b.find("#undo-change").await;
    assert_eq!(b.count(".set-positions tr.bad").await, 0);
    assert_eq!(b.count(".pair-cell.out").await, 0);
    // The bridge is brought to the level of the others by a variant of its design.
    let before = b.text(".balance-row .predicted").await;
    b.press("button[form=balance]").await;
    b.press(".offers button[value=turns]").await;
    b.find("#undo-change").await;
    assert_ne!(b.text(".balance-row .predicted").await, before);
    // A coil of the stock that fits goes to the neck; the middle is wound, and its traveller says the other direction.
    b.is_well().await;
    let stock = "const s = document.querySelector('#from-stock'); \
         const o = [...s.options].find((o) => o.text.startsWith('neck')); s.value = o.value; arguments[0](o.text);";
    let taken = b.asked(stock).await;
    b.press_called("Put into the set").await;
    let run = taken.as_str().unwrap().split(&[':', ','][..]).nth(1).unwrap().trim().replace("run", "Run");
    b.until("[aria-labelledby=h-coils]", |t| t.contains(&run)).await;
    let middle = "[aria-labelledby=h-coils] tr:has(.badge) a[href^='/runs/new']";
    b.press(middle).await;
    b.find("input[name=set]").await;
    b.press_called("Start the run").await;
    b.until(".for-set", |t| t.contains("counter") && t.contains("than bridge")).await;
    b.go("/sets").await;
    b.press_called("Marram console, three voices").await;
    b.press_called("More").await;
    b.press_called("Set-up sheet").await;
    let sheet = read(b, "main").await;
    assert!(sheet.contains("All swing alike"), "{sheet}");
    b.is_well().await;
}
