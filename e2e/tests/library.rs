//! The library and the history: a supply and runs deleted, and had back.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

async fn count(page: &Page, css: &str, wanted: usize) -> Result<()> {
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
    loop {
        let found = page.client.find_all(Locator::Css(css)).await?.len();
        if found == wanted {
            return Ok(());
        }
        anyhow::ensure!(std::time::Instant::now() < deadline, "{found} of {css} instead of {wanted}");
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
}

/// Chooses to delete the first supply, as far as the question.
async fn ask_to_delete(page: &Page) -> Result<()> {
    page.click("main li button[aria-label^='More for']").await?;
    page.press("Delete…").await?;
    page.text("[role=alertdialog]", |text| text.contains("had back for a day")).await.map(drop)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_supply_and_a_run_are_deleted_and_had_back() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    // A second run of what is the same is not old, and moving a part does not make it so.
    page.run().await?;
    page.click("[data-part=C1] > g").await?;
    page.client.active_element().await?.send_keys("\u{E014}").await?;
    page.text("[data-testid=saved]", |text| text == "Saved, revision 2").await?;
    page.text("[data-testid=verdict-tally]", |text| !text.contains("before")).await?;

    // Of two runs one is deleted, and had back twice: from what was just said, and from the list of deleted ones.
    page.client.find(Locator::LinkText("History")).await?.click().await?;
    count(&page, "[data-testid=run]", 2).await?;
    page.click("[data-testid=run] button[aria-label^='Delete']").await?;
    count(&page, "[data-testid=run]", 1).await?;
    page.click("[aria-label=Runs] [role=status] button").await?;
    count(&page, "[data-testid=run]", 2).await?;
    page.click("[data-testid=run] button[aria-label^='Delete']").await?;
    count(&page, "[data-testid=run]", 1).await?;
    page.press("Show deleted runs").await?;
    page.click("[aria-label='Deleted runs'] button").await?;
    count(&page, "[data-testid=run]", 2).await?;
    page.click("[data-testid=run] button[aria-pressed=false]").await?;
    page.find("[data-testid=run] button[aria-pressed=true]").await?;

    // A supply is deleted only after asking, and comes back with its verdicts.
    page.client.find(Locator::Css("a[aria-label=Library]")).await?.click().await?;
    let tally = page.text("[data-testid=tally]", |text| text.contains("met")).await?;
    count(&page, "main li h2", 6).await?;
    ask_to_delete(&page).await?;
    page.press("Keep it").await?;
    count(&page, "main li h2", 6).await?;
    ask_to_delete(&page).await?;
    page.press("Delete it").await?;
    count(&page, "main li h2", 5).await?;
    page.text("[data-testid=room-deleted]", |text| text.contains("deleted")).await?;
    page.press("Undo").await?;
    count(&page, "main li h2", 6).await?;
    assert_eq!(page.text("[data-testid=tally]", |text| text.contains("met")).await?, tally);
    page.text("[data-testid=room-used]", |text| text.contains("2 runs")).await?;
    page.close().await
}
