//! What a circuit is shaken with when its response to small sinusoids is looked for.

use circuit::{Circuit, KindId, ResolvedPart};

/// What is shaken, with amplitude one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Excitation {
    /// 1 V in series with a voltage source, by designator.
    Source(String),
    /// 1 A drawn out of the second net and driven into the first, by name.
    Current(String, String),
}

/// A circuit with a source of 0 V in series with a pin, at which a loop that passes through it is measured. Other probes may
/// be put into the same circuit after it; they change nothing.
#[derive(Clone, Debug)]
pub struct Probed {
    /// The circuit; the source's plus is on the net, its minus at the pin.
    pub circuit: Circuit,
    /// Name of the net the pin was on.
    pub outer: String,
    /// Name of the pin's own net.
    pub inner: String,
    /// Designator of the source.
    pub probe: String,
}

impl Probed {
    /// Puts the source between a pin and its net; none if there is no such part or pin.
    pub fn new(circuit: &Circuit, part: &str, pin: &str) -> Option<Self> {
        let part = circuit.part(part)?;
        let pin = circuit.parts[part].kind.kind().pin(pin)?;
        let mut circuit = circuit.clone();
        // Names no document can contain, and no other probe in the same circuit has.
        let number = circuit.nets.len();
        let (inner, probe) = (format!("(pin {number})"), format!("(probe {number})"));
        let outer = circuit.parts[part].pins[pin];
        let own = circuit.add_net(&inner);
        circuit.parts[part].pins[pin] = own;
        circuit.add_part(ResolvedPart {
            id: probe.clone(),
            kind: KindId::DcSource,
            stage: None,
            pins: vec![outer, own],
            values: vec![0.0],
            points: Vec::new(),
            ratings: Vec::new(),
        });
        let outer = circuit.nets[outer].clone();
        Some(Probed { circuit, outer, inner, probe })
    }
}
