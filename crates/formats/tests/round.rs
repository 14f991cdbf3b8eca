//! What is written is read back, however times and values lie; what cannot be read is said with its line.

use mellow_formats::{Column, Table, arrow, comtrade, csv, parquet, read};
use proptest::prelude::*;

fn column(name: &str, unit: &str, values: Vec<f64>) -> Column {
    Column { name: name.to_owned(), unit: unit.to_owned(), values }
}

prop_compose! {
    fn tables()(steps in prop::collection::vec(1e-7..1e-3f64, 2..60), scale in 1e-3..1e3f64, seed in any::<u32>(), even in any::<bool>()) -> Table {
        let mut t = 0.0;
        let step = steps[0];
        let times: Vec<f64> = steps.iter().enumerate().map(|(k, h)| {
            if even { k as f64 * step } else { t += h; t }
        }).collect();
        let wave = |f: f64| times.iter().enumerate().map(|(k, _)| scale * (f * k as f64 + f64::from(seed)).sin()).collect();
        let columns = vec![column("bus.v", "V", wave(0.7)), column("V1.v - R1.v", "V", wave(1.3)), column("level", "", vec![2.5; times.len()])];
        Table { columns, times }
    }
}

fn largest(values: &[f64]) -> f64 {
    values.iter().fold(0.0f64, |most, v| most.max(v.abs()))
}

proptest! {
    #[test]
    fn csv_comes_back_to_the_bit(table in tables()) {
        let sheet = read("x.csv", &csv(&table).unwrap()).unwrap();
        prop_assert_eq!(sheet.time, Some(0));
        prop_assert_eq!(&sheet.columns[0].values, &table.times);
        prop_assert_eq!(&sheet.columns[1..], &table.columns[..]);
    }

    #[test]
    fn comtrade_comes_back_within_its_resolution(table in tables()) {
        let sheet = read("x.cff", &comtrade("Tide gauge, berth 2", &table).unwrap()).unwrap();
        let end = table.times[table.times.len() - 1];
        for (a, b) in sheet.columns[0].values.iter().zip(&table.times) {
            prop_assert!((a - b).abs() <= 3e-10 * end + 1e-15, "{} {}", a, b);
        }
        for (found, written) in sheet.columns[1..].iter().zip(&table.columns) {
            prop_assert_eq!((&found.name, &found.unit), (&written.name, &written.unit));
            for (a, b) in found.values.iter().zip(&written.values) {
                prop_assert!((a - b).abs() <= 1e-9 * largest(&written.values), "{} {}", a, b);
            }
        }
    }

    /// Whatever instruments and spreadsheets make of the same numbers is read as the same numbers.
    #[test]
    fn other_dialects_are_found_out(table in tables(), dialect in 0usize..6) {
        let (delimiter, comma) = [(",", false), (";", true), (";", false), ("\t", true), ("\t", false), (",", false)][dialect];
        let number = |v: f64| { let text = format!("{v:e}"); if comma { text.replace('.', ",") } else { text } };
        let mut text = match dialect {
            0 => "Time,CH1,CH2,CH3\n(s),(V),(mV),\n".to_owned(),
            1 => "Zeit/s;U1/V;U2/mV;x\n".to_owned(),
            5 => "Model,Bench 4\nPoints,30\n\nTime (s),CH1 (V),CH2 (mV),CH3\n".to_owned(),
            _ => ["Time [s]", "CH1 [V]", "CH2 [mV]", "CH3"].join(delimiter) + "\n",
        };
        for (k, t) in table.times.iter().enumerate() {
            let row: Vec<String> = std::iter::once(*t).chain(table.columns.iter().map(|c| c.values[k])).map(number).collect();
            text += &(row.join(delimiter) + if dialect == 5 { ",\r\n" } else { "\n" });
        }
        let sheet = read("scope.txt", text.as_bytes()).unwrap();
        prop_assert_eq!(sheet.columns.len(), 4);
        prop_assert_eq!(sheet.time, Some(0));
        prop_assert_eq!(&sheet.columns[0].values, &table.times);
        prop_assert_eq!(&sheet.columns[2].values, &table.columns[1].values);
        let units: Vec<&str> = sheet.columns.iter().map(|c| c.unit.as_str()).collect();
        prop_assert_eq!(units, ["s", "V", "mV", ""]);
    }

    /// Damage is an error or other numbers, never a panic.
    #[test]
    fn damaged_files_are_refused_in_words(table in tables(), at in any::<prop::sample::Index>(), byte in any::<u8>(), cut in any::<prop::sample::Index>()) {
        for file in [csv(&table).unwrap(), comtrade("S", &table).unwrap()] {
            let mut damaged = file.clone();
            let k = at.index(damaged.len());
            damaged[k] = byte;
            damaged.truncate(cut.index(damaged.len()) + 1);
            for name in ["x.csv", "x.cff"] {
                if let Err(error) = read(name, &damaged) {
                    prop_assert!(error.to_string().len() > 10);
                }
            }
        }
    }
}

/// A record as IEEE C37.111-1999 describes them, in two files and with samples as text and as 16-bit numbers (written by
/// hand, from memory of the standard).
#[test]
fn older_records_are_read() {
    let cfg = |form: &str| {
        format!(
            "Berth 2,IED 7,1999\n3,2A,1D\n1,VA,A,,V,0.01,0,0,-32767,32767,230,1,S\n2,IA,A,,A,0.001,0.5,0,-32767,32767,5,1,S\n\
             1,TRIP,,,0\n50\n1\n1000,4\n01/02/2024,10:00:00.000000\n01/02/2024,10:00:00.002000\n{form}\n1\n"
        )
    };
    let ascii = format!(
        "--- file type: CFG ---\n{}--- file type: DAT ASCII ---\n1,0,100,0,0\n2,1000,200,1000,0\n3,2000,-300,2000,1\n4,3000,0,0,1\n",
        cfg("ASCII")
    );
    let trip = vec![0.0, 0.0, 1.0, 1.0];
    let expected = [vec![0.0, 1e-3, 2e-3, 3e-3], vec![1.0, 2.0, -3.0, 0.0], vec![0.5, 1.5, 2.5, 0.5], trip];
    let check = |bytes: &[u8]| {
        let sheet = read("old.cff", bytes).unwrap();
        assert_eq!(sheet.columns.len(), 4, "states stand behind what is measured");
        for (column, expected) in sheet.columns.iter().zip(&expected) {
            for (a, b) in column.values.iter().zip(expected) {
                assert!((a - b).abs() < 1e-12, "{}: {a} {b}", column.name);
            }
        }
        assert_eq!((sheet.columns[2].name.as_str(), sheet.columns[2].unit.as_str()), ("IA", "A"));
    };
    check(ascii.as_bytes());
    let mut binary =
        format!("--- file type: CFG ---\n{}--- file type: DAT BINARY: 56 ---\n", cfg("BINARY")).into_bytes();
    for (k, (v, i, trip)) in [(100i16, 0i16, 0u16), (200, 1000, 0), (-300, 2000, 1), (0, 0, 1)].into_iter().enumerate()
    {
        binary.extend((k as u32 + 1).to_le_bytes());
        binary.extend((1000 * k as u32).to_le_bytes());
        binary.extend(v.to_le_bytes());
        binary.extend(i.to_le_bytes());
        binary.extend(trip.to_le_bytes());
    }
    check(&binary);
}

/// States of any number of digital channels, sixteen to a word; and text in the encodings instruments write.
#[test]
fn states_and_encodings_are_read() {
    for count in [1usize, 15, 16, 17, 40] {
        let names: String = (1..=count).map(|k| format!("{k},S{k},,,0\n")).collect();
        let cfg = format!(
            "--- file type: CFG ---\nBerth 2,IED,1999\n{},0A,{count}D\n{names}50\n1\n1000,64\n01/02/2024,10:00:00.000000\n\
             01/02/2024,10:00:00.000000\nBINARY\n1\n--- file type: DAT BINARY ---\n",
            count
        );
        let on = |row: u32, state: usize| (row as usize * 7 + state * state).is_multiple_of(3);
        let mut file = cfg.into_bytes();
        for row in 0..64u32 {
            file.extend((row + 1).to_le_bytes());
            file.extend([0; 4]);
            for word in 0..count.div_ceil(16) {
                let bits = (0..16).filter(|bit| 16 * word + bit < count && on(row, 16 * word + bit));
                file.extend(bits.fold(0u16, |all, bit| all | 1 << bit).to_le_bytes());
            }
        }
        let sheet = read("states.cff", &file).unwrap();
        assert_eq!(sheet.columns.len(), count + 1);
        for (state, column) in sheet.columns[1..].iter().enumerate() {
            assert_eq!(column.name, format!("S{}", state + 1));
            assert!(column.values.iter().zip(0..).all(|(v, row)| (*v == 1.0) == on(row, state)), "{count}: {state}");
        }
    }
    let text = "Zeit [µs];Spannung größe [V]\n0;1,5\n10;-2,25\n20;3\n";
    let wide = |bytes: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(bytes).collect::<Vec<u8>>();
    let files = [
        text.as_bytes().to_vec(),
        [b"\xef\xbb\xbf", text.as_bytes()].concat(),
        [b"\xff\xfe".to_vec(), wide(u16::to_le_bytes)].concat(),
        [b"\xfe\xff".to_vec(), wide(u16::to_be_bytes)].concat(),
        text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect(),
    ];
    for (k, file) in files.iter().enumerate() {
        let sheet = read("spannung.csv", file).unwrap();
        assert_eq!(sheet.columns[1].values, [1.5, -2.25, 3.0], "{k}");
        assert!(sheet.columns[1].name.starts_with("Spannung größe") && sheet.columns[0].unit == "µs", "{k}: {sheet:?}");
    }
}

/// A missing sample is no number, and not the lowest one there is.
#[test]
fn missing_samples_are_not_taken_for_values() {
    let cfg = |form: &str| {
        format!(
            "--- file type: CFG ---\nBerth 2,IED 7,1999\n1,1A,0D\n1,VA,A,,V,0.01,0,0,-32767,32767,1,1,S\n50\n1\n1000,3\n\
             01/02/2024,10:00:00.000000\n01/02/2024,10:00:00.000000\n{form}\n1\n--- file type: DAT {form} ---\n"
        )
    };
    let binary = |samples: [&[u8]; 3]| {
        let rows = samples.iter().zip(1u32..).map(|(v, k)| [&k.to_le_bytes()[..], &[0; 4], v].concat());
        rows.collect::<Vec<_>>().concat()
    };
    let [a, b] = [100i32, 300];
    let whole = |v: i32| v.to_le_bytes();
    let short = |v: i32| (v as i16).to_le_bytes();
    let real = |v: f32| v.to_le_bytes();
    for (form, data) in [
        ("ASCII", b"1,0,100\n2,1000,99999\n3,2000,300\n".to_vec()),
        ("BINARY", binary([&short(a), &i16::MIN.to_le_bytes(), &short(b)])),
        ("BINARY32", binary([&whole(a), &i32::MIN.to_le_bytes(), &whole(b)])),
        ("FLOAT32", binary([&real(100.0), &f32::MIN.to_le_bytes(), &real(300.0)])),
    ] {
        let sheet = read("x.cff", &[cfg(form).into_bytes(), data].concat()).unwrap();
        let values = &sheet.columns[1].values;
        assert!(values.len() == 3 && values[0] == 1.0 && values[1].is_nan() && values[2] == 3.0, "{form}: {values:?}");
    }
}

#[test]
fn what_is_wrong_is_said_with_its_line() {
    let said = |name: &str, text: &str| read(name, text.as_bytes()).unwrap_err().to_string();
    assert!(said("a.csv", "t,v\n0,1\n1,2\n2,oops\n3,4\n").contains("line 4, column 2: “oops”"));
    assert!(said("a.csv", "nothing here").contains("no table of numbers"));
    assert!(said("a.csv", "").contains("no table of numbers"));
    assert!(said("a.cff", "--- file type: CFG ---\nx,y,2013\n1,1A,0D\n").contains("line 3"));
    assert!(
        said("a.cff", "--- file type: CFG ---\nx,y,1999\n1,1A,0D\n1,VA,,,V,big,0\n").contains("“big” is no factor")
    );
    assert!(said("a.cff", "junk").contains("CFG"));
}

/// Arrow and Parquet read back by their own readers; the independent ones are in `written.rs`.
#[test]
fn columnar_files_name_their_units() {
    let table = Table { times: vec![0.0, 1e-3], columns: vec![column("bus.v", "V", vec![1.0, 2.0])] };
    let bytes = arrow(&table).unwrap();
    assert!(bytes.starts_with(b"ARROW1"));
    assert!(parquet(&table).unwrap().starts_with(b"PAR1"));
    let short = Table { times: vec![0.0], ..table };
    assert!(arrow(&short).is_err() && parquet(&short).is_err());
}
