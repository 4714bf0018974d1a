//! The page of `draw`, and the pages that are served, in a real browser: Chromium, by the WebDriver protocol of the W3C.
//!
//! Where there is no `chromedriver` the tests say so on standard error and do not run; with `BASILOCUS_BROWSER=required`,
//! as in `.ci/run`, they fail. `tools/browser` installs it.

mod stand_in;

use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// A browser window without a screen.
struct Browser {
    driver: Child,
    session: String,
}

impl Browser {
    fn open() -> Option<Self> {
        let started = Command::new("chromedriver").arg("--port=0").stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
        let mut driver = match started {
            Ok(driver) => driver,
            Err(e) => {
                let told =
                    format!("THE PAGE WAS NOT TESTED: chromedriver cannot be started ({e}); run tools/browser\n");
                assert!(std::env::var_os("BASILOCUS_BROWSER").is_none_or(|v| v != "required"), "{told}");
                // Past the capture of the test harness: this has to be seen.
                std::io::stderr().write_all(told.as_bytes()).unwrap();
                return None;
            }
        };
        let lines = BufReader::new(driver.stdout.take().unwrap()).lines();
        let port = lines.map_while(Result::ok).find_map(|line| {
            let port = line.split("successfully on port ").nth(1)?.trim_end_matches('.').parse::<u16>();
            port.ok()
        });
        let base = format!("http://127.0.0.1:{}", port.expect("the driver says its port"));
        let arguments = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--window-size=1280,900",
        ];
        let wanted = json!({ "capabilities": { "alwaysMatch": {
            "goog:loggingPrefs": { "browser": "ALL" },
            "goog:chromeOptions": { "args": arguments },
        } } });
        let mut browser = Browser { driver, session: format!("{base}/session") };
        let made = browser.ask("", Some(wanted));
        browser.session = format!("{base}/session/{}", made["sessionId"].as_str().unwrap());
        Some(browser)
    }

    fn ask(&self, what: &str, body: Option<Value>) -> Value {
        let address = format!("{}{what}", self.session);
        let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
        let answer = match body {
            Some(body) => agent.post(&address).content_type("application/json").send(body.to_string()),
            None => agent.get(&address).call(),
        };
        let text = answer.unwrap().body_mut().read_to_string().unwrap();
        let answer: Value = serde_json::from_str(&text).unwrap();
        assert!(answer["value"]["error"].is_null(), "{what}: {}", answer["value"]);
        answer["value"].clone()
    }

    fn show(&self, page: &Path, view: &str) {
        self.ask("/url", Some(json!({ "url": format!("file://{}{view}", page.display()) })));
    }

    /// Goes to an address, and waits until it is there.
    fn go(&self, address: &str) {
        self.ask("/url", Some(json!({ "url": address })));
    }

    fn script(&self, code: &str) -> Value {
        self.ask("/execute/sync", Some(json!({ "script": code, "args": [] })))
    }

    /// Waits until a script gives true: frames are painted when the browser finds time.
    fn until(&self, what: &str) {
        let end = Instant::now() + Duration::from_secs(30);
        while self.script(&format!("return Boolean({what})")) != true {
            assert!(Instant::now() < end, "never came: {what}; {}", self.script("return document.body.innerText"));
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    fn pointer(&self, steps: Value) {
        let source =
            json!({ "type": "pointer", "id": "mouse", "parameters": { "pointerType": "mouse" }, "actions": steps });
        self.ask("/actions", Some(json!({ "actions": [source] })));
    }

    /// A place of the map in pixels of the window.
    fn on_the_map(&self, share: [f64; 2]) -> [i64; 2] {
        let code = "const b = document.getElementById('map').getBoundingClientRect(); return [b.left, b.top, b.width, b.height]";
        let b: Vec<f64> = self.script(code).as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        [(b[0] + b[2] * share[0]) as i64, (b[1] + b[3] * share[1]) as i64]
    }

    fn click_map(&self, share: [f64; 2]) {
        let [x, y] = self.on_the_map(share);
        self.pointer(json!([
            { "type": "pointerMove", "duration": 0, "x": x, "y": y },
            { "type": "pointerDown", "button": 0 },
            { "type": "pointerUp", "button": 0 },
        ]));
    }

    fn keys(&self, keys: &str) {
        let each = |k: char| {
            [json!({ "type": "keyDown", "value": k.to_string() }), json!({ "type": "keyUp", "value": k.to_string() })]
        };
        let actions: Vec<Value> = keys.chars().flat_map(each).collect();
        self.ask("/actions", Some(json!({ "actions": [{ "type": "key", "id": "keys", "actions": actions }] })));
    }

    /// What the link below the map says: x, y and how wide the view is.
    fn view(&self) -> [f64; 3] {
        let link = self.script("return document.getElementById('here').getAttribute('href')");
        let link = link.as_str().unwrap().to_string();
        let value = |name: &str| {
            let part = link.trim_start_matches('#').split('&').find_map(|p| p.strip_prefix(name));
            part.unwrap_or_else(|| panic!("{link}")).parse().unwrap()
        };
        [value("x="), value("y="), value("wide=")]
    }

    /// Waits until the link below the map says another view than before, and gives that.
    fn view_after(&self, before: [f64; 3]) -> [f64; 3] {
        let end = Instant::now() + Duration::from_secs(30);
        loop {
            let now = self.view();
            if now != before {
                return now;
            }
            assert!(Instant::now() < end, "the view stays {before:?}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// How many pixels of the map have nearly a colour.
    fn pixels_of(&self, [r, g, b]: [u8; 3]) -> u64 {
        let code = format!(
            "const m = document.getElementById('map'); const c = document.createElement('canvas');
             [c.width, c.height] = [m.width, m.height];
             const b = c.getContext('2d', {{ willReadFrequently: true }}); b.drawImage(m, 0, 0);
             const d = b.getImageData(0, 0, c.width, c.height).data;
             let n = 0; for (let i = 0; i < d.length; i += 4)
               if (Math.abs(d[i] - {r}) + Math.abs(d[i + 1] - {g}) + Math.abs(d[i + 2] - {b}) < 12) n += 1; return n"
        );
        self.script(&code).as_u64().unwrap()
    }

    fn complaints(&self) -> Value {
        self.ask("/se/log", Some(json!({ "type": "browser" })))
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
        let _ = agent.delete(&self.session).call();
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

const REACH: [u8; 3] = [0x11, 0x24, 0xe6];
const GATES: [u8; 3] = [0xd8, 0x9a, 0x32];

/// Three gates, two of them at one place, in an area.
fn page(folder: &Path) -> std::path::PathBuf {
    let gates = folder.join("gates.csv");
    let text = "gate,note,x,y\nA-1,Müller's flap,438000,5116000\nB-2,<b>sluice</b>,439000,5116500\nB-3,sluice,439000,5116500\nlost,,,\n";
    std::fs::write(&gates, text).unwrap();
    let reach = folder.join("reach.csv");
    std::fs::write(&reach, "name;geometry\nlevee;\"POLYGON ((437500 5115500, 439500 5115500, 439500 5117000, 437500 5117000, 437500 5115500))\"\n").unwrap();
    let page = folder.join("map.html");
    assert_cmd::Command::cargo_bin("basilocus")
        .unwrap()
        .args(["draw", "--from", "EPSG:32610", "--title", "Gates & weirs", "--no-progress", "-o"])
        .args([&page, &reach, &gates])
        .assert()
        .success();
    page
}

#[test]
fn the_page_draws_moves_searches_and_shows_rows() {
    let folder = tempfile::tempdir().unwrap();
    let page = page(folder.path());
    let Some(browser) = Browser::open() else { return };
    browser.show(&page, "");
    assert_eq!(browser.script("return document.title"), "Gates & weirs");
    browser.until("document.getElementById('here').getAttribute('href').length > 1");
    // Drawn: both colours are there, and the gates vanish with their layer.
    let drawn = browser.pixels_of(GATES);
    assert!(drawn > 60 && browser.pixels_of(REACH) > 50, "{drawn}");
    browser.script("document.querySelectorAll('#key input')[0].click()");
    let end = Instant::now() + Duration::from_secs(30);
    while browser.pixels_of(GATES) > 0 {
        assert!(Instant::now() < end, "{} pixels of the gates stay", browser.pixels_of(GATES));
    }
    browser.script("document.querySelectorAll('#key input')[0].click()");
    // Moved by keys, buttons, wheel and by dragging.
    let whole = browser.view();
    browser.script("document.getElementById('map').focus()");
    browser.keys("\u{E014}");
    let right = browser.view_after(whole);
    assert!(right[0] > whole[0] && right[1] == whole[1] && right[2] == whole[2], "{whole:?} {right:?}");
    browser.keys("+");
    let nearer = browser.view_after(right);
    assert!((right[2] / nearer[2] - 1.5).abs() < 0.01, "{right:?} {nearer:?}");
    browser.script("document.getElementById('all').click()");
    assert_eq!(browser.view_after(nearer), whole);
    let [x, y] = browser.on_the_map([0.5, 0.5]);
    browser.pointer(json!([
        { "type": "pointerMove", "duration": 0, "x": x, "y": y },
        { "type": "pointerDown", "button": 0 },
        { "type": "pointerMove", "duration": 0, "x": x + 60, "y": y },
        { "type": "pointerUp", "button": 0 },
    ]));
    let dragged = browser.view_after(whole);
    let pixel = whole[2] / browser.script("return document.getElementById('map').clientWidth").as_f64().unwrap();
    assert!((whole[0] - dragged[0] - 60.0 * pixel).abs() < 6.0 * pixel, "{whole:?} {dragged:?}");
    let wheel = json!({ "type": "wheel", "id": "wheel", "actions": [
        { "type": "scroll", "x": x, "y": y, "deltaX": 0, "deltaY": -300 },
    ] });
    browser.ask("/actions", Some(json!({ "actions": [wheel] })));
    // A turn of the wheel may come in parts.
    let end = Instant::now() + Duration::from_secs(30);
    while browser.view()[2] > dragged[2] * 0.8 {
        assert!(Instant::now() < end, "the wheel brings nothing closer: {:?}", browser.view());
        std::thread::sleep(Duration::from_millis(50));
    }
    browser.keys("0");
    browser.until(&format!("document.getElementById('here').getAttribute('href').includes('wide={}')", whole[2]));
    // The eastern gates lie at one place: the click finds both, before the area around them.
    browser.script("document.getElementById('words').value = 'b-3'; document.getElementById('words').dispatchEvent(new Event('input'))");
    assert_eq!(browser.script("return document.getElementById('found').textContent"), "1 row found");
    browser.script("document.querySelector('#finder button').click()");
    browser.until("document.getElementById('record').textContent.includes('B-3')");
    browser.script("document.getElementById('words').value = ''; document.getElementById('words').dispatchEvent(new Event('input'))");
    browser.click_map([0.5, 0.5]);
    browser.until("document.getElementById('record').textContent.includes('1 of 3 at this place')");
    let record = browser.script("return document.getElementById('record').innerText");
    let record = record.as_str().unwrap();
    assert!(record.contains("<b>sluice</b>") && record.contains("5116500.00 m"), "text stays text: {record}");
    assert!(record.contains("46.") && record.contains("-123."), "{record}");
    // Searching knows no accents; what does not fit is counted out.
    browser.script("document.getElementById('words').value = 'MULLER'; document.getElementById('words').dispatchEvent(new Event('input'))");
    assert_eq!(browser.script("return document.getElementById('found').textContent"), "1 row found");
    // Without the map: rows as a table, the one without a place among them.
    browser.script("document.getElementById('words').value = ''; document.getElementById('words').dispatchEvent(new Event('input')); document.querySelectorAll('details')[1].open = true");
    browser.until("document.querySelectorAll('tbody tr').length === 4");
    let lost = browser.script("return document.querySelectorAll('tbody tr')[3].innerText");
    assert!(lost.as_str().unwrap().contains("not on the map") && lost.as_str().unwrap().contains("lost"), "{lost}");
    browser.script("document.querySelectorAll('tbody button')[0].click()");
    browser.until("document.getElementById('record').textContent.includes('A-1')");
    // Dark, and back.
    browser.script("document.getElementById('shade').click()");
    browser.until("document.documentElement.dataset.shade === 'dark'");
    assert_eq!(browser.complaints(), json!([]));
}

#[test]
fn a_link_leads_to_its_place_and_row() {
    let folder = tempfile::tempdir().unwrap();
    let page = page(folder.path());
    let Some(browser) = Browser::open() else { return };
    browser.show(&page, "#x=438000&y=5116000&wide=100&row=1.0");
    browser.until("document.getElementById('record').textContent.includes('A-1')");
    browser.until("document.getElementById('here').getAttribute('href').includes('wide=100.000')");
    let [x, y, _] = browser.view();
    assert!((x - 438_000.0).abs() < 0.01 && (y - 5_116_000.0).abs() < 0.01, "{x} {y}");
    // A link that says nonsense shows everything.
    browser.show(&page, "#x=NaN&y=&wide=-5&row=99.99");
    browser.script("location.reload()");
    browser.until("document.getElementById('here').getAttribute('href').length > 1");
    assert!(browser.view()[2] > 1000.0);
    assert_eq!(browser.complaints(), json!([]));
}

/// A key of the keyboard as WebDriver names it.
const TAB: &str = "\u{E004}";
const ENTER: &str = "\u{E007}";

#[test]
fn served_pages_are_used_by_keys_alone() {
    let Some(browser) = Browser::open() else { return };
    let folder = tempfile::tempdir().unwrap();
    let gates = folder.path().join("gates.csv");
    std::fs::write(&gates, "gate,width,lon,lat\nNorth,1.5,-123.8,46.2\nSouth,2,-123.7,46.1\n").unwrap();
    let served = stand_in::StandIn::serving(&[gates.to_str().unwrap(), "--from", "EPSG:4326"]);
    // A browser gets pages without asking for them.
    browser.go(&served.address);
    // The link to the content, the way here, and the first link of the content.
    browser.keys(&TAB.repeat(3));
    browser.until("document.activeElement.textContent.startsWith('A position')");
    browser.keys(ENTER);
    browser.until("document.title.startsWith('Try a position')");
    browser.keys(&format!("{}46.2N 123.8W{ENTER}", TAB.repeat(3)));
    // By Krüger's series, as in the tests of the projection.
    browser.until("document.body.innerText.includes('438277.798') && document.body.innerText.includes('5116580.272')");
    browser.keys(&TAB.repeat(4));
    browser.until("document.activeElement.id === 'from'");
    // What cannot be read says why, beside the form that still holds it.
    browser.go(&format!("{}/try/position?position=46.2+12.5&from=&to=", served.address));
    browser.until("document.querySelector('[role=alert]').textContent.includes('46.2')");
    assert_eq!(browser.script("return document.getElementById('position').value"), "46.2 12.5");
    // A filter in the form of the features.
    browser.go(&format!("{}/collections/gates/items", served.address));
    browser.script("document.getElementById('filter').focus()");
    browser.keys(&format!("width > 1.7{ENTER}"));
    browser.until("document.querySelectorAll('tbody tr').length === 1 && document.body.innerText.includes('South')");
    // The map of the collection, in its frame.
    browser.go(&format!("{}/collections/gates", served.address));
    browser.script("document.querySelector('iframe').scrollIntoView()");
    browser
        .until("document.querySelector('iframe').contentDocument?.getElementById('key')?.innerText.includes('gates')");
    assert_eq!(browser.complaints(), json!([]));
}
