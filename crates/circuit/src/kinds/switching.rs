//! What a part kind is where it is simulated by switching, as straight pieces: one sentence each, or none where it has no form.

use super::KindId;

impl KindId {
    /// What the kind is by switching; none if it has no form there.
    pub fn by_switching(self) -> Option<&'static str> {
        use KindId::{
            Amplifier, AndGate, Capacitor, Comparator, ControlledSwitch, CoreTransformer, CoupledWindings,
            CurrentControlledCurrent, CurrentControlledVoltage, CurrentLoad, CurrentSource, CurrentSwitch, DcSource,
            Delay, Diode, ExponentialSource, HystereticTransformer, IdealTransformer, Inductor, Inverter, Latch, Led,
            MosfetN, MosfetP, Npn, OrGate, PiecewiseSource, Pnp, PowerLoad, PulseSource, Regulator, Resistor, Schottky,
            SeriesReference, ShuntReference, SineSource, SteppedLoad, Thermistor, ThreePhaseSource, ThreeWindings,
            TimedSwitch, VoltageControlledCurrent, VoltageControlledVoltage, XorGate, Zener,
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
            Delay => "High or low behind its resistance, after its delays exactly.",
            TimedSwitch => "Closed or open, changing at once in the middle of its transition.",
            ControlledSwitch | CurrentSwitch => {
                "Closed or open, at its levels with hysteresis, halfway between them without."
            }
            CurrentLoad | SteppedLoad => "The current, or a resistance that reaches it at half the lowest voltage.",
            PowerLoad => {
                "Its curve in straight pieces, within 0.2 % above its lowest voltage and 2 % below; from a hundred times that on \
                 its current no longer falls."
            }
            Thermistor
            | CoreTransformer
            | HystereticTransformer
            | Npn
            | Pnp
            | ShuntReference
            | SeriesReference
            | Regulator => return None,
        })
    }
}
