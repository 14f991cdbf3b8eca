//! Strips in every form: over frequency, against a signal, in figures; their scales, looks and heights; searching them.

use anyhow::Result;
use fantoccini::Locator;
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use mellow_e2e::{Page, Stage};

/// Chooses an option of a select by its text or value.
async fn choose(page: &Page, label: &str, option: &str) -> Result<()> {
    let path = format!("//select[@aria-label='{label}']/descendant::option[.='{option}' or @value='{option}']");
    page.click_on(Locator::XPath(&path)).await
}

/// Opens a control of the n-th strip, which is shown while the pointer is there.
async fn press_at(page: &Page, label: &str, nth: usize) -> Result<()> {
    let clicked = format!("document.querySelectorAll('[aria-label=\"{label}\"]')[{nth}]");
    page.script(&format!("const b = {clicked}; b.scrollIntoView(); b.focus(); b.click()")).await?;
    Ok(())
}

/// How many dots of all plots are drawn on.
const INK: &str = "return [...document.querySelectorAll('[aria-label=Strips] canvas')].reduce((sum, c) => sum + \
                   c.getContext('2d').getImageData(0, 0, c.width, c.height).data.reduce((n, v, i) => i % 4 === 3 && v > 0 ? n + 1 : n, 0), 0)";

async fn escape(page: &Page) -> Result<()> {
    Ok(page.client.active_element().await?.send_keys("\u{E00C}").await?)
}

/// How many dots of the n-th plot are drawn on.
async fn ink(page: &Page, nth: usize) -> Result<u64> {
    let count = format!(
        "const c = document.querySelectorAll('[aria-label=Strips] canvas')[{nth}]; const d = c.getContext('2d')\
         .getImageData(0, 0, c.width, c.height).data; let n = 0; for (let i = 3; i < d.length; i += 4) if (d[i] > 0) n += 1; \
         return n"
    );
    Ok(page.steady(&count).await?.as_u64().unwrap_or_default())
}

/// The texts in the strips, as they stand in the file a user saves.
async fn words(page: &Page) -> Result<Vec<String>> {
    page.steady(INK).await?;
    page.press("Save or copy the strips").await?;
    let item = "//*[@role='menuitem'][starts-with(.,'Save as a drawing')]";
    page.click_on(Locator::XPath(item)).await?;
    let drawing = String::from_utf8(page.saved_file(".svg").await?)?;
    let texts = drawing.split("<text ").skip(1);
    Ok(texts.filter_map(|t| Some(t.split_once('>')?.1.split_once('<')?.0.replace('\u{2009}', " "))).collect())
}

/// Shows a voltage and a current over frequency in one strip, and the bus against the mains in another.
const MIXED: &str = "
    const done = arguments[arguments.length - 1], path = '/api/supplies/' + location.pathname.split('/')[2];
    (async () => {
        const { document, revision } = await (await fetch(path)).json();
        document.studies[0].strips = [
            { traces: [{ signal: 'bus.v' }, { signal: 'D1.i' }], shows: { spectrum: {} } },
            { traces: [{ signal: 'bus.v' }], shows: { against: { x: 'V1.v' } } }];
        const headers = { 'content-type': 'application/json' };
        done((await fetch(path, { method: 'PUT', headers, body: JSON.stringify({ document, revision }) })).status);
    })();
";

#[tokio::test(flavor = "multi_thread")]
async fn a_strip_is_shown_over_frequency_against_a_signal_and_in_figures() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.text("[data-testid='span-bus.v']", |text| text.contains('V')).await?;
    press_at(&page, "Looks of this strip", 1).await?;
    choose(&page, "How the strip is shown", "over frequency, within the span").await?;
    page.find("canvas[aria-label='Spectrum of bus.v over the span']").await?;
    choose(&page, "Window of the spectrum", "none").await?;
    page.picture("spectrum-looks.png").await?;
    escape(&page).await?;
    // A full-wave bridge ripples at 100 Hz and whole multiples; the picture says so in words, also in the file.
    let drawn = words(&page).await?;
    let has = |drawn: &[String], text: &str| drawn.iter().any(|t| t == text);
    assert!(has(&drawn, "100 Hz, 2nd") && has(&drawn, "200 Hz, 4th") && has(&drawn, "RMS per line"), "{drawn:?}");
    assert!(has(&drawn, "mean 14.6 V"), "{drawn:?}");
    page.picture("spectrum.png").await?;
    press_at(&page, "Looks of this strip", 1).await?;
    choose(&page, "How the strip is shown", "against another signal, within the span").await?;
    let across = page.find("[aria-label='Signal along the horizontal axis']").await?;
    across.send_keys("\u{E009}a\u{E000}V1.v\u{E007}").await?;
    page.find("canvas[aria-label='bus.v against V1.v over the span']").await?;
    escape(&page).await?;
    page.picture("against.png").await?;
    assert!(has(&words(&page).await?, "against V1.v"));
    press_at(&page, "Looks of this strip", 1).await?;
    choose(&page, "How the strip is shown", "in figures").await?;
    escape(&page).await?;
    let table = page.text("table[aria-label='bus.v in figures']", |text| text.contains("evenly spaced")).await?;
    assert!(table.contains("500\u{2009}ms"), "{table}");
    page.picture("figures.png").await?;
    // Deep enough there is every instant, and nothing between.
    page.script("document.querySelector('[aria-label^=\"Plots; \"]').focus()").await?;
    for _ in 0..16 {
        page.client.active_element().await?.send_keys("+").await?;
    }
    page.text("table[aria-label='bus.v in figures']", |text| text.contains("Every instant")).await?;
    // One scale has one unit: what is in another is left out, and said to be.
    assert_eq!(page.client.execute_async(MIXED, vec![]).await?, 200);
    page.client.refresh().await?;
    page.text("[aria-label=Strips] [role=alert]", |text| text.contains("D1.i is in A, not in V")).await?;
    page.press("Whole run").await?;
    // What nothing can be said of says why.
    press_at(&page, "Looks of this strip", 1).await?;
    let across = page.find("[aria-label='Signal along the horizontal axis']").await?;
    across.send_keys("\u{E009}a\u{E000}nowhere.v\u{E007}").await?;
    let second = "[aria-label^='Plots; '] > div:nth-child(2) [role=alert]";
    page.text(second, |text| text.contains("no net or part named nowhere")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn scales_looks_heights_and_crossings_are_set_and_stay() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.text("[data-testid='span-bus.v']", |text| text.contains('V')).await?;
    let usual = ink(&page, 1).await?;
    press_at(&page, "Looks of this strip", 1).await?;
    choose(&page, "Weight of bus.v", "bold").await?;
    let bold = ink(&page, 1).await?;
    assert!(bold > usual + 200, "{usual} {bold}");
    page.click("[aria-label='Logarithmic left scale']").await?;
    page.picture("looks.png").await?;
    escape(&page).await?;
    let has = |drawn: &[String], text: &str| drawn.iter().any(|t| t == text);
    let drawn = words(&page).await?;
    assert!(has(&drawn, "1 V") && has(&drawn, "100 V"), "decades at the scale: {drawn:?}");
    // A range of its own, entered as engineers write it; the other scale stays as it is.
    press_at(&page, "Looks of this strip", 1).await?;
    page.click("[aria-label='Logarithmic left scale']").await?;
    page.enter("From", "12").await?;
    page.enter("To", "0.018k").await?;
    escape(&page).await?;
    let drawn = words(&page).await?;
    assert!(has(&drawn, "18 V") && has(&drawn, "14") && !has(&drawn, "10"), "{drawn:?}");
    page.picture("fixed.png").await?;
    // Heights, by key and by hand.
    let heights = "return [...document.querySelectorAll('[aria-label=Strips] canvas')].map(c => c.clientHeight)";
    let before: Vec<f64> = serde_json::from_value(page.script(heights).await?)?;
    let edge = page.find("[aria-label='Height of strip 2']").await?;
    edge.send_keys("\u{E015}\u{E015}\u{E015}").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision")).await?;
    let after: Vec<f64> = serde_json::from_value(page.script(heights).await?)?;
    assert!(after[1] > before[1] + 20.0 && after[0] < before[0], "{before:?} {after:?}");
    // Where the bus first rises through 15 V, then the next time; end A goes there, and back again.
    page.press("Whole run").await?;
    page.press("Find where a trace crosses a level").await?;
    choose(&page, "Trace to search", "bus.v").await?;
    let level = page.find("[aria-label='Level searched']").await?;
    level.send_keys("5 A").await?;
    page.press("Next after A").await?;
    page.text("[role=dialog] [role=alert]", |text| text.contains('A')).await?;
    level.send_keys("\u{E009}a\u{E000}14.5").await?;
    page.press("Before A").await?;
    let said = page.text("[role=dialog] [role=status]", |text| text.contains("rises through 14.5")).await?;
    page.press("Next after A").await?;
    page.text("[role=dialog] [role=status]", |text| text.contains("rises through 14.5") && text != said).await?;
    page.picture("crossing.png").await?;
    page.press("Before A").await?;
    page.text("[role=dialog] [role=status]", |text| text == said).await?;
    escape(&page).await?;
    let stood = page.find("[aria-label='Span start A']").await?.attr("aria-valuetext").await?;
    // The span and the window stay when the desk is arranged anew.
    page.press("Drawing alone").await?;
    page.press("Strips alone").await?;
    assert_eq!(page.find("[aria-label='Span start A']").await?.attr("aria-valuetext").await?, stood);
    // A formula of what is measured has a column, and says what is wrong with it.
    page.press("Add a formula of the span").await?;
    page.find("[aria-label='Formula of the span']").await?.send_keys("(max - min) / mean\u{E007}").await?;
    page.text("[data-testid='span-bus.v']", |text| text.contains("0.")).await?;
    page.press("Add a formula of the span").await?;
    page.find("[aria-label='Formula of the span']").await?.send_keys("mean + dt\u{E007}").await?;
    page.find("[data-testid='span-bus.v'] td[title*='cannot be added']").await?;
    page.picture("span-formulas.png").await?;
    page.client.refresh().await?;
    page.find("[data-testid='span-bus.v'] td[title*='cannot be added']").await?;
    page.close().await
}

/// Drags from the middle of the n-th thing of a label to the middle of the n-th canvas.
async fn drag(page: &Page, label: &str, nth: usize, onto: usize) -> Result<()> {
    let middle = "const r = e.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]";
    let of = |all: &str, nth: usize| format!("const e = document.querySelectorAll('{all}')[{nth}]; {middle}");
    let from: [f64; 2] = serde_json::from_value(page.script(&of(&format!("[aria-label=\"{label}\"]"), nth)).await?)?;
    let to: [f64; 2] = serde_json::from_value(page.script(&of("[aria-label=Strips] canvas", onto)).await?)?;
    let at = |[x, y]: [f64; 2]| PointerAction::MoveTo { duration: None, x, y };
    let moves = MouseActions::new("mouse".to_owned())
        .then(at(from))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(at([to[0], to[1] - 9.0]))
        .then(at(to))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    Ok(page.client.perform_actions(moves).await?)
}

#[tokio::test(flavor = "multi_thread")]
async fn runs_behind_stand_in_every_form_of_strip_and_strips_are_dragged() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.text("[data-testid='span-bus.v']", |text| text.contains('V')).await?;
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "2200u").await?;
    page.press("Close the inspector").await?;
    page.text("[data-testid=numbers-old]", |text| text.contains("run again")).await?;
    page.run().await?;
    page.text("[data-testid=reading-bus_ripple]", |text| text.contains('%')).await?;
    let behind = Locator::XPath("//select[@aria-label='Run behind the traces']/option[contains(.,'revision')]");
    for (form, wanted) in [
        ("over frequency, within the span", "Spectrum of bus.v"),
        ("against another signal, within the span", "bus.v against"),
    ] {
        press_at(&page, "Looks of this strip", 1).await?;
        choose(&page, "How the strip is shown", form).await?;
        if wanted.ends_with("against") {
            let across = page.find("[aria-label='Signal along the horizontal axis']").await?;
            across.send_keys("\u{E009}a\u{E000}V1.v\u{E007}").await?;
        }
        escape(&page).await?;
        page.find(&format!("canvas[aria-label^='{wanted}']")).await?;
        let alone = ink(&page, 1).await?;
        page.click_on(behind).await?;
        let mut both = ink(&page, 1).await?;
        for _ in 0..10 {
            if both > alone + 50 {
                break;
            }
            both = ink(&page, 1).await?;
        }
        page.picture(&format!("behind-{}.png", wanted.len())).await?;
        assert!(both > alone + 50, "{wanted}: {alone} {both}");
        choose(&page, "Run behind the traces", "no other run").await?;
    }
    // In figures, the other run's values stand beside, of the same instants.
    press_at(&page, "Looks of this strip", 1).await?;
    choose(&page, "How the strip is shown", "in figures").await?;
    escape(&page).await?;
    page.click_on(behind).await?;
    let table = page.text("table[aria-label='bus.v in figures']", |text| text.contains("revision")).await?;
    let last = table.lines().last().unwrap_or_default();
    assert!(last.matches('V').count() == 2 && last.contains("500\u{2009}ms"), "{last}");
    page.picture("figures-behind.png").await?;
    // A strip is dragged to the place of another, downwards too.
    let order = "return [...document.querySelectorAll('[data-strip]')].map(s => \
                 s.querySelector('canvas, table').ariaLabel).join('|')";
    let before = page.script(order).await?;
    let saved = page.text("[data-testid=saved]", |text| text.contains("revision")).await?;
    drag(&page, "Move this strip", 0, 1).await?;
    page.text("[data-testid=saved]", |text| text.contains("revision") && text != saved).await?;
    let after = page.script(order).await?;
    let swapped = |all: &str| all.split('|').map(str::to_owned).collect::<Vec<_>>();
    let (was, is) = (swapped(before.as_str().unwrap()), swapped(after.as_str().unwrap()));
    assert!(was[0] != is[0] && is.contains(&was[0]) && was.len() == is.len(), "{was:?} {is:?}");
    page.close().await
}
