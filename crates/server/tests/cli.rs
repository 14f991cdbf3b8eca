//! The command line on documents, without a database.

use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

/// Exit code, standard output and standard error of a command on a document of the engine's corpus.
fn mellow_coil(command: &str, document: &str, more: &[&str]) -> (i32, String, String) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../device/tests/circuits").join(document);
    let output = Command::new(env!("CARGO_BIN_EXE_mellow-coil")).arg(command).arg(file).args(more).output().unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    (output.status.code().unwrap(), text(output.stdout), text(output.stderr))
}

#[test]
fn an_operating_point_is_printed_with_what_devices_do() {
    let (code, out, _) = mellow_coil("operating-point", "zener_shunt.json", &[]);
    assert!(code == 0 && out.contains("in breakdown") && out.contains("Powers absorbed"), "{out}");
    let (code, out, _) = mellow_coil("operating-point", "zener_shunt.json", &["--json"]);
    let found: serde_json::Value = serde_json::from_str(&out).unwrap();
    let powers: f64 = found["powers"].as_array().unwrap().iter().map(|p| p["absorbed"].as_f64().unwrap()).sum();
    // Tellegen: nothing is left over.
    assert!(code == 0 && powers.abs() < 1e-9, "{out}");
    // A winding straight across a source has no direct current to rest at.
    let (code, _, error) = mellow_coil("operating-point", "coupled_tight.json", &[]);
    assert!(code == 1 && error.contains("T1"), "{error}");
}

#[test]
fn loop_gain_tells_a_stable_regulator_from_one_that_oscillates() {
    let margin = |document| {
        let (code, out, error) = mellow_coil("loop-gain", document, &["--pin", "U1.inp", "--to", "100M", "--json"]);
        assert_eq!(code, 0, "{error}");
        serde_json::from_str::<serde_json::Value>(&out).unwrap()["phase_margin"].as_f64().unwrap()
    };
    assert!(margin("ldo_stable.json") > 30.0 && margin("ldo_oscillating.json") < 5.0);
    let (code, out, _) = mellow_coil("loop-gain", "ldo_stable.json", &["--pin", "U1.inp", "--to", "100M"]);
    assert!(code == 0 && out.contains("Phase margin") && out.contains("Crossover"), "{out}");
    // Phases in degrees, without jumps: from next to nothing down through a right angle.
    let phases: Vec<f64> = out
        .lines()
        .filter_map(|line| line.split_whitespace().find_map(|word| word.strip_suffix('°')?.parse().ok()))
        .collect();
    assert!(phases[0].abs() < 30.0 && phases.iter().any(|p| *p < -90.0), "{phases:?}");
    assert!(phases.windows(2).take(phases.len() - 2).all(|p| (p[1] - p[0]).abs() < 90.0), "{phases:?}");
}

/// A buck with a P-channel switch driven downwards from its rail: line to output is its duty, and the switching frequency bounds
/// what can be told.
#[test]
fn a_converter_answers_about_its_settled_period() {
    let asked = ["--source", "V1", "--signal", "out.v", "--from", "10", "--to", "1M", "--json"];
    let (code, out, error) = mellow_coil("response", "buck_open_loop.json", &asked);
    assert_eq!(code, 0, "{error}");
    let found: serde_json::Value = serde_json::from_str(&out).unwrap();
    let last = |name: &str| found[name].as_array().unwrap().last().unwrap().as_f64().unwrap();
    assert!((0.4..0.6).contains(&found["real"][0].as_f64().unwrap()), "{out}");
    assert!((49e3..50e3).contains(&last("frequency")), "{out}");
    assert!(found["simulated"].as_str().unwrap().contains("V2 drives Q1"), "{out}");
    assert!(found["remarks"][0].as_str().unwrap().contains("half the switching frequency"), "{out}");
    let device = [&asked[..], &["--simulated", "at-device-level"]].concat();
    let (code, out, _) = mellow_coil("response", "buck_open_loop.json", &device);
    assert!(code == 0 && out.contains("at device level, as asked"), "{out}");
    let (code, out, _) = mellow_coil("loop-gain", "ldo_stable.json", &["--pin", "U1.inp", "--to", "100M", "--cut"]);
    assert!(code == 0 && out.contains("it was not cut"), "{out}");
    let late = ["--source", "V1", "--signal", "out.v", "--from", "60k", "--to", "1M"];
    let (code, _, error) = mellow_coil("response", "buck_open_loop.json", &late);
    assert!(code == 2 && error.contains("begin lower"), "{error}");
}

/// The same measured with tones in the time domain, and how well; a pass device between off and on is refused.
#[test]
fn a_converter_is_measured_as_on_the_bench() {
    let asked =
        ["--source", "V1", "--signal", "out.v", "--from", "5k", "--to", "40k", "--per-decade", "4", "--measured"];
    let (code, out, error) = mellow_coil("response", "buck_open_loop.json", &asked);
    assert!(
        code == 0 && out.contains("S/D in dB") && out.lines().filter(|l| l.contains("°")).count() > 3,
        "{out}{error}"
    );
    let json = [&asked[..], &["--json"]].concat();
    let found: Value = serde_json::from_str(&mellow_coil("response", "buck_open_loop.json", &json).1).unwrap();
    let first = |name: &str| found[name][0].as_f64().unwrap();
    let small = ["--source", "V1", "--signal", "out.v", "--to", "49k", "--json", "--from"];
    let at = format!("{}", first("frequency"));
    let small: Value =
        serde_json::from_str(&mellow_coil("response", "buck_open_loop.json", &[&small[..], &[&at]].concat()).1)
            .unwrap();
    let off = (first("real") - small["real"][0].as_f64().unwrap())
        .hypot(first("imaginary") - small["imaginary"][0].as_f64().unwrap());
    assert!(off < 0.01 * first("real").hypot(first("imaginary")) && first("signal_to_distortion") > 30.0, "{found}");
    // A regulator between off and on is measured at device level.
    let asked = ["--net", "out", "--from", "1k", "--to", "10k", "--per-decade", "2", "--measured"];
    let (code, out, error) = mellow_coil("impedance", "ldo_stable.json", &asked);
    assert!(code == 0 && out.lines().filter(|l| l.contains("°")).count() >= 3, "{out}{error}");
}

#[test]
fn responses_and_impedances_are_printed() {
    let (code, out, _) =
        mellow_coil("response", "ldo_stable.json", &["--source", "V1", "--signal", "out.v", "--to", "10M"]);
    assert!(code == 0 && out.contains("out.v per volt of V1") && out.lines().count() > 40, "{out}");
    let (code, out, _) = mellow_coil("impedance", "ldo_stable.json", &["--net", "out", "--to", "10M"]);
    assert!(code == 0 && out.contains("dBΩ") && out.contains("Ω"), "{out}");
}

#[test]
fn what_is_not_there_is_named() {
    for (command, more, named) in [
        ("loop-gain", &["--pin", "U1.gate"][..], "pin gate of U1"),
        ("loop-gain", &["--pin", "U1"], "U1"),
        ("response", &["--source", "V9", "--signal", "out.v"], "source V9"),
        ("response", &["--source", "V1", "--signal", "nowhere.v"], "nowhere"),
        ("response", &["--source", "V1", "--signal", "Q1.p"], "Q1.p is a power"),
        ("impedance", &["--net", "nowhere"], "nowhere"),
        ("impedance", &["--net", "out", "--from", "2k", "--to", "1k"], "the first below the last"),
        ("impedance", &["--net", "out", "--from", "2 V"], "2 V"),
    ] {
        let (code, out, error) = mellow_coil(command, "ldo_stable.json", more);
        assert!(code == 2 && out.is_empty() && error.contains(named), "{command} {more:?}: {code} {error}");
    }
    let (code, _, error) = mellow_coil("operating-point", "missing.json", &[]);
    assert!(code == 2 && error.contains("missing.json"), "{error}");
}

/// What is done to a document.
type Change<'a> = &'a dyn Fn(&mut Value);

/// The tide gauge's document, changed, as a file that is there as long as the folder is.
fn changed(folder: &Path, change: impl Fn(&mut Value)) -> std::path::PathBuf {
    let mut document: Value = serde_json::from_str(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap();
    change(&mut document);
    let file = folder.join("changed.json");
    std::fs::write(&file, document.to_string()).unwrap();
    file
}

fn on_file(arguments: &[&str], file: &Path) -> (i32, String, String) {
    let (command, more) = arguments.split_first().unwrap();
    mellow_coil(command, file.to_str().unwrap(), more)
}

/// Whatever is wrong with a document, the exit code is 2, place and remedy are named, and nothing is written.
#[test]
fn bad_documents_are_refused_by_every_command_in_text_and_json() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("traces");
    let pulse = json!({ "id": "V2", "kind": "pulse_source", "pins": { "plus": "bus", "minus": "gnd" },
        "parameters": { "width": "7m", "period": "5m" } });
    let cases: [(&str, Change<'_>); 8] = [
        ("longer than its period", &|d| d["parts"].as_array_mut().unwrap().push(pulse.clone())),
        ("letters, digits", &|d| d["studies"][0]["id"] = "../x".into()),
        ("cannot name a net", &|d| d["parts"][8]["pins"]["a"] = "b\u{7}us".into()),
        ("Duration of study switch_on", &|d| d["studies"][0]["duration"] = "-1".into()),
        ("parts[2]", &|d| d["parts"][2]["kind"] = "flux_capacitor".into()),
        ("D1", &|d| d["parts"][3]["at"]["x"] = 100_000.into()),
        ("text", &|d| d["title"] = 7.into()),
        ("newer", &|d| d["mellow_coil"] = 2.into()),
    ];
    for (named, change) in cases {
        let file = changed(folder.path(), change);
        for command in [&["check"][..], &["run", "--out", out.to_str().unwrap()], &["operating-point"]] {
            let (code, said, error) = on_file(command, &file);
            assert!(code == 2 && format!("{said}{error}").contains(named), "{command:?} {named}: {code} {said}{error}");
            assert!(!format!("{said}{error}").contains("struct"), "{error}");
            let (code, said, _) = on_file(&[command, &["--json"]].concat(), &file);
            assert!(code == 2, "{command:?} {named}");
            let answer: Value = serde_json::from_str(&said).unwrap_or_else(|_| panic!("{command:?} {named}: {said}"));
            assert!(answer.to_string().contains(named), "{answer}");
        }
    }
    assert!(!out.exists() && !folder.path().join("x").exists());
    for (text, named) in [("{\"mellow_coil\": 1, ", "line 1"), ("", "line 1"), ("[1]", "object")] {
        let file = folder.path().join("odd.json");
        std::fs::write(&file, text).unwrap();
        let (code, _, error) = on_file(&["check"], &file);
        assert!(code == 2 && error.contains(named), "{text}: {error}");
    }
}

#[test]
fn a_run_exits_with_how_it_ended_and_writes_its_traces() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("traces");
    let short = |d: &mut Value| d["studies"][0]["duration"] = "40m".into();
    // A byte-order mark, as some editors write it, is nothing wrong.
    let file = changed(folder.path(), short);
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, format!("\u{feff}{text}")).unwrap();
    let (code, said, error) = on_file(&["run", "--out", out.to_str().unwrap()], &file);
    assert!(code == 0 && said.contains("Bus voltage"), "{said}{error}");
    let written: Vec<_> = std::fs::read_dir(&out).unwrap().map(|entry| entry.unwrap().path()).collect();
    let table = std::fs::read_to_string(&written[0]).unwrap();
    assert!(written.len() == 1 && table.lines().next().unwrap().contains("bus.v"), "{written:?}");
    assert!(table.lines().count() > 100);
    // A winding across an ideal source has no operating point to begin a load step from.
    let stuck = |d: &mut Value| {
        short(d);
        d["studies"][0]["kind"] = "load_step".into();
        d["parts"][0] = json!({ "id": "V1", "kind": "dc_source", "pins": d["parts"][0]["pins"], "parameters": { "voltage": "12" } });
        d["parts"][1]["parameters"]["primary_resistance"] = "0".into();
        d["readings"] = json!([]);
        d["requirements"] = json!([]);
    };
    let (code, said, error) = on_file(&["run"], &changed(folder.path(), stuck));
    assert!(code == 1 && format!("{said}{error}").contains("T1"), "{code} {said}{error}");
    // Nobody reads what is printed: no complaint.
    let program = env!("CARGO_BIN_EXE_mellow-coil");
    let closed = Command::new("sh").args(["-c", &format!("{program} schema | head -c 10")]).output().unwrap();
    assert_eq!((closed.stdout.len(), String::from_utf8_lossy(&closed.stderr)), (10, "".into()));
}

/// Every command's exit codes: 0 for done, 1 for what could not be done, 2 for what was not asked rightly.
#[test]
fn every_command_exits_with_what_it_came_to() {
    let folder = tempfile::tempdir().unwrap();
    let good = changed(folder.path(), |d| d["notes"] = "As it is.".into());
    let good = good.to_str().unwrap();
    let ldo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../device/tests/circuits/ldo_stable.json");
    let ldo = ldo.to_str().unwrap();
    let occupied = folder.path().join("occupied");
    std::fs::write(&occupied, "a file, not a folder").unwrap();
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let listen = taken.local_addr().unwrap().to_string();
    // Nobody listens at the port of a listener that is gone.
    let nowhere = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let nowhere = format!("postgres://nobody@{nowhere}/nothing");
    let sweep = ["--to", "1M"];
    let cases: [(i32, &str, &[&str]); 23] = [
        (0, "nothing to complain of", &["check", good]),
        (0, "Readings", &["run", good]),
        (0, "\"readings\"", &["run", good, "--json"]),
        (2, "no study named noon", &["run", good, "--study", "noon"]),
        (1, "occupied", &["run", good, "--out", occupied.to_str().unwrap()]),
        (0, "Powers absorbed", &["operating-point", ldo]),
        (0, "out.v per volt", &[&["response", ldo, "--source", "V1", "--signal", "out.v"], &sweep[..]].concat()),
        (2, "V9", &[&["response", ldo, "--source", "V9", "--signal", "out.v"], &sweep[..]].concat()),
        (0, "Ω", &[&["impedance", ldo, "--net", "out"], &sweep[..]].concat()),
        (0, "Phase margin", &["loop-gain", ldo, "--pin", "U1.inp", "--to", "100M"]),
        (2, "no.json", &["check", "no.json"]),
        (2, "no.json", &["loop-gain", "no.json", "--pin", "U1.inp"]),
        (2, "required", &["response", ldo]),
        (0, "power_factor           Power factor (a plain number)", &["measures"]),
        (0, "mellow_coil", &["schema"]),
        (0, "openapi", &["openapi"]),
        (0, "Usage", &["--help"]),
        (2, "soldier", &["soldier"]),
        (2, "Usage", &[]),
        (2, "invalid value", &["serve", "--database-url", &nowhere, "--listen", "here"]),
        (1, "cannot be migrated", &["migrate", "--database-url", &nowhere]),
        (1, "database", &["load-demo", "--database-url", &nowhere]),
        (1, &listen, &["serve", "--database-url", &nowhere, "--listen", &listen, "--no-worker"]),
    ];
    for (expected, named, arguments) in cases {
        let mut command = Command::new(env!("CARGO_BIN_EXE_mellow-coil"));
        let output = command.args(arguments).env_remove("DATABASE_URL").output().unwrap();
        let all = String::from_utf8([output.stdout, output.stderr].concat()).unwrap();
        assert_eq!(output.status.code(), Some(expected), "{arguments:?}: {all}");
        assert!(all.contains(named), "{arguments:?}: {named} is not in {all}");
        assert!(!all.contains("panicked"), "{all}");
    }
    assert_eq!(std::fs::read_to_string(&occupied).unwrap(), "a file, not a folder");
}
