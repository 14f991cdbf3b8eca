//! Common supplies to begin with, composed from what they must do.

use crate::error::ComposeError;
use crate::stages::Place;
use crate::{Edit, apply};
use circuit::{OutputDemand, SourceDemand, SourceKind, Supply};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// A supply to begin with.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Template {
    /// Identifier.
    pub id: &'static str,
    /// Name shown, also the title of the supply made from it.
    pub title: &'static str,
    /// What it is, in a sentence.
    pub help: &'static str,
    #[serde(skip)]
    source: Feed,
    /// Titles, voltages, currents.
    #[serde(skip)]
    outputs: &'static [(&'static str, &'static str, &'static str)],
    /// Deviation of the mean allowed, where it is not the usual one.
    #[serde(skip)]
    accuracy: Option<&'static str>,
    /// Ripple allowed, peak to peak, likewise.
    #[serde(skip)]
    ripple: Option<&'static str>,
    /// Forms, each behind the one before.
    #[serde(skip)]
    forms: &'static [&'static str],
}

#[derive(Debug)]
enum Feed {
    Mains,
    ThreePhase,
    Direct(&'static str),
}

/// Every template.
pub const TEMPLATES: &[Template] = &[
    Template {
        id: "regulated_mains",
        title: "Regulated mains supply",
        help: "9 V, 250 mA from the mains: transformer, bridge, reservoir, three-terminal regulator.",
        source: Feed::Mains,
        outputs: &[("Output", "9", "250m")],
        accuracy: None,
        ripple: None,
        forms: &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"],
    },
    Template {
        id: "raw_mains",
        title: "Unregulated mains supply",
        help: "24 V, 1 A from the mains: transformer, bridge, reservoir.",
        source: Feed::Mains,
        outputs: &[("Output", "24", "1")],
        accuracy: Some("0.25"),
        ripple: Some("2.5"),
        forms: &["mains", "transformer", "bridge", "reservoir", "resistive_load"],
    },
    Template {
        id: "split_rails",
        title: "Split rails from the mains",
        help: "±15 V, 80 mA: centre-tapped transformer, bridge for both rails, two regulators.",
        source: Feed::Mains,
        outputs: &[("Positive rail", "15", "80m"), ("Negative rail", "-15", "80m")],
        accuracy: None,
        ripple: None,
        forms: &[
            "mains",
            "centre_tapped_transformer",
            "dual_rail_bridge",
            "split_reservoir",
            "split_regulators",
            "split_load",
        ],
    },
    Template {
        id: "low_dropout",
        title: "Low-dropout regulator",
        help: "3.3 V, 200 mA from 5 V: amplifier with a p-channel device, and a load that steps.",
        source: Feed::Direct("5"),
        outputs: &[("Output", "3.3", "200m")],
        accuracy: None,
        ripple: None,
        forms: &["dc_source", "low_dropout", "stepped_load"],
    },
    Template {
        id: "zener_reference",
        title: "Zener reference with follower",
        help: "5 V, 50 mA from 12 V: Zener diode and a transistor that follows it.",
        source: Feed::Direct("12"),
        outputs: &[("Output", "5", "50m")],
        accuracy: None,
        ripple: None,
        forms: &["dc_source", "zener_follower", "resistive_load"],
    },
    Template {
        id: "three_phase_bus",
        title: "DC bus from three phases",
        help: "540 V, 2 A from three phases of 230 V: six-pulse bridge and a reservoir.",
        source: Feed::ThreePhase,
        outputs: &[("DC bus", "540", "2")],
        accuracy: Some("0.15"),
        ripple: Some("50"),
        forms: &["three_phase_mains", "three_phase_bridge", "reservoir", "resistive_load"],
    },
];

impl Template {
    /// The supply, sized.
    ///
    /// # Errors
    /// [`ComposeError`] if a form does not fit; a test holds the table to fit.
    pub fn supply(&self) -> Result<Supply, ComposeError> {
        let mains = |kind| SourceDemand {
            kind,
            voltage: "230".to_owned(),
            lowest: Some("207".to_owned()),
            highest: Some("253".to_owned()),
            frequency: Some("50".to_owned()),
        };
        let source = match self.source {
            Feed::Mains => mains(SourceKind::Mains),
            Feed::ThreePhase => mains(SourceKind::ThreePhaseMains),
            Feed::Direct(volts) => SourceDemand {
                kind: SourceKind::Dc,
                voltage: volts.to_owned(),
                lowest: None,
                highest: None,
                frequency: None,
            },
        };
        let output = |(k, (title, voltage, current)): (usize, &(&str, &str, &str))| OutputDemand {
            id: format!("out{}", k + 1),
            title: (*title).to_owned(),
            voltage: (*voltage).to_owned(),
            current: (*current).to_owned(),
            accuracy: self.accuracy.map(str::to_owned),
            ripple: self.ripple.map(str::to_owned),
        };
        let outputs = self.outputs.iter().enumerate().map(output).collect();
        let mut supply = apply(&Supply::new(self.title), &Edit::State { source: Some(source), outputs })?;
        let mut after = None;
        for form in self.forms {
            let place = Place { after: after.clone(), joint: 0 };
            let edit = Edit::Add { form: (*form).to_owned(), place, between: false, choices: BTreeMap::new() };
            supply = apply(&supply, &edit)?;
            after = supply.stages.last().map(|s| s.id.clone());
        }
        Ok(supply)
    }
}
