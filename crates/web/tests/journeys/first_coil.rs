//! From the first visit to the verdict on the first coil.

use super::Visit;
use e2e::{Browser, journey, journey_of};

const TURNS: &str = "coils[0].wind.turns";
const GAUGE: &str = "coils[0].wire.gauge";
const TENSION: &str = "coils[0].wind.tension_n";

/// Sets up the workshop and lands on an empty bench.
async fn set_up(b: &Browser, code: &str) {
    b.go("/").await;
    b.see("Set up your workshop").await;
    b.is_well().await;
    b.fill("code", "AAAA-BBBB-CCCC").await;
    b.fill("workshop", "Sedge Lane Windings").await;
    b.fill("name", "Ode Farrow").await;
    b.fill("sign_in", "ode").await;
    b.fill("password", "seven thousand turns").await;
    b.fill("again", "seven thousand turns").await;
    b.press_called("Create the workshop").await;
    // A bad answer is said at its field and the rest is kept.
    b.until("#e-code", |t| !t.is_empty()).await;
    assert!(b.value("workshop").await == "Sedge Lane Windings");
    b.fill("code", &code.to_lowercase()).await;
    for (password, is_taken) in [("password1234", false), ("seven thousand turns", true)] {
        b.fill("password", password).await;
        b.fill("again", password).await;
        if !is_taken {
            b.press_called("Create the workshop").await;
            b.until("#e-password", |t| !t.is_empty()).await;
        }
    }
    b.press_called("Create the workshop").await;
    b.find(".empty").await;
}

async fn number(b: &Browser, cell: &str) -> f64 {
    let text = b.text(&format!("[data-cell={cell}] .number b")).await;
    text.replace('−', "-").parse().unwrap_or_else(|_| panic!("{cell} shows “{text}”"))
}

/// Types into a sheet's field and waits until the strip shows other ohms.
async fn retype(b: &Browser, name: &str, text: &str) {
    let before = b.text("[data-cell=resistance]").await;
    b.fill(name, text).await;
    let before = serde_json::to_string(&before).unwrap();
    b.until_script(&format!("document.querySelector('[data-cell=resistance]').innerText !== {before}")).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn from_first_visit_to_verdict() {
    let visit = Visit::to(&dev_database::fresh_store().await);
    journey(visit.address, |b| async move {
        set_up(&b, &visit.code).await;
        b.is_well().await;
        design(&b).await;
        revise(&b).await;
        wind_and_measure(&b).await;
        read_the_logbook(&b).await;
        sign_out_and_in(&b).await;
        b
    })
    .await;
}

/// A new design: spoken input, new numbers while typing, a bad value said at its field, undo, a draft that
/// survives the page.
async fn design(b: &Browser) {
    b.press_called("Start a design").await;
    b.press_called("tall single").await;
    b.see("New tall single").await;
    let ohms = number(b, "resistance").await;
    assert!((5.4..6.1).contains(&ohms), "a standard tall single starts near 5.7 k, not {ohms}");
    retype(b, TURNS, "7000").await;
    assert!(number(b, "resistance").await < ohms);
    b.fill(TURNS, "plenty").await;
    b.until("[id='e-coils[0].wind.turns']", |t| !t.is_empty()).await;
    assert!(b.value(TURNS).await == "plenty", "nothing typed is lost");
    b.fill(TURNS, "9,900").await;
    b.find(".alert-danger, .alert-warning").await;
    retype(b, TURNS, "7,500").await;
    b.fill("poles[0].length_mm", "0.66in").await;
    b.see("= 16.764 mm").await;
    retype(b, GAUGE, "43").await;
    b.press("[aria-label=Undo]").await;
    b.until_script("!document.querySelector(`[name='coils[0].wire.gauge']`).value.endsWith('43')").await;
    b.fill(GAUGE, "42").await;
    b.fill(TENSION, "0.4").await;
    b.find(".alert-warning, .alert-light").await;
    b.fill(TENSION, "18 g").await;
    b.press_called("Target").await;
    b.fill("aims.resistance_ohm[0]", "5.2k").await;
    b.fill("aims.resistance_ohm[1]", "5.7k").await;
    b.see("on target").await;
    b.is_well().await;
    // The page is left without saving, and the draft is back on return.
    b.go("/designs").await;
    b.back().await;
    b.see("New tall single").await;
    b.until_script("document.querySelector(`[name='aims.resistance_ohm[1]']`).value === '5.7k'").await;
    b.press_called("Save the design").await;
    b.until("#e-name", |t| !t.is_empty()).await;
    b.fill("name", "Reed lap steel, bridge").await;
    b.fill("note", "From the standard tall single").await;
    b.press_called("Save the design").await;
    b.see("Reed lap steel, bridge r1").await;
    b.is_well().await;
}

/// A later edit makes the next revision, and says what differs.
async fn revise(b: &Browser) {
    b.press_called("Edit").await;
    retype(b, TURNS, "7400").await;
    b.see("7500").await;
    b.fill("note", "A little brighter").await;
    b.press_called("Save as next revision").await;
    b.see("Reed lap steel, bridge r2").await;
    b.find(".changes").await;
    let changes = b.text(".changes tbody").await;
    assert!(changes.contains("Turns") && changes.contains("7500") && changes.contains("7400"), "{changes}");
}

/// A run: logged step by step to a verdict, and a slip corrected.
async fn wind_and_measure(b: &Browser) {
    b.press_called("Start a run").await;
    b.fill("stops", "300, soon").await;
    b.press_called("Start the run").await;
    b.until("#e-stops", |t| t.contains("soon")).await;
    b.fill("stops", "300, 1000, 3000, 7400").await;
    b.is_well().await;
    b.press_called("Start the run").await;
    b.see("Run 1").await;
    b.find(".verdict.waiting").await;
    b.fill("turns", "7400").await;
    b.fill("resistance", "5.6k").await;
    b.press("form[action$='/readings'] .btn-primary").await;
    b.until("#e-coil_c", |t| !t.is_empty()).await;
    assert!(b.value("resistance").await == "5.6k");
    let ohms = number(b, "resistance").await;
    b.fill("resistance", &format!("{:.0}", ohms * 1000.0 * 1.019_65)).await;
    b.fill("coil_c", "25 C").await;
    // A slip: half the inductance.
    let henries = number(b, "inductance").await;
    b.fill("inductance", &format!("{:.3} H", henries / 2.0)).await;
    b.fill("test_hz", "1 kHz").await;
    b.press("form[action$='/readings'] .btn-primary").await;
    b.until(".verdict", |t| t.contains("shorted turns")).await;
    b.is_well().await;
    b.press(".log li:first-child a").await;
    b.see("Correct: Inductance").await;
    b.fill("inductance", &format!("{henries:.3}")).await;
    b.fill("test_hz", "1000").await;
    b.press_called("Log the correction").await;
    b.find(".verdict.pass").await;
    b.see("corrected").await;
}

async fn read_the_logbook(b: &Browser) {
    b.press(".spine a[href='/logbook']").await;
    b.see("1 run").await;
    b.is_well().await;
    b.go("/logbook?verdict=stop").await;
    b.see("0 runs").await;
    b.go("/logbook").await;
    let csv = b.asked("const done = arguments[arguments.length - 1]; fetch('/logbook.csv').then((r) => r.text()).then(done)").await;
    let csv = csv.as_str().unwrap_or_default();
    assert!(
        csv.starts_with("key,run,started_utc,design")
            && csv.contains("Reed lap steel, bridge")
            && csv.contains("pass"),
        "{csv}"
    );
    b.press(".spine a[href='/spools']").await;
    b.fill("label", "K-7").await;
    b.fill("gauge", "42").await;
    b.fill("overall", "0.01 mm").await;
    b.press_called("Add spool").await;
    b.until("#e-overall", |t| !t.is_empty()).await;
    b.fill("overall", "73.4 µm").await;
    b.press_called("Add spool").await;
    b.see("0.0734 mm").await;
    b.is_well().await;
}

async fn sign_out_and_in(b: &Browser) {
    b.press(".out button").await;
    b.see("Sign in").await;
    b.is_well().await;
    b.go("/runs/1").await;
    b.fill("sign_in", "Ode").await;
    b.fill("password", "not this one").await;
    b.press_called("Sign in").await;
    b.find(".alert").await;
    b.fill("password", "seven thousand turns").await;
    b.press_called("Sign in").await;
    // After signing in one is where one wanted to go.
    b.see("Run 1").await;
}

/// On a phone nothing is wider than the screen, from sign-in to the run.
#[tokio::test(flavor = "multi_thread")]
async fn the_bench_on_a_phone() {
    let visit = Visit::to(&dev_database::fresh_store().await);
    journey_of(visit.address, (500, 844), |b| async move {
        set_up(&b, &visit.code).await;
        for path in [
            "/",
            "/designs/new",
            "/designs/new?kind=twin-coil",
            "/logbook",
            "/spools",
            "/instruments",
            "/travellers",
            "/consistency",
            "/causes",
            "/calibration",
            "/matching",
            "/experiments",
            "/logbook/import",
            "/parts",
            "/costs",
        ] {
            b.go(path).await;
            b.until_script("document.documentElement.scrollWidth <= innerWidth").await;
            b.is_well().await;
        }
        // The places of an owner, who has all of them, come out of the edge.
        b.go("/").await;
        b.press(".menu-button .btn").await;
        b.until(".spine.show", |t| t.contains("Logbook") && t.contains("Sign out")).await;
        b.is_well().await;
        b
    })
    .await;
}
