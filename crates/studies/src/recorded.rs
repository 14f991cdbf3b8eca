use circuit::{Circuit, Quantity, Signal, SignalError};
use readings::Recipe;
use recording::{Column, Recording};
use std::collections::HashMap;

/// A recording in memory that answers for signals.
pub struct Recorded<'a> {
    circuit: &'a Circuit,
    recording: &'a Recording,
    columns: HashMap<Column, usize>,
}

impl<'a> Recorded<'a> {
    /// A recording of a circuit with these columns.
    pub fn new(circuit: &'a Circuit, columns: &[Column], recording: &'a Recording) -> Self {
        let columns = columns.iter().cloned().zip(0..).collect();
        Recorded { circuit, recording, columns }
    }

    /// Values of a signal at every node.
    ///
    /// # Errors
    /// [`SignalError`] if the circuit has no such net or part, or if it was not recorded.
    pub fn values(&self, signal: &Signal) -> Result<Vec<f64>, SignalError> {
        let recipe = Recipe::new(self.circuit, signal)?;
        if let Some(key) = recipe.columns().into_iter().find(|key| !self.columns.contains_key(key)) {
            return Err(SignalError { at: 0, message: format!("{} was not recorded", key.of) });
        }
        Ok(recipe.evaluate(self.recording.times.len(), |key| self.column(key)))
    }

    fn column(&self, key: &Column) -> Option<&'a [f64]> {
        self.recording.columns.get(*self.columns.get(key)?).map(Vec::as_slice)
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
}
