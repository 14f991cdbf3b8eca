//! Expressions of any shape mean what they would on paper: held against a tree that was written down before its text was.

use mellow_circuit::expression::{evaluate, names_in, work_out};
use mellow_circuit::{Dimensioned, Quantity, Signal, Term};
use proptest::prelude::*;
use quantity::Unit;

/// Names, what they stand for, and powers of volt, ampere and second.
const NAMES: [(&str, f64, Unit, [f64; 3]); 7] = [
    ("v", 12.0, Unit::Volt, [1.0, 0.0, 0.0]),
    ("V_line2", 230.0, Unit::Volt, [1.0, 0.0, 0.0]),
    ("i", 0.5, Unit::Ampere, [0.0, 1.0, 0.0]),
    ("t", 1e-3, Unit::Second, [0.0, 0.0, 1.0]),
    ("p", 6.5, Unit::Watt, [1.0, 1.0, 0.0]),
    ("x", 0.25, Unit::One, [0.0; 3]),
    ("maxi", 3.0, Unit::One, [0.0; 3]),
];

#[derive(Clone, Debug)]
enum Tree {
    Number(u32, usize),
    Name(usize),
    Minus(Box<Tree>),
    Two(char, Box<Tree>, Box<Tree>),
    Root(Box<Tree>),
    Size(Box<Tree>),
    Least(Box<Tree>, Box<Tree>),
}

/// How numbers are written, and by how much that multiplies them.
const WRITTEN: [(&str, f64); 6] = [("", 1.0), ("k", 1e3), ("m", 1e-3), ("u", 1e-6), ("e2", 1e2), (".5e-1", f64::NAN)];

fn tree() -> impl Strategy<Value = Tree> {
    let leaf = prop_oneof![
        (1u32..1000, 0..WRITTEN.len()).prop_map(|(digits, written)| Tree::Number(digits, written)),
        (0..NAMES.len()).prop_map(Tree::Name),
    ];
    leaf.prop_recursive(5, 24, 2, |inner| {
        let boxed = move || inner.clone().prop_map(Box::new);
        prop_oneof![
            4 => (prop::sample::select(vec!['+', '-', '*', '/']), boxed(), boxed()).prop_map(|(o, a, b)| Tree::Two(o, a, b)),
            1 => (boxed(), 1u32..4).prop_map(|(a, n)| Tree::Two('^', a, Box::new(Tree::Number(n, 0)))),
            1 => boxed().prop_map(Tree::Minus),
            1 => boxed().prop_map(Tree::Root),
            1 => boxed().prop_map(Tree::Size),
            1 => (boxed(), boxed()).prop_map(|(a, b)| Tree::Least(a, b)),
        ]
    })
}

impl Tree {
    /// Number and powers of base units; none if units forbid it.
    fn worth(&self) -> Option<(f64, [f64; 3])> {
        let alike = |a: [f64; 3], b: [f64; 3]| (a == b).then_some(a);
        Some(match self {
            Tree::Number(digits, written) => {
                let value = match WRITTEN[*written].1 {
                    times if times.is_nan() => (f64::from(*digits) + 0.5) * 0.1,
                    times => f64::from(*digits) * times,
                };
                (value, [0.0; 3])
            }
            Tree::Name(k) => (NAMES[*k].1, NAMES[*k].3),
            Tree::Minus(a) => a.worth().map(|(a, unit)| (-a, unit))?,
            Tree::Size(a) => a.worth().map(|(a, unit)| (a.abs(), unit))?,
            Tree::Root(a) => a.worth().map(|(a, unit)| (a.sqrt(), unit.map(|e| e / 2.0)))?,
            Tree::Least(a, b) => {
                let ((a, ua), (b, ub)) = (a.worth()?, b.worth()?);
                (a.min(b), alike(ua, ub)?)
            }
            Tree::Two(operator, a, b) => {
                let ((a, ua), (b, ub)) = (a.worth()?, b.worth()?);
                let each = |f: fn(f64, f64) -> f64| [0, 1, 2].map(|k| f(ua[k], ub[k]));
                match operator {
                    '+' => (a + b, alike(ua, ub)?),
                    '-' => (a - b, alike(ua, ub)?),
                    '*' => (a * b, each(|a, b| a + b)),
                    '/' => (a / b, each(|a, b| a - b)),
                    _ => (a.powf(b), ua.map(|e| e * b)),
                }
            }
        })
    }

    /// How tightly it holds together: sums least, what stands by itself most.
    fn binds(&self) -> u8 {
        match self {
            Tree::Two('+' | '-', ..) => 0,
            Tree::Two('*' | '/', ..) => 1,
            Tree::Minus(_) => 2,
            Tree::Two(..) => 3,
            _ => 4,
        }
    }

    /// Its text, with no more parentheses than it needs, but for those that chance adds.
    fn text(&self, chance: &mut impl FnMut() -> u32) -> String {
        let mut within = |tree: &Tree, least: u8| {
            let text = tree.text(chance);
            let more = chance().is_multiple_of(5);
            if tree.binds() < least || more { format!("({text})") } else { text }
        };
        match self {
            Tree::Number(digits, written) => format!("{digits}{}", WRITTEN[*written].0),
            Tree::Name(k) => NAMES[*k].0.to_owned(),
            Tree::Minus(a) => format!("-{}", within(a, 2)),
            Tree::Root(a) => format!("sqrt({})", within(a, 0)),
            Tree::Size(a) => format!("abs({})", within(a, 0)),
            Tree::Least(a, b) => format!("min({}, {})", within(a, 0), within(b, 0)),
            Tree::Two(operator, a, b) => {
                // To the left the same may follow without parentheses, to the right it may not; of powers it is the other way round.
                let (left, right) = match operator {
                    '+' | '-' => (0, 1),
                    '*' | '/' => (1, 2),
                    _ => (4, 3),
                };
                let (a, b) = (within(a, left), within(b, right));
                let space = [" ", "", "  "][chance() as usize % 3];
                // Right behind a number's exponent a sign would belong to it.
                let space = if space.is_empty() && a.ends_with(['e', 'E']) { " " } else { space };
                format!("{a}{space}{operator}{space}{b}")
            }
        }
    }
}

/// Powers that have a half at most, as units can be kept.
fn is_kept(unit: [f64; 3]) -> bool {
    unit.iter().all(|e| (2.0 * e).fract() == 0.0 && e.abs() < 50.0)
}

/// Whether every part of a tree has powers that can be kept.
fn all_kept(tree: &Tree) -> bool {
    let inner = match tree {
        Tree::Number(..) | Tree::Name(_) => true,
        Tree::Minus(a) | Tree::Root(a) | Tree::Size(a) => all_kept(a),
        Tree::Two(_, a, b) | Tree::Least(a, b) => all_kept(a) && all_kept(b),
    };
    inner && tree.worth().is_none_or(|(_, unit)| is_kept(unit))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    /// Numbers and units come out as on paper, or it is said which units do not go together.
    #[test]
    fn a_text_is_worth_what_its_tree_is(tree in tree(), seed in any::<u64>()) {
        prop_assume!(all_kept(&tree));
        let mut state = seed;
        let mut chance = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (state >> 33) as u32
        };
        let text = tree.text(&mut chance);
        let lookup = |name: &str| {
            let found = NAMES.iter().find(|known| known.0 == name);
            found.map(|known| Dimensioned::new(known.1, known.2)).ok_or_else(|| format!("no {name}"))
        };
        let found = work_out(&text, &lookup);
        let plain = work_out::<f64>(&text, &|name| lookup(name).map(|known| known.value));
        match tree.worth() {
            Some((value, unit)) => {
                let found = found.map_err(|error| TestCaseError::fail(format!("{text}: {error}")))?;
                let close = |found: f64| found == value || (found - value).abs() <= 1e-12 * value.abs() || found.is_nan() && value.is_nan();
                prop_assert!(close(found.value), "{}: {} for {}", text, found.value, value);
                prop_assert!(close(plain.clone().unwrap()), "{}: {:?} for {}", text, plain, value);
                // The unit is that of a known product.
                let product = NAMES[..6].iter().find(|known| known.3 == unit);
                if let Some(known) = product {
                    prop_assert_eq!(found.unit(), Some(known.2), "{}", text);
                }
            }
            None => {
                let error = found.map(|found| found.value).expect_err(&text);
                let says = ["cannot be added", "cannot be subtracted", "cannot be compared"];
                prop_assert!(says.iter().any(|says| error.message.contains(says)), "{}: {}", text, error);
                prop_assert!(error.at < text.chars().count());
                // Without units there is nothing against it.
                prop_assert!(plain.is_ok(), "{}: {:?}", text, plain);
            }
        }
        let mut mentioned = names_in(&text);
        prop_assert!(mentioned.all(|name| ["sqrt", "abs", "min"].contains(&name) || lookup(name).is_ok() || name.len() < 3), "{}", text);
    }

    /// A character lost or changed is never worth a panic, and the place that is named lies within the text.
    #[test]
    fn a_damaged_text_says_where(tree in tree(), at in any::<prop::sample::Index>(), by in "[-+*/^(),. a0]?") {
        let whole = tree.text(&mut || 1);
        let mut text: Vec<char> = whole.chars().collect();
        let place = at.index(text.len());
        text.splice(place..=place, by.chars());
        let text: String = text.into_iter().collect();
        let lookup = |name: &str| NAMES.iter().find(|known| known.0 == name).map(|known| known.1);
        if let Err(error) = evaluate(&text, Unit::One, &lookup) {
            prop_assert!(error.at <= text.chars().count() && !error.message.is_empty(), "{}: {:?}", text, error);
        }
    }

    /// A signal is read as it is written, whatever stands between its terms.
    #[test]
    fn signals_are_read_as_they_are_written(
        terms in prop::collection::vec((any::<bool>(), "[A-Za-z][A-Za-z0-9_]{0,6}"), 1..5), kind in 0..3usize, spaces in " {0,2}",
    ) {
        let quantity = [Quantity::Voltage, Quantity::Current, Quantity::Power][kind];
        let terms: Vec<Term> = terms.into_iter().map(|(negative, of)| Term { negative, of, quantity }).collect();
        let signal = Signal { terms };
        let text = signal.to_string();
        prop_assert_eq!(Signal::parse(&text).unwrap(), signal.clone(), "{}", text);
        let wide: String = text.chars().map(|c| if c == ' ' { format!(" {spaces}") } else { c.to_string() }).collect();
        prop_assert_eq!(Signal::parse(&wide).unwrap(), signal.clone(), "{}", wide);
        // Volts and amperes are not added.
        let other = ["i", "v", "v"][kind];
        let error = Signal::parse(&format!("{text} + R1.{other}")).unwrap_err();
        prop_assert!(error.at >= text.chars().count() && !error.message.is_empty(), "{}", error);
    }
}
