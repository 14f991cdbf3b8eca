use crate::again::unrolled;
use crate::chunk::Chunk;
use crate::chunks::{Chunks, Unreadable};
use crate::observer::Observer;
use crate::piece::Piece;
use std::ops::{ControlFlow, Deref};

/// A whole recording in memory, as one chunk: what comes again is there as often as it comes.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Recording(Chunk);

impl Deref for Recording {
    type Target = Chunk;
    fn deref(&self) -> &Chunk {
        &self.0
    }
}

impl Observer for Recording {
    fn record(&mut self, chunk: Chunk) {
        if chunk.again == 0 {
            return self.0.extend(&chunk);
        }
        // It follows the end of a step, which is the last node there is.
        let last = self.0.times.len().saturating_sub(1);
        let tail = |values: &[f64]| values[last.min(values.len())..].to_vec();
        let mut piece = Chunk::new(tail(&self.0.times), self.0.columns.iter().map(|c| tail(c)).collect());
        piece.extend(&chunk);
        let columns: Vec<&[f64]> = piece.columns.iter().map(Vec::as_slice).collect();
        let folded = Piece { times: &piece.times, columns, again: chunk.again };
        let _ = unrolled(&folded, (f64::MIN, f64::MAX), &mut |piece| {
            let new = |values: &[f64]| values[1..].to_vec();
            self.0.extend(&Chunk::new(new(piece.times), piece.columns.iter().map(|c| new(c)).collect()));
            ControlFlow::Continue(())
        });
    }
}

impl Chunks for Recording {
    fn whole(&self) -> (f64, f64) {
        // What follows the last end of a step is no step yet.
        let last = self.times.len().saturating_sub(1) / 2 * 2;
        let time = |node: usize| self.times.get(node).copied().unwrap_or(0.0);
        (time(0), time(last))
    }

    fn folded(
        &self,
        _from: f64,
        _to: f64,
        columns: &[usize],
        take: &mut dyn FnMut(Piece<'_>),
    ) -> Result<(), Unreadable> {
        let columns = columns.iter().map(|c| self.columns.get(*c).map_or(&[][..], Vec::as_slice));
        take(Piece::once(&self.times, columns.collect()));
        Ok(())
    }
}
