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
        b.press("[data-view=assumptions]").await;
        b.until(".assumptions", |t| t.contains("potted")).await;
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

/// Poles are given another shape, taken out and added; fields are there where they apply; a figure leads to its target; what is not needed
/// any more is renamed and deleted.
#[tokio::test(flavor = "multi_thread")]
async fn the_poles_of_a_coil_and_what_becomes_of_its_design() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Sedge").await;
        b.find("[name='poles{A}.bevel_mm']").await;
        b.choose("poles{A}.shape", "square").await;
        b.until_script("!document.querySelector('[name=\"poles{A}.bevel_mm\"]')").await;
        b.choose("coils[0].former.core.shape", "rectangle").await;
        b.find("[name='coils[0].former.core.corner_mm']").await;
        b.press("[data-step='poles.each']").await;
        b.press("[data-step='pole.remove:2']").await;
        b.until_script("document.querySelectorAll('.top .pole').length === 5").await;
        b.until("#notices", |t| t.contains("String 3")).await;
        b.press("[data-step='pole.add:0']").await;
        b.until_script("document.querySelectorAll('.top .pole').length === 6").await;
        b.is_well().await;
        // A figure leads to the field of its target.
        b.press("[data-cell=inductance] .why-open").await;
        b.press("#why-inductance [data-field-of]").await;
        b.until_script("document.activeElement.name === 'aims.inductance_h[0]'").await;
        b.fill("aims.inductance_h[0]", "1.5").await;
        b.until("[data-cell=inductance]", |t| t.contains("on target")).await;
        // The knobs of the load are half down: the peak goes.
        b.press_called("Load").await;
        b.fill("load.volume_at", "300").await;
        b.until_script("document.getElementById('e-load.volume_at').textContent !== ''").await;
        b.fill("load.volume_at", "50").await;
        b.until_script("document.getElementById('e-load.volume_at').textContent === ''").await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Sedge r1").await;
        b.press_called("Rename or delete").await;
        b.fill("name", "Rush").await;
        b.press("form[action$='/name'] button").await;
        b.until("h1", |t| t == "Rush r2").await;
        b.press_called("Rename or delete").await;
        b.press("form[action$='/delete'] input[type=checkbox]").await;
        b.press("form[action$='/delete'] button").await;
        b.until(".flash", |t| t.contains("Deleted")).await;
        b.until("main", |t| !t.contains("Rush")).await;
        b
    })
    .await;
}
