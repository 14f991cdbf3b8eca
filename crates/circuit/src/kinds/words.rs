//! What engineers call part kinds besides their names, and what kinds are sorted by in lists (common practice).

use super::KindId;
use KindId::*;

/// A kind's place in lists.
pub fn family(kind: KindId) -> &'static str {
    match kind {
        SineSource | DcSource | PulseSource | CurrentSource | PiecewiseSource | ExponentialSource
        | ThreePhaseSource => "Sources",
        VoltageControlledVoltage | VoltageControlledCurrent | CurrentControlledVoltage | CurrentControlledCurrent => {
            "Controlled sources"
        }
        Resistor | Capacitor | Inductor | Thermistor => "Passive parts",
        IdealTransformer | CoupledWindings | CoreTransformer | HystereticTransformer | ThreeWindings => "Transformers",
        Diode | Schottky | Led | Zener => "Diodes",
        MosfetN | MosfetP | Npn | Pnp => "Transistors",
        Amplifier | Comparator | ShuntReference | SeriesReference | Regulator => "Amplifiers and references",
        TimedSwitch | ControlledSwitch | CurrentSwitch => "Switches",
        CurrentLoad | PowerLoad | SteppedLoad => "Loads",
        AndGate | OrGate | XorGate | Inverter | Latch | Delay | Monostable | Counter => "Logic",
        PulseModulator
        | CurrentModulator
        | AverageCurrentModulator
        | OnTimeModulator
        | CriticalModulator
        | HystereticModulator
        | HalfBridgeDriver => "Modulators and drivers",
        PiController | Type2Compensator | Type3Compensator | SampledController | Multiplier | VoltageSensor
        | CurrentSensor => "Compensators and sensors",
        SoftStart | UndervoltageLockout | BurstController | HiccupLimiter => "Supervision",
    }
}

/// Words a kind goes by, in small letters.
pub fn words(kind: KindId) -> &'static [&'static str] {
    match kind {
        SineSource => &["ac source", "mains", "generator", "v"],
        DcSource => &["battery", "voltage source", "supply", "v"],
        PulseSource => &["square", "clock", "gate drive", "v"],
        CurrentSource => &["i", "sink"],
        ThreePhaseSource => &["3 phase", "three phase mains"],
        PiecewiseSource => &["pwl", "arbitrary"],
        VoltageControlledVoltage => &["vcvs", "gain"],
        VoltageControlledCurrent => &["vccs", "transconductance"],
        CurrentControlledVoltage => &["ccvs"],
        CurrentControlledCurrent => &["cccs"],
        Resistor => &["r", "res", "fuse"],
        Capacitor => &["c", "cap", "mlcc"],
        Inductor => &["l", "choke", "coil", "ferrite"],
        Thermistor => &["ntc", "inrush limiter"],
        IdealTransformer | CoreTransformer | HystereticTransformer | ThreeWindings => &["t", "xfmr"],
        CoupledWindings => &["t", "xfmr", "coupled inductors", "coupled inductor", "flyback transformer"],
        Diode => &["d", "rectifier", "silicon diode", "fast diode"],
        Schottky => &["d", "schottky barrier"],
        Led => &["d", "lamp"],
        Zener => &["z", "d", "tvs", "clamp diode"],
        MosfetN => &["q", "fet", "mosfet", "nmos", "nfet", "nmosfet", "n channel"],
        MosfetP => &["q", "fet", "mosfet", "pmos", "pfet", "pmosfet", "p channel"],
        Npn => &["q", "bjt", "transistor", "bipolar"],
        Pnp => &["q", "bjt", "transistor", "bipolar"],
        Amplifier => &["op amp", "opamp", "amp", "error amplifier"],
        Comparator => &["comp", "schmitt trigger"],
        ShuntReference => &["reference", "vref", "shunt regulator"],
        SeriesReference => &["reference", "vref", "bandgap"],
        Regulator => &["ldo", "linear regulator", "regulator"],
        Inverter => &["not", "not gate"],
        AndGate => &["and"],
        OrGate => &["or"],
        XorGate => &["xor", "exor"],
        Latch => &["flip flop", "flipflop", "sr latch", "rs latch"],
        Monostable => &["one shot"],
        PulseModulator => &["pwm", "modulator", "voltage mode", "voltage mode modulator", "duty modulator"],
        CurrentModulator => &["modulator", "pwm", "current mode", "peak current", "peak current mode"],
        AverageCurrentModulator => &["modulator", "pwm", "average current", "average current mode"],
        OnTimeModulator => &["modulator", "cot", "constant on time"],
        CriticalModulator => &["modulator", "crm", "boundary conduction", "transition mode"],
        HystereticModulator => &["modulator", "bang bang", "two point"],
        HalfBridgeDriver => &["driver", "gate driver", "dead time"],
        PiController => &["pi", "controller", "compensator", "integrator"],
        Type2Compensator => &["type 2", "type ii", "compensator", "error amplifier"],
        Type3Compensator => &["type 3", "type iii", "compensator", "error amplifier"],
        SampledController => &["digital controller", "controller", "compensator"],
        VoltageSensor => &["sensor", "divider"],
        CurrentSensor => &["sensor", "current sense"],
        UndervoltageLockout => &["uvlo"],
        BurstController => &["pulse skipping", "burst mode"],
        HiccupLimiter => &["hiccup", "overload protection"],
        TimedSwitch | CurrentSwitch => &["s", "switch"],
        ControlledSwitch => &["s", "switch", "ideal switch"],
        CurrentLoad => &["load", "constant current", "electronic load"],
        PowerLoad => &["load", "constant power"],
        SteppedLoad => &["load", "load step", "transient load"],
        ExponentialSource | Delay | Counter | Multiplier | SoftStart => &[],
    }
}
