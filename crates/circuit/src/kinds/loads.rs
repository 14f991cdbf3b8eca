//! Loads.

use super::describe::*;
use quantity::Unit;

pub(super) const CURRENT_LOAD: Kind = Kind {
    id: KindId::CurrentLoad,
    name: "Constant-current load",
    letter: "I",
    help: "Draws a constant current, less and less below its lowest voltage.",
    pins: &PLUS_MINUS,
    parameters: &[
        headline(quantity("current", "Current", Unit::Ampere, "100m", (0.0, 1e6), "Current drawn.")),
        quantity(
            "least_voltage",
            "Lowest voltage",
            Unit::Volt,
            "0.5",
            (1e-6, 1e6),
            "Voltage below which the current falls towards zero.",
        ),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const POWER_LOAD: Kind = Kind {
    id: KindId::PowerLoad,
    name: "Constant-power load",
    letter: "P",
    help: "Draws a constant power as a converter does; below its lowest voltage it behaves as a resistance.",
    pins: &PLUS_MINUS,
    parameters: &[
        headline(quantity("power", "Power", Unit::Watt, "5", (0.0, 1e9), "Power drawn.")),
        quantity(
            "least_voltage",
            "Lowest voltage",
            Unit::Volt,
            "3",
            (1e-6, 1e6),
            "Voltage below which the power falls with its square.",
        ),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const STEPPED_LOAD: Kind = Kind {
    id: KindId::SteppedLoad,
    name: "Stepped load",
    letter: "I",
    help: "A current that steps between two values with a given slew, once or periodically.",
    pins: &PLUS_MINUS,
    parameters: &[
        quantity("low", "First current", Unit::Ampere, "10m", (0.0, 1e6), "Current before the step."),
        headline(quantity("high", "Stepped current", Unit::Ampere, "100m", (0.0, 1e6), "Current after the step.")),
        quantity("delay", "Steps at", Unit::Second, "1m", (0.0, ANY), "Time of the first step."),
        quantity("width", "for", Unit::Second, "1m", (0.0, ANY), "Time at the stepped current, without edges."),
        quantity("period", "Period", Unit::Second, "0", (0.0, ANY), "Time from step to step; 0 for one step only."),
        quantity("slew", "Slew", Unit::AmperePerSecond, "1M", (1e-6, 1e15), "Speed of the change."),
        quantity(
            "least_voltage",
            "Lowest voltage",
            Unit::Volt,
            "0.5",
            (1e-6, 1e6),
            "Voltage below which the current falls towards zero.",
        ),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};
