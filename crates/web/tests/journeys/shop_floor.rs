//! A day in the shop: two sets are promised, the day is begun, operations are signed, a winder breaks, and the customer's date moves.

use super::Visit;
use super::sets::set_of_one;
use coil::design::Spool as Measured;
use coil::design::Wire;
use coil::wire::{Build, Insulation, ToleranceRange};
use e2e::{Browser, journey};
use store::spool::NewSpool;
use store::{ClientKey, WorkshopId};

/// A workshop with a winder, a spool of the usual wire, and hours around the clock, so that it goes alike at any time of day.
async fn shop() -> std::net::SocketAddr {
    let store = dev_database::fresh_store().await;
    super::super::winding::with_bench(&store, 20.0).await;
    let spool = NewSpool {
        key: ClientKey::random(),
        label: "K-12".into(),
        wire: Wire {
            gauge: "42 AWG".parse().unwrap(),
            insulation: Insulation::PolyvinylAcetal,
            build: Build::Heavy,
            range: ToleranceRange::Full,
            spool: Some(Measured { left_m: Some(2500.0), ..Measured::default() }),
        },
        remark: String::new(),
    };
    store.workshop(WorkshopId(1)).add_spool(store::PersonId(1), &spool).await.unwrap();
    Visit::to(&store).address
}

/// A zone in which it is nine in the morning: the day's list has the same work in it whenever the test runs.
fn morning_zone() -> &'static str {
    const BY_OFFSET_FROM_MINUS_11: [&str; 24] = [
        "Pacific/Pago_Pago",
        "Pacific/Honolulu",
        "Pacific/Gambier",
        "Pacific/Pitcairn",
        "America/Phoenix",
        "America/Costa_Rica",
        "America/Panama",
        "America/Puerto_Rico",
        "America/Cayenne",
        "America/Noronha",
        "Atlantic/Cape_Verde",
        "Atlantic/Reykjavik",
        "Africa/Lagos",
        "Africa/Maputo",
        "Africa/Nairobi",
        "Asia/Dubai",
        "Asia/Karachi",
        "Asia/Dhaka",
        "Asia/Bangkok",
        "Asia/Singapore",
        "Asia/Tokyo",
        "Australia/Brisbane",
        "Pacific/Guadalcanal",
        "Pacific/Tarawa",
    ];
    let hour = usize::from(time::OffsetDateTime::now_utc().hour());
    BY_OFFSET_FROM_MINUS_11[(9 + 24 - hour + 11) % 24]
}

async fn open_always(b: &Browser) {
    b.go("/week").await;
    b.press_called("Working hours").await;
    b.fill("days", "Mon, Tue, Wed, Thu, Fri, Sat, Sun").await;
    b.fill("from", "00:00").await;
    b.fill("to", "24:00").await;
    b.choose("zone", morning_zone()).await;
    b.press_called("Save the hours").await;
    b.find(".flash").await;
    // One person's own hours, and back to the shop's.
    b.press_called("Working hours").await;
    b.choose("person", "1").await;
    b.press_called("Save their hours").await;
    b.until("#e-own_days", |t| !t.is_empty()).await;
    b.is_well().await;
    b.fill("own_days", "Mon, Tue, Wed, Thu, Fri, Sat, Sun").await;
    b.fill("own_from", "00:00").await;
    b.fill("own_to", "23:30").await;
    b.press_called("Save their hours").await;
    b.press_called("Working hours").await;
    b.until("main", |t| t.contains("00:00 to 23:30")).await;
    b.choose("person", "1").await;
    b.choose("as", "shop").await;
    b.press_called("Save their hours").await;
    b.until_script("!document.querySelector('main').textContent.includes('23:30')").await;
}

/// Two sets of two pickups, agreed for a day soon; the order page says when they are ready.
async fn take_the_order(b: &Browser) -> String {
    b.go("/orders/new").await;
    b.fill("customer", "Marsh quartet").await;
    b.choose("item0", "s1").await;
    b.fill("quantity0", "2").await;
    b.press_called("When could this be ready?").await;
    b.until("#promise", |t| t.starts_with("Ready on 20")).await;
    b.choose("state", "agreed").await;
    b.press_called("Save").await;
    let ready = b.until(".answer-what", |t| t.starts_with("Ready 20")).await;
    // Wire for two of the four is there; what is missing is said with how much to buy.
    b.until("[aria-labelledby=h-supplies]", |t| t.contains("42 AWG wire")).await;
    b.until(".alert-warning", |t| t.contains("To buy")).await;
    b.is_well().await;
    ready
}

#[tokio::test(flavor = "multi_thread")]
async fn a_winder_breaks_and_the_date_moves() {
    journey(shop().await, |b| async move {
        set_of_one(&b).await;
        b.fill("partner_name", "neck").await;
        b.fill("partner_place", "150").await;
        b.press_called("Make the partner").await;
        b.find(".pair-cell.good").await;
        b.press_called("Save the set").await;
        b.find(".flash").await;
        open_always(&b).await;
        let promised = take_the_order(&b).await;

        // One touch starts the run with its first operation, which keeps its place until it is signed.
        b.go("/day").await;
        b.find(".todo button.btn-primary").await;
        b.is_well().await;
        b.press(".todo button.btn-primary").await;
        b.until("h1", |t| t.starts_with("Run 1")).await;
        b.go("/day").await;
        b.until(".todo .running", |t| t.contains("under way since")).await;
        b.go("/runs/1").await;
        for operation in ["Dress", "Bevel", "Press"] {
            b.until(".now-op h2", |t| t.contains(operation)).await;
            b.press_called("Done: sign").await;
        }
        // What dries has its timer as it is begun, and it counts down on every page.
        b.until(".now-op h2", |t| t.contains("Lacquer")).await;
        b.go("/day").await;
        b.until_script("document.querySelector('#plan:not([data-improving])') !== null").await;
        b.press("form:has([name=operation][value=insulate]):has([name=job][value='run:1']) .btn-primary").await;
        b.find(".flash").await;
        b.go("/").await;
        b.until(".timer", |t| t.contains("Lacquer") && t.contains("23 h")).await;
        b.is_well().await;

        // Something is pinned, and taken off again; what cannot be is said.
        b.go("/day").await;
        b.until_script("document.querySelector('#plan:not([data-improving])') !== null").await;
        b.press("section > .todo > li:last-child > .deeds .pin-it summary").await;
        b.press("section > .todo > li:last-child > .deeds .pin-it button").await;
        b.find(".flash").await;
        b.until(".todo", |t| t.contains("pinned")).await;
        b.press("button[name=off]").await;
        b.find(".flash").await;

        // The winder breaks: the plan is made anew, and says whose date moved.
        b.go("/day").await;
        b.until_script("document.querySelector('#plan:not([data-improving])') !== null").await;
        b.go("/day").await;
        b.press_called("Something is broken, or somebody is away").await;
        b.press_called("Report it").await;
        b.until("#e-resource", |t| !t.is_empty()).await;
        b.choose("resource", "winder:5").await;
        b.press_called("Report it").await;
        b.until("#e-reason", |t| !t.is_empty()).await;
        b.is_well().await;
        b.fill("reason", "bearing").await;
        b.press_called("Report it").await;
        b.until("#plan", |t| t.contains("Winder one is not available")).await;
        b.until(".moved", |t| t.contains("order 1")).await;
        b.is_well().await;
        b.go("/orders/1").await;
        let moved = b.until(".answer-what", |t| t.starts_with("Ready 20")).await;
        assert!(moved > promised, "{promised}, then {moved}");
        b.go("/day").await;
        b.press_called("Seen").await;
        b.find(".flash").await;
        assert_eq!(b.count(".moved").await, 0);
        b.press("form[action^='/day/outages/'] button").await;
        b.find(".flash").await;

        // Bars are walked with arrow keys, and the figures of the shop say what to buy.
        b.go("/week").await;
        b.is_well().await;
        let walk = "const bars = [...document.querySelectorAll('svg.gantt [data-row]')]; bars[0].focus(); \
             bars[0].dispatchEvent(new KeyboardEvent('keydown', { key: 'End', bubbles: true })); \
             arguments[arguments.length - 1](document.activeElement !== bars[0] && bars.includes(document.activeElement));";
        assert_eq!(b.asked(walk).await, true);
        b.go("/shop-figures").await;
        b.until("[aria-labelledby=h-buy]", |t| t.contains("42 AWG wire")).await;
        b.until("[aria-labelledby=h-minutes]", |t| t.contains("Minutes")).await;
        b.is_well().await;
        for page in ["/orders/1/paper", "/day", "/rewinds/new?kind=per-string", "/compare"] {
            b.go(page).await;
            b.is_well().await;
        }
        b
    })
    .await;
}
