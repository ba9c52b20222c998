//! What the demo's logbook teaches, in the browser.

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

/// Somebody finds on the bench that a model is not steady, looks since when, and learns from what: the spool and the hand
/// that came in then. A table with bad lines is mended and brought in, once. A pair is matched and set aside.
#[tokio::test(flavor = "multi_thread")]
async fn a_drifting_model_its_cause_an_import_and_a_pair() {
    let (demo, _folder, address) = demo();
    journey(address, |b| async move {
        b.sign_in("ode").await;
        drift(&b).await;
        import(&b).await;
        pair(&b).await;
        for page in
            ["/learned", "/experiments/1", "/spools/1", "/parts", "/costs", "/logbook?col=design&col=peak"]
        {
            b.go(page).await;
            b.find("nav.tabs").await;
            b.is_well().await;
        }
        b
    })
    .await;
    drop(demo);
}

async fn drift(b: &Browser) {
    b.until(".attention", |t| t.contains("Reed lap steel, bridge: resistance is not steady")).await;
    b.is_well().await;
    b.press_called("Reed lap steel, bridge: resistance is not steady").await;
    let headline = b.until("#headline", |t| t.starts_with("Not steady: from run")).await;
    assert!(headline.contains("higher than before"), "{headline}");
    let cause = read(b, ".cause").await;
    let at = |words: &str| cause.find(words).unwrap_or_else(|| panic!("{words}: {cause}"));
    assert!(at("spool (K-12 came in)") < at("operator (Wren Ashby came in)"), "the larger first");
    b.find("svg.run-chart .dot.bad").await;
    b.is_well().await;
    b.press_called("means of five").await;
    b.until("figure", |t| t.contains("Spread within each five")).await;
    b.press_called("All causes").await;
    // The words, and no more than the runs carry.
    b.until("main", |t| t.contains("Coils wound by Wren Ashby stretch the wire: R +1.")).await;
    let all = read(b, "main").await;
    assert!(all.contains("Spool K-12 reads 2.") && all.contains("high: thinner wire; L unchanged"), "{all}");
    assert!(all.contains("cannot be told apart yet") && all.contains("Winder two"), "{all}");
    b.is_well().await;
}

async fn import(b: &Browser) {
    let table = "date;design;spool;operator;turns;resistance;coil_c;inductance\\n\
        2026-01-05;Reed lap steel, bridge;K-7;Ivo Tarn;7620;5.81k;21.5;2.10 H\\n\
        2026-01-06;Reed lap steel;K-77;Ivo Tarn;7620;lots;21.0;2.09 H\\n";
    let type_in = |text: &str| format!("arguments[0](document.querySelector('#text').value = \"{text}\")");
    b.press_called("Runs").await;
    let before = read(b, "#count").await;
    b.press_called("Bring runs in").await;
    b.find("#text").await;
    b.is_well().await;
    b.asked(&type_in(table)).await;
    b.press_called("Check the lines").await;
    b.until(".import-sum", |t| t.contains("1 line cannot be read. 1 new run.")).await;
    let lines = read(b, "table tbody").await;
    assert!(
        lines.contains("did you mean “Reed lap steel, bridge”") && lines.contains("“lots” as a number"),
        "{lines}"
    );
    b.is_well().await;
    let mended = table.replace("Reed lap steel;K-77", "Reed lap steel, bridge;K-7").replace("lots", "5.79k");
    b.asked(&type_in(&mended)).await;
    b.press_called("Check again").await;
    b.until(".import-sum", |t| t.starts_with("2 new runs.")).await;
    b.press_called("Bring in 2 runs").await;
    b.until("main", |t| t.contains("2 runs came in")).await;
    b.press_called("To the logbook").await;
    let number = |text: &str| text.split(' ').next().unwrap().parse::<u32>().unwrap();
    let now = b.until("#count", |t| t != before).await;
    assert_eq!(number(&now), number(&before) + 2);
    // The same once more is known.
    b.go("/logbook/import").await;
    b.find("#text").await;
    b.asked(&type_in(&mended)).await;
    b.press_called("Check the lines").await;
    b.until(".import-sum", |t| t.contains("0 new runs, 2 known already")).await;
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
    b.press_called("Set aside").await;
    b.until("#h-found", |t| t.contains("coils in stock") && t != found).await;
    b.until("[aria-labelledby=h-sets]", |t| t.contains("Pair for the long lap steel")).await;
    b.press_called("Back into stock").await;
    b.until("[aria-labelledby=h-sets]", |t| !t.contains("Pair for the long lap steel")).await;
}
