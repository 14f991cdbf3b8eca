//! Why numbers can be trusted, on the desk.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::Stage;

/// A second opinion is asked, tells how far both are apart, stands behind the traces, and changes no verdict.
#[tokio::test(flavor = "multi_thread")]
async fn a_second_opinion_is_asked_and_compared() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let tally = page.text("[data-testid=verdict-tally]", |text| text.contains("met")).await?;
    page.click_on(Locator::XPath("//button[@role='tab'][.='Health']")).await?;
    page.press("Second opinion").await?;
    page.text("[aria-label='Second opinion']", |text| text.contains("by switching")).await?;
    page.text("[aria-label='Readings of both'] tbody", |text| text.contains('%')).await?;
    page.text("[aria-label='Where traces part'] tbody", |text| text.contains("bus.v")).await?;
    page.picture("opinion.png").await?;
    page.press("Show it behind the traces").await?;
    page.text("[aria-label='Run behind the traces'] option:checked", |text| text.contains("second opinion")).await?;
    assert_eq!(page.text("[data-testid=verdict-tally]", |text| text.contains("met")).await?, tally);
    page.client.refresh().await?;
    assert_eq!(page.text("[data-testid=verdict-tally]", |text| text.contains("met")).await?, tally);
    page.close().await
}
