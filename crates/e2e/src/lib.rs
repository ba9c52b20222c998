//! Drives the real interface: the application in this process, headless Chromium through ChromeDriver.

use anyhow::{Context as _, Result, bail};
use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::net::TcpListener;
use std::process::Stdio;
use std::time::Duration;
use tempfile::TempDir;
use tokio::io::{AsyncBufReadExt as _, BufReader};
use tokio::process::{Child, Command};

/// The accessibility checker, vendored with its licence.
const AXE: &str = include_str!("../vendor/axe.min.js");
/// How long a person would wait.
const PATIENCE: Duration = Duration::from_secs(10);

/// A browser on an application with a fresh database.
pub struct Bench {
    /// The browser.
    pub client: Client,
    base: String,
    driver: Child,
    _profile: TempDir,
}

/// Reads the browser's console.
#[derive(Debug)]
struct Console;

impl WebDriverCompatibleCommand for Console {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }
    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "type": "browser" }).to_string()))
    }
}

/// Runs a journey and takes the browser down after it, however it went. A message in the browser's
/// console (an error, a violation of the content policy) fails the journey.
///
/// # Errors
/// What the journey says, or what the console holds.
pub async fn journey<F>(size: (u32, u32), story: F) -> Result<()>
where
    F: AsyncFnOnce(&Bench) -> Result<()>,
{
    let bench = Bench::start(size).await?;
    let told = story(&bench).await;
    let told = match told {
        Ok(()) => bench.quiet_console().await,
        Err(error) => {
            let at = bench.client.current_url().await.map(|u| u.to_string()).unwrap_or_default();
            Err(error.context(format!("at {at}")))
        }
    };
    bench.finish().await;
    told
}

impl Bench {
    async fn start((width, height): (u32, u32)) -> Result<Self> {
        let store = store::testing::fresh_store().await;
        let listener = TcpListener::bind("127.0.0.1:0")?;
        let base = format!("http://{}", listener.local_addr()?);
        tokio::spawn(web::serve(store, listener)?);
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .kill_on_drop(true)
            .spawn()
            .context("chromedriver does not start: run script/setup --tests")?;
        let mut lines = BufReader::new(driver.stdout.take().context("no output from chromedriver")?).lines();
        let port = loop {
            let line = lines.next_line().await?.context("chromedriver ended early")?;
            if let Some(rest) = line.split("successfully on port ").nth(1) {
                break rest.trim_end_matches('.').to_owned();
            }
        };
        // Its pipe has to be kept empty.
        tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
        let profile = tempfile::tempdir()?;
        let options = json!({ "args": [
            "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
            "--disable-background-networking", "--disable-component-update", "--disable-sync", "--hide-scrollbars",
            format!("--user-data-dir={}", profile.path().display()),
        ]});
        let mut capabilities = Capabilities::new();
        capabilities.insert("goog:chromeOptions".into(), options);
        capabilities.insert("goog:loggingPrefs".into(), json!({ "browser": "ALL" }));
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities)
            .connect(&format!("http://127.0.0.1:{port}"))
            .await?;
        // The window's size is the outer one: ask what the page got and add the difference.
        client.set_window_rect(0, 0, width, height).await?;
        let inner = client.execute("return [innerWidth, innerHeight]", vec![]).await?;
        let part = |i: usize, wanted: u32| {
            let got = inner[i].as_u64().and_then(|v| u32::try_from(v).ok()).unwrap_or(wanted);
            wanted + wanted.saturating_sub(got)
        };
        client.set_window_rect(0, 0, part(0, width), part(1, height)).await?;
        Ok(Self { client, base, driver, _profile: profile })
    }

    async fn finish(mut self) {
        // The session first: a killed driver leaves its browser behind.
        let _ = self.client.clone().close().await;
        let _ = self.driver.kill().await;
    }

    async fn quiet_console(&self) -> Result<()> {
        let log = self.client.issue_cmd(Console).await?;
        let loud: Vec<String> = log
            .as_array()
            .into_iter()
            .flatten()
            .filter(|entry| {
                // A refused form answers 422, which the browser notes as a failed load.
                let refused = entry["message"].as_str().is_some_and(|m| m.contains("status of 422"));
                entry["level"] == "SEVERE" && !refused
            })
            .map(|entry| entry["message"].to_string())
            .collect();
        if loud.is_empty() { Ok(()) } else { bail!("the console holds {loud:?}") }
    }

    /// Opens a page.
    pub async fn open(&self, path: &str) -> Result<()> {
        Ok(self.client.goto(&format!("{}{path}", self.base)).await?)
    }

    /// Types into a field, replacing what is there.
    pub async fn fill(&self, name: &str, text: &str) -> Result<()> {
        let field = self.wait(&format!("[name='{name}']")).await?;
        self.client.execute("arguments[0].select()", vec![serde_json::to_value(&field)?]).await?;
        field.send_keys(text).await.with_context(|| format!("typing into {name}"))
    }

    /// Chooses in a list.
    pub async fn choose(&self, name: &str, value: &str) -> Result<()> {
        let field = self.wait(&format!("select[name='{name}']")).await?;
        Ok(field.select_by_value(value).await?)
    }

    /// Clicks what a selector finds.
    pub async fn click(&self, css: &str) -> Result<()> {
        self.wait(css).await?.click().await.with_context(|| format!("clicking {css}"))
    }

    /// Clicks the button or link of that text.
    pub async fn press(&self, text: &str) -> Result<()> {
        let path = format!(
            "//main//*[self::button or self::a or self::summary][contains(normalize-space(.), '{text}')]"
        );
        let found = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path)).await;
        found
            .with_context(|| format!("no “{text}” to press"))?
            .click()
            .await
            .with_context(|| format!("pressing {text}"))
    }

    async fn wait(&self, css: &str) -> Result<fantoccini::elements::Element> {
        let found = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await;
        found.with_context(|| format!("{css} does not appear"))
    }

    /// The text of an element.
    pub async fn text(&self, css: &str) -> Result<String> {
        Ok(self.wait(css).await?.text().await?)
    }

    /// The value of a field.
    pub async fn value(&self, name: &str) -> Result<String> {
        Ok(self.wait(&format!("[name='{name}']")).await?.prop("value").await?.unwrap_or_default())
    }

    /// Waits until a script holds.
    pub async fn until(&self, what: &str, script: &str) -> Result<()> {
        let began = std::time::Instant::now();
        while began.elapsed() < PATIENCE {
            // A page on its way has no script to ask; ask again.
            if self
                .client
                .execute(&format!("return Boolean({script})"), vec![])
                .await
                .is_ok_and(|v| v == true)
            {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(30)).await;
        }
        bail!("it never happened that {what}")
    }

    /// Waits for a text on the page.
    pub async fn see(&self, text: &str) -> Result<()> {
        let quoted = Value::String(text.to_owned());
        self.until(
            &format!("“{text}” is on the page"),
            &format!("document.body && document.body.innerText.includes({quoted})"),
        )
        .await
    }

    /// Fails when axe-core finds anything serious on the page.
    pub async fn accessible(&self) -> Result<()> {
        self.client.execute(AXE, vec![]).await?;
        let script = "const done = arguments[arguments.length - 1]; axe.run(document, { resultTypes: ['violations'] }).then((r) => \
             done(r.violations.filter((v) => ['serious', 'critical'].includes(v.impact)).map((v) => v.id + ': ' + \
             v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160)).join(' | '))), (e) => done([String(e)]))";
        let found = self.client.execute_async(script, vec![]).await?;
        match found.as_array() {
            Some(all) if all.is_empty() => Ok(()),
            _ => bail!("not accessible: {found:#}"),
        }
    }
}
