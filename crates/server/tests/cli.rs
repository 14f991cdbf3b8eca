//! The command line on documents, without a database.

use std::path::Path;
use std::process::Command;

/// Exit code, standard output and standard error of a command on a document of the engine's corpus.
fn mellow_coil(command: &str, document: &str, more: &[&str]) -> (i32, String, String) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../engine/tests/circuits").join(document);
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
        ("response", &["--source", "V9", "--signal", "out.v"], "voltage source V9"),
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
