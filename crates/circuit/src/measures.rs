//! What the table of measures is made of.

use crate::Quantity;
use crate::dimensions::Dimensioned;
use crate::expression::Operand;
use quantity::Unit;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a reading measures over its window.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum ReadingMeasure {
    Mean,
    Rms,
    Min,
    Max,
    PeakToPeak,
    AlternatingRms,
    Ripple,
    Integral,
    ValueAt,
    Slope,
    Steepest,
    Frequency,
    Period,
    Duty,
    Count,
    CrossingTime,
    RiseTime,
    FallTime,
    Delay,
    Overshoot,
    Undershoot,
    RiseAbove,
    SettlingTime,
    Regulation,
    Margin,
    RingingFrequency,
    RingingDecay,
    CrestFactor,
    FormFactor,
    RippleFactor,
    Harmonic,
    HarmonicDistortion,
    RealPower,
    ApparentPower,
    NonactivePower,
    PowerFactor,
    DisplacementFactor,
    DistortionFactor,
    HarmonicUse,
    Efficiency,
    Loss,
    RatingUse,
    Crossover,
    PhaseMargin,
    GainMargin,
    ModulusMargin,
    ClosedLoopPeak,
    CurveMagnitude,
    CurveDecibels,
    CurvePhase,
    CurveLargest,
    CurveSmallest,
    PeakFrequency,
    PeakQuality,
    Bandwidth,
    MaskUse,
    MaskRest,
    Formula,
}

/// What a measure is taken of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Subject {
    /// A signal.
    Signal,
    /// A voltage, and the current that flows with it.
    Port,
    /// The power path: a stage, or the whole supply.
    Stage,
    /// A curve over frequency, or a formula of curves.
    Curve,
    /// Other readings.
    Readings,
}

/// The unit of a measure or of one of its numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Measured {
    /// Always this one.
    In(Unit),
    /// The signal's.
    Same,
    /// The signal's over time.
    PerSecond,
    /// The signal's times time.
    TimesSecond,
}

impl Measured {
    /// The unit for what is in a unit itself; none if that has no name.
    pub fn for_unit(self, unit: Unit) -> Option<Unit> {
        let second = Dimensioned::new(1.0, Unit::Second);
        let over = |operator| Dimensioned::new(1.0, unit).operate(operator, second).ok()?.unit();
        match self {
            Measured::In(unit) => Some(unit),
            Measured::Same => Some(unit),
            Measured::PerSecond => over('/'),
            Measured::TimesSecond => over('*'),
        }
    }

    /// The unit for a voltage, a current and a power.
    pub fn units(self) -> [Unit; 3] {
        [Quantity::Voltage, Quantity::Current, Quantity::Power].map(|quantity| self.unit(quantity))
    }

    /// The unit, for a signal of a quantity.
    pub fn unit(self, quantity: Quantity) -> Unit {
        // Each of the three has a named unit over time and times time.
        self.for_unit(quantity.unit()).unwrap_or(quantity.unit())
    }
}

/// A number a measure takes beside its subject.
#[derive(Clone, Copy, Debug)]
pub struct MeasureNumber {
    /// Its name in the document.
    pub id: &'static str,
    /// The name shown.
    pub name: &'static str,
    /// Its unit.
    pub unit: Measured,
    /// What is taken if it is left out; none if the measure finds one itself.
    pub default: Option<&'static str>,
    /// The words it is chosen from, if it is a choice; resolved it is the place of one.
    pub options: &'static [&'static str],
    /// What it does.
    pub help: &'static str,
}

impl MeasureNumber {
    /// Least and largest value accepted, in SI base units.
    pub fn range(&self) -> (f64, f64) {
        match self.id {
            "frequency" | "band_from" | "band_to" => (1e-6, 1e12),
            "order" => (1.0, 1000.0),
            "number" => (1.0, 1e6),
            "orders" => (2.0, 1000.0),
            "band" => (1e-9, 1.0),
            "fundamental" => (1e-6, 1e12),
            "time" | "above" | "below" => (0.0, 1e12),
            _ => (-1e15, 1e15),
        }
    }
}

/// A row of the table.
#[derive(Clone, Copy, Debug)]
pub struct Measure {
    /// The measure.
    pub id: ReadingMeasure,
    /// The name shown.
    pub name: &'static str,
    /// What it is taken of.
    pub of: Subject,
    /// Its unit.
    pub unit: Measured,
    /// Its numbers, in the order in which they are resolved.
    pub numbers: &'static [MeasureNumber],
    /// How it is defined.
    pub help: &'static str,
}
