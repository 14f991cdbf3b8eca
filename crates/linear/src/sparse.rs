//! Sparse LU factorisation for a matrix whose pattern never changes.
//!
//! Columns are ordered once by minimum degree on the pattern of A + Aᵀ. The first numeric
//! factorisation is left-looking with partial pivoting that prefers the diagonal (Gilbert &
//! Peierls, SIAM J. Sci. Stat. Comput. 1988); it fixes pivots and pattern and writes down, as
//! positions in one array of values, every multiplication the elimination needs. Later ones only
//! follow that program, without allocation or searching. If a kept pivot becomes unusable the
//! pivots are chosen anew.

use num_complex::Complex64;
use std::ops::{AddAssign, Div, Mul, MulAssign, SubAssign};
use std::sync::Arc;

/// What matrices are made of.
pub trait Scalar:
    Copy
    + Default
    + AddAssign
    + SubAssign
    + MulAssign
    + Mul<Output = Self>
    + Div<Output = Self>
    + PartialEq
    + std::fmt::Debug
{
    /// One.
    fn one() -> Self;
    /// Magnitude.
    fn size(self) -> f64;
}

impl Scalar for f64 {
    fn one() -> Self {
        1.0
    }
    fn size(self) -> f64 {
        self.abs()
    }
}

impl Scalar for Complex64 {
    fn one() -> Self {
        Complex64::ONE
    }
    fn size(self) -> f64 {
        self.norm()
    }
}

/// Column-compressed pattern of a square matrix; rows ascend within a column.
#[derive(Clone, Debug)]
pub struct Pattern {
    /// Rows and columns.
    pub n: usize,
    /// Where each column begins among the rows, and where the last ends.
    pub starts: Vec<usize>,
    /// Rows of the entries, column by column, ascending in each.
    pub rows: Vec<usize>,
}

impl Pattern {
    /// Builds the pattern of the given (row, column) entries and tells each entry's slot.
    pub fn new(n: usize, entries: &[(usize, usize)]) -> (Self, Vec<usize>) {
        let mut order: Vec<usize> = (0..entries.len()).collect();
        order.sort_unstable_by_key(|&e| (entries[e].1, entries[e].0));
        let mut slots = vec![0; entries.len()];
        let mut rows = Vec::with_capacity(entries.len());
        let mut starts = vec![0; n + 1];
        let mut last = None;
        for e in order {
            let (row, column) = entries[e];
            if last != Some((row, column)) {
                rows.push(row);
                starts[column + 1] = rows.len();
                last = Some((row, column));
            }
            slots[e] = rows.len() - 1;
        }
        for c in 0..n {
            starts[c + 1] = starts[c + 1].max(starts[c]);
        }
        (Pattern { n, starts, rows }, slots)
    }

    /// Slots of a column.
    pub fn column(&self, c: usize) -> std::ops::Range<usize> {
        self.starts[c]..self.starts[c + 1]
    }
}

/// The matrix is singular to working precision at this column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Singular {
    /// The column without a pivot.
    pub column: usize,
}

/// A kept pivot below this part of its column's largest entry is chosen anew.
const KEEP_PIVOT: f64 = 1e-4;
/// The diagonal is preferred as pivot down to this part of the column's largest entry.
const PREFER_DIAGONAL: f64 = 0.1;
const NONE: usize = usize::MAX;

/// A kept pivot, counted in pivot order, that serves no longer.
#[derive(Clone, Copy, Debug)]
struct Unusable(usize);

/// What is known of a matrix from its pattern alone; shared by all matrices of that pattern.
#[derive(Debug)]
pub struct Symbolic {
    /// The pattern.
    pub pattern: Pattern,
    /// Column of A that is k-th in elimination order.
    order: Vec<usize>,
}

impl Symbolic {
    /// Orders a pattern for elimination.
    pub fn new(pattern: Pattern) -> Self {
        Symbolic { order: minimum_degree(&pattern), pattern }
    }
}

/// LU factors of a matrix of fixed pattern.
#[derive(Clone, Debug)]
pub struct Lu<T = f64> {
    symbolic: Arc<Symbolic>,
    /// Position in pivot order of each row of A.
    pivot_of_row: Vec<usize>,
    /// Unit lower factor below the diagonal, rows in pivot order.
    lower: Columns<T>,
    /// Upper factor above the diagonal, rows in pivot order, ascending.
    upper: Columns<T>,
    diagonal: Vec<T>,
    work: Vec<T>,
    /// None before pivots are chosen.
    program: Option<Program<T>>,
}

/// The elimination on kept pivots, written down as places in one array of values.
#[derive(Clone, Debug)]
struct Program<T> {
    /// Column after column: the upper factor's entries, the diagonal, the lower factor's. Once a
    /// column is done its upper entries are divided by the diagonal, so that solving divides at
    /// its end only.
    values: Vec<T>,
    /// Place of each slot of A.
    load: Vec<u32>,
    columns: Vec<ColumnPlan>,
    /// `values[target] −= values[lower]·values[upper]`.
    updates: Vec<[u32; 3]>,
    /// Reciprocals of the diagonal.
    inverse: Vec<T>,
    /// Solving: row and column of each entry of the lower factor, column after column, then of
    /// the upper one from the last column to the first.
    solving: Vec<[u32; 2]>,
    /// Places of the entries of `solving`, and their values, gathered after each factorisation.
    solving_places: Vec<u32>,
    solving_values: Vec<T>,
}

/// Where a column of the factors lies in `values`, and where its updates end.
#[derive(Clone, Copy, Debug)]
struct ColumnPlan {
    start: u32,
    diagonal: u32,
    end: u32,
    updates_end: u32,
}

#[derive(Clone, Debug)]
struct Columns<T> {
    starts: Vec<usize>,
    rows: Vec<usize>,
    values: Vec<T>,
}

impl<T> Columns<T> {
    fn new() -> Self {
        Columns { starts: Vec::new(), rows: Vec::new(), values: Vec::new() }
    }

    /// Rows of a column.
    fn column(&self, k: usize) -> &[usize] {
        &self.rows[self.starts[k]..self.starts[k + 1]]
    }

    fn clear(&mut self) {
        self.starts.clear();
        self.starts.push(0);
        self.rows.clear();
        self.values.clear();
    }
}

impl<T: Scalar> Lu<T> {
    /// Factors yet to be computed.
    pub fn new(symbolic: Arc<Symbolic>) -> Self {
        let n = symbolic.pattern.n;
        Lu {
            symbolic,
            pivot_of_row: vec![NONE; n],
            lower: Columns::new(),
            upper: Columns::new(),
            diagonal: vec![T::default(); n],
            work: vec![T::default(); n],
            program: None,
        }
    }

    /// Entries in both factors, the diagonal counted once.
    pub fn fill(&self) -> usize {
        self.lower.rows.len() + self.upper.rows.len() + self.symbolic.pattern.n
    }

    /// Factorises the matrix with these values, slot by slot of the pattern.
    pub fn factor(&mut self, values: &[T]) -> Result<(), Singular> {
        if self.refactor(values).is_ok() {
            return Ok(());
        }
        self.program = None;
        self.factor_with_pivoting(values)?;
        self.program = Some(self.program());
        // On pivots just found this fails by rounding at the edge of singularity only.
        self.refactor(values).map_err(|Unusable(k)| Singular { column: self.symbolic.order[k] })
    }

    /// Recomputes the numbers on the kept pivots.
    fn refactor(&mut self, values: &[T]) -> Result<(), Unusable> {
        self.program.as_mut().map_or(Err(Unusable(0)), |program| program.factor(values))
    }

    /// Writes down the elimination for the pivots just chosen.
    fn program(&self) -> Program<T> {
        let n = self.symbolic.pattern.n;
        let mut program = Program {
            values: Vec::new(),
            load: vec![0; self.symbolic.pattern.rows.len()],
            columns: Vec::with_capacity(n),
            updates: Vec::new(),
            inverse: Vec::new(),
            solving: Vec::new(),
            solving_places: Vec::new(),
            solving_values: Vec::new(),
        };
        // Where each row of the column at hand lies in the array of values, and each value's row.
        let (mut place, mut row_of) = (vec![0u32; n], Vec::new());
        for k in 0..n {
            let start = row_of.len() as u32;
            let (upper, lower) = (self.upper.column(k), self.lower.column(k));
            for row in upper.iter().chain([&k]).chain(lower) {
                place[*row] = row_of.len() as u32;
                row_of.push(*row as u32);
            }
            for p in self.symbolic.pattern.column(self.symbolic.order[k]) {
                program.load[p] = place[self.pivot_of_row[self.symbolic.pattern.rows[p]]];
            }
            for row in upper {
                let earlier: &ColumnPlan = &program.columns[*row];
                let lower = earlier.diagonal + 1..earlier.end;
                program.updates.extend(lower.map(|l| [place[row_of[l as usize] as usize], l, place[*row]]));
            }
            program.solving.extend(lower.iter().map(|row| [*row as u32, k as u32]));
            program.solving_places.extend(lower.iter().map(|row| place[*row]));
            program.columns.push(ColumnPlan {
                start,
                diagonal: start + upper.len() as u32,
                end: row_of.len() as u32,
                updates_end: program.updates.len() as u32,
            });
        }
        for (k, plan) in program.columns.iter().enumerate().rev() {
            let upper = plan.start..plan.diagonal;
            program.solving.extend(upper.clone().map(|place| [row_of[place as usize], k as u32]));
            program.solving_places.extend(upper);
        }
        program.values = vec![T::default(); row_of.len()];
        program.inverse = vec![T::default(); n];
        program.solving_values = vec![T::default(); program.solving.len()];
        program
    }

    fn factor_with_pivoting(&mut self, values: &[T]) -> Result<(), Singular> {
        let n = self.symbolic.pattern.n;
        self.pivot_of_row.fill(NONE);
        self.lower.clear();
        self.upper.clear();
        self.work.fill(T::default());
        let mut mark = vec![NONE; n];
        let mut reach = Vec::with_capacity(n);
        let mut stack = Vec::new();
        for k in 0..n {
            let column = self.symbolic.order[k];
            reach.clear();
            for p in self.symbolic.pattern.column(column) {
                self.depth_first(self.symbolic.pattern.rows[p], k, &mut mark, &mut reach, &mut stack);
            }
            for p in self.symbolic.pattern.column(column) {
                self.work[self.symbolic.pattern.rows[p]] = values[p];
            }
            // Rows already chosen as pivots, in pivot order, are the upper factor's column.
            let mut above: Vec<(usize, usize)> = reach
                .iter()
                .filter_map(|&row| Some((self.pivot_of_row[row], row)).filter(|(pivot, _)| *pivot != NONE))
                .collect();
            above.sort_unstable();
            for (pivot, row) in above {
                let factor = std::mem::take(&mut self.work[row]);
                self.upper.rows.push(pivot);
                self.upper.values.push(factor);
                for l in self.lower.starts[pivot]..self.lower.starts[pivot + 1] {
                    self.work[self.lower.rows[l]] -= self.lower.values[l] * factor;
                }
            }
            let below = || reach.iter().copied().filter(|&row| self.pivot_of_row[row] == NONE);
            let size = |row: usize| self.work[row].size();
            let best = below().max_by(|a, b| size(*a).total_cmp(&size(*b)));
            let Some(best) = best.filter(|&row| size(row).is_finite() && size(row) > 1e-290) else {
                return Err(Singular { column });
            };
            let prefer = below().find(|&row| row == column && size(row) >= PREFER_DIAGONAL * size(best));
            let pivot_row = prefer.unwrap_or(best);
            let pivot = self.work[pivot_row];
            let rest: Vec<usize> = below().filter(|&row| row != pivot_row).collect();
            self.pivot_of_row[pivot_row] = k;
            self.diagonal[k] = pivot;
            self.work[pivot_row] = T::default();
            for row in rest {
                self.lower.rows.push(row);
                self.lower.values.push(std::mem::take(&mut self.work[row]) / pivot);
            }
            self.upper.starts.push(self.upper.rows.len());
            self.lower.starts.push(self.lower.rows.len());
        }
        for row in &mut self.lower.rows {
            *row = self.pivot_of_row[*row];
        }
        Ok(())
    }

    /// Adds to `reach` every row that can become nonzero when `row` does.
    fn depth_first(&self, row: usize, k: usize, mark: &mut [usize], reach: &mut Vec<usize>, stack: &mut Vec<usize>) {
        stack.push(row);
        while let Some(row) = stack.pop() {
            if mark[row] == k {
                continue;
            }
            mark[row] = k;
            reach.push(row);
            let pivot = self.pivot_of_row[row];
            if pivot != NONE {
                stack.extend(&self.lower.rows[self.lower.starts[pivot]..self.lower.starts[pivot + 1]]);
            }
        }
    }

    /// Whether there are factors to solve with: not before the first, and not after a matrix that has none.
    pub fn ready(&self) -> bool {
        self.program.is_some()
    }

    /// Solves A x = b in place, if [`ready`](Lu::ready); `b` has one value per row and returns one per column.
    pub fn solve(&mut self, b: &mut [T]) {
        for (pivot, value) in self.pivot_of_row.iter().zip(b.iter()) {
            self.work[*pivot] = *value;
        }
        if let Some(program) = &self.program {
            program.solve(&mut self.work);
        }
        for (column, value) in self.symbolic.order.iter().zip(&self.work) {
            b[*column] = *value;
        }
    }
}

impl<T: Scalar> Program<T> {
    fn factor(&mut self, matrix: &[T]) -> Result<(), Unusable> {
        let values = &mut self.values;
        values.fill(T::default());
        for (place, value) in self.load.iter().zip(matrix) {
            values[*place as usize] = *value;
        }
        let mut begun = 0;
        for (k, (plan, inverse)) in self.columns.iter().zip(&mut self.inverse).enumerate() {
            for [target, lower, upper] in &self.updates[begun..plan.updates_end as usize] {
                let product = values[*lower as usize] * values[*upper as usize];
                values[*target as usize] -= product;
            }
            begun = plan.updates_end as usize;
            let pivot = values[plan.diagonal as usize];
            let reciprocal = T::one() / pivot;
            let mut largest = 0.0f64;
            for value in &mut values[plan.diagonal as usize + 1..plan.end as usize] {
                largest = largest.max(value.size());
                *value *= reciprocal;
            }
            // Written so that NaN fails too.
            if !(pivot.size() > KEEP_PIVOT * largest && pivot != T::default()) {
                return Err(Unusable(k));
            }
            for value in &mut values[plan.start as usize..plan.diagonal as usize] {
                *value *= reciprocal;
            }
            *inverse = reciprocal;
        }
        for (value, place) in self.solving_values.iter_mut().zip(&self.solving_places) {
            *value = values[*place as usize];
        }
        Ok(())
    }

    /// Solves in place, in pivot order.
    fn solve(&self, x: &mut [T]) {
        for ([row, column], value) in self.solving.iter().zip(&self.solving_values) {
            let product = *value * x[*column as usize];
            x[*row as usize] -= product;
        }
        for (x, inverse) in x.iter_mut().zip(&self.inverse) {
            *x *= *inverse;
        }
    }
}

/// Elimination order by minimum degree on the graph of A + Aᵀ (George & Liu, SIAM Rev. 1989).
fn minimum_degree(pattern: &Pattern) -> Vec<usize> {
    let n = pattern.n;
    let mut neighbours: Vec<Vec<usize>> = vec![Vec::new(); n];
    for c in 0..n {
        for p in pattern.column(c) {
            let r = pattern.rows[p];
            if r != c {
                neighbours[r].push(c);
                neighbours[c].push(r);
            }
        }
    }
    for list in &mut neighbours {
        list.sort_unstable();
        list.dedup();
    }
    let mut queue: std::collections::BTreeSet<(usize, usize)> = (0..n).map(|i| (neighbours[i].len(), i)).collect();
    let mut order = Vec::with_capacity(n);
    while let Some((_, node)) = queue.pop_first() {
        order.push(node);
        let clique = std::mem::take(&mut neighbours[node]);
        for &other in &clique {
            queue.remove(&(neighbours[other].len(), other));
            let old = std::mem::take(&mut neighbours[other]);
            neighbours[other] = merge(&old, &clique, other, node);
            queue.insert((neighbours[other].len(), other));
        }
    }
    order
}

/// The union of two ascending lists without two given members.
fn merge(a: &[usize], b: &[usize], without: usize, and: usize) -> Vec<usize> {
    let mut merged = Vec::with_capacity(a.len() + b.len());
    let (mut i, mut j) = (0, 0);
    while i < a.len() || j < b.len() {
        let next = match (a.get(i), b.get(j)) {
            (Some(&x), Some(&y)) => {
                i += usize::from(x <= y);
                j += usize::from(y <= x);
                x.min(y)
            }
            (Some(&x), None) => {
                i += 1;
                x
            }
            (None, Some(&y)) => {
                j += 1;
                y
            }
            (None, None) => break,
        };
        if next != without && next != and {
            merged.push(next);
        }
    }
    merged
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn multiply(pattern: &Pattern, values: &[f64], x: &[f64]) -> Vec<f64> {
        let mut y = vec![0.0; pattern.n];
        for (c, value) in x.iter().enumerate() {
            for p in pattern.column(c) {
                y[pattern.rows[p]] += values[p] * value;
            }
        }
        y
    }

    proptest! {
        // A well-conditioned matrix hidden behind a row permutation, so pivoting has work to do.
        #[test]
        fn solves_permuted_matrices_and_refactors(
            n in 1usize..30,
            extra in proptest::collection::vec((0usize..30, 0usize..30, -1.0f64..1.0), 0..90),
            shift in 0usize..30,
        ) {
            let mut entries: Vec<(usize, usize)> = (0..n).map(|i| ((i + shift) % n, i)).collect();
            entries.extend(extra.iter().map(|(r, c, _)| (r % n, c % n)));
            let (pattern, slots) = Pattern::new(n, &entries);
            let mut lu = Lu::new(Arc::new(Symbolic::new(pattern.clone())));
            for round in 1..4 {
                let mut values = vec![0.0; pattern.rows.len()];
                for (e, slot) in slots.iter().enumerate() {
                    values[*slot] += if e < n { 40.0 * f64::from(round) } else { extra[e - n].2 };
                }
                let x: Vec<f64> = (0..n).map(|i| (i as f64 + 1.0).sin()).collect();
                let mut b = multiply(&pattern, &values, &x);
                lu.factor(&values).unwrap();
                lu.solve(&mut b);
                for (found, wanted) in b.iter().zip(&x) {
                    prop_assert!((found - wanted).abs() < 1e-10);
                }
            }
        }
    }

    #[test]
    fn names_the_column_that_makes_it_singular() {
        let (pattern, _) = Pattern::new(2, &[(0, 0), (1, 0), (0, 1), (1, 1)]);
        let mut lu = Lu::new(Arc::new(Symbolic::new(pattern)));
        assert!(!lu.ready() && lu.factor(&[1.0, 2.0, 2.0, 4.0]).is_err() && !lu.ready());
        assert!(lu.factor(&[f64::NAN, 2.0, 2.0, 4.0]).is_err());
        assert!(lu.factor(&[0.0, 2.0, 2.0, 0.0]).is_ok() && lu.ready());
    }
}
