//! The operating point as a study: recorded as a moment in which nothing moves, so that it is looked at and read like any other run.

use crate::resting::remarks;
use crate::simulated::Simulated;
use crate::version::version;
use circuit::{Circuit, Engine};
use device::{Equations, operating_point};
use recording::{Chunk, Observer, columns};

/// Length of what is recorded, s, and its nodes: one step, at rest from its beginning to its end.
const NODES: [f64; 3] = [0.0, 0.5, 1.0];

/// What is left of it, and how it was found.
pub(crate) fn at_rest(circuit: &Circuit, observer: &mut dyn Observer) -> (Simulated, String) {
    let mut how = "at device level, where operating points are found".to_owned();
    let mut simulated = Simulated::new(version(Engine::DeviceLevel));
    match operating_point(&Equations::new(circuit)) {
        Err(error) => simulated.ended = Err(error.to_string()),
        Ok(point) => {
            let value =
                |column| point.values.iter().find(|(known, _)| *known == column).map_or(0.0, |(_, value)| *value);
            let values = columns(circuit).into_iter().map(|column| vec![value(column); NODES.len()]);
            observer.record(Chunk::new(NODES.to_vec(), values.collect()));
            let methods: Vec<String> = point.methods.iter().map(ToString::to_string).collect();
            let iterations = point.iterations;
            simulated.remarks = remarks(circuit);
            how = format!("at device level, found by {} in {iterations} iterations", methods.join(", then "));
        }
    }
    (simulated, how)
}
