//! How long the answer to *Run* takes, in the browser. Not a test of correctness: it prints a table.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

const RUNS: usize = 20;

/// Presses a button and waits until verdicts and traces of the new run stand on the screen.
const SCRIPT: &str = "
    const [name, done] = arguments;
    const plots = () => document.querySelector('[aria-label^=Plots]');
    const before = plots().dataset.drawn;
    const button = [...document.querySelectorAll('button')].find((b) => (b.ariaLabel || b.textContent.trim()) === name);
    const started = performance.now();
    button.click();
    const look = () => {
        const { drawn } = plots().dataset;
        const judged = document.querySelector('[data-testid=verdict-tally]');
        const going = document.querySelector('[data-testid=progress]');
        if (drawn && drawn !== before && judged && !going) done(performance.now() - started);
        else requestAnimationFrame(look);
    };
    look();
";

/// Does something and waits until it is on the screen.
const DRAWN: &str = "
    const [deed, there, k, done] = arguments;
    const type = (css, text) => {
        const field = document.querySelector(css);
        Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, text);
        field.dispatchEvent(new Event('input', { bubbles: true }));
        return field;
    };
    // What was typed is taken notice of first.
    const enter = (field) => setTimeout(() =>
        field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true })));
    const text = (css) => document.querySelector(css)?.textContent ?? '';
    const [act, look] = [deed, there].map((body) => new Function('type', 'enter', 'text', 'k', body));
    const started = performance.now();
    act(type, enter, text, k);
    const wait = () => look(type, enter, text, k) ? done(performance.now() - started) : requestAnimationFrame(wait);
    wait();
";

/// How long something takes to be drawn, again and again; `before` makes ready for each time, and is not counted.
async fn drawn(page: &Page, what: &str, before: &str, deed: &str, there: &str) -> Result<()> {
    let mut taken = Vec::new();
    for k in 0..RUNS {
        if !before.is_empty() {
            page.client.execute_async(DRAWN, vec![before.into(), "return true".into(), k.into()]).await?;
            tokio::time::sleep(std::time::Duration::from_millis(500)).await;
        }
        let milliseconds = page.client.execute_async(DRAWN, vec![deed.into(), there.into(), k.into()]).await?;
        taken.push(milliseconds.as_f64().unwrap_or(f64::NAN));
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    told(what, taken);
    Ok(())
}

fn told(what: &str, mut taken: Vec<f64>) {
    taken.sort_by(f64::total_cmp);
    let [median, least, most] = [taken[RUNS / 2], taken[0], taken[RUNS - 1]];
    println!("{what}: median {median:.0} ms, {least:.0} to {most:.0} ms over {RUNS} times");
}

/// Presses buttons in turn, and prints how long each answer took.
async fn measured(page: &Page, what: &str, buttons: &[&str]) -> Result<()> {
    let mut taken = Vec::new();
    for k in 0..RUNS {
        let name = serde_json::json!(buttons[k % buttons.len()]);
        let milliseconds = page.client.execute_async(SCRIPT, vec![name]).await?;
        taken.push(milliseconds.as_f64().unwrap_or(f64::NAN));
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    told(&format!("from {what} to verdicts and traces"), taken);
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "measures; cargo xtask bench runs it"]
async fn from_click_to_verdict() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    measured(&page, "the click on Run", &["Run"]).await?;
    page.press("Trim").await?;
    let value = Locator::XPath("//select[@aria-label='Value to trim']/descendant::option[.='C1 capacitance']");
    page.client.find(value).await?.click().await?;
    measured(&page, "a trim's step", &["C1 capacitance up", "C1 capacitance down"]).await?;
    page.close().await
}

/// A supply of forty parts that nobody placed: a ladder with a rung between every two nets.
const FORTY: &str = "
    const [done] = arguments;
    const parts = [{ id: 'V1', kind: 'dc_source', pins: { plus: 'n0', minus: 'gnd' }, parameters: { voltage: '10' } }];
    for (let k = 1; k <= 40; k += 1) {
        const [a, b] = k % 2 ? [`n${(k - 1) / 2}`, `n${(k + 1) / 2}`] : [`n${k / 2}`, 'gnd'];
        parts.push({ id: `R${k}`, kind: 'resistor', pins: { a, b }, parameters: { resistance: '1k' } });
    }
    const body = JSON.stringify({ document: { mellow_coil: 1, title: 'Forty', parts } });
    fetch('/api/supplies', { method: 'POST', headers: { 'content-type': 'application/json' }, body })
        .then((a) => a.json()).then((shown) => done(shown.id));
";

#[tokio::test(flavor = "multi_thread")]
#[ignore = "measures; cargo xtask bench runs it"]
async fn from_click_to_drawn() -> Result<()> {
    const SAVED: &str = "[data-testid=saved]";
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.find("main a").await?;
    let open = "document.querySelector('main a').click()";
    let there = "return document.querySelector('[data-part=C1]') && document.querySelector('[aria-label^=Plots]')";
    drawn(&page, "a supply is opened", "if (k > 0) document.querySelector('header a').click()", open, there).await?;

    page.script("document.querySelector('[data-part=C1]').focus()").await?;
    page.find("[data-part=C1]").await?.send_keys("\u{E007}").await?;
    page.find("[aria-label='Inspector of C1']").await?;
    let before = "window.was = text('[data-part=C1]')";
    let value = "enter(type(\"[aria-label='Inspector of C1'] label ~ div input\", `${1100 + 10 * k}u`))";
    let shown = "return text('[data-part=C1]') !== window.was";
    drawn(&page, "a value is changed", before, value, shown).await?;

    let id = page.client.execute_async(FORTY, vec![]).await?;
    page.client.goto(&format!("{}/supplies/{}/desk", stage.address(), id.as_str().unwrap_or_default())).await?;
    page.find("[data-part=R39]").await?;
    page.press("Figures in the drawing").await?;
    page.click_on(Locator::XPath("//*[@role='menuitemradio'][normalize-space()='Operating point']")).await?;
    page.script("document.querySelector('[data-part=R1]').focus()").await?;
    page.find("[data-part=R1]").await?.send_keys("\u{E007}").await?;
    page.find("[aria-label='Inspector of R1']").await?;
    let before = "window.was = text('svg[aria-label^=Circuit]')";
    let value = "enter(type(\"[aria-label='Inspector of R1'] label ~ div input\", `${1100 + 10 * k}`))";
    let rests = "const now = text('svg[aria-label^=Circuit]'); return /mA|mW|µA/.test(now) && now !== window.was";
    drawn(&page, "the operating point of forty parts follows a value", before, value, rests).await?;
    page.press("Close the inspector").await?;

    let before = format!("window.was = text('{SAVED}')");
    let tidy = "const item = [...document.querySelectorAll('[role=menuitem]')].find((i) => i.textContent === 'All of it'); item.click()";
    let open = "document.querySelector('[aria-label=Tidy]').dispatchEvent(new PointerEvent('pointerdown', { bubbles: true, button: 0 }))";
    // Tidied without a change it is no new revision: a part is shifted first.
    let shift = "document.querySelector('[data-part=R7]').focus(); document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true })); \
                 document.querySelector('svg[aria-label^=Circuit]').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }))";
    let mut taken = Vec::new();
    for k in 0..RUNS {
        for made_ready in [shift, &before, open] {
            page.client.execute_async(DRAWN, vec![made_ready.into(), "return true".into(), k.into()]).await?;
            tokio::time::sleep(std::time::Duration::from_millis(500)).await;
        }
        let drawn = format!("const now = text('{SAVED}'); return now.startsWith('Saved') && now !== window.was");
        let milliseconds = page.client.execute_async(DRAWN, vec![tidy.into(), drawn.into(), k.into()]).await?;
        taken.push(milliseconds.as_f64().unwrap_or(f64::NAN));
    }
    told("forty parts are tidied", taken);

    page.find("svg[aria-label^='Circuit drawing']").await?.send_keys("/").await?;
    let line = "type(\"[aria-label='Part to add']\", 'R 1k from n1 to gnd')";
    let add = "window.count = document.querySelectorAll('[data-part]').length; enter(document.querySelector(\"[aria-label='Part to add']\"))";
    let more = "return document.querySelectorAll('[data-part]').length > window.count";
    drawn(&page, "a part is added by the add line", line, add, more).await?;
    page.close().await
}
