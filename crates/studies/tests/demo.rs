//! The demo supply, run and judged.

use circuit::{Supply, check, resolve};
use mellow_studies::{End, Standing, run};
use recording::Recording;

fn demo() -> Supply {
    Supply::from_json(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap()
}

#[test]
fn the_demo_has_nothing_to_complain_of() {
    assert_eq!(check(&demo()), []);
}

#[test]
fn a_larger_reservoir_turns_the_ripple_verdict() {
    let mut supply = demo();
    let outcome_of = |supply: &Supply| run(&resolve(supply).unwrap(), "switch_on", &mut Recording::default()).unwrap();
    let before = outcome_of(&supply);
    println!("{}", serde_json::to_string_pretty(&before).unwrap());
    assert_eq!(before.end, End::Done);
    assert_eq!(before.verdicts[0].standing, Standing::Missed);
    let reservoir = supply.parts.iter_mut().find(|p| p.id == "C1").unwrap();
    reservoir.parameters.insert("capacitance".into(), "2200u".into());
    let after = outcome_of(&supply);
    assert_eq!(after.verdicts[0].standing, Standing::Met);
    assert!(after.readings[1].value < before.readings[1].value);
}
