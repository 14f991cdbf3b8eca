use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

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
const SMALLEST: f64 = 8e-3;

/// Part of the larger of the swings beside it below which one is ripple.
const RIPPLE: f64 = 0.5;

/// Part of a step that is none, and of a swing that is rounding.
const SLIVER: f64 = 1e-9;

/// Turning points kept at most; what swings more often does not die away within sight.
const MOST_POINTS: usize = 100_000;

/// Peaks and troughs of what passes, in order: time and value.
#[derive(Clone, Debug)]
pub(crate) struct TurningPoints {
    span: Span,
    slope_before: f64,
    found: Vec<(f64, f64)>,
}

impl TurningPoints {
    /// Nothing yet.
    pub(crate) fn within(span: Span) -> Self {
        TurningPoints { span, slope_before: 0.0, found: Vec::new() }
    }

    /// Adds a waveform that follows what was taken before.
    pub(crate) fn take(&mut self, wave: Waveform<'_>) {
        for piece in wave.pieces(self.span) {
            let bounds = piece.within(self.span);
            // The next step begins where a span ends with one, or rounding beyond.
            if bounds.1 - bounds.0 < SLIVER {
                continue;
            }
            // An extreme inside the step, or a corner between two steps.
            let corner = (self.slope_before * piece.slope(bounds.0) < 0.0).then_some(bounds.0);
            let places = corner.into_iter().chain(piece.turns(bounds));
            let room = MOST_POINTS - self.found.len().min(MOST_POINTS);
            self.found.extend(places.map(|s| (piece.time(s), piece.at(s))).take(room));
            self.slope_before = piece.slope(bounds.1);
        }
    }

    /// Adds one that comes again and again.
    pub(crate) fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.take(waves[0]));
        let first = self.found.len();
        turns.hand(1, &mut |waves| self.take(waves[0]));
        let (each, room) = (self.found[first..].to_vec(), MOST_POINTS - self.found.len());
        let later = (1..turns.count() - 1).flat_map(|turn| {
            let later = turn as f64 * turns.period();
            each.iter().map(move |(time, value)| (time + later, *value))
        });
        self.found.extend(later.take(room));
    }

    /// What was found.
    pub(crate) fn found(&self) -> &[(f64, f64)] {
        &self.found
    }
}

/// Peaks and troughs without the ripple on them: a swing smaller than those on either side of it, and much smaller than one of them,
/// belongs to a faster one.
/// In a ringing that dies away every swing is larger than the next.
fn strongest(points: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let mut kept: Vec<(f64, f64)> = Vec::new();
    for point in points {
        kept.push(*point);
        while let [.., a, b, c, d] = kept[..] {
            let [before, ripple, behind] = [(a, b), (b, c), (c, d)].map(|(from, to)| (to.1 - from.1).abs());
            if ripple >= (1.0 - SLIVER) * before.min(behind) || ripple >= RIPPLE * before.max(behind) {
                break;
            }
            kept.truncate(kept.len() - 3);
            kept.push(d);
        }
    }
    kept
}

impl Ringing {
    /// Frequency and decay of a ringing, the strongest there is, from the swings between its successive peaks and troughs, in s and the signal's
    /// unit: the slope of their logarithm over time (logarithmic decrement, handbook). A level they ring about, even one
    /// that drifts slowly, does not matter.
    ///
    /// # Errors
    /// [`MeasureError::NotRinging`] with fewer than three swings.
    pub fn of(points: &[(f64, f64)]) -> Result<Ringing, MeasureError> {
        let points = &strongest(points)[..];
        let swings: Vec<(f64, f64)> =
            points.windows(2).map(|p| (0.5 * (p[0].0 + p[1].0), (p[1].1 - p[0].1).abs())).collect();
        let largest = swings.iter().map(|s| s.1).fold(0.0, f64::max);
        // Where what is left swings at another pace it is something else that is left.
        // Up may take longer than down: each is held against its like, the largest swing and the one beside it.
        let lasts = |k: usize| points.get(k + 1).map_or(0.0, |next| next.0 - points[k].0);
        let most = (0..swings.len()).find(|k| swings[*k].1 >= (1.0 - SLIVER) * largest).unwrap_or(0);
        let beside = if most + 1 < swings.len() { most + 1 } else { most.saturating_sub(1) };
        let paces = [most, beside].map(|k| if k < swings.len() { lasts(k) } else { 0.0 });
        let alike = |k: &usize| {
            let pace = paces[(k + most) % 2];
            swings[*k].1 > SMALLEST * largest && (0.5 * pace..=2.0 * pace).contains(&lasts(*k))
        };
        let first = (0..swings.len()).find(alike).unwrap_or(0);
        let count = (first..swings.len()).take_while(alike).count();
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

impl Waveform<'_> {
    /// Times within a span where something stands out: peaks, troughs, and crossings of the mean
    /// over the span, ascending.
    ///
    /// # Errors
    /// See [`Waveform::figures`].
    pub fn features(&self, span: Span) -> Result<Vec<f64>, MeasureError> {
        let span = self.covered(span)?;
        let mean = self.mean(span)?;
        let mut found: Vec<f64> = self.turning_points(span)?.into_iter().map(|(t, _)| t).collect();
        for piece in self.pieces(span) {
            let bounds = piece.within(span);
            let inside = |s: &f64| *s > bounds.0 && *s < bounds.1;
            found.extend(piece.crossings(mean).filter(inside).map(|s| piece.time(s)));
        }
        found.sort_by(f64::total_cmp);
        found.dedup();
        Ok(found)
    }

    /// Peaks and troughs within a span, in order: time and value.
    ///
    /// # Errors
    /// See [`Waveform::figures`].
    pub fn turning_points(&self, span: Span) -> Result<Vec<(f64, f64)>, MeasureError> {
        let mut points = TurningPoints::within(self.covered(span)?);
        points.take(*self);
        Ok(points.found().to_vec())
    }

    /// Frequency and decay of a ringing within a span; see [`Ringing::of`].
    ///
    /// # Errors
    /// [`MeasureError::NotRinging`] with fewer than three swings; see [`Waveform::figures`].
    pub fn ringing(&self, span: Span) -> Result<Ringing, MeasureError> {
        Ringing::of(&self.turning_points(span)?)
    }
}
