//! Looking and measuring: readings written and mended, the tray, a run behind another, the way from a verdict to its place.

use anyhow::Result;
use fantoccini::Locator;
use mellow_e2e::{Page, Stage};

/// Chooses an option of a select by its text or value.
async fn choose(page: &Page, label: &str, option: &str) -> Result<()> {
    let path = format!("//select[@aria-label='{label}']/descendant::option[.='{option}' or @value='{option}']");
    page.click_on(Locator::XPath(&path)).await
}

async fn fill(page: &Page, label: &str, text: &str) -> Result<()> {
    let field = page.find(&format!("form input[aria-label='{label}']")).await?;
    field.click().await?;
    field.send_keys("\u{E009}a\u{E000}").await?;
    Ok(field.send_keys(text).await?)
}

#[tokio::test(flavor = "multi_thread")]
async fn readings_are_written_mended_and_taken_from_the_run_there_is() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.text("[data-testid=reading-efficiency]", |text| text.contains("77.") && text.contains('%')).await?;
    page.text("[data-testid=requirement-power_factor]", |text| text.contains("met") || text.contains("close")).await?;
    // A reading added now is read of the run that is there: its numbers are not old.
    page.press("Add reading").await?;
    fill(&page, "Title", "Rise of the bus").await?;
    choose(&page, "Measure", "rise_time").await?;
    fill(&page, "Signal", "bus.v").await?;
    fill(&page, "Metered value", "5m").await?;
    choose(&page, "Window", "whole_run").await?;
    page.picture("editor.png").await?;
    page.click_on(Locator::XPath("//form//button[.='Add reading']")).await?;
    page.text("[data-testid=reading-rise_of_the_bus]", |text| text.contains("ms")).await?;
    // What a meter showed stands beneath it, with how far off it is.
    page.text("[data-testid=metered-rise_of_the_bus]", |text| text.contains("metered 5") && text.contains('%')).await?;
    assert!(page.client.find(Locator::Css("[data-testid=numbers-old]")).await.is_err());
    // One that cannot be is not added, and says what is wrong.
    page.press("Add reading").await?;
    fill(&page, "Title", "Nonsense").await?;
    choose(&page, "Measure", "formula").await?;
    fill(&page, "Formula", "bus_ripple + mains_current").await?;
    page.click_on(Locator::XPath("//form//button[.='Add reading']")).await?;
    page.text("form [role=alert]", |text| text.contains("V and A cannot be added")).await?;
    page.picture("editor-error.png").await?;
    assert!(page.client.find(Locator::Css("[data-testid=reading-nonsense]")).await.is_err());
    fill(&page, "Formula", "bus_ripple / bus_mean").await?;
    page.click_on(Locator::XPath("//form//button[.='Add reading']")).await?;
    page.text("[data-testid=reading-nonsense]", |text| text.contains("0.")).await?;
    page.picture("readings.png").await?;
    // Taken away again, and had back.
    page.press("Nonsense").await?;
    page.press("Remove").await?;
    page.client.wait().for_element(Locator::XPath("//*[@data-testid='saved'][contains(.,'revision 4')]")).await?;
    assert!(page.client.find(Locator::Css("[data-testid=reading-nonsense]")).await.is_err());
    page.press("Undo").await?;
    page.find("[data-testid=reading-nonsense]").await?;
    // What engineers read of nearly every supply is ready made, and there at once.
    page.press("Ready made").await?;
    page.picture("ready-made.png").await?;
    let offered = Locator::XPath("//*[@role='menuitem'][starts-with(.,'Powers and harmonics of V1')]");
    page.click_on(offered).await?;
    page.text("[data-testid=reading-v1_apparent_power]", |text| text.contains("VA")).await?;
    // A window that begins when the bus has settled.
    page.press("Bus voltage, mean").await?;
    choose(&page, "Window", "after_settled").await?;
    page.find("form input[aria-label='Band']").await?.send_keys("1 %").await?;
    page.press("Keep").await?;
    page.text("[data-testid=reading-bus_mean]", |text| text.contains("14.5")).await?;
    page.press("Bus voltage, mean").await?;
    choose(&page, "Window", "between_events").await?;
    choose(&page, "Event the window goes to", "crossing").await?;
    page.find("form input[aria-label='Level crossed, to']").await?.send_keys("\u{E009}a\u{E000}9").await?;
    page.picture("events.png").await?;
    page.press("Keep").await?;
    // The line never gets to where both ends are the same: it says so, or has a value.
    let told = "return document.querySelector('[data-testid=reading-bus_mean] td:nth-child(2)').title";
    let told = page.steady(told).await?;
    assert!(told.as_str().is_some_and(|text| text.contains("window")), "{told}");
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn signals_are_found_in_the_tray_and_strips_stay_as_they_were_arranged() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.press("New strip").await?;
    let search = page.find("[aria-label='Search signals']").await?;
    page.find("[cmdk-item] svg path").await?;
    page.picture("tray.png").await?;
    search.send_keys("transformer .p").await?;
    page.text("[cmdk-list]", |text| text.contains("T1.p") && !text.contains("bus.v")).await?;
    search.send_keys("\u{E007}").await?;
    page.text("[data-testid='span-T1.p']", |text| text.contains('W')).await?;
    // What is shown is saved as a picture and, node by node, as a table.
    let save = async |entry: &str| -> Result<()> {
        page.press("Save or copy the strips").await?;
        let item = format!("//*[@role='menuitem'][starts-with(.,'{entry}')]");
        page.click_on(Locator::XPath(&item)).await
    };
    save("Save as a picture").await?;
    assert!(page.saved_file(".png").await?.starts_with(b"\x89PNG"));
    save("Save the span as a table").await?;
    let table = String::from_utf8(page.saved_file(".csv").await?)?;
    let heads = table.lines().next().unwrap();
    assert_eq!(heads, "t [s],V1.v [V],bus.v [V],D1.i [A],D2.i [A],T1.p [W]");
    let first: Vec<f64> = table.lines().nth(1).unwrap().split(',').map(|cell| cell.parse().unwrap()).collect();
    assert!(first.len() == 6 && (0.4..0.401).contains(&first[0]) && (13.0..16.0).contains(&first[2]), "{first:?}");
    assert!(table.lines().count() > 100, "{}", table.lines().count());
    // One trace alone, of what is shown.
    page.press("Save or copy the strips").await?;
    let one = Locator::XPath("//*[@role='menuitemradio'][.='bus.v']");
    page.click_on(one).await?;
    page.picture("save-menu.png").await?;
    let item = Locator::XPath("//*[@role='menuitem'][starts-with(.,'Save what is shown as a table')]");
    page.client.find(item).await?.click().await?;
    let table = String::from_utf8(page.saved_file(".csv").await?)?;
    assert_eq!(table.lines().next().unwrap(), "t [s],bus.v [V]");
    // A formula of signals is drawn like one; a wrong one says what is wrong with it.
    page.press("New strip").await?;
    let search = page.find("[aria-label='Search signals']").await?;
    search.send_keys("V1.v * -V1.v").await?;
    page.text("[cmdk-list]", |text| text.contains("Draw V1.v * -V1.v")).await?;
    search.send_keys("\u{E007}").await?;
    page.text("[cmdk-list] [role=alert]", |text| text.contains("a unit without a name")).await?;
    search.send_keys("\u{E009}a\u{E000}V1.v * -V1.i").await?;
    page.text("[cmdk-list]", |text| text.contains("Draw V1.v * -V1.i")).await?;
    page.picture("formula.png").await?;
    search.send_keys("\u{E007}").await?;
    page.text("[data-testid='span-V1.v * -V1.i']", |text| text.contains("4.9") && text.contains('W')).await?;
    page.picture("formula-drawn.png").await?;
    page.press("Undo").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 4")).await?;
    // More columns over the span, for this user, also after a reload.
    page.press("Columns of the span").await?;
    let column = Locator::XPath("//*[@role='menuitemcheckbox'][contains(.,'Integral')]");
    page.click_on(column).await?;
    page.text("[data-testid='span-T1.p']", |text| text.contains('J')).await?;
    page.client.refresh().await?;
    page.text("[data-testid='span-T1.p']", |text| text.contains('J')).await?;
    // Strips are part of the supply: moved up by key, the new one is the first, and undone it is not.
    let labels = "return [...document.querySelectorAll('canvas[role=img]')].map(c => c.ariaLabel).join('|')";
    assert!(page.script(labels).await?.as_str().unwrap().ends_with("T1.p"));
    page.script("[...document.querySelectorAll('[aria-label=\"Move this strip\"]')].at(-1).focus()").await?;
    page.client.active_element().await?.send_keys("\u{E013}").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 5")).await?;
    assert!(!page.script(labels).await?.as_str().unwrap().ends_with("T1.p"));
    page.press("Undo").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 6")).await?;
    assert!(page.script(labels).await?.as_str().unwrap().ends_with("T1.p"));
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_verdict_shows_its_place_and_another_run_stands_behind() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let axis = "svg[aria-label='Time axis and span']";
    page.text(axis, |text| text.contains("500")).await?;
    // The surge was read over the whole run, the valley at its end.
    page.click("[data-testid=requirement-valley] button").await?;
    page.text(axis, |text| text.contains("400") && !text.contains("300")).await?;
    page.text("[data-testid='span-bus.v']", |text| text.contains('V')).await?;
    // What is not shown yet gets a strip of its own.
    page.click("[data-testid=requirement-power_factor] button").await?;
    page.text("[data-testid='span-V1.v']", |text| text.contains("230")).await?;
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "2200u").await?;
    page.press("Close the inspector").await?;
    page.text("[data-testid=numbers-old]", |text| text.contains("run again")).await?;
    page.run().await?;
    page.text("[data-testid=reading-bus_ripple]", |text| text.contains('−') && text.contains('%')).await?;
    let option = Locator::XPath("//select[@aria-label='Run behind the traces']/option[contains(.,'revision')]");
    page.click_on(option).await?;
    page.picture("behind.png").await?;
    // Two runs on one strip: more ink than one.
    let ink = "const c = document.querySelectorAll('canvas[role=img]')[1]; const d = c.getContext('2d').getImageData(0, 0, \
               c.width, c.height).data; let n = 0; for (let i = 3; i < d.length; i += 4) if (d[i] > 0) n += 1; return n";
    let with = page.steady(ink).await?.as_u64().unwrap();
    choose(&page, "Run behind the traces", "no other run").await?;
    let without = page.steady(ink).await?.as_u64().unwrap();
    assert!(with > without + 200, "{with} {without}");
    page.close().await
}

/// Adds a second study with a reading and a limit of its own, as another window would, and shows it.
const ANOTHER_STUDY: &str = "
    const [done] = arguments;
    const path = '/api/supplies/' + location.pathname.split('/')[2];
    (async () => {
        const { document, revision } = await (await fetch(path)).json();
        document.studies.push({ ...document.studies[0], id: 'again', title: 'Again', duration: '0.3', strips: [] });
        document.readings.push({ id: 'late', title: 'Late', study: 'again', measure: 'mean', signal: 'R1.i',
            window: { between: { from: '0.2', to: '0.25' } } });
        document.requirements.push({ id: 'late', title: 'Late current', reading: 'late', at_least: '0.1' });
        const headers = { 'content-type': 'application/json' };
        const body = JSON.stringify({ document, revision });
        done((await fetch(path, { method: 'PUT', headers, body })).status);
    })();
";

#[tokio::test(flavor = "multi_thread")]
async fn a_verdict_leads_into_the_study_that_decided_it() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    assert_eq!(page.client.execute_async(ANOTHER_STUDY, vec![]).await?, 200);
    page.client.refresh().await?;
    page.find("[data-part=C1]").await?;
    page.run().await?;
    let late = "[data-testid=requirement-late]";
    page.text(late, |text| text.contains("not yet tried") && text.contains("Again")).await?;
    let met = page.text("[data-testid=verdict-tally]", |text| text.contains("6 met")).await?;
    choose(&page, "Study", "Again").await?;
    page.run().await?;
    // The tally is the supply's: what the other study decided still counts.
    page.text("[data-testid=verdict-tally]", |text| text.contains("7 met") && text != met).await?;
    choose(&page, "Study", "Switch-on").await?;
    page.text(late, |text| text.contains("met") && text.contains("mA")).await?;
    page.click("[data-testid=requirement-late] button").await?;
    // The study, a strip with what was read, and the span it was read over.
    let study = "return document.querySelector('[aria-label=Study]').value";
    while page.script(study).await? != "again" {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    page.find("canvas[aria-label='Plot of R1.i']").await?;
    let start = page.find("[aria-label='Span start A']").await?;
    assert_eq!(start.attr("aria-valuetext").await?.as_deref(), Some("200\u{2009}ms"));
    page.text("[data-testid='span-R1.i']", |text| text.contains("mA")).await?;
    page.picture("into-study.png").await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn values_are_trimmed_with_the_study_running_at_once() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.press("Trim").await?;
    choose(&page, "Value to trim", "C1 capacitance").await?;
    page.text("[data-testid='trim-C1.capacitance']", |text| text.contains("C1 capacitance")).await?;
    let ripple = "[role=tabpanel][data-state=active] [data-testid=requirement-ripple]";
    let before = page.text(ripple, |text| text.contains("missed")).await?;
    page.press("C1 capacitance up").await?;
    page.text("[data-part=C1]", |text| text.contains("1.2") || text.contains("1.5")).await?;
    page.text(ripple, |text| text != before && text.contains('V')).await?;
    // The run from before stands behind.
    let behind = "return document.querySelector('[aria-label=\"Run behind the traces\"]').selectedOptions[0].text";
    assert!(page.script(behind).await?.as_str().unwrap().contains("revision 1"));
    page.press("C1 capacitance up").await?;
    page.press("C1 capacitance up").await?;
    page.text(ripple, |text| text.contains("met") || text.contains("close")).await?;
    page.picture("trim.png").await?;
    page.press("Go back").await?;
    page.text(ripple, |text| text == before).await?;
    page.text("[data-part=C1]", |text| text.ends_with("1\u{2009}mF")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_desk_is_arranged_by_key_and_stays_so() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    let shown = async |drawing: bool, strips: bool| -> Result<()> {
        let there = "return [!!document.querySelector('[data-testid=drawing]'), !!document.querySelector('[aria-label=Strips]')]";
        let deadline = std::time::Instant::now() + std::time::Duration::from_secs(5);
        while page.script(there).await? != serde_json::json!([drawing, strips]) {
            anyhow::ensure!(std::time::Instant::now() < deadline, "{}", page.script(there).await?);
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        Ok(())
    };
    let body = page.find("body").await?;
    for (key, drawing, strips) in [("3", true, false), ("4", false, true), ("5", false, false), ("2", true, true)] {
        body.send_keys(key).await?;
        shown(drawing, strips).await?;
        page.picture(&format!("arranged-{key}.png")).await?;
    }
    page.client.refresh().await?;
    page.find("[aria-label='Height of drawing and strips']").await?;
    // A number typed into a field is a number.
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "1500u").await?;
    page.press("Close the inspector").await?;
    page.find("[aria-label='Height of drawing and strips']").await?;
    page.press("Drawing beside strips").await?;
    page.find("[aria-label='Width of drawing and strips']").await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn runs_are_compared_with_what_changed_between_them() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.click("[data-part=C1] > g").await?;
    page.enter("Capacitance", "2200u").await?;
    page.press("Close the inspector").await?;
    page.text("[data-testid=numbers-old]", |text| text.contains("run again")).await?;
    page.run().await?;
    page.client.find(Locator::LinkText("Compare")).await?.click().await?;
    let ripple = page.text("[data-testid=compared-bus_ripple]", |text| text.matches('V').count() >= 3).await?;
    assert!(ripple.contains("1.809") && ripple.contains('%') && ripple.contains('−'), "{ripple}");
    page.text("[aria-label='Readings by run']", |text| text.contains("C1 capacitance") && text.contains("2200u"))
        .await?;
    page.picture("compare.png").await?;
    // Seen from the other run, the difference turns round.
    page.press("take as reference").await?;
    page.text("[data-testid=compared-bus_ripple]", |text| text.contains('+') && !text.contains("−")).await?;
    // A note is written beside a run, and stands wherever the run does.
    page.client.find(Locator::LinkText("History")).await?.click().await?;
    let note = page.find("[aria-label^='Note on the run of']").await?;
    note.send_keys("larger reservoir, quieter\u{E007}").await?;
    page.client.find(Locator::LinkText("Compare")).await?.click().await?;
    page.text("[aria-label='Readings by run']", |text| text.contains("larger reservoir, quieter")).await?;
    // The circuit of the earlier run is looked at as it was, and opened beside the present one without touching it.
    page.press("take as reference").await?;
    page.script("document.querySelector(\"[aria-label='Readings by run'] [aria-label^='Circuit of']\").click()")
        .await?;
    let picture = page.find("[role=dialog] img[alt*='revision 1']").await?;
    let loaded = "return document.querySelector('[role=dialog] img').naturalWidth";
    page.text("[role=dialog]", |text| text.contains("Restore revision 1")).await?;
    while page.script(loaded).await?.as_u64() == Some(0) {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert!(picture.is_displayed().await?);
    page.picture("circuit-of.png").await?;
    page.press("Open as a supply of its own").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 1")).await?;
    page.text("[data-part=C1]", |text| text.contains("1\u{2009}mF")).await?;
    assert!(
        page.client.find(Locator::Css("h1 input")).await?.prop("value").await?.unwrap().ends_with("as of revision 1")
    );
    page.client.back().await?;
    page.press("Restore").await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 3")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn harmonics_stand_against_their_limits() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    page.press("Harmonics").await?;
    let summary = "[data-testid=harmonics-summary]";
    // The power factor is the reading's; a few watts are far from class A, and have no limits anyway.
    let text = page.text(summary, |text| text.contains("class A would be met")).await?;
    assert!(text.contains("no limits at 75"), "{text}");
    assert!(text.contains("power factor 0.53") && text.contains("real power 4.9"), "{text}");
    page.text("[data-testid=order-3]", |text| text.contains("150") && text.contains("2.3")).await?;
    page.picture("harmonics.png").await?;
    // Class D allows milliamperes to each watt.
    let class = Locator::XPath("//section[@aria-label='Harmonics']//option[@value='D']");
    page.client.find(class).await?.click().await?;
    page.text(summary, |text| text.contains("class D would be missed")).await?;
    let field = page.find("[aria-label=Harmonics] input").await?;
    field.send_keys("\u{E009}a\u{E000}bus.v").await?;
    page.text("[aria-label=Harmonics] [role=alert]", |text| text.contains("limits are for currents")).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_chosen_in_the_drawing_shows_its_figures_and_goes_into_a_strip() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    // A net lights up whole; its card has what the run shows of it, alone and against another.
    page.script("document.querySelector('[data-net=ac1]').focus()").await?;
    page.find("[data-net=ac1]").await?.send_keys("\u{E007}").await?;
    page.text("[data-testid='tap-ac1.v']", |text| text.contains("mean") && text.contains("RMS")).await?;
    page.find("[data-net=ac1][aria-pressed=true]").await?;
    page.script("document.querySelector('[role=dialog] select').focus()").await?;
    page.find("[role=dialog] select").await?.send_keys("ac2").await?;
    page.text("[data-testid='tap-ac1.v - ac2.v']", |text| text.contains("RMS")).await?;
    page.picture("tap-net.png").await?;
    page.press("Show ac1.v - ac2.v in a strip").await?;
    page.press("Show in a new strip").await?;
    page.text("[data-testid='span-ac1.v - ac2.v']", |text| text.contains('V')).await?;
    page.press("Close the card").await?;
    // A part's figures stand in its inspector.
    page.click("[data-part=C1] > g").await?;
    page.text("[data-testid='tap-C1.i']", |text| text.contains("RMS") && text.contains('A')).await?;
    page.picture("tap-part.png").await?;
    page.press("Show C1.i in a strip").await?;
    page.client
        .wait()
        .for_element(Locator::XPath("//*[@role='menuitem'][starts-with(normalize-space(),'Show in strip 3')]"))
        .await?
        .click()
        .await?;
    page.text("[data-testid='span-C1.i']", |text| text.contains('A')).await?;
    page.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_measured_file_is_put_beside_the_runs() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    page.open_demo().await?;
    page.run().await?;
    // As a bench instrument exports it: another unit, a probe of 10:1, a clock that began 12 ms early.
    let volts = |t: f64| if t < 0.0 { 0.0 } else { 14.2 * (1.0 - (-t / 3e-3).exp()) + 0.9 * (628.3 * t).sin() };
    let row = |k: u32| {
        let volts = volts(2e-4 * f64::from(k) - 0.012);
        format!("{:.3};{:.2};{:.3}\n", 0.2 * f64::from(k), 100.0 * volts, 50.0 * volts)
    };
    let text = "Time [ms];CH1 [mV];CH2 [mA]\n".to_owned() + &(0..2700).map(row).collect::<String>().replace('.', ",");
    let file = std::env::temp_dir().join(format!("berth-{}.csv", std::process::id()));
    std::fs::write(&file, text)?;
    page.press("Save or copy the strips").await?;
    page.press("Measured traces from a file …").await?;
    // A COMTRADE record is in two files, and taken only as a whole; its states are columns like what it measured.
    let configuration = "Berth 2,Recorder,1999\n3,2A,1D\n1,BUS,,,V,0.01,0,0,-32767,32767,1,1,P\n\
                         2,LOAD,,,A,0.001,0,0,-32767,32767,1,1,P\n1,DOOR,,,0\n50\n1\n1000,100\n01/02/2024,10:00:00.000000\n\
                         01/02/2024,10:00:00.000000\nASCII\n1\n";
    let samples: String =
        (0..100).map(|k| format!("{},{},{},{},{}\n", k + 1, 1000 * k, 1400 + k, 250, k / 50)).collect();
    let record = |ending: &str| file.with_extension(ending);
    std::fs::write(record("cfg"), configuration)?;
    std::fs::write(record("dat"), samples)?;
    let (cfg, dat) = (record("cfg").display().to_string(), record("dat").display().to_string());
    page.find("[aria-label='Measured file']").await?.send_keys(&cfg).await?;
    page.text("[role=dialog] [role=alert]", |text| text.contains("choose the .cfg and the .dat together")).await?;
    page.script("document.querySelector('[aria-label=\"Measured file\"]').value = ''").await?;
    page.find("[aria-label='Measured file']").await?.send_keys(&format!("{cfg}\n{dat}")).await?;
    let columns = "table[aria-label='Columns of the file']";
    page.text(columns, |text| ["BUS", "LOAD", "DOOR"].iter().all(|name| text.contains(name))).await?;
    std::fs::remove_file(cfg)?;
    std::fs::remove_file(dat)?;
    page.script("document.querySelector('[aria-label=\"Measured file\"]').value = ''").await?;
    page.find("[aria-label='Measured file']").await?.send_keys(file.to_str().unwrap()).await?;
    page.text(columns, |text| text.contains("CH1") && text.contains("mV")).await?;
    choose(&page, "CH1 was measured at", "bus.v").await?;
    choose(&page, "CH2 was measured at", "R1.i").await?;
    let scale = page.find("[aria-label='CH1 times']").await?;
    scale.send_keys("\u{E009}a\u{E000}0.01").await?;
    choose(&page, "Alignment", "crossing").await?;
    // A level neither reaches is refused in words; then it fits.
    page.find("[aria-label=Level]").await?.send_keys("90").await?;
    page.press("Put it beside the runs").await?;
    page.text("[role=dialog] [role=alert]", |text| text.contains("never rises through 90")).await?;
    page.find("[aria-label=Level]").await?.send_keys("\u{E009}a\u{E000}6").await?;
    page.picture("import.png").await?;
    page.press("Put it beside the runs").await?;
    page.text("[data-testid='apart-bus.v']", |text| text.contains('V')).await?;
    // What no strip showed has one of its own.
    page.text("[data-testid='apart-R1.i']", |text| text.contains('A')).await?;
    page.text("[aria-label='Run behind the traces']", |text| text.contains("measured")).await?;
    page.picture("measured.png").await?;
    // It is compared by readings like any run; what it does not have is said.
    page.client.find(Locator::LinkText("Compare")).await?.click().await?;
    page.text("[aria-label='Readings by run']", |text| text.contains("measured")).await?;
    page.picture("compare-measured.png").await?;
    std::fs::remove_file(file)?;
    page.close().await
}

/// Line regulation is made ready: a study in which the mains falls, and readings before and after.
#[tokio::test(flavor = "multi_thread")]
async fn line_regulation_on_the_mains_is_ready_made() -> Result<()> {
    let stage = Stage::set(&[])?;
    let page = stage.window().await?;
    let sensor = Locator::XPath("//main//a[contains(.,'Sensor rails')]");
    page.click_on(sensor).await?;
    page.find("[data-part=V1]").await?;
    page.press("Ready made").await?;
    let item = Locator::XPath("//*[@role='menuitem'][contains(.,'Line regulation, V1 falling')]");
    page.click_on(item).await?;
    page.text("[data-testid=saved]", |text| text.contains("revision 2")).await?;
    choose(&page, "Study", "Line dip").await?;
    page.press("Run").await?;
    // A linear regulator holds a fall of the mains to some hundredths of a per cent.
    let out = page.text("[data-testid=reading-out_regulation_v1]", |text| text.contains("0.0002")).await?;
    assert!(out.starts_with("Line regulation of out"), "{out}");
    page.picture("line-regulation.png").await?;
    page.close().await
}
