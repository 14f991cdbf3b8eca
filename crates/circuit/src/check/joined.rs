//! Groups of nets that hang together.

/// Disjoint sets of nets.
pub(super) struct Joined {
    parent: Vec<usize>,
}

impl Joined {
    pub(super) fn new(n: usize) -> Self {
        Joined { parent: (0..n).collect() }
    }

    pub(super) fn root(&mut self, mut i: usize) -> usize {
        while self.parent[i] != i {
            self.parent[i] = self.parent[self.parent[i]];
            i = self.parent[i];
        }
        i
    }

    /// Joins two sets; false if they were one already.
    pub(super) fn join(&mut self, a: usize, b: usize) -> bool {
        let (a, b) = (self.root(a), self.root(b));
        self.parent[a] = b;
        a != b
    }
}
