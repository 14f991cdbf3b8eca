//! Resistor, capacitor with its losses, inductor; a saturating inductor in five pieces.

use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::ResolvedPart;

/// Temperature at which a resistance is stated, °C.
const STATED_AT: f64 = 25.0;

pub(super) fn resistor(part: &ResolvedPart, n: &mut Network) {
    let (a, b) = (part.pins[0], part.pins[1]);
    let warmer = part.value("temperature") - STATED_AT;
    let resistance = part.value("resistance") * (1.0 + part.value("temperature_coefficient") * warmer);
    let i = n.current(a, b);
    n.relation(Row::across(a, b).plus(-resistance, i));
    n.lossy_port(Row::across(a, b), i);
}

/// `v = v_C + ESR·i + ESL·di/dt`, `C·dv_C/dt = i − v_C/R_leak`.
pub(super) fn capacitor(part: &ResolvedPart, n: &mut Network) {
    let (plus, minus) = (part.pins[0], part.pins[1]);
    let [capacitance, esr, esl, leakage] = ["capacitance", "esr", "esl", "leakage"].map(|name| part.value(name));
    let i = n.current(plus, minus);
    let leak = if leakage > 0.0 { 1.0 / leakage } else { 0.0 };
    let v = n.state(part.value("initial_voltage"), Row::default());
    let Of::State(index) = v else { return };
    n.states[index].1 = Row::of(i).plus(-leak, v).times(1.0 / capacitance);
    let behind = Row::across(plus, minus).plus(-esr, i).plus(-1.0, v);
    if esl > 0.0 {
        let own = n.state(0.0, behind.times(1.0 / esl));
        n.relation(Row::of(i).plus(-1.0, own));
        n.stores(own, esl);
    } else {
        n.relation(behind);
    }
    n.port(Row::across(plus, minus), i);
    n.loss(Row::of(i).times(esr), i);
    n.loss(Row::of(v), Row::of(v).times(leak));
    n.stores(v, capacitance);
}

/// Inductance left far beyond saturation, and at the saturation current, relative (as at device level).
const RESIDUAL: f64 = 0.05;
const AT_SATURATION: f64 = 0.7;
/// Currents in units of the bend's scale between which straight lines stand for the curve.
const BENDS: [f64; 10] = [0.0, 0.15, 0.3, 0.5, 0.7, 1.0, 1.35, 1.8, 2.5, 4.0];
/// Bend up to which it counts as linear.
const LINEAR: f64 = 0.7;

pub(super) fn inductor(part: &ResolvedPart, n: &mut Network) {
    let (a, b) = (part.pins[0], part.pins[1]);
    let [inductance, resistance] = ["inductance", "resistance"].map(|name| part.value(name));
    let i = n.current(a, b);
    let driving = Row::across(a, b).plus(-resistance, i);
    n.port(Row::across(a, b), i);
    n.loss(Row::of(i).times(resistance), i);
    let initial = part.value("initial_current");
    let saturates_at = part.value("saturation_current");
    if saturates_at == 0.0 {
        let own = n.state(initial, driving.times(1.0 / inductance));
        n.relation(Row::of(i).plus(-1.0, own));
        n.stores(own, inductance);
        return;
    }
    let scale = saturates_at / ((1.0 - RESIDUAL) / (AT_SATURATION - RESIDUAL)).sqrt().acosh();
    let curve = |current: f64| inductance * (RESIDUAL * current + (1.0 - RESIDUAL) * scale * (current / scale).tanh());
    saturating(n, (i, driving), scale, RESIDUAL * inductance, initial, curve);
}

/// A current that follows a flux along straight lines between points of a curve, beyond the last with the inductance that is left
/// there; odd in both. The curve bends where the current comes to the scale.
pub(super) fn saturating(
    n: &mut Network,
    (i, driving): (Of, Row),
    scale: f64,
    beyond: f64,
    initial: f64,
    curve: impl Fn(f64) -> f64,
) {
    let upward: Vec<(f64, f64)> = BENDS.iter().map(|bend| (curve(bend * scale), bend * scale)).collect();
    let mirrored = upward.iter().skip(1).rev().map(|(flux, current)| (-flux, -current));
    let points: Vec<(f64, f64)> = mirrored.chain(upward.iter().copied()).collect();
    let last = points.len() - 1;
    let (far_flux, far_current) = points[last];
    // Pieces from the lowest up: beyond, between points, beyond.
    let pieces: Vec<(f64, f64)> = std::iter::once((1.0 / beyond, -far_current + far_flux / beyond))
        .chain(points.windows(2).map(|ends| {
            let slope = (ends[1].1 - ends[0].1) / (ends[1].0 - ends[0].0);
            (slope, ends[0].1 - slope * ends[0].0)
        }))
        .chain(std::iter::once((1.0 / beyond, far_current - far_flux / beyond)))
        .collect();
    let at = |current: f64| {
        let piece = pieces[1 + points.windows(2).position(|e| current < e[1].1).unwrap_or(last)];
        (current - piece.1) / piece.0
    };
    let flux = n.state(at(initial), driving);
    let relation = n.relation(Row::default());
    let regions = pieces.iter().enumerate().map(|(k, (slope, offset))| {
        let below = k.checked_sub(1).map(|to| Guard::new(Row::of(flux).plus(-points[to].0, ONE), to));
        let above = points.get(k).map(|point| Guard::new(Row::constant(point.0).plus(-1.0, flux), k + 1));
        Region {
            name: match k.checked_sub(1).map(|below| &points[below..]) {
                Some([(_, low), (_, high), ..]) if low.abs().max(high.abs()) <= LINEAR * scale => "linear",
                _ => "saturating",
            },
            relations: vec![(relation, Row::of(i).plus(-slope, flux).plus(-offset, ONE))],
            guards: below.into_iter().chain(above).collect(),
            ..Region::default()
        }
    });
    let regions: Vec<Region> = regions.collect();
    let first = points.partition_point(|(flux, _)| *flux <= at(initial));
    n.element(Changes::Continuously, first, regions, Vec::new());
    n.stores_along(flux, points, beyond);
}
