//! Control parts: an element whose regions are the part's modes. What a part does is said once for both engines, in the crate of
//! control parts.

use crate::network::course::Course;
use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Element, Guard, Network, Region, Set, Transition};
use circuit::ResolvedPart;
use control::Automaton;

pub(super) fn automaton(part: &ResolvedPart, automaton: &Automaton, n: &mut Network) {
    let through = automaton.through.map(|through| {
        let (from, to) = (part.pins[through.from], part.pins[through.to]);
        let current = n.current(from, to);
        n.relation(Row::across(from, to).plus(-through.resistance, current));
        n.lossy_port(Row::across(from, to), current);
        current
    });
    let states: Vec<Of> = automaton.states.iter().map(|first| n.state(*first, Row::default())).collect();
    let clock = automaton.clock.as_ref().map(|clock| {
        let input = n.input(Course::Turn(clock.clone()));
        (n.courses.len() - 1, Of::Input(input))
    });
    let row = |sum: &control::Sum| {
        sum.0.iter().fold(Row::default(), |row, (of, factor)| {
            let of = match of {
                control::Of::Pin(pin) => Of::Net(part.pins[*pin]),
                control::Of::State(state) => states[*state],
                control::Of::Through => through.unwrap_or(ONE),
                control::Of::Phase => clock.map_or(ONE, |(_, phase)| phase),
                control::Of::One => ONE,
            };
            row.plus(*factor, of)
        })
    };
    let index = |state: usize| match states[state] {
        Of::State(state) => state,
        _ => unreachable!("a state is a state"),
    };
    let transition = |t: &control::Transition| Transition {
        to: t.to,
        sets: t
            .sets
            .iter()
            .map(|set| Set {
                state: index(set.state),
                value: row(&set.value),
                factor: set.factor.as_ref().map_or_else(Row::default, |(_, factor)| row(factor)),
                rule: set.clone(),
            })
            .collect(),
    };
    // The open-circuit voltage each output is driven to takes the place of the relation's last term.
    let outputs: Vec<(usize, Row)> = automaton
        .outputs
        .iter()
        .map(|output| {
            let (pin, against) = (part.pins[output.pin], part.pins[output.against]);
            let current = n.current(pin, against);
            let across = Row::across(pin, against);
            n.lossy_port(across.clone(), current);
            (n.relation(Row::default()), across.plus(-output.resistance, current))
        })
        .collect();
    let regions = automaton.modes.iter().map(|mode| Region {
        name: mode.name,
        relations: outputs
            .iter()
            .zip(&mode.outputs)
            .map(|((relation, behind), drive)| (*relation, behind.clone().plus(-1.0, row(drive))))
            .collect(),
        rates: mode.rates.iter().enumerate().map(|(state, rate)| (index(state), row(rate))).collect(),
        guards: mode
            .guards
            .iter()
            .map(|guard| Guard { holds: row(&guard.holds), then: transition(&guard.then) })
            .collect(),
        marks: mode.marks.iter().map(|(mark, then)| (*mark, transition(then))).collect(),
        open: None,
    });
    let regions = regions.collect();
    let clock = clock.map(|(course, _)| course);
    n.add(Element { clock, ..Element::new(Changes::Signals, 0, regions, Vec::new()) });
}
