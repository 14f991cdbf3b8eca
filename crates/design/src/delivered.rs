//! What flows at a joint, as far as sizing needs to know it.

use crate::rectified::Pulses;

/// A sine behind a resistance.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Ac {
    pub(crate) frequency: f64,
    /// Open-circuit voltage, RMS, V: lowest, nominal and highest.
    pub(crate) emf: [f64; 3],
    /// What it was sized for, RMS, V: the nominal one, wherever the line is.
    pub(crate) rated: f64,
    /// Resistance of the source, Ω.
    pub(crate) resistance: f64,
}

impl Ac {
    pub(crate) fn nominal(&self) -> f64 {
        self.emf[1]
    }
}

/// A direct voltage, in magnitudes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Dc {
    /// Lowest momentary voltage at lowest line and full load, V.
    pub(crate) lowest: f64,
    /// Mean at nominal line and full load, V.
    pub(crate) nominal: f64,
    /// Highest voltage at highest line without load, V.
    pub(crate) highest: f64,
    /// Highest it can rise to when the source is switched on at the highest line, V.
    pub(crate) surge: f64,
    /// Ripple at full load, peak to peak, V.
    pub(crate) ripple: f64,
    /// Frequency of the ripple, Hz; 0 for none.
    pub(crate) frequency: f64,
    /// What charges it, as long as no reservoir has smoothed it.
    pub(crate) pulses: Option<Pulses>,
}

impl Dc {
    /// A voltage that does not move.
    pub(crate) fn steady(lowest: f64, nominal: f64, highest: f64) -> Self {
        Dc { lowest, nominal, highest, surge: highest, ripple: 0.0, frequency: 0.0, pulses: None }
    }

    /// What diodes make of a sine, before any reservoir: at its peaks.
    pub(crate) fn pulsating(pulses: Pulses) -> Self {
        let [lowest, nominal, highest] = pulses.emf.map(|emf| pulses.peak(emf));
        let frequency = pulses.pulse_frequency();
        Dc { ripple: nominal, frequency, pulses: Some(pulses), ..Dc::steady(lowest, nominal, highest) }
    }
}

/// What a stage delivers at a joint.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Delivered {
    Ac(Ac),
    /// Each half of a tapped winding.
    Tapped(Ac),
    /// Each phase.
    ThreePhase(Ac),
    Dc(Dc),
    /// Positive and negative.
    Split(Dc, Dc),
}

impl Delivered {
    pub(crate) fn ac(&self) -> Option<Ac> {
        match self {
            Delivered::Ac(ac) | Delivered::Tapped(ac) | Delivered::ThreePhase(ac) => Some(*ac),
            _ => None,
        }
    }

    pub(crate) fn dc(&self) -> Option<Dc> {
        match self {
            Delivered::Dc(dc) | Delivered::Split(dc, _) => Some(*dc),
            _ => None,
        }
    }
}

/// How a rectifier looks to the reservoir behind and to the winding before it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Rectifies {
    /// Diodes in the path; a switched transistor counts for what its drop is beside a diode's.
    pub(crate) diodes: f64,
    /// Pulses per period.
    pub(crate) pulses: f64,
    /// Whether two of them in series make the voltage.
    pub(crate) halves: bool,
}
