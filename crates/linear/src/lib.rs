//! Linear systems as engines meet them: the same sparse pattern over and over, with other numbers; and small dense ones, of
//! which the rank, the null spaces and the exponential are asked for.
//!
//! ```
//! use mellow_linear::{Lu, Pattern, Symbolic};
//! use std::sync::Arc;
//! // [2 1; 1 3]·x = [3; 4], by row and column; entries may come in any order and more than once.
//! let (pattern, slots) = Pattern::new(2, &[(0, 0), (0, 1), (1, 0), (1, 1)]);
//! let mut values = vec![0.0; 4];
//! for (slot, value) in slots.iter().zip([2.0, 1.0, 1.0, 3.0]) {
//!     values[*slot] += value;
//! }
//! let mut lu = Lu::new(Arc::new(Symbolic::new(pattern)));
//! lu.factor(&values).unwrap();
//! let mut x = [3.0, 4.0];
//! lu.solve(&mut x);
//! assert!((x[0] - 1.0).abs() < 1e-12 && (x[1] - 1.0).abs() < 1e-12);
//! ```

mod dense;
mod eigen;
mod periodic;
mod sparse;

pub use dense::{Kernel, Matrix, Ranked, dot, exponential_less_one, one_after_the_other};
pub use eigen::{eigenvalues, untold};
pub use periodic::to_periodic;
pub use sparse::{Lu, Pattern, Scalar, Singular, Symbolic};
