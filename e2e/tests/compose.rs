//! A supply composed from nothing, as an engineer does it: by mouse alone, and by keyboard alone.

use anyhow::{Context, Result};
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};
use std::time::Duration;

/// More actions than this are too many for a regulated mains supply with a second regulator.
const MOST_ACTIONS: u32 = 25;
const ENTER: &str = "\u{E007}";
const TAB: &str = "\u{E004}";
const DOWN: &str = "\u{E015}";
const RIGHT: &str = "\u{E014}";

/// A user who counts what they do.
struct User<'a> {
    page: &'a Page,
    actions: u32,
}

impl User<'_> {
    async fn press(&mut self, button: &str) -> Result<()> {
        self.actions += 1;
        self.page.press(button).await
    }

    async fn enter(&mut self, label: &str, text: &str) -> Result<()> {
        self.actions += 1;
        let before = self.revision().await?;
        self.page.enter(label, text).await?;
        self.saved_after(before).await
    }

    async fn revision(&self) -> Result<u32> {
        let text = self.page.text("[data-testid=saved]", |t| t.contains("revision")).await?;
        text.rsplit(' ').next().and_then(|n| n.parse().ok()).context("no revision")
    }

    async fn saved_after(&self, revision: u32) -> Result<()> {
        let newer = |t: &str| t.rsplit(' ').next().and_then(|n| n.parse().ok()).is_some_and(|n: u32| n > revision);
        self.page.text("[data-testid=saved]", newer).await.map(drop)
    }

    /// Opens a joint's menu and takes a form.
    async fn add(&mut self, opener: &str, form: &str) -> Result<()> {
        let before = self.revision().await?;
        self.press(opener).await?;
        self.item(&format!("[.//span[normalize-space()='{form}']]")).await?;
        self.saved_after(before).await
    }

    async fn item(&mut self, condition: &str) -> Result<()> {
        self.actions += 1;
        let path = format!("//*[@role='menuitem']{condition}");
        let wait = self.page.client.wait().at_most(Duration::from_secs(10));
        let item = wait.for_element(Locator::XPath(&path)).await.with_context(|| format!("no entry {condition}"))?;
        // A menu is in the page a moment before it stands in its place.
        tokio::time::sleep(Duration::from_millis(300)).await;
        Ok(item.click().await?)
    }
}

async fn all_judged(page: &Page) -> Result<()> {
    page.run().await?;
    page.press("Requirements and readings").await?;
    page.text("[data-testid=requirement-out1_mean]", |text| text.contains("met") || text.contains("close")).await?;
    page.text("[data-testid=requirement-out1_ripple]", |text| text.contains("met") || text.contains("close")).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_regulated_mains_supply_by_mouse() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let mut user = User { page: &page, actions: 0 };
    user.press("New supply").await?;
    user.press("Add output").await?;
    page.find("[data-testid=output-out1]").await?;
    user.enter("Voltage", "9").await?;
    user.enter("Current", "250m").await?;
    user.add("Add a source", "Single-phase mains").await?;
    user.add("Add a stage after Single-phase mains", "Transformer").await?;
    user.add("Add a stage after Transformer", "Bridge rectifier").await?;
    user.add("Add a stage after Bridge rectifier", "Reservoir capacitor").await?;
    user.add("Add a stage after Reservoir capacitor", "Fixed three-terminal regulator").await?;
    user.add("Add a stage after Fixed three-terminal regulator", "Resistive load").await?;
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    // The stage just added is open, with its formula, its numbers and what was taken.
    page.text("[aria-label=Sizing]", |text| text.contains("V / I") && text.contains("36\u{2009}Ω")).await?;
    all_judged(&page).await?;

    // A second regulator hangs on the same bus, and the first goes on as before.
    user.add("Add a stage after Reservoir capacitor", "Low-dropout regulator, p-channel").await?;
    page.text("nav[aria-label='Power path']", |text| text.contains("Low-dropout")).await?;
    assert!(user.actions + 2 <= MOST_ACTIONS, "{} actions", user.actions + 2);
    all_judged(&page).await?;

    // Undo says what it takes back, and takes it back.
    let undo = page.find("[aria-label=Undo]").await?;
    assert_eq!(undo.attr("title").await?.as_deref(), Some("Undo: add low-dropout regulator, p-channel (Ctrl Z)"));
    undo.click().await?;
    page.text("nav[aria-label='Power path']", |text| !text.contains("Low-dropout")).await?;

    // A value set by hand is kept when its stage is sized again.
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "4700u").await?;
    page.press("Close the inspector").await?;
    page.click("[data-stage=reservoir]").await?;
    page.text("[aria-label=Choices]", |text| text.contains("Set by hand, and kept: C1 capacitance")).await?;
    page.press("Size everything").await?;
    page.text("[data-part=C1] text", |text| !text.contains("4.7")).await?;

    // The drawing shows all of itself again once no stage is chosen.
    page.click("[data-stage=reservoir]").await?;
    // Parts are moved, turned and joined in the drawing; what comes loose is said at once.
    let place = || page.script("return document.querySelector('[data-part=R3] > g').getAttribute('transform')");
    let before = place().await?;
    page.find("[data-part=R3]").await?.send_keys("\u{E014}\u{E014}").await?;
    page.text("[data-testid=saved]", |text| text.contains("Saved")).await?;
    page.find("[data-part=R3]").await?.send_keys("t").await?;
    page.client.wait().for_element(Locator::Css("[data-part=R3] > g[transform*='rotate(90)']")).await?;
    assert_ne!(place().await?, before);
    page.click("[data-part=R3] > g").await?;
    let pin = page.find("aside[aria-label='Inspector of R3'] input[list=nets]").await?;
    pin.click().await?;
    pin.send_keys(&format!("\u{E009}a\u{E000}loose{ENTER}")).await?;
    page.press("Close the inspector").await?;
    page.press("Checks (1)").await?;
    page.text("[role=tabpanel]:not([hidden])", |text| text.contains("Pin a of R3 is the only one on net loose"))
        .await?;
    page.press("Undo").await?;
    page.press("Checks").await?;
    page.text("[role=tabpanel]:not([hidden])", |text| text.contains("Nothing to complain of")).await?;
    page.close().await
}

/// Sends keys to whatever has the focus.
async fn keys(page: &Page, keys: &str) -> Result<()> {
    page.client.active_element().await?.send_keys(keys).await?;
    tokio::time::sleep(Duration::from_millis(60)).await;
    Ok(())
}

/// Moves the focus by Tab until it is on the control with this name.
async fn tab_to(page: &Page, name: &str) -> Result<()> {
    for _ in 0..80 {
        let at = page
            .script(
                "const a = document.activeElement; \
                 return a.getAttribute('aria-label') ?? a.labels?.[0]?.textContent ?? a.textContent ?? ''",
            )
            .await?;
        if at.as_str().is_some_and(|text| text.trim() == name) {
            return Ok(());
        }
        page.client.active_element().await?.send_keys(TAB).await?;
    }
    anyhow::bail!("{name} is not reached by Tab")
}

/// Moves the focus from pane to pane by F6 until it is inside one.
async fn pane_to(page: &Page, css: &str) -> Result<()> {
    for _ in 0..12 {
        keys(page, "\u{E036}").await?;
        if page.script(&format!("return document.activeElement.closest(\"{css}\") !== null")).await? == true {
            return Ok(());
        }
    }
    anyhow::bail!("no pane {css} is reached")
}

/// Moves the focus by Tab until it is on a part of the drawing.
async fn tab_to_part(page: &Page, part: &str) -> Result<()> {
    for _ in 0..80 {
        let at = page.script("return document.activeElement.dataset.part ?? ''").await?;
        if at == part {
            return Ok(());
        }
        page.client.active_element().await?.send_keys(TAB).await?;
    }
    anyhow::bail!("{part} is not reached by Tab")
}

/// Steps down an open menu to an entry.
async fn step_to(page: &Page, entry: &str) -> Result<()> {
    for _ in 0..40 {
        let at = page.client.active_element().await?.text().await?;
        if at.lines().next() == Some(entry) {
            return Ok(());
        }
        keys(page, DOWN).await?;
    }
    anyhow::bail!("the menu has no {entry}")
}

/// Opens the menu of a joint and takes a form.
async fn add_by_keys(user: &User<'_>, after: &str, form: &str) -> Result<()> {
    let before = user.revision().await?;
    tab_to(user.page, after).await?;
    keys(user.page, ENTER).await?;
    user.page.find("[role=menu]").await?;
    step_to(user.page, form).await?;
    keys(user.page, ENTER).await?;
    user.saved_after(before).await?;
    // The page begins anew for the next search.
    user.page.script("document.activeElement.blur()").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_regulated_mains_supply_by_keyboard() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let user = User { page: &page, actions: 0 };
    page.find("main").await?;
    tab_to(&page, "New supply").await?;
    keys(&page, ENTER).await?;
    tab_to(&page, "Add output").await?;
    keys(&page, ENTER).await?;
    page.find("[data-testid=output-out1]").await?;
    for (label, text) in [("Voltage", "9"), ("Current", "250m")] {
        let before = user.revision().await?;
        tab_to(&page, label).await?;
        keys(&page, "\u{E009}a\u{E000}").await?;
        keys(&page, text).await?;
        tokio::time::sleep(Duration::from_millis(300)).await;
        keys(&page, ENTER).await?;
        user.saved_after(before).await?;
    }
    add_by_keys(&user, "Add a source", "Single-phase mains").await?;
    for (after, form) in [
        ("Single-phase mains", "Transformer"),
        ("Transformer", "Bridge rectifier"),
        ("Bridge rectifier", "Reservoir capacitor"),
        ("Reservoir capacitor", "Fixed three-terminal regulator"),
        ("Fixed three-terminal regulator", "Resistive load"),
    ] {
        add_by_keys(&user, &format!("Add a stage after {after}"), form).await?;
    }
    tab_to(&page, "Desk").await?;
    keys(&page, ENTER).await?;
    page.find("[data-part=R3]").await?;
    tab_to(&page, "Run").await?;
    keys(&page, ENTER).await?;
    page.text("[data-testid=verdict-tally]", |text| text.contains("met")).await?;

    // A second regulator on the same bus.
    let before = user.revision().await?;
    tab_to(&page, "Add a stage after Reservoir capacitor").await?;
    keys(&page, ENTER).await?;
    page.find("[role=menu]").await?;
    step_to(&page, "Adjustable three-terminal regulator").await?;
    keys(&page, ENTER).await?;
    user.saved_after(before).await?;
    page.text("nav[aria-label='Power path']", |text| text.contains("Adjustable")).await?;

    // The reservoir is trimmed a step at a time, and run each time.
    pane_to(&page, "[aria-label=Dock]").await?;
    // From the first tab, whichever was open.
    keys(&page, "\u{E011}").await?;
    keys(&page, RIGHT).await?;
    tab_to(&page, "Value to trim").await?;
    keys(&page, "C1 cap").await?;
    let drag = "Drag C1 capacitance";
    page.find(&format!("[aria-label='{drag}']")).await?;
    tab_to(&page, drag).await?;
    let before = user.revision().await?;
    keys(&page, &RIGHT.repeat(2)).await?;
    keys(&page, ENTER).await?;
    user.saved_after(before).await?;
    page.text("[data-testid=verdict-tally]", |text| text.contains("met") && !text.contains("before")).await?;
    page.close().await
}

/// A circuit of single parts is typed, given a study, run with what still stands in a field, and read, without a pointer.
#[tokio::test(flavor = "multi_thread")]
async fn a_circuit_of_single_parts_by_keyboard() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.find("main").await?;
    for name in ["New supply", "Desk"] {
        tab_to(&page, name).await?;
        keys(&page, ENTER).await?;
    }
    page.find("[data-testid=drawing]").await?;
    keys(&page, "/").await?;
    for line in ["pulse source from in to gnd", "R 1k from in to out", "C 100n from out to gnd"] {
        page.type_line(line).await?;
    }
    page.find("[data-part=C1]").await?;
    keys(&page, "\u{E00C}").await?;
    tab_to(&page, "New study").await?;
    keys(&page, ENTER).await?;
    // What fits best stands first.
    page.find("[role=menuitem]").await?;
    keys(&page, ENTER).await?;
    page.find("select[aria-label=Study]").await?;
    // Its focus would stay with the button that is gone.
    page.find("[data-part=R1]").await?;
    tab_to_part(&page, "R1").await?;
    keys(&page, ENTER).await?;
    page.find("[aria-label='Inspector of R1']").await?;
    tab_to(&page, "Resistance").await?;
    keys(&page, "\u{E009}a\u{E000}").await?;
    keys(&page, "2k2").await?;
    keys(&page, "\u{E009}\u{E007}\u{E000}").await?;
    page.find("[aria-label^=Plots][data-drawn]").await?;
    page.text("[data-testid=saved]", |text| text.starts_with("Saved")).await?;
    let focused = page.script("return document.activeElement.value").await?;
    assert_eq!(focused, "2k2", "the focus stays in the field");
    pane_to(&page, "[aria-label=Strips]").await?;
    tab_to(&page, "Span here").await?;
    keys(&page, ENTER).await?;
    tab_to(&page, "Span start A").await?;
    keys(&page, RIGHT).await?;
    page.text("[data-testid='span-out.v']", |text| text.contains('V')).await?;
    page.close().await
}
