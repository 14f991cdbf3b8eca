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

/// Presses buttons in turn, and prints how long each answer took.
async fn measured(page: &Page, what: &str, buttons: &[&str]) -> Result<()> {
    let mut taken = Vec::new();
    for k in 0..RUNS {
        let name = serde_json::json!(buttons[k % buttons.len()]);
        let milliseconds = page.client.execute_async(SCRIPT, vec![name]).await?;
        taken.push(milliseconds.as_f64().unwrap_or(f64::NAN));
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    taken.sort_by(f64::total_cmp);
    let [median, least, most] = [taken[RUNS / 2], taken[0], taken[RUNS - 1]];
    println!("from {what} to verdicts and traces: median {median:.0} ms, {least:.0} to {most:.0} ms over {RUNS} runs");
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
