use crate::{ReadingResult, StageFigures};
use circuit::{Circuit, Quantity, ReadingMeasure, ReadingOf, ResolvedPart, ResolvedWindow, Signal, StageKind, Term};
use readings::{Question, Recipe, Span, Survey, Ticket};
use std::collections::BTreeMap;

/// The power path on its way: the mean power of every part over a span, and the voltages behind the stages.
///
/// What flows into a stage is what it and everything after it absorb; so the figures add up at
/// every joint, branches included, however the parts store energy meanwhile.
pub(crate) struct Figured {
    powers: Powers,
    /// Voltage behind each stage.
    voltages: Vec<Option<Ticket>>,
}

impl Figured {
    pub(crate) fn new(circuit: &Circuit, span: Span, whole: Span, survey: &mut Survey) -> Self {
        let covered = whole.covering(span, whole.to <= whole.from).ok();
        let mut ask = |terms: Vec<Term>| {
            let recipe = Recipe::new(circuit, &Signal { terms }).ok()?;
            Some(survey.ask_within(vec![recipe], covered?, Question::Figures))
        };
        let powers = Powers::new(circuit, &mut ask);
        let voltages = (0..circuit.stages.len()).map(|stage| ask(behind(circuit, stage)?)).collect();
        Figured { powers, voltages }
    }

    pub(crate) fn found(&self, circuit: &Circuit, survey: &Survey) -> Vec<StageFigures> {
        let Flows { absorbed, arriving } = self.powers.flows(survey);
        let fed = |stage: usize| circuit.stages[stage].after.is_some();
        (0..circuit.stages.len())
            .map(|stage| {
                let voltage = self.voltages[stage].map(|ticket| survey.figures(ticket));
                StageFigures {
                    id: circuit.stages[stage].id.clone(),
                    power_in: if fed(stage) { arriving[stage] } else { 0.0 },
                    power_out: arriving[stage] - absorbed[stage],
                    absorbed: absorbed[stage],
                    voltage: voltage.map(|v| v.mean()),
                    voltage_rms: voltage.map(|v| v.rms()),
                    ripple: voltage.map(|v| v.extremes().1 - v.extremes().0),
                }
            })
            .collect()
    }
}

/// The mean power of every part over a span, on its way: the part's place and its ticket.
pub(crate) struct Powers {
    tickets: Vec<(usize, Ticket)>,
    /// Of each part, whether a source feeds it in or a load takes it, or its stage does something between.
    roles: Vec<(Option<usize>, Role)>,
    /// The stage before each.
    after: Vec<Option<usize>>,
}

/// Mean powers of stages, W: what their own parts absorb, and what they and everything after them absorb.
struct Flows {
    absorbed: Vec<f64>,
    arriving: Vec<f64>,
}

/// How much more may come out of a supply than goes in, relative, for rounding and what a recording does not tell.
const GIVES_BACK: f64 = 1e-3;

#[derive(Clone, Copy, PartialEq)]
enum Role {
    Source,
    Load,
    Between,
}

impl Powers {
    pub(crate) fn new(circuit: &Circuit, ask: &mut dyn FnMut(Vec<Term>) -> Option<Ticket>) -> Self {
        let mut tickets = Vec::new();
        for (place, part) in circuit.parts.iter().enumerate() {
            let term = Term { negative: false, of: part.id.clone(), quantity: Quantity::Power };
            if let Some(ticket) = ask(vec![term]) {
                tickets.push((place, ticket));
            }
        }
        let role = |part: &ResolvedPart| match part.stage.map(|s| circuit.stages[s].kind) {
            Some(StageKind::Source) => Role::Source,
            Some(StageKind::Load) => Role::Load,
            Some(_) => Role::Between,
            None if part.kind.kind().feeds() => Role::Source,
            None if part.kind.kind().takes() => Role::Load,
            None => Role::Between,
        };
        let roles = circuit.parts.iter().map(|part| (part.stage, role(part))).collect();
        let after = circuit.stages.iter().map(|s| s.after).collect();
        Powers { tickets, roles, after }
    }

    /// What each stage absorbs and what arrives at it.
    fn flows(&self, survey: &Survey) -> Flows {
        let mut absorbed = vec![0.0; self.after.len()];
        for (place, ticket) in &self.tickets {
            if let Some(stage) = self.roles[*place].0 {
                absorbed[stage] += survey.figures(*ticket).mean();
            }
        }
        // A stage comes after its feeder in the list, so one backward pass sums whole branches.
        let mut arriving = absorbed.clone();
        for stage in (0..arriving.len()).rev() {
            if let Some(before) = self.after[stage] {
                arriving[before] += arriving[stage];
            }
        }
        Flows { absorbed, arriving }
    }

    /// Mean powers of a role, W, of a stage together and of each part in none; none if there is no part of it.
    fn of(&self, role: Role, survey: &Survey) -> Option<Vec<f64>> {
        let mut powers: BTreeMap<(Option<usize>, usize), f64> = BTreeMap::new();
        for (place, ticket) in self.tickets.iter().filter(|(place, _)| self.roles[*place].1 == role) {
            let stage = self.roles[*place].0;
            let alone = if stage.is_some() { 0 } else { *place };
            *powers.entry((stage, alone)).or_default() += survey.figures(*ticket).mean();
        }
        (!powers.is_empty()).then(|| powers.into_values().collect())
    }

    /// Whether what a part stores is neither the source's nor the load's own affair.
    pub(crate) fn is_between(&self, place: usize) -> bool {
        self.roles[place].1 == Role::Between
    }

    /// Power arriving and power passed on, W: of a stage, or from all sources and into all loads. What is stored meanwhile has not
    /// arrived anywhere yet, and what is given back arrives from within.
    ///
    /// # Errors
    /// What is missing, in words.
    pub(crate) fn through(&self, stage: Option<usize>, stored: f64, survey: &Survey) -> Result<(f64, f64), String> {
        let Some(stage) = stage else {
            let sources = self.of(Role::Source, survey).ok_or("there is no source in the circuit")?;
            let loads = self.of(Role::Load, survey).ok_or("there is no load in the circuit")?;
            // What a source takes, such as a battery that is charged, is what the supply is there for.
            let [delivered, returned] =
                [-1.0, 1.0].map(|sign| sources.iter().map(|p| (sign * p).max(0.0)).sum::<f64>());
            let taken = loads.iter().sum::<f64>() + returned;
            let delivered = delivered - stored;
            if taken > delivered * (1.0 + GIVES_BACK) {
                return Err(
                    "more comes out than goes in: the supply gives what its cores have stored before; choose whole periods once it has \
                     settled"
                        .to_owned(),
                );
            }
            return Ok((delivered, taken));
        };
        let Flows { absorbed, arriving } = self.flows(survey);
        if self.after[stage].is_none() {
            return Err("nothing arrives at a stage that no other feeds".to_owned());
        }
        Ok((arriving[stage] - stored, arriving[stage] - absorbed[stage]))
    }
}

/// Where a stage's ripple at the end of a run is a reading of the study, the path shows that and no other. What a signal swings
/// by elsewhere, as in switching on, is no ripple.
pub(crate) fn as_read(circuit: &Circuit, study: usize, results: &[ReadingResult], stages: &mut [StageFigures]) {
    for (stage, figures) in stages.iter_mut().enumerate() {
        let Some(terms) = behind(circuit, stage) else { continue };
        let read = circuit.readings.iter().zip(results).find_map(|(reading, result)| {
            let of_it = matches!(&reading.of, ReadingOf::Signal(signal) if signal.terms == terms);
            let at_end = matches!(reading.window, ResolvedWindow::Last(_));
            let ripple = reading.study == study && reading.measure == ReadingMeasure::PeakToPeak && of_it && at_end;
            result.value.filter(|_| ripple)
        });
        figures.ripple = read.or(figures.ripple);
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
