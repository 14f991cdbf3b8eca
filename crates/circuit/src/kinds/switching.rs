//! What a part kind is where it is simulated by switching, as straight pieces: one sentence each, or none where it has no form.

use super::KindId;

impl KindId {
    /// What the kind is by switching; none if it has no form there.
    pub fn by_switching(self) -> Option<&'static str> {
        use KindId::{
            Amplifier, AndGate, AverageCurrentModulator, BurstController, Capacitor, Comparator, ControlledSwitch,
            CoreTransformer, Counter, CoupledWindings, CriticalModulator, CurrentControlledCurrent,
            CurrentControlledVoltage, CurrentLoad, CurrentModulator, CurrentSensor, CurrentSource, CurrentSwitch,
            DcSource, Delay, Diode, ExponentialSource, HalfBridgeDriver, HiccupLimiter, HystereticModulator,
            HystereticTransformer, IdealTransformer, Inductor, Inverter, Latch, Led, Monostable, MosfetN, MosfetP,
            Multiplier, Npn, OnTimeModulator, OrGate, PiController, PiecewiseSource, Pnp, PowerLoad, PulseModulator,
            PulseSource, Regulator, Resistor, SampledController, Schottky, SeriesReference, ShuntReference, SineSource,
            SoftStart, SteppedLoad, Thermistor, ThreePhaseSource, ThreeWindings, TimedSwitch, Type2Compensator,
            Type3Compensator, UndervoltageLockout, VoltageControlledCurrent, VoltageControlledVoltage, VoltageSensor,
            XorGate, Zener,
        };
        Some(match self {
            DcSource | PulseSource | CurrentSource | PiecewiseSource | ExponentialSource | ThreePhaseSource => {
                "As at device level, exactly."
            }
            SineSource => "As at device level, exactly; a change of its amplitude happens at once.",
            VoltageControlledVoltage
            | VoltageControlledCurrent
            | CurrentControlledVoltage
            | CurrentControlledCurrent => "As at device level, exactly.",
            Resistor | Capacitor | IdealTransformer => "As at device level, exactly.",
            Inductor => {
                "As at device level, exactly; where it saturates, its curve in twenty straight pieces, within 1 %."
            }
            CoupledWindings | ThreeWindings => "As at device level, exactly, without the damping of its leakage.",
            Diode | Schottky | Led => {
                "Open, or a drop and a resistance, tangent to its curve at its typical current; breakdown as a third piece. \
                 No capacitance and no recovery."
            }
            Zener => "As a diode, and in reverse its impedance through the stated point. No knee and no capacitance.",
            MosfetN | MosfetP => {
                "Its on-resistance or open, at its threshold, its body diode beside it. No gate current, no capacitances, no \
                 linear region."
            }
            Amplifier => "Gain, both poles, slew, swing, output resistance and current limit, with sharp corners.",
            Comparator => "At either supply behind its resistance, decided at once.",
            AndGate | OrGate | XorGate | Inverter | Latch => "High or low behind its resistance, decided at once.",
            Delay | Monostable | Counter | HalfBridgeDriver | UndervoltageLockout | BurstController | HiccupLimiter => {
                "High or low behind its resistance, its times exact and its edges at once."
            }
            PulseModulator
            | CurrentModulator
            | AverageCurrentModulator
            | OnTimeModulator
            | CriticalModulator
            | HystereticModulator => "High or low behind its resistance, its edges at once and located exactly.",
            PiController | Type2Compensator | Type3Compensator | VoltageSensor | CurrentSensor | SoftStart => {
                "As at device level, exactly."
            }
            SampledController => {
                "As at device level, exactly; small sinusoids see its steps as if they were infinitely fine."
            }
            Multiplier => "As at device level, exactly, at its samples; small sinusoids see the product's slope there.",
            TimedSwitch => "Closed or open, changing at once in the middle of its transition.",
            ControlledSwitch | CurrentSwitch => {
                "Closed or open, at its levels with hysteresis, halfway between them without."
            }
            CurrentLoad | SteppedLoad => "The current, or a resistance that reaches it at half the lowest voltage.",
            PowerLoad => {
                "Its curve in straight pieces, within 0.2 % above its lowest voltage and 2 % below; from a hundred times that on \
                 its current no longer falls."
            }
            CoreTransformer => "The curve of its core in twenty straight pieces; without the damping of its leakage.",
            Npn | Pnp => {
                "Its base as a diode, its collector the gain times its base's current, or saturated: a voltage and a resistance. No \
                 charges, no Early effect, nothing backwards."
            }
            ShuntReference | SeriesReference | Regulator => {
                "Regulating, in dropout, at its limit, with sharp corners; saturated, a shunt reference is a resistance."
            }
            Thermistor | HystereticTransformer => return None,
        })
    }
}
