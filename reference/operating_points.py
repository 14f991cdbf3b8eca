"""Operating points by an independent route: the device equations written once more, solved by a
damped Newton method with 40 digits (mpmath). Writes the circuits and their solutions, which the
engine's test holds itself to.

    python3 reference/operating_points.py > crates/device/tests/reference/operating_points.json
"""

import json
import sys

import mpmath as mp

mp.mp.dps = 40
BOLTZMANN, CHARGE = mp.mpf("1.380649e-23"), mp.mpf("1.602176634e-19")
VT = BOLTZMANN * mp.mpf("300.15") / CHARGE
GMIN = mp.mpf("1e-12")
UNITS = {"p": -12, "n": -9, "u": -6, "m": -3, "k": 3, "M": 6, "G": 9}


def number(text):
    if text[-1] in UNITS:
        return mp.mpf(text[:-1]) * mp.mpf(10) ** UNITS[text[-1]]
    return mp.mpf(text)


class Part:
    """A part of the circuit: designator, kind, nets in pin order, all parameters its equations need."""

    def __init__(self, name, kind, nets, **parameters):
        self.name, self.kind, self.nets, self.parameters = name, kind, nets.split(), parameters
        self.v = {key: number(value) for key, value in parameters.items() if key != "polarity"}


def knee(v, saturation, slope, resistance):
    """Current through an exponential and a resistance in series, by Lambert's W."""
    ratio = saturation * resistance / slope
    z = v / slope + ratio + mp.log(ratio)
    w = mp.mpf(z) if z > 1 else mp.exp(z)
    if z > 1:
        w = z - mp.log(z)
    for _ in range(60):
        step = (w + mp.log(w) - z) / (1 + 1 / w)
        w = w - step if step < w else w / 2
        if abs(step) < mp.mpf(10) ** -38 * w:
            break
    return slope / resistance * w - saturation


def resistor(p, u):
    i = (u[0] - u[1]) / p.v["resistance"]
    return [i, -i]


def current_source(p, u):
    return [p.v["current"], -p.v["current"]]


def diode(p, u):
    v = u[0] - u[1]
    i = knee(v, p.v["saturation_current"], p.v["emission"] * VT, p.v["series_resistance"]) + GMIN * v
    return [i, -i]


def zener(p, u):
    v = u[0] - u[1]
    iz, leak, r = p.v["zener_current"], p.v["leakage"], p.v["zener_impedance"] / 2
    s = r * iz
    start = p.v["zener_voltage"] - s * mp.log(iz / leak) - r * (iz - leak)
    i = knee(v, p.v["saturation_current"], p.v["emission"] * VT, p.v["series_resistance"])
    i += GMIN * v - (knee(-v - start, leak, s, r) + leak)
    return [i, -i]


def bipolar(p, u, sign):
    """Unknowns: collector, base, emitter, inner collector, inner base."""
    c, b, e, ci, bi = u
    x = p.v
    knee_current, early = x["knee_current"], x["early_voltage"]
    ic = x["collector_current"]
    forward_at = ic / 2 * (1 + mp.sqrt(1 + 4 * ic / knee_current))
    saturation = forward_at / mp.expm1(x["base_emitter_voltage"] / VT)
    be, bc = sign * (bi - e), sign * (bi - ci)
    forward, reverse = saturation * mp.expm1(be / VT), saturation * mp.expm1(bc / VT)
    charge = (1 + mp.sqrt(1 + 4 * forward / knee_current)) / 2
    transport = (forward - reverse) * (1 - bc / early) / charge
    to_e = forward / x["gain"] + GMIN * be
    to_c = reverse / x["reverse_gain"] + GMIN * bc
    into_c = (c - ci) / x["collector_resistance"]
    into_b = (b - bi) / x["base_resistance"]
    return [
        into_c,
        into_b,
        sign * (-transport - to_e),
        sign * (transport - to_c) - into_c,
        sign * (to_e + to_c) - into_b,
    ]


def mosfet(p, u, sign):
    """Unknowns: drain, gate, source, inner drain."""
    d, g, s, di = u
    x = p.v
    beta = x["transconductance"] ** 2 / (2 * x["transconductance_current"])
    over = max(x["on_gate_voltage"] - x["threshold"], mp.mpf("0.1"))
    least = x["on_resistance"] / 20
    beta = max(beta, 1 / (over * (x["on_resistance"] - least)))
    rd = max(x["on_resistance"] - 1 / (beta * over), least)
    phi = mp.mpf("0.06")
    opened = lambda v: (phi * mp.log1p(mp.exp((v - x["threshold"]) / phi))) ** 2
    gs, gd, body = sign * (g - s), sign * (g - di), sign * (s - d)
    size = mp.sqrt((gs - gd) ** 2 + mp.mpf("0.01")) - mp.mpf("0.1")
    channel = sign * beta / 2 * (opened(gs) - opened(gd)) * (1 + x["modulation"] * size)
    slope = mp.mpf("1.2") * VT
    diode_current = sign * (knee(body, x["diode_saturation_current"], slope, x["on_resistance"] / 5) + GMIN * body)
    drain = (d - di) / rd
    return [drain - diode_current, mp.mpf(0), diode_current - channel, channel - drain]


def shunt_reference(p, u):
    """Unknowns: cathode, anode, reference; the current called for follows from the error."""
    k, a, ref = u
    x = p.v
    corner = mp.mpf("20e-6")
    soft = lambda v: corner * mp.log1p(mp.exp(v / corner)) if v < 200 * corner else v
    between = lambda v, low, high: low + soft(v - low) - soft(v - high)
    limit = x["current_limit"]
    call = between((ref - a - x["reference_voltage"]) * x["transconductance"], -limit, 2 * limit)
    wanted = between(call, x["minimum_current"], limit)
    i = wanted * mp.tanh(3 * (k - a) / x["saturation_voltage"])
    return [i, -i - x["reference_current"], x["reference_current"]]


EQUATIONS = {
    "resistor": (resistor, 0),
    "current_source": (current_source, 0),
    "diode": (diode, 0),
    "led": (diode, 0),
    "zener": (zener, 0),
    "npn": (lambda p, u: bipolar(p, u, 1), 2),
    "pnp": (lambda p, u: bipolar(p, u, -1), 2),
    "mosfet_n": (lambda p, u: mosfet(p, u, 1), 1),
    "mosfet_p": (lambda p, u: mosfet(p, u, -1), 1),
    "shunt_reference": (shunt_reference, 0),
}


def solve(parts, guess):
    """Node voltages by name. Sources fix the voltage of their net against gnd."""
    fixed = {"gnd": mp.mpf(0)}
    for p in parts:
        if p.kind == "dc_source":
            assert p.nets[1] == "gnd"
            fixed[p.nets[0]] = p.v["voltage"]
    unknowns = []
    seats = []
    for p in parts:
        inner = [f"{p.name}:{k}" for k in range(EQUATIONS[p.kind][1])] if p.kind != "dc_source" else []
        names = p.nets + inner
        seats.append(names)
        unknowns += [n for n in names if n not in fixed and n not in unknowns]

    def start(name):
        if name in guess:
            return mp.mpf(guess[name])
        part, place = name.split(":")
        p = next(p for p in parts if p.name == part)
        outer = p.nets[0] if p.kind.startswith("mosfet") or place == "0" else p.nets[1]
        return fixed[outer] if outer in fixed else mp.mpf(guess[outer])

    x = [start(n) for n in unknowns]
    place = {n: k for k, n in enumerate(unknowns)}

    def residual(x):
        at = lambda n: fixed[n] if n in fixed else x[place[n]]
        sums = [mp.mpf(0)] * len(x)
        for p, names in zip(parts, seats):
            if p.kind == "dc_source":
                continue
            for n, i in zip(names, EQUATIONS[p.kind][0](p, [at(n) for n in names])):
                if n in place:
                    sums[place[n]] += i
        return sums

    for _ in range(400):
        f = residual(x)
        n = len(x)
        jacobian = mp.matrix(n, n)
        h = mp.mpf(10) ** -22
        for k in range(n):
            moved = list(x)
            moved[k] += h
            for row, value in enumerate(residual(moved)):
                jacobian[row, k] = (value - f[row]) / h
        step = mp.lu_solve(jacobian, mp.matrix(f))
        largest = max(abs(s) for s in step)
        shorten = min(mp.mpf(1), mp.mpf("0.05") / largest) if largest > 0 else mp.mpf(1)
        x = [a - shorten * s for a, s in zip(x, step)]
        if largest < mp.mpf(10) ** -24:
            return {n: x[place[n]] for n in unknowns if ":" not in n}
    raise SystemExit("no solution found")


NPN = dict(gain="120", base_emitter_voltage="0.66", collector_current="2m", early_voltage="70", knee_current="0.5",
           reverse_gain="4", base_resistance="8", collector_resistance="0.8")
PNP = dict(NPN, gain="90", early_voltage="50", base_emitter_voltage="0.68")
FET = dict(threshold="2.2", on_resistance="80m", on_gate_voltage="8", transconductance="6",
           transconductance_current="3", modulation="0.02", diode_saturation_current="20p")
SILICON = dict(saturation_current="3n", emission="1.7", series_resistance="60m")
LED = dict(saturation_current="1e-20", emission="2", series_resistance="2")


def zener_of(voltage, current="5m", impedance="12"):
    return dict(zener_voltage=voltage, zener_current=current, zener_impedance=impedance, leakage="200n",
                saturation_current="1e-15", emission="1.1", series_resistance="0.5")


def shunt_of(line):
    return [
        Part("V1", "dc_source", "in gnd", voltage=line),
        Part("R1", "resistor", "in out", resistance="330"),
        Part("R2", "resistor", "out ref", resistance="10k"),
        Part("R3", "resistor", "ref gnd", resistance="10k"),
        Part("U1", "shunt_reference", "out gnd ref", reference_voltage="2.495", transconductance="2",
             reference_current="2u", minimum_current="0.4m", saturation_voltage="1.8", current_limit="0.15"),
        Part("R4", "resistor", "out gnd", resistance="680"),
    ]


CIRCUITS = {
    "diode behind a resistor": (
        [
            Part("V1", "dc_source", "in gnd", voltage="5"),
            Part("R1", "resistor", "in a", resistance="1k"),
            Part("D1", "diode", "a gnd", **SILICON),
        ],
        dict(a="0.6"),
    ),
    "LEDs in a string": (
        [
            Part("V1", "dc_source", "in gnd", voltage="12"),
            Part("R1", "resistor", "in a", resistance="270"),
            Part("H1", "led", "a b", **LED),
            Part("H2", "led", "b c", **LED),
            Part("H3", "led", "c gnd", **LED),
        ],
        dict(a="6", b="4", c="2"),
    ),
    "Zener shunt": (
        [
            Part("V1", "dc_source", "in gnd", voltage="15"),
            Part("R1", "resistor", "in out", resistance="470"),
            Part("D1", "zener", "gnd out", **zener_of("5.1")),
            Part("R2", "resistor", "out gnd", resistance="1500"),
        ],
        dict(out="5.1"),
    ),
    "Zener split rails with unequal loads": (
        [
            Part("V1", "dc_source", "high gnd", voltage="20"),
            Part("R1", "resistor", "high top", resistance="100"),
            Part("D1", "zener", "mid top", **zener_of("9.1")),
            Part("D2", "zener", "gnd mid", **zener_of("9.1")),
            Part("R2", "resistor", "top mid", resistance="2k"),
            Part("R3", "resistor", "mid gnd", resistance="820"),
        ],
        dict(top="18", mid="9"),
    ),
    "shunt regulator at the lowest line": (shunt_of("9"), dict(out="4.99", ref="2.495")),
    "shunt regulator at the highest line": (shunt_of("36"), dict(out="4.99", ref="2.51")),
    "series regulator with two-transistor limit, loaded lightly": None,
    "series regulator with two-transistor limit, overloaded": None,
    "current mirror": (
        [
            Part("V1", "dc_source", "in gnd", voltage="10"),
            Part("R1", "resistor", "in b", resistance="4700"),
            Part("Q1", "npn", "b b gnd", **NPN),
            Part("Q2", "npn", "c b gnd", **NPN),
            Part("R2", "resistor", "in c", resistance="1k"),
        ],
        dict(b="0.65", c="8"),
    ),
    "follower with an n-channel device": (
        [
            Part("V1", "dc_source", "in gnd", voltage="24"),
            Part("R1", "resistor", "in g", resistance="10k"),
            Part("D1", "zener", "gnd g", **zener_of("15")),
            Part("Q1", "mosfet_n", "in g out", **FET),
            Part("R2", "resistor", "out gnd", resistance="22"),
        ],
        dict(g="14.5", out="12"),
    ),
    "load switch with a p-channel device": (
        [
            Part("V1", "dc_source", "in gnd", voltage="12"),
            Part("R1", "resistor", "in g", resistance="100k"),
            Part("Q1", "npn", "g b gnd", **NPN),
            Part("V2", "dc_source", "control gnd", voltage="3.3"),
            Part("R2", "resistor", "control b", resistance="22k"),
            Part("Q2", "mosfet_p", "out g in", **FET),
            Part("R3", "resistor", "out gnd", resistance="8"),
        ],
        dict(g="0.1", b="0.6", out="11.9"),
    ),
    "pair of opposite transistors, latched": (
        [
            Part("V1", "dc_source", "in gnd", voltage="9"),
            Part("R1", "resistor", "in a", resistance="330"),
            Part("Q1", "pnp", "g k a", **PNP),
            Part("Q2", "npn", "k g gnd", **NPN),
            Part("R2", "resistor", "g gnd", resistance="1k"),
            Part("R3", "resistor", "a k", resistance="1k"),
            Part("I1", "current_source", "gnd g", current="2m"),
        ],
        dict(a="0.8", k="0.1", g="0.7"),
    ),
}


def series(load):
    return [
        Part("V1", "dc_source", "in gnd", voltage="15"),
        Part("R1", "resistor", "in b", resistance="1k"),
        Part("D1", "zener", "gnd b", **zener_of("10")),
        Part("Q1", "npn", "in b e", **dict(NPN, knee_current="5")),
        Part("R2", "resistor", "e out", resistance="2.2"),
        Part("Q2", "npn", "b e out", **NPN),
        Part("R3", "resistor", "out gnd", resistance=load),
    ]


CIRCUITS["series regulator with two-transistor limit, loaded lightly"] = (
    series("100"), dict(b="10", e="9.3", out="9.1"))
CIRCUITS["series regulator with two-transistor limit, overloaded"] = (
    series("5"), dict(b="3", e="2.3", out="1.6"))


def main():
    found = []
    for name, (parts, guess) in CIRCUITS.items():
        solution = solve(parts, guess)
        found.append({
            "name": name,
            "parts": [
                {"id": p.name, "kind": p.kind, "nets": " ".join(p.nets), "parameters": p.parameters} for p in parts
            ],
            "voltages": {net: mp.nstr(v, 17) for net, v in solution.items()},
        })
        print(name, {net: mp.nstr(v, 8) for net, v in solution.items()}, file=sys.stderr)
    versions = {"python": sys.version.split()[0], "mpmath": mp.__version__}
    json.dump({"made_by": "reference/operating_points.py", "versions": versions, "circuits": found}, sys.stdout, indent=1)
    print()


main()
