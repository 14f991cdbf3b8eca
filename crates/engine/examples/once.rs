#[path = "../tests/common/rectifier.rs"]
#[allow(dead_code)]
mod rectifier;
use mellow_engine::*;
fn main() {
    let c = rectifier::demo();
    let e = Equations::new(&c);
    let mut r = Recording::default();
    let mut h = Health::default();
    let s = Settings { end: 1.0, record_from: 0.0, max_step: 1e-3, tolerance: 1e-3 };
    let n: usize = std::env::args().nth(1).map_or(1, |a| a.parse().unwrap());
    let t = std::time::Instant::now();
    for _ in 0..n {
        r = Recording::default();
        h = Health::default();
        transient(&e, &s, &mut r, &mut h).unwrap();
    }
    println!("n {} fill {}", h.unknowns, h.fill);
    println!("{:?} steps {} rej {} it {}", t.elapsed() / n as u32, h.steps, h.rejected, h.iterations);
    let mut hist = [0; 40];
    for i in (2..r.times.len()).step_by(2) {
        let t = r.times[i];
        if t > 0.9 {
            hist[((t % 0.02) * 2000.0) as usize] += 1;
        }
    }
    println!("{hist:?}");
}
