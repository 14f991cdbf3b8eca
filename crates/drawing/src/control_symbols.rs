//! Symbols of control parts: a rectangle with a qualifying symbol of IEC 60617 where there is one, a picture of what it makes otherwise.

use crate::picture::{Picture, line, read};
use circuit::KindId;

/// Output, two inputs, common beneath; output, one input, common beneath.
const GATE: &[(i32, i32)] = &[(3, 0), (-3, -1), (-3, 1), (0, 3)];
const BUFFER: &[(i32, i32)] = &[(3, 0), (-3, 0), (0, 3)];
const GATE_BOX: &str = "M-2 -2 H2 V2 H-2 Z M-3 -1 H-2 M-3 1 H-2 M2 0 H3 M0 2 V3";
const BUFFER_BOX: &str = "M-2 -2 H2 V2 H-2 Z M-3 0 H-2 M0 2 V3";
/// The qualifying symbols &, ≥1, =1, 1, and the letters of the inputs S and R.
const AND: &str = "M0.6 0.6 L-0.35 -0.55 A0.32 0.32 0 1 1 0.2 -0.55 L-0.45 0.05 A0.36 0.36 0 0 0 0.3 0.45 L0.6 0";
const AT_LEAST_ONE: &str = "M-0.9 -0.6 L-0.1 -0.2 L-0.9 0.2 M-0.9 0.55 H-0.1 M0.4 -0.3 L0.75 -0.6 V0.6";
const EXACTLY_ONE: &str = "M-0.9 -0.2 H-0.1 M-0.9 0.2 H-0.1 M0.4 -0.3 L0.75 -0.6 V0.6";
const ONE: &str = "M-0.2 -0.3 L0.15 -0.6 V0.6";
const SET_RESET: &str = "M-1.05 -1.35 C-1.2 -1.5 -1.7 -1.5 -1.7 -1.22 C-1.7 -0.95 -1.05 -1.05 -1.05 -0.78 C-1.05 -0.5 -1.55 \
                         -0.5 -1.7 -0.65 M-1.7 1.5 V0.55 H-1.3 A0.25 0.25 0 0 1 -1.3 1.05 H-1.7 M-1.35 1.05 L-1.05 1.5";
/// Output, input, common beneath.
const BUFFER_LEADS: &str = "M2 0 H3";
/// A jump and a ramp; how gain falls over frequency; steps.
const JUMP_AND_RAMP: &str = "M-1.1 0.9 V0.2 L1 -0.9";
const TYPE_2: &str = "M-1.2 -0.9 L-0.4 0 H0.4 L1.2 0.9";
const TYPE_3: &str = "M-1.3 -0.7 L-0.6 0.2 L0.1 -0.6 H0.5 L1.3 0.6";
const STEPS: &str = "M-1.2 0.9 H-0.6 V0.3 H0 V-0.3 H0.6 V-0.9 H1.2";
const LETTER_V: &str = "M-0.5 -0.6 L0 0.6 L0.5 -0.6";
/// A conductor through a ring.
const THROUGH: &str = "M-2 -2 H2 V2 H-2 Z M-3 -1 H3 M2 1 H3 M0 2 V3 M-0.3 -1.6 A0.3 0.6 0 0 0 -0.3 -0.4 M0.3 -1.6 A0.3 0.6 0 0 1 0.3 -0.4 \
                       M0 -0.3 V1 H2";
/// A carrier and the pulses it makes; a current between its turns; the like from nothing; pulses of one length; a band.
const SAWTOOTH: &str = "M-1.3 0.1 L-0.4 -1 V0.1 L0.5 -1 V0.1 L1.3 -0.9 M-1.3 1.2 V0.6 H-0.8 V1.2 H-0.4 V0.6 H0.1 V1.2 H0.5 V0.6 H1 V1.2 H1.3";
const BETWEEN_TURNS: &str = "M-1.3 0 L-0.6 -0.9 L-0.2 -0.3 L0.4 -0.9 L0.8 -0.3 L1.3 -0.9 M-1.3 1.2 V0.6 H-0.6 V1.2 H-0.2 V0.6 H0.4 V1.2 H0.8 \
                             V0.6 H1.3";
const AROUND_THE_MEAN: &str = "M-1.4 -0.5 H1.4 M-1.3 -0.2 L-0.7 -0.8 L-0.1 -0.2 L0.5 -0.8 L1.1 -0.2 M-1.3 1.2 V0.6 H-0.7 V1.2 H-0.1 V0.6 \
                               H0.5 V1.2 H1.1";
const TIMES: &str = "M-0.6 -0.6 L0.6 0.6 M-0.6 0.6 L0.6 -0.6";
const FROM_NOTHING: &str = "M-1.4 0.7 H1.4 M-1.2 0.7 L-0.6 -0.7 L0 0.7 L0.6 -0.7 L1.2 0.7";
const ONE_LENGTH: &str =
    "M-1.4 0.8 H-1 V-0.2 H-0.4 V0.8 H0.6 V-0.2 H1.2 V0.8 H1.4 M-1 -0.8 H-0.4 M-1 -1 V-0.6 M-0.4 -1 V-0.6";
const BAND: &str = "M-1 0.7 H0.35 V-0.7 M1 -0.7 H-0.35 V0.7";
/// Two pulses that do not meet, the upper against its own return.
const DRIVER: &[(i32, i32)] = &[(3, -2), (3, 0), (3, 2), (0, 4), (-3, 0)];
const DRIVER_BOX: &str = "M-2 -3 H2 V3 H-2 Z M-3 0 H-2 M2 -2 H3 M2 0 H3 M2 2 H3 M0 3 V4";
const NEVER_BOTH: &str = "M-1.2 -0.5 H-0.6 V-1.5 H0.5 V-0.5 H1.2 M-1.2 0.7 V0.7 H-0.9 V1.7 H0.8 V0.7 H1.2";
const ONE_PULSE: &str = "M-1.2 -0.3 L-0.85 -0.6 V0.6 M-0.3 0.6 H0.1 V-0.6 H0.8 V0.6 H1.2";
const CTR: &str = "M-0.7 -0.35 A0.35 0.45 0 0 0 -1.35 0 A0.35 0.45 0 0 0 -0.7 0.35 M-0.4 -0.5 H0.4 M0 -0.5 V0.5 M0.7 0.5 V-0.5 H1.05 \
                   A0.25 0.25 0 0 1 1.05 0 H0.7 M1 0 L1.35 0.5";
const RISES_AND_STAYS: &str = "M-1.2 0.9 H-0.9 L0.4 -0.7 H1.2";
/// The marks of undervoltage and overcurrent in IEC 60617.
const UNDERVOLTAGE: &str = "M-1 -0.6 V0.2 A0.4 0.4 0 0 0 -0.2 0.2 V-0.6 M1 -0.5 L0.3 0 L1 0.5";
const OVERCURRENT: &str = "M-0.7 -0.6 V0.6 M-0.95 -0.6 H-0.45 M-0.95 0.6 H-0.45 M0.2 -0.5 L0.9 0 L0.2 0.5";
const BURSTS: &str =
    "M-1.4 0.5 H-1.2 V-0.5 H-1 V0.5 H-0.8 V-0.5 H-0.6 V0.5 H0.4 V-0.5 H0.6 V0.5 H0.8 V-0.5 H1 V0.5 H1.3";

/// The symbol of a control part.
pub(crate) fn control(kind: KindId) -> Picture {
    let two_inputs = |mark: &'static str| (GATE, (2, 2), vec![line(GATE_BOX), read(mark)]);
    let one_input = |mark: &'static str| (BUFFER, (2, 2), vec![line(BUFFER_BOX), line(BUFFER_LEADS), read(mark)]);
    match kind {
        KindId::AndGate => two_inputs(AND),
        KindId::OrGate => two_inputs(AT_LEAST_ONE),
        KindId::XorGate => two_inputs(EXACTLY_ONE),
        KindId::Inverter => (
            BUFFER,
            (2, 2),
            vec![line(BUFFER_BOX), read(ONE), line("M2.6 0 A0.3 0.3 0 0 1 2 0 A0.3 0.3 0 0 1 2.6 0 M2.6 0 H3")],
        ),
        // Its letters stand at the inputs, wherever those are.
        KindId::Latch => (GATE, (2, 2), vec![line(GATE_BOX), line(SET_RESET)]),
        KindId::PiController => two_inputs(JUMP_AND_RAMP),
        KindId::Type2Compensator => two_inputs(TYPE_2),
        KindId::Type3Compensator => two_inputs(TYPE_3),
        KindId::SampledController => two_inputs(STEPS),
        KindId::Multiplier => two_inputs(TIMES),
        KindId::VoltageSensor => two_inputs(LETTER_V),
        KindId::CurrentSensor => (&[(-3, -1), (3, -1), (3, 1), (0, 3)], (2, 2), vec![line(THROUGH)]),
        KindId::PulseModulator => one_input(SAWTOOTH),
        KindId::CurrentModulator => two_inputs(BETWEEN_TURNS),
        KindId::AverageCurrentModulator => two_inputs(AROUND_THE_MEAN),
        KindId::CriticalModulator => two_inputs(FROM_NOTHING),
        KindId::OnTimeModulator => two_inputs(ONE_LENGTH),
        KindId::HystereticModulator => two_inputs(BAND),
        KindId::HalfBridgeDriver => (DRIVER, (2, 3), vec![line(DRIVER_BOX), read(NEVER_BOTH)]),
        KindId::Monostable => one_input(ONE_PULSE),
        KindId::Counter => two_inputs(CTR),
        KindId::SoftStart => one_input(RISES_AND_STAYS),
        KindId::UndervoltageLockout => one_input(UNDERVOLTAGE),
        KindId::BurstController => one_input(BURSTS),
        KindId::HiccupLimiter => one_input(OVERCURRENT),
        // The delay, the only one left.
        _ => one_input("M-1 -0.5 V0.5 M1 -0.5 V0.5 M-1 0 H1"),
    }
}
