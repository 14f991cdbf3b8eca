//! Nodes as they are handed over.

/// Nodes that begin with an end of a step.
#[derive(Clone, Debug)]
pub struct Piece<'a> {
    /// Times of the nodes, s.
    pub times: &'a [f64],
    /// Values at the nodes, of each column asked for.
    pub columns: Vec<&'a [f64]>,
    /// How many times more it comes ([`Chunk::again`](crate::Chunk::again)).
    pub again: u64,
}

impl<'a> Piece<'a> {
    /// One that comes once.
    pub fn once(times: &'a [f64], columns: Vec<&'a [f64]>) -> Self {
        Piece { times, columns, again: 0 }
    }
}

/// How many nodes at the end of a piece of so many the next one repeats: all from its last end of a step on, which
/// stands at an even place.
pub fn repeated(nodes: usize) -> usize {
    nodes - nodes.saturating_sub(1) / 2 * 2
}
