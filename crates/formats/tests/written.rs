//! Files written here as independent readers read them (`reference/formats.py`: pyarrow, and the `comtrade` package of the
//! Python registry). `MELLOW_COIL_WRITE=1` writes the files anew; the script then has to be run again.

use mellow_formats::{Column, Data, Table, arrow, comtrade, csv, parquet};
use serde_json::Value;
use std::path::Path;

/// A capacitor charged through a resistor, at uneven times.
fn table() -> Table {
    let times: Vec<f64> = (0..40).map(|k| 2.5e-6 * f64::from(k * k)).collect();
    let of = |f: &dyn Fn(f64) -> f64| times.iter().map(|t| f(*t)).collect::<Vec<f64>>();
    let column = |name: &str, unit: &str, values| Column { name: name.to_owned(), unit: unit.to_owned(), values };
    let columns = vec![
        column("bus.v", "V", of(&|t| 12.0 * (1.0 - (-t / 1e-3).exp()))),
        column("R1.i", "A", of(&|t| 0.12 * (-t / 1e-3).exp())),
        column("bus.v * R1.i", "W", of(&|t| 1.44 * (-t / 1e-3).exp() * (1.0 - (-t / 1e-3).exp()))),
    ];
    Table { times, columns }
}

#[test]
fn independent_readers_read_what_is_written() {
    let table = table();
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/written");
    let files: [(&str, Data); 4] = [
        ("traces.csv", csv(&table).unwrap()),
        ("traces.arrow", arrow(&table).unwrap()),
        ("traces.parquet", parquet(&table).unwrap()),
        ("traces.cff", comtrade("Tide gauge", &table).unwrap()),
    ];
    if std::env::var_os("MELLOW_COIL_WRITE").is_some() {
        files.iter().for_each(|(name, bytes)| std::fs::write(folder.join(name), bytes).unwrap());
    }
    let read: Value =
        serde_json::from_slice(&std::fs::read(folder.join("read.json")).unwrap_or_default()).unwrap_or_default();
    for (name, bytes) in files {
        assert!(
            std::fs::read(folder.join(name)).unwrap() == bytes,
            "{name} is written otherwise than it was when it was read"
        );
        // What a record is scaled by is said in its own configuration.
        let within = if name == "traces.cff" { 1e-7 } else { 1e-15 };
        for (column, expected) in
            std::iter::once(("t", &table.times)).chain(table.columns.iter().map(|c| (c.name.as_str(), &c.values)))
        {
            let found = read["files"][name]["columns"][column]
                .as_array()
                .unwrap_or_else(|| panic!("{name}: {column} was not read"));
            let most = expected.iter().fold(0.0f64, |m, v| m.max(v.abs()));
            assert_eq!(found.len(), expected.len());
            for (a, b) in found.iter().zip(expected) {
                assert!((a.as_f64().unwrap() - b).abs() <= within * most, "{name}, {column}: {a} {b}");
            }
        }
        let units = &read["files"][name]["units"];
        assert_eq!(*units, serde_json::json!(["s", "V", "A", "W"]), "{name}");
    }
}
