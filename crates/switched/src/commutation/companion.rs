//! A path to the regions in which every guard holds, where changing what does not hold leads nowhere.
//!
//! The circuit is taken a very short time on by one step of backward Euler, which makes it a network of resistances and picks up
//! what flows in inductors and stands on capacitors. Every element is moved aside by a source of its own, so far that its guards
//! hold where the path begins. As the sources are taken back together, the solution moves along straight lines; where a guard is
//! met its element goes to the region beyond, and the line goes on there, also with the sources growing for a while. That is
//! Lemke's method, written for elements of any number of pieces (C. E. Lemke, *Bimatrix equilibrium points and mathematical
//! programming*, Management Science 11, 1965; R. W. Cottle, J.-S. Pang & R. E. Stone, *The Linear Complementarity Problem*, 1992;
//! for pieces J. Katzenelson, *An algorithm for solving nonlinear resistor networks*, Bell Syst. Tech. J. 44, 1965; from
//! memory). It ends at a solution on every passive network of elements of two pieces if no two guards are met at once; that none are,
//! is seen to by sources of unlike sizes in place of a lexicographic order. With more pieces, or parts that amplify, it may lead nowhere.

use crate::network::row::{Of, Row};
use crate::network::{Changes, Guard, Network};
use linear::{Matrix, Ranked};

/// Lines followed at most, per element and in any case.
const LINES: usize = 20;
const LEAST_LINES: usize = 100;
/// Leakage of what is open, S: it only says where floats what nothing holds, and what is found is judged without it.
const LEAKAGE: f64 = 1e-8;
/// Part of what a guard is made of that its element is moved beyond it, about.
const ASIDE: f64 = 0.1;
/// Slopes along a line below this, relative to the largest of what they are made of, are none.
const LEVEL: f64 = 1e-10;

/// A circuit one step on.
pub(super) struct Companion<'a> {
    network: &'a Network,
    before: &'a [f64],
    step: f64,
    /// Inputs at the end of the step.
    inputs: Vec<f64>,
}

/// What an element is moved aside by: multiples of what is solved for and of states.
type Aside = Vec<(Of, f64)>;

/// A place on the path: what is solved for, then states, last how far elements are moved aside, from one to zero.
type Place = Vec<f64>;

impl<'a> Companion<'a> {
    /// For a step, s.
    pub(super) fn new(network: &'a Network, before: &'a [f64], step: f64) -> Self {
        let states = network.states.len();
        let mut inputs = before[states..].to_vec();
        let mut first = 0;
        for course in &network.courses {
            for (r, c, rate) in course.rates() {
                inputs[first + r] += step * rate * before[states + first + c];
            }
            first += course.size();
        }
        Companion { network, before, step, inputs }
    }

    /// Follows the path that begins in some regions to where nothing is moved aside; none if it does not lead there.
    pub(super) fn follow(&self, begun: &[u8]) -> Option<Vec<u8>> {
        let mut regions = begun.to_vec();
        let none = vec![Aside::new(); regions.len()];
        let mut place = self.solved(&regions, &none)?;
        let aside = self.aside(&regions, &place);
        place.push(1.0);
        // The guard an element came through, by the region behind it.
        let mut through: Option<(usize, usize)> = None;
        for _ in 0..LEAST_LINES.max(LINES * regions.len()) {
            let mut line = self.line(&regions, &aside)?;
            let last = line.len() - 1;
            let entered = through.and_then(|(element, from)| {
                let guard = self.guards(&regions, element).iter().find(|guard| guard.then.to == from)?;
                let (slope, size) = self.value(&guard.holds, &aside[element], &line, false);
                (slope.abs() > LEVEL * size).then_some(slope)
            });
            let turns = entered.map_or(line[last] > 0.0, |slope| slope < 0.0);
            if turns {
                line.iter_mut().for_each(|l| *l = -*l);
            }
            let end = if line[last] < 0.0 { -place[last] / line[last] } else { f64::INFINITY };
            let mut nearest = (end, None);
            for (element, aside) in aside.iter().enumerate() {
                for guard in self.guards(&regions, element) {
                    let to = guard.then.to;
                    if through == Some((element, to)) && entered.is_some() {
                        continue;
                    }
                    let (slope, size) = self.value(&guard.holds, aside, &line, false);
                    if slope < -LEVEL * size {
                        let at = self.value(&guard.holds, aside, &place, true).0.max(0.0) / -slope;
                        if at < nearest.0 {
                            nearest = (at, Some((element, to)));
                        }
                    }
                }
            }
            let (length, met) = nearest;
            if !length.is_finite() {
                return None;
            }
            place.iter_mut().zip(&line).for_each(|(place, line)| *place += length * line);
            let Some((element, to)) = met else { return Some(regions) };
            through = Some((element, usize::from(regions[element])));
            regions[element] = to as u8;
        }
        None
    }

    fn guards(&self, regions: &[u8], element: usize) -> &'a [Guard] {
        let of = &self.network.elements[element];
        if of.changes == Changes::Continuously { &of.regions[usize::from(regions[element])].guards } else { &[] }
    }

    fn index(&self, of: Of) -> Option<usize> {
        match of {
            Of::Net(0) | Of::Input(_) => None,
            Of::Net(net) => Some(net - 1),
            Of::Current(current) => Some(self.network.nets.len() - 1 + current),
            Of::State(state) => Some(self.network.unknowns() + state),
        }
    }

    /// A row at a place or along a line, and the size of what it is made of.
    fn value(&self, row: &Row, aside: &Aside, place: &[f64], with_inputs: bool) -> (f64, f64) {
        let (mut sum, mut size) = (0.0, 0.0f64);
        for (of, factor) in &row.0 {
            let value = match (of, self.index(*of)) {
                (_, Some(index)) => place[index],
                (Of::Input(input), _) if with_inputs => self.inputs[*input],
                _ => 0.0,
            };
            let moved = aside.iter().find(|(moved, _)| moved == of).map_or(0.0, |(_, by)| by * place[place.len() - 1]);
            sum += factor * (value + moved);
            size += (factor * value).abs() + (factor * moved).abs();
        }
        (sum, size)
    }

    /// The equations with each element in a region: a column for all that is sought, one for how far elements are moved aside, and
    /// one for what is given.
    fn equations(&self, regions: &[u8], aside: &[Aside]) -> Matrix {
        let network = self.network;
        let (unknowns, states) = (network.unknowns(), network.states.len());
        let (sought, count) = (unknowns + states, network.relations.len() + network.leaving.len() - 1);
        let mut equations = Matrix::zeros(count + states, sought + 2);
        let nothing = Aside::new();
        let mut relations: Vec<(&Row, &Aside)> = network.relations.iter().map(|(_, row)| (row, &nothing)).collect();
        let mut rates: Vec<(&Row, &Aside)> = network.states.iter().map(|(_, rate)| (rate, &nothing)).collect();
        let mut open = Vec::new();
        for ((element, region), aside) in network.elements.iter().zip(regions).zip(aside) {
            let region = &element.regions[usize::from(*region)];
            region.relations.iter().for_each(|(index, row)| relations[*index] = (row, aside));
            region.rates.iter().for_each(|(index, row)| rates[*index] = (row, aside));
            open.extend(region.open.as_ref().and_then(|open| Some((region.relations.first()?.0, open))));
        }
        let rows = relations.into_iter().chain(network.leaving.iter().skip(1).map(|row| (row, &nothing)));
        for (r, (row, aside)) in rows.enumerate() {
            self.add(&mut equations, r, (row, aside), 1.0);
        }
        for (relation, across) in open {
            self.add(&mut equations, relation, (across, &nothing), -LEAKAGE);
        }
        for (state, (rate, aside)) in rates.into_iter().enumerate() {
            let row = count + state;
            equations[(row, unknowns + state)] += 1.0;
            equations[(row, sought + 1)] -= self.before[state];
            self.add(&mut equations, row, (rate, aside), -self.step);
        }
        equations
    }

    fn add(&self, equations: &mut Matrix, r: usize, (row, aside): (&Row, &Aside), factor: f64) {
        let sought = equations.columns() - 2;
        for (of, by) in &row.0 {
            match (of, self.index(*of)) {
                (_, Some(index)) => equations[(r, index)] += factor * by,
                (Of::Input(input), _) => equations[(r, sought + 1)] += factor * by * self.inputs[*input],
                _ => {}
            }
            if let Some((_, moved)) = aside.iter().find(|(moved, _)| moved == of) {
                equations[(r, sought)] += factor * by * moved;
            }
        }
    }

    /// The solution with nothing moved aside; none if there is not one.
    fn solved(&self, regions: &[u8], none: &[Aside]) -> Option<Place> {
        let equations = self.equations(regions, none);
        let sought = equations.columns() - 2;
        let (mut left, mut right) = (Matrix::zeros(equations.rows(), sought), Matrix::zeros(equations.rows(), 1));
        for r in 0..equations.rows() {
            left.row_mut(r).copy_from_slice(&equations.row(r)[..sought]);
            right[(r, 0)] = -equations[(r, sought + 1)];
        }
        let ranked = Ranked::new(&left);
        let solution = ranked.solve(&right);
        (ranked.rank() == sought).then(|| (0..sought).map(|k| solution[(k, 0)]).collect())
    }

    /// The way the solution goes as elements are moved aside; none if there is not exactly one.
    fn line(&self, regions: &[u8], aside: &[Aside]) -> Option<Vec<f64>> {
        let equations = self.equations(regions, aside);
        let columns = equations.columns() - 1;
        let mut along = Matrix::zeros(equations.rows(), columns);
        (0..equations.rows()).for_each(|r| along.row_mut(r).copy_from_slice(&equations.row(r)[..columns]));
        let ways = Ranked::new(&along).right_null();
        (ways.columns() == 1).then(|| (0..columns).map(|k| ways[(k, 0)]).collect())
    }

    /// How far each element is moved aside where the path begins, so that what guards its region holds, each by another part of its
    /// size: the shortest way along which its own relations stay as they are.
    fn aside(&self, regions: &[u8], place: &Place) -> Vec<Aside> {
        let mut begins = place.clone();
        begins.push(0.0);
        let none = Aside::new();
        let each = self.network.elements.iter().enumerate().map(|(element, of)| {
            let guards = self.guards(regions, element);
            let values: Vec<(f64, f64)> =
                guards.iter().map(|guard| self.value(&guard.holds, &none, &begins, true)).collect();
            let Some(worst) = (0..guards.len()).min_by(|a, b| values[*a].0.total_cmp(&values[*b].0)) else {
                return none.clone();
            };
            // Some number between one and two, another for every element.
            let unlike = 1.0 + (0.618_033_988_749_895 * (element + 1) as f64).fract();
            let (value, size) = values[worst];
            let far = ASIDE * unlike * if size > 0.0 { size } else { 1.0 };
            let room =
                values.iter().enumerate().filter(|(k, _)| *k != worst).map(|(_, (other, _))| 0.5 * (other + value));
            let beyond = room.fold(far, f64::min);
            let by = if value < 0.0 { beyond - value } else { 0.1 * beyond };
            let region = &of.regions[usize::from(regions[element])];
            shortest(region.relations.iter().map(|(_, row)| row), &guards[worst].holds, by)
        });
        each.collect()
    }
}

/// The least change of what a guard is made of that leaves some rows as they are and adds to the guard.
fn shortest<'r>(kept: impl Iterator<Item = &'r Row>, guard: &'r Row, by: f64) -> Aside {
    let rows: Vec<&Row> = kept.chain([guard]).collect();
    let mut of: Vec<Of> = Vec::new();
    for (coordinate, _) in rows.iter().flat_map(|row| &row.0) {
        if !matches!(coordinate, Of::Net(0) | Of::Input(_)) && !of.contains(coordinate) {
            of.push(*coordinate);
        }
    }
    let mut matrix = Matrix::zeros(rows.len(), of.len());
    for (r, row) in rows.iter().enumerate() {
        for (coordinate, factor) in &row.0 {
            if let Some(c) = of.iter().position(|known| known == coordinate) {
                matrix[(r, c)] += factor;
            }
        }
    }
    let mut normal = Matrix::zeros(rows.len(), rows.len());
    for r in 0..rows.len() {
        for c in 0..rows.len() {
            normal[(r, c)] = linear::dot(matrix.row(r), matrix.row(c));
        }
    }
    let mut wanted = Matrix::zeros(rows.len(), 1);
    wanted[(rows.len() - 1, 0)] = by;
    let weights = Ranked::new(&normal).solve(&wanted);
    let moved = |c: usize| (0..rows.len()).map(|r| weights[(r, 0)] * matrix[(r, c)]).sum::<f64>();
    of.iter().enumerate().map(|(c, coordinate)| (*coordinate, moved(c))).collect()
}
