//! What comes round in a circuit, and what happens in it only once.

use crate::{Circuit, KindId, ResolvedPart};
use quantity::{Unit, show};

/// Longest common period in units of the longest one, and how closely periods must fit into it.
const MOST_COMMON: usize = 1000;
const FITS: f64 = 1e-9;
/// The most of the shortest periods that are gone through for one in which everything comes round.
const MOST_WITHIN: f64 = 2e5;
/// Corners that are looked at for a pause between them, one after the other.
const MOST_CORNERS: usize = 100_000;
/// Where in a pause a period is said to begin: nowhere that symmetry would put an event, and late, when what a clock has set is
/// reset again for most duties.
const WITHIN: f64 = 0.961_803;

/// The shortest time in which all of these come round, s; none if there is none of them.
///
/// # Errors
/// Why there is no such time, in words.
pub fn common_period(periods: &[f64]) -> Result<Option<f64>, String> {
    let longest = periods.iter().copied().fold(0.0, f64::max);
    if longest == 0.0 {
        return Ok(None);
    }
    let fits = |whole: f64| {
        periods.iter().all(|period| {
            let times = whole / period;
            (times - times.round()).abs() <= FITS * times
        })
    };
    let shortest = periods.iter().copied().fold(f64::INFINITY, f64::min);
    let in_words = |time: f64| show(time, Unit::Second, 4);
    let (short, long) = (in_words(shortest), in_words(longest));
    let whole = (1..=MOST_COMMON).map(|k| k as f64 * longest).find(|whole| fits(*whole)).ok_or_else(|| {
        format!(
            "the periods of its sources, {short} to {long}, have no common multiple up to {MOST_COMMON} of the longest"
        )
    })?;
    if whole > MOST_WITHIN * shortest {
        let times = whole / shortest;
        let whole = in_words(whole);
        return Err(format!(
            "its sources, with periods of {short} to {long}, come round together only after {whole}, {times:.1e} of the shortest"
        ));
    }
    Ok(Some(whole))
}

/// A time in the longest pause between corners, s, of a period that begins at a time, s, or in the longest of its first corners, if
/// there are very many. They are asked for one after the other: `next` is the first behind a time.
pub fn quiet_time(next: impl Fn(f64) -> Option<f64>, from: f64, period: f64) -> f64 {
    let corners = std::iter::successors(next(from), |at| next(*at)).take_while(|at| *at < from + period);
    let (mut longest, mut last) = ((from, from), from);
    for corner in corners.take(MOST_CORNERS).chain([from + period]) {
        // Of pauses that are alike the last.
        if corner - last >= longest.1 - longest.0 {
            longest = (last, corner);
        }
        last = corner;
    }
    within_pause(longest.0, longest.1)
}

/// A time in a pause, s, at which a period may begin.
pub fn within_pause(from: f64, to: f64) -> f64 {
    from + WITHIN * (to - from)
}

impl ResolvedPart {
    /// Period in seconds, for a periodic source.
    pub fn period(&self) -> Option<f64> {
        match self.kind {
            KindId::SineSource | KindId::ThreePhaseSource => Some(1.0 / self.value("frequency")),
            KindId::PulseSource | KindId::SteppedLoad => Some(self.value("period")).filter(|p| *p > 0.0),
            _ => None,
        }
    }

    /// Period of a modulator that has a clock of its own, s.
    pub fn clock(&self) -> Option<f64> {
        let frequency = self.value("frequency");
        (self.kind.is_modulator() && frequency > 0.0).then(|| 1.0 / frequency)
    }

    /// Time from which on a periodic source repeats, s.
    pub fn repeats_from(&self) -> Option<f64> {
        self.period().map(|_| match self.kind {
            KindId::PulseSource | KindId::SteppedLoad => self.value("delay"),
            _ => 0.0,
        })
    }

    /// Puts off for ever what happens once.
    fn put_off(&mut self) {
        let (times, never): (&[&str], f64) = match self.kind {
            KindId::SineSource => (&["changes_to"], 1.0),
            KindId::PulseSource | KindId::SteppedLoad if self.period().is_none() => (&["delay"], f64::INFINITY),
            KindId::TimedSwitch => (&["changes_at"], f64::INFINITY),
            KindId::ExponentialSource => (&["rise_at", "fall_at"], f64::INFINITY),
            _ => (&[], 0.0),
        };
        for time in times {
            self.set(time, never);
        }
        if self.kind == KindId::PiecewiseSource {
            self.points.truncate(1);
        }
    }
}

impl Circuit {
    /// The circuit in which what happens once never happens: sources that do not repeat stay as they are at first.
    pub fn without_what_happens_once(&self) -> Circuit {
        let mut circuit = self.clone();
        circuit.parts.iter_mut().for_each(ResolvedPart::put_off);
        circuit
    }
}
