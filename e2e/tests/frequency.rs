//! What circuits answer over frequency, on the desk.

use anyhow::{Result, ensure};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

async fn study(page: &Page, title: &str) -> Result<()> {
    page.click_on(Locator::XPath(&format!("//select[@aria-label='Study']/option[.='{title}']"))).await
}

/// The number in a reading's row of the run shown, once it is as wanted.
async fn read(page: &Page, id: &str, wanted: impl Fn(f64) -> bool) -> Result<f64> {
    let number = |text: &str| -> f64 {
        let from = text.find(|c: char| c.is_ascii_digit()).unwrap_or(text.len());
        let digits = text[from..].chars().take_while(|c| c.is_ascii_digit() || *c == '.');
        digits.collect::<String>().parse().unwrap_or(f64::NAN)
    };
    let css = format!("[data-testid=reading-{id}] td:nth-child(2)");
    page.text(&css, |text| wanted(number(text))).await.map(|text| number(&text))
}

/// A regulator that is all but unstable is found by its margin and seen to ring; a resistance in its capacitor's way mends both, and
/// the run before stands behind.
#[tokio::test(flavor = "multi_thread")]
async fn an_unstable_regulator_is_found_and_mended() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.click_on(Locator::XPath("//main//a[contains(., 'Sensor rail regulator')]")).await?;
    page.find("[data-part=C1]").await?;
    study(&page, "Loop and impedances").await?;
    page.run_plain().await?;
    let margin = read(&page, "margin", |degrees| degrees > 0.0).await?;
    ensure!((3.0..8.0).contains(&margin), "{margin}°");
    let span = page.text("[data-testid=span-loop]", |text| text.contains("dB")).await?;
    ensure!(span.contains('°') && span.contains("Hz"), "{span}");
    page.picture("frequency.png").await?;
    // A further reading is offered what is measured over frequency.
    page.press("Add reading").await?;
    page.click_on(Locator::XPath("//select[@aria-label='Measure']//option[.='Modulus margin']")).await?;
    page.picture("reading-editor.png").await?;
    page.click("form[aria-label='New reading'] [type=submit]").await?;
    page.picture("added.png").await?;
    read(&page, "modulus_margin_of_loop", |left| left > 0.0 && left < 0.2).await?;
    study(&page, "Load step").await?;
    page.run_plain().await?;
    // What nets and parts have in the mean stands beside them.
    page.press("Figures in the drawing").await?;
    page.click_on(Locator::XPath("//*[@role='menuitemradio'][.='Means of the run']")).await?;
    let mean = "return document.querySelector('[data-net=sensor] text')?.textContent ?? ''";
    ensure!(
        page.steady(mean).await?.as_str().is_some_and(|text| text.contains("5.000") || text.contains("5\u{2009}V"))
    );
    page.picture("means.png").await?;
    page.press("Figures in the drawing").await?;
    page.click_on(Locator::XPath("//*[@role='menuitemradio'][.='No figures']")).await?;
    let valley = read(&page, "valley", |millivolts| millivolts > 0.0).await?;
    let slow = read(&page, "recovery", |microseconds| microseconds > 0.0).await?;
    page.click("[data-part=C1] > g").await?;
    page.enter("ESR", "200m").await?;
    page.press("Close the inspector").await?;
    page.run_plain().await?;
    let fast = read(&page, "recovery", |microseconds| microseconds < 0.5 * slow).await?;
    page.picture("step-after.png").await?;
    study(&page, "Loop and impedances").await?;
    page.run_plain().await?;
    let after = read(&page, "margin", |degrees| degrees > 45.0).await?;
    // A verdict leads to the frequency that decided it.
    page.click("[data-testid=requirement-masked_zout] button").await?;
    let ends = page.text("svg[aria-label='Frequency axis and span']", |text| text.contains("kHz")).await?;
    ensure!(ends.contains("A "), "{ends}");
    page.picture("decided.png").await?;
    println!("margin {margin} to {after}°, valley {valley} mV, recovery {slow} to {fast} µs");
    // The run before stands behind, and a formula of curves beside the others.
    page.click_on(Locator::XPath("//select[@aria-label='Run behind the traces']/option[2]")).await?;
    page.press("New strip").await?;
    page.find("[aria-label='Formula of curves']").await?.send_keys("zout * (1 + loop)\u{E007}").await?;
    page.text("[aria-label='Span'] tbody", |text| text.contains("zout * (1 + loop)") && text.contains("Ω")).await?;
    page.picture("frequency-after.png").await?;
    page.click_on(Locator::LinkText("Compare")).await?;
    page.picture("frequency-compare.png").await?;
    page.close().await
}

/// Composed of single parts by the add line, an amplifier's loop is offered, asked and shown; a pin without a loop and a source that
/// is none are said in words, and a study is made one of another kind without losing the rest.
#[tokio::test(flavor = "multi_thread")]
async fn questions_are_offered_and_what_has_no_answer_says_why() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("New supply").await?;
    page.click_on(Locator::LinkText("Desk")).await?;
    page.find("[data-testid=drawing]").await?.click().await?;
    page.client.active_element().await?.send_keys("/").await?;
    for line in ["dc source 5 from in to gnd", "R 1k from in to out", "capacitor 1u from out to gnd"] {
        page.type_line(line).await?;
    }
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.press("New study").await?;
    page.picture("new-study.png").await?;
    page.click_on(Locator::XPath("//*[@role='menuitem'][starts-with(., 'Frequency')]")).await?;
    page.run_plain().await?;
    page.text("[data-testid=span-zout]", |text| text.contains("Ω")).await?;
    page.press("Settings of the study").await?;
    page.press("Question").await?;
    page.click_on(Locator::XPath("//*[@role='menuitem'][.='Loop gain']")).await?;
    let pin = page.find("[aria-label='Pin of loop']").await?;
    pin.send_keys("C1.plus\u{E007}").await?;
    page.picture("questions.png").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    page.text("[aria-label='Strips'] [role=alert]", |text| text.contains("no loop passes through C1.plus")).await?;
    // A curve's new name is followed by its strip; one that is taken is not.
    page.press("Settings of the study").await?;
    let name = page.find("[aria-label='Name of the curve zin']").await?;
    name.send_keys("\u{E009}a\u{E000}zout\u{E007}").await?;
    page.find("[aria-label='Name of the curve zin']").await?;
    let name = page.find("[aria-label='Name of the curve zin']").await?;
    name.send_keys("\u{E009}a\u{E000}seen\u{E007}").await?;
    page.find("[aria-label='Name of the curve seen']").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    page.text("[data-testid=span-seen]", |text| text.contains("Ω")).await?;
    // What is saved is written by the server.
    page.press("Save or copy the strips").await?;
    page.click_on(Locator::XPath("//*[@role='menuitem'][contains(., 'Touchstone')]")).await?;
    let port = String::from_utf8(page.saved_file("ts").await?)?;
    ensure!(port.contains("# Hz Z RI R 1") && port.ends_with("[End]\n"), "{port}");
    page.close().await
}
