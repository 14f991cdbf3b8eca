//! Where a circuit rests, on its drawing and in a table.

use anyhow::{Result, ensure};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};
use std::time::{Duration, Instant};

async fn figures(page: &Page, what: &str) -> Result<()> {
    page.press("Figures in the drawing").await?;
    page.click_on(Locator::XPath(&format!("//*[@role='menuitemradio'][normalize-space()='{what}']"))).await
}

/// What stands at a net in the drawing, once it is as wanted.
async fn at_net(page: &Page, net: &str, wanted: impl Fn(&str) -> bool) -> Result<String> {
    let script = format!("return document.querySelector('[data-net={net}] text')?.textContent ?? ''");
    let deadline = Instant::now() + Duration::from_secs(10);
    loop {
        let text = page.script(&script).await?.as_str().unwrap_or_default().to_owned();
        if wanted(&text) {
            return Ok(text);
        }
        ensure!(Instant::now() < deadline, "{net} reads “{text}”");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

/// Typed as single parts, a circuit shows where it rests, follows a change of a value by itself, and is searched by what devices do.
#[tokio::test(flavor = "multi_thread")]
async fn an_operating_point_stands_on_the_drawing_and_follows() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("New supply").await?;
    page.click_on(Locator::LinkText("Desk")).await?;
    page.find("[data-testid=drawing]").await?.click().await?;
    page.client.active_element().await?.send_keys("/").await?;
    for line in ["dc source 12 from in to gnd", "R 1k from in to out", "R 1k from out to gnd", "R 2k from out to load"]
    {
        page.type_line(line).await?;
    }
    page.type_line("diode from load to gnd").await?;
    page.find("[data-part=D1]").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    figures(&page, "Operating point").await?;
    // The source halved behind 500 Ω, and 2 kΩ and the diode beside it: 6 V less what those draw.
    let out = at_net(&page, "out", |text| text.contains('V')).await?;
    let volts = |text: &str| -> f64 {
        let number: String = text.chars().filter(|c| c.is_ascii_digit() || *c == '.').collect();
        number.parse().unwrap_or_default()
    };
    let before = volts(&out);
    assert!((4.8..5.1).contains(&before), "{out}");
    page.picture("resting.png").await?;
    page.click("[data-part=R2] > g").await?;
    page.enter("Resistance", "3k").await?;
    let after = volts(&at_net(&page, "out", |text| text.contains('V') && volts(text) > before + 1.0).await?);
    page.press("Close the inspector").await?;
    page.press("Operating point").await?;
    let row = page.text("[data-testid=rests-out]", |text| text.contains('V')).await?;
    assert!((volts(&row) - after).abs() < 2e-3, "{row} beside {after}");
    page.find("[aria-label='Search the operating point']").await?.send_keys("conducting").await?;
    page.text("[aria-label='Parts at rest'] tbody", |text| text.contains("D1") && !text.contains("R1")).await?;
    page.picture("resting-table.png").await?;
    // A net that floats has no such point, and it is said which.
    figures(&page, "No figures").await?;
    let plain = at_net(&page, "out", |text| !text.contains('V')).await?;
    assert_eq!(plain.trim(), "out");
    page.close().await
}
