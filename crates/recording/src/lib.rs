//! What an engine leaves behind, whichever engine it was: columns of nodes in chunks, curves over frequency, and the
//! evidence for both.
//!
//! A recording is a sequence of *nodes*. Each accepted step adds two or four: one inside the step, at [`STAGE`] of its length, or
//! three, at [`PLACES`], and its end; together with the end of the step before they define the quadratic or the quartic that
//! represents every recorded quantity over the step. Which of both it is the places of the nodes tell ([`steps`]). Odd nodes are
//! inner, even ones ends of steps or the middle of a quartic. An engine hands them over in [`Chunk`]s to an
//! [`Observer`] and forgets them; what keeps them is asked again over [`Chunks`], piece by piece. [`Recording`] keeps a
//! whole one in memory.
//!
//! Where nothing new happens, a period is handed over once and said to come so many times more ([`Chunk::again`]); what reads
//! a recording sees it as often as it comes ([`unrolled`]).
//!
//! ```
//! use mellow_recording::{Chunk, Chunks, Observer, Recording};
//! let mut kept = Recording::default();
//! // Two steps of a second; the second chunk begins with the end of the first step.
//! kept.record(Chunk::new(vec![0.0, 0.5], vec![vec![0.0, 1.0]]));
//! kept.record(Chunk::new(vec![1.0, 1.5, 2.0], vec![vec![2.0, 3.0, 4.0]]));
//! assert_eq!(kept.whole(), (0.0, 2.0));
//! let mut last = 0.0;
//! kept.pieces(1.0, 2.0, &[0], &mut |piece| last = *piece.columns[0].last().unwrap()).unwrap();
//! assert_eq!(last, 4.0);
//! ```

mod again;
mod chunk;
mod chunks;
mod curve;
mod excitation;
mod health;
mod observer;
mod piece;
mod step;
mod whole;

pub use again::{covered, times_of, turns, unrolled};
pub use chunk::{Chunk, Column, Joiner, Parter, chunk_nodes, columns, most_nodes};
pub use chunks::{Chunks, Unreadable};
pub use curve::{Crossover, LoopGain, Margins, Resonance, log_grid, phase, resonances, sweep, sweep_together};
pub use excitation::{Excitation, Probed};
pub use health::{Conduction, EnergyBalance, Health, Pulse, Unfit};
pub use num_complex::Complex64;
pub use observer::{Command, Observer, Progress};
pub use piece::{Piece, repeated};
pub use step::{PLACES, STAGE, WEIGHTS, end_of_step, quartic, step_at, steps};
pub use whole::Recording;
