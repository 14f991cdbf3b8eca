//! Single parts in the drawing: typed, pulled together, copied, taken from the catalogue; and what became of
//! them in the history.

use anyhow::{Context, Result};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, MouseActions, PointerAction, WheelAction, WheelActions};
use mellow_e2e::{Page, Stage};
use std::io::Cursor;
use std::time::Duration;

const ESCAPE: &str = "\u{E00C}";

/// Where the middle of an element is on the screen.
async fn middle(page: &Page, css: &str) -> Result<(f64, f64)> {
    page.find(css).await?;
    let script = format!(
        "const b = document.querySelector(\"{css}\").getBoundingClientRect(); \
         return [Math.round(b.left + b.width / 2), Math.round(b.top + b.height / 2)]"
    );
    let at = page.script(&script).await?;
    Ok((at[0].as_f64().context("no place")?, at[1].as_f64().context("no place")?))
}

/// Presses the mouse at one place and lets it go at another.
async fn drag(page: &Page, from: (f64, f64), to: (f64, f64)) -> Result<()> {
    let step = |(x, y): (f64, f64)| PointerAction::MoveTo { duration: Some(Duration::from_millis(40)), x, y };
    let halfway = (0.5 * (from.0 + to.0), 0.5 * (from.1 + to.1));
    let mouse = MouseActions::new("mouse".into())
        .then(step(from))
        .then(PointerAction::Down { button: 0 })
        .then(step(halfway))
        .then(step(to))
        .then(PointerAction::Up { button: 0 });
    Ok(page.client.perform_actions(mouse).await?)
}

async fn saved(page: &Page, revision: u32) -> Result<()> {
    page.text("[data-testid=saved]", |text| text == format!("Saved, revision {revision}")).await.map(drop)
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_are_typed_joined_copied_and_swapped() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.press("From a template").await?;
    let item = "//*[@role='menuitem'][.//span[normalize-space()='Regulated mains supply']]";
    page.client.wait().for_element(Locator::XPath(item)).await?;
    page.click_on(Locator::XPath(item)).await?;
    page.find("[data-testid=output-out1]").await?;
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.find("[data-part=C1]").await?;

    // A resistor and an LED are typed; the line between them is pulled from pin to pin.
    page.press("Add line").await?;
    page.type_line("resistor 1k from out to lamp").await?;
    saved(&page, 2).await?;
    page.type_line("led").await?;
    saved(&page, 3).await?;
    page.find("[aria-label='Part to add']").await?.send_keys(ESCAPE).await?;
    let pin = |part: &str, pin: &str| format!("[data-part={part}] [data-pin={pin}]");
    drag(&page, middle(&page, &pin("D5", "a")).await?, middle(&page, &pin("R5", "b")).await?).await?;
    saved(&page, 4).await?;
    drag(&page, middle(&page, &pin("D5", "k")).await?, middle(&page, &pin("C1", "minus")).await?).await?;
    saved(&page, 5).await?;
    page.press("Checks").await?;
    page.text("[role=tabpanel]:not([hidden])", |text| text.contains("Nothing to complain of")).await?;

    // Joining input and output of the regulator would bypass it; that is said before it is done.
    drag(&page, middle(&page, &pin("U1", "in")).await?, middle(&page, &pin("U1", "out")).await?).await?;
    page.text("[role=alertdialog]", |text| text.contains("It shorts U1")).await?;
    page.press("Keep them apart").await?;
    saved(&page, 5).await?;

    // Both are chosen, copied, and the copies removed again.
    page.click("[data-part=R5] > g").await?;
    page.find("[data-part=D5]").await?.send_keys("\u{E008}\u{E007}\u{E000}").await?;
    page.text("[role=toolbar]", |text| text.contains("2 parts chosen")).await?;
    page.press("Duplicate the parts").await?;
    saved(&page, 6).await?;
    page.find("[data-part=D6][aria-pressed=true]").await?;
    page.press("Remove the parts").await?;
    saved(&page, 7).await?;

    // Another capacitor from the catalogue keeps the nets; its rating is then held against what it bears.
    page.click("[data-part=C1] > g").await?;
    page.press("Swap").await?;
    page.find("[aria-label='Search the catalogue']").await?.send_keys("2200 25 V").await?;
    let esr = page.find("[aria-label='ESR at most']").await?;
    esr.send_keys("1m").await?;
    page.text("[aria-label='Parts found']", |text| text.contains("Nothing in the catalogue fits")).await?;
    esr.send_keys("\u{E003}\u{E003}200m").await?;
    page.text("[aria-label='Parts found']", |text| text.contains("25\u{2009}V") && text.contains("60\u{2009}mΩ"))
        .await?;
    page.text("[aria-label='Parts found']", |text| text.matches("µF").count() == 1).await?;
    page.click("[aria-label='Parts found'] button").await?;
    saved(&page, 8).await?;
    page.text("[data-part=C1] text", |text| text.contains("2.2") && text.contains("mF")).await?;
    page.enter("Voltage", "10").await?;
    saved(&page, 9).await?;
    page.press("Close the inspector").await?;
    page.press("Checks (1)").await?;
    page.text("[role=tabpanel]:not([hidden])", |text| text.contains("Voltage of C1 is") && text.contains("rated 10"))
        .await?;

    // The history says all of it and gives back what was; the bill of materials lists what is.
    page.client.find(Locator::LinkText("Materials")).await?.click().await?;
    page.text("[aria-label='Bill of materials']", |text| text.contains("D1, D2, D3, D4")).await?;
    page.client.find(Locator::LinkText("History")).await?.click().await?;
    page.text("[data-testid=revision-9]", |text| text.contains("C1 rated voltage 25 → 10")).await?;
    page.text("[data-testid=revision-2]", |text| text.contains("R5 added")).await?;
    page.click_on(Locator::XPath("//tr[@data-testid='revision-1']//button")).await?;
    saved(&page, 10).await?;
    page.text("[data-testid=revision-10]", |text| text.contains("R5, D5 removed")).await?;

    // The supply only so far is studied at once.
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.click("[data-stage=reservoir]").await?;
    page.press("Study so far").await?;
    saved(&page, 11).await?;
    page.text("[aria-label=Study] option:checked", |text| text == "So far: reservoir capacitor").await?;
    page.press("Settings of the study").await?;
    page.text("[aria-label='Settings of the study'][role=group]", |text| text.contains("Cut behind reservoir")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn documents_that_cannot_be_read_say_why() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let folder = tempfile::tempdir()?;
    let import = async |name: &str, text: &str| -> Result<()> {
        let path = folder.path().join(name);
        std::fs::write(&path, text)?;
        page.find("[aria-label='Document to import']").await?.send_keys(&path.display().to_string()).await?;
        Ok(())
    };
    let told = |wanted: &'static str| page.text("main [role=alert]", move |text| text.contains(wanted));
    import("cut.json", "{ \"mellow_coil\": 1, \"title\": ").await?;
    told("cut.json is not a readable JSON document").await?;
    import("newer.json", "{ \"mellow_coil\": 9, \"title\": \"T\" }").await?;
    told("the document has format version 9").await?;
    import("odd.json", "{ \"mellow_coil\": 1, \"title\": \"T\", \"parts\": [{ \"id\": \"R1\" }] }").await?;
    told("parts[0]").await?;
    // A sound one opens.
    import("demo.json", include_str!("../../demo/tide-gauge-mains-supply.json")).await?;
    page.find("[data-part=C1]").await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_limit_is_added_and_a_stage_bypassed() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.client.find(Locator::LinkText("Requirements")).await?.click().await?;
    page.press("Add limit").await?;
    page.find("[aria-label=Signal]").await?.send_keys("R1.i").await?;
    page.find("[aria-label=Limit]").await?.send_keys("400m").await?;
    page.press("Add").await?;
    saved(&page, 2).await?;
    page.text("[data-testid=limit-highest_of_r1_i]", |text| text.contains("Highest of R1.i")).await?;
    page.run().await?;
    page.text("[data-testid=requirement-highest_of_r1_i]", |text| text.contains("met")).await?;

    // Without the load nothing is drawn, and what was read of it waits.
    page.client.find(Locator::LinkText("Desk")).await?.click().await?;
    page.click("[data-stage=load]").await?;
    page.press("Bypass").await?;
    page.text("[data-stage=load]", |text| text.contains("bypassed")).await?;
    page.run().await?;
    page.press("Requirements and readings").await?;
    page.text("[data-testid=requirement-highest_of_r1_i]", |text| text.contains("not yet tried")).await?;
    // The study's settings say what the circuit suggests, and why.
    page.press("Settings of the study").await?;
    page.text("[aria-label='Settings of the study'][role=group]", |text| text.contains("The circuit suggests")).await?;
    page.close().await
}

/// The group in which a part's symbol stands, as it is drawn.
async fn place_of(page: &Page, part: &str) -> Result<String> {
    let script = format!("return document.querySelector('[data-part={part}] > g').getAttribute('transform')");
    Ok(page.script(&script).await?.as_str().context("no place")?.to_owned())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawing_is_looked_at_arranged_noted_and_saved() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;

    // Dropped onto another, a part is moved aside.
    let overlap = "const box = part => document.querySelector(`[data-part=${part}] .focus-mark`).getBoundingClientRect(); \
                   const [a, b] = [box('C1'), box('R1')]; \
                   return a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom";
    drag(&page, middle(&page, "[data-part=R1] .focus-mark").await?, middle(&page, "[data-part=C1] .focus-mark").await?)
        .await?;
    saved(&page, 2).await?;
    assert_eq!(page.script(overlap).await?, false);
    page.press("Undo").await?;
    saved(&page, 3).await?;

    // Zoomed about the pointer, what is under it stays there; panned, it goes along.
    let part = "[data-part=C1] .focus-mark";
    let before = middle(&page, part).await?;
    let size = "return document.querySelector('[data-part=C1] .focus-mark').getBoundingClientRect().width";
    let width = page.script(size).await?.as_f64().context("no width")?;
    let wheel = WheelActions::new("wheel".into()).then(WheelAction::Scroll {
        duration: None,
        x: before.0 as i64,
        y: before.1 as i64,
        delta_x: 0,
        delta_y: -300,
    });
    page.client.perform_actions(wheel).await?;
    let near = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).hypot(a.1 - b.1) < 3.0;
    let zoomed = middle(&page, part).await?;
    assert!(near(zoomed, before), "{before:?} went to {zoomed:?}");
    let ground = (before.0 + 60.0, before.1 + 60.0);
    drag(&page, ground, (ground.0 + 40.0, ground.1 - 30.0)).await?;
    // Laid out anew once it has settled, all stands where it was shifted to.
    page.steady("return document.querySelector('[data-part=C1]').getBoundingClientRect().x").await?;
    let panned = middle(&page, part).await?;
    assert!(near(panned, (before.0 + 40.0, before.1 - 30.0)), "{before:?} went to {panned:?}");
    assert!(page.script(size).await?.as_f64().context("no width")? > 1.4 * width);
    page.press("Show all of it").await?;
    assert!(near(middle(&page, part).await?, before));

    // Two parts are lined up.
    page.click("[data-part=C1] > g").await?;
    page.find("[data-part=D1]").await?.send_keys("\u{E008}\u{E007}\u{E000}").await?;
    page.text("[role=toolbar]", |text| text.contains("2 parts chosen")).await?;
    page.press("Align in a row").await?;
    saved(&page, 4).await?;
    let row = |place: &str| place.split([' ', ')']).nth(1).map(str::to_owned);
    assert_eq!(row(&place_of(&page, "C1").await?), row(&place_of(&page, "D1").await?));

    // A note is put down and written: it opens for that.
    page.press("Add note").await?;
    saved(&page, 5).await?;
    page.find("[data-note='0']").await?;
    let text = "\u{E009}a\u{E000}Keep it away from the lamp";
    page.find("textarea[aria-label='Text of the note']:focus").await?.send_keys(text).await?;
    page.press("Done").await?;
    saved(&page, 6).await?;
    page.text("[data-note='0']", |text| text == "Keep it away from the lamp").await?;

    // Drawing and document are saved as files.
    let item = async |name: &str| -> Result<()> {
        page.press("Save the drawing").await?;
        let path = format!("//*[@role='menuitem'][normalize-space()='{name}']");
        page.click_on(Locator::XPath(&path)).await
    };
    item("As SVG").await?;
    let svg = String::from_utf8(page.saved_file(".svg").await?)?;
    assert!(svg.starts_with("<svg") && svg.contains(">C1<") && svg.contains("Keep it away from the lamp"));
    item("As PNG").await?;
    let mut picture = png::Decoder::new(Cursor::new(page.saved_file(".png").await?)).read_info()?;
    let mut pixels = vec![0; picture.output_buffer_size().context("a picture too large")?];
    picture.next_frame(&mut pixels)?;
    let dark = pixels.chunks(4).filter(|pixel| pixel[..3].iter().all(|c| *c < 96) && pixel[3] == 255).count();
    let paper = pixels.chunks(4).filter(|pixel| **pixel == [255; 4]).count();
    let all = pixels.len() / 4;
    assert!(dark > all / 500 && paper > all / 2, "{dark} dark and {paper} white of {all}");
    page.press("Export the document").await?;
    let document: serde_json::Value = serde_json::from_slice(&page.saved_file(".json").await?)?;
    assert_eq!(document["texts"][0]["text"], "Keep it away from the lamp");
    assert!(document["parts"].as_array().is_some_and(|parts| parts.iter().any(|p| p["id"] == "C1")));

    // The study is made longer than the circuit suggests.
    page.press("Settings of the study").await?;
    page.enter("Duration", "450m").await?;
    saved(&page, 7).await?;
    page.text("[aria-label='Settings of the study'][role=group]", |text| text.contains("The circuit suggests")).await?;
    page.client.find(Locator::LinkText("History")).await?.click().await?;
    page.text("[data-testid=revision-7]", |text| text.contains("450m")).await?;
    page.text("[data-testid=revision-4]", |text| text.contains("D1, C1 moved in the drawing")).await?;
    page.close().await
}

/// Height of the smallest text of the drawing, px; letters shown; texts cut off by its frame.
async fn texts(page: &Page) -> Result<(f64, u64, u64)> {
    let script = "
        const frame = document.querySelector('[data-testid=drawing] .overflow-clip').getBoundingClientRect();
        const texts = [...document.querySelectorAll('[data-testid=drawing] svg[role=group] text')];
        const heights = texts.map((t) => parseFloat(getComputedStyle(t).fontSize) * t.getScreenCTM().a);
        const cut = texts.map((t) => t.getBoundingClientRect()).filter((b) =>
            b.left < frame.left || b.top < frame.top || b.right > frame.right || b.bottom > frame.bottom);
        const letters = texts.map((t) => t.textContent.length).reduce((a, b) => a + b, 0);
        return [Math.min(...heights), letters, cut.length];";
    let found = page.script(script).await?;
    Ok((
        found[0].as_f64().context("no height")?,
        found[1].as_u64().context("no count")?,
        found[2].as_u64().context("no count")?,
    ))
}

/// Waits until the texts are as they should be.
async fn readable(page: &Page, wanted: impl Fn(f64, u64, u64) -> bool) -> Result<(f64, u64, u64)> {
    let deadline = std::time::Instant::now() + Duration::from_secs(10);
    loop {
        let found @ (height, letters, cut) = texts(page).await?;
        if wanted(height, letters, cut) {
            return Ok(found);
        }
        anyhow::ensure!(std::time::Instant::now() < deadline, "{height} px, {letters} letters, {cut} texts cut off");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn texts_of_a_drawing_are_readable_however_small_it_stands() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let sensor = "//main//a[contains(., 'Sensor rails')]";
    page.click_on(Locator::XPath(sensor)).await?;
    page.find("[data-part=R8]").await?;
    let (_, some, _) = readable(&page, |height, letters, cut| height >= 8.0 && letters > 100 && cut == 0).await?;
    // The whole window for the drawing, and closer: texts grow with it again, and none is left out.
    page.press("Drawing alone").await?;
    page.client.find(Locator::Css("svg[role=group]")).await?.send_keys("++").await?;
    let (_, all, _) = readable(&page, |height, all, _| height > 8.5 && all > some).await?;
    // Farther away they keep their height, though fewer have room.
    page.client.find(Locator::Css("svg[role=group]")).await?.send_keys("--").await?;
    readable(&page, |height, fewer, _| (8.0..14.0).contains(&height) && fewer < all).await?;
    page.close().await
}
