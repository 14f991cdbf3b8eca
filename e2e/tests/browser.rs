//! The interface driven as its users drive it.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::Stage;
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn open_run_change_and_run_again() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("not yet tried")).await?;

    page.run().await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("missed")).await?;
    let first = page.text("[data-testid=reading-bus_ripple]", |text| text.contains('V')).await?;
    // The power path carries figures now, the load its share.
    page.text("nav ol", |text| text.contains("ripple") && text.contains("taken") && text.contains("lost")).await?;

    // A wrong unit is refused in the field, and nothing is changed.
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "2200 V").await?;
    page.text("aside", |text| text.contains("a capacitance is asked for")).await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 1")).await?;
    // One preferred value up from 1000 µF is 1200 µF.
    page.enter("Capacitance", "1000u\u{E013}").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 2")).await?;
    page.text("[data-part=C1] text", |text| text.contains("1.2") && text.contains("mF")).await?;
    page.enter("Capacitance", "2200u").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 3")).await?;
    page.text("[data-testid=verdict-tally]", |text| text.contains("before the latest change")).await?;

    page.press("Close the inspector").await?;
    page.run().await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("met")).await?;
    let second = page.text("[data-testid=reading-bus_ripple]", |text| text.contains('V')).await?;
    assert_ne!(first, second);

    // What was done is there after a reload.
    page.client.refresh().await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("met")).await?;
    page.text("[data-part=C1] text", |text| text.contains("2.2") && text.contains("mF")).await?;

    // Undo starts anew after a reload; a change made now can be taken back.
    page.click("[data-part=R1] > g").await?;
    page.enter("Resistance", "100").await?;
    page.text("[data-part=R1] text", |text| text.contains("100")).await?;
    page.press("Undo").await?;
    page.text("[data-part=R1] text", |text| text.contains("55.77")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn zoom_pan_and_measure() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let axis = "svg[aria-label='Time axis and span']";
    // The whole run is shown at first.
    page.text(axis, |text| text.contains("500") && text.contains("ms")).await?;
    page.text("[data-testid='span-bus.v']", |text| text.matches('V').count() >= 6 && text.contains("100")).await?;

    // Keys zoom in, and back to the whole run.
    let plots = page.find("[aria-label^='Plots']").await?;
    plots.click().await?;
    plots.send_keys("+++++").await?;
    page.text(axis, |text| !text.contains("500")).await?;
    plots.send_keys("0").await?;
    page.text(axis, |text| text.contains("500")).await?;
    page.press("Zoom to span").await?;
    page.text(axis, |text| text.starts_with("400")).await?;

    // The end A steps to the next peak, trough or crossing by key; the span follows.
    let before = page.text("[data-testid='span-bus.v']", |text| !text.is_empty()).await?;
    let start = page.find("[aria-label='Span start A']").await?;
    let at = start.attr("aria-valuenow").await?;
    start.send_keys("\u{E014}").await?;
    page.text("[data-testid='span-bus.v']", |text| text != before).await?;
    assert_ne!(page.find("[aria-label='Span start A']").await?.attr("aria-valuenow").await?, at);

    // A trace can be added; its row joins the span.
    page.press("New strip").await?;
    let items = page.client.wait().for_element(Locator::XPath("//*[@role='option'][starts-with(.,'T1.p')]")).await?;
    items.click().await?;
    page.text("[data-testid='span-T1.p']", |text| text.contains('W')).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_shows_its_progress_pauses_and_goes_on() -> Result<()> {
    let stage = Stage::set(&["--slow-down", "5000"])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.press("Run").await?;
    page.text("[data-testid=progress]", |text| text.contains('%') && text.contains("s left")).await?;
    page.press("Pause the run").await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("not yet tried")).await?;
    // What was computed until then is drawn.
    page.text("svg[aria-label='Time axis and span']", |text| text.contains("ms")).await?;
    page.text("[data-testid=paused]", |text| text.contains("of 500")).await?;
    page.press("Go on from the end of the run").await?;
    page.text("[aria-label='Go on with the run']", |text| text.contains("Paused at") && text.contains("Loosen"))
        .await?;
    page.picture("go-on.png").await?;
    page.client
        .find(Locator::XPath("//div[@aria-label='Go on with the run']//button[normalize-space()='Go on']"))
        .await?
        .click()
        .await?;
    page.text("[data-testid=progress]", |text| text.contains('%')).await?;
    page.text("[data-testid=requirement-ripple]", |text| text.contains("missed")).await?;
    // The paused run is all in the one that went on, and offered no more.
    let offered = "return document.querySelectorAll(\"[aria-label='Run behind the traces'] option\").length";
    let gone = async {
        while page.script(offered).await? != 0 {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        Ok::<_, anyhow::Error>(())
    };
    tokio::time::timeout(Duration::from_secs(10), gone).await??;
    // At its end it can still go on, for longer.
    page.press("Go on from the end of the run").await?;
    page.enter("For another", "50m").await?;
    page.client
        .find(Locator::XPath("//div[@aria-label='Go on with the run']//button[normalize-space()='Go on']"))
        .await?
        .click()
        .await?;
    page.text("svg[aria-label='Time axis and span']", |text| text.contains("550") || text.contains("500")).await?;
    page.text("[data-testid=verdict-tally]", |text| text.contains("missed")).await?;
    page.picture("went-on.png").await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_drawing_is_tidied_but_for_what_was_placed_by_hand() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    let place = |part: &'static str| {
        let find = format!("return document.querySelector(\"[data-part={part}] g\").getAttribute('transform')");
        let page = &page;
        async move { page.script(&find).await.map(|v| v.to_string()) }
    };
    let before = place("R1").await?;
    page.click("[data-part=R1] > g").await?;
    page.press("Turn the parts").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 2")).await?;
    let turned = place("R1").await?;
    assert_ne!(before, turned);
    page.press("Tidy").await?;
    page.picture("tidy.png").await?;
    page.press("All but what was placed by hand").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 3") || text.contains("revision 2")).await?;
    assert_eq!(place("R1").await?, turned);
    page.press("Tidy").await?;
    page.press("All of it").await?;
    let stands = async {
        while !place("R1").await?.contains("rotate(0)") {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        Ok::<_, anyhow::Error>(())
    };
    tokio::time::timeout(Duration::from_secs(10), stands).await??;
    page.picture("tidied.png").await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_windows_never_lose_a_change_silently() -> Result<()> {
    let stage = Stage::set(&[])?;
    let (one, other) = (stage.window().await?, stage.window().await?);
    one.open_demo().await?;
    other.open_demo().await?;
    one.click("[data-part=C1] > g").await?;
    one.enter("Capacitance", "1500u").await?;
    one.text("[data-testid=saved]", |text| text.contains("revision 2")).await?;

    // What was changed elsewhere goes together with it.
    other.click("[data-part=R1] > g").await?;
    other.enter("Resistance", "47").await?;
    other.text("[data-testid=saved]", |text| text.contains("revision 3")).await?;
    other.text("[data-part=C1] text", |text| text.contains("1500") || text.contains("1.5")).await?;
    other.text("[data-part=R1] text", |text| text.contains("47")).await?;

    // The same place changed by both is asked about, and no change after it is lost.
    one.enter("Capacitance", "1800u").await?;
    one.text("[data-testid=saved]", |text| text.contains("revision")).await?;
    one.text("[data-part=C1] text", |text| text.contains("1.8") || text.contains("1800")).await?;
    other.click("[data-part=C1] > g").await?;
    other.enter("Capacitance", "2200u").await?;
    other.press("Turn").await?;
    other.text("[role=alert]", |text| text.contains("Another window") && text.contains("set C1")).await?;
    other.press("Save mine on top").await?;
    other.text("[data-testid=saved]", |text| text.contains("Saved, revision 6")).await?;
    other.text("[data-part=C1] text", |text| text.contains("2.2") || text.contains("2200")).await?;
    one.close().await?;
    other.close().await
}
