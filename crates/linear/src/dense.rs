//! Small dense matrices: products, solutions with the rank told, null spaces, the exponential.

use std::ops::{Index, IndexMut};

/// A dense matrix, row by row.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Matrix {
    rows: usize,
    columns: usize,
    entries: Vec<f64>,
}

impl Matrix {
    /// All zero.
    pub fn zeros(rows: usize, columns: usize) -> Self {
        Matrix { rows, columns, entries: vec![0.0; rows * columns] }
    }

    /// Ones on the diagonal.
    pub fn identity(n: usize) -> Self {
        let mut m = Matrix::zeros(n, n);
        (0..n).for_each(|k| m[(k, k)] = 1.0);
        m
    }

    /// Number of rows.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Number of columns.
    pub fn columns(&self) -> usize {
        self.columns
    }

    /// A row.
    pub fn row(&self, row: usize) -> &[f64] {
        &self.entries[row * self.columns..(row + 1) * self.columns]
    }

    /// A row, to be changed.
    pub fn row_mut(&mut self, row: usize) -> &mut [f64] {
        &mut self.entries[row * self.columns..(row + 1) * self.columns]
    }

    /// The first n rows and columns.
    ///
    /// # Panics
    /// If there are not as many.
    #[must_use]
    pub fn leading(&self, n: usize) -> Matrix {
        let mut leading = Matrix::zeros(n, n);
        (0..n).for_each(|r| leading.row_mut(r).copy_from_slice(&self.row(r)[..n]));
        leading
    }

    /// `self · other`.
    ///
    /// # Panics
    /// If the sizes do not fit.
    pub fn times(&self, other: &Matrix) -> Matrix {
        assert_eq!(self.columns, other.rows, "sizes fit");
        let mut product = Matrix::zeros(self.rows, other.columns);
        for r in 0..self.rows {
            let into = &mut product.entries[r * other.columns..(r + 1) * other.columns];
            for (k, factor) in self.row(r).iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
                add_scaled(into, *factor, other.row(k));
            }
        }
        product
    }

    /// `self + factor · other`, in place.
    pub fn add_scaled(&mut self, factor: f64, other: &Matrix) {
        add_scaled(&mut self.entries, factor, &other.entries);
    }

    /// All entries multiplied.
    #[must_use]
    pub fn scaled(mut self, factor: f64) -> Matrix {
        self.entries.iter_mut().for_each(|e| *e *= factor);
        self
    }

    /// `y = self · x`.
    pub fn apply(&self, x: &[f64], y: &mut [f64]) {
        for (y, row) in y.iter_mut().zip(self.entries.chunks_exact(self.columns.max(1))) {
            *y = dot(row, x);
        }
    }

    /// Largest sum of magnitudes in a row.
    pub fn norm(&self) -> f64 {
        let sums = self.entries.chunks(self.columns.max(1)).map(|row| row.iter().map(|e| e.abs()).sum());
        sums.fold(0.0, f64::max)
    }

    fn swap_rows(&mut self, a: usize, b: usize) {
        if a != b {
            let (a, b) = (a.min(b), a.max(b));
            let (head, tail) = self.entries.split_at_mut(b * self.columns);
            head[a * self.columns..(a + 1) * self.columns].swap_with_slice(&mut tail[..self.columns]);
        }
    }

    fn swap_columns(&mut self, a: usize, b: usize) {
        for row in self.entries.chunks_exact_mut(self.columns) {
            row.swap(a, b);
        }
    }
}

impl Index<(usize, usize)> for Matrix {
    type Output = f64;
    fn index(&self, (row, column): (usize, usize)) -> &f64 {
        &self.entries[row * self.columns + column]
    }
}

impl IndexMut<(usize, usize)> for Matrix {
    fn index_mut(&mut self, (row, column): (usize, usize)) -> &mut f64 {
        &mut self.entries[row * self.columns + column]
    }
}

/// Sum of products.
#[inline]
pub fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

#[inline]
fn add_scaled(into: &mut [f64], factor: f64, from: &[f64]) {
    into.iter_mut().zip(from).for_each(|(into, from)| *into += factor * from);
}

/// The largest size in a row, several of which are compared at a time.
fn largest(row: &[f64]) -> f64 {
    let mut most = [0.0; BLOCK];
    let chunks = row.chunks_exact(BLOCK);
    let rest = chunks.remainder().iter().fold(0.0, |most: f64, e| most.max(e.abs()));
    for chunk in chunks {
        most.iter_mut().zip(chunk).for_each(|(most, e)| *most = f64::max(*most, e.abs()));
    }
    most.into_iter().fold(rest, f64::max)
}

/// Rows of a block.
const BLOCK: usize = 8;

/// A matrix laid out for product after product with a vector: rows in blocks of eight, each column by column, which keeps
/// sums in registers and lets eight of them go on at a time.
#[derive(Clone, Debug, Default)]
pub struct Kernel {
    rows: usize,
    columns: usize,
    blocks: Vec<[f64; BLOCK]>,
}

impl Kernel {
    /// Lays a matrix out.
    pub fn new(matrix: &Matrix) -> Self {
        let (rows, columns) = (matrix.rows, matrix.columns);
        let mut blocks = vec![[0.0; BLOCK]; rows.div_ceil(BLOCK) * columns];
        for r in 0..rows {
            for c in 0..columns {
                blocks[r / BLOCK * columns + c][r % BLOCK] = matrix[(r, c)];
            }
        }
        Kernel { rows, columns, blocks }
    }

    /// `y = M · x`; y is as long as the matrix has rows.
    pub fn apply(&self, x: &[f64], y: &mut [f64]) {
        let (x, y) = (&x[..self.columns], &mut y[..self.rows]);
        if self.columns == 0 {
            y.fill(0.0);
            return;
        }
        for (block, y) in self.blocks.chunks_exact(self.columns).zip(y.chunks_mut(BLOCK)) {
            let mut sums = [0.0; BLOCK];
            for (column, x) in block.iter().zip(x) {
                for (sum, entry) in sums.iter_mut().zip(column) {
                    *sum += entry * x;
                }
            }
            // A copy of known length is a few moves and no call.
            match <&mut [f64; BLOCK]>::try_from(&mut *y) {
                Ok(y) => *y = sums,
                Err(_) => y.iter_mut().zip(sums).for_each(|(y, sum)| *y = sum),
            }
        }
    }
}

impl Kernel {
    /// `y = M · x` of two vectors at once, such as a real and an imaginary part.
    pub fn apply_to_both(&self, x: [&[f64]; 2], y: [&mut [f64]; 2]) {
        let ([a, b], [into_a, into_b]) = (x.map(|x| &x[..self.columns]), y);
        if self.columns == 0 {
            into_a.fill(0.0);
            into_b.fill(0.0);
            return;
        }
        let blocks = self.blocks.chunks_exact(self.columns);
        for ((block, into_a), into_b) in blocks.zip(into_a.chunks_mut(BLOCK)).zip(into_b.chunks_mut(BLOCK)) {
            let (mut sums_a, mut sums_b) = ([0.0; BLOCK], [0.0; BLOCK]);
            for ((column, a), b) in block.iter().zip(a).zip(b) {
                for ((sum_a, sum_b), entry) in sums_a.iter_mut().zip(&mut sums_b).zip(column) {
                    *sum_a += entry * a;
                    *sum_b += entry * b;
                }
            }
            into_a.iter_mut().zip(sums_a).for_each(|(y, sum)| *y = sum);
            into_b.iter_mut().zip(sums_b).for_each(|(y, sum)| *y = sum);
        }
    }
}

/// `P·(R·M·C)·Q = L·U` with complete pivoting, rows and columns scaled by powers of two first, so that the rank can be told
/// where entries of very different size meet.
#[derive(Clone, Debug)]
pub struct Ranked {
    lu: Matrix,
    row_order: Vec<usize>,
    column_order: Vec<usize>,
    row_scale: Vec<f64>,
    column_scale: Vec<f64>,
    rank: usize,
}

/// Pivots below this, relative to the largest entry left of the scaled matrix at the start, count as zero.
const NOTHING: f64 = 1e-11;
/// Rounds of scaling.
const SCALINGS: usize = 4;

impl Ranked {
    /// Takes a matrix apart.
    pub fn new(matrix: &Matrix) -> Self {
        let (m, n) = (matrix.rows, matrix.columns);
        let mut lu = matrix.clone();
        let (mut row_scale, mut column_scale) = (vec![1.0; m], vec![1.0; n]);
        for _ in 0..SCALINGS {
            for (r, scale) in row_scale.iter_mut().enumerate() {
                let factor = power_of_two(largest(lu.row(r)));
                lu.row_mut(r).iter_mut().for_each(|e| *e *= factor);
                *scale *= factor;
            }
            let mut factors = vec![0.0; n];
            for r in 0..m {
                factors.iter_mut().zip(lu.row(r)).for_each(|(most, e)| *most = f64::max(*most, e.abs()));
            }
            factors.iter_mut().for_each(|most| *most = power_of_two(*most));
            column_scale.iter_mut().zip(&factors).for_each(|(scale, factor)| *scale *= factor);
            for r in 0..m {
                lu.row_mut(r).iter_mut().zip(&factors).for_each(|(e, factor)| *e *= factor);
            }
        }
        let (mut row_order, mut column_order): (Vec<_>, Vec<_>) = ((0..m).collect(), (0..n).collect());
        // The largest of each row changes only where the row does, which is seldom: most rows have few entries.
        let mut most: Vec<f64> = (0..m).map(|r| largest(lu.row(r))).collect();
        let mut rank = 0;
        while rank < m.min(n) {
            let Some(r) = (rank..m).max_by(|a, b| most[*a].total_cmp(&most[*b])) else { break };
            let size = most[r];
            if size <= NOTHING || !size.is_finite() {
                break;
            }
            let Some(c) = (rank..n).rev().find(|c| lu[(r, *c)].abs() == size) else { break };
            lu.swap_rows(rank, r);
            most.swap(rank, r);
            row_order.swap(rank, r);
            lu.swap_columns(rank, c);
            column_order.swap(rank, c);
            let pivot = lu[(rank, rank)];
            for r in rank + 1..m {
                let factor = lu[(r, rank)] / pivot;
                lu[(r, rank)] = factor;
                if factor != 0.0 {
                    let (head, tail) = lu.entries.split_at_mut(r * n);
                    add_scaled(&mut tail[rank + 1..n], -factor, &head[rank * n + rank + 1..rank * n + n]);
                    most[r] = largest(&tail[rank + 1..n]);
                }
            }
            rank += 1;
        }
        Ranked { lu, row_order, column_order, row_scale, column_scale, rank }
    }

    /// How many rows, or columns, are independent.
    pub fn rank(&self) -> usize {
        self.rank
    }

    /// How large an unknown is beside the others, as far as the matrix tells: what is solved for is of one size after dividing
    /// by this.
    pub fn unit(&self, column: usize) -> f64 {
        self.column_scale[column]
    }

    /// `X` with `M·X = B`, unknowns that are free at zero, rows that say nothing new left out.
    pub fn solve(&self, right: &Matrix) -> Matrix {
        let (rank, width) = (self.rank, right.columns);
        let mut y = Matrix::zeros(rank, width);
        for r in 0..rank {
            let from = self.row_order[r];
            let mut row: Vec<f64> = right.row(from).iter().map(|e| e * self.row_scale[from]).collect();
            for (k, factor) in self.lu.row(r)[..r].iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
                add_scaled(&mut row, -factor, y.row(k));
            }
            y.row_mut(r).copy_from_slice(&row);
        }
        for r in (0..rank).rev() {
            let mut row = y.row(r).to_vec();
            for k in (r + 1..rank).filter(|k| self.lu[(r, *k)] != 0.0) {
                add_scaled(&mut row, -self.lu[(r, k)], y.row(k));
            }
            row.iter_mut().for_each(|e| *e /= self.lu[(r, r)]);
            y.row_mut(r).copy_from_slice(&row);
        }
        let mut x = Matrix::zeros(self.lu.columns, width);
        for r in 0..rank {
            let to = self.column_order[r];
            let row: Vec<f64> = y.row(r).iter().map(|e| e * self.column_scale[to]).collect();
            x.row_mut(to).copy_from_slice(&row);
        }
        x
    }

    /// Independent columns `x` with `M·x = 0`, of length about one.
    pub fn right_null(&self) -> Matrix {
        let (n, rank) = (self.lu.columns, self.rank);
        let mut null = Matrix::zeros(n, n - rank);
        for k in 0..n - rank {
            let mut x = vec![0.0; rank];
            for r in (0..rank).rev() {
                let known = self.lu[(r, rank + k)] + (r + 1..rank).map(|c| self.lu[(r, c)] * x[c]).sum::<f64>();
                x[r] = -known / self.lu[(r, r)];
            }
            let own = self.column_order[rank + k];
            null[(own, k)] = self.column_scale[own];
            for (r, x) in x.into_iter().enumerate() {
                let to = self.column_order[r];
                null[(to, k)] = x * self.column_scale[to];
            }
            let most = (0..n).fold(0.0, |most: f64, r| most.max(null[(r, k)].abs()));
            (0..n).for_each(|r| null[(r, k)] = settled(null[(r, k)] / most));
        }
        null
    }

    /// Independent rows `y` with `y·M = 0`, of length about one.
    pub fn left_null(&self) -> Matrix {
        let (m, rank) = (self.lu.rows, self.rank);
        let mut null = Matrix::zeros(m - rank, m);
        for k in 0..m - rank {
            // y·L = e_k, from the last column of L back to the first.
            let mut y = vec![0.0; rank];
            for c in (0..rank).rev() {
                let known = self.lu[(rank + k, c)] + (c + 1..rank).map(|r| y[r] * self.lu[(r, c)]).sum::<f64>();
                y[c] = -known;
            }
            let own = self.row_order[rank + k];
            null[(k, own)] = self.row_scale[own];
            for (r, y) in y.into_iter().enumerate() {
                let to = self.row_order[r];
                null[(k, to)] = y * self.row_scale[to];
            }
            let most = null.row(k).iter().fold(0.0, |most: f64, e| most.max(e.abs()));
            null.row_mut(k).iter_mut().for_each(|e| *e = settled(*e / most));
        }
        null
    }
}

/// What rounding left of a zero is zero.
fn settled(entry: f64) -> f64 {
    if entry.abs() < 1e-14 { 0.0 } else { entry }
}

/// The power of two that brings a size nearest to one.
fn power_of_two(size: f64) -> f64 {
    if size > 0.0 && size.is_finite() { (-size.log2().round()).exp2() } else { 1.0 }
}

/// Coefficients of the Padé approximant of degree 13.
const PADE: [f64; 14] = [
    64_764_752_532_480_000.0,
    32_382_376_266_240_000.0,
    7_771_770_303_897_600.0,
    1_187_353_796_428_800.0,
    129_060_195_264_000.0,
    10_559_470_521_600.0,
    670_442_572_800.0,
    33_522_128_640.0,
    1_323_241_920.0,
    40_840_800.0,
    960_960.0,
    16_380.0,
    182.0,
    1.0,
];
/// Norm up to which that approximant is exact to rounding.
const PADE_REACH: f64 = 5.4;

/// `e^A − 1` by scaling and squaring with the Padé approximant of degree 13 (N. J. Higham, *The scaling and squaring method for
/// the matrix exponential revisited*, SIAM J. Matrix Anal. Appl. 26, 2005), after balancing by powers of two (B. N. Parlett &
/// C. Reinsch, Numer. Math. 13, 1969), so that units that differ by many decades cost no accuracy. The one is never added: of
/// what moves slowly beside something fast a doubled change is `2·E + E²`, where squaring `e^A` would leave rounding of the one, doubled
/// as often.
///
/// # Panics
/// If the matrix is not square.
pub fn exponential_less_one(matrix: &Matrix) -> Matrix {
    assert_eq!(matrix.rows, matrix.columns, "square");
    let n = matrix.rows;
    let (mut a, scale) = balanced(matrix);
    let norm = a.norm();
    let squarings = if norm > PADE_REACH { (norm / PADE_REACH).log2().ceil() as i32 } else { 0 };
    a = a.scaled((-f64::from(squarings)).exp2());
    let a2 = a.times(&a);
    let a4 = a2.times(&a2);
    let a6 = a4.times(&a2);
    let b = PADE;
    let sum = |terms: [(f64, &Matrix); 3], constant: f64| {
        let mut all = Matrix::identity(n).scaled(constant);
        terms.iter().for_each(|(factor, term)| all.add_scaled(*factor, term));
        all
    };
    let high = |k: usize| sum([(b[k], &a2), (b[k + 2], &a4), (b[k + 4], &a6)], 0.0);
    let mut odd = a6.times(&high(9));
    odd.add_scaled(1.0, &sum([(b[3], &a2), (b[5], &a4), (b[7], &a6)], b[1]));
    let odd = a.times(&odd);
    let mut even = a6.times(&high(8));
    even.add_scaled(1.0, &sum([(b[2], &a2), (b[4], &a4), (b[6], &a6)], b[0]));
    let mut below = even;
    below.add_scaled(-1.0, &odd);
    let mut result = Ranked::new(&below).solve(&odd.scaled(2.0));
    for _ in 0..squarings {
        result = one_after_the_other(&result, &result);
    }
    for r in 0..n {
        for c in 0..n {
            result[(r, c)] *= scale[r] / scale[c];
        }
    }
    result
}

/// `(1 + A)·(1 + B) − 1`: what changes by B and then by A.
pub fn one_after_the_other(then: &Matrix, first: &Matrix) -> Matrix {
    let mut both = then.times(first);
    both.add_scaled(1.0, then);
    both.add_scaled(1.0, first);
    both
}

/// `D⁻¹·A·D` with rows and columns of about one size, and the diagonal of D.
fn balanced(matrix: &Matrix) -> (Matrix, Vec<f64>) {
    let (n, mut a, mut scale) = (matrix.rows, matrix.clone(), vec![1.0; matrix.rows]);
    let mut moved = true;
    while std::mem::take(&mut moved) {
        for k in 0..n {
            let others = || (0..n).filter(|other| *other != k);
            let row: f64 = others().map(|c| a[(k, c)].abs()).sum();
            let column: f64 = others().map(|r| a[(r, k)].abs()).sum();
            if row == 0.0 || column == 0.0 {
                continue;
            }
            let factor = (0.5 * (row / column).log2()).round().exp2();
            if column * factor + row / factor < 0.95 * (column + row) {
                scale[k] *= factor;
                (0..n).for_each(|c| a[(k, c)] /= factor);
                (0..n).for_each(|r| a[(r, k)] *= factor);
                moved = true;
            }
        }
    }
    (a, scale)
}
