//! What plots are drawn with, run as it is without a browser: scales hold what they show, their figures read back as the
//! values they stand at, and a file drawn holds any name.

use anyhow::{Context, Result, ensure};
use quantity::{Unit, parse};
use serde_json::{Value, json};
use std::io::Write;
use std::process::{Command, Stdio};

/// Bundles a module of the interface, and answers with what an expression of it gives for each case.
const RUNNER: &str = "
    const { rolldown } = require('rolldown'), fs = require('fs');
    const { entry, body, cases } = JSON.parse(fs.readFileSync(0, 'utf8'));
    globalThis.window = { addEventListener() {} };
    globalThis.document = { documentElement: {} };
    globalThis.getComputedStyle = () => ({ getPropertyValue: (name) => '#' + name.length });
    (async () => {
        const bundle = await rolldown({ input: entry, logLevel: 'silent' });
        const { output } = await bundle.generate({ format: 'cjs', exports: 'named' });
        const module_ = { exports: {} };
        new Function('module', 'exports', 'require', output[0].code)(module_, module_.exports, require);
        const run = new Function('m', 'c', body);
        process.stdout.write(JSON.stringify(cases.map((c) => run(module_.exports, c))));
    })();
";

fn answers(entry: &str, body: &str, cases: &[Value]) -> Result<Vec<Value>> {
    let mut node = Command::new("node")
        .args(["-e", RUNNER])
        .current_dir(xtask::paths::root().join("web"))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .context("node does not start")?;
    let asked = json!({ "entry": entry, "body": body, "cases": cases });
    node.stdin.take().context("node takes no input")?.write_all(&serde_json::to_vec(&asked)?)?;
    let output = node.wait_with_output()?;
    ensure!(output.status.success(), "what was bundled fails");
    let answers: Vec<Value> = serde_json::from_slice(&output.stdout)?;
    ensure!(answers.len() == cases.len());
    Ok(answers)
}

/// Numbers that look random and are the same every time.
struct Mixed(u64);

impl Mixed {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as f64 / f64::from(1u32 << 31)
    }
}

#[test]
fn scales_hold_what_they_show_and_say_where_it_is() -> Result<()> {
    let mut mixed = Mixed(7);
    let cases: Vec<Value> = (0..400)
        .map(|k| {
            let (size, offset) = (10f64.powf(12.0 * mixed.next() - 7.0), mixed.next() - 0.3);
            let log = k % 3 == 0;
            let y: Vec<f64> = (0..20).map(|_| size * (mixed.next() + if log { 0.01 } else { offset })).collect();
            let side = [Value::Null, json!("left"), json!("right")][(3.0 * mixed.next()) as usize % 3].clone();
            let from = (k % 5 == 0).then_some(size * 0.02);
            let unit = ["volt", "ampere", "watt"][k % 3];
            json!({ "y": y, "log": log, "side": side, "from": from, "unit": unit })
        })
        .collect();
    // Two traces, of one unit and of another; what the first stands on is looked at.
    let body = "
        const t = c.y.map((_, k) => k);
        const look = { log: c.log, from: c.from ?? undefined };
        const trace = (unit, side) => ({ signal: unit, unit, colour: 0, width: 1, marked: false, side, points: { t, y: c.y }, behind: [] });
        const traces = [trace(c.unit, c.side ?? undefined), trace('hertz', undefined)];
        const scales = m.scalesOf(traces, { from: 0, to: 19 }, { left: look, right: look }, [100, 0]);
        const scale = scales.find((s) => s.unit === c.unit);
        const ticks = m.ticks(scale, 5).map((tick) => [tick.value, tick.label]);
        const sides = scales.map((s) => s.side);
        return { low: scale.low, high: scale.high, side: scale.side, sides, ticks, places: c.y.map(scale.place) };";
    for (case, found) in cases.iter().zip(answers("src/plot/scales.ts", body, &cases)?) {
        let number = |v: &Value| v.as_f64().unwrap_or(f64::NAN);
        let (low, high) = (number(&found["low"]), number(&found["high"]));
        ensure!(low < high, "{case} {found}");
        ensure!(
            case["side"].is_null() || case["side"] == found["side"],
            "put on a side it stands there: {case} {found}"
        );
        let sides = found["sides"].as_array().context("sides")?;
        ensure!(sides.len() == 2 && sides[0] != sides[1], "{case} {found}");
        // Higher values stand higher, and within the strip unless a range was stated.
        let mut points: Vec<(f64, f64)> = case["y"]
            .as_array()
            .context("values")?
            .iter()
            .map(number)
            .zip(found["places"].as_array().context("places")?.iter().map(number))
            .collect();
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        ensure!(points.windows(2).all(|p| p[0].1 >= p[1].1 - 1e-9), "{case} {found}");
        if case["from"].is_null() {
            ensure!(points.iter().all(|p| (-1e-6..=100.0 + 1e-6).contains(&p.1)), "{case} {found}");
        } else {
            ensure!((low / number(&case["from"]) - 1.0).abs() < 1e-12, "{case} {found}");
        }
        // The figures beside it are those of the ticks; the unit stands at the topmost.
        let ticks = found["ticks"].as_array().context("ticks")?;
        ensure!(!ticks.is_empty(), "{case} {found}");
        let unit = match case["unit"].as_str() {
            Some("volt") => Unit::Volt,
            Some("ampere") => Unit::Ampere,
            _ => Unit::Watt,
        };
        let text = |tick: &Value| tick[1].as_str().unwrap_or_default().replace('\u{2009}', " ").replace('−', "-");
        let suffix = text(&ticks[ticks.len() - 1]).split_once(' ').map(|(_, s)| s.to_owned()).unwrap_or_default();
        for tick in ticks {
            let said = text(tick);
            let whole = if said.contains(' ') { said.clone() } else { format!("{said} {suffix}") };
            let read = parse(&whole, unit).map_err(|error| anyhow::anyhow!("{whole}: {error}"))?;
            let value = number(&tick[0]);
            ensure!((read - value).abs() <= 1e-9 * (high - low).abs().max(value.abs()), "{whole} for {value}: {found}");
        }
    }
    Ok(())
}

#[test]
fn a_drawing_saved_holds_any_name() -> Result<()> {
    let names = ["bus.v", "a < b", "x & y", "\"quoted\"", "V1.v * -V1.i", "größe", "]]>", "<script>"];
    let cases: Vec<Value> = names.iter().map(|name| json!(name)).collect();
    let body = "
        const pen = new m.SvgPen();
        pen.within(0, 0, 10, 10, () => pen.line([0, 1, NaN, 2, 3], [0, 1, NaN, 1, 0], { colour: '--ink', dash: [3, 2] }));
        pen.lower(20, () => pen.text(c, 1, 2, { colour: '--ink', bold: true }));
        pen.dots([1, NaN], [2, 3], { colour: '--ink' });
        return pen.file(100, 50);";
    for (name, found) in names.iter().zip(answers("src/plot/pen.ts", body, &cases)?) {
        let file = found.as_str().context("a file")?;
        let words = file.split("<text ").nth(1).and_then(|t| t.split_once('>')).and_then(|t| t.1.split_once("</text>"));
        let written = words.context("no text")?.0;
        ensure!(
            !written.contains('<')
                && !written.replace("&amp;", "").replace("&lt;", "").replace("&quot;", "").contains('&')
        );
        let read = written.replace("&lt;", "<").replace("&quot;", "\"").replace("&amp;", "&");
        ensure!(read == *name, "{written} for {name}");
        ensure!(file.matches("<g ").count() == file.matches("</g>").count(), "{file}");
        // A line breaks where there is no number.
        ensure!(file.contains("M0 0L1 1M2 1L3 0") && file.matches("<circle").count() == 1, "{file}");
    }
    Ok(())
}
