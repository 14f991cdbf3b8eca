//! Energy that capacitors and inductors take up over a span.

use crate::power_path::Powers;
use crate::recorded::Recorded;
use circuit::{KindId, Quantity, ReadingMeasure, Signal, Term};
use readings::{Question, Span, Survey, Ticket};

/// What stores energy on its way: of each part its stage, what holds it, and voltage and current at both ends of a span.
pub(crate) struct Stored {
    stores: Vec<Store>,
    lasts: f64,
}

struct Store {
    stage: Option<usize>,
    /// F or H, and the resistance in series that a voltage falls across, Ω.
    size: f64,
    resistance: f64,
    /// Voltage, for a capacitor, and current, at the beginning and at the end.
    voltages: Option<[Ticket; 2]>,
    currents: [Ticket; 2],
}

impl Stored {
    /// Asks for it over a span that is covered. Parts whose energy is not that of their terminals, such as cores, are left out.
    /// So are those of which a bench recorded nothing.
    pub(crate) fn new(of: &Recorded<'_, '_>, powers: &Powers, span: Span, survey: &mut Survey) -> Self {
        let circuit = of.circuit;
        let mut at_ends = |part: &str, quantity: Quantity| {
            let term = Term { negative: false, of: part.to_owned(), quantity };
            let recipe = of.recipe(&Signal { terms: vec![term] }).ok()?;
            let mut at = |time: f64| {
                let question = Question::new(ReadingMeasure::ValueAt, &[Some(time)], span, None).ok()?;
                Some(survey.ask_within(vec![recipe.clone()], span, question))
            };
            Some([at(span.from)?, at(span.to)?])
        };
        // What a source or a load stores counts with its power.
        let between = circuit.parts.iter().enumerate().filter(|(place, _)| powers.is_between(*place));
        let stores = between.filter_map(|(_, part)| {
            let (size, resistance, voltages) = match part.kind {
                KindId::Capacitor => {
                    let voltages = at_ends(&part.id, Quantity::Voltage)?;
                    (part.value("capacitance"), part.value("esr"), Some(voltages))
                }
                KindId::Inductor => (part.value("inductance"), 0.0, None),
                _ => return None,
            };
            let currents = at_ends(&part.id, Quantity::Current)?;
            Some(Store { stage: part.stage, size, resistance, voltages, currents })
        });
        Stored { stores: stores.collect(), lasts: span.to - span.from }
    }

    /// Mean power stored, W, by the parts of one stage or by all; negative where more is given back.
    pub(crate) fn power(&self, stage: Option<usize>, survey: &Survey) -> f64 {
        let those = self.stores.iter().filter(|store| stage.is_none() || store.stage == stage);
        let energies = those.filter_map(|store| {
            let at = |end: usize| {
                let current = survey.answer(store.currents[end]).ok()?;
                let held = match &store.voltages {
                    Some(voltages) => survey.answer(voltages[end]).ok()? - store.resistance * current,
                    None => current,
                };
                Some(0.5 * store.size * held * held)
            };
            Some(at(1)? - at(0)?)
        });
        energies.sum::<f64>() / self.lasts
    }
}
