//! An order from the question to the bench: promised, saved, planned, started.

use super::server;
use e2e::journey;
use icalendar::Component as _;

#[tokio::test(flavor = "multi_thread")]
async fn an_order_is_promised_planned_and_started() {
    journey(server().await, |b| async move {
        b.sign_in("ode").await;
        b.go("/designs/new?kind=tall-single").await;
        b.fill("name", "Bittern").await;
        b.press_called("Save the design").await;
        b.until("h1", |t| t == "Bittern r1").await;
        b.go("/orders").await;
        b.is_well().await;
        b.press_called("Take the first order").await;
        b.find("#order").await;
        b.is_well().await;
        b.press_called("Save").await;
        b.until("#e-customer", |t| !t.is_empty()).await;
        b.fill("customer", "A. of the harbour").await;
        b.choose("item0", "r1").await;
        b.fill("quantity0", "none").await;
        b.press_called("When could this be ready?").await;
        b.until("#e-quantity0", |t| !t.is_empty()).await;
        b.fill("quantity0", "2").await;
        b.press_called("When could this be ready?").await;
        b.until("#promise", |t| t.starts_with("Ready on 20")).await;
        b.choose("state", "agreed").await;
        b.press_called("Save").await;
        b.until(".answer-what", |t| t.starts_with("Ready 20")).await;
        b.until(".alert-warning", |t| t.contains("AWG")).await;
        b.is_well().await;
        // Both pickups are planned; the first is started from the order, and its run is noted there.
        assert_eq!(b.count("a[href^='/runs/new']").await, 2);
        b.go("/day").await;
        b.find(".todo li").await;
        b.is_well().await;
        b.go("/orders/1").await;
        b.press("a[href^='/runs/new']").await;
        b.find("input[name=order]").await;
        b.press_called("Start the run").await;
        b.until("h1", |t| t.starts_with("Run 1")).await;
        b.go("/orders/1").await;
        b.until("[aria-labelledby=h-pickups]", |t| t.contains("Run 1")).await;
        assert_eq!(b.count("a[href^='/runs/new']").await, 1);
        // Other hours, another plan.
        b.go("/week").await;
        b.find("svg.gantt a").await;
        b.is_well().await;
        b.press_called("Working hours").await;
        b.fill("to", "07:00").await;
        b.press_called("Save the hours").await;
        b.until("#e-from", |t| !t.is_empty()).await;
        b.fill("to", "20:00").await;
        b.press_called("Save the hours").await;
        b.find(".flash").await;
        // The feed is read by a calendar library, and can be ended.
        b.press_called("Calendar feed").await;
        b.press("button[name=of][value=shop]").await;
        let told = b.until(".flash", |t| t.contains("/calendar.ics?token=")).await;
        let address = told[told.find("/calendar.ics").unwrap()..].trim().to_owned();
        let read = format!("const done = arguments[0]; fetch('{address}').then((r) => r.text()).then(done);");
        let text = b.asked(&read).await.as_str().unwrap().to_owned();
        let calendar: icalendar::Calendar = text.parse().unwrap();
        let events: Vec<_> = calendar.components.iter().filter_map(|c| c.as_event()).collect();
        assert!(events.len() > 10 && !text.contains("harbour"), "{text}");
        assert!(events.iter().all(|e| e.get_start().is_some() && e.get_end().is_some()));
        b.press_called("Calendar feed").await;
        b.press("form[action$='/end'] button").await;
        b.find(".flash").await;
        for page in [
            "/week?by=order",
            "/orders?sort=promised&state=in+work",
            "/orders/1/paper",
            "/orders/1/paper?as=slip",
        ] {
            b.go(page).await;
            b.is_well().await;
        }
        b
    })
    .await;
}
