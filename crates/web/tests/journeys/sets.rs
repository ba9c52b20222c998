//! A set, from one design to two coils on the winder: its partner, a fault in phase found and mended, balance, runs, heights.

use super::server;
use e2e::{Browser, journey};

/// A saved design, and a set with that one pickup.
pub(super) async fn set_of_one(b: &Browser) {
    b.sign_in("ode").await;
    b.go("/designs/new?kind=tall-single").await;
    b.fill("name", "Bittern").await;
    b.press_called("Save the design").await;
    b.until("h1", |t| t == "Bittern r1").await;
    b.go("/sets").await;
    b.is_well().await;
    b.press_called("Start a set").await;
    b.find("#f-p1_name").await;
    b.is_well().await;
    b.press("[data-step='pickup.remove:1']").await;
    b.until_script("!document.querySelector('#f-p1_name')").await;
    b.fill("name", "Bittern pair").await;
    b.fill("p0_place", "far").await;
    b.until("#e-p0_place", |t| !t.is_empty()).await;
    b.fill("p0_place", "48").await;
    b.until("#e-p0_place", str::is_empty).await;
    // Steps are undone and done again, with their figures.
    let moved = "const e = document.querySelector('[name=p0_place]'); e.value = '60'; \
         e.dispatchEvent(new Event('change', { bubbles: true })); arguments[arguments.length - 1]('');";
    b.asked("document.querySelector('[name=p0_place]').dispatchEvent(new Event('change', { bubbles: true })); arguments[0]('');").await;
    b.until_script("document.querySelector('[data-undo]:not([disabled])') !== null").await;
    b.asked(moved).await;
    let drawn = "document.querySelector('[data-pickup=\"0\"]').getAttribute('transform').includes('(60')";
    b.until_script(drawn).await;
    b.press("[data-undo]").await;
    b.until_script("document.querySelector('[name=p0_place]').value.startsWith('48')").await;
    b.press("[data-redo]").await;
    b.until_script("document.querySelector('[name=p0_place]').value.startsWith('60')").await;
    b.press("[data-undo]").await;
    b.until_script("document.querySelector('[name=p0_place]').value.startsWith('48')").await;
    b.press_called("Save the new set").await;
    b.until("h1", |t| t == "Bittern pair").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn from_a_design_to_a_set_on_the_winder() {
    journey(server().await, |b| async move {
        set_of_one(&b).await;

        // Its partner: a name that is taken is told at its field, the rest stays.
        b.fill("partner_name", "bridge").await;
        b.fill("partner_place", "150").await;
        b.press_called("Make the partner").await;
        b.until("#e-partner_name", |t| !t.is_empty()).await;
        assert_eq!(b.value("partner_place").await, "150");
        b.fill("partner_name", "neck").await;
        b.press_called("Make the partner").await;
        b.find(".pair-cell.good").await;
        assert_eq!(b.count(".set-positions tbody tr").await, 3);
        b.is_well().await;

        // Leads the wrong way round: seen at once, saved, and mended by the first proposal.
        b.choose("p1_leads", "swapped").await;
        b.find(".pair-cell.out").await;
        assert_eq!(b.count(".set-positions tr.bad").await, 1);
        b.press_called("Save the set").await;
        b.find("button[form=mend]").await;
        b.is_well().await;
        b.press("button[form=mend]").await;
        b.find(".pair-cell.good").await;
        assert_eq!(b.count(".set-positions tr.bad").await, 0);
        // The change is taken back, and made again.
        b.press("#undo-change button").await;
        b.find(".pair-cell.out").await;
        b.press("button[form=mend]").await;
        b.find(".pair-cell.good").await;

        // Nobody computes with a value that nobody typed: the last good figures stay, marked as such, and no change is offered.
        let shown = b.until(".set-positions", |t| !t.is_empty()).await;
        b.fill("cable", "x").await;
        b.until("#e-cable", |t| !t.is_empty()).await;
        b.find("#set-figures.stale").await;
        assert_eq!(b.until(".set-positions", |t| !t.is_empty()).await, shown);
        b.fill("cable", "1n").await;
        b.until("#e-cable", str::is_empty).await;
        b.until(".set-positions", |t| t != shown).await;
        b.fill("cable", "470").await;
        b.until(".set-positions", |t| t == shown).await;

        // Two positions are computed as sound; what is chosen is what is sent.
        b.press("[data-listen=play]").await;
        b.until("#listen-status", |t| t.starts_with("Playing A")).await;
        b.press("[data-listen=stop]").await;

        // Dragged along the strings, the bridge gets louder.
        let before = b.text(".balance-row .predicted").await;
        let drag = "const g = document.querySelector('[data-pickup=\"0\"]'); const box = g.getBoundingClientRect(); \
             const fire = (to, name, dx) => to.dispatchEvent(new PointerEvent(name, { bubbles: true, cancelable: true, \
             clientX: box.x + box.width / 2 + dx, clientY: box.y + 20 })); \
             fire(g, 'pointerdown', 0); fire(window, 'pointermove', 40); fire(window, 'pointerup', 40); \
             arguments[arguments.length - 1]('');";
        b.asked(drag).await;
        b.until(".balance-row .predicted", |t| t != before).await;
        assert!(b.value("p0_place").await.ends_with(" mm"));
        b.press_called("Save the set").await;
        b.find(".flash").await;

        // Balanced by one of its freedoms, as a variant.
        b.press("button[form=balance]").await;
        b.find(".offers").await;
        b.is_well().await;
        b.press(".offers button[value=turns]").await;
        b.find("#undo-change").await;
        b.until("main", |t| t.contains("Bittern, for Bittern pair r2")).await;

        // A search within what may change: nothing said is told at its field; what is found is put into the set.
        b.press_called("Search").await;
        b.until("#e-r0_turns", |t| !t.is_empty()).await;
        b.fill("r0_turns", "20").await;
        b.fill("r1_height", "1").await;
        b.press_called("Search").await;
        b.find("#search-results tbody tr").await;
        b.is_well().await;
        b.press("#search-results tbody button").await;
        b.until("#undo-change", |t| t.contains("search")).await;

        // Both are started from the set; the partner runs the other way, and the winder's page says so.
        let mut ways = Vec::new();
        for number in 1..=2 {
            b.press_called("Start its run").await;
            b.find("input[name=set]").await;
            ways.push(b.text("table.table tbody td b").await);
            b.press_called("Start the run").await;
            b.until("h1", |t| t.starts_with(&format!("Run {number}"))).await;
            b.go("/sets/1").await;
        }
        assert_ne!(ways[0], ways[1]);
        assert_eq!(b.count("a[href^='/runs/new']").await, 0);
        b.press_called("More").await;
        b.press_called("Set-up sheet").await;
        b.find("table").await;
        b.is_well().await;
        for page in ["/sets", "/sets/compare?of=1&of=1", "/sets/1/share"] {
            b.go(page).await;
            b.is_well().await;
        }
        b.go("/sets/1/set-up").await;
        b.fill("radius", "50").await;
        b.press_called("Compute the heights").await;
        b.until("#e-radius", |t| !t.is_empty()).await;
        b
    })
    .await;
}
