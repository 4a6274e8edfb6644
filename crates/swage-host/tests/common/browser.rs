//! A headless browser, driven by the W3C WebDriver protocol.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

use serde_json::{Value, json};
use tempfile::TempDir;

/// The key under which the protocol names an element.
const ELEMENT: &str = "element-6066-11e4-a52e-4f735466cecf";

pub struct Browser {
    driver: Child,
    session: String,
    agent: ureq::Agent,
    _profile: TempDir,
}

impl Browser {
    /// Starts one; `None`, with a notice, where there is none.
    pub fn start() -> Option<Self> {
        let started = Command::new("chromedriver").arg("--port=0").stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
        let Ok(mut driver) = started else {
            eprintln!("chromedriver isn't installed, so the pages aren't tried in a browser");
            return None;
        };
        let mut lines = BufReader::new(driver.stdout.take().expect("its output")).lines().map_while(Result::ok);
        let port = lines.find_map(|line| {
            let after = line.split("started successfully on port ").nth(1)?;
            Some(after.trim_end_matches('.').to_owned())
        });
        std::thread::spawn(move || lines.for_each(drop));
        let profile = tempfile::tempdir().expect("a folder");
        let args = [
            "--headless".to_owned(),
            "--no-sandbox".to_owned(),
            "--disable-gpu".to_owned(),
            "--disable-background-networking".to_owned(),
            "--window-size=1280,800".to_owned(),
            format!("--user-data-dir={}", profile.path().display()),
        ];
        let agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
        let base = format!("http://127.0.0.1:{}/session", port.expect("a port"));
        let mut browser = Self { driver, session: base, agent, _profile: profile };
        let wanted = json!({ "capabilities": { "alwaysMatch": { "goog:chromeOptions": { "args": args } } } });
        let begun = browser.call("", wanted);
        browser.session = format!("{}/{}", browser.session, begun["sessionId"].as_str().expect("a session"));
        Some(browser)
    }

    fn call(&self, path: &str, body: Value) -> Value {
        let mut answer =
            self.agent.post(format!("{}{path}", self.session)).send_json(body).expect("the driver answers");
        let text = answer.body_mut().read_to_string().expect("text");
        let value: Value = serde_json::from_str(&text).expect("JSON");
        assert!(answer.status().is_success(), "{path}: {text}");
        value["value"].clone()
    }

    pub fn open(&self, url: &str) {
        self.call("/url", json!({ "url": url }));
    }

    /// What a script gives back.
    pub fn run(&self, script: &str) -> Value {
        self.call("/execute/sync", json!({ "script": script, "args": [] }))
    }

    fn element(&self, css: &str) -> String {
        let found = self.call("/element", json!({ "using": "css selector", "value": css }));
        found[ELEMENT].as_str().expect("an element").to_owned()
    }

    pub fn click(&self, css: &str) {
        self.call(&format!("/element/{}/click", self.element(css)), json!({}));
    }

    pub fn write(&self, css: &str, text: &str) {
        self.call(&format!("/element/{}/value", self.element(css)), json!({ "text": text }));
    }

    /// Presses a key where the page listens.
    pub fn press(&self, key: &str) {
        self.write("body", key);
    }

    pub fn text(&self, css: &str) -> String {
        let script = format!("const found = document.querySelector({css:?}); return found ? found.innerText : '';");
        self.run(&script).as_str().unwrap_or_default().to_owned()
    }

    /// Waits for a few seconds until something holds: what a click asks for takes a moment.
    pub fn until(&self, what: &str, holds: impl Fn() -> bool) {
        for _ in 0..100 {
            if holds() {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        panic!("{what} doesn't come: {}", self.text("body"));
    }

    pub fn count(&self, css: &str) -> u64 {
        self.run(&format!("return document.querySelectorAll({css:?}).length;")).as_u64().expect("a number")
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        _ = self.agent.delete(&self.session).call();
        _ = self.driver.kill();
        _ = self.driver.wait();
    }
}
