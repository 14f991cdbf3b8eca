//! The demands of a supply as numbers, from which its stages are sized.

use crate::demand::SourceKind;
use crate::document::Supply;
use crate::expression::evaluate;
use crate::finding::{Findings, Place};
use crate::values::settle_values;
use quantity::{Unit, show};

/// A source's demands as numbers: V, Hz.
#[derive(Clone, Copy, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Source {
    pub kind: SourceKind,
    pub nominal: f64,
    pub lowest: f64,
    pub highest: f64,
    pub frequency: f64,
}

/// An output's demands as numbers: V, A.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Output {
    pub id: String,
    pub title: String,
    pub voltage: f64,
    pub current: f64,
    /// Deviation of the mean allowed, relative.
    pub accuracy: f64,
    pub ripple: f64,
}

/// Accuracy of an output that states none, relative.
const DEFAULT_ACCURACY: f64 = 0.05;
/// Ripple of an output that states none, relative to its voltage.
const DEFAULT_RIPPLE: f64 = 0.01;
/// Mains frequency of a source that states none, Hz.
const DEFAULT_FREQUENCY: f64 = 50.0;

/// The demands of a supply as numbers; what cannot be read is left out.
pub fn demands(supply: &Supply) -> (Option<Source>, Vec<Output>) {
    find(supply, &mut Findings::default())
}

/// As [`demands`], with a finding for everything that cannot be read.
pub(crate) fn find(supply: &Supply, findings: &mut Findings) -> (Option<Source>, Vec<Output>) {
    let values = settle_values(supply, &mut Findings::default());
    let mut number = |text: &str, unit: Unit, (min, max): (f64, f64), what: String, place: &Place| {
        let remedy = format!("Give a value from {} to {}", show(min, unit, 3), show(max, unit, 3));
        match evaluate(text, unit, &|name| values.get(name).copied()) {
            Ok(value) if (min..=max).contains(&value) => Some(value),
            Ok(value) => {
                findings.error("out-of-range", place.clone(), format!("{what} is {}", show(value, unit, 6)), remedy);
                None
            }
            Err(error) => {
                let message = format!("{what} “{text}” cannot be read: {error}");
                findings.error("unreadable-value", place.clone(), message, remedy);
                None
            }
        }
    };
    let source = supply.source.as_ref().and_then(|s| {
        let mut volts = |text: &str, what: &str| {
            number(text, Unit::Volt, (1e-3, 1e6), format!("The {what} of the source"), &Place::Source)
        };
        let nominal = volts(&s.voltage, "voltage")?;
        let lowest = s.lowest.as_ref().map_or(Some(nominal), |t| volts(t, "lowest voltage"))?;
        let highest = s.highest.as_ref().map_or(Some(nominal), |t| volts(t, "highest voltage"))?;
        let frequency = s.frequency.as_ref().map_or(Some(DEFAULT_FREQUENCY), |text| {
            number(text, Unit::Hertz, (1.0, 1e5), "The frequency of the source".into(), &Place::Source)
        })?;
        Some(Source { kind: s.kind, nominal, lowest, highest, frequency })
    });
    let outputs = supply.outputs.iter().filter_map(|o| {
        let place = Place::Output { output: o.id.clone() };
        let mut read = |text: &str, unit: Unit, range: (f64, f64), what: &str| {
            number(text, unit, range, format!("The {what} of output {}", o.id), &place)
        };
        let voltage = read(&o.voltage, Unit::Volt, (-1e6, 1e6), "voltage")?;
        let current = read(&o.current, Unit::Ampere, (0.0, 1e6), "current")?;
        let accuracy =
            o.accuracy.as_ref().map_or(Some(DEFAULT_ACCURACY), |t| read(t, Unit::Share, (0.0, 1.0), "accuracy"))?;
        let ripple = o
            .ripple
            .as_ref()
            .map_or(Some(DEFAULT_RIPPLE * voltage.abs()), |t| read(t, Unit::Volt, (0.0, 1e6), "ripple"))?;
        Some(Output { id: o.id.clone(), title: o.title.clone(), voltage, current, accuracy, ripple })
    });
    let outputs = outputs.collect();
    if let Some(Source { nominal, lowest, highest, .. }) = source
        && !(lowest <= nominal && nominal <= highest)
    {
        findings.error(
            "out-of-range",
            Place::Source,
            "The source's lowest, nominal and highest voltage are not in this order".into(),
            "Give them ascending",
        );
    }
    findings.unique("outputs", supply.outputs.iter().map(|o| (o.id.as_str(), Place::Output { output: o.id.clone() })));
    (source, outputs)
}
