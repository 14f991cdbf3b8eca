//! Retakes the pictures in docs/screenshots; run by `cargo xtask shots`.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::Stage;

/// Shows strips over frequency and against a signal, or the usual ones again.
const FORMS: &str = "
    const done = arguments[arguments.length - 1], back = arguments.length > 1;
    const path = '/api/supplies/' + location.pathname.split('/')[2];
    (async () => {
        const { document, revision } = await (await fetch(path)).json();
        const of = (...signals) => signals.map((signal) => ({ signal }));
        document.studies[0].strips = back
            ? [{ traces: of('V1.v') }, { traces: of('bus.v') }, { traces: of('D1.i', 'D2.i') }]
            : [{ traces: [{ signal: 'V1.v' }, { signal: 'D1.i', weight: 'bold' }] },
               { traces: of('bus.v'), shows: { spectrum: { taper: 'hann' } }, height: 1.3 },
               { traces: of('D1.i', 'D3.i'), shows: { against: { x: 'V1.v' } }, height: 1.3 }];
        const headers = { 'content-type': 'application/json' };
        done((await fetch(path, { method: 'PUT', headers, body: JSON.stringify({ document, revision }) })).status);
    })();
";

#[tokio::test(flavor = "multi_thread")]
#[ignore = "writes docs/screenshots"]
async fn pictures_of_every_view() -> Result<()> {
    let folder = xtask::paths::root().join("docs/screenshots");
    std::fs::create_dir_all(&folder)?;
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.shoot(&folder.join("desk-before-run.png")).await?;
    page.run().await?;
    page.shoot(&folder.join("desk.png")).await?;
    page.script("document.querySelector('[data-net=bus]').focus()").await?;
    page.find("[data-net=bus]").await?.send_keys("\u{E007}").await?;
    page.text("[data-testid='tap-bus.v']", |text| text.contains("mean")).await?;
    page.shoot(&folder.join("net.png")).await?;
    page.press("Close the card").await?;
    page.press("Save or copy the strips").await?;
    page.press("Measured traces from a file …").await?;
    let bench = xtask::paths::root().join("measured/tide-gauge-berth-2.csv");
    page.find("[aria-label='Measured file']").await?.send_keys(&bench.to_string_lossy()).await?;
    page.text("table[aria-label='Columns of the file']", |text| text.contains("CH1 bus")).await?;
    for (column, signal) in [("CH1 bus", "bus.v"), ("CH2 diode D1", "D1.i")] {
        let option = format!("//select[@aria-label='{column} was measured at']/option[.='{signal}']");
        page.click_on(Locator::XPath(&option)).await?;
    }
    page.shoot(&folder.join("measured.png")).await?;
    page.press("Leave it").await?;
    page.client.goto(&stage.address()).await?;
    page.find("main a").await?;
    page.shoot(&folder.join("library.png")).await?;
    // A composed supply: what it must do, and how a stage was sized.
    let composed = Locator::XPath("//main//a[.//h2[normalize-space()='Sensor rails']]");
    page.client.find(composed).await?.click().await?;
    page.find("[data-stage=reservoir]").await?;
    page.press("Run").await?;
    page.text("[data-testid=verdict-tally]", |text| text.contains("met")).await?;
    page.click("[data-stage=reservoir]").await?;
    page.text("[aria-label=Sizing]", |text| text.contains("I / (f")).await?;
    page.shoot(&folder.join("sizing.png")).await?;
    page.client.find(Locator::LinkText("Requirements")).await?.click().await?;
    page.find("[data-testid=output-sensor]").await?;
    page.shoot(&folder.join("requirements.png")).await?;
    page.client.find(Locator::LinkText("Materials")).await?.click().await?;
    page.find("[aria-label='Bill of materials'] td").await?;
    page.shoot(&folder.join("materials.png")).await?;
    page.client.goto(&stage.address()).await?;
    page.open_demo().await?;
    page.press("Settings of the study").await?;
    page.text("[aria-label='Settings of the study'][role=group]", |text| text.contains("suggests")).await?;
    page.shoot(&folder.join("study.png")).await?;
    page.find("[aria-label='Title of the study']").await?.send_keys("\u{E00C}").await?;
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "2200u").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 2")).await?;
    page.shoot(&folder.join("inspector.png")).await?;
    page.press("Swap").await?;
    page.find("[aria-label='Parts found'] button").await?;
    page.shoot(&folder.join("catalogue.png")).await?;
    page.press("Close the catalogue").await?;
    page.press("Close the inspector").await?;
    page.client.find(Locator::LinkText("History")).await?.click().await?;
    page.find("[data-testid=revision-2]").await?;
    page.shoot(&folder.join("history.png")).await?;
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.run().await?;
    page.client.find(Locator::LinkText("Compare")).await?.click().await?;
    page.text("[aria-label='Readings by run']", |text| text.contains("2200u")).await?;
    page.shoot(&folder.join("compare.png")).await?;
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.press("Trim").await?;
    let value = Locator::XPath("//select[@aria-label='Value to trim']/descendant::option[.='C1 capacitance']");
    page.client.find(value).await?.click().await?;
    page.press("C1 capacitance up").await?;
    page.text("[data-part=C1]", |text| text.contains("2.7")).await?;
    page.text("[data-testid=verdict-tally]", |text| !text.contains("before") && text.contains("met")).await?;
    page.press("Zoom to span").await?;
    page.shoot(&folder.join("trim.png")).await?;
    page.press("New strip").await?;
    page.find("[cmdk-item] svg path").await?;
    page.shoot(&folder.join("tray.png")).await?;
    page.find("[aria-label='Search signals']").await?.send_keys("\u{E00C}").await?;
    page.press("Harmonics").await?;
    page.text("[data-testid=harmonics-summary]", |text| text.contains("class A")).await?;
    page.shoot(&folder.join("harmonics.png")).await?;
    page.press("Requirements and readings").await?;
    // Strips in other forms, by what the document says of them.
    page.client.execute_async(FORMS, vec![]).await?;
    page.client.refresh().await?;
    page.find("[aria-label^='Plot of V1.v']").await?;
    page.press("Strips alone").await?;
    page.find("[aria-label='Spectrum of bus.v over the span']").await?;
    tokio::time::sleep(std::time::Duration::from_millis(800)).await;
    page.shoot(&folder.join("strips.png")).await?;
    page.press("Drawing beside strips").await?;
    page.client.execute_async(FORMS, vec![serde_json::json!("back")]).await?;
    page.client.refresh().await?;
    page.find("[aria-label='Plot of V1.v']").await?;
    page.press("Use the dark look").await?;
    page.shoot(&folder.join("desk-dark.png")).await?;
    page.press("Use the light look").await?;
    // A frequency study, with what is asked of a regulator's loop.
    page.client.find(Locator::Css("a[aria-label=Library]")).await?.click().await?;
    page.click_on(Locator::XPath("//main//a[contains(., 'Sensor rail regulator')]")).await?;
    page.run_plain().await?;
    page.text("[data-testid=span-loop]", |text| text.contains("dB")).await?;
    page.shoot(&folder.join("frequency.png")).await?;
    page.close().await
}
