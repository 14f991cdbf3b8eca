//! The one table of what a reading can measure: its name, what it is taken of, its unit, its numbers, its help.

use crate::Quantity;
use crate::measures::{Measure, MeasureNumber, Measured, ReadingMeasure, Subject};
use quantity::Unit;

use ReadingMeasure as M;

const fn plain(id: M, name: &'static str, unit: Measured, help: &'static str) -> Measure {
    Measure { id, name, of: Subject::Signal, unit, numbers: &[], help }
}

const fn with(
    id: M,
    name: &'static str,
    unit: Measured,
    numbers: &'static [MeasureNumber],
    help: &'static str,
) -> Measure {
    Measure { id, name, of: Subject::Signal, unit, numbers, help }
}

const fn port(
    id: M,
    name: &'static str,
    unit: Measured,
    numbers: &'static [MeasureNumber],
    help: &'static str,
) -> Measure {
    Measure { id, name, of: Subject::Port, unit, numbers, help }
}

const fn curve(
    id: M,
    name: &'static str,
    unit: Measured,
    numbers: &'static [MeasureNumber],
    help: &'static str,
) -> Measure {
    Measure { id, name, of: Subject::Curve, unit, numbers, help }
}

const SECOND: Measured = Measured::In(Unit::Second);
const HERTZ: Measured = Measured::In(Unit::Hertz);
const ONE: Measured = Measured::In(Unit::One);
const SHARE: Measured = Measured::In(Unit::Share);
const DEGREE: Measured = Measured::In(Unit::Degree);
const DECIBEL: Measured = Measured::In(Unit::Decibel);
const WATT: Measured = Measured::In(Unit::Watt);
const VOLT_AMPERE: Measured = Measured::In(Unit::VoltAmpere);

const LEVEL: MeasureNumber = MeasureNumber {
    id: "level",
    name: "Level",
    unit: Measured::Same,
    default: None,
    options: &[],
    help: "The middle between lowest and highest value if left out.",
};
const START: MeasureNumber = MeasureNumber {
    id: "start",
    name: "Level before",
    unit: Measured::Same,
    default: None,
    options: &[],
    help: "The value at the window's beginning if left out.",
};
const END: MeasureNumber = MeasureNumber {
    id: "end",
    name: "Level after",
    unit: Measured::Same,
    default: None,
    options: &[],
    help: "The mean over the window's last tenth if left out.",
};
const FUNDAMENTAL: MeasureNumber = MeasureNumber {
    id: "fundamental",
    name: "Fundamental",
    unit: HERTZ,
    default: None,
    options: &[],
    help: "The frequency of the periodic source if left out; the window is cut to whole periods from its end.",
};
const LEVELS: MeasureNumber = MeasureNumber {
    id: "levels",
    name: "Levels",
    unit: ONE,
    default: Some("ends"),
    options: &["ends", "histogram"],
    help: "Where levels that are not stated are taken from: the window's ends, or the two at which the signal stays longest (IEEE 181).",
};
const AT: MeasureNumber = MeasureNumber {
    id: "frequency",
    name: "Frequency",
    unit: HERTZ,
    default: Some("1k"),
    options: &[],
    help: "Where it is read, between the points that were computed.",
};
const BAND_OF: &[MeasureNumber] = &[
    MeasureNumber {
        id: "band_from",
        name: "From",
        unit: HERTZ,
        default: None,
        options: &[],
        help: "The first frequency of the study if left out.",
    },
    MeasureNumber {
        id: "band_to",
        name: "To",
        unit: HERTZ,
        default: None,
        options: &[],
        help: "The last frequency of the study if left out.",
    },
];
const STEP: &[MeasureNumber] = &[START, END, LEVELS];
const BAND: MeasureNumber = MeasureNumber {
    id: "band",
    name: "Band",
    unit: SHARE,
    default: Some("2 %"),
    options: &[],
    help: "How far off the level after counts as settled, relative to the change.",
};

const WITHIN: MeasureNumber = MeasureNumber {
    id: "within",
    name: "Within",
    unit: Measured::Same,
    default: None,
    options: &[],
    help: "How far off counts as settled, in the signal's own unit, whatever the change; by the band if left out.",
};

/// Every measure, in the order offered.
pub const MEASURES: &[Measure] = &[
    plain(M::Mean, "Mean", Measured::Same, "Time average."),
    plain(M::Rms, "RMS", Measured::Same, "Root of the time average of the square."),
    plain(M::Min, "Lowest", Measured::Same, "Smallest value."),
    plain(M::Max, "Highest", Measured::Same, "Largest value."),
    plain(M::PeakToPeak, "Peak-to-peak", Measured::Same, "Largest less smallest value."),
    plain(M::AlternatingRms, "RMS of the alternating part", Measured::Same, "RMS of what is left without the mean."),
    with(
        M::Ripple,
        "Ripple within a band of frequencies",
        Measured::Same,
        &[
            MeasureNumber {
                id: "above",
                name: "Slower than is removed",
                unit: HERTZ,
                default: Some("0"),
                options: &[],
                help: "A high-pass of first order; 0 removes nothing.",
            },
            MeasureNumber {
                id: "below",
                name: "Faster than is removed",
                unit: HERTZ,
                default: Some("0"),
                options: &[],
                help: "A low-pass of first order; 0 removes nothing.",
            },
        ],
        "Peak-to-peak of what filters of first order leave, −3 dB at these frequencies. They settle for seven of their time constants from the window's beginning.",
    ),
    plain(
        M::Integral,
        "Integral",
        Measured::TimesSecond,
        "Integral over time: of a current a charge, of a power an energy.",
    ),
    with(
        M::ValueAt,
        "Value at a time",
        Measured::Same,
        &[MeasureNumber {
            id: "time",
            name: "Time",
            unit: SECOND,
            default: None,
            options: &[],
            help: "Counted from the beginning of the run; where the window begins if left out, such as at a crossing.",
        }],
        "The value at one time within the window.",
    ),
    plain(M::Slope, "Slope", Measured::PerSecond, "Change over the window, over its length."),
    plain(M::Steepest, "Steepest slope", Measured::PerSecond, "Largest magnitude of the rate of change."),
    plain(
        M::Frequency,
        "Frequency",
        HERTZ,
        "Reciprocal of the mean time between upward crossings of the middle; wiggles below a fifth of peak-to-peak do not count.",
    ),
    plain(M::Period, "Period", SECOND, "Mean time between upward crossings of the middle."),
    with(
        M::Duty,
        "Share of time above a level",
        SHARE,
        &[LEVEL],
        "Time above the level over the window's length; over whole periods it is the duty.",
    ),
    with(
        M::Count,
        "Count of crossings",
        ONE,
        &[LEVEL],
        "Upward crossings of the level; wiggles below a fifth of peak-to-peak do not count.",
    ),
    with(
        M::CrossingTime,
        "Time of a crossing",
        SECOND,
        &[
            LEVEL,
            MeasureNumber {
                id: "number",
                name: "Which",
                unit: ONE,
                default: Some("1"),
                options: &[],
                help: "1 is the first within the window.",
            },
            MeasureNumber {
                id: "direction",
                name: "Direction",
                unit: ONE,
                default: Some("either"),
                options: &["either", "up", "down"],
                help: "Which way it is crossed.",
            },
        ],
        "Time of the n-th crossing of the level, from the beginning of the run.",
    ),
    with(
        M::RiseTime,
        "Rise time",
        SECOND,
        STEP,
        "From 10 % to 90 % of the way from the level before up to the level after (IEC 60469).",
    ),
    with(
        M::FallTime,
        "Fall time",
        SECOND,
        STEP,
        "From 90 % to 10 % of the way from the level before down to the level after (IEC 60469).",
    ),
    with(
        M::Delay,
        "Delay",
        SECOND,
        STEP,
        "From the window's beginning to half of the way from the level before to the level after (IEC 60469): around a step, behind that step.",
    ),
    with(
        M::Overshoot,
        "Overshoot",
        SHARE,
        STEP,
        "How far the level after is exceeded, relative to the change (IEC 60469).",
    ),
    with(
        M::Undershoot,
        "Undershoot",
        Measured::Same,
        STEP,
        "How far it falls below the lower of the levels before and after: the valley a load step leaves.",
    ),
    with(
        M::RiseAbove,
        "Rise above",
        Measured::Same,
        STEP,
        "How far it rises above the higher of the levels before and after: the peak that the release of a load leaves.",
    ),
    with(
        M::SettlingTime,
        "Settling time",
        SECOND,
        &[START, END, BAND, LEVELS, WITHIN],
        "From the window's beginning until the signal stays within the band about the level after: behind a load step, the recovery.",
    ),
    with(
        M::Regulation,
        "Regulation",
        SHARE,
        STEP,
        "Change from the level before to the level after, relative to the level before: around a step of the load, load regulation; around one of the line, line regulation.",
    ),
    with(
        M::Margin,
        "Margin above a need",
        Measured::Same,
        &[MeasureNumber {
            id: "need",
            name: "Needed",
            unit: Measured::Same,
            default: Some("0"),
            options: &[],
            help: "What the signal must not fall below: of what stands across a regulator, its dropout voltage.",
        }],
        "Smallest value less what is needed: of the voltage across a regulator, its dropout margin.",
    ),
    plain(M::RingingFrequency, "Frequency of a ringing", HERTZ, "From successive peaks and troughs of what dies away."),
    plain(
        M::RingingDecay,
        "Decay of a ringing",
        HERTZ,
        "Rate at which it dies away, from the logarithmic decrement; negative if it grows.",
    ),
    plain(M::CrestFactor, "Crest factor", ONE, "Largest magnitude over RMS."),
    plain(M::FormFactor, "Form factor", ONE, "RMS over the mean of the magnitude."),
    plain(M::RippleFactor, "Ripple factor", SHARE, "RMS of the alternating part over the mean."),
    with(
        M::Harmonic,
        "Harmonic",
        Measured::Same,
        &[
            MeasureNumber {
                id: "order",
                name: "Order",
                unit: ONE,
                default: Some("1"),
                options: &[],
                help: "1 for the fundamental.",
            },
            FUNDAMENTAL,
        ],
        "RMS of one harmonic.",
    ),
    with(
        M::HarmonicDistortion,
        "Total harmonic distortion",
        SHARE,
        &[
            MeasureNumber {
                id: "orders",
                name: "Highest order",
                unit: ONE,
                default: Some("40"),
                options: &[],
                help: "Harmonics up to this one count.",
            },
            FUNDAMENTAL,
        ],
        "RMS of the harmonics over that of the fundamental (IEC 61000-4-7).",
    ),
    port(M::RealPower, "Real power", WATT, &[], "Mean of voltage times current (IEEE 1459)."),
    port(M::ApparentPower, "Apparent power", VOLT_AMPERE, &[], "RMS voltage times RMS current (IEEE 1459)."),
    port(
        M::NonactivePower,
        "Nonactive power",
        VOLT_AMPERE,
        &[],
        "Root of apparent squared less real squared (IEEE 1459).",
    ),
    port(M::PowerFactor, "Power factor", ONE, &[], "Real over apparent power (IEEE 1459)."),
    port(
        M::DisplacementFactor,
        "Displacement factor",
        ONE,
        &[FUNDAMENTAL],
        "Cosine of the angle between the fundamentals of voltage and current (IEEE 1459).",
    ),
    port(
        M::DistortionFactor,
        "Distortion factor",
        ONE,
        &[FUNDAMENTAL],
        "RMS of the current's fundamental over its RMS: with a sinusoidal voltage, power factor over displacement factor.",
    ),
    port(
        M::HarmonicUse,
        "Harmonics against IEC 61000-3-2",
        SHARE,
        &[
            MeasureNumber {
                id: "class",
                name: "Class",
                unit: ONE,
                default: Some("A"),
                options: &["A", "B", "C", "D"],
                help: "A for most equipment, B for portable tools, C for lighting above 25 W, D for screens and computers.",
            },
            FUNDAMENTAL,
        ],
        "Largest of the current's harmonics 2 to 40 over its limit (edition 4 of 2014); up to 100 % they are all within. At 75 W \
         or less only lighting has limits; what is below 5 mA or 0.6 % of the current does not count.",
    ),
    Measure {
        id: M::Efficiency,
        name: "Efficiency",
        of: Subject::Stage,
        unit: SHARE,
        numbers: &[],
        help: "Of the supply: power into the loads over power from the sources. Of a stage: power passed on over power arriving.",
    },
    Measure {
        id: M::Loss,
        name: "Loss",
        of: Subject::Stage,
        unit: WATT,
        numbers: &[],
        help: "Of the supply: power from the sources less power into the loads. Of a stage: what its parts absorb.",
    },
    Measure {
        id: M::RatingUse,
        name: "Use of ratings",
        of: Subject::Stage,
        unit: SHARE,
        numbers: &[],
        help: "The largest share that any part, of the supply or of a stage, uses of a rating as far as derating allows it: voltages \
               and peak currents over the window, RMS and mean currents and powers over its last period.",
    },
    curve(
        M::Crossover,
        "Crossover",
        HERTZ,
        &[],
        "Frequency at which a loop gain passes one; of several the one with the least phase margin.",
    ),
    curve(
        M::PhaseMargin,
        "Phase margin",
        DEGREE,
        &[],
        "180° plus the phase of a loop gain where its magnitude is one; the least of several.",
    ),
    curve(
        M::GainMargin,
        "Gain margin",
        DECIBEL,
        &[],
        "How far a loop gain lies below one where its phase passes −180°; the least of several.",
    ),
    curve(
        M::ModulusMargin,
        "Modulus margin",
        ONE,
        &[],
        "Least distance of a loop gain from −1, the least |1 + T|: what is left for phase and gain to change together.",
    ),
    curve(M::ClosedLoopPeak, "Peak of the closed loop", DECIBEL, &[], "Largest |T / (1 + T)| of a loop gain T."),
    curve(
        M::CurveMagnitude,
        "Magnitude at a frequency",
        Measured::Same,
        &[AT],
        "Magnitude of a curve at one frequency.",
    ),
    curve(
        M::CurveDecibels,
        "Decibels at a frequency",
        DECIBEL,
        &[AT],
        "20·lg of a curve's magnitude at one frequency.",
    ),
    curve(M::CurvePhase, "Phase at a frequency", DEGREE, &[AT], "Phase of a curve at one frequency, without jumps."),
    curve(
        M::CurveLargest,
        "Largest magnitude in a band",
        Measured::Same,
        BAND_OF,
        "Largest magnitude of a curve between two frequencies.",
    ),
    curve(
        M::CurveSmallest,
        "Smallest magnitude in a band",
        Measured::Same,
        BAND_OF,
        "Smallest magnitude of a curve between two frequencies.",
    ),
    curve(
        M::PeakFrequency,
        "Frequency of a peak",
        HERTZ,
        BAND_OF,
        "Where the highest peak of a curve lies, one that falls off to both sides.",
    ),
    curve(
        M::PeakQuality,
        "Quality of a peak",
        ONE,
        BAND_OF,
        "Of the highest peak: its frequency over its width at 1/√2 of its height.",
    ),
    curve(
        M::Bandwidth,
        "Bandwidth",
        HERTZ,
        &[],
        "Frequency from which on a curve lies below 1/√2 of its magnitude at its beginning.",
    ),
    curve(
        M::MaskUse,
        "Use of an upper mask",
        SHARE,
        &[],
        "Largest magnitude over the mask's, where both are known: at most 100 % keeps a curve beneath it, such as a target impedance.",
    ),
    curve(
        M::MaskRest,
        "Height above a lower mask",
        SHARE,
        &[],
        "Smallest magnitude over the mask's, where both are known: at least 100 % keeps a curve above it, such as a rejection.",
    ),
    Measure {
        id: M::Formula,
        name: "Formula of readings",
        of: Subject::Readings,
        unit: ONE,
        numbers: &[],
        help: "Arithmetic among readings by their identifiers; units are followed.",
    },
];

impl ReadingMeasure {
    /// Its row of the table.
    pub fn measure(self) -> &'static Measure {
        // Every variant has a row, as a test holds.
        MEASURES.iter().find(|m| m.id == self).unwrap_or(&MEASURES[0])
    }

    /// The unit of this measure of a signal of `quantity`.
    pub fn unit(self, quantity: Quantity) -> Unit {
        self.measure().unit.unit(quantity)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The schema lists every variant there is; the table must have each once, in that order.
    #[test]
    fn every_measure_has_its_row() {
        let schema = serde_json::to_value(schemars::schema_for!(ReadingMeasure)).unwrap();
        let variants: Vec<&str> = schema["enum"].as_array().unwrap().iter().map(|v| v.as_str().unwrap()).collect();
        let rows: Vec<String> =
            MEASURES.iter().map(|m| serde_json::to_value(m.id).unwrap().as_str().unwrap().to_owned()).collect();
        assert_eq!(variants, rows);
        for measure in MEASURES {
            assert!(measure.help.ends_with('.') && measure.id.measure().name == measure.name, "{}", measure.name);
            let named: std::collections::BTreeSet<_> = measure.numbers.iter().map(|n| n.id).collect();
            assert_eq!(named.len(), measure.numbers.len());
        }
    }
}
