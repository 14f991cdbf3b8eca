use crate::again::unrolled;
use crate::piece::Piece;
use std::ops::ControlFlow;

/// A recording that can be read again, piece by piece, as often as need be.
pub trait Chunks {
    /// First and last time recorded, s; both zero if nothing was.
    fn whole(&self) -> (f64, f64);

    /// Hands over, in order, pieces that cover a stretch of time, s, with the columns asked for only; what comes again once, with
    /// how often. Every step lies within one of them; one repeats the last nodes of the one before as [`repeated`](crate::repeated) says.
    ///
    /// # Errors
    /// [`Unreadable`] if what was kept cannot be read back.
    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable>;

    /// The same with what comes again as often as it comes.
    ///
    /// # Errors
    /// [`Unreadable`] if what was kept cannot be read back.
    fn pieces(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        self.folded(from, to, columns, &mut |piece| {
            let _ = unrolled(&piece, (from, to), &mut |piece| {
                take(piece);
                ControlFlow::Continue(())
            });
        })
    }
}

/// A recording that cannot be read back.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("what was recorded cannot be read back: {0}")]
pub struct Unreadable(pub String);
