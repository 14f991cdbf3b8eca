use circuit::{Circuit, Quantity, Signal, SignalError, Term};
use recording::Column;

/// How a signal is put together from recorded columns.
#[derive(Clone, Debug, PartialEq)]
pub struct Recipe {
    terms: Vec<(f64, Product)>,
}

#[derive(Clone, Debug, PartialEq)]
enum Product {
    Difference(Difference),
    Power(Difference, Column),
}

/// First less second column; `gnd` stands for zero and is left out.
#[derive(Clone, Debug, PartialEq)]
struct Difference(Option<Column>, Option<Column>);

impl Recipe {
    /// The recipe of a signal in a circuit.
    ///
    /// # Errors
    /// [`SignalError`] naming the net or part that is not there.
    pub fn new(circuit: &Circuit, signal: &Signal) -> Result<Self, SignalError> {
        let terms = signal.terms.iter().map(|term| {
            let sign = if term.negative { -1.0 } else { 1.0 };
            Ok((sign, product(circuit, term)?))
        });
        Ok(Recipe { terms: terms.collect::<Result<_, _>>()? })
    }

    /// The columns needed, each once.
    pub fn columns(&self) -> Vec<&Column> {
        let mut keys = Vec::new();
        for (_, product) in &self.terms {
            let (difference, factor) = match product {
                Product::Difference(difference) => (difference, None),
                Product::Power(difference, current) => (difference, Some(current)),
            };
            for key in [difference.0.as_ref(), difference.1.as_ref(), factor].into_iter().flatten() {
                if !keys.contains(&key) {
                    keys.push(key);
                }
            }
        }
        keys
    }

    /// The column that is the signal itself, if it is one.
    pub fn plain(&self) -> Option<&Column> {
        match self.terms.as_slice() {
            [(1.0, Product::Difference(Difference(Some(key), None)))] => Some(key),
            _ => None,
        }
    }

    /// Values of the signal at `count` nodes; `column` supplies the values of each column.
    pub fn evaluate<'a>(&self, count: usize, column: impl Fn(&Column) -> Option<&'a [f64]>) -> Vec<f64> {
        let mut values = vec![0.0; count];
        let mut add = |sign: f64, key: &Option<Column>, factor: Option<&[f64]>| {
            let Some(source) = key.as_ref().and_then(&column) else { return };
            for (i, (value, source)) in values.iter_mut().zip(source).enumerate() {
                *value += sign * source * factor.map_or(1.0, |f| f.get(i).copied().unwrap_or(0.0));
            }
        };
        for (sign, product) in &self.terms {
            let (Difference(first, second), factor) = match product {
                Product::Difference(difference) => (difference, None),
                Product::Power(difference, current) => (difference, column(current)),
            };
            add(*sign, first, factor);
            add(-*sign, second, factor);
        }
        values
    }
}

/// Every single signal of a circuit: net voltages, and voltage, current and power of parts.
pub fn signals(circuit: &Circuit) -> Vec<Signal> {
    let term = |of: &str, quantity| Signal { terms: vec![Term { negative: false, of: of.to_owned(), quantity }] };
    let nets = circuit.nets[1..].iter().map(|net| term(net, Quantity::Voltage));
    let parts = circuit.parts.iter().flat_map(|part| {
        [Quantity::Voltage, Quantity::Current, Quantity::Power].map(|quantity| term(&part.id, quantity))
    });
    nets.chain(parts).collect()
}

fn product(circuit: &Circuit, term: &Term) -> Result<Product, SignalError> {
    let unknown = |message: String| SignalError { at: 0, message };
    let key = |quantity| Column::new(&term.of, quantity);
    let net = |net: usize| (net > 0).then(|| Column::new(&circuit.nets[net], Quantity::Voltage));
    let Some(part) = circuit.part(&term.of).map(|p| &circuit.parts[p]) else {
        let index =
            circuit.net(&term.of).ok_or_else(|| unknown(format!("there is no net or part named {}", term.of)))?;
        return match term.quantity {
            Quantity::Voltage => Ok(Product::Difference(Difference(net(index), None))),
            _ => Err(unknown(format!("{} is a net; only parts have currents and powers", term.of))),
        };
    };
    let voltage = Difference(net(part.pins[0]), net(part.pins[1]));
    Ok(match term.quantity {
        Quantity::Voltage => Product::Difference(voltage),
        Quantity::Current => Product::Difference(Difference(Some(key(Quantity::Current)), None)),
        Quantity::Power if part.pins.len() > 2 => Product::Difference(Difference(Some(key(Quantity::Power)), None)),
        Quantity::Power => Product::Power(voltage, key(Quantity::Current)),
    })
}
