//! A supply composed from nothing, as an engineer does it.

use anyhow::{Context, Result};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};
use std::path::Path;

/// Adds a stage behind another by the + at its joint.
async fn add(page: &Page, after: &str, form: &str) -> Result<()> {
    page.press(&format!("Add a stage after {after}")).await?;
    choose(page, form).await
}

/// Takes a form from the open menu.
async fn choose(page: &Page, form: &str) -> Result<()> {
    let path = format!("//*[@role='menuitem'][.//span[normalize-space()='{form}']]");
    let wait = page.client.wait().at_most(std::time::Duration::from_secs(10));
    let item = wait.for_element(Locator::XPath(&path)).await.with_context(|| format!("no form {form}"))?;
    item.click().await?;
    page.text("nav[aria-label='Power path']", |text| text.contains(form)).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_mains_supply_is_composed_by_mouse() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("New supply").await?;
    page.press("Add output").await?;
    page.enter("Voltage", "9").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 3")).await?;
    page.enter("Current", "250m").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 4")).await?;
    page.shoot(Path::new("/tmp/shot-req.png")).await?;
    page.press("Add a source").await?;
    choose(&page, "Single-phase mains").await?;
    page.shoot(Path::new("/tmp/shot-1.png")).await?;
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    add(&page, "Single-phase mains", "Transformer").await?;
    page.shoot(Path::new("/tmp/shot-2.png")).await?;
    add(&page, "Transformer", "Bridge rectifier").await?;
    add(&page, "Bridge rectifier", "Reservoir capacitor").await?;
    page.press("Add a stage after Reservoir capacitor").await?;
    page.shoot(Path::new("/tmp/shot-menu.png")).await?;
    choose(&page, "Fixed three-terminal regulator").await?;
    add(&page, "Fixed three-terminal regulator", "Resistive load").await?;
    page.shoot(Path::new("/tmp/shot-3.png")).await?;
    page.run().await?;
    page.shoot(Path::new("/tmp/shot-4.png")).await?;
    page.close().await
}
