//! Quick changes over a bad net, with another window beside and the page loaded anew in between: what is stored in the end is what
//! was done.

use anyhow::{Result, bail, ensure};
use fantoccini::Locator;
use mellow_e2e::{BadNet, Page, Stage};
use serde_json::Value;
use std::time::{Duration, Instant};

/// What the changes of a window come to.
#[derive(Clone, Debug, PartialEq)]
struct Wanted {
    capacitance: String,
    turns: i64,
    /// Grid squares moved to the right.
    right: i64,
}

/// What was done in a window, and what can be undone.
struct Done {
    now: Wanted,
    past: Vec<Wanted>,
    future: Vec<Wanted>,
}

impl Done {
    fn change(&mut self, change: impl FnOnce(&mut Wanted)) {
        let before = self.now.clone();
        change(&mut self.now);
        if self.now != before {
            self.past.push(before);
            self.future.clear();
        }
    }
    fn undo(&mut self) {
        if let Some(before) = self.past.pop() {
            self.future.push(std::mem::replace(&mut self.now, before));
        }
    }
    fn redo(&mut self) {
        if let Some(after) = self.future.pop() {
            self.past.push(std::mem::replace(&mut self.now, after));
        }
    }
}

const STORED: &str = "
    const [done] = arguments;
    fetch(location.pathname.replace('/supplies/', '/api/supplies/').replace(/\\/desk$/, '')).then((a) => a.json()).then(
        (shown) => done(shown.document.parts), (error) => done(String(error)));
";
const TURNS: [&str; 4] = ["none", "quarter", "half", "three_quarters"];

async fn stored(page: &Page, part: &str) -> Result<Value> {
    let parts = page.client.execute_async(STORED, vec![]).await?;
    let found = parts.as_array().and_then(|parts| parts.iter().find(|p| p["id"] == part));
    Ok(found.cloned().unwrap_or(parts))
}

/// The drawn place of a part: column, turn.
async fn drawn(page: &Page, part: &str) -> Result<(i64, i64)> {
    let script = format!("return document.querySelector(\"[data-part={part}] g\").getAttribute('transform')");
    let text = page.script(&script).await?.as_str().unwrap_or_default().to_owned();
    let numbers: Vec<f64> =
        text.split(|c: char| !(c.is_ascii_digit() || c == '-' || c == '.')).filter_map(|t| t.parse().ok()).collect();
    let [x, _, turn, ..] = numbers[..] else { bail!("{part} is drawn at {text}") };
    Ok((x.round() as i64, (turn / 90.0).round() as i64))
}

/// Waits until everything is stored.
async fn saved(page: &Page) -> Result<()> {
    page.text("[data-testid=saved]", |text| text.starts_with("Saved")).await?;
    let left =
        page.script("return Object.keys(localStorage).filter((key) => key.includes('change of')).length").await?;
    ensure!(left == 0, "changes are kept though everything is stored");
    Ok(())
}

/// Chooses a part by key, for another may lie on it.
async fn choose(page: &Page, part: &str) -> Result<()> {
    page.find(&format!("[data-part={part}]")).await?.send_keys("\u{E007}").await?;
    page.find(&format!("[aria-label='Inspector of {part}']")).await?;
    Ok(())
}

fn number(name: &str, otherwise: u64) -> u64 {
    std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise)
}

/// `MELLOW_COIL_VARIED` says how many changes are made, `MELLOW_COIL_FROM` with which seed.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_stored_is_what_was_done() -> Result<()> {
    let (seed, count) = (number("MELLOW_COIL_FROM", 7), number("MELLOW_COIL_VARIED", 60));
    let mut rng = fastrand::Rng::with_seed(seed);
    let stage = Stage::set(&[])?;
    let net = BadNet::before(stage.port(), seed).await?;
    let (page, other) = (stage.window_at(net.port).await?, stage.window().await?);
    for window in [&page, &other] {
        window.open_demo().await?;
    }
    choose(&page, "C1").await?;
    choose(&other, "R1").await?;
    let (column, turn) = drawn(&page, "C1").await?;
    let capacitance = stored(&page, "C1").await?["parameters"]["capacitance"].as_str().unwrap_or_default().to_owned();
    let now = Wanted { capacitance, turns: 0, right: 0 };
    let mut done = Done { now, past: Vec::new(), future: Vec::new() };
    let mut theirs = stored(&page, "R1").await?["parameters"]["resistance"].clone();
    let sheet = "svg[aria-label^='Circuit drawing']";
    for k in 0..count {
        let action = rng.u32(..20);
        // Told if something is amiss in the end.
        println!("{k}: {action}, {:?}", done.now);
        match action {
            0..4 => {
                let text = format!("{}u", 1000 + rng.u32(..900));
                let field = Locator::XPath("//label[normalize-space()='Capacitance']/following-sibling::div//input");
                let field = page.client.wait().for_element(field).await?;
                field.click().await?;
                // What is typed is taken as it stands, with Enter at its heels.
                field.send_keys(&format!("\u{E009}a\u{E000}{text}\u{E007}")).await?;
                done.change(|w| w.capacitance = text);
            }
            4..7 => {
                page.press("Turn").await?;
                done.change(|w| w.turns += 1);
            }
            7..11 => {
                let times = rng.usize(1..6);
                page.find(sheet).await?.send_keys(&"\u{E014}".repeat(times)).await?;
                (0..times).for_each(|_| done.change(|w| w.right += 1));
            }
            11..14 => {
                let times = rng.usize(1..5);
                page.find(sheet).await?.send_keys(&format!("\u{E009}{}\u{E000}", "z".repeat(times))).await?;
                (0..times).for_each(|_| done.undo());
            }
            14..16 => {
                page.find(sheet).await?.send_keys("\u{E009}\u{E008}z\u{E000}").await?;
                done.redo();
            }
            16 | 17 => {
                let text = format!("{}", 10 + rng.u32(..90));
                other.enter("Resistance", &text).await?;
                saved(&other).await?;
                theirs = text.into();
            }
            18 => {
                page.client.refresh().await?;
                page.find("[data-part=C1]").await?;
                choose(&page, "C1").await?;
                done.past.clear();
                done.future.clear();
            }
            _ => {
                net.cut(true);
                tokio::time::sleep(Duration::from_millis(rng.u64(..400))).await;
                net.cut(false);
            }
        }
        if k % 20 == 19 {
            saved(&page).await?;
        }
    }
    net.heal();
    saved(&page).await?;
    let (c1, r1) = (stored(&other, "C1").await?, stored(&other, "R1").await?);
    assert_eq!(c1["parameters"]["capacitance"], done.now.capacitance, "seed {seed}");
    assert_eq!(r1["parameters"]["resistance"], theirs, "seed {seed}");
    assert_eq!(c1["at"]["x"], column + done.now.right, "seed {seed}");
    let wanted = TURNS[((turn + done.now.turns) % 4) as usize];
    assert_eq!(c1["at"]["turn"].as_str().unwrap_or("none"), wanted, "seed {seed}");
    page.close().await?;
    other.close().await
}

/// What is changed while the server is away is kept, over a reload too, and stored when it is back; what another window did
/// meanwhile stays.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_changed_while_the_server_is_away_is_stored_later() -> Result<()> {
    let stage = Stage::set(&[])?;
    let net = BadNet::before(stage.port(), 1).await?;
    net.heal();
    let (page, other) = (stage.window_at(net.port).await?, stage.window().await?);
    for window in [&page, &other] {
        window.open_demo().await?;
    }
    choose(&page, "C1").await?;
    net.cut(true);
    page.enter("Capacitance", "1500u").await?;
    page.press("Turn").await?;
    page.press("Turn").await?;
    page.text("[data-testid=saved]", |text| text.starts_with("3 changes wait")).await?;
    let before = drawn(&other, "C1").await?.1;
    choose(&other, "R1").await?;
    other.enter("Resistance", "47").await?;
    saved(&other).await?;
    net.cut(false);
    page.client.refresh().await?;
    saved(&page).await?;
    let deadline = Instant::now() + Duration::from_secs(10);
    loop {
        let (c1, r1) = (stored(&other, "C1").await?, stored(&other, "R1").await?);
        let turn = TURNS[((before + 2) % 4) as usize];
        let all = c1["parameters"]["capacitance"] == "1500u" && c1["at"]["turn"].as_str().unwrap_or("none") == turn;
        if all && r1["parameters"]["resistance"] == "47" {
            break;
        }
        ensure!(Instant::now() < deadline, "{c1} {r1}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    page.close().await?;
    other.close().await
}

/// A value that is typed and not yet entered is run with when *Run* is pressed; a drag of a trimmed value is one change and one run, and
/// what was tried on its way is gone.
#[tokio::test(flavor = "multi_thread")]
async fn what_stands_in_a_field_is_run_and_a_drag_is_one_change() -> Result<()> {
    const RUNS: &str = "
        const [done] = arguments;
        const path = location.pathname.split('/')[2];
        fetch(`/api/supplies/${path}/runs`).then((a) => a.json()).then((runs) => Promise.all(runs.map(async (run) => {
            const document = await (await fetch(`/api/runs/${run.id}/document`)).json();
            const c1 = document.parts.find((part) => part.id === 'C1');
            return [run.revision, run.passing, c1.parameters.capacitance, run.state];
        }))).then(done);";
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    choose(&page, "C1").await?;
    let field = Locator::XPath("//label[normalize-space()='Capacitance']/following-sibling::div//input");
    let field = page.client.wait().for_element(field).await?;
    field.click().await?;
    // An expression, which only the server can read.
    field.send_keys("\u{E009}a\u{E000}2 * 750u").await?;
    page.run().await?;
    let runs = page.client.execute_async(RUNS, vec![]).await?;
    assert_eq!(runs, serde_json::json!([[2, false, "2 * 750u", "done"]]));

    page.press("Close the inspector").await?;
    page.press("Trim").await?;
    let value = Locator::XPath("//select[@aria-label='Value to trim']/descendant::option[.='C1 capacitance']");
    page.client.find(value).await?.click().await?;
    let drag = page.find("[aria-label='Drag C1 capacitance']").await?;
    drag.click().await?;
    saved(&page).await?;
    for _ in 0..12 {
        drag.send_keys("\u{E014}").await?;
    }
    drag.send_keys("\u{E007}").await?;
    page.text("[data-testid=saved]", |text| {
        text.starts_with("Saved, revision 3") || text.starts_with("Saved, revision 4")
    })
    .await?;
    let deadline = Instant::now() + Duration::from_secs(15);
    loop {
        let runs = page.client.execute_async(RUNS, vec![]).await?;
        let list = runs.as_array().cloned().unwrap_or_default();
        let ended = list.iter().all(|run| run[1] == false && run[3] == "done");
        let revision = page.text("[data-testid=saved]", |text| text.starts_with("Saved")).await?;
        if ended && list.len() >= 2 && revision.ends_with(&list[0][0].to_string()) {
            assert!(list.len() <= 3, "one run for each change: {runs}");
            break;
        }
        ensure!(Instant::now() < deadline, "{runs} {revision}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    page.close().await
}
