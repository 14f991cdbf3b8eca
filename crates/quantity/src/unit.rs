use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The unit a value is written in. Values themselves are always SI base units.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Unit {
    /// A pure number: turns ratio, coupling factor, duty.
    One,
    /// A part of a whole, as efficiencies are quoted: stored as a ratio, written in per cent.
    Share,
    /// Electric potential.
    Volt,
    /// Electric current.
    Ampere,
    /// Resistance or impedance.
    Ohm,
    /// Conductance.
    Siemens,
    /// Capacitance.
    Farad,
    /// Inductance.
    Henry,
    /// Time.
    Second,
    /// Frequency.
    Hertz,
    /// Active power.
    Watt,
    /// Apparent power, as transformers are rated.
    VoltAmpere,
    /// Energy.
    Joule,
    /// Electric charge.
    Coulomb,
    /// Plane angle in degrees, as phases are quoted.
    Degree,
    /// Temperature difference, or temperature in kelvins.
    Kelvin,
    /// Temperature in degrees Celsius, as it is quoted.
    Celsius,
    /// Relative change per kelvin.
    PerKelvin,
    /// Rate of change of a voltage.
    VoltPerSecond,
    /// Rate of change of a current.
    AmperePerSecond,
    /// Rate of change of a power.
    WattPerSecond,
    /// Voltage over a time: flux linkage.
    VoltSecond,
    /// Thermal resistance.
    KelvinPerWatt,
    /// Heat capacity.
    JoulePerKelvin,
    /// Length; typed without unit, since m is milli.
    Metre,
    /// Area.
    SquareMetre,
    /// Magnetic flux density.
    Tesla,
    /// Magnetic field strength and magnetisation.
    AmperePerMetre,
    /// A ratio on a logarithmic scale, 20·lg.
    Decibel,
}

impl Unit {
    /// Every unit, for search by symbol.
    pub const ALL: [Unit; 29] = [
        Unit::One,
        Unit::Share,
        Unit::Volt,
        Unit::Ampere,
        Unit::Ohm,
        Unit::Siemens,
        Unit::Farad,
        Unit::Henry,
        Unit::Second,
        Unit::Hertz,
        Unit::Watt,
        Unit::VoltAmpere,
        Unit::Joule,
        Unit::Coulomb,
        Unit::Degree,
        Unit::Kelvin,
        Unit::Celsius,
        Unit::PerKelvin,
        Unit::VoltPerSecond,
        Unit::AmperePerSecond,
        Unit::WattPerSecond,
        Unit::VoltSecond,
        Unit::KelvinPerWatt,
        Unit::JoulePerKelvin,
        Unit::Metre,
        Unit::SquareMetre,
        Unit::Tesla,
        Unit::AmperePerMetre,
        Unit::Decibel,
    ];

    /// The symbol as printed; empty for a pure number.
    pub fn symbol(self) -> &'static str {
        match self {
            Unit::One => "",
            Unit::Share => "%",
            Unit::Volt => "V",
            Unit::Ampere => "A",
            Unit::Ohm => "Ω",
            Unit::Siemens => "S",
            Unit::Farad => "F",
            Unit::Henry => "H",
            Unit::Second => "s",
            Unit::Hertz => "Hz",
            Unit::Watt => "W",
            Unit::VoltAmpere => "VA",
            Unit::Joule => "J",
            Unit::Coulomb => "C",
            Unit::Degree => "°",
            Unit::Kelvin => "K",
            Unit::Celsius => "°C",
            Unit::PerKelvin => "1/K",
            Unit::VoltPerSecond => "V/s",
            Unit::AmperePerSecond => "A/s",
            Unit::WattPerSecond => "W/s",
            Unit::VoltSecond => "Vs",
            Unit::KelvinPerWatt => "K/W",
            Unit::JoulePerKelvin => "J/K",
            Unit::Metre => "m",
            Unit::SquareMetre => "m²",
            Unit::Tesla => "T",
            Unit::AmperePerMetre => "A/m",
            Unit::Decibel => "dB",
        }
    }

    /// What the unit measures, for messages: "a capacitance".
    pub fn quantity(self) -> &'static str {
        match self {
            Unit::One => "a pure number",
            Unit::Share => "a share",
            Unit::Volt => "a voltage",
            Unit::Ampere => "a current",
            Unit::Ohm => "a resistance",
            Unit::Siemens => "a conductance",
            Unit::Farad => "a capacitance",
            Unit::Henry => "an inductance",
            Unit::Second => "a time",
            Unit::Hertz => "a frequency",
            Unit::Watt => "a power",
            Unit::VoltAmpere => "an apparent power",
            Unit::Joule => "an energy",
            Unit::Coulomb => "a charge",
            Unit::Degree => "an angle",
            Unit::Kelvin => "a temperature difference",
            Unit::Celsius => "a temperature",
            Unit::PerKelvin => "a temperature coefficient",
            Unit::VoltPerSecond => "a rate of voltage",
            Unit::AmperePerSecond => "a rate of current",
            Unit::WattPerSecond => "a rate of power",
            Unit::VoltSecond => "a flux linkage",
            Unit::KelvinPerWatt => "a thermal resistance",
            Unit::JoulePerKelvin => "a heat capacity",
            Unit::Metre => "a length",
            Unit::SquareMetre => "an area",
            Unit::Tesla => "a flux density",
            Unit::AmperePerMetre => "a field strength",
            Unit::Decibel => "a ratio in decibels",
        }
    }

    /// Spellings accepted when typing, longest first.
    pub(crate) fn spellings(self) -> &'static [&'static str] {
        match self {
            Unit::One => &[],
            Unit::Share => &["%"],
            Unit::Ohm => &["ohms", "ohm", "Ohm", "Ω", "\u{2126}", "R"],
            Unit::Hertz => &["Hz", "hz"],
            Unit::Degree => &["deg", "°"],
            Unit::Volt => &["V"],
            Unit::Ampere => &["A"],
            Unit::Siemens => &["S"],
            Unit::Farad => &["F"],
            Unit::Henry => &["H"],
            Unit::Second => &["s"],
            Unit::Watt => &["W"],
            Unit::VoltAmpere => &["VA"],
            Unit::Joule => &["J"],
            Unit::Coulomb => &["C"],
            Unit::Kelvin => &["K"],
            Unit::Celsius => &["°C", "C"],
            Unit::PerKelvin => &["1/K"],
            Unit::VoltPerSecond => &["V/s"],
            Unit::AmperePerSecond => &["A/s"],
            Unit::WattPerSecond => &["W/s"],
            Unit::VoltSecond => &["Vs"],
            Unit::KelvinPerWatt => &["K/W"],
            Unit::JoulePerKelvin => &["J/K"],
            Unit::Metre => &[],
            Unit::SquareMetre => &["m²", "m2"],
            Unit::Tesla => &["T"],
            Unit::AmperePerMetre => &["A/m"],
            Unit::Decibel => &["dB"],
        }
    }

    /// Whether values of this unit are written with SI prefixes.
    pub(crate) fn takes_prefix(self) -> bool {
        !matches!(self, Unit::Degree | Unit::Decibel | Unit::Celsius | Unit::PerKelvin | Unit::SquareMetre)
    }

    /// The letter that may stand for the decimal point (IEC 60062; `5V1` is common practice).
    pub(crate) fn point_letter(self) -> Option<char> {
        match self {
            Unit::Ohm => Some('R'),
            Unit::Volt => Some('V'),
            Unit::Ampere => Some('A'),
            Unit::Farad => Some('F'),
            Unit::Henry => Some('H'),
            Unit::Watt => Some('W'),
            _ => None,
        }
    }
}
