//! Switches.

use super::describe::*;
use quantity::Unit;

pub(super) const TIMED_SWITCH: Kind = Kind {
    id: KindId::TimedSwitch,
    name: "Switch",
    letter: "S",
    help: "A resistance that changes between its open and closed values at given times.",
    pins: &TWO_ENDS,
    parameters: &[
        Parameter {
            id: "at_first",
            name: "At first",
            help: "State at time zero.",
            form: Form::Choice { options: &[("open", "open"), ("closed", "closed")], default: "open" },
            headline: false,
            sought: None,
        },
        headline(quantity("changes_at", "Changes at", Unit::Second, "1m", (0.0, ANY), "Time of the first change.")),
        quantity(
            "changes_back_after",
            "Changes back after",
            Unit::Second,
            "0",
            (0.0, ANY),
            "Time from the first change to the change back; 0 for never.",
        ),
        ON_RESISTANCE,
        OFF_RESISTANCE,
        quantity("transition", "Transition time", Unit::Second, "1u", (1e-12, ANY), "Duration of a change."),
    ],
    ratings: &[VOLTAGE, RMS_CURRENT],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

const BEHAVIOUR: Parameter = Parameter {
    id: "behaviour",
    name: "Behaviour",
    help: "Smooth: its resistance follows the control between the thresholds. Hysteresis: it keeps its state between them.",
    form: Form::Choice { options: &[("smooth", "smooth"), ("hysteresis", "with hysteresis")], default: "smooth" },
    headline: false,
    sought: None,
};
const ON_RESISTANCE: Parameter =
    quantity("on_resistance", "On-resistance", Unit::Ohm, "10m", (1e-9, ANY), "Resistance when closed.");
const OFF_RESISTANCE: Parameter =
    quantity("off_resistance", "Off-resistance", Unit::Ohm, "10M", (1e-9, 1e15), "Resistance when open.");
const BY_VOLTAGE: &[Pin] = &[pin("a", "a"), pin("b", "b"), listens("cp", "control +"), listens("cn", "control −")];
const BY_CURRENT: &[Pin] = &[pin("a", "a"), pin("b", "b"), pin("cp", "control +"), pin("cn", "control −")];

pub(super) const CONTROLLED_SWITCH: Kind = Kind {
    id: KindId::ControlledSwitch,
    name: "Controlled switch",
    letter: "S",
    help: "A resistance that changes between its open and closed values with a control voltage.",
    pins: BY_VOLTAGE,
    parameters: &[
        headline(quantity(
            "on_voltage",
            "On at",
            Unit::Volt,
            "3",
            (-1e6, 1e6),
            "Control voltage at which it is closed.",
        )),
        quantity("off_voltage", "Off at", Unit::Volt, "2", (-1e6, 1e6), "Control voltage at which it is open."),
        BEHAVIOUR,
        ON_RESISTANCE,
        OFF_RESISTANCE,
    ],
    ratings: &[VOLTAGE, RMS_CURRENT],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const CURRENT_SWITCH: Kind = Kind {
    id: KindId::CurrentSwitch,
    name: "Relay",
    letter: "S",
    help: "A resistance that changes between its open and closed values with the current through its control pins, \
           which drop no voltage; put them in series with the part that controls it.",
    pins: BY_CURRENT,
    parameters: &[
        headline(quantity(
            "on_current",
            "On at",
            Unit::Ampere,
            "20m",
            (-1e6, 1e6),
            "Control current at which it is closed.",
        )),
        quantity("off_current", "Off at", Unit::Ampere, "10m", (-1e6, 1e6), "Control current at which it is open."),
        BEHAVIOUR,
        ON_RESISTANCE,
        OFF_RESISTANCE,
    ],
    ratings: &[VOLTAGE, RMS_CURRENT],
    dc_paths: TWO_PATHS,
    fixes_voltage: false,
};
