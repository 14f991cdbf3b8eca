//! What became of one version of a supply in another.

use mellow_circuit::{KindId, Note, Part, Stage, Supply, changes};

fn demo() -> Supply {
    Supply::from_json(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap()
}

#[test]
fn every_change_is_said_in_words() {
    let before = demo();
    let said = |change: &dyn Fn(&mut Supply)| {
        let mut after = before.clone();
        change(&mut after);
        // What is done can be taken back, and that is said too.
        assert_eq!(changes(&before, &after).is_empty(), changes(&after, &before).is_empty());
        changes(&before, &after)
    };
    assert_eq!(said(&|_| ()), [""; 0]);
    assert_eq!(said(&|s| s.title = "Other".into()), ["title Tide gauge mains supply → Other"]);
    let capacitance = before.part("C1").unwrap().parameters["capacitance"].clone();
    assert_eq!(
        said(&|s| drop(part(s, "C1").parameters.insert("capacitance".into(), "1m".into()))),
        [format!("C1 capacitance {capacitance} → 1m")]
    );
    assert_eq!(
        said(&|s| drop(part(s, "C1").ratings.insert("voltage".into(), "63".into()))),
        ["C1 rated voltage 25 → 63"]
    );
    assert_eq!(said(&|s| s.derating.voltage = Some("80 %".into())), ["derating voltage set to 80 %"]);
    assert_eq!(said(&|s| drop(part(s, "R1").pins.insert("a".into(), "loose".into()))), ["R1 pin a bus → loose"]);
    assert_eq!(said(&|s| part(s, "C1").at.as_mut().unwrap().x += 3), ["C1 moved in the drawing"]);
    assert_eq!(said(&|s| s.parts.retain(|p| !p.id.starts_with('D'))), ["D1, D2, D3, D4 removed"]);
    assert_eq!(said(&|s| s.parts.push(Part::new("R9", KindId::Resistor, Default::default()))), ["R9 added"]);
    let stage = before.stages[2].title.clone();
    assert_eq!(said(&|s| s.stages[2].bypassed = true), [format!("stage {stage} bypassed")]);
    assert_eq!(said(&|s: &mut Supply| drop::<Stage>(s.stages.remove(2))), [format!("stage {stage} removed")]);
    assert_eq!(said(&|s| s.studies[0].course_mut().unwrap().duration = "7".into()).len(), 1);
    assert_eq!(said(&|s| s.texts.push(Note { text: "Hot".into(), x: 0, y: 0 })), ["texts changed"]);
}

fn part<'s>(supply: &'s mut Supply, id: &str) -> &'s mut Part {
    supply.parts.iter_mut().find(|p| p.id == id).unwrap()
}
