//! COMTRADE, IEEE C37.111 / IEC 60255-24: written as edition 2013 in one file (CFF) with 32-bit samples, read in editions
//! 1991, 1999 and 2013 with samples as text, 16-bit or 32-bit whole numbers, or single-precision numbers.

use crate::delimited::text;
use crate::table::{Column, Data, FormatError, MOST_VALUES, Sheet, Table};
use std::fmt::Write;

/// Counts a whole record's time is divided into, within the 32 bits of a time stamp.
const COUNTS: f64 = 4e9;
/// Largest sample; its negative less one stands for a missing one.
const LARGEST: f64 = 2_147_483_000.0;
/// What stands for a missing sample in text, if not nothing.
const MISSING: &str = "99999";
/// Samples a second that tell apart evenly spaced times from others, relative.
const EVEN: f64 = 1e-6;

/// The table as a COMTRADE record. Times are kept to a part in 4·10⁹ of the record, values to one in 4·10⁹ of their range.
///
/// # Errors
/// [`FormatError`] if there is nothing to write or a value is no number.
pub fn comtrade(station: &str, table: &Table) -> Result<Data, FormatError> {
    let (Some(first), Some(last)) = (table.times.first(), table.times.last()) else {
        return Err(FormatError("there is nothing to write: no sample lies in the span".to_owned()));
    };
    let shift = first.min(0.0);
    let count = 1e6 * (last - shift).max(1e-9) / COUNTS;
    let scales: Vec<(f64, f64)> = table.columns.iter().map(|c| scale(&c.values)).collect();
    let plain = |text: &str| text.replace([',', '\r', '\n'], " ");
    let mut cfg = format!("{},Mellow Coil,2013\r\n{n},{n}A,0D\r\n", plain(station), n = table.columns.len());
    for (k, (column, (a, b))) in table.columns.iter().zip(&scales).enumerate() {
        let (name, unit) = (plain(&column.name), plain(&column.unit));
        // A text that is written cannot fail to be.
        let _ = write!(cfg, "{},{name},,,{unit},{a:e},{b:e},0,-2147483000,2147483000,1,1,P\r\n", k + 1);
    }
    let start = "01/01/2000,00:00:00.000000";
    let (rates, rate) = even_rate(&table.times).map_or((0, 0.0), |rate| (1, rate));
    let _ = write!(
        cfg,
        "0\r\n{rates}\r\n{rate},{}\r\n{start}\r\n{start}\r\nBINARY32\r\n{count:e}\r\n0,0\r\n0,0\r\n",
        table.times.len()
    );
    let mut samples: Vec<u8> = Vec::with_capacity(table.times.len() * (8 + 4 * table.columns.len()));
    for (k, t) in table.times.iter().enumerate() {
        samples.extend((k as u32 + 1).to_le_bytes());
        samples.extend(((1e6 * (t - shift) / count).round() as u32).to_le_bytes());
        for (column, (a, b)) in table.columns.iter().zip(&scales) {
            let value = column.values.get(k).copied().filter(|v| v.is_finite());
            let value = value.ok_or_else(|| FormatError(format!("{} has no value at {t} s", column.name)))?;
            samples.extend(((value - b) / a).round().clamp(-LARGEST, LARGEST).to_le_i32());
        }
    }
    let mut file =
        format!("--- file type: CFG ---\r\n{cfg}--- file type: DAT BINARY32: {} ---\r\n", samples.len()).into_bytes();
    file.extend(samples);
    Ok(file)
}

trait Sample {
    fn to_le_i32(self) -> [u8; 4];
}

impl Sample for f64 {
    fn to_le_i32(self) -> [u8; 4] {
        (self as i32).to_le_bytes()
    }
}

/// What a sample is multiplied by and what is added to it.
fn scale(values: &[f64]) -> (f64, f64) {
    let (low, high) = values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let middle = 0.5 * (low + high);
    let half = (0.5 * (high - low)).max(1e-12 * middle.abs());
    if half > 0.0 && half.is_finite() {
        (half / LARGEST, middle)
    } else {
        (1.0, if middle.is_finite() { middle } else { 0.0 })
    }
}

/// Samples a second of evenly spaced times that begin at zero; none of others.
fn even_rate(times: &[f64]) -> Option<f64> {
    let (first, last) = (times.first()?, times.last()?);
    let step = (last - first) / (times.len().checked_sub(1).filter(|n| *n > 0)? as f64);
    let even = times.windows(2).all(|t| ((t[1] - t[0]) / step - 1.0).abs() < EVEN);
    (even && *first == 0.0).then(|| 1.0 / step)
}

/// The configuration, and how samples are written.
struct Configuration {
    analog: Vec<Channel>,
    /// Names of the channels that are 0 or 1.
    digital: Vec<String>,
    /// Samples a second and the last sample they hold for; empty if time stamps count.
    rates: Vec<(f64, usize)>,
    form: Form,
    /// Seconds a count of a time stamp stands for.
    count: f64,
}

struct Channel {
    name: String,
    unit: String,
    a: f64,
    b: f64,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Form {
    Ascii,
    Binary,
    Binary32,
    Float32,
}

/// The lines of a configuration, with their numbers for messages.
struct Lines<'t> {
    lines: std::str::Lines<'t>,
    number: usize,
}

impl<'t> Lines<'t> {
    fn next(&mut self, what: &str) -> Result<Vec<&'t str>, FormatError> {
        self.number += 1;
        let line = self.lines.next();
        let line =
            line.ok_or_else(|| FormatError(format!("the configuration ends before its line {}: {what}", self.number)))?;
        Ok(line.trim_matches(['\u{1a}', '\r']).split(',').map(str::trim).collect())
    }

    fn number<T: std::str::FromStr>(&self, fields: &[&str], at: usize, what: &str) -> Result<T, FormatError> {
        let field = fields.get(at).copied().unwrap_or_default();
        let wrong = || FormatError(format!("line {} of the configuration: “{field}” is no {what}", self.number));
        field.parse().map_err(|_| wrong())
    }
}

impl Configuration {
    fn read(text: &str) -> Result<Self, FormatError> {
        let mut lines = Lines { lines: text.lines(), number: 0 };
        let head = lines.next("station, device and edition")?;
        let edition = head.get(2).copied().unwrap_or("1991");
        let counts = lines.next("counts of channels")?;
        let counted = |field: Option<&&str>, kind: char| {
            field.and_then(|f| f.trim_end_matches([kind, kind.to_ascii_lowercase()]).parse::<usize>().ok())
        };
        let (Some(analog), Some(digital)) = (counted(counts.get(1), 'A'), counted(counts.get(2), 'D')) else {
            return Err(FormatError(
                "line 2 of the configuration does not say how many channels there are, such as 4,4A,0D".to_owned(),
            ));
        };
        let mut channels = Vec::new();
        for _ in 0..analog.min(10_000) {
            let fields = lines.next("an analog channel")?;
            let text = |at: usize| fields.get(at).copied().unwrap_or_default().to_owned();
            let (a, b) = (lines.number(&fields, 5, "factor")?, lines.number(&fields, 6, "offset")?);
            channels.push(Channel { name: text(1), unit: text(4), a, b });
        }
        let mut states = Vec::new();
        for _ in 0..digital.min(10_000) {
            states.push(lines.next("a digital channel")?.get(1).copied().unwrap_or_default().to_owned());
        }
        lines.next("the line frequency")?;
        let count: Vec<&str> = lines.next("the count of sampling rates")?;
        let count: usize = lines.number(&count, 0, "count of sampling rates")?;
        let mut rates = Vec::new();
        for _ in 0..count.clamp(1, 1000) {
            let fields = lines.next("a sampling rate")?;
            let rate = (lines.number(&fields, 0, "sampling rate")?, lines.number(&fields, 1, "number of a sample")?);
            if count > 0 && rate.0 > 0.0 {
                rates.push(rate);
            }
        }
        let start = lines.next("the time of the first sample")?;
        lines.next("the time of the trigger")?;
        let form = match lines
            .next("how samples are written")?
            .first()
            .copied()
            .unwrap_or_default()
            .to_ascii_uppercase()
            .as_str()
        {
            "ASCII" => Form::Ascii,
            "BINARY" => Form::Binary,
            "BINARY32" => Form::Binary32,
            "FLOAT32" => Form::Float32,
            other => {
                return Err(FormatError(format!(
                    "samples are written as “{other}”, which is none of ASCII, BINARY, BINARY32, FLOAT32"
                )));
            }
        };
        let multiplier = match edition {
            "1991" => 1.0,
            _ => lines.next("the multiplier of time stamps").ok().and_then(|f| f.first()?.parse().ok()).unwrap_or(1.0),
        };
        // Nine digits behind the point of a second make stamps count nanoseconds.
        let fine = start.get(1).and_then(|time| time.rsplit_once('.')).is_some_and(|(_, digits)| digits.len() > 6);
        Ok(Configuration {
            analog: channels,
            digital: states,
            rates,
            form,
            count: multiplier * if fine { 1e-9 } else { 1e-6 },
        })
    }

    /// Time of a sample, counted from 1, by its rate or else by its stamp.
    fn time(&self, sample: usize, stamp: f64) -> f64 {
        if self.rates.is_empty() {
            return stamp * self.count;
        }
        let (mut time, mut before) = (0.0, 1);
        for (rate, last) in &self.rates {
            if sample <= *last {
                return time + (sample - before) as f64 / rate;
            }
            time += (last + 1 - before) as f64 / rate;
            before = last + 1;
        }
        time
    }
}

/// Reads a record in one file.
///
/// # Errors
/// [`FormatError`] with the line of the configuration, or the sample, that cannot be read.
pub(crate) fn read(bytes: &[u8]) -> Result<Sheet, FormatError> {
    let (mut configuration, mut samples) = (None, None);
    let mut rest = bytes;
    while let Some((kind, size, body)) = section(rest) {
        let end = size.unwrap_or_else(|| next_section(body)).min(body.len());
        match kind.as_str() {
            "CFG" => configuration = Some(Configuration::read(&text(&body[..end]))?),
            kind if kind.starts_with("DAT") => samples = Some(&body[..end]),
            _ => {}
        }
        rest = &body[end..];
    }
    let configuration =
        configuration.ok_or_else(|| FormatError("it has no part “--- file type: CFG ---”".to_owned()))?;
    let samples = samples.ok_or_else(|| {
        FormatError("it has no part “--- file type: DAT … ---”; choose the .dat file along with the .cfg".to_owned())
    })?;
    sheet(&configuration, samples)
}

/// The next part of a file: its kind, its size in bytes where that is said, and what follows its head.
fn section(bytes: &[u8]) -> Option<(String, Option<usize>, &[u8])> {
    let start = next_section(bytes);
    let head_end = start + bytes.get(start..)?.iter().position(|b| *b == b'\n')?;
    let head = text(&bytes[start..head_end]).to_ascii_uppercase();
    let head = head.trim().strip_prefix("--- FILE TYPE:")?.trim_end_matches('-').trim().to_owned();
    let (kind, size) = match head.split_once(':') {
        Some((kind, size)) => (kind.trim().to_owned(), size.trim().parse().ok()),
        None => (head, None),
    };
    Some((kind, size, &bytes[head_end + 1..]))
}

/// Where the next head stands; the end if there is none.
fn next_section(bytes: &[u8]) -> usize {
    const MARK: &[u8] = b"--- file type";
    bytes.windows(MARK.len()).position(|w| w.eq_ignore_ascii_case(MARK)).unwrap_or(bytes.len())
}

fn sheet(configuration: &Configuration, samples: &[u8]) -> Result<Sheet, FormatError> {
    let Configuration { analog, digital, form, .. } = configuration;
    let time = Column { name: "time".to_owned(), unit: "s".to_owned(), values: Vec::new() };
    let channel = |c: &Channel| Column { name: c.name.clone(), unit: c.unit.clone(), values: Vec::new() };
    let state = |name: &String| Column { name: name.clone(), unit: String::new(), values: Vec::new() };
    let mut columns: Vec<Column> =
        std::iter::once(time).chain(analog.iter().map(channel)).chain(digital.iter().map(state)).collect();
    let mut take = |sample: usize, stamp: f64, raw: &[f64]| {
        columns[0].values.push(configuration.time(sample, stamp));
        let (raw, states) = raw.split_at(analog.len());
        let scaled = raw.iter().zip(analog).map(|(raw, channel)| channel.a * raw + channel.b);
        columns[1..].iter_mut().zip(scaled.chain(states.iter().copied())).for_each(|(c, value)| c.values.push(value));
        let all = columns[0].values.len() * columns.len();
        if all > MOST_VALUES { Err(FormatError(format!("it has more than {MOST_VALUES} values"))) } else { Ok(()) }
    };
    if *form == Form::Ascii {
        for (k, line) in text(samples).lines().enumerate() {
            let line = line.trim_matches(['\u{1a}', '\r', ' ']);
            if line.is_empty() {
                continue;
            }
            let fields: Vec<&str> = line.split(',').map(str::trim).collect();
            let number = |at: usize| {
                let field = fields.get(at).copied().unwrap_or_default();
                if at > 1 && (field.is_empty() || field == MISSING) {
                    return Ok(f64::NAN);
                }
                let wrong = || FormatError(format!("line {} of the data: “{field}” is no number", k + 1));
                field.parse::<f64>().map_err(|_| wrong())
            };
            let raw = (0..analog.len() + digital.len()).map(|c| number(2 + c)).collect::<Result<Vec<_>, _>>()?;
            let stamp = if configuration.rates.is_empty() { number(1)? } else { 0.0 };
            take(number(0)? as usize, stamp, &raw)?;
        }
    } else {
        let width = if *form == Form::Binary { 2 } else { 4 };
        let row = 8 + width * analog.len() + 2 * digital.len().div_ceil(16);
        if !samples.len().is_multiple_of(row) {
            let message =
                format!("the data are {} bytes, which is no multiple of the {row} a sample takes", samples.len());
            return Err(FormatError(message));
        }
        for sample in samples.chunks_exact(row) {
            let word = |at: usize| [sample[at], sample[at + 1], sample[at + 2], sample[at + 3]];
            // The lowest number there is stands for a missing sample.
            let given = |value: f64, missing: f64| if value == missing { f64::NAN } else { value };
            let value = |c: usize| match form {
                Form::Binary => {
                    let value = i16::from_le_bytes([sample[8 + 2 * c], sample[9 + 2 * c]]);
                    given(value.into(), i16::MIN.into())
                }
                Form::Float32 => given(f32::from_le_bytes(word(8 + 4 * c)).into(), f32::MIN.into()),
                _ => given(i32::from_le_bytes(word(8 + 4 * c)).into(), i32::MIN.into()),
            };
            // Sixteen states to a word, the first in its lowest bit.
            let states = 8 + width * analog.len();
            let state = |d: usize| f64::from(sample[states + d / 8] >> (d % 8) & 1);
            let raw: Vec<f64> = (0..analog.len()).map(value).chain((0..digital.len()).map(state)).collect();
            take(u32::from_le_bytes(word(0)) as usize, f64::from(u32::from_le_bytes(word(4))), &raw)?;
        }
    }
    Ok(Sheet { columns, time: Some(0), first_line: 1 })
}
