//! A converter in the browser: its settled state straight away, its start, and the engine that is taken.

use anyhow::{Context, Result};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

async fn choose(page: &Page, label: &str, option: &str) -> Result<()> {
    let select = format!("//select[@aria-label='{label}' or ancestor::label[starts-with(., '{label}')]]");
    let path = format!("{select}/descendant::option[.='{option}' or @value='{option}']");
    page.click_on(Locator::XPath(&path)).await
}

async fn health(page: &Page, wanted: &str) -> Result<()> {
    page.press("Health").await?;
    page.text("[role=tabpanel][data-state=active]", |text| text.contains(wanted)).await?;
    page.press("Requirements and readings").await
}

/// Stores the lamp's drive, changed by a piece of script, and opens its desk.
async fn open(stage: &Stage, page: &Page, change: &str) -> Result<()> {
    let store = format!(
        "const [done] = arguments;
         const document = {};
         {change};
         const body = JSON.stringify({{ document }});
         fetch('/api/supplies', {{ method: 'POST', headers: {{ 'content-type': 'application/json' }}, body }})
             .then((answer) => answer.json()).then((supply) => done(supply.id));",
        include_str!("circuits/lamp-drive.json")
    );
    let id = page.client.execute_async(&store, vec![]).await?;
    let id = id.as_str().context("not stored")?;
    page.client.goto(&format!("{}/supplies/{id}/desk", stage.address())).await?;
    page.find("[data-part=U2]").await.map(|_| ())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_converter_is_looked_at_in_its_settled_state_and_at_its_start() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    open(&stage, &page, "").await?;
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

/// Half a second of a converter is there at once: of its periods, all alike but the first, one is kept; strips and the span ruler see
/// every one of them, from the whole run down to a single one.
#[tokio::test(flavor = "multi_thread")]
async fn a_long_run_is_there_at_once_and_seen_to_its_last_period() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let change = "document.studies = [{ id: 'on', kind: 'switch_on', title: 'On', duration: '0.5', strips: [['out.v'], ['L1.i']] }];
         document.readings = [{ id: 'peak', title: 'Peak', study: 'on', signal: 'L1.i', measure: 'max', window: 'whole_run' }];
         document.requirements = [{ id: 'peak', title: 'Peak', reading: 'peak', at_most: '100' }]";
    open(&stage, &page, change).await?;
    page.run().await?;
    health(&page, "in which nothing new happens").await?;
    page.find("[aria-label^=Plots][data-drawn]").await?;
    // Whatever stretch is looked at, the current's swing is the same once it has come up.
    let swing = "const [done] = arguments;
        const id = location.pathname.split('/')[2];
        const asked = async () => {
            const [run] = await (await fetch(`/api/supplies/${id}/runs`)).json();
            const measured = async ([from, to]) => {
                const body = JSON.stringify({ signals: ['L1.i'], from, to });
                const headers = { 'content-type': 'application/json' };
                const answer = await fetch(`/api/runs/${run.id}/measure`, { method: 'POST', headers, body });
                const [found] = await answer.json();
                return found.max - found.min;
            };
            return Promise.all([[0.1, 0.5], [0.2, 0.2001], [0.4999, 0.5]].map(measured));
        };
        asked().then(done);";
    let swings: Vec<f64> = serde_json::from_value(page.client.execute_async(swing, vec![]).await?)?;
    assert!(swings[0] > 0.01 && swings.iter().all(|swing| (swing / swings[0] - 1.0).abs() < 1e-3), "{swings:?}");
    page.close().await
}
