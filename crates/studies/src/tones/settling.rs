//! A circuit in the steady state that tones bring about, by either engine.

use crate::frequency::FrequencyError;
use circuit::{Circuit, KindId, ResolvedPart};
use device::{Equations, Settings, Start};
use recording::{Chunk, Column, Command, Excitation, Health, Observer, Progress, Recording};
use switched::Tone;

/// How closely quadratics follow what is correlated, relative to full scale, and what a period at device level is simulated with.
const FOLLOWED: f64 = 1e-8;
const ACCURATE: f64 = 1e-6;
/// Steps at device level that a tone is followed by at least.
const STEPS: f64 = 60.0;

/// One common period of a circuit that has settled with tones in it.
pub(super) struct Period {
    pub(super) columns: Vec<Column>,
    pub(super) recording: Recording,
    /// When it begins, s.
    pub(super) from: f64,
}

/// Lets a circuit settle with tones where an excitation is, and records one period, s, in which all of them come round: by switching
/// from the state without tones, at device level if there is none.
pub(super) fn settled(
    circuit: &Circuit,
    still: Option<&mut switched::Settled>,
    (excitation, tones): (&Excitation, &[Tone]),
    period: f64,
    observer: &mut dyn Observer,
) -> Result<Period, FrequencyError> {
    let mut kept = Kept { recording: Recording::default(), observer };
    if let Some(still) = still {
        let settled = still.shaken(circuit, excitation, tones, kept.observer)?;
        let from = settled.begins();
        settled.record(1, FOLLOWED, &mut kept, &mut Health::default())?;
        return Ok(Period { columns: recording::columns(circuit), recording: kept.recording, from });
    }
    let shaken = shaken(circuit, excitation, tones).ok_or_else(|| device::EngineError::Unknown {
        what: match excitation {
            Excitation::Source(source) => format!("source {source}"),
            Excitation::Current(into, out_of) => format!("net {into} or {out_of}"),
        },
    })?;
    let fastest = tones.iter().map(|tone| tone.frequency).fold(1.0 / period, f64::max);
    let settings = Settings {
        end: 0.0,
        record_from: f64::INFINITY,
        max_step: 1.0 / (STEPS * fastest),
        min_step: 0.0,
        // Tones begin at nothing: the circuit is near where it settles already.
        start: Start::OperatingPoint,
        tolerance: ACCURATE,
    };
    let mut health = Health::default();
    let settled = device::Settled::from(&shaken, &settings, Start::OperatingPoint, kept.observer, &mut health)?;
    let from = settled.begins();
    let equations = Equations::new(&shaken.without_what_happens_once());
    let settings = Settings { end: from + period, record_from: from, ..settings };
    settled.go_on(&equations, &settings, &mut health).advance(&mut kept, &mut health)?;
    Ok(Period { columns: recording::columns(&shaken), recording: kept.recording, from })
}

/// A circuit with sine sources where an excitation is: in series with a voltage source, or driving a current between nets. Names are
/// ones no document can contain.
fn shaken(circuit: &Circuit, excitation: &Excitation, tones: &[Tone]) -> Option<Circuit> {
    let mut shaken = circuit.clone();
    let part = |id: String, kind: KindId, pins: Vec<usize>, values: &[(&str, f64)]| {
        let table = kind.kind().parameters;
        let mut part = ResolvedPart {
            id,
            kind,
            stage: None,
            pins,
            values: vec![0.0; table.len()],
            points: vec![],
            ratings: vec![],
        };
        for (name, value) in values {
            part.values[kind.kind().parameter(name)?] = *value;
        }
        Some(part)
    };
    // The tones one after the other, from a net on.
    let (first, last) = match excitation {
        Excitation::Source(source) => {
            let place = shaken.part(source)?;
            let first = shaken.parts[place].pins[0];
            let last = shaken.add_net("(tones)");
            shaken.parts[place].pins[0] = last;
            (first, last)
        }
        Excitation::Current(into, out_of) => {
            let (into, out_of) = (shaken.net(into)?, shaken.net(out_of)?);
            let first = shaken.add_net("(tones)");
            // What flows from its a to its b comes out of the second net and goes into the first.
            let drives = [("transconductance", 1.0)];
            let pins = vec![out_of, into, first, 0];
            shaken.add_part(part("(driver)".into(), KindId::VoltageControlledCurrent, pins, &drives)?);
            (first, 0)
        }
    };
    let mut plus = first;
    for (k, tone) in tones.iter().enumerate() {
        let minus = if k + 1 == tones.len() { last } else { shaken.add_net(&format!("(tone {k})")) };
        let peak = 1.0;
        let values = [
            ("amplitude", tone.amplitude),
            ("amplitude_as", peak),
            ("frequency", tone.frequency),
            ("phase", tone.phase.to_degrees()),
            ("changes_to", 1.0),
        ];
        shaken.add_part(part(format!("(tone {k})"), KindId::SineSource, vec![plus, minus], &values)?);
        plus = minus;
    }
    Some(shaken)
}

/// Keeps a recording and asks on.
struct Kept<'a> {
    recording: Recording,
    observer: &'a mut dyn Observer,
}

impl Observer for Kept<'_> {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.observer.progress(progress)
    }
    fn record(&mut self, chunk: Chunk) {
        self.recording.record(chunk);
    }
}
