//! What comes again and again, kept once.

use crate::piece::{Piece, repeated};
use std::ops::ControlFlow;

/// Nodes of a piece at least, where what comes again is handed over as often as it comes.
const LEAST: usize = 1024;

/// First and last time of nodes that begin with an end of a step and come so many times more, s.
///
/// # Panics
/// If there are no nodes.
pub fn covered(times: &[f64], again: u64) -> (f64, f64) {
    let (from, to) = (times[0], times[times.len() - repeated(times.len())]);
    (from, to + again as f64 * (to - from))
}

/// Which times of something that comes so many times more lie within a stretch of time, s, by their number: from one to another.
pub fn turns((first, last): (f64, f64), again: u64, within: (f64, f64)) -> (u64, u64) {
    let period = (last - first) / (again + 1) as f64;
    let turn = |time: f64| ((time - first) / period).floor().clamp(0.0, again as f64) as u64;
    (turn(within.0), turn(within.1))
}

/// Times of the nodes of something that comes so many times more, as they are when it comes for the n-th time, counted from 0, s.
///
/// # Panics
/// If there are no nodes.
pub fn times_of(times: &[f64], again: u64, turn: u64) -> Vec<f64> {
    let (first, last) = covered(times, again);
    let period = (last - first) / (again + 1) as f64;
    let begins = first + turn as f64 * period;
    let mut all: Vec<f64> = times.iter().map(|t| begins + (t - first)).collect();
    // Where one ends the next begins, to the bit.
    if let Some(ends) = all.last_mut() {
        *ends = if turn == again { last } else { first + (turn + 1) as f64 * period };
    }
    all
}

/// Hands over a piece as often as it comes within a stretch of time, s, until no more is wanted; one that comes once is handed over as
/// it is.
pub fn unrolled(
    piece: &Piece<'_>,
    within: (f64, f64),
    take: &mut dyn FnMut(Piece<'_>) -> ControlFlow<()>,
) -> ControlFlow<()> {
    let Piece { times, columns, again } = piece;
    if *again == 0 || times.len() < 3 {
        return take(Piece::once(times, columns.clone()));
    }
    let (mut next, end) = turns(covered(times, *again), *again, within);
    let together = LEAST.div_ceil(times.len()) as u64;
    while next <= end {
        let count = together.min(end - next + 1);
        // The end of one is the beginning of the next.
        let new = times.len() - 1;
        let mut all = Vec::with_capacity(1 + new * count as usize);
        for turn in next..next + count {
            all.truncate(all.len().saturating_sub(1));
            all.extend(times_of(times, *again, turn));
        }
        let many = |values: &[f64]| -> Vec<f64> {
            let mut all = Vec::with_capacity(1 + new * count as usize);
            all.extend(values.first());
            (0..count).for_each(|_| all.extend_from_slice(values.get(1..).unwrap_or_default()));
            all
        };
        let columns: Vec<Vec<f64>> = columns.iter().map(|values| many(values)).collect();
        take(Piece::once(&all, columns.iter().map(Vec::as_slice).collect()))?;
        next += count;
    }
    ControlFlow::Continue(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Chunk, Chunks, Joiner, Observer, Recording};

    /// A period that comes again, within what comes once: in any window the nodes are those of the whole of it, and a recording
    /// in memory holds every one of them.
    #[test]
    fn comes_as_often_as_it_is_said_to() {
        // Two steps a period, from 1 s to 1.4 s.
        let period = |first: f64| (1..=4).map(|k| first + 0.1 * f64::from(k)).collect::<Vec<f64>>();
        let wave = vec![1.0, 2.0, 1.5, 0.0];
        for again in [1, 2, 7, 3000] {
            let end = 1.0 + 0.4 * (again + 1) as f64;
            let before = Chunk::new(vec![0.0, 0.6, 1.0], vec![vec![5.0, 1.0, 0.0]]);
            let comes = Chunk { again, ..Chunk::new(period(1.0), vec![wave.clone()]) };
            let after = Chunk::new(vec![end + 0.1, end + 0.2], vec![vec![3.0, 4.0]]);
            let (mut joiner, mut recording) = (Joiner::default(), Recording::default());
            let pieces: Vec<Chunk> = [&before, &comes, &after].map(|chunk| joiner.join(chunk)).into();
            assert!((pieces[2].times[0] - end).abs() < 1e-9 && pieces[2].columns[0] == [0.0, 3.0, 4.0]);
            [before, comes, after].into_iter().for_each(|chunk| recording.record(chunk));
            assert_eq!(recording.times.len(), 3 + 4 * (again as usize + 1) + 2);
            assert!(recording.times.windows(2).all(|pair| pair[0] < pair[1]));
            assert!((recording.whole().1 - (end + 0.2)).abs() < 1e-9);
            for (from, to) in [(0.0, f64::MAX), (1.0, 1.4), (1.5, 1.6), (end - 0.5, end), (1.0, 1.0)] {
                let (columns, mut seen) = (vec![pieces[1].columns[0].as_slice()], Vec::new());
                let folded = Piece { times: &pieces[1].times, columns, again };
                let _ = unrolled(&folded, (from, to), &mut |piece| {
                    assert!(piece.times.len() % 2 == 1 && piece.times.len() == piece.columns[0].len());
                    assert!(seen.last().is_none_or(|(t, y)| *t == piece.times[0] && *y == piece.columns[0][0]));
                    let new = usize::from(!seen.is_empty());
                    seen.extend(piece.times.iter().copied().zip(piece.columns[0].iter().copied()).skip(new));
                    ControlFlow::Continue(())
                });
                let inside = |t: f64| t >= from && t <= to.min(end);
                let whole = recording.times.iter().zip(&recording.columns[0]).filter(|(t, _)| inside(**t) && **t > 1.0);
                for (t, y) in whole {
                    assert!(seen.iter().any(|s| (s.0 - t).abs() < 1e-9 && s.1 == *y), "{t} of {again}");
                }
                // No more than whole periods that touch the window.
                let periods = (to.min(end) - from) / 0.4;
                assert!(seen.len() as f64 <= 1.0 + 4.0 * (periods + 2.0), "{} for {periods}", seen.len());
            }
        }
    }
}
