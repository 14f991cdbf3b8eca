//! Reading, printing and preferred values.

use mellow_quantity::{ParseErrorKind, Series, Unit, entry, parse, show};
use proptest::prelude::*;

#[test]
fn reads_what_engineers_type() {
    // Letter code: IEC 60062 (RKM code). `5V1` for a Zener voltage is common practice.
    let cases = [
        ("4k7", Unit::Ohm, 4700.0),
        ("4.7k", Unit::Ohm, 4700.0),
        ("4.7 kΩ", Unit::Ohm, 4700.0),
        ("R47", Unit::Ohm, 0.47),
        ("2R2", Unit::Ohm, 2.2),
        ("1M", Unit::Ohm, 1e6),
        ("100n", Unit::Farad, 100e-9),
        ("p33", Unit::Farad, 0.33e-12),
        ("2m2", Unit::Farad, 2.2e-3),
        ("2200 µF", Unit::Farad, 2200e-6),
        ("1e-3", Unit::Second, 1e-3),
        ("1E3k", Unit::One, 1e6),
        ("230 V", Unit::Volt, 230.0),
        ("230V", Unit::Volt, 230.0),
        ("5V1", Unit::Volt, 5.1),
        ("-12", Unit::Volt, -12.0),
        ("−12 mV", Unit::Volt, -0.012),
        ("  50 Hz ", Unit::Hertz, 50.0),
        ("20m", Unit::Second, 0.02),
        ("3 m s", Unit::Second, 3e-3),
        (".5", Unit::One, 0.5),
        // A share is typed in per cent, or as the ratio it is.
        ("65 %", Unit::Share, 0.65),
        ("0.5%", Unit::Share, 0.005),
        ("0.65", Unit::Share, 0.65),
        ("-2e1 %", Unit::Share, -0.2),
        ("90°", Unit::Degree, 90.0),
        ("1 F", Unit::Farad, 1.0),
        ("1 fF", Unit::Farad, 1e-15),
        ("1 MHz", Unit::Hertz, 1e6),
        ("1 A", Unit::Ampere, 1.0),
    ];
    for (text, unit, value) in cases {
        assert_eq!(parse(text, unit), Ok(value), "{text}");
    }
}

#[test]
fn errors_point_at_the_character() {
    let message = |text, unit| parse(text, unit).unwrap_err().to_string();
    insta::assert_snapshot!(
        [
            message("", Unit::Ohm),
            message("4,7k", Unit::Ohm),
            message("4.7q", Unit::Ohm),
            message("470 µV", Unit::Farad),
            message("1e", Unit::Volt),
            message("1e999", Unit::Volt),
            message("NaN", Unit::Volt),
            message("inf", Unit::Volt),
            message("4k7k", Unit::Ohm),
            message("12 kk", Unit::Ohm),
        ]
        .join("\n"),
        @r"
    no value given; type a number such as 4k7, 4.7k or 4.7e3 (character 1)
    use a point as the decimal mark (character 2)
    “q” is not understood here; accepted are f p n µ m k M G T and the unit Ω (character 4)
    a capacitance is asked for here, but “µV” is a voltage (character 5)
    a digit is needed here; type a number such as 4k7, 4.7k or 4.7e3 (character 3)
    the value is too large or not a number (character 1)
    a digit is needed here; type a number such as 4k7, 4.7k or 4.7e3 (character 1)
    a digit is needed here; type a number such as 4k7, 4.7k or 4.7e3 (character 1)
    “k” is not understood here; accepted are f p n µ m k M G T and the unit Ω (character 4)
    “k” is not understood here; accepted are f p n µ m k M G T and the unit Ω (character 5)
    "
    );
    assert_eq!(parse("3 V", Unit::Ampere).unwrap_err().at, 2);
    assert!(matches!(parse("3 V", Unit::Ampere).unwrap_err().kind, ParseErrorKind::WrongUnit { .. }));
}

#[test]
fn prints_for_people() {
    let shown = [
        show(4700.0, Unit::Ohm, 4),
        show(0.0022, Unit::Farad, 4),
        show(-1.23456, Unit::Volt, 4),
        show(999.96, Unit::Volt, 4),
        show(0.0, Unit::Ampere, 3),
        show(0.5, Unit::One, 3),
        show(45.0, Unit::Degree, 3),
        show(1e-20, Unit::Ampere, 3),
        show(f64::NAN, Unit::Ampere, 3),
    ]
    .map(|s| s.replace('\u{2009}', " "));
    assert_eq!(shown, ["4.7 kΩ", "2.2 mF", "−1.235 V", "1 kV", "0 A", "0.5", "45°", "1e-20 A", "–"]);
}

#[test]
fn preferred_values_are_those_of_the_standard() {
    // IEC 60063: E12 in full; 9.20 is the exception in E192; sample rows of E48 and E96.
    let e12: Vec<u32> = Series::E12.decade().collect();
    assert_eq!(e12, [100, 120, 150, 180, 220, 270, 330, 390, 470, 560, 680, 820]);
    assert_eq!(Series::E3.decade().collect::<Vec<_>>(), [100, 220, 470]);
    assert!(Series::E192.decade().any(|v| v == 920));
    assert!(!Series::E192.decade().any(|v| v == 919));
    for v in [105, 162, 249, 487, 953] {
        assert!(Series::E48.decade().any(|x| x == v), "{v} is in E48");
    }
    for v in [102, 267, 499, 976] {
        assert!(Series::E96.decade().any(|x| x == v), "{v} is in E96");
    }
    assert_eq!(Series::E12.next(8200.0), Some(10_000.0));
    assert_eq!(Series::E12.previous(1e-6), Some(820e-9));
    assert_eq!(Series::E24.nearest(5000.0), Some(5100.0));
    assert_eq!(Series::E96.next(4700.0), Some(4750.0));
    assert_eq!(Series::E12.next(-1.0), None);
    assert_eq!(Series::E12.nearest(f64::NAN), None);
}

proptest! {
    #[test]
    fn entry_reads_back_exactly(value in proptest::num::f64::NORMAL) {
        prop_assert_eq!(parse(&entry(value), Unit::One), Ok(value));
    }

    #[test]
    fn shown_values_read_back_nearly(mantissa in 0.1f64..10.0, exponent in -12i32..12) {
        let value = mantissa * 10f64.powi(exponent);
        let back = parse(&show(value, Unit::Volt, 5), Unit::Volt).unwrap();
        prop_assert!((back / value - 1.0).abs() < 1e-4);
    }

    #[test]
    fn any_text_is_read_or_refused_with_a_place(text in "\\PC{0,12}") {
        if let Err(error) = parse(&text, Unit::Ohm) {
            prop_assert!(error.at <= text.chars().count());
        }
    }

    #[test]
    fn neighbours_enclose(value in 1e-12f64..1e12) {
        for series in Series::ALL {
            let (below, above) = (series.previous(value).unwrap(), series.next(value).unwrap());
            prop_assert!(below < value && value < above);
            let nearest = series.nearest(value).unwrap();
            prop_assert!(nearest >= below && nearest <= above);
        }
    }
}

proptest! {
    /// What is shown of a share is read back as the share, in per cent and never with a prefix; no other unit takes a per
    /// cent sign.
    #[test]
    fn shares_are_written_in_per_cent(value in prop_oneof![1e-4f64..1.0, 1.0f64..50.0, -1.0f64..-1e-4]) {
        let shown = show(value, Unit::Share, 12);
        prop_assert!(shown.ends_with("\u{2009}%"), "{shown}");
        let read = parse(&shown.replace('\u{2009}', " "), Unit::Share).unwrap();
        prop_assert!((read / value - 1.0).abs() < 1e-9, "{shown}: {read} for {value}");
        prop_assert!(parse("5 %", Unit::Volt).is_err() && parse("5 %", Unit::One).is_err());
    }
}
