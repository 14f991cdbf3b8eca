use circuit::{Circuit, Quantity, Signal, SignalError};
use engine::{Column, Recording};
use readings::{MeasureError, Recipe, Span, Waveform};

/// A recording that answers for signals.
pub struct Recorded<'a> {
    /// The circuit recorded.
    pub circuit: &'a Circuit,
    /// What its columns are.
    pub columns: &'a [Column],
    /// Its nodes.
    pub recording: &'a Recording,
}

impl Recorded<'_> {
    /// Values of a signal at every node.
    ///
    /// # Errors
    /// [`SignalError`] if the circuit has no such net or part.
    pub fn values(&self, signal: &Signal) -> Result<Vec<f64>, SignalError> {
        let recipe = Recipe::new(self.circuit, signal)?;
        Ok(recipe.evaluate(self.recording.times.len(), |key| {
            let index = self.columns.iter().position(|c| c.of == key.of && c.quantity == key.quantity)?;
            self.recording.columns.get(index).map(Vec::as_slice)
        }))
    }

    /// Every single signal there is: net voltages, and voltage, current and power of parts.
    pub fn signals(circuit: &Circuit) -> Vec<Signal> {
        let term =
            |of: &str, quantity| Signal { terms: vec![circuit::Term { negative: false, of: of.to_owned(), quantity }] };
        let nets = circuit.nets[1..].iter().map(|net| term(net, Quantity::Voltage));
        let parts = circuit.parts.iter().flat_map(|part| {
            [Quantity::Voltage, Quantity::Current, Quantity::Power].map(|quantity| term(&part.id, quantity))
        });
        nets.chain(parts).collect()
    }

    /// Time of the last node, s.
    pub(crate) fn end(&self) -> f64 {
        self.recording.times.last().copied().unwrap_or(0.0)
    }

    /// Measures a net's voltage.
    pub(crate) fn net<T>(
        &self,
        net: usize,
        span: Span,
        measure: impl Fn(Waveform<'_>, Span) -> Result<T, MeasureError>,
    ) -> Option<T> {
        let name = self.circuit.nets.get(net)?;
        let column = self.columns.iter().position(|c| c.of == *name && c.quantity == Quantity::Voltage)?;
        let values = self.recording.columns.get(column)?;
        measure(Waveform::new(&self.recording.times, values), span).ok()
    }
}
