//! Tables of numbers in text: CSV as RFC 4180 has it, and what instruments and spreadsheets make of it.

use crate::table::{Column, Data, FormatError, MOST_VALUES, Sheet, Table};

/// The table as CSV (RFC 4180): the time first, units in the heads.
///
/// # Errors
/// [`FormatError`] if it cannot be written.
pub fn csv(table: &Table) -> Result<Data, FormatError> {
    along("t [s]", table)
}

/// The same of columns over frequency, Hz, which stands where the table has its times.
///
/// # Errors
/// As [`csv()`].
pub fn csv_over_frequency(table: &Table) -> Result<Data, FormatError> {
    along("f [Hz]", table)
}

fn along(first: &str, table: &Table) -> Result<Data, FormatError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    // A head that begins with a sign would be worked out by a spreadsheet.
    let bare = |text: &str| if text.starts_with(['=', '+', '-', '@']) { format!("({text})") } else { text.to_owned() };
    let head = |column: &Column| match column.unit.as_str() {
        "" => bare(&column.name),
        unit => format!("{} [{unit}]", bare(&column.name)),
    };
    let mut rows = || {
        writer.write_record(std::iter::once(first.to_owned()).chain(table.columns.iter().map(head)))?;
        for (k, t) in table.times.iter().enumerate() {
            let value =
                |c: &Column| c.values.get(k).filter(|v| v.is_finite()).map_or(String::new(), |v| format!("{v:e}"));
            writer.write_record(std::iter::once(format!("{t:e}")).chain(table.columns.iter().map(value)))?;
        }
        Ok::<_, csv::Error>(())
    };
    rows().map_err(|error| FormatError(error.to_string()))?;
    writer.into_inner().map_err(|error| FormatError(error.to_string()))
}

/// Lines before the values at most.
const MOST_PREAMBLE: usize = 500;

/// Text in UTF-8, in UTF-16 with its mark, or else taken for Latin-1, as older instruments write it.
pub(crate) fn text(bytes: &[u8]) -> String {
    let wide = |little: bool| {
        let units = bytes[2..].chunks_exact(2).map(|b| {
            let pair = [b[0], b[1]];
            if little { u16::from_le_bytes(pair) } else { u16::from_be_bytes(pair) }
        });
        String::from_utf16_lossy(&units.collect::<Vec<_>>())
    };
    match bytes {
        [0xff, 0xfe, ..] => wide(true),
        [0xfe, 0xff, ..] => wide(false),
        _ => match std::str::from_utf8(bytes) {
            Ok(text) => text.trim_start_matches('\u{feff}').to_owned(),
            Err(_) => bytes.iter().map(|b| char::from(*b)).collect(),
        },
    }
}

/// How a table is written.
#[derive(Clone, Copy)]
struct Dialect {
    delimiter: u8,
    decimal_comma: bool,
}

impl Dialect {
    fn number(self, field: &str) -> Option<f64> {
        let field = field.trim();
        if self.decimal_comma { field.replace(',', ".").parse().ok() } else { field.parse().ok() }
    }

    fn rows(self, text: &str) -> csv::StringRecordsIntoIter<&[u8]> {
        csv::ReaderBuilder::new()
            .delimiter(self.delimiter)
            .has_headers(false)
            .flexible(true)
            .from_reader(text.as_bytes())
            .into_records()
    }

    /// Numbers of a row; none if a field is neither a number nor empty, or all are empty.
    fn values(self, row: &csv::StringRecord) -> Option<Vec<f64>> {
        let value = |field: &str| if field.trim().is_empty() { Some(f64::NAN) } else { self.number(field) };
        let values: Vec<f64> = row.iter().map(value).collect::<Option<_>>()?;
        values.iter().any(|v| v.is_finite()).then_some(values)
    }
}

/// The first row of values and how many there are in each.
struct Begin {
    row: usize,
    width: usize,
}

/// Where values begin: the first of two rows of numbers alike in length.
fn begin(dialect: Dialect, text: &str) -> Option<Begin> {
    let rows: Vec<Option<usize>> = dialect
        .rows(text)
        .take(MOST_PREAMBLE)
        .map(|row| dialect.values(&row.ok()?).map(|values| values.len()))
        .collect();
    // What is wrong further on is to be found there, not taken for a preamble.
    let alike = |from: usize| {
        let width = (*rows.get(from)?)?;
        (width > 1 && rows.get(from + 1) == Some(&Some(width))).then_some(width)
    };
    (0..rows.len()).find_map(|row| alike(row).map(|width| Begin { row, width }))
}

/// Reads a table: the delimiter, the decimal mark and the lines before the values are found out.
///
/// # Errors
/// [`FormatError`] if there is no table of at least two columns in it, or with the line that breaks it.
pub(crate) fn read(bytes: &[u8]) -> Result<Sheet, FormatError> {
    let text = text(bytes);
    let dialects = [(b',', false), (b';', true), (b';', false), (b'\t', true), (b'\t', false)];
    let dialects = dialects.map(|(delimiter, decimal_comma)| Dialect { delimiter, decimal_comma });
    // The one that finds most columns; of those alike the one whose decimal mark is there.
    let fitting = dialects.into_iter().filter_map(|dialect| Some((begin(dialect, &text)?, dialect)));
    let plain = !text.contains(',');
    let best = fitting.max_by_key(|(begin, dialect)| (begin.width, dialect.decimal_comma != plain));
    let Some((Begin { row: first, width }, dialect)) = best else {
        let message = "there is no table of numbers in it: at least a column of times and one of values, side by side, \
                       parted by commas, semicolons or tabs";
        return Err(FormatError(message.to_owned()));
    };
    let mut heads: Vec<csv::StringRecord> = Vec::new();
    let mut columns = vec![Column::default(); width];
    let mut first_line = 0;
    for (k, row) in dialect.rows(&text).enumerate() {
        let row = row.map_err(|error| FormatError(error.to_string()))?;
        let line = row.position().map_or(0, csv::Position::line) as usize;
        if k < first {
            heads.push(row);
            continue;
        }
        if k == first {
            first_line = line;
        }
        if row.iter().all(|field| field.trim().is_empty()) {
            continue;
        }
        for (at, column) in columns.iter_mut().enumerate() {
            let field = row.get(at).unwrap_or_default();
            let value = if field.trim().is_empty() { Some(f64::NAN) } else { dialect.number(field) };
            let value = value.ok_or_else(|| {
                FormatError(format!("line {line}, column {}: “{}” is no number", at + 1, field.trim()))
            })?;
            column.values.push(value);
        }
        if columns[0].values.len() * width > MOST_VALUES {
            return Err(FormatError(format!(
                "it has more than {MOST_VALUES} values; export fewer samples or channels"
            )));
        }
    }
    name(&mut columns, &heads);
    // A last column that is empty throughout comes of delimiters at the ends of lines.
    columns.retain(|column| !column.name.is_empty() || column.values.iter().any(|v| !v.is_nan()));
    for (k, column) in columns.iter_mut().enumerate().filter(|(_, c)| c.name.is_empty()) {
        column.name = format!("column {}", k + 1);
    }
    Ok(Sheet { time: time(&columns), columns, first_line })
}

/// Names from the last line before the values that has one for each column; units from there or from the line between.
fn name(columns: &mut [Column], heads: &[csv::StringRecord]) {
    let fits = |row: &&csv::StringRecord| {
        row.len() + 1 >= columns.len() && row.iter().filter(|f| !f.trim().is_empty()).count() + 1 >= columns.len()
    };
    let mut fitting = heads.iter().rev().take(2).filter(fits);
    let (Some(last), before) = (fitting.next(), fitting.next()) else { return };
    // Units stand in a line of their own, beneath the names, if all of them look like units.
    let units = |row: &csv::StringRecord| row.iter().all(|field| unit_alone(field).is_some());
    match before.filter(|_| units(last)) {
        Some(names) => {
            for (column, (name, unit)) in columns.iter_mut().zip(names.iter().zip(last.iter())) {
                let (name, own) = parted(name);
                column.name = name;
                column.unit = if own.is_empty() { unit_alone(unit).unwrap_or_default() } else { own };
            }
        }
        None => {
            for (column, field) in columns.iter_mut().zip(last.iter()) {
                (column.name, column.unit) = parted(field);
            }
        }
    }
}

/// A name and the unit behind it: `Vout [V]`, `Vout (V)`, `Vout/V`.
fn parted(head: &str) -> (String, String) {
    let head = head.trim();
    for (open, close) in [('[', ']'), ('(', ')')] {
        if let Some((name, unit)) = head.strip_suffix(close).and_then(|rest| rest.rsplit_once(open)) {
            return (name.trim().to_owned(), unit.trim().to_owned());
        }
    }
    match head.rsplit_once('/') {
        Some((name, unit)) if unit_alone(unit).is_some_and(|u| !u.is_empty()) => {
            (name.trim().to_owned(), unit.trim().to_owned())
        }
        _ => (head.to_owned(), String::new()),
    }
}

/// A unit with or without brackets; none if it does not look like one.
fn unit_alone(field: &str) -> Option<String> {
    let bare = field.trim().trim_matches(['[', ']', '(', ')']);
    (scale(bare).is_some() || bare.is_empty()).then(|| bare.to_owned())
}

/// What a value in a unit is in SI units: `mV` is 1e-3; none if it is not one of time, voltage, current or power.
pub(crate) fn scale(unit: &str) -> Option<f64> {
    let base = |text: &str| {
        matches!(
            text,
            "s" | "V"
                | "A"
                | "W"
                | "VA"
                | "sec"
                | "Sec"
                | "Volt"
                | "Volts"
                | "volt"
                | "Ampere"
                | "Amps"
                | "Second"
                | "seconds"
        )
    };
    if base(unit) {
        return Some(1.0);
    }
    let prefixes =
        [("k", 1e3), ("M", 1e6), ("m", 1e-3), ("u", 1e-6), ("µ", 1e-6), ("μ", 1e-6), ("n", 1e-9), ("p", 1e-12)];
    prefixes.iter().find_map(|(prefix, scale)| unit.strip_prefix(prefix).filter(|rest| base(rest)).map(|_| *scale))
}

/// The column that looks like the time: called so, or the first that only grows.
fn time(columns: &[Column]) -> Option<usize> {
    let grows = |column: &Column| column.values.len() > 1 && column.values.windows(2).all(|v| v[0] < v[1]);
    let called = |column: &Column| {
        let name = column.name.to_lowercase();
        name == "t" || ["time", "zeit", "temps", "second"].iter().any(|word| name.starts_with(word))
    };
    let growing = || columns.iter().enumerate().filter(|(_, column)| grows(column));
    growing().find(|(_, column)| called(column)).or_else(|| growing().next()).map(|(k, _)| k)
}
