//! Curves of straight pieces that many parts have.

use crate::network::row::Row;
use crate::network::{Changes, Guard, Network, Region};

/// `y = x` between two rows, and the row beyond; names below, between and above.
pub(super) fn between(n: &mut Network, (y, x): (Row, Row), [low, high]: [Row; 2], names: [&'static str; 3]) {
    let relation = n.relation(Row::default());
    let region = |name, is: &Row, guards| Region {
        name,
        relations: vec![(relation, y.clone().plus(-1.0, is.clone()))],
        guards,
        ..Region::default()
    };
    let (over, under) = (x.clone().plus(-1.0, high.clone()), low.clone().plus(-1.0, x.clone()));
    let less = |row: &Row| row.clone().times(-1.0);
    let regions = vec![
        region(names[1], &x, vec![Guard::new(less(&over), 1), Guard::new(less(&under), 2)]),
        region(names[2], &high, vec![Guard::new(over, 0)]),
        region(names[0], &low, vec![Guard::new(under, 0)]),
    ];
    n.element(Changes::Continuously, 0, regions, Vec::new());
}

/// `y` is the lesser of two rows.
pub(super) fn least(n: &mut Network, y: &Row, [a, b]: [Row; 2], names: [&'static str; 2]) {
    let relation = n.relation(Row::default());
    let more = b.clone().plus(-1.0, a.clone());
    let region = |name, is: Row, holds: Row, to| Region {
        name,
        relations: vec![(relation, y.clone().plus(-1.0, is))],
        guards: vec![Guard::new(holds, to)],
        ..Region::default()
    };
    let regions = vec![region(names[0], a, more.clone(), 1), region(names[1], b, more.times(-1.0), 0)];
    n.element(Changes::Continuously, 0, regions, Vec::new());
}
