//! A dead pickup, from the bench to a coil beside the original: captured with readings missing, explained, diagnosed, restored.

use super::server;
use e2e::{Browser, journey};
use image::{DynamicImage, ImageFormat};

/// Captures a pickup with two readings missing, and sees what it can be.
async fn capture(b: &Browser) {
    b.sign_in("ode").await;
    b.go("/rewinds").await;
    b.is_well().await;
    b.press_called("Examine the first one").await;
    b.find("#sheet-figures .empty").await;
    b.is_well().await;
    b.press_called("Save").await;
    b.until("[role=alert].alert-warning", |t| !t.is_empty()).await;
    b.fill("name", "Drawer find").await;
    b.fill("resistance_ohm", "lots").await;
    b.until("#e-resistance_ohm", |t| !t.is_empty()).await;
    b.fill("resistance_ohm", "7k3").await;
    b.until("#sheet-figures .answer-what", |t| t.contains("AWG")).await;
    // Sizes over the winding that are no more than the core's are told at their field.
    b.fill("outer_width_mm", "3").await;
    b.until("#e-outer_width_mm", |t| !t.is_empty()).await;
    b.fill("outer_width_mm", "12.4").await;
    b.until("#e-outer_width_mm", str::is_empty).await;
    b.find(".next-list li").await;
    b.is_well().await;
    // What is asked for is one touch away, and settles more than it leaves open.
    let before = b.count(".share-bars > div").await;
    b.press(".next-list [data-focus]").await;
    b.fill("inductance_h", "2.42").await;
    b.fill("wire_overall_mm", "0.061").await;
    b.until_script(&format!("document.querySelectorAll('.share-bars > div').length < {before}")).await;
    b.fill("said_gauge", "42").await;
    b.until("#sheet-figures", |t| t.contains("is nearer")).await;
    // Another format has its own sizes; back again the sheet is as it was begun.
    b.choose("kind", "wide-single").await;
    b.until_script("document.querySelector('[name=core_width]').value !== '4.75'").await;
    b.choose("kind", "tall-single").await;
    b.until_script("document.querySelector('[name=core_width]').value === '4.75'").await;
    // What is chosen while the fields are still on their way is not lost with them.
    let quickly = "const set = (n, v) => { const e = document.querySelector(`[name=${n}]`); e.value = v; \
         e.dispatchEvent(new Event('change', { bubbles: true })); }; \
         set('kind', 'per-string'); set('strings', '8'); set('kind', 'tall-single'); set('strings', '6'); \
         document.querySelector('[name=markings]').value = 'Mon 12'; arguments[arguments.length - 1]('');";
    b.asked(quickly).await;
    b.until_script("document.querySelector('[name=core_width]').value === '4.75'").await;
    b.until_script("document.querySelectorAll('.pole-table tbody tr').length === 6").await;
    b.holds("markings", "Mon 12").await;
    // Poles are measured each by itself; the others take the first one's sizes at one touch.
    b.fill("pole_length_1", "12.5").await;
    b.press_called("All poles sized as the first").await;
    b.until_script("document.querySelector('[name=pole_length_4]').value === '12.5'").await;
    b.fill("pole_length_4", "13").await;
    b.fill("flux_2", "strong").await;
    b.until("#e-flux_2", |t| !t.is_empty()).await;
    b.fill("flux_2", "").await;
    b.fill("flux_3", "41").await;
    // Two peaks tell the capacitance, when they go together.
    b.fill("peak_hz", "7.5k").await;
    b.fill("second_peak_hz", "9k").await;
    b.fill("second_cable_pf", "470").await;
    b.until("#e-second_peak_hz", |t| !t.is_empty()).await;
    b.fill("second_peak_hz", "").await;
    b.fill("second_cable_pf", "").await;
    b.fill("peak_hz", "").await;
    b.fill("wire_ohm", "27.9").await;
    b.fill("wire_length", "4").await;
    b.until("#e-second_peak_hz", str::is_empty).await;
    b.until("#sheet-figures .answer-what", |t| t.contains("AWG")).await;
    b.press_called("Save").await;
    b.until("h1", |t| t == "Drawer find").await;
    for (name, value) in [("pole_length_4", "13"), ("flux_2", ""), ("flux_3", "41"), ("wire_ohm", "27.9")] {
        b.until_script(&format!("document.querySelector('[name={name}]').value === '{value}'")).await;
    }
    b.is_well().await;
}

async fn photograph(b: &Browser) {
    let folder = tempfile::tempdir().unwrap();
    let (picture, other) = (folder.path().join("leads.png"), folder.path().join("leads.jpg"));
    DynamicImage::new_rgb8(640, 480).save_with_format(&picture, ImageFormat::Png).unwrap();
    std::fs::write(&other, "no picture at all").unwrap();
    b.attach("#photo-file", &other).await;
    b.press(".photo-add button").await;
    b.until(".flash", |t| t.contains("picture")).await;
    b.attach("#photo-file", &picture).await;
    b.fill("caption", "leads as they came").await;
    b.press(".photo-add button").await;
    b.find(".photo-strip img[alt='leads as they came']").await;
    b.until_script("document.querySelector('.photo-strip img').naturalWidth > 0").await;
    for size in ["", "/small"] {
        let kept = format!(
            "const done = arguments[0]; fetch('/photos/1{size}').then((answer) => done(answer.headers.get('cache-control')));"
        );
        assert_eq!(b.asked(&kept).await, "no-store", "whoever has the browser later has no photo of it");
    }
    b.is_well().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pickup_is_found_out_and_brought_back() {
    journey(server().await, |b| async move {
        capture(&b).await;
        photograph(&b).await;

        // Test by test, each with what this one should read.
        b.until("[aria-labelledby=h-diagnosis] .predicted", |t| t.contains("kΩ")).await;
        for answer in ["resistance:as-expected", "to-metal:as-expected", "inductance:low", "quality:low"] {
            b.press(&format!("button[name=answer][value='{answer}']")).await;
            b.find(&format!(".answers li:nth-child({})", b.count(".answers li").await.max(1))).await;
        }
        b.until("[aria-labelledby=h-diagnosis] .badge", |t| t == "rewind").await;
        b.press_called("Take the last answer back").await;
        b.find("button[name=answer][value='quality:low']").await;

        // A curve is fitted, and what it tells is taken over.
        b.press_called("Read inductance and capacitance from a curve").await;
        let lines = "const z = (f) => { const w = 2 * Math.PI * f; const d = 1 + (w * 2.42) ** 2 / 7300 ** 2; \
             const g = 1 / (7300 * d) + 1 / 800000; const s = w * 110e-12 - w * 2.42 / (7300 ** 2 * d); \
             return 1 / Math.hypot(g, s); }; let t = ''; \
             for (let k = 0; k < 50; k++) { const f = 100 * 1.12 ** k; t += `${f.toFixed(2)} ${z(f).toFixed(2)}\\n`; } \
             document.querySelector('#curve').value = t; arguments[0](t);";
        b.asked(lines).await;
        b.press_called("Fit the curve").await;
        b.until("#curve-result", |t| t.contains("2.42 H")).await;
        b.is_well().await;
        b.press("[data-take=capacitance_pf]").await;
        b.until_script("document.querySelector('[name=capacitance_pf]').value.startsWith('110')").await;
        b.press_called("Save").await;
        b.find(".flash").await;

        // Settled, restored, wound, and beside the original.
        b.press("button[form=choose]").await;
        b.until("[aria-labelledby=h-restore]", |t| t.contains("As chosen")).await;
        b.press("button[name=way][value=original]").await;
        b.find("[aria-labelledby=h-wound]").await;
        b.is_well().await;
        b.press_called("start its run").await;
        b.press_called("Start the run").await;
        b.until("#operations", |t| t.contains("Photograph it")).await;
        b.fill("turns", "8000").await;
        b.fill("resistance", "7.3k").await;
        b.fill("coil_c", "20").await;
        b.press("form[action$='/readings'] .btn-primary").await;
        b.find(".log li").await;
        b.go("/rewinds/1").await;
        b.until("[aria-labelledby=h-wound] tbody tr:nth-child(2)", |t| t.contains("Run 1")).await;

        // As this one, but louder: what cannot be is told, the rest becomes a design with targets.
        b.fill("more_output", "much").await;
        b.press_called("Begin the design").await;
        b.until("#e-more_output", |t| !t.is_empty()).await;
        b.fill("more_output", "15").await;
        b.fill("least_peak", "4 kHz").await;
        b.press_called("Begin the design").await;
        b.until("h1", |t| t.contains("Like Drawer find")).await;
        for page in ["/rewinds", "/rewinds?q=AWG&sort=name", "/rewinds/new?kind=twin-coil"] {
            b.go(page).await;
            b.is_well().await;
        }
        b
    })
    .await;
}
