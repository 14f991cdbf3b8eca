use crate::{Recorded, StageFigures};
use circuit::{Circuit, Quantity, ResolvedPart, Signal, Term};
use readings::{Span, Waveform};

/// Averages the power of every part over a span and follows it along the stages.
///
/// What flows into a stage is what it and everything after it absorb; so the figures add up at
/// every joint, branches included, however the parts store energy meanwhile.
pub(crate) fn figures(recorded: &Recorded<'_>, span: Span) -> Vec<StageFigures> {
    let circuit = recorded.circuit;
    let mut absorbed = vec![0.0; circuit.stages.len()];
    for part in &circuit.parts {
        if let Some(stage) = part.stage {
            absorbed[stage] += mean_power(recorded, part, span).unwrap_or(0.0);
        }
    }
    // A stage comes after its feeder in the list, so one backward pass sums whole branches.
    let mut flow_in = absorbed.clone();
    for stage in (0..circuit.stages.len()).rev() {
        if let Some(before) = circuit.stages[stage].after {
            flow_in[before] += flow_in[stage];
        }
    }
    let fed = |stage: usize| circuit.stages[stage].after.is_some();
    (0..circuit.stages.len())
        .map(|stage| {
            let on_output = |measure: Measure| output_voltage(recorded, stage, span, measure);
            StageFigures {
                id: circuit.stages[stage].id.clone(),
                power_in: if fed(stage) { flow_in[stage] } else { 0.0 },
                power_out: flow_in[stage] - absorbed[stage],
                absorbed: absorbed[stage],
                voltage: on_output(|w, s| w.mean(s)),
                voltage_rms: on_output(|w, s| w.rms(s)),
                ripple: on_output(|w, s| w.extremes(s).map(|(min, max)| max - min)),
            }
        })
        .collect()
}

type Measure = fn(Waveform<'_>, Span) -> Result<f64, readings::MeasureError>;

/// A measure of the voltage behind a stage: to `gnd`, or between the two nets of an alternating one.
fn output_voltage(recorded: &Recorded<'_>, stage: usize, span: Span, measure: Measure) -> Option<f64> {
    let stage = &recorded.circuit.stages[stage];
    let term = |net: usize, negative: bool| Term {
        negative,
        of: recorded.circuit.nets[net].clone(),
        quantity: Quantity::Voltage,
    };
    let mut terms = vec![term(stage.output?, false)];
    terms.extend(stage.back.map(|net| term(net, true)));
    let values = recorded.values(&Signal { terms }).ok()?;
    measure(Waveform::new(&recorded.recording.times, &values), span).ok()
}

fn mean_power(recorded: &Recorded<'_>, part: &ResolvedPart, span: Span) -> Option<f64> {
    let term = Term { negative: false, of: part.id.clone(), quantity: Quantity::Power };
    let values = recorded.values(&Signal { terms: vec![term] }).ok()?;
    Waveform::new(&recorded.recording.times, &values).mean(span).ok()
}

/// The last whole period common to all periodic sources, if the run is long enough; else the
/// last tenth of it.
pub(crate) fn last_period(circuit: &Circuit, from: f64, end: f64) -> Span {
    let longest = circuit.parts.iter().filter_map(ResolvedPart::period).fold(0.0, f64::max);
    let length = if longest > 0.0 && longest <= end - from { longest } else { 0.1 * (end - from) };
    Span { from: end - length, to: end }
}
