//! Operational amplifier: the device-level macromodel with straight lines for its curves. An input stage whose output is
//! limited (slew), an integrator, a second pole, an output held between the supplies, an output current that is limited:
//!
//! `dx/dt = drive − (ω_u/A₀)·x − back`, `dy/dt = ω₂·(held(m + x) − y)`, `i = limited((y − v_out)/R_o)`.

use super::pieces::between;
use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::ResolvedPart;
use std::f64::consts::TAU;

/// How far beyond its limit the integrator goes freely, V (as at device level).
const BEYOND: f64 = 0.1;

pub(super) fn amplifier(part: &ResolvedPart, n: &mut Network) {
    let [out, plus, minus, high, low] = [0, 1, 2, 3, 4].map(|pin| part.pins[pin]);
    let value = |name: &str| part.value(name);
    let unity = TAU * value("gain_bandwidth");
    let difference = Row::across(plus, minus).plus(-value("offset"), ONE);

    // The input stage: an unknown of its own, so that its limits are pieces of one relation.
    let drive = n.inner();
    limited(n, (Row::of(drive), difference.times(unity)), value("slew_rate"), ["linear", "slewing up", "slewing down"]);

    let x = n.state(0.0, Row::default());
    let second = TAU * value("second_pole");
    let held = n.inner();
    let y = n.state(0.0, Row::of(held).times(second));
    let (Of::State(x_index), Of::State(y_index)) = (x, y) else { return };
    n.states[y_index].1 = Row::of(held).plus(-1.0, y).times(second);
    let free = Row::of(drive).plus(-unity / value("gain"), x);
    let wanted = Row::of(x).plus(0.5, Of::Net(high)).plus(0.5, Of::Net(low));
    let top = Row::of(Of::Net(high)).plus(-value("headroom_high"), ONE);
    let bottom = Row::of(Of::Net(low)).plus(value("headroom_low"), ONE);
    let relation = n.relation(Row::default());
    let region = |name, at: &Row, back: Option<Row>, guards: Vec<(Row, usize)>| Region {
        name,
        relations: vec![(relation, Row::of(held).plus(-1.0, at.clone()))],
        rates: vec![(x_index, free.clone().plus(-unity, back.unwrap_or_default()))],
        guards: guards.into_iter().map(|(holds, to)| Guard::new(holds, to)).collect(),
        ..Region::default()
    };
    let above = wanted.clone().plus(-1.0, top.clone());
    let below = bottom.clone().plus(-1.0, wanted.clone());
    let margin = |row: &Row, by: f64| row.clone().plus(by, ONE);
    let less = |row: &Row| row.clone().times(-1.0);
    let regions = vec![
        region("linear", &wanted, None, vec![(less(&above), 1), (less(&below), 3)]),
        region("at its upper limit", &top, None, vec![(above.clone(), 0), (margin(&less(&above), BEYOND), 2)]),
        region("at its upper limit", &top, Some(margin(&above, -BEYOND)), vec![(margin(&above, -BEYOND), 1)]),
        region("at its lower limit", &bottom, None, vec![(below.clone(), 0), (margin(&less(&below), BEYOND), 4)]),
        region("at its lower limit", &bottom, Some(less(&margin(&below, -BEYOND))), vec![(margin(&below, -BEYOND), 3)]),
    ];
    n.element(Changes::Continuously, 0, regions, Vec::new());

    // Out of the output, limited; drawn from the supply whose way it goes.
    let i = n.current(0, out);
    let towards = Row::of(y).plus(-1.0, Of::Net(out)).times(1.0 / value("output_resistance"));
    limited(n, (Row::of(i), towards), value("current_limit"), ["linear", "current limit", "current limit"]);
    let (from_high, from_low) = (n.current(high, 0), n.current(low, 0));
    let (to_high, to_low) = (n.relation(Row::default()), n.relation(Row::default()));
    let quiescent = value("supply_current");
    let bias = value("bias_current");
    let drawn = |name, [high_share, low_share]: [f64; 2], sign: f64, to| Region {
        name,
        relations: vec![
            (to_high, Row::of(from_high).plus(-high_share, i).plus(-quiescent, ONE)),
            (to_low, Row::of(from_low).plus(-low_share, i).plus(quiescent + 2.0 * bias, ONE)),
        ],
        guards: vec![Guard::new(Row::of(i).times(sign), to)],
        ..Region::default()
    };
    let regions = vec![drawn("sourcing", [1.0, 0.0], 1.0, 1), drawn("sinking", [0.0, 1.0], -1.0, 0)];
    n.element(Changes::Continuously, 0, regions, Vec::new());

    let input = n.current(plus, minus);
    n.relation(Row::across(plus, minus).plus(-value("input_resistance"), input));
    n.carry(plus, 0, &Row::constant(bias));
    n.carry(minus, 0, &Row::constant(bias));
    n.lossy_port(Row::of(Of::Net(out)), Row::of(i).times(-1.0));
    n.lossy_port(Row::of(Of::Net(high)), from_high);
    n.lossy_port(Row::of(Of::Net(low)), from_low);
    n.lossy_port(Row::of(Of::Net(plus)), Row::of(input).plus(bias, ONE));
    n.lossy_port(Row::of(Of::Net(minus)), Row::of(input).times(-1.0).plus(bias, ONE));
}

/// `y = x` as long as its size is below a limit, the limit beyond.
fn limited(n: &mut Network, of: (Row, Row), limit: f64, [inside, above, below]: [&'static str; 3]) {
    between(n, of, [Row::constant(-limit), Row::constant(limit)], [below, inside, above]);
}
