use crate::StageFigures;
use circuit::{Circuit, Quantity, ResolvedPart, Signal, Term};
use readings::{Recipe, Span, Survey, Ticket};

/// The power path on its way: the mean power of every part over a span, and the voltages behind the stages.
///
/// What flows into a stage is what it and everything after it absorb; so the figures add up at
/// every joint, branches included, however the parts store energy meanwhile.
pub(crate) struct Figured {
    /// Stage and mean power of its parts.
    powers: Vec<(usize, Ticket)>,
    /// Voltage behind each stage.
    voltages: Vec<Option<Ticket>>,
}

impl Figured {
    pub(crate) fn new(circuit: &Circuit, span: Span, whole: Span, survey: &mut Survey) -> Self {
        let covered = whole.covering(span, whole.to <= whole.from).ok();
        let mut ask = |terms: Vec<Term>| {
            let recipe = Recipe::new(circuit, &Signal { terms }).ok()?;
            Some(survey.ask_within(recipe, covered?, None))
        };
        let mut powers = Vec::new();
        for part in &circuit.parts {
            let term = Term { negative: false, of: part.id.clone(), quantity: Quantity::Power };
            if let Some(stage) = part.stage
                && let Some(ticket) = ask(vec![term])
            {
                powers.push((stage, ticket));
            }
        }
        let voltages = (0..circuit.stages.len()).map(|stage| ask(behind(circuit, stage)?)).collect();
        Figured { powers, voltages }
    }

    pub(crate) fn found(&self, circuit: &Circuit, survey: &Survey) -> Vec<StageFigures> {
        let mut absorbed = vec![0.0; circuit.stages.len()];
        for (stage, ticket) in &self.powers {
            absorbed[*stage] += survey.figures(*ticket).mean();
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
                let voltage = self.voltages[stage].map(|ticket| survey.figures(ticket));
                StageFigures {
                    id: circuit.stages[stage].id.clone(),
                    power_in: if fed(stage) { flow_in[stage] } else { 0.0 },
                    power_out: flow_in[stage] - absorbed[stage],
                    absorbed: absorbed[stage],
                    voltage: voltage.map(|v| v.mean()),
                    voltage_rms: voltage.map(|v| v.rms()),
                    ripple: voltage.map(|v| v.extremes().1 - v.extremes().0),
                }
            })
            .collect()
    }
}

/// The voltage behind a stage: to `gnd`, or between the two nets of an alternating one.
fn behind(circuit: &Circuit, stage: usize) -> Option<Vec<Term>> {
    let stage = &circuit.stages[stage];
    let term =
        |net: usize, negative: bool| Term { negative, of: circuit.nets[net].clone(), quantity: Quantity::Voltage };
    let mut terms = vec![term(stage.output?, false)];
    terms.extend(stage.back.map(|net| term(net, true)));
    Some(terms)
}

/// The last whole period common to all periodic sources, if the run is long enough; else the
/// last tenth of it.
pub(crate) fn last_period(circuit: &Circuit, from: f64, end: f64) -> Span {
    let longest = circuit.parts.iter().filter_map(ResolvedPart::period).fold(0.0, f64::max);
    let length = if longest > 0.0 && longest <= end - from { longest } else { 0.1 * (end - from) };
    Span { from: end - length, to: end }
}
