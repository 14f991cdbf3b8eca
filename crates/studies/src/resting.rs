//! Where a circuit rests, as its operating point is shown.

use circuit::{Circuit, KindId, Quantity, ResolvedPart};
use device::{EngineError, Equations};
use schemars::JsonSchema;
use serde::Serialize;

/// Where a circuit rests with its sources at their values at time zero: capacitors carry no current, inductors no voltage.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Resting {
    /// Every net but the reference.
    pub nets: Vec<RestingNet>,
    /// Every part, in document order.
    pub parts: Vec<RestingPart>,
    /// How it was found, in words.
    pub found: String,
    /// What has to be known to read it, in words.
    pub remarks: Vec<String>,
}

/// A net at rest.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct RestingNet {
    /// Its name.
    pub net: String,
    /// Its voltage to the reference, V.
    pub voltage: f64,
}

/// A part at rest.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct RestingPart {
    /// Designator.
    pub part: String,
    /// From its first pin to its second, V; none of a part with one pin.
    pub voltage: Option<f64>,
    /// Into its first pin, A; none of a part without such a current. Of a source what it delivers.
    pub current: Option<f64>,
    /// What it absorbs, W. Of a source what it delivers.
    pub power: f64,
    /// Whether it is a source.
    pub delivers: bool,
    /// What the device is doing: "saturation", "in breakdown".
    pub region: Option<String>,
}

/// Finds where a circuit rests, at device level.
///
/// # Errors
/// [`EngineError`] in words if something is undetermined or no state of rest is found.
pub fn resting(circuit: &Circuit) -> Result<Resting, EngineError> {
    let point = device::operating_point(&Equations::new(circuit))?;
    let value = |of: &str, quantity: Quantity| {
        point.values.iter().find(|(column, _)| column.of == of && column.quantity == quantity).map(|(_, value)| *value)
    };
    let at = |net: usize| if net == 0 { Some(0.0) } else { value(&circuit.nets[net], Quantity::Voltage) };
    let nets = circuit
        .nets
        .iter()
        .skip(1)
        .filter_map(|net| Some(RestingNet { net: net.clone(), voltage: value(net, Quantity::Voltage)? }));
    let sign = |part: &ResolvedPart| if part.kind.kind().feeds() { -1.0 } else { 1.0 };
    let part = |part: &ResolvedPart| RestingPart {
        delivers: part.kind.kind().feeds(),
        part: part.id.clone(),
        voltage: match part.pins[..] {
            [first, second, ..] => at(first).zip(at(second)).map(|(a, b)| a - b),
            _ => None,
        },
        current: value(&part.id, Quantity::Current).map(|current| sign(part) * current),
        power: point.powers.iter().find(|(id, _)| *id == part.id).map_or(0.0, |(_, power)| sign(part) * power),
        region: point.regions.iter().find(|(id, _)| *id == part.id).map(|(_, region)| (*region).to_owned()),
    };
    let methods: Vec<String> = point.methods.iter().map(ToString::to_string).collect();
    Ok(Resting {
        nets: nets.collect(),
        parts: circuit.parts.iter().map(part).collect(),
        found: format!("found by {} in {} iterations", methods.join(", then "), point.iterations),
        remarks: remarks(circuit),
    })
}

/// Sources that do not stay as they are at time zero are named.
pub(crate) fn remarks(circuit: &Circuit) -> Vec<String> {
    let moves = |part: &&ResolvedPart| {
        part.period().is_some() || matches!(part.kind, KindId::PiecewiseSource | KindId::ExponentialSource)
    };
    let moving: Vec<&str> = circuit.parts.iter().filter(moves).map(|part| part.id.as_str()).collect();
    if moving.is_empty() {
        return Vec::new();
    }
    vec![format!(
        "{} {} at time zero, and would not stay so: a run shows what follows",
        moving.join(", "),
        if moving.len() == 1 { "stands as it does" } else { "stand as they do" }
    )]
}
