//! Whatever is done to a supply, in whatever order: what cannot be done leaves it alone, what can leaves a supply that
//! can be written, read, checked, drawn and undone.

mod common;

use circuit::{KindId, Supply, check};
use common::{Random, mains, output, stated};
use mellow_design::{Edit, FORMS, Place, apply};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

const SEQUENCES: u64 = 40;
const EDITS: usize = 30;

/// What no edit may leave behind: names twice, or names of what is not there. A net may go with the parts on it, and is
/// then missed where a stage ends.
const NEVER: [&str; 5] = ["duplicate-name", "unknown-signal", "unknown-stage", "unknown-pin", "unreadable-value"];

struct Editor {
    random: Random,
    forms: usize,
}

impl Editor {
    fn below(&mut self, count: usize) -> usize {
        ((self.random.next() * count as f64) as usize).min(count.saturating_sub(1))
    }

    fn of<'a, T>(&mut self, all: &'a [T]) -> Option<&'a T> {
        let chosen = self.below(all.len());
        all.get(chosen)
    }

    fn stage(&mut self, supply: &Supply) -> String {
        self.of(&supply.stages).map_or("none".into(), |s| s.id.clone())
    }

    fn pin(&mut self, supply: &Supply) -> (String, String) {
        let Some(part) = self.of(&supply.parts) else { return ("X1".into(), "a".into()) };
        let pins: Vec<&String> = part.pins.keys().collect();
        (part.id.clone(), self.of(&pins).map_or("a".into(), |pin| (*pin).clone()))
    }

    fn net(&mut self, supply: &Supply) -> String {
        let (part, pin) = self.pin(supply);
        supply.part(&part).and_then(|p| p.pins.get(&pin).cloned()).unwrap_or("nowhere".into())
    }

    fn form(&mut self) -> String {
        self.of(FORMS).map(|f| f.id.to_owned()).unwrap()
    }

    fn edit(&mut self, supply: &Supply) -> Edit {
        let some = self.random.next() < 0.5;
        match self.below(20) {
            0..=4 => {
                self.forms += 1;
                let after = (!supply.stages.is_empty()).then(|| self.stage(supply));
                // Most forms do not fit most places; the first that does is taken.
                let form = (0..FORMS.len()).map(|_| self.form()).find(|form| {
                    let place = Place { after: after.clone(), joint: 0 };
                    mellow_design::propose(supply, form, &place, &BTreeMap::new()).is_ok()
                });
                let place = Place { after, joint: 0 };
                Edit::Add { form: form.unwrap_or("bridge".into()), place, between: some, choices: BTreeMap::new() }
            }
            5 => Edit::Size { stage: self.stage(supply), choices: BTreeMap::new(), everything: some },
            6 => Edit::SizeAll,
            7 => Edit::Replace { stage: self.stage(supply), form: self.form() },
            8 => Edit::Remove { stage: self.stage(supply) },
            9 => Edit::MoveEarlier { stage: self.stage(supply) },
            10 => Edit::Duplicate { stage: self.stage(supply) },
            11 => Edit::Rename { stage: self.stage(supply), title: format!("Stage {}", self.below(9)) },
            12 => Edit::Bypass { stage: self.stage(supply), bypassed: some },
            13 => Edit::StudySoFar { stage: self.stage(supply) },
            14 => {
                let kinds = [KindId::Resistor, KindId::Capacitor, KindId::Diode, KindId::Npn, KindId::Regulator];
                let kind = *self.of(&kinds).unwrap();
                Edit::AddPart { kind, entry: None, near: some.then_some((5, 5)) }
            }
            15 => {
                let text = format!("resistor 4k7 from {} to {}", self.net(supply), self.net(supply));
                Edit::AddLine { text, near: None }
            }
            16 => {
                let count = 1 + self.below(4);
                let parts = (0..count).filter_map(|_| self.of(&supply.parts).cloned()).collect();
                Edit::Paste { parts, by: (3, 4) }
            }
            17 => Edit::RemoveParts { parts: vec![self.pin(supply).0] },
            18 => Edit::Connect { from: self.pin(supply), to: self.pin(supply), join: some },
            _ => Edit::RenameNet { net: self.net(supply), to: format!("net{}", self.below(5)), join: some },
        }
    }
}

/// What holds of every state a supply comes into.
fn sound(supply: &Supply, after: &str) {
    let text = supply.to_json();
    let read = Supply::from_json(&text).unwrap_or_else(|error| panic!("{after}: {error}"));
    assert_eq!(read.to_json(), text, "{after}: it is not read as it was written");
    let parts: BTreeSet<&str> = supply.parts.iter().map(|p| p.id.as_str()).collect();
    assert_eq!(parts.len(), supply.parts.len(), "{after}: a designator stands twice");
    for finding in check(supply) {
        assert!(!NEVER.contains(&finding.rule.as_str()), "{after}: {finding}");
    }
    for stage in &supply.stages {
        let before = stage.after.as_deref();
        assert!(before.is_none_or(|id| supply.stage(id).is_some()), "{after}: {} hangs on nothing", stage.id);
    }
    mellow_design::check(supply);
    let drawn = drawing::draw(supply);
    assert_eq!(drawn.parts.len(), supply.parts.len(), "{after}: parts are missing in the drawing");
}

/// What was done how often in one sequence of edits.
fn one_after_another(seed: u64) -> BTreeMap<String, usize> {
    let mut done = BTreeMap::<String, usize>::new();
    let mut editor = Editor { random: Random(1000 + seed), forms: 0 };
    let outputs = vec![output("rail", "9", "250m"), output("aux", "5", "50m")];
    let start = if seed.is_multiple_of(3) { Supply::new("empty") } else { stated(mains(), outputs) };
    let mut history = vec![start];
    for number in 0..EDITS {
        let supply = history.last().unwrap();
        let before = supply.to_json();
        let edit = editor.edit(supply);
        let what = format!("seed {seed}, edit {number}: {edit:?}");
        let result = apply(supply, &edit);
        assert_eq!(supply.to_json(), before, "{what} touched what it was given");
        if let Ok(next) = result {
            let again = apply(supply, &edit).map(|s| s.to_json()).ok();
            assert_eq!(again, Some(next.to_json()), "{what}: not the same twice");
            sound(&next, &what);
            let name = format!("{edit:?}");
            *done.entry(name.split([' ', '{']).next().unwrap().to_owned()).or_default() += 1;
            history.push(next);
        }
    }
    // Sizing and tidying again change nothing more.
    let last = history.last().unwrap();
    for edit in [Edit::SizeAll, Edit::Tidy { parts: Vec::new(), keep: false }] {
        if let Ok(once) = apply(last, &edit) {
            let twice = apply(&once, &edit).unwrap();
            assert_eq!(twice.to_json(), once.to_json(), "seed {seed}: {edit:?} twice is not once");
        }
    }
    done
}

#[test]
fn every_order_of_edits_leaves_a_sound_supply_that_can_be_undone() {
    let sequences: Vec<_> = (0..SEQUENCES).into_par_iter().map(one_after_another).collect();
    let mut done = BTreeMap::<String, usize>::new();
    for (name, times) in sequences.into_iter().flatten() {
        *done.entry(name).or_default() += times;
    }
    println!("{done:?}");
    assert!(done.values().sum::<usize>() > 400 && done.len() >= 15, "too little was done: {done:?}");
}
