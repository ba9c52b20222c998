//! Whole journeys of a person through the real pages, in a real browser.

mod first_coil;
mod history;
mod hostile_names;
mod orders;
mod people;
mod rewinds;
mod sets;
mod shop_floor;
mod sign_on;
mod station;
mod surroundings;

use super::{Visit, with_workshop};
use e2e::journey;

/// A workshop with its server.
async fn server() -> std::net::SocketAddr {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    Visit::to(&store).address
}

const TURNS: &str = "coils[0].wind.turns";

/// A maker begins a wide single, changes it by typing as it is spoken, looks at it from all sides, goes back a step, leaves
/// the tab and comes back, and saves it.
#[tokio::test(flavor = "multi_thread")]
async fn a_wide_single_from_scratch_to_a_saved_revision() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs").await;
        b.is_well().await;
        b.press_called("Start a design").await;
        b.find(".formats").await;
        b.is_well().await;
        b.press_called("wide single").await;
        b.until("h1", |t| t == "New wide single").await;
        let before = b.until("[data-cell=inductance] .number", |t| t.ends_with('H')).await;
        b.is_well().await;
        b.fill(TURNS, "10,200").await;
        let after = b.until("[data-cell=inductance] .number", |t| t.starts_with('7') && t != before).await;
        b.fill(TURNS, "many").await;
        b.until("[id='e-coils[0].wind.turns']", |t| !t.is_empty()).await;
        assert_eq!(
            b.until("[data-cell=inductance] .number", |t| !t.is_empty()).await,
            after,
            "kept, and marked stale"
        );
        b.fill(TURNS, "10200").await;
        b.until("[id='e-coils[0].wind.turns']", str::is_empty).await;
        // Two strings more: poles, core and fields follow.
        b.fill("strings.count", "8").await;
        b.find("[name='poles[7].length_mm']").await;
        assert_eq!(b.count("#drawings svg.top .pole").await, 8);
        b.press("[data-step='metal.add']").await;
        b.find("[name='metal[1].material']").await;
        b.press("[aria-label=Undo]").await;
        b.until("#fields", |t| !t.contains("Base plate 2")).await;
        for (view, shown) in [
            ("laid", "svg.laid"),
            ("field", "svg.row"),
            ("wiring", "svg.wiring"),
            ("maps", ".field-map canvas"),
            ("maps", "svg.bend"),
            ("assumptions", ".assumptions"),
            ("listen", ".listen"),
            ("sensitivity", ".sensitivity"),
            ("search", ".search"),
            ("pickup", "svg.section"),
        ] {
            b.press(&format!("[data-view={view}]")).await;
            b.find(&format!("#drawings {shown}")).await;
            b.is_well().await;
        }
        // The tab closes; the draft is there when it opens again.
        b.fill("name", "Marram wide").await;
        b.until(".status", |t| t == "Draft saved").await;
        b.go("/designs").await;
        b.go("/designs/new?kind=wide-single").await;
        b.find(".draft:not([style*=none])").await;
        b.find("[name='poles[7].length_mm']").await;
        assert_eq!((b.value("name").await.as_str(), b.value(TURNS).await.as_str()), ("Marram wide", "10200"));
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Marram wide r1").await;
        assert!(b.path().await.starts_with("/revisions/"));
        b.is_well().await;
        b
    })
    .await;
}

/// Turns as a field shows them.
fn number(typed: &str) -> u32 {
    typed.replace([',', ' '], "").parse().unwrap()
}

/// From a target to a wire and its turns, then three coils that differ in one thing, side by side.
#[tokio::test(flavor = "multi_thread")]
async fn searching_varying_and_comparing() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Sedge").await;
        b.press("[data-view=search]").await;
        b.fill("search_l_from", "much").await;
        b.press("[data-search=start]").await;
        b.until("#e-search_l_from", |t| !t.is_empty()).await;
        b.fill("search_l_from", "2.9").await;
        b.fill("search_l_to", "3 H").await;
        b.fill("search_r_from", "8k").await;
        b.fill("search_r_to", "8.6k").await;
        b.press("[data-search=start]").await;
        let list = b.until("#search-results", |t| t.contains("Use")).await;
        assert!(list.contains("43 AWG") && list.contains("on target"), "{list}");
        b.is_well().await;
        b.press("#search-results [data-document]").await;
        b.until("[data-cell=inductance] .number", |t| t.starts_with("2.9") || t.starts_with('3')).await;
        b.holds("coils[0].wire.gauge", "43 AWG").await;
        // A step tried and taken back.
        b.press("[data-view=sensitivity]").await;
        let turns = b.value(TURNS).await;
        b.press("[data-step='adjust:turns:100']").await;
        b.holds(TURNS, &(turns.parse::<u32>().unwrap() + 100).to_string()).await;
        b.press("[aria-label=Undo]").await;
        b.holds(TURNS, &turns).await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Sedge r1").await;
        // Values that make no family are told at their field, and nothing of them is lost.
        b.press_called("Vary this revision").await;
        b.fill("values", "1000 to 9000 by 100").await;
        b.press_called("Create variants and experiment").await;
        b.until("#e-values", |t| !t.is_empty()).await;
        b.holds("values", "1000 to 9000 by 100").await;
        b.fill("values", &format!("{}, {}", number(&turns) - 400, number(&turns) + 400)).await;
        b.press_called("Create variants and experiment").await;
        b.until(".experiment-arms", |t| t.contains(&format!("{}", number(&turns) + 400))).await;
        b.is_well().await;
        b.press_called("Compare predictions").await;
        b.until("h1", |t| t == "Compare").await;
        assert_eq!((b.count(".compared tbody tr").await, b.count(".changes tbody tr").await), (3, 1));
        b.press("svg.plot").await;
        b.until(".plot-reading", |t| t.contains("Hz") && t.contains("dB")).await;
        b.is_well().await;
        b
    })
    .await;
}

/// Two browsers go on from the same revision: the second is told who was first, and nothing of either is lost.
#[tokio::test(flavor = "multi_thread")]
async fn a_conflict_between_two_browsers() {
    let server = server().await;
    journey(server, |first| async move {
        first.sign_in("ode").await;
        first.go("/designs/new?kind=twin-coil").await;
        first.fill("name", "Sallow").await;
        first.press_called("Save the design").await;
        first.until("h1", |t| t == "Sallow r1").await;
        let path = first.path().await;
        first.go(&format!("{path}/edit")).await;
        first.fill(TURNS, "5100").await;
        let at = path.clone();
        journey(server, |second| async move {
            second.sign_in("ode").await;
            second.go(&format!("{at}/edit")).await;
            second.fill(TURNS, "5300").await;
            second.press_called("Save as next revision").await;
            second.until("h1", |t| t == "Sallow r2").await;
            second
        })
        .await;
        first.press_called("Save as next revision").await;
        first.until("[role=alert].alert", |t| t.contains("r2")).await;
        assert_eq!(first.value(TURNS).await, "5100");
        first.is_well().await;
        first.press_called("Save mine as a branch").await;
        first.until("h1", |t| t == "Sallow r3").await;
        assert_eq!(first.count(".tree li.in1").await, 1, "it stands beside r2");
        first
    })
    .await;
}

/// What was measured is laid over what was foretold; the change is heard, asked why, named, and shared without its recipe.
#[tokio::test(flavor = "multi_thread")]
async fn measured_over_predicted_heard_and_shared() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Reedmace").await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Reedmace r1").await;
        let path = b.path().await;
        b.press_called("Add a measured response").await;
        b.fill("sweep_label", "coil one").await;
        let points: String =
            (0..12).map(|k| format!("{} {}\n", 100 + 700 * k, f64::from(6 - (k - 6_i32).abs()))).collect();
        b.fill("points", &points).await;
        b.press("form[action$='/sweeps'] .btn-primary").await;
        b.until(".plot-reading", |t| t.contains("coil one")).await;
        b.press_called("Label, tags, archive").await;
        b.fill("label", "the first").await;
        b.fill("tags", "lap steel").await;
        b.press("form[action$='/label'] .btn-primary").await;
        b.until("h1", |t| t == "Reedmace r1, the first").await;
        b.is_well().await;
        b.go(&format!("{path}/edit")).await;
        b.press("[data-cell=inductance] .why-open").await;
        b.until("#why-inductance:popover-open", |t| t.contains("Neumann") && t.contains("the poles' alloy"))
            .await;
        b.is_well().await;
        b.press_escape().await;
        b.choose("search_overlay", "s1").await;
        b.until(".plot-reading", |t| t.contains("coil one")).await;
        b.press("button[aria-label='Enlarge: Section through a pole']").await;
        b.find(".modal.show svg").await;
        b.is_well().await;
        b.press_escape().await;
        b.fill(TURNS, "8600").await;
        b.press("[data-view=search]").await;
        b.press("[data-step='preset:brighter']").await;
        b.until("[data-cell=peak]", |t| t.contains("off target")).await;
        b.press("[data-view=listen]").await;
        b.press("[data-listen=play]").await;
        b.until("#listen-status", |t| t.contains("Playing A") && t.contains("softer than A")).await;
        b.press("[data-listen=b]").await;
        b.until("#listen-status", |t| t.contains("Playing B")).await;
        b.is_well().await;
        b.press("[data-listen=stop]").await;
        b.go(&format!("{path}/share")).await;
        b.until(".share-sheet", |t| t.contains("Inductance") && !t.contains("AWG")).await;
        b.is_well().await;
        b
    })
    .await;
}

/// A server with a simulated bench beside it.
async fn server_with_bench(pace: f64) -> (std::net::SocketAddr, instruments::simulated::Bench) {
    let store = dev_database::fresh_store().await;
    let bench = super::winding::with_bench(&store, pace).await;
    (Visit::to(&store).address, bench)
}

/// From a saved design to a run of 2,000 turns, signed up to the winding.
async fn to_the_winder(b: &e2e::Browser) -> String {
    b.sign_in("ode").await;
    b.go("/designs/new?kind=tall-single").await;
    b.fill("name", "Bittern").await;
    // Its group is folded: the choice is made as the browser would make it.
    b.asked(
        "const e = document.querySelector(\"[name='potting.medium']\"); e.value = 'wax'; \
         e.dispatchEvent(new Event('change', { bubbles: true })); arguments[arguments.length - 1]('');",
    )
    .await;
    b.press_called("Save the design").await;
    b.until("h1", |t| t == "Bittern r1").await;
    b.press_called("Start a run").await;
    b.fill("turns", "2000").await;
    b.fill("stops", "300, 2000").await;
    b.is_well().await;
    b.press_called("Start the run").await;
    for (k, operation) in ["Dress", "Bevel", "Press", "Lacquer", "Start lead"].iter().enumerate() {
        b.until(".now-op h2", |t| t.starts_with(&format!("{} of 12: {operation}", k + 1))).await;
        b.press_called("Done: sign").await;
    }
    b.until(".now-op", |t| t.contains("Waiting for the turns")).await;
    b.is_well().await;
    b.path().await
}

/// A clean run, with every instrument simulated, from the plan to the last signature.
#[tokio::test(flavor = "multi_thread")]
async fn a_clean_run_from_plan_to_sign_off() {
    let (server, _bench) = server_with_bench(12.0).await;
    journey(server, |b| async move {
        let run = to_the_winder(&b).await;
        b.press_called("Winding station").await;
        b.until("#next-stop", |t| t.starts_with("300")).await;
        b.is_well().await;
        b.press("#go").await;
        // It stops by itself where one looks at the guides, and goes on when told to.
        b.until("#done", |t| t.contains("check the guides")).await;
        b.until("#go", |t| t == "Run").await;
        b.press("[data-event='guides-moved']").await;
        b.press("#go").await;
        b.until("#done", |t| t.contains("end of the coil")).await;
        b.until("#to-go", |t| t == "0").await;
        b.find("#section svg").await;
        b.press_called("Readings and sign-off").await;
        assert!(b.value("turns").await.parse::<u32>().unwrap() >= 2000);
        b.press("form[action$='/readings'] .btn-primary").await;
        for words in ["of 12: Wind", "of 12: Close"] {
            b.until(".now-op h2", |t| t.contains(words)).await;
            b.press_called("Done: sign").await;
        }
        b.until(".now-op", |t| t.contains("Waiting for the resistance")).await;
        b.press_called("Read resistance").await;
        b.until(".compare", |t| t.contains("Resistance at 20 °C")).await;
        b.press_called("Read inductance").await;
        b.until(".compare", |t| t.contains("Inductance")).await;
        b.press_called("Done: sign").await;
        b.until(".now-op", |t| t.contains("Waiting for the flux")).await;
        // Each pole has its target before it is charged.
        b.until(".charging", |t| t.contains("not read yet")).await;
        assert_eq!(b.count(".charging tbody tr").await, 6);
        b.press_called("Read flux").await;
        b.until(".charging", |t| !t.contains("not read yet")).await;
        b.until(".compare", |t| t.contains("Flux, pole 6")).await;
        for words in ["Charge", "Assemble"] {
            b.until(".now-op h2", |t| t.contains(words)).await;
            b.press_called("Done: sign").await;
        }
        b.press_called("Start timer, 15 min").await;
        b.until(".now-op h2", |t| t.contains("Pot in wax")).await;
        b.press_called("Done: sign").await;
        b.until(".now-op h2", |t| t.contains("Final")).await;
        b.press_called("Sweep response").await;
        b.find("svg.plot").await;
        // What the first check read does not stand for the final measurement.
        b.until(".now-op", |t| t.contains("Waiting for the resistance")).await;
        b.press_called("Read resistance").await;
        b.until(".now-op", |t| !t.contains("Waiting for")).await;
        b.press_called("Done: sign").await;
        b.until("main", |t| t.contains("this run is closed")).await;
        b.until(".verdict h2", |t| t == "Pass").await;
        b.is_well().await;
        b.go(&format!("{run}/paper")).await;
        b.is_well().await;
        b.go("/").await;
        b.until(".timer", |t| t.contains("Pot in wax") && t.contains("min")).await;
        b.is_well().await;
        b.go("/instruments").await;
        b.is_well().await;
        b.go("/travellers").await;
        b.is_well().await;
        b
    })
    .await;
}

/// The wire breaks: the station says where, the splice is noted there, and the run goes on from the same turn; the counter is
/// switched off in between, and set again in one touch.
#[tokio::test(flavor = "multi_thread")]
async fn a_broken_wire_is_spliced_and_the_run_goes_on() {
    let (server, bench) = server_with_bench(12.0).await;
    bench.set_faults(vec![instruments::simulated::Fault::BreaksAt(850)]);
    journey(server, |b| async move {
        let run = to_the_winder(&b).await;
        b.press_called("Winding station").await;
        // A speed that is none: the reason stands at the button, and nothing runs.
        for speed in ["0", "-5", "abc", "90000"] {
            b.fill("speed", speed).await;
            b.press("#go").await;
            b.until("#refused", |t| t.contains("3,000")).await;
        }
        b.fill("speed", "500").await;
        b.until("#refused", str::is_empty).await;
        b.press("#go").await;
        b.until("#done", |t| t.contains("check the guides")).await;
        b.until("#go", |t| t == "Run").await;
        b.press("#go").await;
        b.until("#trouble", |t| t.contains("850")).await;
        b.is_well().await;
        b.press("[data-event=splice]").await;
        // After a reload the events are still there: the break in the winder's name, the splice in the person's.
        b.until("#unsent", |t| t.starts_with('0')).await;
        let station = b.path().await;
        b.go(&station).await;
        b.until("#done", |t| {
            t.contains("850: wire broke Winder one") && t.contains("850: wire broke, spliced Ode")
        })
        .await;
        // Somebody switches the winder off and on: its counter begins at nothing.
        instruments::Winder::preset(&mut bench.clone(), 0).await.unwrap();
        b.find("#set-counter:not([hidden])").await;
        b.press("#set-counter").await;
        b.until("#trouble", str::is_empty).await;
        b.until("#turns", |t| t == "850").await;
        b.press("#go").await;
        b.until("#done", |t| t.contains("end of the coil")).await;
        b.go(&run).await;
        b.until("main", |t| t.contains("850 wire broke, spliced")).await;
        b
    })
    .await;
}

/// An open coil is found at the first check: the verdict stops the run, and the rework knows where it comes from.
#[tokio::test(flavor = "multi_thread")]
async fn an_open_coil_is_found_at_the_first_check() {
    let (server, bench) = server_with_bench(12.0).await;
    bench.set_faults(vec![instruments::simulated::Fault::Open]);
    journey(server, |b| async move {
        to_the_winder(&b).await;
        // Wound on a hand winder, and told by hand.
        b.press_called("Winding station").await;
        b.choose("winder", "0").await;
        b.until("#go", |t| t == "Continue" || t == "Run").await;
        b.fill_id("count", "2004").await;
        b.press("#by-hand button[value=count]").await;
        b.until("#turns", |t| t == "2004").await;
        b.press_called("Readings and sign-off").await;
        assert_eq!(b.value("turns").await, "2004");
        b.press("form[action$='/readings'] .btn-primary").await;
        for words in ["of 12: Wind", "of 12: Close"] {
            b.until(".now-op h2", |t| t.contains(words)).await;
            b.press_called("Done: sign").await;
        }
        b.press_called("Read resistance").await;
        b.until(".verdict", |t| t.starts_with("Stop")).await;
        b.is_well().await;
        b.press_called("Wind again as rework").await;
        assert_eq!(b.value("remark").await, "Rework of run 1");
        b
    })
    .await;
}
