use recording::{Chunk, Chunks, Command, Joiner, Observer, Piece, Progress, Unreadable, covered};
use std::fs::File;
use std::io;
use std::os::unix::fs::FileExt;

/// What is kept in memory, bytes; what comes after goes into a file without a name.
const IN_MEMORY: usize = 32 << 20;

/// Keeps a recording until it is judged: short ones in memory, the rest of long ones in a file.
#[derive(Debug, Default)]
pub(crate) struct Spool {
    joiner: Joiner,
    kept: Vec<Kept>,
    memory: usize,
    file: Option<File>,
    written: u64,
    trouble: Option<String>,
}

#[derive(Debug)]
struct Kept {
    from: f64,
    to: f64,
    /// How many times more it comes.
    again: u64,
    place: Place,
}

#[derive(Debug)]
enum Place {
    Memory {
        times: Vec<f64>,
        columns: Vec<Vec<f64>>,
    },
    /// Times, then columns, one behind the other.
    File {
        offset: u64,
        nodes: usize,
    },
}

impl Spool {
    /// Keeps the next chunk.
    pub(crate) fn push(&mut self, chunk: &Chunk) {
        let piece = self.joiner.join(chunk);
        let nodes = piece.times.len();
        if nodes == 0 {
            return;
        }
        let ((from, to), again) = (covered(&piece.times, piece.again), piece.again);
        let bytes = size_of::<f64>() * nodes * (1 + piece.columns.len());
        let place = if self.memory + bytes <= IN_MEMORY {
            self.memory += bytes;
            Place::Memory { times: piece.times, columns: piece.columns }
        } else {
            match self.write(&piece) {
                Ok(offset) => Place::File { offset, nodes },
                Err(error) => {
                    self.trouble.get_or_insert_with(|| format!("the recording does not fit on the disk: {error}"));
                    return;
                }
            }
        };
        self.kept.push(Kept { from, to, again, place });
    }

    /// What went wrong while keeping.
    pub(crate) fn trouble(&self) -> Option<&str> {
        self.trouble.as_deref()
    }

    fn write(&mut self, piece: &Chunk) -> io::Result<u64> {
        let file = match &mut self.file {
            Some(file) => file,
            none => none.insert(tempfile::tempfile()?),
        };
        let offset = self.written;
        for values in std::iter::once(&piece.times).chain(&piece.columns) {
            let bytes: Vec<u8> = values.iter().flat_map(|v| v.to_le_bytes()).collect();
            file.write_all_at(&bytes, self.written)?;
            self.written += bytes.len() as u64;
        }
        Ok(offset)
    }

    /// One list of values of a piece in the file; the times are the first.
    fn read(&self, offset: u64, nodes: usize, index: usize) -> Result<Vec<f64>, Unreadable> {
        let length = size_of::<f64>() * nodes;
        let mut bytes = vec![0; length];
        let gone = || Unreadable("its file is gone".to_owned());
        let file = self.file.as_ref().ok_or_else(gone)?;
        file.read_exact_at(&mut bytes, offset + (index * length) as u64).map_err(|e| Unreadable(e.to_string()))?;
        Ok(bytes.chunks_exact(size_of::<f64>()).map(|b| b.try_into().map_or(f64::NAN, f64::from_le_bytes)).collect())
    }
}

impl Observer for Spool {
    fn progress(&mut self, _: &Progress<'_>) -> Command {
        if self.trouble.is_some() { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        self.push(&chunk);
    }
}

impl Chunks for Spool {
    fn whole(&self) -> (f64, f64) {
        (self.kept.first().map_or(0.0, |k| k.from), self.kept.last().map_or(0.0, |k| k.to))
    }

    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        if let Some(trouble) = self.trouble() {
            return Err(Unreadable(trouble.to_owned()));
        }
        for kept in self.kept.iter().filter(|k| k.from <= to && k.to >= from) {
            match &kept.place {
                Place::Memory { times, columns: kept_columns } => {
                    let columns = columns.iter().map(|c| kept_columns.get(*c).map_or(&[][..], Vec::as_slice));
                    take(Piece { times, columns: columns.collect(), again: kept.again });
                }
                Place::File { offset, nodes } => {
                    let times = self.read(*offset, *nodes, 0)?;
                    let read = columns.iter().map(|c| self.read(*offset, *nodes, 1 + c));
                    let read = read.collect::<Result<Vec<_>, _>>()?;
                    let columns = read.iter().map(Vec::as_slice).collect();
                    take(Piece { times: &times, columns, again: kept.again });
                }
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Pieces from memory and from the file alike, and no node lost between them.
    #[test]
    fn gives_back_what_it_was_given() {
        let (nodes, columns) = (4096, 30);
        let chunks = 2 * IN_MEMORY / (8 * nodes * (columns + 1));
        let value = |node: usize, column: usize| (node * 31 + column) as f64;
        let mut spool = Spool::default();
        for chunk in 0..chunks {
            let all = chunk * nodes..(chunk + 1) * nodes;
            spool.push(&Chunk::new(
                all.clone().map(|n| n as f64).collect(),
                (0..columns).map(|c| all.clone().map(|n| value(n, c)).collect()).collect(),
            ));
        }
        assert!(spool.file.is_some() && spool.trouble().is_none());
        let last = chunks * nodes - 2;
        assert_eq!(spool.whole(), (0.0, last as f64));
        let mut next = 0;
        let read = spool.pieces(0.0, f64::INFINITY, &[29, 3], &mut |piece| {
            let from = piece.times[0] as usize;
            assert!(from.is_multiple_of(2) && from + 2 >= next, "{from} after {next}");
            for (i, t) in piece.times.iter().enumerate() {
                assert_eq!(*t, (from + i) as f64);
                assert_eq!([piece.columns[0][i], piece.columns[1][i]], [value(from + i, 29), value(from + i, 3)]);
            }
            next = from + piece.times.len();
        });
        read.unwrap();
        assert_eq!(next, chunks * nodes);
        let mut some = 0;
        spool.pieces(5000.0, 5001.0, &[0], &mut |_| some += 1).unwrap();
        assert_eq!(some, 1);
    }
}
