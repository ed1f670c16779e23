use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::json;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A headless Chromium with a profile of its own.
pub struct Browser {
    pub page: Client,
    driver: Child,
    profile: tempfile::TempDir,
}

impl Browser {
    #[allow(clippy::zombie_processes)] // waited for in close and drop
    pub async fn open() -> Self {
        let port = crate::port::free();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver");
        let profile = tempfile::tempdir().unwrap();
        let args = [
            "--headless=new",
            "--no-sandbox",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--window-size=1280,943",
            "--disable-dev-shm-usage",
            "--use-fake-device-for-media-stream",
            "--use-fake-ui-for-media-stream",
        ];
        let args: Vec<String> = args
            .iter()
            .map(ToString::to_string)
            .chain([format!("--user-data-dir={}", profile.path().display())])
            .collect();
        let mut capabilities = serde_json::Map::new();
        capabilities.insert(
            "goog:chromeOptions".into(),
            json!({ "args": args, "prefs": { "download.default_directory": profile.path() } }),
        );
        for _ in 0..100 {
            tokio::time::sleep(Duration::from_millis(100)).await;
            if let Ok(page) = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new())
                .capabilities(capabilities.clone())
                .connect(&format!("http://127.0.0.1:{port}"))
                .await
            {
                return Self { page, driver, profile };
            }
        }
        panic!("the browser did not start");
    }

    /// Waits for an element by XPath; says what it waited for when it does not come.
    pub async fn see(&self, xpath: &str) -> fantoccini::elements::Element {
        self.see_within(xpath, 60).await
    }

    /// The same with the seconds it may take.
    pub async fn see_within(&self, xpath: &str, seconds: u64) -> fantoccini::elements::Element {
        match self.page.wait().at_most(Duration::from_secs(seconds)).for_element(Locator::XPath(xpath)).await {
            Ok(e) => e,
            Err(e) => {
                let text = self.page.find(Locator::Css("body")).await.unwrap().text().await.unwrap_or_default();
                panic!("did not see {xpath}: {e}\nthe page says:\n{text}")
            }
        }
    }

    pub async fn click(&self, xpath: &str) {
        // what the page draws anew in between is another element
        for _ in 0..50 {
            if self.see(xpath).await.click().await.is_ok() {
                return;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        self.see(xpath).await.click().await.unwrap();
    }

    /// Clicks a button by its words.
    pub async fn press(&self, words: &str) {
        // let the page settle: a table that loads above moves the button away from the pointer
        tokio::time::sleep(Duration::from_millis(400)).await;
        self.click(&format!("//button[not(@disabled)][contains(normalize-space(.), '{words}')]")).await;
    }

    /// Clicks at a place of the page.
    pub async fn click_at(&self, x: f64, y: f64) {
        use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
        let mouse = MouseActions::new("mouse".into())
            .then(PointerAction::MoveTo { duration: None, x, y })
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
            .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.page.perform_actions(mouse).await.unwrap();
    }

    /// Replaces what stands in a field named by its label.
    /// Where the first thing of a selector is drawn when it is scrolled to: left, top, width, height, pixels.
    pub async fn drawn(&self, selector: &str) -> [f64; 4] {
        let script = "const c = document.querySelector(arguments[0]); c.scrollIntoView({ block: 'center' }); \
                      const r = c.getBoundingClientRect(); return [r.left, r.top, r.width, r.height]";
        let found = self.page.execute(script, vec![serde_json::json!(selector)]).await.unwrap();
        serde_json::from_value(found).unwrap()
    }

    pub async fn fill(&self, label: &str, text: &str) {
        let e = self.see(&format!("//*[self::input or self::textarea][@aria-label='{label}']")).await;
        e.send_keys("\u{E009}a\u{E000}").await.unwrap();
        e.send_keys(text).await.unwrap();
    }

    /// Waits until the page says something.
    pub async fn says(&self, words: &str) {
        self.see(&format!("//body[contains(normalize-space(.), \"{words}\")]")).await;
    }

    pub async fn sign_in(&self, url: &str, email: &str, password: &str) {
        self.page.goto(url).await.unwrap();
        self.see("//input[@name='email']").await.send_keys(email).await.unwrap();
        self.see("//input[@name='password']").await.send_keys(password).await.unwrap();
        self.press("Sign in").await;
        self.see("//h2[.='Jobs']").await;
    }

    /// Goes to a sheet by its tab.
    pub async fn sheet(&self, name: &str) {
        self.click(&format!("//nav[@aria-label='Sheets']//a[strong='{name}']")).await;
    }

    /// Puts files into the page's hidden file input.
    pub async fn choose(&self, within: &str, paths: &[std::path::PathBuf]) {
        let input =
            self.page.wait().for_element(Locator::XPath(&format!("{within}//input[@type='file']"))).await.unwrap();
        let list: Vec<String> = paths.iter().map(|p| p.display().to_string()).collect();
        input.send_keys(&list.join("\n")).await.unwrap();
    }

    /// Waits for a file that the page downloads.
    pub async fn download(&self, ending: &str) -> Vec<u8> {
        for _ in 0..600 {
            tokio::time::sleep(Duration::from_millis(100)).await;
            let done = std::fs::read_dir(self.profile.path())
                .unwrap()
                .filter_map(|e| e.ok().map(|e| e.path()))
                .find(|p| p.display().to_string().ends_with(ending));
            // the browser renames when it is done: what is there twice with the same length is whole
            let Some(first) = done.as_ref().and_then(|p| std::fs::read(p).ok()) else { continue };
            tokio::time::sleep(Duration::from_millis(400)).await;
            if let Some(Ok(again)) = done.map(std::fs::read)
                && !again.is_empty()
                && again.len() == first.len()
            {
                return again;
            }
        }
        panic!("nothing that ends in {ending} was downloaded")
    }

    pub async fn close(mut self) {
        let _ = self.page.clone().close().await;
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}
