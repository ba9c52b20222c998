//! The sheet's history: every step of it is undone and redone, whole ones too, in whichever tab and over a reload.

use super::server;
use e2e::journey;

const TURNS: &str = "coils[0].wind.turns";

/// What of the design the steps change, told by the page itself.
async fn shape(b: &e2e::Browser) -> String {
    let script = "const count = (name) => document.querySelectorAll(`[name$='${name}']`).length; \
         arguments[arguments.length - 1]([count('.wind.turns'), count('.north'), count('].part'), document.querySelector(\"[name='coils[0].wind.turns']\").value, \
         document.querySelector(\"[name='strings.count']\").value].join(' '));";
    b.asked(script).await.as_str().unwrap_or_default().to_owned()
}

/// Types a value over the one before, as somebody who has selected it does.
async fn type_in(b: &e2e::Browser, name: &str, value: &str) {
    let script = format!(
        "const e = document.querySelector(\"[name='{name}']\"); e.value = '{value}'; \
         e.dispatchEvent(new Event('change', {{ bubbles: true }})); arguments[arguments.length - 1]('');"
    );
    b.asked(&script).await;
}

/// Counts the questions to the server that are not answered yet, from here on.
async fn count_questions(b: &e2e::Browser) {
    let script = "const ask = window.fetch; window.unanswered = 0; \
         window.fetch = (...what) => { window.unanswered++; return ask(...what).finally(() => { window.unanswered--; }); }; \
         arguments[arguments.length - 1]('');";
    b.asked(script).await;
}

/// Waits until every question is answered and what came of it is shown.
async fn all_answered(b: &e2e::Browser) {
    b.until_script("window.unanswered === 0 && document.querySelector('#strip:not([aria-busy])') !== null")
        .await;
}

async fn until_shape(b: &e2e::Browser, expected: &str) {
    for _ in 0..500 {
        if shape(b).await == expected {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(80)).await;
    }
    panic!("{} is not {expected}", shape(b).await);
}

#[tokio::test(flavor = "multi_thread")]
async fn ten_steps_are_undone_and_redone_over_a_reload() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=twin-coil").await;
        let mut states = vec![shape(&b).await];
        let steps = [
            "metal.add",
            "7100",
            "bar.add",
            "view:field",
            "coil.duplicate:0",
            "metal.add",
            "7200",
            "strings:7",
            "bar.add",
            "view:pickup",
            "7300",
            "metal.remove:0",
        ];
        for step in steps {
            match step.split_once(':') {
                Some(("view", view)) => {
                    b.press(&format!("[data-view={view}]")).await;
                    continue;
                }
                Some(("strings", count)) => type_in(&b, "strings.count", count).await,
                _ if step.parse::<u32>().is_ok() => type_in(&b, TURNS, step).await,
                _ => b.press(&format!("[data-step='{step}']")).await,
            }
            let before = states.last().cloned().unwrap_or_default();
            for _ in 0..100 {
                if shape(&b).await != before {
                    break;
                }
                tokio::time::sleep(std::time::Duration::from_millis(80)).await;
            }
            b.until(".status", |t| t == "Draft saved").await;
            b.find("#strip:not([aria-busy])").await;
            let now = shape(&b).await;
            assert_ne!(now, before, "{step}");
            states.push(now);
        }
        assert_eq!(states.len(), 11);
        for state in states.iter().rev().skip(1).take(3) {
            b.press("[aria-label=Undo]").await;
            until_shape(&b, state).await;
        }
        // The page is loaded again in between, before the server has answered the last step back.
        b.asked("window.fetch = () => new Promise(() => {}); arguments[arguments.length - 1]('');").await;
        b.press("[aria-label=Undo]").await;
        b.go("/designs/new?kind=twin-coil").await;
        b.find(".draft:not([style*=none])").await;
        until_shape(&b, &states[6]).await;
        b.press("[aria-label=Redo]").await;
        until_shape(&b, &states[7]).await;
        for state in states[..7].iter().rev() {
            b.press("[aria-label=Undo]").await;
            until_shape(&b, state).await;
        }
        assert_eq!(b.count("[aria-label=Undo]:disabled").await, 1);
        // What was undone is still there to be redone after the page is loaded again, also from the first state.
        b.go("/designs/new?kind=twin-coil").await;
        b.find("[aria-label=Redo]:not(:disabled)").await;
        assert_eq!(b.count("[aria-label=Undo]:disabled").await, 1);
        for state in &states[1..] {
            b.press("[aria-label=Redo]").await;
            until_shape(&b, state).await;
        }
        count_questions(&b).await;
        // Three at once, faster than the server shows the parts of each: the last one counts, also once all answers are in.
        b.asked(
            "const undo = document.querySelector('[aria-label=Undo]'); \
             for (let k = 0; k < 3; k++) undo.click(); arguments[arguments.length - 1]('');",
        )
        .await;
        until_shape(&b, &states[7]).await;
        b.until(".status", |t| t == "Draft saved").await;
        all_answered(&b).await;
        assert_eq!(shape(&b).await, states[7]);
        b.is_well().await;
        b
    })
    .await;
}

/// Whole steps and typed values in haste, before any answer is in: each of them counts, whichever answer comes first.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_done_in_haste_is_all_kept() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=twin-coil").await;
        b.find("#strip:not([aria-busy])").await;
        let before = shape(&b).await;
        count_questions(&b).await;
        let parts = "const press = (step) => document.querySelector(`[data-step='${step}']`).click(); \
             const type = (value) => { const e = document.querySelector(\"[name='coils[0].wind.turns']\"); e.value = value; \
             e.dispatchEvent(new Event('change', { bubbles: true })); }; \
             press('metal.add'); press('bar.add'); type('7150'); press('coil.duplicate:0'); type('7250'); \
             arguments[arguments.length - 1]('');";
        b.asked(parts).await;
        // Two coils, no magnet and no metal to begin with.
        let counts = |shape: &str| -> Vec<String> { shape.split(' ').map(str::to_owned).collect() };
        let first: Vec<u32> = counts(&before)[..3].iter().filter_map(|n| n.parse().ok()).collect();
        until_shape(&b, &format!("{} {} {} 7250 6", first[0] + 1, first[1] + 1, first[2] + 1)).await;
        all_answered(&b).await;
        assert_eq!(shape(&b).await, format!("{} {} {} 7250 6", first[0] + 1, first[1] + 1, first[2] + 1));
        b.is_well().await;
        b
    })
    .await;
}

/// Enter computes and saves nothing; what is the same as before is not saved again.
#[tokio::test(flavor = "multi_thread")]
async fn saving_is_an_act_of_its_own() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Sedge").await;
        let before = b.until("[data-cell=resistance] .number", |t| !t.is_empty()).await;
        b.fill(TURNS, "8000").await;
        b.press_key('\u{e007}').await;
        b.until("[data-cell=resistance] .number", |t| t != before).await;
        assert_eq!(b.path().await, "/designs/new");
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Sedge r1").await;
        b.go("/revisions/1/edit").await;
        b.press_called("Save as next revision").await;
        b.until("#e-note", |t| t.contains("nothing to save")).await;
        b.is_well().await;
        b.fill(TURNS, "8100").await;
        b.press_called("Save as next revision").await;
        b.until("h1", |t| t == "Sedge r2").await;
        b
    })
    .await;
}
