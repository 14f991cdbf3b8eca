//! A circuit typed part by part is run and read; and a server that goes away and comes back.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::Stage;

#[tokio::test(flavor = "multi_thread")]
async fn a_circuit_of_single_parts_is_run_and_read() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("New supply").await?;
    page.find("main").await?;
    page.client.wait().for_element(Locator::LinkText("Desk")).await?.click().await?;
    page.find("[data-testid=drawing]").await?.click().await?;
    page.client.active_element().await?.send_keys("/").await?;
    for (part, line) in [
        ("V1", "dc source 10 from in to gnd"),
        ("R1", "resistor 1k from in to out"),
        ("C1", "capacitor 10u from out to gnd"),
        ("R2", "resistor 1k from out to gnd"),
    ] {
        page.type_line(line).await?;
        page.find(&format!("[data-part={part}]")).await?;
    }
    // Pressed while it is open, the button leads back into the line.
    page.press("New study").await?;
    page.click_on(Locator::XPath("//*[@role='menuitem'][starts-with(., 'Switch-on')]")).await?;
    // R1 and R2 beside C1 make 5 ms; five times that are shown to be enough.
    page.text("select[aria-label=Study]", |text| text.contains("Switch-on")).await?;
    page.press("Run").await?;
    let drawn = "[aria-label^=Plots][data-drawn]";
    page.find(drawn).await?;
    page.find("canvas[aria-label='Plot of V1.v']").await?;
    page.find("canvas[aria-label='Plot of out.v']").await?;
    page.press("Span here").await?;
    page.text("[data-testid='span-out.v']", |text| text.contains('V')).await?;
    // The path keeps out of the way where there is none.
    let height = page.script("return document.querySelector(\"nav[aria-label='Power path']\").offsetHeight").await?;
    assert!(height.as_f64().is_some_and(|height| height < 50.0), "{height}");
    // One part does not fill the pane.
    let size = page.script("return document.querySelector('[data-part=R1]').getBoundingClientRect().width").await?;
    assert!(size.as_f64().is_some_and(|size| size < 200.0), "{size}");
    // The keys are listed on demand.
    page.click("body").await?;
    page.client.active_element().await?.send_keys("?").await?;
    page.text("[role=dialog]", |text| text.contains("Type a part to add")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_server_that_is_away_is_said_to_be() -> Result<()> {
    let mut stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    stage.stop_server();
    page.text("[role=alert]", |text| text.contains("does not answer")).await?;
    stage.start_server()?;
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
    while page.client.find(Locator::Css("[role=alert]")).await.is_ok() {
        assert!(std::time::Instant::now() < deadline, "still said to be away");
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    page.run().await?;
    page.close().await
}
