//! How long the answer to *Run* takes, in the browser. Not a test of correctness: it prints a table.

use anyhow::Result;
use mellow_e2e::Stage;

const RUNS: usize = 20;

/// Presses *Run* and waits until verdicts and traces of the new run stand on the screen.
const SCRIPT: &str = "
    const done = arguments[arguments.length - 1];
    const plots = () => document.querySelector('[aria-label^=Plots]');
    const before = plots().dataset.drawn;
    const button = [...document.querySelectorAll('button')].find((b) => b.textContent.trim() === 'Run');
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

#[tokio::test(flavor = "multi_thread")]
#[ignore = "measures; cargo xtask bench runs it"]
async fn from_click_to_verdict() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let mut taken = Vec::new();
    for _ in 0..RUNS {
        let milliseconds = page.client.execute_async(SCRIPT, vec![]).await?;
        taken.push(milliseconds.as_f64().unwrap_or(f64::NAN));
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    taken.sort_by(f64::total_cmp);
    println!(
        "from the click on Run to verdicts and traces: median {:.0} ms, {:.0} to {:.0} ms over {RUNS} runs",
        taken[RUNS / 2],
        taken[0],
        taken[RUNS - 1]
    );
    page.close().await
}
