//! A synchronous buck built of single parts, and every answer there is about it.

use anyhow::{Result, ensure};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

const LINES: [(&str, &str); 13] = [
    ("V1", "dc source 12 from in to gnd"),
    ("S1", "controlled switch on in x ho x on_resistance=15m"),
    ("S2", "controlled switch on x gnd lo gnd on_resistance=15m"),
    ("D1", "schottky from gnd to x typical_current=3"),
    ("L1", "inductor 10u from x to out resistance=10m"),
    ("C1", "capacitor 100u from out to gnd esr=10m"),
    ("I1", "current load 3 from out to gnd"),
    ("R1", "R 10k from out to fb"),
    ("R2", "R 30k from fb to gnd"),
    ("V2", "dc source 2.5 from ref to gnd"),
    (
        "U1",
        "type 3 compensator out c ref ref fb fb com gnd unity_frequency=2k zero_1=4k zero_2=4k pole_1=60k pole_2=150k high=1",
    ),
    ("U2", "pulse-width modulator out pwm c c com gnd frequency=300k"),
    ("U3", "half-bridge driver ho ho hs x lo lo com gnd in pwm"),
];

async fn new_study(page: &Page, kind: &str) -> Result<()> {
    page.press("New study").await?;
    page.click_on(Locator::XPath(&format!("//*[@role='menuitem'][starts-with(., '{kind}')]"))).await?;
    page.text("select[aria-label=Study] option:checked", |text| text.starts_with(kind)).await.map(|_| ())
}

async fn tab(page: &Page, name: &str) -> Result<()> {
    page.click_on(Locator::XPath(&format!("//button[@role='tab'][starts-with(.,'{name}')]"))).await
}

/// Settled with its duty and conduction, loop gain with tones over it, both impedances, a load step, a second opinion.
#[tokio::test(flavor = "multi_thread")]
async fn a_synchronous_buck_of_single_parts_answers_everything() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("New supply").await?;
    page.click_on(Locator::LinkText("Desk")).await?;
    page.find("[data-testid=drawing]").await?.click().await?;
    page.client.active_element().await?.send_keys("/").await?;
    for (part, line) in LINES {
        page.type_line(line).await?;
        page.find(&format!("[data-part={part}]")).await?;
    }
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    new_study(&page, "Settled").await?;
    page.run_plain().await?;
    page.picture("buck-settled.png").await?;
    tab(&page, "Health").await?;
    // 3.33 V of 12 V and what the switches and the coil take.
    let facts = page.text("[role=tabpanel][data-state=active]", |text| text.contains("Duty of U2")).await?;
    ensure!(facts.contains("Conduction of L1") && facts.contains("continuous"), "{facts}");
    ensure!(facts.contains("Duty of U2\n30\u{2009}%") || facts.contains("Duty of U2\n29."), "{facts}");
    page.press("Settings of the study").await?;
    new_study(&page, "Frequency").await?;
    page.enter("From", "1k").await?;
    page.press("Measure loop with tones").await?;
    page.picture("buck-questions.png").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    page.text("[data-testid=span-loop]", |text| text.contains("dB")).await?;
    for curve in ["zout", "zin"] {
        page.text(&format!("[data-testid=span-{curve}]"), |text| text.contains('Ω')).await?;
    }
    page.picture("buck-frequency.png").await?;
    page.press("Settings of the study").await?;
    new_study(&page, "Load step").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    tab(&page, "Requirements and readings").await?;
    page.text("[aria-label='Readings'] tbody, [data-testid^=reading-]", |text| text.contains('V')).await?;
    page.picture("buck-step.png").await?;
    // From rest the other engine starts up the same.
    page.press("Settings of the study").await?;
    new_study(&page, "Switch-on").await?;
    page.client.active_element().await?.send_keys("\u{E00C}").await?;
    page.run_plain().await?;
    tab(&page, "Health").await?;
    page.press("Second opinion").await?;
    page.text("[aria-label='Second opinion']", |text| text.contains("at device level")).await?;
    let opinion = page.text("[aria-label='Where traces part'] tbody", |text| text.contains("out.v")).await?;
    ensure!(opinion.contains('%'), "{opinion}");
    page.picture("buck-opinion.png").await?;
    page.close().await
}
