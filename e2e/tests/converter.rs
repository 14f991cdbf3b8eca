//! A converter in the browser: its settled state straight away, its start, and the engine that is taken.

use anyhow::{Context, Result};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

async fn choose(page: &Page, label: &str, option: &str) -> Result<()> {
    let select = format!("//select[@aria-label='{label}' or ancestor::label[starts-with(., '{label}')]]");
    let path = format!("{select}/descendant::option[.='{option}' or @value='{option}']");
    Ok(page.client.wait().for_element(Locator::XPath(&path)).await?.click().await?)
}

async fn health(page: &Page, wanted: &str) -> Result<()> {
    page.press("Health").await?;
    page.text("[role=tabpanel][data-state=active]", |text| text.contains(wanted)).await?;
    page.press("Requirements and readings").await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_converter_is_looked_at_in_its_settled_state_and_at_its_start() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let store = format!(
        "const [done] = arguments;
         const body = JSON.stringify({{ document: {} }});
         fetch('/api/supplies', {{ method: 'POST', headers: {{ 'content-type': 'application/json' }}, body }})
             .then((answer) => answer.json()).then((supply) => done(supply.id));",
        include_str!("circuits/lamp-drive.json")
    );
    let id = page.client.execute_async(&store, vec![]).await?;
    let id = id.as_str().context("not stored")?;
    page.client.goto(&format!("{}/supplies/{id}/desk", stage.address())).await?;
    page.find("[data-part=U2]").await?;
    page.run().await?;
    // The latch lets go where the sensed current reaches 0.2 V of 0.1 Ω and half the hysteresis of 5 mV.
    let peak = page.text("[data-testid=requirement-peak]", |text| text.contains("met")).await?;
    assert!(peak.contains("2.025"), "{peak}");
    health(&page, "by switching: VK drives S1").await?;
    page.find("[aria-label^=Plots][data-drawn]").await?;

    // Its start, by the engine that suits and by the one it is told.
    choose(&page, "Study", "Switch-on").await?;
    page.run().await?;
    health(&page, "VK drives S1").await?;
    page.press("Settings of the study").await?;
    choose(&page, "Simulated", "device_level").await?;
    page.text("[data-testid=saved]", |text| text == "Saved, revision 2").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run().await?;
    health(&page, "at device level, as the study says").await?;
    page.close().await
}
