#[path = "../tests/common/mod.rs"]
mod common;
use circuit::KindId::*;
use common::*;
fn main() {
    for tol in [1e-4, 1e-5, 1e-6] {
        let run = run(
            circuit(&[
                ("V1", PiecewiseSource, "in gnd", &[("points", "0 -1, 1u -1, 2u -40, 5u 0.3, 6u -1, 9u -1")]),
                ("R1", Resistor, "in a", &[("resistance", "10")]),
                ("D1", Diode, "a gnd", &[("saturation_current", "1e-30"), ("capacitance", "1n")]),
            ]),
            9e-6,
            f64::INFINITY,
            tol,
        );
        let v = run.values("D1.i");
        let t = &run.recording.times;
        let g = 2.0 - 2f64.sqrt();
        let (mut w, mut s) = (0.0, 0.0);
        for i in (2..t.len()).step_by(2) {
            if t[i] > 0.95e-6 {
                let h = t[i] - t[i - 2];
                w += h * (2f64.sqrt() / 4.0 * (v[i - 2] + v[i - 1]) + g / 2.0 * v[i]);
                let e = h
                    * ((0.5 - 1.0 / (6.0 * g)) * v[i - 2]
                        + 1.0 / (6.0 * g * (1.0 - g)) * v[i - 1]
                        + (1.0 - (0.5 - 1.0 / (6.0 * g)) - 1.0 / (6.0 * g * (1.0 - g))) * v[i]);
                s += e;
                if tol == 1e-4 && ((t[i] - 1e-6).abs() < 0.1e-6 || (t[i] - 2e-6).abs() < 0.1e-6) {
                    println!("{:.5e} h {h:.2e} i {:.5e} {:.5e} {:.5e}", t[i - 2], v[i - 2], v[i - 1], v[i]);
                }
            }
        }
        println!("tol {tol} steps {} W {w:.3e} S {s:.3e}  v end {:?}", run.health.steps, run.values("a.v").last());
    }
}
