use crate::again::covered;
use crate::piece::repeated;
use circuit::{Circuit, Quantity};

/// Values per chunk aimed at, to bound memory for circuits with many columns.
const CHUNK_VALUES: usize = 1 << 23;

/// Most nodes per chunk for a count of columns, give or take a step; even, so that chunks of steps with one inner node each start with an
/// end of one.
pub fn chunk_nodes(columns: usize) -> usize {
    (CHUNK_VALUES / columns.max(1)).clamp(64, 4096) & !1
}

/// Most nodes of a period that is kept as one chunk because it comes again, for a count of columns.
pub fn most_nodes(columns: usize) -> usize {
    CHUNK_VALUES / columns.max(1)
}

/// A recorded quantity: net voltage, part current, or power of a part with more than two pins. Other powers, and
/// voltages across parts, follow from these.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Column {
    /// Net or part.
    pub of: String,
    /// Which quantity of it.
    pub quantity: Quantity,
}

impl Column {
    /// A quantity of a net or part.
    pub fn new(of: &str, quantity: Quantity) -> Self {
        Column { of: of.to_owned(), quantity }
    }
}

/// What a recording of a circuit holds, whichever engine makes it: the voltage of each net, then of each part its current,
/// and its power if it has more than two pins.
pub fn columns(circuit: &Circuit) -> Vec<Column> {
    let nets = circuit.nets.iter().skip(1).map(|net| Column::new(net, Quantity::Voltage));
    let parts = circuit.parts.iter().flat_map(|part| {
        let power = (part.pins.len() > 2).then(|| Column::new(&part.id, Quantity::Power));
        std::iter::once(Column::new(&part.id, Quantity::Current)).chain(power)
    });
    nets.chain(parts).collect()
}

/// A piece of a recording. It starts with the end of a step or behind one, and no step with three inner nodes is parted in its middle:
/// [`Joiner`] makes pieces of it in which every step is whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Chunk {
    /// Times of the nodes, s.
    pub times: Vec<f64>,
    /// Values of each column at the nodes, in the order of the engine's columns.
    pub columns: Vec<Vec<f64>>,
    /// How many times more it comes, because nothing new happens. One that does begins behind an end of a step and ends with
    /// one; from the one to the other is the period by which it comes again.
    pub again: u64,
}

impl Chunk {
    /// One that comes once.
    pub fn new(times: Vec<f64>, columns: Vec<Vec<f64>>) -> Self {
        Chunk { times, columns, again: 0 }
    }

    /// Appends the nodes of the chunk that follows.
    pub fn extend(&mut self, next: &Chunk) {
        self.times.extend_from_slice(&next.times);
        self.columns.resize(next.columns.len(), Vec::new());
        for (column, more) in self.columns.iter_mut().zip(&next.columns) {
            column.extend_from_slice(more);
        }
    }

    fn cut(&self, from: usize) -> Chunk {
        let cut = |values: &[f64]| values[from.min(values.len())..].to_vec();
        Chunk::new(cut(&self.times), self.columns.iter().map(|c| cut(c)).collect())
    }
}

/// Makes pieces of chunks as they come, such that every step lies within one of them: a piece repeats the nodes of the
/// step that was not complete, and its start.
#[derive(Debug, Default)]
pub struct Joiner {
    tail: Chunk,
}

impl Joiner {
    /// The next piece.
    pub fn join(&mut self, chunk: &Chunk) -> Chunk {
        let mut piece = std::mem::take(&mut self.tail);
        piece.extend(chunk);
        piece.again = chunk.again;
        self.tail = piece.cut(piece.times.len() - repeated(piece.times.len()));
        let (_, to) = covered(&piece.times, piece.again);
        // What follows one that comes again begins where it ends for the last time.
        if let (1.., Some(end)) = (piece.again, self.tail.times.first_mut()) {
            *end = to;
        }
        piece
    }
}

/// Takes pieces apart into chunks again: what a piece repeats of the one before is left out.
#[derive(Debug, Default)]
pub struct Parter {
    repeats: usize,
}

impl Parter {
    /// The nodes that are new in the next piece.
    pub fn part(&mut self, piece: &Chunk) -> Chunk {
        let from = std::mem::replace(&mut self.repeats, repeated(piece.times.len()));
        Chunk { again: piece.again, ..piece.cut(from) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// However a recording is cut, its pieces hold all of it, and parting them gives the cuts back.
    #[test]
    fn pieces_are_parted_into_what_they_were_joined_of() {
        for lengths in [&[5, 4, 4, 2][..], &[1, 2, 2], &[3, 1, 1, 6], &[7], &[2, 3, 256, 1]] {
            let (mut joiner, mut parter, mut node) = (Joiner::default(), Parter::default(), 0);
            for length in lengths {
                let times: Vec<f64> = (node..node + length).map(f64::from).collect();
                node += length;
                let columns = vec![times.iter().map(|t| 7.0 * t).collect()];
                let chunk = Chunk::new(times, columns);
                assert_eq!(parter.part(&joiner.join(&chunk)), chunk, "{lengths:?}");
            }
        }
    }
}
