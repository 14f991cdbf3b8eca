//! What controlled sources and switches share.

use crate::network::Network;
use crate::network::row::Row;

/// What controls a part between two nets: their voltage, or the current of a path that drops none.
pub(super) fn control(n: &mut Network, by_current: bool, (cp, cn): (usize, usize)) -> Row {
    if !by_current {
        return Row::across(cp, cn);
    }
    let control = n.current(cp, cn);
    n.relation(Row::across(cp, cn));
    n.lossy_port(Row::across(cp, cn), control);
    Row::of(control)
}
