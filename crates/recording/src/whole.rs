use crate::chunk::Chunk;
use crate::chunks::{Chunks, Piece, Unreadable};
use crate::observer::Observer;
use std::ops::Deref;

/// A whole recording in memory, as one chunk.
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
        self.0.extend(&chunk);
    }
}

impl Chunks for Recording {
    fn whole(&self) -> (f64, f64) {
        // What follows the last end of a step is no step yet.
        let last = self.times.len().saturating_sub(1) / 2 * 2;
        let time = |node: usize| self.times.get(node).copied().unwrap_or(0.0);
        (time(0), time(last))
    }

    fn pieces(
        &self,
        _from: f64,
        _to: f64,
        columns: &[usize],
        take: &mut dyn FnMut(Piece<'_>),
    ) -> Result<(), Unreadable> {
        let columns = columns.iter().map(|c| self.columns.get(*c).map_or(&[][..], Vec::as_slice));
        take(Piece { times: &self.times, columns: columns.collect() });
        Ok(())
    }
}
