//! At the winding station: whose turns a counter counts, the keys, numbers that cannot be.

use super::{server, server_with_bench, to_the_winder};
use e2e::{Browser, journey};
use instruments::Winder as _;

/// The counter still shows the coil before: nothing of it is logged, and one touch puts that right. Space stops the winder,
/// also after a button for an event was pressed; a number that is no count is not taken, an unlikely one is asked about.
#[tokio::test(flavor = "multi_thread")]
async fn a_station_logs_the_turns_of_its_own_coil() {
    let (server, bench) = server_with_bench(12.0).await;
    bench.clone().preset(7430).await.unwrap();
    journey(server, |b| async move {
        let run = to_the_winder(&b).await;
        b.press_called("Winding station").await;
        b.until("#trouble", |t| t.contains("7430")).await;
        b.until("#turns", |t| t == "0").await;
        b.until("#these-turns", |t| t.contains("7430")).await;
        b.is_well().await;
        b.until("#set-counter", |t| t.contains("Set the counter to 0")).await;
        b.press("#set-counter").await;
        b.until("#trouble", str::is_empty).await;
        b.press("#go").await;
        b.until("#go", |t| t == "Stop").await;
        b.press("[data-event='guides-moved']").await;
        b.press_key(' ').await;
        b.until("#go", |t| t == "Run").await;
        b.until("#done", |t| t.matches("guides moved").count() == 1 && t.contains("stop")).await;
        assert_ne!(b.text("#turns").await, "0");
        for slip in ["3.5", "3,5", "many"] {
            b.fill_id("count", slip).await;
            b.press("#by-hand button[value=count]").await;
            b.until("#count-error", |t| t.contains("whole number")).await;
        }
        b.fill_id("count", "60 000").await;
        b.press("#by-hand button[value=count]").await;
        b.until("#sure", |t| t.contains("Log 60")).await;
        b.is_well().await;
        b.go(&run).await;
        b.until("main", |t| !t.contains("60\u{202f}000")).await;
        b
    })
    .await;
}

/// Two coils at once: the second run is not put on the first one's winder, and says on which run it is.
#[tokio::test(flavor = "multi_thread")]
async fn a_second_run_does_not_spin_the_first_ones_winder() {
    let (server, bench) = server_with_bench(12.0).await;
    journey(server, |b| async move {
        to_the_winder(&b).await;
        b.press_called("Winding station").await;
        b.press("#go").await;
        b.until("#go", |t| t == "Stop").await;
        b.press("#go").await;
        b.until("#go", |t| t == "Run").await;
        b.go("/logbook").await;
        b.go("/revisions/1").await;
        b.press_called("Start a run").await;
        b.press_called("Start the run").await;
        b.until("h1", |t| t.starts_with("Run 2")).await;
        let second = b.path().await;
        b.go(&format!("{second}/station")).await;
        assert_eq!(b.value("winder").await, "0", "no winder is free");
        b.until("#winder", |t| t.contains("Winder one (on run 1)")).await;
        let turns = bench.clone().status().await.unwrap().turns;
        b.choose("winder", "5").await;
        b.until("#trouble", |t| t.contains("run 1")).await;
        b.is_well().await;
        b.press("#go").await;
        assert_eq!(bench.clone().status().await.unwrap().turns, turns, "it did not turn");
        // The first coil is off the machine: whoever stands there says so.
        b.press("#set-counter").await;
        b.until("#trouble", str::is_empty).await;
        b.press("#go").await;
        b.until("#turns", |t| t != "0").await;
        b
    })
    .await;
}

/// The spool at hand is of another gauge: the start says by how much the resistance will differ and asks why; the run's page keeps
/// the answer.
#[tokio::test(flavor = "multi_thread")]
async fn the_wrong_spool_is_told_before_it_is_wound() {
    let (server, _bench) = server_with_bench(12.0).await;
    journey(server, |b| async move {
        let run = to_the_winder(&b).await;
        b.go("/spools").await;
        b.fill("label", "T-1").await;
        b.fill("gauge", "#43").await;
        b.press_called("Add spool").await;
        b.until("main", |t| t.contains("T-1") && t.contains("43 AWG")).await;
        b.go("/runs/new?revision=1").await;
        b.choose("spool", "1").await;
        b.press_called("Start the run").await;
        b.until("#e-spool", |t| t.contains("43 AWG") && t.contains('%')).await;
        assert_eq!(b.value("turns").await, "7500", "nothing that was typed is lost");
        b.is_well().await;
        b.fill("other_wire", "42 is sold out").await;
        b.press_called("Start the run").await;
        b.until(".run-facts", |t| t.contains("42 is sold out")).await;
        assert_ne!(b.path().await, run);
        b.is_well().await;
        b
    })
    .await;
}

/// A ten-string pickup with a coil for each string grows on the sheet, is saved, wound by hand, read and judged; a second run of it
/// that was begun by mistake is voided, and stands struck in the logbook.
#[tokio::test(flavor = "multi_thread")]
async fn ten_strings_with_a_coil_each_and_a_run_that_is_voided() {
    let (server, _bench) = server_with_bench(12.0).await;
    journey(server, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=per-string").await;
        b.fill("name", "Sandpiper").await;
        b.fill("strings.count", "10").await;
        b.find("[name='coils[9].wind.turns']").await;
        assert_eq!(b.count("#drawings svg.top .pole").await, 10);
        b.is_well().await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Sandpiper r1").await;
        b.press_called("Start a run").await;
        b.choose("coil", "").await;
        b.press_called("Start the run").await;
        b.until("h1", |t| t.starts_with("Run 1")).await;
        let run = b.path().await;
        let predicted = b.text("[data-cell=resistance] .number").await;
        assert!(predicted.contains("kΩ"), "{predicted}");
        let facts = b.text(".run-facts").await;
        let words: Vec<&str> = facts.split_whitespace().collect();
        let planned = words.windows(3).find(|w| w[1..] == ["turns", "planned,"]).unwrap()[0];
        b.fill("turns", planned).await;
        b.fill("resistance", &predicted.replace(' ', "")).await;
        b.fill("coil_c", "20").await;
        b.press("form[action$='/readings'] .btn-primary").await;
        b.until(".compare", |t| t.contains("Resistance")).await;
        b.until(".verdict", |t| !t.is_empty()).await;
        b.is_well().await;
        b.go("/runs/new?revision=1").await;
        b.choose("coil", "").await;
        b.press_called("Start the run").await;
        b.until("h1", |t| t.starts_with("Run 2")).await;
        b.press_called("Void this run").await;
        b.fill("reason", "begun twice").await;
        b.press_called("Void it").await;
        b.until(".verdict h2", |t| t == "Void").await;
        b.is_well().await;
        b.go("/logbook?state=void").await;
        b.until("main", |t| t.contains("Void") && t.contains("Sandpiper")).await;
        b.go("/").await;
        b.until("#b-wind", |t| t == "Open runs").await;
        assert_ne!(b.path().await, run);
        b.is_well().await;
        b
    })
    .await;
}

/// A coil of a twin by hand: started, wound, read and signed to its last operation.
async fn coil_of_a_twin(b: &Browser, coil: &str) -> String {
    b.go(&format!("/runs/new?revision=1&coil={coil}")).await;
    b.press_called("Start the run").await;
    b.find("#operations").await;
    let run = b.path().await;
    for (name, value) in [
        ("turns", "5000"),
        ("resistance", "3.7k"),
        ("coil_c", "20"),
        ("inductance", "1.6"),
        ("test_hz", "1 kHz"),
    ] {
        b.fill(name, value).await;
    }
    b.press("form[action$='/readings'] .btn-primary").await;
    b.find(".log li").await;
    run
}

/// Each coil of a twin is wound by itself, with its own turns and readings; then the two become one pickup with readings of its own.
#[tokio::test(flavor = "multi_thread")]
async fn two_coils_of_a_twin_become_one_pickup() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=twin-coil").await;
        b.fill("name", "Bittern twin").await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t.starts_with("Bittern twin r1")).await;
        coil_of_a_twin(&b, "A").await;
        // What is missing for the whole is said, with the way there.
        b.press_called("Assemble the pickup").await;
        b.until("main", |t| t.contains("Wind coil B first")).await;
        coil_of_a_twin(&b, "B").await;
        b.press_called("Assemble the pickup").await;
        b.press("form[action$='/assemble'] button").await;
        b.until("[aria-labelledby=h-coils]", |t| t.contains("run 1") && t.contains("run 2")).await;
        // The whole has readings of its own, and none of its coils'.
        b.until("#operations", |t| t.contains("Assemble") && !t.contains("Wind ")).await;
        b.fill("resistance", "7.4k").await;
        b.fill("coil_c", "20").await;
        b.fill("inductance", "4.2").await;
        b.fill("test_hz", "1 kHz").await;
        b.press("form[action$='/readings'] .btn-primary").await;
        b.until(".compare", |t| t.contains("Resistance at 20 °C")).await;
        b.is_well().await;
        b.go("/runs/1").await;
        b.until(".part-of", |t| t.contains("run 3")).await;
        b
    })
    .await;
}
