//! No main view, light or dark, breaks a rule of accessibility that a program can find (axe-core, which follows WCAG).

use anyhow::{Context, Result};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};
use serde_json::Value;

/// Runs every rule and answers with what breaks it.
const SCRIPT: &str = "
    const done = arguments[arguments.length - 1];
    // An experimental rule compares the text of an element with its name; the lines of a part's label, which stand apart
    // in the drawing, run together there.
    const options = { rules: { 'label-content-name-mismatch': { enabled: false } } };
    axe.run(document, options).then((found) => done(found.violations.map((rule) => ({
        rule: rule.id, impact: rule.impact, help: rule.help, at: rule.nodes.map((node) => node.html).slice(0, 3),
    }))), (error) => done([String(error)]));
";

/// What is broken in the view that is open.
async fn broken(page: &Page, view: &str) -> Result<Vec<String>> {
    let program = xtask::paths::root().join("web/node_modules/axe-core/axe.min.js");
    let program = std::fs::read_to_string(&program).with_context(|| format!("{} is not there", program.display()))?;
    page.client.execute(&program, vec![]).await?;
    let found = page.client.execute_async(SCRIPT, vec![]).await?;
    let found: Vec<Value> = serde_json::from_value(found)?;
    Ok(found.iter().map(|violation| format!("{view}: {violation:#}")).collect())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_main_view_breaks_a_rule() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let mut all = broken(&page, "library").await?;
    page.open_demo().await?;
    all.extend(broken(&page, "desk before a run").await?);
    page.run().await?;
    all.extend(broken(&page, "desk").await?);
    page.script("document.querySelector('[data-net=bus]').focus()").await?;
    page.find("[data-net=bus]").await?.send_keys("\u{E007}").await?;
    page.text("[data-testid='tap-bus.v']", |text| text.contains("mean")).await?;
    all.extend(broken(&page, "card of a net").await?);
    page.press("Close the card").await?;
    page.press("Go on from the end of the run").await?;
    page.enter("For another", "10m").await?;
    all.extend(broken(&page, "going on").await?);
    page.find("[aria-label='Go on with the run'] input").await?.send_keys("\u{E00C}").await?;
    page.client.find(Locator::Css("[aria-label='Go on from the end of the run']")).await?.click().await?;
    page.press("Save or copy the strips").await?;
    page.press("Measured traces from a file …").await?;
    page.find("[aria-label='Measured file']").await?;
    all.extend(broken(&page, "measured file").await?);
    page.press("Close the dialog").await?;
    page.click("[data-part=C1] > g").await?;
    page.find("[aria-label='Close the inspector']").await?;
    all.extend(broken(&page, "inspector").await?);
    page.press("Swap").await?;
    page.find("[aria-label='Parts found'] button").await?;
    all.extend(broken(&page, "catalogue").await?);
    page.press("Close the catalogue").await?;
    page.press("Close the inspector").await?;
    page.press("Add reading").await?;
    page.find("form select[aria-label=Measure] option").await?;
    all.extend(broken(&page, "editor of a reading").await?);
    page.press("Close").await?;
    page.press("New strip").await?;
    page.find("[cmdk-item] svg path").await?;
    all.extend(broken(&page, "tray").await?);
    page.find("[aria-label='Search signals']").await?.send_keys("\u{E00C}").await?;
    for (opens, view) in [
        ("Looks of this strip", "looks of a strip"),
        ("Find where a trace crosses a level", "search of a crossing"),
        ("Add a formula of the span", "formula of the span"),
    ] {
        page.press(opens).await?;
        page.find("[role=dialog][data-state=open], [role=menu][data-state=open]").await?;
        all.extend(broken(&page, view).await?);
        page.client.active_element().await?.send_keys("\u{E00C}").await?;
        page.steady("return document.querySelectorAll('[data-state=open]').length").await?;
    }
    page.press("Trim").await?;
    let value = Locator::XPath("//select[@aria-label='Value to trim']/descendant::option[.='C1 capacitance']");
    page.client.find(value).await?.click().await?;
    page.find("[data-testid='trim-C1.capacitance']").await?;
    all.extend(broken(&page, "trim").await?);
    page.press("Settings of the study").await?;
    page.find("[aria-label='Settings of the study'][role=group]").await?;
    all.extend(broken(&page, "settings of a study").await?);
    page.find("[aria-label='Title of the study']").await?.send_keys("\u{E00C}").await?;
    for (link, there) in [
        ("Requirements", "[data-testid^=limit-]"),
        ("Compare", "[aria-label='Readings by run'] td"),
        ("Materials", "[aria-label='Bill of materials'] td"),
        ("History", "[data-testid^=revision-]"),
    ] {
        page.client.find(Locator::LinkText(link)).await?.click().await?;
        page.find(there).await?;
        all.extend(broken(&page, link).await?);
    }
    page.script("document.querySelector('[aria-label^=\"Circuit of\"]').click()").await?;
    page.find("[role=dialog] img").await?;
    all.extend(broken(&page, "circuit of a run").await?);
    page.press("Close the circuit").await?;
    page.press("Use the dark look").await?;
    page.steady("return getComputedStyle(document.body).backgroundColor").await?;
    all.extend(broken(&page, "history, dark").await?);
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.find("[data-testid=drawing]").await?;
    all.extend(broken(&page, "desk, dark").await?);
    assert!(all.is_empty(), "{}", all.join("\n"));
    page.close().await
}

/// The views in which answers stand beside the strips: where a circuit rests, what parts bear, a second opinion, curves over
/// frequency with their questions and tones.
#[tokio::test(flavor = "multi_thread")]
async fn no_answer_on_the_desk_breaks_a_rule() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let tab = async |name: &str| {
        page.click_on(Locator::XPath(&format!("//button[@role='tab'][starts-with(.,'{name}')]"))).await
    };
    let mut all = Vec::new();
    tab("Operating point").await?;
    page.find("[data-testid=rests-C1]").await?;
    all.extend(broken(&page, "operating point").await?);
    tab("Stress").await?;
    page.find("[data-testid=stress-C1]").await?;
    all.extend(broken(&page, "stress").await?);
    for opens in ["Derating: none", "At the worst over all studies"] {
        page.press(opens).await?;
        page.find("[role=dialog][data-state=open]").await?;
        all.extend(broken(&page, opens).await?);
        page.client.active_element().await?.send_keys("\u{E00C}").await?;
        page.steady("return document.querySelectorAll('[role=dialog]').length").await?;
    }
    tab("Health").await?;
    page.press("Second opinion").await?;
    page.find("[aria-label='Where traces part'] td").await?;
    all.extend(broken(&page, "second opinion").await?);
    page.click_on(Locator::LinkText("Library")).await?;
    page.click_on(Locator::XPath("//main//a[contains(., 'Sensor rail regulator')]")).await?;
    page.find("[data-part=C1]").await?;
    page.press("Settings of the study").await?;
    page.press("Measure zout with tones").await?;
    page.find("[aria-label='Amplitude of the tones of zout']").await?;
    all.extend(broken(&page, "questions over frequency").await?);
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    page.find("[data-testid=span-zout]").await?;
    all.extend(broken(&page, "curves over frequency").await?);
    page.press("Use the dark look").await?;
    page.steady("return getComputedStyle(document.body).backgroundColor").await?;
    all.extend(broken(&page, "curves over frequency, dark").await?);
    tab("Stress").await?;
    all.extend(broken(&page, "stress, dark").await?);
    assert!(all.is_empty(), "{}", all.join("\n"));
    page.close().await
}
