//! What the one table says of each kind by switching is what this engine does.

use circuit::kinds::KINDS;
use circuit::{Part, Supply, resolve};

#[test]
fn the_table_says_which_kinds_have_a_form() {
    for kind in KINDS {
        let mut supply = Supply::new("one part");
        let nets = |k: usize| if k == 0 { "gnd".to_owned() } else { format!("n{k}") };
        let pins = kind.pins.iter().enumerate().map(|(k, pin)| (pin.id.to_owned(), nets(k)));
        supply.parts.push(Part::new("X1", kind.id, pins.collect()));
        for k in 1..kind.pins.len() {
            let pins = [("a".to_owned(), nets(k)), ("b".to_owned(), "gnd".to_owned())];
            supply.parts.push(Part::new(format!("R{k}"), circuit::KindId::Resistor, pins.into()));
        }
        let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{}: {findings:#?}", kind.name));
        let without = mellow_switched::without_form(&circuit);
        assert_eq!(without.is_empty(), kind.id.by_switching().is_some(), "{}", kind.name);
    }
}
