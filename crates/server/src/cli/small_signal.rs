//! Commands on a supply's operating point and its response to small signals, without a database.

use super::files::{bad_input, circuit_of, print};
use circuit::{Circuit, Engine, FrequencyGrid, Quantity, Signal, Term};
use clap::Args;
use device::{Equations, operating_point};
use quantity::{Unit, show};
use recording::{Chunk, Complex64, Excitation, Observer, Probed, phase, resonances};
use serde_json::json;
use std::path::PathBuf;
use std::process::ExitCode;
use studies::{FrequencyError, Loop, OverFrequency, Read, TonePoint};

/// The supply document and the frequencies to look at.
#[derive(Args)]
pub(super) struct Sweep {
    /// The supply document
    file: PathBuf,
    /// First frequency, such as 10 or 1k
    #[arg(long, default_value = "10")]
    from: String,
    /// Last frequency
    #[arg(long, default_value = "1M")]
    to: String,
    /// Points per decade; more are added where the response bends
    #[arg(long, default_value_t = 10.0)]
    per_decade: f64,
    /// Simulate by switching, about the settled period, or at device level, about the operating point; left to us if not given
    #[arg(long, value_enum)]
    simulated: Option<Simulated>,
    /// By switching: measure with tones of finite size in the time domain, as on the bench, and say how well
    #[arg(long)]
    measured: bool,
    /// Print JSON instead of text
    #[arg(long)]
    json: bool,
}

/// How a circuit is simulated.
#[derive(Clone, Copy, clap::ValueEnum)]
enum Simulated {
    /// Switches, diodes and limits as straight pieces
    BySwitching,
    /// Every device by its curves
    AtDeviceLevel,
}

impl Sweep {
    fn engine(&self) -> Option<Engine> {
        self.simulated.map(|simulated| match simulated {
            Simulated::BySwitching => Engine::Switched,
            Simulated::AtDeviceLevel => Engine::DeviceLevel,
        })
    }

    /// Reads the document and the grid.
    fn read(&self) -> Result<(Circuit, FrequencyGrid), ExitCode> {
        let circuit = circuit_of(&self.file, self.json)?;
        let frequency =
            |text: &str| quantity::parse(text, Unit::Hertz).map_err(|e| bad_input(format!("“{text}”: {e}")));
        let (from, to) = (frequency(&self.from)?, frequency(&self.to)?);
        let (lowest, highest, most) = (1e-6, 1e12, 1000.0);
        if !(from >= lowest && from < to && to <= highest) {
            return Err(bad_input("give frequencies from 1 µHz to 1 THz, the first below the last"));
        }
        if !(self.per_decade >= 1.0 && self.per_decade <= most) {
            return Err(bad_input("give from 1 to 1000 points per decade"));
        }
        Ok((circuit, FrequencyGrid { from, to, per_decade: self.per_decade }))
    }
}

/// The exit of a computation that failed: 2 if something was asked for that is not there.
fn failed(error: &FrequencyError) -> ExitCode {
    if error.is_of_the_question() {
        return bad_input(error);
    }
    eprintln!("mellow-coil: {error}");
    ExitCode::FAILURE
}

fn decibels(z: Complex64) -> f64 {
    20.0 * z.norm().log10()
}

fn as_json(points: &[(f64, Complex64)]) -> serde_json::Value {
    let column = |of: fn(&(f64, Complex64)) -> f64| points.iter().map(of).collect::<Vec<_>>();
    json!({ "frequency": column(|p| p.0), "real": column(|p| p.1.re), "imaginary": column(|p| p.1.im) })
}

pub(super) fn operating_point_of(file: &std::path::Path, as_json: bool) -> ExitCode {
    let circuit = match circuit_of(file, as_json) {
        Ok(circuit) => circuit,
        Err(code) => return code,
    };
    let point = match operating_point(&Equations::new(&circuit)) {
        Ok(point) => point,
        Err(error) => {
            eprintln!("mellow-coil: {error}");
            return ExitCode::FAILURE;
        }
    };
    let methods: Vec<_> = point.methods.iter().map(ToString::to_string).collect();
    let unit = |quantity: circuit::Quantity| quantity.unit();
    if as_json {
        let values: Vec<_> = point
            .values
            .iter()
            .map(|(c, v)| json!({ "of": c.of, "quantity": c.quantity.letter().to_string(), "value": v }))
            .collect();
        let powers: Vec<_> = point.powers.iter().map(|(part, p)| json!({ "part": part, "absorbed": p })).collect();
        let regions: Vec<_> = point.regions.iter().map(|(part, r)| json!({ "part": part, "region": r })).collect();
        print(&json!({ "values": values, "powers": powers, "regions": regions, "methods": methods }));
        return ExitCode::SUCCESS;
    }
    say!("Voltages and currents");
    let plain = point.values.iter().filter(|(c, _)| c.quantity != circuit::Quantity::Power);
    for (column, value) in plain {
        say!(
            "  {:<20} {}",
            format!("{}.{}", column.of, column.quantity.letter()),
            show(*value, unit(column.quantity), 6)
        );
    }
    say!("\nPowers absorbed");
    for (part, power) in &point.powers {
        say!("  {part:<20} {}", show(*power, Unit::Watt, 5));
    }
    if !point.regions.is_empty() {
        say!("\nDevices");
    }
    for (part, region) in &point.regions {
        say!("  {part:<20} {region}");
    }
    say!("\nFound by {} in {} iterations", methods.join(", then "), point.iterations);
    ExitCode::SUCCESS
}

pub(super) fn response(sweep: &Sweep, source: &str, signal: &str) -> ExitCode {
    let (circuit, grid) = match sweep.read() {
        Ok(read) => read,
        Err(code) => return code,
    };
    let signal = match Signal::parse(signal) {
        Ok(signal) => signal,
        Err(error) => return bad_input(format!("signal “{signal}”: {error}")),
    };
    if sweep.measured {
        let title = format!("{signal} per volt of {source}");
        return measured(
            sweep,
            &circuit,
            (&Excitation::Source(source.to_owned()), &Read::Response(signal)),
            grid,
            &title,
        );
    }
    match studies::response(&circuit, source, &signal, grid, sweep.engine()) {
        Ok(found) => table(sweep, &found, &found.curve, &format!("{signal} per volt of {source}"), "dB"),
        Err(error) => failed(&error),
    }
}

pub(super) fn impedance(sweep: &Sweep, net: &str, back: &str) -> ExitCode {
    let (circuit, grid) = match sweep.read() {
        Ok(read) => read,
        Err(code) => return code,
    };
    if sweep.measured {
        let across = match Signal::parse(&format!("{net}.v - {back}.v")) {
            Ok(across) => across,
            Err(error) => return bad_input(error),
        };
        let excitation = Excitation::Current(net.to_owned(), back.to_owned());
        let title = format!("Impedance between {net} and {back}");
        return measured(sweep, &circuit, (&excitation, &Read::Response(across)), grid, &title);
    }
    match studies::impedance(&circuit, net, back, grid, sweep.engine()) {
        Ok(found) => table(sweep, &found, &found.curve, &format!("Impedance between {net} and {back}"), "dBΩ"),
        Err(error) => failed(&error),
    }
}

/// How far from what was asked for a tone is said to be elsewhere, relative.
const ELSEWHERE: f64 = 1e-3;

/// What tones in the time domain give, with the quality of each point.
fn measured(
    sweep: &Sweep,
    circuit: &Circuit,
    (excitation, read): (&Excitation, &Read),
    grid: FrequencyGrid,
    title: &str,
) -> ExitCode {
    let points = match studies::with_tones(circuit, excitation, read, grid, sweep.engine(), &mut Unwatched) {
        Ok(points) => points,
        Err(error) => return failed(&error),
    };
    if sweep.json {
        let values: Vec<_> = points.iter().map(|point| (point.frequency, point.value)).collect();
        let mut json = as_json(&values);
        let column = |of: fn(&TonePoint) -> serde_json::Value| points.iter().map(of).collect::<Vec<_>>();
        json["asked"] = json!(column(|p| json!(p.asked)));
        json["amplitude"] = json!(column(|p| json!(p.amplitude)));
        json["signal_to_distortion"] = json!(column(|p| json!(p.quality)));
        json["doubtful"] = json!(column(|p| json!(p.doubtful)));
        print(&json);
        return ExitCode::SUCCESS;
    }
    let unit = if matches!(excitation, Excitation::Current(..)) { Unit::Ampere } else { Unit::Volt };
    say!("{title}, measured with tones in the time domain");
    let off = |point: &TonePoint| (point.frequency / point.asked - 1.0).abs();
    if let Some(point) = points.iter().max_by(|a, b| off(a).total_cmp(&off(b))).filter(|point| off(point) > ELSEWHERE) {
        say!(
            "Tones stand where they come round together with the circuit, the farthest at {} for {}; begin lower to have them closer",
            show(point.frequency, Unit::Hertz, 4),
            show(point.asked, Unit::Hertz, 4)
        );
    }
    say!("\n  {:>12} {:>10} {:>10} {:>10} {:>12}", "frequency", "dB", "phase", "S/D in dB", "amplitude");
    for (point, phase) in points.iter().zip(phase(points.iter().map(|p| p.value))) {
        let doubtful = if point.doubtful { "  a tenth of the amplitude gives another answer" } else { "" };
        let (frequency, amplitude) = (show(point.frequency, Unit::Hertz, 4), show(point.amplitude, unit, 3));
        let degrees = phase.to_degrees();
        say!(
            "  {frequency:>12} {:10.3} {degrees:9.2}° {:10.1} {amplitude:>12}{doubtful}",
            decibels(point.value),
            point.quality
        );
    }
    ExitCode::SUCCESS
}

/// Nobody waits for it to be stopped.
struct Unwatched;

impl Observer for Unwatched {
    fn record(&mut self, _: Chunk) {}
}

fn table<T>(sweep: &Sweep, found: &OverFrequency<T>, points: &[(f64, Complex64)], title: &str, unit: &str) -> ExitCode {
    if sweep.json {
        let mut json = as_json(points);
        json["simulated"] = json!(found.simulated);
        json["remarks"] = json!(found.remarks);
        print(&json);
        return ExitCode::SUCCESS;
    }
    say!("{title}, simulated {}", found.simulated);
    found.remarks.iter().for_each(|remark| say!("{remark}"));
    say!("\n  {:>12} {unit:>10} {:>10}", "frequency", "phase");
    for ((f, z), phase) in points.iter().zip(phase(points.iter().map(|p| p.1))) {
        let ohms = if unit == "dBΩ" { format!("  {}", show(z.norm(), Unit::Ohm, 4)) } else { String::new() };
        say!("  {:>12} {:10.3} {:9.2}°{ohms}", show(*f, Unit::Hertz, 4), decibels(*z), phase.to_degrees());
    }
    for peak in resonances(points) {
        let quality = peak.quality.map(|q| format!(", Q {q:.2}, damping {:.3}", 0.5 / q)).unwrap_or_default();
        say!(
            "\nPeak at {}: {:.2} {unit}{quality}",
            show(peak.frequency, Unit::Hertz, 4),
            20.0 * peak.magnitude.log10()
        );
    }
    ExitCode::SUCCESS
}

/// Loop gain below which there is no loop, but rounding.
const NO_LOOP: f64 = 1e-9;

pub(super) fn loop_gain_at(sweep: &Sweep, pin: &str, cut: bool) -> ExitCode {
    let (circuit, grid) = match sweep.read() {
        Ok(read) => read,
        Err(code) => return code,
    };
    let Some((part, pin)) = pin.split_once('.') else {
        return bad_input(format!("“{pin}” is no pin; name part and pin, such as U1.inp"));
    };
    if sweep.measured {
        let Some(probed) = Probed::new(&circuit, part, pin) else {
            return bad_input(format!("the circuit has no pin {pin} of {part}"));
        };
        let term = |net: &str| Term { negative: false, of: net.to_owned(), quantity: Quantity::Voltage };
        let [outer, inner] = [&probed.outer, &probed.inner].map(|net| Signal { terms: vec![term(net)] });
        let excitation = Excitation::Source(probed.probe.clone());
        let title = format!("Loop gain at {part}.{pin}");
        return measured(sweep, &probed.circuit, (&excitation, &Read::Ratio(outer, inner)), grid, &title);
    }
    let measured = if cut { Loop::Cut } else { Loop::Closed };
    let found = match studies::loop_gain(&circuit, (part, pin), grid, sweep.engine(), measured) {
        Ok(found) => found,
        Err(error) => return failed(&error),
    };
    let gain = &found.curve;
    if gain.gain.iter().all(|gain| gain.norm() < NO_LOOP) {
        return bad_input(format!("no loop passes through {part}.{pin}; name a pin that the feedback passes through"));
    }
    let points: Vec<_> = gain.frequencies.iter().copied().zip(gain.gain.iter().copied()).collect();
    let margins = gain.margins();
    if sweep.json {
        print(&json!({
            "gain": as_json(&points),
            "simulated": found.simulated,
            "remarks": found.remarks,
            "crossovers": margins.crossovers.iter().map(|c| [c.frequency, c.phase_margin]).collect::<Vec<_>>(),
            "crossover": margins.crossover,
            "phase_margin": margins.phase_margin,
            "phase_crossover": margins.phase_crossover,
            "gain_margin": margins.gain_margin,
            "closed_peak": margins.closed_peak,
            "damping": margins.damping,
        }));
        return ExitCode::SUCCESS;
    }
    table(sweep, &found, &points, &format!("Loop gain at {part}.{pin}"), "dB");
    say!();
    let line = |name: &str, value: Option<f64>, unit, digits| {
        let value = value.map_or_else(|| "–".to_owned(), |value| show(value, unit, digits));
        say!("  {name:<32} {value}");
    };
    if margins.crossovers.len() > 1 {
        let each = margins
            .crossovers
            .iter()
            .map(|c| format!("{} with {}", show(c.frequency, Unit::Hertz, 4), show(c.phase_margin, Unit::Degree, 3)));
        say!("  The gain passes one {} times: at {}.", margins.crossovers.len(), each.collect::<Vec<_>>().join(", "));
        say!("  The crossover told below is the one with the least margin.");
    }
    line("Crossover", margins.crossover, Unit::Hertz, 4);
    line("Phase margin", margins.phase_margin, Unit::Degree, 3);
    line("Phase passes −180° at", margins.phase_crossover, Unit::Hertz, 4);
    let gain_margin = margins.gain_margin.map_or_else(|| "–".to_owned(), |margin| format!("{margin:.1} dB"));
    say!("  {:<32} {gain_margin}", "Gain margin");
    say!("  {:<32} {:.1} dB", "Peak of the closed loop", 20.0 * margins.closed_peak.log10());
    ExitCode::SUCCESS
}
