//! How models take part in the equations: what they ask for while they are built, and what they add
//! at every evaluation.

/// Index of a matrix entry in the order it was asked for.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Entry(pub(crate) usize);

/// Where a junction's voltage is remembered between iterations.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Junction(usize);

/// A junction whose exponential needs care.
pub(crate) struct Exponential {
    /// Present voltage, V.
    pub(crate) voltage: f64,
    /// Voltage over which the current grows by e, V.
    pub(crate) slope: f64,
    /// Voltage from which on a rise is limited, V.
    pub(crate) critical: f64,
    /// Whether a series resistance is part of it.
    pub(crate) resistive: bool,
}

/// Hands out unknowns and matrix entries while the models are built.
pub(crate) struct Layout {
    /// By index; the first is `gnd`.
    pub(crate) unknowns: Vec<Unknown>,
    pub(crate) entries: Vec<(usize, usize)>,
    pub(crate) windings: Vec<usize>,
    /// Matrix entries that take derivatives of charges that are not linear.
    pub(crate) charged: Vec<usize>,
    /// Count of remembered junction voltages.
    pub(crate) junctions: usize,
}

/// What an unknown is.
#[derive(Clone, Debug)]
pub(crate) enum Unknown {
    /// Voltage of a net.
    Net(String),
    /// Current of a part.
    Branch(String),
    /// Voltage inside a part.
    Inner(String),
    /// Another quantity of a part, such as its temperature.
    Other(String),
}

impl Layout {
    /// A new branch current.
    pub(crate) fn branch(&mut self, part: &str) -> usize {
        self.unknowns.push(Unknown::Branch(part.to_owned()));
        self.unknowns.len() - 1
    }

    /// A new voltage inside a part; its row is the sum of currents there.
    pub(crate) fn inner(&mut self, part: &str) -> usize {
        self.unknowns.push(Unknown::Inner(part.to_owned()));
        self.unknowns.len() - 1
    }

    /// A new unknown of any other kind.
    pub(crate) fn other(&mut self, part: &str) -> usize {
        self.unknowns.push(Unknown::Other(part.to_owned()));
        self.unknowns.len() - 1
    }

    /// A matrix entry for the derivative of a charge that is not linear.
    pub(crate) fn charge(&mut self, row: usize, column: usize) -> Entry {
        let entry = self.entry(row, column);
        self.charged.push(entry.0);
        entry
    }

    /// A place to remember a junction's voltage in.
    pub(crate) fn junction(&mut self) -> Junction {
        self.junctions += 1;
        Junction(self.junctions - 1)
    }

    /// A new branch current that is a state: that of an inductor or winding.
    pub(crate) fn winding(&mut self, part: &str) -> usize {
        let branch = self.branch(part);
        self.windings.push(branch);
        branch
    }

    /// The matrix entry at row and column.
    pub(crate) fn entry(&mut self, row: usize, column: usize) -> Entry {
        self.entries.push((row, column));
        Entry(self.entries.len() - 1)
    }

    /// The four entries of a conductance between two nets.
    pub(crate) fn between(&mut self, a: usize, b: usize) -> [Entry; 4] {
        [self.entry(a, a), self.entry(b, b), self.entry(a, b), self.entry(b, a)]
    }

    /// The entries of a branch current that flows from `a` to `b`, and of the voltage between
    /// them in the branch's row.
    pub(crate) fn incidence(&mut self, a: usize, b: usize, branch: usize) -> [Entry; 4] {
        [self.entry(a, branch), self.entry(b, branch), self.entry(branch, a), self.entry(branch, b)]
    }
}

/// Collects the constant entries.
pub(crate) struct Constants<'a> {
    pub(crate) slots: &'a [usize],
    pub(crate) g: &'a mut [f64],
    pub(crate) c: &'a mut [f64],
}

impl Constants<'_> {
    /// Adds to ∂f/∂x.
    pub(crate) fn g(&mut self, entry: Entry, value: f64) {
        self.g[self.slots[entry.0]] += value;
    }
    /// Adds to ∂q/∂x.
    pub(crate) fn c(&mut self, entry: Entry, value: f64) {
        self.c[self.slots[entry.0]] += value;
    }
    pub(crate) fn conductance(&mut self, [aa, bb, ab, ba]: [Entry; 4], value: f64) {
        self.g(aa, value);
        self.g(bb, value);
        self.g(ab, -value);
        self.g(ba, -value);
    }
    pub(crate) fn incidence(&mut self, [a_branch, b_branch, branch_a, branch_b]: [Entry; 4]) {
        self.g(a_branch, 1.0);
        self.g(b_branch, -1.0);
        self.g(branch_a, 1.0);
        self.g(branch_b, -1.0);
    }
}

/// A matrix being built, and what the iteration it belongs to remembers.
#[derive(Clone, Debug)]
pub(crate) struct Matrix {
    /// Factor of ∂q/∂x.
    pub(crate) alpha: f64,
    /// `alpha·∂q/∂x + ∂f/∂x`, slot by slot.
    pub(crate) values: Vec<f64>,
    /// The part of ∂q/∂x that is not constant.
    pub(crate) charges: Vec<f64>,
    /// Voltages of junctions at the last iteration, V.
    pub(crate) junctions: Vec<f64>,
    /// Whether a junction was evaluated elsewhere than the unknowns say.
    pub(crate) limited: bool,
}

/// Collects what varies with time and unknowns during one evaluation.
pub(crate) struct Stamps<'a> {
    pub(crate) slots: &'a [usize],
    pub(crate) f: &'a mut [f64],
    pub(crate) q: &'a mut [f64],
    pub(crate) matrix: Option<&'a mut Matrix>,
    /// Factor on every independent source, for source stepping.
    pub(crate) source_scale: f64,
    /// Conductance across every junction, S.
    pub(crate) gmin: f64,
    /// Whether no time passes.
    pub(crate) resting: bool,
}

impl Stamps<'_> {
    /// Adds to f of a row: a current leaving a net, or a branch row's value.
    pub(crate) fn current(&mut self, row: usize, value: f64) {
        self.f[row] += value;
    }

    /// Adds to the charge or flux of a row.
    pub(crate) fn charge(&mut self, row: usize, value: f64) {
        self.q[row] += value;
    }

    /// Whether derivatives are wanted.
    pub(crate) fn wants_slopes(&self) -> bool {
        self.matrix.is_some()
    }

    /// Adds to ∂f/∂x.
    pub(crate) fn slope(&mut self, entry: Entry, value: f64) {
        if let Some(matrix) = self.matrix.as_deref_mut() {
            matrix.values[self.slots[entry.0]] += value;
        }
    }

    /// Adds to ∂q/∂x, at an entry that was asked for as a charge's.
    pub(crate) fn capacitance(&mut self, entry: Entry, value: f64) {
        if let Some(matrix) = self.matrix.as_deref_mut() {
            let slot = self.slots[entry.0];
            matrix.values[slot] += matrix.alpha * value;
            matrix.charges[slot] += value;
        }
    }

    pub(crate) fn conductance(&mut self, [aa, bb, ab, ba]: [Entry; 4], value: f64) {
        if let Some(matrix) = self.matrix.as_deref_mut() {
            matrix.values[self.slots[aa.0]] += value;
            matrix.values[self.slots[bb.0]] += value;
            matrix.values[self.slots[ab.0]] -= value;
            matrix.values[self.slots[ba.0]] -= value;
        }
    }

    /// The voltage to evaluate a junction at: near the conducting end an iterate may rise by no
    /// more than a few slopes of the exponential at once (L. W. Nagel, Memorandum ERL-M520,
    /// University of California, Berkeley, 1975).
    pub(crate) fn junction(&mut self, Junction(place): Junction, v: f64, exponential: &Exponential) -> f64 {
        let Exponential { slope, critical, resistive, .. } = *exponential;
        let Some(matrix) = self.matrix.as_deref_mut() else { return v };
        let old = matrix.junctions[place];
        let at = if v <= critical || (v - old).abs() <= 2.0 * slope {
            v
        } else if resistive {
            // Its resistance bounds the current further up; only the knee must not be jumped over.
            if old < critical { critical } else { v }
        } else if old > 0.0 {
            let rise = 1.0 + (v - old) / slope;
            if rise > 0.0 { old + slope * rise.ln() } else { critical }
        } else {
            slope * (v / slope).ln()
        };
        matrix.junctions[place] = at;
        matrix.limited |= at != v;
        at
    }
}
