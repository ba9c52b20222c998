//! A maker asks why the analyser shows nine kilohertz: potting, leads, ground, the instrument's own input, the maps.

use super::server;
use e2e::journey;

/// From an instrument with its input, over what hangs on the coil, to a map that is held against the next one.
#[tokio::test(flavor = "multi_thread")]
async fn what_surrounds_the_coil() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        // The analyser's input is refused at its field while it cannot be, and kept when it can.
        b.go("/instruments").await;
        b.fill("network", "192.168.1.0/24 5025").await;
        b.press_called("Allow network").await;
        b.press_called("Add an instrument").await;
        b.choose("kind", "sweep").await;
        b.fill("name", "Heath sweep").await;
        b.fill("address", "192.168.1.40:5025").await;
        b.fill("input_pf", "110").await;
        b.fill("input_mohm", "0").await;
        b.press_called("Add instrument").await;
        b.until("#e-input_mohm", |t| !t.is_empty()).await;
        assert_eq!(b.value("input_pf").await, "110");
        b.fill("input_mohm", "1").await;
        b.press_called("Add instrument").await;
        b.until("table", |t| t.contains("110 pF")).await;
        // What it will show stands under the coil's own resonance.
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Sedge").await;
        let seen = b.until("[data-cell=resonance] .seen", |t| t.contains("kHz on")).await;
        let kilohertz = |text: &str| text.split_whitespace().next().unwrap().parse::<f64>().unwrap();
        let dry = kilohertz(&seen);
        b.press("details:has([name='potting.medium']) > summary").await;
        b.choose("potting.medium", "wax").await;
        b.until("[data-cell=resonance] .seen", |t| kilohertz(t) < dry).await;
        b.fill("leads.length_mm", "50 m").await;
        b.until("[id='e-leads.length_mm']", |t| !t.is_empty()).await;
        b.fill("leads.length_mm", "400").await;
        b.choose("leads.kind", "shielded").await;
        b.choose("wiring.grounded.foil", "yes").await;
        b.find("[name='wiring.foil_gap_mm']").await;
        b.is_well().await;
        // The field: another plane, a read-out that moves, and a map held while the rods are charged less.
        b.press("[data-view=maps]").await;
        b.find(".field-map canvas").await;
        b.choose("search_map_cut", "strings").await;
        b.until(".field-map .plot-reading", |t| t.starts_with('x')).await;
        let before = b.text(".field-map .plot-reading").await;
        b.press(".field-map canvas").await;
        b.until(".field-map .plot-reading", |t| t != before).await;
        b.press_called("Hold this map").await;
        b.until(".field-map .plot-reading", |t| t.contains("held")).await;
        b.press_called("Change since").await;
        b.is_well().await;
        // What matters for this coil, and what does not.
        b.press("[data-view=matters]").await;
        b.until(".matters", |t| t.contains("potted")).await;
        b.is_well().await;
        b.press("[data-view=field]").await;
        b.until("#drawings", |t| t.contains("String by string")).await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Sedge r1").await;
        b.is_well().await;
        b
    })
    .await;
}
