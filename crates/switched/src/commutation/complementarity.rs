//! Which of what changes by itself conducts, whatever controls have decided: the regions in which every guard holds.
//!
//! That is a complementarity problem: of each guard and of what it guards one is zero and neither negative, judged by the
//! pulse, then the value, then its slopes. What does not hold is changed, all at once as long as that makes fewer of them,
//! otherwise one alone (J. Júdice & F. Pires, *A block principal pivoting algorithm for large-scale strictly monotone linear
//! complementarity problems*, Comput. Oper. Res. 21, 1994), which mostly ends in a round or two. It ends for certain only where
//! every set of regions is definite, which a floating winding or two diodes in series are not; where it does not,
//! `companion.rs` follows a path that ends where that is passive, and what it finds is judged in the same way.

use super::companion::Companion;
use crate::error::SwitchedError;
use crate::network::Changes;
use crate::stepping::machine::Machine;
use crate::stepping::propagator::Ladder;

/// Rounds in which regions are changed together before they are changed one by one, and rounds at most.
const TOGETHER: usize = 4;
const MOST_ROUNDS: usize = 30;
/// Powers of ten by which rounding is taken for larger where nothing fits.
const MOST_SLACK: i32 = 5;
/// Steps of the companion network, relative to how fast anything moves: the shorter the surer, but for rounding.
const STEPS: [f64; 4] = [1e-3, 1e-5, 1e-7, 1e-1];

/// How a search ended.
enum Pivoted {
    Closed(usize),
    Open,
    /// What stood there contradicts itself.
    Contradicted(SwitchedError),
}

impl Machine {
    /// Finds the regions that go with what is decided, beginning at those at hand; the configuration they make.
    ///
    /// # Errors
    /// [`SwitchedError::Unresolved`] or [`SwitchedError::Impossible`] if there are none.
    pub(super) fn conducting(&mut self, regions: &mut Vec<u8>, before: &[f64]) -> Result<usize, SwitchedError> {
        let (slack, begun) = (self.slack, regions.clone());
        let mut contradiction = None;
        for power in 0..=MOST_SLACK {
            self.slack = slack * 10f64.powi(power);
            let mut found = self.pivot(regions, before);
            for step in STEPS.into_iter().filter(|_| power == 0) {
                if matches!(found, Pivoted::Closed(_)) {
                    break;
                }
                if let Some(path) = self.followed(&begun, before, step) {
                    *regions = path;
                    found = self.pivot(regions, before);
                }
            }
            match found {
                Pivoted::Closed(configuration) => {
                    self.slack = slack;
                    return Ok(configuration);
                }
                Pivoted::Contradicted(error) => {
                    contradiction = Some(error);
                    regions.clone_from(&begun);
                }
                Pivoted::Open => {}
            }
        }
        self.slack = slack;
        Err(contradiction.unwrap_or_else(|| self.unresolved(&begun, regions)))
    }

    /// Changes what does not hold until all does.
    fn pivot(&mut self, regions: &mut [u8], before: &[f64]) -> Pivoted {
        let (mut fewest, mut patience) = (usize::MAX, TOGETHER);
        for _ in 0..MOST_ROUNDS {
            let configuration = match self.configuration(regions) {
                Ok(configuration) => configuration,
                Err(error) => return Pivoted::Contradicted(error),
            };
            let after = self.entered(configuration, before);
            let failing = self.failing(configuration, [before, &after], |c| c == Changes::Continuously);
            if failing.is_empty() {
                return Pivoted::Closed(configuration);
            }
            if failing.len() < fewest {
                (fewest, patience) = (failing.len(), TOGETHER);
            } else {
                patience = patience.saturating_sub(1);
            }
            let guards = &self.compiled[configuration].of.guards;
            let changed = if patience > 0 { &failing[..] } else { &failing[failing.len() - 1..] };
            changed.iter().for_each(|place| regions[guards[*place].element] = guards[*place].to as u8);
        }
        Pivoted::Open
    }

    /// The regions at the end of a path through the companion network.
    fn followed(&mut self, begun: &[u8], before: &[f64], step: f64) -> Option<Vec<u8>> {
        let near = Ladder::new(&self.compiled.get(self.at).or(self.compiled.last())?.of.rates).near();
        let near = if near.is_finite() { near } else { 1.0 };
        let blocking: Vec<u8> = begun
            .iter()
            .zip(&self.network.elements)
            .map(
                |(region, element)| {
                    if element.changes == Changes::Continuously { element.first as u8 } else { *region }
                },
            )
            .collect();
        let companion = Companion::new(&self.network, before, step * near);
        companion.follow(begun).or_else(|| companion.follow(&blocking))
    }

    fn unresolved(&self, begun: &[u8], regions: &[u8]) -> SwitchedError {
        let elements = self.network.elements.iter().zip(begun.iter().zip(regions));
        let those = elements.filter(|(element, _)| element.changes == Changes::Continuously);
        let changed: Vec<usize> = those.clone().filter(|(_, (was, is))| was != is).map(|(e, _)| e.part).collect();
        let all = || those.map(|(element, _)| element.part).collect();
        let parts = if changed.is_empty() { all() } else { changed };
        SwitchedError::Unresolved { time: self.t, parts: self.named(&parts) }
    }
}
