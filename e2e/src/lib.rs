//! A whole Mellow Coil with a browser in front of it, for the tests in `tests/`.

mod net;

pub use net::BadNet;

use anyhow::{Context, Result, bail};
use fantoccini::elements::Element;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::json;
use std::time::{Duration, Instant};
use xtask::services::free_port;
use xtask::{ChromeDriver, Postgres, Server};

/// Database, server and ChromeDriver of one test.
#[derive(Debug)]
pub struct Stage {
    server: Option<Server>,
    port: u16,
    arguments: Vec<String>,
    driver: ChromeDriver,
    postgres: Postgres,
}

/// How long anything on a page may take to appear.
const PATIENCE: Duration = Duration::from_secs(20);

impl Stage {
    /// Starts everything, with further arguments for the server.
    ///
    /// # Errors
    /// If something does not start.
    pub fn set(arguments: &[&str]) -> Result<Self> {
        let postgres = Postgres::temporary()?;
        let arguments = arguments.iter().map(|a| (*a).to_owned()).collect();
        let driver = ChromeDriver::start()?;
        let mut stage = Stage { server: None, port: free_port()?, arguments, driver, postgres };
        stage.start_server()?;
        Ok(stage)
    }

    /// The address to open.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }

    /// The port the server listens at, on loopback.
    pub fn port(&self) -> u16 {
        self.port
    }

    /// Ends the server; the database stays.
    pub fn stop_server(&mut self) {
        self.server = None;
    }

    /// Starts the server at the address it had.
    ///
    /// # Errors
    /// If it does not start.
    pub fn start_server(&mut self) -> Result<()> {
        let arguments: Vec<&str> = self.arguments.iter().map(String::as_str).collect();
        self.server = Some(Server::start(&self.postgres.url(), self.port, &arguments)?);
        Ok(())
    }

    /// Opens a browser window of its own on the library.
    ///
    /// # Errors
    /// If the browser does not start.
    pub async fn window(&self) -> Result<Page> {
        self.window_at(self.port).await
    }

    /// The same, with the application found at another port.
    ///
    /// # Errors
    /// If the browser does not start.
    pub async fn window_at(&self, port: u16) -> Result<Page> {
        let profile = tempfile::tempdir()?;
        let flags = [
            "--headless=new".to_owned(),
            "--no-sandbox".to_owned(),
            "--disable-gpu".to_owned(),
            "--disable-dev-shm-usage".to_owned(),
            "--disable-quic".to_owned(),
            "--no-first-run".to_owned(),
            "--disable-background-networking".to_owned(),
            "--disable-component-update".to_owned(),
            "--disable-sync".to_owned(),
            "--hide-scrollbars".to_owned(),
            "--force-color-profile=srgb".to_owned(),
            "--window-size=1280,943".to_owned(),
            format!("--user-data-dir={}", profile.path().display()),
        ];
        let mut capabilities = serde_json::Map::new();
        let downloads = profile.path().join("downloads");
        let preferences = json!({ "download.default_directory": downloads, "download.prompt_for_download": false });
        capabilities.insert("goog:chromeOptions".into(), json!({ "args": flags, "prefs": preferences }));
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities)
            .connect(&self.driver.address())
            .await
            .context("the browser does not start")?;
        client.goto(&format!("http://127.0.0.1:{port}")).await?;
        Ok(Page { client, profile })
    }
}

/// A browser window.
#[derive(Debug)]
pub struct Page {
    /// The WebDriver session.
    pub client: Client,
    profile: tempfile::TempDir,
}

impl Page {
    /// Waits for an element.
    ///
    /// # Errors
    /// If it does not appear.
    pub async fn find(&self, css: &str) -> Result<Element> {
        let wait = self.client.wait().at_most(PATIENCE);
        wait.for_element(Locator::Css(css)).await.with_context(|| format!("{css} does not appear"))
    }

    /// Waits for an element and clicks it.
    ///
    /// # Errors
    /// If it does not appear or cannot be clicked.
    pub async fn click(&self, css: &str) -> Result<()> {
        self.click_on(Locator::Css(css)).await
    }

    /// Waits for an element, however it is found, and clicks it; one that the page has just redrawn is looked up again.
    ///
    /// # Errors
    /// If it does not appear or cannot be clicked.
    pub async fn click_on(&self, locator: Locator<'_>) -> Result<()> {
        let deadline = Instant::now() + PATIENCE;
        loop {
            let wait = self.client.wait().at_most(PATIENCE);
            let element = wait.for_element(locator).await.with_context(|| format!("no {locator:?}"))?;
            match element.click().await {
                Err(error) if error.is_stale_element_reference() && Instant::now() < deadline => {}
                clicked => return Ok(clicked?),
            }
        }
    }

    /// Clicks the button, or the entry of a menu, with exactly this text or label.
    ///
    /// # Errors
    /// If there is none.
    pub async fn press(&self, name: &str) -> Result<()> {
        let path = format!("//*[self::button or @role='menuitem'][normalize-space()='{name}' or @aria-label='{name}']");
        self.click_on(Locator::XPath(&path)).await
    }

    /// Waits until the text of an element satisfies a condition, and returns it.
    ///
    /// # Errors
    /// If it never does.
    pub async fn text(&self, css: &str, wanted: impl Fn(&str) -> bool) -> Result<String> {
        let deadline = Instant::now() + PATIENCE;
        let mut seen = String::new();
        loop {
            // Elements come and go while the page redraws; a stale one is looked up again.
            if let Ok(element) = self.client.find(Locator::Css(css)).await
                && let Ok(text) = element.text().await
            {
                if wanted(&text) {
                    return Ok(text);
                }
                seen = text;
            }
            if Instant::now() > deadline {
                bail!("{css} still reads “{seen}”");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Replaces the text of the value field with this label and commits it with Enter.
    ///
    /// # Errors
    /// If there is no such field.
    pub async fn enter(&self, label: &str, text: &str) -> Result<()> {
        let path = format!("//label[normalize-space()='{label}']/following-sibling::div//input");
        let wait = self.client.wait().at_most(PATIENCE);
        let field = wait.for_element(Locator::XPath(&path)).await.with_context(|| format!("no field {label}"))?;
        field.click().await?;
        field.send_keys("\u{E009}a\u{E000}").await?;
        field.send_keys(text).await?;
        Ok(field.send_keys("\u{E007}").await?)
    }

    /// Types a phrase into the add line, which is open, and adds the part.
    ///
    /// # Errors
    /// If the phrase is not understood.
    pub async fn type_line(&self, text: &str) -> Result<()> {
        let field = self.find("[aria-label='Part to add']").await?;
        field.send_keys(text).await?;
        self.text("[data-testid=drawing] [role=status]", |t| t.contains("Enter adds it")).await?;
        Ok(field.send_keys("\u{E007}").await?)
    }

    /// Waits for a file the page lets one save, by the end of its name.
    ///
    /// # Errors
    /// If it does not come.
    pub async fn saved_file(&self, ending: &str) -> Result<Vec<u8>> {
        let deadline = Instant::now() + PATIENCE;
        loop {
            let files = std::fs::read_dir(self.profile.path().join("downloads")).into_iter().flatten().flatten();
            let found = files.map(|file| file.path()).find(|path| path.display().to_string().ends_with(ending));
            // The file is there before what it holds.
            let content = found.as_ref().map(std::fs::read).transpose()?.unwrap_or_default();
            if let Some(path) = found.filter(|_| !content.is_empty()) {
                // Another of the kind may follow.
                std::fs::remove_file(path)?;
                return Ok(content);
            }
            if Instant::now() > deadline {
                bail!("no file ending in {ending} is saved");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Opens the demo supply from the library.
    ///
    /// # Errors
    /// If it is not there.
    pub async fn open_demo(&self) -> Result<()> {
        self.click("main a").await?;
        self.find("[data-part=C1]").await?;
        Ok(())
    }

    /// Runs the chosen study to its end.
    ///
    /// # Errors
    /// If it does not end.
    pub async fn run(&self) -> Result<()> {
        self.press("Run").await?;
        self.text("[data-testid=verdict-tally]", |text| !text.contains("before") && text.contains("met")).await?;
        Ok(())
    }

    /// Runs the chosen study to its end, whether anything is required of it or not.
    ///
    /// # Errors
    /// If it does not end.
    pub async fn run_plain(&self) -> Result<()> {
        const DRAWN: &str = "return document.querySelector('[aria-label^=Plots]')?.dataset.drawn ?? ''";
        let before = self.script(DRAWN).await?;
        self.press("Run").await?;
        let deadline = Instant::now() + PATIENCE;
        loop {
            let now = self.script(DRAWN).await?;
            if now != before && now != "" {
                return Ok(());
            }
            if Instant::now() > deadline {
                bail!("the run does not end");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Reads a value by a script.
    ///
    /// # Errors
    /// If the script fails.
    pub async fn script(&self, script: &str) -> Result<serde_json::Value> {
        Ok(self.client.execute(script, vec![]).await?)
    }

    /// Reads a value by a script once it stays as it is: the page draws, moves and fades for a while.
    ///
    /// # Errors
    /// If the script fails, or the value goes on changing.
    pub async fn steady(&self, script: &str) -> Result<serde_json::Value> {
        let deadline = Instant::now() + PATIENCE;
        let (mut last, mut alike) = (self.script(script).await?, 0);
        while alike < 3 {
            tokio::time::sleep(Duration::from_millis(100)).await;
            let next = self.script(script).await?;
            alike = if next == last { alike + 1 } else { 0 };
            last = next;
            if Instant::now() > deadline {
                bail!("{script} goes on changing, to {last}");
            }
        }
        Ok(last)
    }

    /// A picture of the window, in the folder `MELLOW_COIL_PICTURES` names; none without it.
    pub async fn picture(&self, name: &str) -> Result<()> {
        match std::env::var_os("MELLOW_COIL_PICTURES") {
            Some(folder) => self.shoot(&std::path::Path::new(&folder).join(name)).await,
            None => Ok(()),
        }
    }

    /// Takes a picture.
    ///
    /// # Errors
    /// If it cannot be written.
    pub async fn shoot(&self, path: &std::path::Path) -> Result<()> {
        tokio::time::sleep(Duration::from_millis(600)).await;
        Ok(std::fs::write(path, self.client.screenshot().await?)?)
    }

    /// Closes the window.
    ///
    /// # Errors
    /// If the browser does not answer.
    pub async fn close(self) -> Result<()> {
        Ok(self.client.close().await?)
    }
}
