//! The one harness of browser journeys: a headless Chromium that a test drives; its console must stay clean, and every page it is asked about accessible.

#![allow(
    clippy::missing_panics_doc,
    clippy::unwrap_used,
    reason = "whatever does not go as it should ends the journey"
)]

use fantoccini::elements::Element;
use fantoccini::error::CmdError;
use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use futures_util::FutureExt as _;
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::future::Future;
use std::io::{BufRead as _, BufReader};
use std::net::SocketAddr;
use std::panic::{AssertUnwindSafe, resume_unwind};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// How long something may take to show on a busy machine.
const PATIENCE: Duration = Duration::from_secs(40);

/// The browser's console since it was last read.
#[derive(Debug)]
struct ConsoleLog;

impl WebDriverCompatibleCommand for ConsoleLog {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "type": "browser" }).to_string()))
    }
}

/// A device beside the browser that keeps passkeys and says that it checked its owner (Web Authentication, level 3, section 12).
#[derive(Debug)]
struct AddAuthenticator;

impl WebDriverCompatibleCommand for AddAuthenticator {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/webauthn/authenticator", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let device = json!({
            "protocol": "ctap2", "transport": "internal", "hasResidentKey": true, "hasUserVerification": true,
            "isUserConsenting": true, "isUserVerified": true,
        });
        (http::Method::POST, Some(device.to_string()))
    }
}

/// A browser at an address.
#[derive(Debug)]
pub struct Browser {
    client: Client,
    base: String,
}

/// Kills the driver when a test is over, however it ends.
struct Driver(Child);

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Starts a driver. On a busy machine one now and then ends before it has a port: another one is started.
fn start_driver() -> (Driver, String) {
    (0..3).find_map(|_| try_driver()).expect("chromedriver, from script/setup --tests, on a port")
}

fn try_driver() -> Option<(Driver, String)> {
    let mut child = Command::new("chromedriver")
        .arg("--port=0")
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("chromedriver, from script/setup --tests");
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let driver = Driver(child);
    let port = lines.by_ref().map_while(Result::ok).find_map(|l| {
        l.strip_suffix('.').and_then(|l| l.rsplit(' ').next()).and_then(|p| p.parse::<u16>().ok())
    })?;
    // Its pipe is read on, so that it never waits for us.
    std::thread::spawn(move || lines.for_each(drop));
    Some((driver, format!("http://127.0.0.1:{port}")))
}

/// Opens a browser of 1280 by 800 on a server, does a journey in it, and closes it; a journey with anything wrong in
/// the console has failed.
///
/// # Panics
/// When the journey does, or when there is no browser.
pub async fn journey<F>(server: SocketAddr, go: impl FnOnce(Browser) -> F)
where
    F: Future<Output = Browser>,
{
    journey_of(server, (1280, 940), go).await;
}

/// The same in a window of another size, in pixels; none is narrower than 500.
///
/// # Panics
/// When the journey does, or when there is no browser.
pub async fn journey_of<F>(server: SocketAddr, (width, height): (u32, u32), go: impl FnOnce(Browser) -> F)
where
    F: Future<Output = Browser>,
{
    let (driver, address) = start_driver();
    let profile = tempfile::tempdir().unwrap();
    let mut arguments: Vec<String> = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        // A page that still scrolls moves what is pressed from under the pointer.
        "--force-prefers-reduced-motion",
    ]
    .map(str::to_owned)
    .to_vec();
    arguments.push(format!("--window-size={width},{height}"));
    arguments.push(format!("--user-data-dir={}", profile.path().display()));
    let wanted: Capabilities = serde_json::from_value(json!({
        "goog:chromeOptions": { "args": arguments },
        "goog:loggingPrefs": { "browser": "ALL" },
    }))
    .unwrap();
    let client =
        ClientBuilder::new(HttpConnector::new()).capabilities(wanted).connect(&address).await.unwrap();
    let browser = Browser { client: client.clone(), base: format!("http://{server}") };
    let ended = AssertUnwindSafe(go(browser)).catch_unwind().await;
    // The driver leaves its browser behind unless the session is closed.
    let closed = client.close().await;
    drop(driver);
    match ended {
        Ok(_) => closed.unwrap(),
        Err(panic) => resume_unwind(panic),
    }
}

impl Browser {
    /// Goes to a path.
    pub async fn go(&self, path: &str) {
        self.client.goto(&format!("{}{path}", self.base)).await.unwrap();
    }

    /// The same browser, which calls this machine by its name: addresses that are numbers have no passkeys.
    #[must_use]
    pub fn by_name(self) -> Self {
        Self { base: self.base.replace("127.0.0.1", "localhost"), ..self }
    }

    /// Puts a device beside it that keeps passkeys and always says that it checked its owner.
    pub async fn add_authenticator(&self) {
        self.client.issue_cmd(AddAuthenticator).await.unwrap();
    }

    /// Forgets every cookie of the address.
    pub async fn forget_cookies(&self) {
        self.client.delete_all_cookies().await.unwrap();
    }

    /// The path it is at.
    pub async fn path(&self) -> String {
        self.client.current_url().await.unwrap().path().to_owned()
    }

    /// An element, as soon as it is there.
    pub async fn find(&self, css: &str) -> Element {
        let wait = self.client.wait().at_most(PATIENCE).every(Duration::from_millis(30));
        wait.for_element(Locator::Css(css)).await.unwrap_or_else(|e| panic!("{css}: {e}"))
    }

    /// Does something with what is found, and finds it again when the page drew it anew or moved it in between.
    async fn with<T>(&self, locator: Locator<'_>, act: impl AsyncFn(Element) -> Result<T, CmdError>) -> T {
        let wait = || self.client.wait().at_most(PATIENCE).every(Duration::from_millis(30));
        let mut last = String::new();
        for _ in 0..8 {
            let found = wait().for_element(locator).await.unwrap_or_else(|e| panic!("{locator:?}: {e}"));
            match act(found).await {
                Ok(done) => return done,
                Err(error) => last = error.to_string(),
            }
            let passes = ["stale", "not interactable", "intercepted", "not clickable"];
            assert!(passes.iter().any(|p| last.contains(p)), "{locator:?}: {last}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("{locator:?}: {last}");
    }

    /// What a script gives; asked again while the page that it asks is on its way or is drawn anew.
    async fn script(&self, script: &str, arguments: Vec<Value>) -> Value {
        let began = std::time::Instant::now();
        loop {
            match self.client.execute(script, arguments.clone()).await {
                Ok(value) => return value,
                Err(error) => assert!(began.elapsed() < PATIENCE, "{script}: {error}"),
            }
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    /// Presses an element.
    pub async fn press(&self, css: &str) {
        self.with(Locator::Css(css), async |found: Element| found.click().await).await;
    }

    /// Presses what is called so.
    pub async fn press_called(&self, words: &str) {
        let path = format!(
            "//*[self::a or self::button or self::summary][contains(normalize-space(.), \"{words}\")]"
        );
        self.with(Locator::XPath(&path), async |found: Element| found.click().await).await;
    }

    /// Types into a field in place of what is there.
    pub async fn fill(&self, name: &str, text: &str) {
        self.type_into(&format!("[name='{name}']"), text).await;
    }

    /// Types into what is found so.
    async fn type_into(&self, css: &str, text: &str) {
        self.with(Locator::Css(css), async |field: Element| {
            field.clear().await?;
            field.send_keys(text).await
        })
        .await;
    }

    /// Chooses a file of this machine in a field for files.
    pub async fn attach(&self, css: &str, file: &std::path::Path) {
        let path = file.to_str().expect("a path of plain text");
        self.with(Locator::Css(css), async |field: Element| field.send_keys(path).await).await;
    }

    /// Types into a field by its id, in place of what is there.
    pub async fn fill_id(&self, id: &str, text: &str) {
        self.type_into(&format!("#{id}"), text).await;
    }

    /// Chooses from a list by value.
    pub async fn choose(&self, name: &str, value: &str) {
        self.find(&format!("[name='{name}'] option[value='{value}']")).await;
        let list = format!("select[name='{name}']");
        self.with(Locator::Css(&list), async |field: Element| field.select_by_value(value).await).await;
    }

    /// Presses the escape key where the focus is.
    pub async fn press_escape(&self) {
        self.press_key('\u{e00c}').await;
    }

    /// Presses a key where the focus is.
    pub async fn press_key(&self, key: char) {
        self.with(Locator::Css(":focus, body:not(:has(:focus))"), async |focused: Element| {
            focused.send_keys(&key.to_string()).await
        })
        .await;
    }

    /// What is in a field.
    pub async fn value(&self, name: &str) -> String {
        self.find(&format!("[name='{name}']")).await;
        let script = "return document.querySelector(`[name='${arguments[0]}']`).value;";
        let value = self.script(script, vec![json!(name)]).await;
        value.as_str().unwrap_or_default().to_owned()
    }

    /// Waits until an element's text satisfies something.
    pub async fn until(&self, css: &str, holds: impl Fn(&str) -> bool) -> String {
        let began = std::time::Instant::now();
        loop {
            let script = "const e = document.querySelector(arguments[0]); return e ? e.textContent : null;";
            let text = self.script(script, vec![json!(css)]).await;
            let text = text.as_str().unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ");
            if holds(&text) {
                return text;
            }
            assert!(began.elapsed() < PATIENCE, "{css} still says “{text}”");
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    /// Waits until a field holds a value.
    pub async fn holds(&self, name: &str, value: &str) {
        let began = std::time::Instant::now();
        loop {
            let now = self.value(name).await;
            if now == value {
                return;
            }
            assert!(began.elapsed() < PATIENCE, "{name} still holds “{now}”");
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    /// Waits until the page says something.
    pub async fn see(&self, words: &str) {
        self.until("body", |t| t.contains(words)).await;
    }

    /// Waits until a script gives something true.
    pub async fn until_script(&self, script: &str) {
        let began = std::time::Instant::now();
        // A page on its way has no script to ask; ask again.
        while self.client.execute(&format!("return Boolean({script})"), Vec::new()).await.ok()
            != Some(json!(true))
        {
            assert!(began.elapsed() < PATIENCE, "it never held: {script}");
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    /// What a script hands to the function that it is given last.
    pub async fn asked(&self, script: &str) -> Value {
        self.client.execute_async(script, Vec::new()).await.unwrap()
    }

    /// What the page shows of an element.
    pub async fn text(&self, css: &str) -> String {
        self.with(Locator::Css(css), async |found: Element| found.text().await).await
    }

    /// Goes back a page.
    pub async fn back(&self) {
        self.client.back().await.unwrap();
    }

    /// How many elements there are.
    pub async fn count(&self, css: &str) -> usize {
        self.client.find_all(Locator::Css(css)).await.unwrap().len()
    }

    /// Signs in.
    pub async fn sign_in(&self, name: &str) {
        self.go("/").await;
        self.fill("sign_in", name).await;
        self.fill("password", "seven thousand turns").await;
        self.press("form button").await;
        self.find(".spine").await;
    }

    /// Checks the page with axe-core (WCAG 2.2 AA and below, and its good practices), and that the console is clean.
    pub async fn is_well(&self) {
        const AXE: &str = include_str!("../vendor/axe.min.js");
        self.client.execute(AXE, Vec::new()).await.unwrap();
        let run = "const done = arguments[0]; axe.run(document).then((r) => done(r.violations.map((v) => \
                   v.id + ': ' + v.nodes.slice(0, 3).map((n) => n.target.join(' ')).join(' | '))));";
        let found: Value = self.client.execute_async(run, Vec::new()).await.unwrap();
        assert_eq!(found, json!([]), "axe at {}", self.path().await);
        let console = self.client.issue_cmd(ConsoleLog).await.unwrap();
        let wrong: Vec<&Value> = console
            .as_array()
            .into_iter()
            .flatten()
            .filter(|l| l["level"] == "SEVERE")
            // A form refused with what is wrong with it, or overtaken, or a page that is not theirs, is an answer and no fault.
            .filter(|l| {
                let status = |m: &str| {
                    ["status of 403", "status of 409", "status of 422"].iter().any(|s| m.contains(s))
                };
                !l["message"].as_str().is_some_and(status)
            })
            .collect();
        assert!(wrong.is_empty(), "console at {}: {wrong:?}", self.path().await);
    }
}
