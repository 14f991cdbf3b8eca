//! What parts bear against what they are rated for, on the desk.

use anyhow::{Result, ensure};
use fantoccini::Locator;
use mellow_e2e::Stage;

/// What parts bear is told after a run; a reserve and a lower rating are marked at once, without another run, on the drawing and the
/// card; a click leads to the moment; "no part above" is a requirement like any other.
#[tokio::test(flavor = "multi_thread")]
async fn what_parts_bear_is_held_against_their_ratings() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.click_on(Locator::XPath("//button[@role='tab'][.='Stress']")).await?;
    page.find("[aria-label='Search the stress table']").await?;
    page.picture("stress-before.png").await?;
    page.run().await?;
    let capacitor = page.text("[data-testid=stress-C1]", |text| text.contains('%')).await?;
    ensure!(capacitor.contains("of 25") && capacitor.contains('V'), "{capacitor}");
    page.picture("stress.png").await?;
    let marked = "return document.querySelector('[data-stage] [aria-label*=checks]') !== null";
    ensure!(page.steady(marked).await? == false, "nothing is borne beyond its rating");
    page.press("Derating: none").await?;
    page.enter("Of voltages", "50").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.text("[data-testid=stress-C1]", |text| text.contains("50\u{2009}% of it")).await?;
    page.find("[data-stage] [aria-label*=checks]").await?;
    page.picture("stress-derated.png").await?;
    page.click_on(Locator::XPath("//button[@role='tab'][starts-with(.,'Checks (')]")).await?;
    page.click_on(Locator::XPath("//button[starts-with(.,'Show ')]")).await?;
    page.press("Close the inspector").await?;
    page.click_on(Locator::XPath("//button[@role='tab'][.='Stress']")).await?;
    page.find("[aria-label='Search the stress table']").await?.send_keys("C1").await?;
    page.click("[data-testid=stress-C1] button[title^=Show]").await?;
    page.text("svg[aria-label='Time axis and span']", |text| text.starts_with("25")).await?;
    page.picture("stress-moment.png").await?;
    page.click_on(Locator::XPath("//button[@role='tab'][.='Requirements and readings']")).await?;
    page.press("Ready made").await?;
    page.click_on(Locator::XPath("//*[@role='menuitem'][starts-with(.,'Use of ratings')]")).await?;
    page.text("[data-testid=reading-rating_use]", |text| text.contains('%')).await?;
    page.picture("stress-reading.png").await?;
    page.close().await
}
