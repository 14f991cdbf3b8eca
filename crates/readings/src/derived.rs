//! Traces worked out from others by a formula.

use crate::piece::Piece;
use crate::recipe::Recipe;
use crate::waveform::Waveform;
use circuit::expression::{ExpressionError, Operand, work_out};
use circuit::{Circuit, Dimensioned, Signal};
use quantity::Unit;
use std::cell::RefCell;
use std::sync::Arc;

/// A formula of signals: `V1.v * -V1.i`, `db(out.v / in.v)`, `mean(L1.i, 20m)`.
///
/// Beside arithmetic, `sqrt`, `abs`, `exp`, `ln`, `min` and `max` there are `db` (20·lg of the magnitude), `derivative`,
/// `integral` from the beginning, and `mean` and `rms` over a time before each instant, such as a period.
#[derive(Clone, Debug)]
pub struct Derived {
    root: Arc<Node>,
    unit: Unit,
    recipes: Vec<Recipe>,
}

/// Characters of a formula: what is worked out nests as deep as it has terms.
const LONGEST: usize = 2000;

#[derive(Debug)]
enum Node {
    Number(f64),
    Signal(usize),
    Applied(char, Arc<Node>, Arc<Node>),
    Called(Call, Arc<Node>, Option<Arc<Node>>),
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Call {
    Pointwise(&'static str),
    Decibel,
    Derivative,
    Integral,
    /// Over a time, s.
    Mean(f64),
    Rms(f64),
}

/// What a formula is worked out with before there are values: the node, and its unit.
#[derive(Clone)]
struct Sketch {
    node: Arc<Node>,
    unit: Dimensioned,
}

impl Sketch {
    fn called(call: Call, first: Sketch, second: Option<Sketch>, unit: Dimensioned) -> Self {
        Sketch { node: Arc::new(Node::Called(call, first.node, second.map(|s| s.node))), unit }
    }

    fn over(first: &Sketch, second: Option<Sketch>) -> Result<f64, String> {
        match second.as_ref().map(|s| &*s.node) {
            Some(Node::Number(time)) if *time > 0.0 => Ok(*time),
            _ => Err(format!("the time to average {} over must be a number of seconds", first.unit.symbol())),
        }
    }
}

impl Operand for Sketch {
    const POINTS: bool = true;

    fn number(value: f64) -> Self {
        Sketch { node: Arc::new(Node::Number(value)), unit: Dimensioned::number(value) }
    }

    fn operate(self, operator: char, other: Self) -> Result<Self, String> {
        if operator == '^' && !matches!(&*other.node, Node::Number(_)) {
            return Err("an exponent must be a number".to_owned());
        }
        let unit = self.unit.operate(operator, other.unit)?;
        if let (Node::Number(a), Node::Number(b)) = (&*self.node, &*other.node) {
            return Ok(Sketch { node: Arc::new(Node::Number(a.operate(operator, *b)?)), unit });
        }
        Ok(Sketch { node: Arc::new(Node::Applied(operator, self.node, other.node)), unit })
    }

    fn takes(name: &str) -> Option<usize> {
        match name {
            "db" | "derivative" | "integral" => Some(1),
            "mean" | "rms" => Some(2),
            _ => f64::takes(name),
        }
    }

    fn function(name: &str, first: Self, second: Option<Self>) -> Result<Self, String> {
        let second_of = Dimensioned::new(1.0, Unit::Second);
        let unit = first.unit;
        match name {
            "db" => {
                let plain = Dimensioned::function("exp", unit, None)
                    .map_err(|_| format!("db takes a ratio, not {}; divide by a reference", unit.symbol()))?;
                Ok(Sketch::called(Call::Decibel, first, None, plain))
            }
            "derivative" => Ok(Sketch::called(Call::Derivative, first, None, unit.operate('/', second_of)?)),
            "integral" => Ok(Sketch::called(Call::Integral, first, None, unit.operate('*', second_of)?)),
            "mean" => {
                let time = Sketch::over(&first, second)?;
                Ok(Sketch::called(Call::Mean(time), first, None, unit))
            }
            "rms" => {
                let time = Sketch::over(&first, second)?;
                Ok(Sketch::called(Call::Rms(time), first, None, unit))
            }
            _ => {
                let unit = Dimensioned::function(name, unit, second.as_ref().map(|s| s.unit))?;
                let known = ["sqrt", "abs", "exp", "ln", "min", "max"].into_iter().find(|known| *known == name);
                Ok(Sketch::called(Call::Pointwise(known.unwrap_or("abs")), first, second, unit))
            }
        }
    }
}

impl Derived {
    /// Reads a formula of the signals of a circuit.
    ///
    /// # Errors
    /// [`ExpressionError`] pointing at what cannot be read, names nothing in the circuit, or mixes units.
    pub fn parse(circuit: &Circuit, text: &str) -> Result<Self, ExpressionError> {
        if text.len() > LONGEST {
            let message = format!("a formula has {LONGEST} characters at most; shorten it");
            return Err(ExpressionError { at: LONGEST, message });
        }
        let recipes = RefCell::new(Vec::new());
        let lookup = |name: &str| {
            let signal = Signal::parse(name).map_err(|error| error.message)?;
            let recipe = Recipe::new(circuit, &signal).map_err(|error| error.message)?;
            let mut recipes = recipes.borrow_mut();
            let place = recipes.iter().position(|r| *r == recipe).unwrap_or_else(|| {
                recipes.push(recipe);
                recipes.len() - 1
            });
            Ok(Sketch { node: Arc::new(Node::Signal(place)), unit: Dimensioned::new(1.0, signal.quantity().unit()) })
        };
        let sketch = work_out(text, &lookup)?;
        let unit = sketch.unit.unit().ok_or_else(|| {
            let message = format!("the formula comes out in {}, a unit without a name", sketch.unit.symbol());
            ExpressionError { at: 0, message }
        })?;
        Ok(Derived { root: sketch.node, unit, recipes: recipes.into_inner() })
    }

    /// Its unit.
    pub fn unit(&self) -> Unit {
        self.unit
    }

    /// The signals it is worked out from.
    pub fn recipes(&self) -> &[Recipe] {
        &self.recipes
    }

    /// The first time whose values matter for what it is from a time on, s.
    pub fn reaches_back(&self, from: f64) -> f64 {
        from - back(&self.root)
    }

    /// Its values at nodes, given those of each of its signals.
    pub fn evaluate(&self, times: &[f64], signals: &[Vec<f64>]) -> Vec<f64> {
        let values = evaluated(&self.root, times, signals);
        // Where it divides by zero there is nothing to draw.
        values.into_iter().map(|v| if v.is_finite() { v } else { f64::NAN }).collect()
    }
}

/// How long before an instant values matter, s.
fn back(node: &Node) -> f64 {
    match node {
        Node::Number(_) | Node::Signal(_) => 0.0,
        Node::Applied(_, a, b) => back(a).max(back(b)),
        Node::Called(Call::Integral, ..) => f64::INFINITY,
        Node::Called(Call::Mean(time) | Call::Rms(time), a, _) => time + back(a),
        Node::Called(_, a, b) => back(a).max(b.as_ref().map_or(0.0, |b| back(b))),
    }
}

fn evaluated(node: &Node, times: &[f64], signals: &[Vec<f64>]) -> Vec<f64> {
    match node {
        Node::Number(value) => vec![*value; times.len()],
        Node::Signal(place) => signals[*place].clone(),
        Node::Applied(operator, a, b) => {
            let (a, b) = (evaluated(a, times, signals), evaluated(b, times, signals));
            a.into_iter().zip(b).map(|(a, b)| a.operate(*operator, b).unwrap_or(f64::NAN)).collect()
        }
        Node::Called(call, a, b) => {
            let a = evaluated(a, times, signals);
            let b = b.as_ref().map(|b| evaluated(b, times, signals));
            match call {
                Call::Pointwise(name) => {
                    let second = |k: usize| b.as_ref().map(|b| b[k]);
                    let one = |(k, v): (usize, &f64)| f64::function(name, *v, second(k)).unwrap_or(f64::NAN);
                    a.iter().enumerate().map(one).collect()
                }
                // Of nothing there is no logarithm; it is far down.
                Call::Decibel => a.iter().map(|v| 20.0 * v.abs().max(1e-20).log10()).collect(),
                Call::Derivative => derivative(times, &a),
                Call::Integral => integral(times, &a, |piece, bounds| piece.integral(bounds)),
                Call::Mean(time) => averaged(times, &a, *time, false),
                Call::Rms(time) => averaged(times, &a, *time, true),
            }
        }
    }
}

/// Slopes of the polynomials at the nodes; between two steps the mean of both.
fn derivative(times: &[f64], values: &[f64]) -> Vec<f64> {
    let (mut slopes, wave) = (vec![f64::NAN; times.len()], Waveform::new(times, values));
    for (first, last, piece) in wave.steps(wave.whole()).filter(|(.., piece)| piece.length() > 0.0) {
        let at = |s: f64| piece.slope(s) / piece.length();
        let start = &mut slopes[first];
        *start = if start.is_nan() { at(0.0) } else { 0.5 * (*start + at(0.0)) };
        (first + 1..last).for_each(|k| slopes[k] = at(piece.place(times[k])));
        slopes[last] = at(1.0);
    }
    slopes
}

/// The integral from the first node on, at every node.
fn integral(times: &[f64], values: &[f64], over: impl Fn(&Piece, (f64, f64)) -> f64) -> Vec<f64> {
    let (mut sums, wave) = (vec![0.0; times.len()], Waveform::new(times, values));
    for (first, last, piece) in wave.steps(wave.whole()) {
        let before = sums[first];
        let end = |k: usize| if k == last { 1.0 } else { piece.place(times[k]) };
        (first + 1..=last)
            .for_each(|k| sums[k] = before + if piece.length() > 0.0 { over(&piece, (0.0, end(k))) } else { 0.0 });
    }
    sums
}

/// The mean, or the RMS, over a time before each node; over what there is at the beginning.
fn averaged(times: &[f64], values: &[f64], time: f64, square: bool) -> Vec<f64> {
    let sums = integral(
        times,
        values,
        |piece, bounds| {
            if square { piece.integral_of_square(bounds) } else { piece.integral(bounds) }
        },
    );
    let sum = Waveform::new(times, &sums);
    let first = times.first().copied().unwrap_or(0.0);
    let one = |(k, t): (usize, &f64)| {
        let from = (t - time).max(first);
        let before = sum.at(from).unwrap_or(0.0);
        let mean = if *t > from { (sums[k] - before) / (t - from) } else { values[k] };
        match square {
            true if *t > from => mean.max(0.0).sqrt(),
            true => mean.abs(),
            false => mean,
        }
    };
    times.iter().enumerate().map(one).collect()
}
