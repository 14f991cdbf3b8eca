//! A general-purpose solver that walks through the same pieces, with steps of its own and events as it finds them, comes out where
//! this engine does.

mod common;
#[path = "common/general.rs"]
mod general;

use circuit::Quantity;
use common::{Run, circuit, controlled, converters, tried};
use general::walk;
use proptest::prelude::*;

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_general_solver_comes_out_at_the_same(
        which in 0..converters::all().len() + controlled::all().len(), part in 0.01..0.2f64,
    ) {
        let (name, rows, end, _) = converters::all().into_iter().chain(controlled::all()).nth(which).unwrap();
        let (circuit, end) = (circuit(&rows), part * end);
        let (_, found) = walk(&circuit, end, 1e-10).unwrap();
        let Run { columns, recording, .. } = tried(circuit, end, 0.0, 1e-6).unwrap();
        let ours = columns.iter().zip(&recording.columns).filter(|(column, _)| column.quantity != Quantity::Power);
        for ((column, values), found) in ours.zip(found) {
            let full = values.iter().fold(1e-6f64, |most, v| most.max(v.abs()));
            let last = values[values.len() - 1];
            prop_assert!((last - found).abs() < 1e-7 * full, "{name}, {} of {}: {last} and {found} of {full}", column.quantity.letter(), column.of);
        }
    }
}
