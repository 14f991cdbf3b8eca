use readings::Waveform;
use std::collections::HashSet;

/// Squares of the raster along each side: finer than what a plot of this kind shows.
const RASTER: f64 = 1024.0;
/// Pieces each pair of nodes is cut into, as it is a polynomial in both.
const PARTS: usize = 8;

type Square = (i32, i32);

/// One signal against another: a line that may pass the same places again and again, of which only the first passage over
/// a fine raster is kept. So a loop run through a thousand times costs no more than one.
#[derive(Clone, Debug)]
pub struct Against {
    x: (f64, f64),
    y: (f64, f64),
    seen: HashSet<(Square, Square)>,
    last: Option<(Square, (f64, f64))>,
    drawing: bool,
    points: Vec<(f64, f64)>,
}

impl Against {
    /// Nothing yet, within the lowest and highest values of both signals.
    pub fn new(x: (f64, f64), y: (f64, f64)) -> Self {
        Against { x, y, seen: HashSet::new(), last: None, drawing: false, points: Vec::new() }
    }

    /// Adds the nodes of the next steps, as far as they lie between two times.
    pub fn take(&mut self, times: &[f64], xs: &[f64], ys: &[f64], (from, to): (f64, f64)) {
        let (x, y) = (Waveform::new(times, xs), Waveform::new(times, ys));
        for step in times.windows(3).step_by(2) {
            let (start, end) = (step[0].max(from), step[2].min(to));
            if start > end {
                continue;
            }
            for k in 0..=PARTS {
                let t = start + (end - start) * k as f64 / PARTS as f64;
                if let (Ok(x), Ok(y)) = (x.at(t), y.at(t)) {
                    self.pass((x, y));
                }
            }
        }
    }

    fn pass(&mut self, point: (f64, f64)) {
        let place = |value: f64, (low, high): (f64, f64)| {
            if high > low { ((value - low) / (high - low) * RASTER).round() as i32 } else { 0 }
        };
        let here = (place(point.0, self.x), place(point.1, self.y));
        let Some((square, before)) = self.last else {
            self.last = Some((here, point));
            return;
        };
        if square == here {
            return;
        }
        self.last = Some((here, point));
        let new = self.seen.insert((square, here));
        if new && !self.drawing {
            // The line is taken up where it leaves what is drawn.
            let broken = (!self.points.is_empty()).then_some((f64::NAN, f64::NAN));
            self.points.extend(broken.into_iter().chain([before]));
        }
        if new {
            self.points.push(point);
        }
        self.drawing = new;
    }

    /// The line, broken where neither coordinate is a number.
    pub fn finish(self) -> (Vec<f64>, Vec<f64>) {
        self.points.into_iter().unzip()
    }
}
