//! From the first visit to the verdict on the first coil.

use anyhow::{Context as _, Result, ensure};
use e2e::{Bench, journey};

const TURNS: &str = "coils[0].wind.turns";
const GAUGE: &str = "coils[0].wire.gauge";
const TENSION: &str = "coils[0].wind.tension_n";

/// Sets up the workshop and lands on an empty bench.
async fn set_up(bench: &Bench) -> Result<()> {
    bench.open("/").await?;
    bench.see("Set up your workshop").await?;
    bench.accessible().await?;
    bench.fill("workshop", "Sedge Lane Windings").await?;
    bench.fill("name", "Ode Farrow").await?;
    bench.fill("sign_in", "ode").await?;
    bench.fill("password", "short").await?;
    bench.press("Open the workshop").await?;
    // A bad answer is said at its field and the rest is kept.
    bench.see("at least 10 characters").await?;
    ensure!(bench.value("workshop").await? == "Sedge Lane Windings");
    bench.fill("password", "seven thousand turns").await?;
    bench.fill("again", "seven thousand turns").await?;
    bench.press("Open the workshop").await?;
    bench.see("The bench is clear").await
}

async fn number(bench: &Bench, cell: &str) -> Result<f64> {
    let text = bench.text(&format!("[data-cell={cell}] .number b")).await?;
    text.replace('−', "-").parse().with_context(|| format!("{cell} shows “{text}”"))
}

/// Types into a sheet's field and waits until the strip shows other ohms.
async fn retype(bench: &Bench, name: &str, text: &str) -> Result<()> {
    let before = bench.text("[data-cell=resistance]").await?;
    bench.fill(name, text).await?;
    let before = serde_json::to_string(&before)?;
    bench
        .until(
            "the strip follows",
            &format!("document.querySelector('[data-cell=resistance]').innerText !== {before}"),
        )
        .await
}

#[tokio::test(flavor = "multi_thread")]
async fn from_first_visit_to_verdict() -> Result<()> {
    journey((1280, 800), async |bench| {
        set_up(bench).await?;
        bench.accessible().await?;
        design(bench).await?;
        revise(bench).await?;
        wind_and_measure(bench).await?;
        read_the_logbook(bench).await?;
        sign_out_and_in(bench).await
    })
    .await
}

/// A new design: spoken input, new numbers while typing, a bad value said at its field, undo, a draft that
/// survives the page.
async fn design(bench: &Bench) -> Result<()> {
    bench.press("Begin a design").await?;
    bench.press("tall single").await?;
    bench.see("New tall single").await?;
    let ohms = number(bench, "resistance").await?;
    ensure!((5.4..6.1).contains(&ohms), "a standard tall single starts near 5.7 k, not {ohms}");
    retype(bench, TURNS, "7000").await?;
    ensure!(number(bench, "resistance").await? < ohms);
    bench.fill(TURNS, "plenty").await?;
    bench.see("as a number").await?;
    ensure!(bench.value(TURNS).await? == "plenty", "nothing typed is lost");
    bench.fill(TURNS, "9,900").await?;
    bench.see("the flanges leave").await?;
    retype(bench, TURNS, "7,620").await?;
    bench.fill("poles[0].length_mm", "0.671in").await?;
    bench.see("= 17.0434 mm").await?;
    retype(bench, GAUGE, "43").await?;
    bench.click("[aria-label=Undo]").await?;
    bench
        .until(
            "undo brings the gauge back",
            "!document.querySelector(`[name='coils[0].wire.gauge']`).value.endsWith('43')",
        )
        .await?;
    bench.fill(GAUGE, "42").await?;
    bench.fill(TENSION, "0.4").await?;
    bench.see("will not break the wire but stretches it").await?;
    bench.fill(TENSION, "18 g").await?;
    bench.press("Aim").await?;
    bench.fill("aims.resistance_ohm[0]", "5.5k").await?;
    bench.fill("aims.resistance_ohm[1]", "5.9k").await?;
    bench.see("in aim").await?;
    bench.accessible().await?;
    // The page is left without saving, and the draft is back on return.
    bench.open("/designs").await?;
    bench.client.back().await?;
    bench.see("New tall single").await?;
    bench
        .until(
            "the draft is back",
            "document.querySelector(`[name='aims.resistance_ohm[1]']`).value === '5.9k'",
        )
        .await?;
    bench.press("Save the design").await?;
    bench.see("Give it a name").await?;
    bench.fill("name", "Reed lap steel, bridge").await?;
    bench.fill("note", "From the standard tall single").await?;
    bench.press("Save the design").await?;
    bench.see("Reed lap steel, bridge r1").await?;
    bench.accessible().await
}

/// A later edit makes the next revision, and says what differs.
async fn revise(bench: &Bench) -> Result<()> {
    bench.press("Change it").await?;
    retype(bench, TURNS, "7400").await?;
    bench.see("7620").await?;
    bench.fill("note", "A little brighter").await?;
    bench.press("Save as next revision").await?;
    bench.see("Reed lap steel, bridge r2").await?;
    bench.see("Against the revision before").await?;
    let changes = bench.text(".changes tbody").await?;
    ensure!(changes.contains("Turns") && changes.contains("7620") && changes.contains("7400"), "{changes}");
    Ok(())
}

/// A run: logged step by step to a verdict, and a slip corrected.
async fn wind_and_measure(bench: &Bench) -> Result<()> {
    bench.press("Wind it").await?;
    bench.fill("stops", "300, soon").await?;
    bench.press("Start the run").await?;
    bench.see("“soon” is not a turn count").await?;
    bench.fill("stops", "300, 1000, 3000, 7400").await?;
    bench.accessible().await?;
    bench.press("Start the run").await?;
    bench.see("Run 1").await?;
    bench.see("Nothing to compare yet").await?;
    bench.fill("turns", "7400").await?;
    bench.fill("resistance", "5.6k").await?;
    bench.press("Log it").await?;
    bench.see("Say how warm the coil was").await?;
    ensure!(bench.value("resistance").await? == "5.6k");
    let ohms = number(bench, "resistance").await?;
    bench.fill("resistance", &format!("{:.0}", ohms * 1000.0 * 1.019_65)).await?;
    bench.fill("coil_c", "25 C").await?;
    // A slip: half the inductance.
    let henries = number(bench, "inductance").await?;
    bench.fill("inductance", &format!("{:.3} H", henries / 2.0)).await?;
    bench.fill("test_hz", "1 kHz").await?;
    bench.press("Log it").await?;
    bench.see("Likeliest: shorted turns").await?;
    bench.accessible().await?;
    bench.click(".log li:first-child a").await?;
    bench.see("Correct: Inductance").await?;
    bench.fill("inductance", &format!("{henries:.3}")).await?;
    bench.fill("test_hz", "1000").await?;
    bench.press("Log the correction").await?;
    bench.see("All that was measured lies inside its band").await?;
    bench.see("corrected").await?;
    ensure!(bench.text(".verdict h2").await? == "Pass");
    Ok(())
}

async fn read_the_logbook(bench: &Bench) -> Result<()> {
    bench.click(".spine a[href='/logbook']").await?;
    bench.see("1 run").await?;
    bench.accessible().await?;
    bench.open("/logbook?verdict=stop").await?;
    bench.see("0 runs").await?;
    bench.open("/logbook").await?;
    let csv = bench
        .client
        .execute_async(
            "const done = arguments[arguments.length - 1]; fetch('/logbook.csv').then((r) => r.text()).then(done)",
            vec![],
        )
        .await?;
    let csv = csv.as_str().unwrap_or_default();
    ensure!(
        csv.starts_with("run,started_utc,design")
            && csv.contains("Reed lap steel, bridge")
            && csv.contains("pass"),
        "{csv}"
    );
    bench.click(".spine a[href='/spools']").await?;
    bench.fill("label", "K-7").await?;
    bench.fill("gauge", "42").await?;
    bench.fill("overall", "0.01 mm").await?;
    bench.press("Add the spool").await?;
    bench.see("Between 0.02 and 0.5").await?;
    bench.fill("overall", "73.4 µm").await?;
    bench.press("Add the spool").await?;
    bench.see("0.0734 mm").await?;
    bench.accessible().await
}

async fn sign_out_and_in(bench: &Bench) -> Result<()> {
    bench.click(".out button").await?;
    bench.see("Sign in").await?;
    bench.accessible().await?;
    bench.open("/runs/1").await?;
    bench.fill("sign_in", "Ode").await?;
    bench.fill("password", "not this one").await?;
    bench.press("Sign in").await?;
    bench.see("do not belong together").await?;
    bench.fill("password", "seven thousand turns").await?;
    bench.press("Sign in").await?;
    // After signing in one is where one wanted to go.
    bench.see("Run 1").await
}

/// On a phone nothing is wider than the screen, from sign-in to the run.
#[tokio::test(flavor = "multi_thread")]
async fn the_bench_on_a_phone() -> Result<()> {
    journey((500, 844), async |bench| {
        set_up(bench).await?;
        for path in [
            "/",
            "/designs/new",
            "/designs/new?kind=twin-coil",
            "/logbook",
            "/spools",
            "/instruments",
            "/travellers",
        ] {
            bench.open(path).await?;
            bench
                .until(
                    "nothing is wider than the screen",
                    "document.documentElement.scrollWidth <= innerWidth",
                )
                .await?;
            bench.accessible().await?;
        }
        Ok(())
    })
    .await
}
