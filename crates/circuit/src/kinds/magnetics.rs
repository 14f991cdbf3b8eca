//! Transformers.

use super::describe::*;
use quantity::Unit;

pub(super) const IDEAL_TRANSFORMER: Kind = Kind {
    id: KindId::IdealTransformer,
    name: "Ideal transformer",
    letter: "T",
    help: "A lossless transformer that passes everything, direct voltage included, at its turns ratio.",
    pins: &WINDINGS,
    parameters: &[headline(quantity(
        "ratio",
        "Turns ratio",
        Unit::One,
        "10",
        (1e-6, 1e6),
        "Primary turns per secondary turn.",
    ))],
    ratings: &[RMS_CURRENT],
    dc_paths: TWO_PATHS,
    fixes_voltage: false,
};

pub(super) const COUPLED_WINDINGS: Kind = Kind {
    id: KindId::CoupledWindings,
    name: "Transformer",
    letter: "T",
    help: "Two magnetically coupled windings with their resistances: magnetising and leakage inductance follow from the coupling.",
    pins: &WINDINGS,
    parameters: &[
        headline(quantity(
            "primary_inductance",
            "Primary inductance",
            Unit::Henry,
            "10",
            (1e-12, 1e6),
            "Inductance of the primary with the secondary open.",
        )),
        headline(quantity(
            "secondary_inductance",
            "Secondary inductance",
            Unit::Henry,
            "30m",
            (1e-12, 1e6),
            "Inductance of the secondary with the primary open; primary over secondary is the turns ratio squared.",
        )),
        quantity(
            "coupling",
            "Coupling",
            Unit::One,
            "0.998",
            COUPLING,
            "Coupling factor k; 1 − k² of the inductance is leakage. Below 1 in size.",
        ),
        quantity(
            "primary_resistance",
            "Primary resistance",
            Unit::Ohm,
            "0",
            (0.0, 1e9),
            "Resistance of the primary winding.",
        ),
        quantity(
            "secondary_resistance",
            "Secondary resistance",
            Unit::Ohm,
            "0",
            (0.0, 1e9),
            "Resistance of the secondary winding.",
        ),
    ],
    ratings: &[RMS_CURRENT],
    dc_paths: TWO_PATHS,
    fixes_voltage: false,
};

const PRIMARY_TURNS: Parameter =
    headline(quantity("primary_turns", "Primary turns", Unit::One, "1000", (1e-3, ANY), "Turns of the primary."));
const SECONDARY_TURNS: Parameter =
    headline(quantity("secondary_turns", "Secondary turns", Unit::One, "60", (1e-3, ANY), "Turns of the secondary."));
const CORE_AREA: Parameter =
    quantity("core_area", "Core area", Unit::SquareMetre, "4e-4", (1e-12, ANY), "Effective cross-section of the core.");
const PATH_LENGTH: Parameter =
    quantity("path_length", "Path length", Unit::Metre, "150m", (1e-9, ANY), "Effective length of the magnetic path.");
const PRIMARY_LEAKAGE: Parameter = quantity(
    "primary_leakage",
    "Primary leakage",
    Unit::Henry,
    "10m",
    (0.0, 1e6),
    "Leakage inductance of the primary.",
);
const SECONDARY_LEAKAGE: Parameter = quantity(
    "secondary_leakage",
    "Secondary leakage",
    Unit::Henry,
    "36u",
    (0.0, 1e6),
    "Leakage inductance of the secondary.",
);

const fn resistance(id: &'static str, name: &'static str, default: &'static str) -> Parameter {
    quantity(id, name, Unit::Ohm, default, (0.0, 1e9), "Resistance of the winding.")
}

pub(super) const CORE_TRANSFORMER: Kind = Kind {
    id: KindId::CoreTransformer,
    name: "Transformer on a core",
    letter: "T",
    help: "Two windings on a core that saturates, given by turns and the core.",
    pins: &WINDINGS,
    parameters: &[
        PRIMARY_TURNS,
        SECONDARY_TURNS,
        CORE_AREA,
        PATH_LENGTH,
        quantity(
            "permeability",
            "Relative permeability",
            Unit::One,
            "5000",
            (1.0, 1e7),
            "Of the core at small fields, air gap included.",
        ),
        quantity(
            "saturation",
            "Saturation flux density",
            Unit::Tesla,
            "1.7",
            (1e-6, 10.0),
            "Flux density at which the core saturates.",
        ),
        PRIMARY_LEAKAGE,
        SECONDARY_LEAKAGE,
        resistance("primary_resistance", "Primary resistance", "10"),
        resistance("secondary_resistance", "Secondary resistance", "50m"),
    ],
    ratings: &[RMS_CURRENT],
    dc_paths: TWO_PATHS,
    fixes_voltage: false,
};

pub(super) const HYSTERETIC_TRANSFORMER: Kind = Kind {
    id: KindId::HystereticTransformer,
    name: "Transformer on a core with hysteresis",
    letter: "T",
    help: "Two windings on a core that saturates and loses energy in every cycle; it keeps its magnetisation.",
    pins: &WINDINGS,
    parameters: &[
        PRIMARY_TURNS,
        SECONDARY_TURNS,
        CORE_AREA,
        PATH_LENGTH,
        Parameter {
            id: "material",
            name: "Core material",
            help: "A generic material, or one given by the five values below.",
            form: Form::Choice {
                options: &[
                    ("silicon_steel", "silicon steel"),
                    ("power_ferrite", "power ferrite"),
                    ("powder", "powder"),
                    ("own", "own values"),
                ],
                default: "silicon_steel",
            },
            headline: false,
            sought: None,
        },
        quantity(
            "saturation_magnetisation",
            "Saturation magnetisation",
            Unit::AmperePerMetre,
            "1.35M",
            (1.0, 1e8),
            "For own values: magnetisation with all domains aligned; times μ₀ it is the flux density at saturation.",
        ),
        quantity(
            "shape",
            "Shape",
            Unit::AmperePerMetre,
            "45",
            (1e-6, 1e8),
            "For own values: field that sets the slope of the curve without hysteresis.",
        ),
        quantity(
            "pinning",
            "Pinning",
            Unit::AmperePerMetre,
            "50",
            (1e-6, 1e8),
            "For own values: field that pins the domain walls; about the coercive field.",
        ),
        quantity(
            "domain_coupling",
            "Domain coupling",
            Unit::One,
            "30u",
            (0.0, 1.0),
            "For own values: share of the magnetisation that adds to the field the domains see.",
        ),
        quantity(
            "reversibility",
            "Reversible part",
            Unit::One,
            "0.15",
            (0.0, 0.99),
            "For own values: share of the magnetisation that follows the field without loss.",
        ),
        PRIMARY_LEAKAGE,
        SECONDARY_LEAKAGE,
        resistance("primary_resistance", "Primary resistance", "10"),
        resistance("secondary_resistance", "Secondary resistance", "50m"),
    ],
    ratings: &[RMS_CURRENT],
    dc_paths: TWO_PATHS,
    fixes_voltage: false,
};

/// Range of a coupling factor; at 1 windings would have no leakage and their currents no limit.
const COUPLING: (f64, f64) = (-0.999_999_999, 0.999_999_999);

pub(super) const THREE_WINDINGS: Kind = Kind {
    id: KindId::ThreeWindings,
    name: "Transformer with two secondaries",
    letter: "T",
    help: "Three coupled windings given by turns, for centre taps, dual rails and auxiliary windings.",
    pins: &[
        pin("p1", "primary start"),
        pin("p2", "primary end"),
        pin("s1", "second start"),
        pin("s2", "second end"),
        pin("t1", "third start"),
        pin("t2", "third end"),
    ],
    parameters: &[
        PRIMARY_TURNS,
        headline(quantity(
            "second_turns",
            "Second turns",
            Unit::One,
            "60",
            (1e-3, ANY),
            "Turns of the second winding.",
        )),
        headline(quantity("third_turns", "Third turns", Unit::One, "60", (1e-3, ANY), "Turns of the third winding.")),
        quantity(
            "inductance_factor",
            "Inductance factor",
            Unit::Henry,
            "10u",
            (1e-15, 1.0),
            "Inductance per turn squared; the primary's inductance is this times its turns squared.",
        ),
        quantity("coupling_12", "Coupling 1–2", Unit::One, "0.999", COUPLING, "Between primary and second winding."),
        quantity("coupling_13", "Coupling 1–3", Unit::One, "0.999", COUPLING, "Between primary and third winding."),
        quantity("coupling_23", "Coupling 2–3", Unit::One, "0.9995", COUPLING, "Between second and third winding."),
        resistance("primary_resistance", "Primary resistance", "10"),
        resistance("second_resistance", "Second resistance", "50m"),
        resistance("third_resistance", "Third resistance", "50m"),
    ],
    ratings: &[RMS_CURRENT],
    dc_paths: &[(0, 1), (2, 3), (4, 5)],
    fixes_voltage: false,
};
