use crate::{MeasureError, Span, Waveform};

/// An oscillation that dies away, or grows, about a level.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ringing {
    /// Frequency of the ringing, Hz.
    pub frequency: f64,
    /// Rate at which it dies away, 1/s; negative if it grows.
    pub decay: f64,
    /// Damping ratio of the second-order system that rings so.
    pub damping: f64,
}

/// Swings below this part of the largest are not looked at.
const SMALLEST: f64 = 1e-2;

impl Waveform<'_> {
    /// Frequency and decay of a ringing, from the swings between its successive peaks and troughs: the
    /// slope of their logarithm over time (logarithmic decrement, handbook). A level they ring about,
    /// even one that drifts slowly, does not matter.
    ///
    /// # Errors
    /// [`MeasureError::NotRinging`] with fewer than three swings; see [`Waveform::measure`].
    pub fn ringing(&self, span: Span) -> Result<Ringing, MeasureError> {
        let points = self.turning_points(span)?;
        let swings: Vec<(f64, f64)> =
            points.windows(2).map(|p| (0.5 * (p[0].0 + p[1].0), (p[1].1 - p[0].1).abs())).collect();
        let largest = swings.iter().map(|s| s.1).fold(0.0, f64::max);
        let first = swings.iter().position(|s| s.1 > SMALLEST * largest).unwrap_or(0);
        let count = swings[first..].iter().take_while(|s| s.1 > SMALLEST * largest).count();
        if count < 3 {
            return Err(MeasureError::NotRinging);
        }
        let used = &swings[first..first + count];
        // Straight line through ln(swing) over time by least squares.
        let n = count as f64;
        let mean = |of: &dyn Fn(&(f64, f64)) -> f64| used.iter().map(of).sum::<f64>() / n;
        let (t, l) = (mean(&|s| s.0), mean(&|s| s.1.ln()));
        let slope = mean(&|s| (s.0 - t) * (s.1.ln() - l)) / mean(&|s| (s.0 - t).powi(2));
        // Each swing takes half a period.
        let half = (points[first + count].0 - points[first].0) / n;
        let omega = std::f64::consts::PI / half;
        Ok(Ringing { frequency: 0.5 / half, decay: -slope, damping: -slope / slope.hypot(omega) })
    }
}
