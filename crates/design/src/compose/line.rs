//! The add line: a part described in a short phrase, such as “capacitor 100u from out to gnd”.
//!
//! A phrase names a kind, then values, then nets: `from A to B` or `between A and B` for the first two pins,
//! `on A B C` for all of them in order, or a pin's name before its net. `name=value` sets any parameter.

use super::parts;
use crate::error::ComposeError;
use circuit::kinds::{Form, KINDS, Kind, Parameter, words};
use circuit::{GND, Part, Supply};
use quantity::{parse, show};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// What was understood of a phrase, and how it may go on.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[schemars(rename = "LineReading")]
pub struct Reading {
    /// What will be added, in words; none as long as it is not known what.
    pub summary: Option<String>,
    /// Why it cannot be added yet.
    pub problem: Option<String>,
    /// Ways to go on, the likeliest first.
    pub completions: Vec<Completion>,
}

/// A way to go on with a phrase.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Completion {
    /// The whole phrase as it would be.
    pub text: String,
    /// What stands for it in a list.
    pub shown: String,
}

/// Most completions offered at once.
const MOST: usize = 8;
/// Words behind which a net follows, beside the names of pins.
const BEFORE_NETS: [&str; 5] = ["from", "to", "between", "and", "on"];

/// A phrase taken apart.
struct Phrase {
    kind: &'static Kind,
    parameters: BTreeMap<String, String>,
    pins: BTreeMap<String, String>,
}

/// Reads a phrase; nothing is changed.
pub fn read_line(supply: &Supply, text: &str) -> Reading {
    let read = understand(text);
    let completions = completions(supply, text);
    match read {
        Ok(phrase) => Reading { summary: Some(summary(&phrase)), problem: None, completions },
        Err(problem) => Reading { summary: None, problem: Some(problem), completions },
    }
}

pub(super) fn add(supply: &mut Supply, text: &str, near: Option<(i32, i32)>) -> Result<(), ComposeError> {
    let phrase = understand(text).map_err(ComposeError::Line)?;
    // A part whose nets are there stands beside what it is joined to.
    let joined = |part: &Part| part.pins.values().any(|net| net != GND && phrase.pins.values().any(|n| n == net));
    let near = near.filter(|_| !supply.parts.iter().any(joined));
    let id = parts::add(supply, phrase.kind.id, None, near);
    let added = supply.parts.iter_mut().find(|p| p.id == id);
    if let Some(Part { parameters, pins, .. }) = added {
        (*parameters, *pins) = (phrase.parameters, phrase.pins);
    }
    Ok(())
}

fn words_of(name: &str) -> Vec<String> {
    name.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_lowercase).collect()
}

/// Kinds each of whose typed words begins a word of their name, or that go by a name which begins as typed; those with the
/// fewest words first.
fn kinds_like(typed: &[&str]) -> Vec<&'static Kind> {
    let typed: Vec<String> = typed.iter().flat_map(|t| words_of(t)).collect();
    let called = typed.join(" ");
    let like = |kind: &&Kind| {
        let name = words_of(kind.name);
        typed.iter().all(|t| name.iter().any(|word| word.starts_with(t.as_str())))
            || words(kind.id).iter().any(|word| word.starts_with(&called))
    };
    let mut found: Vec<&Kind> = KINDS.iter().filter(like).collect();
    found.sort_by_key(|kind| (!is_called(kind, &typed), words_of(kind.name).len()));
    found
}

/// Whether a kind is called just so, by its name or by another.
fn is_called(kind: &Kind, typed: &[String]) -> bool {
    words_of(kind.name) == typed || words(kind.id).contains(&typed.join(" ").as_str())
}

/// Kinds named at most where one is to be chosen.
const NAMED: usize = 6;

/// The kind a phrase begins with, and how many of its words name it. What may mean several is asked.
fn kind_of(phrase: &[&str]) -> Result<(&'static Kind, usize), String> {
    let of_kind = |word: &str| KINDS.iter().any(|kind| words(kind.id).iter().any(|w| w.split(' ').any(|w| w == word)));
    let stops = |word: &&str| (word.starts_with(|c: char| c.is_ascii_digit()) && !of_kind(word)) || word.contains('=');
    let end = phrase.iter().position(|w| stops(w) || BEFORE_NETS.contains(w)).unwrap_or(phrase.len());
    for n in (1..=end).rev() {
        let typed: Vec<String> = phrase[..n].iter().flat_map(|t| words_of(t)).collect();
        let found = kinds_like(&phrase[..n]);
        let Some(first) = found.first() else { continue };
        let named: Vec<&&Kind> = found.iter().filter(|kind| words_of(kind.name) == typed).collect();
        let so: Vec<&&Kind> = found.iter().filter(|kind| is_called(kind, &typed)).collect();
        let meant: Vec<&str> = match (&named[..], &so[..]) {
            ([one], _) | ([], [one]) => return Ok((one, n)),
            (_, []) => found.iter().map(|kind| kind.name).collect(),
            _ => so.iter().map(|kind| kind.name).collect(),
        };
        if meant.len() == 1 {
            return Ok((first, n));
        }
        let more = if meant.len() > NAMED { " or others" } else { "" };
        let listed = meant[..meant.len().min(NAMED)].join(" or ");
        return Err(format!("“{}” can be {listed}{more}; say which", phrase[..n].join(" ")));
    }
    Err(match phrase.first() {
        Some(word) => format!("no kind of part is called “{word}”; begin with one, such as resistor or capacitor"),
        None => "begin with a kind of part, such as resistor or capacitor".to_owned(),
    })
}

fn pin_like(kind: &Kind, word: &str) -> Option<&'static str> {
    kind.pins.iter().find(|p| p.id == word || p.name.eq_ignore_ascii_case(word)).map(|p| p.id)
}

fn understand(text: &str) -> Result<Phrase, String> {
    let words: Vec<&str> = text.split_whitespace().collect();
    let (kind, used) = kind_of(&words)?;
    let mut phrase = Phrase { kind, parameters: BTreeMap::new(), pins: BTreeMap::new() };
    let mut rest = words[used..].iter().copied().peekable();
    let mut on = None;
    while let Some(word) = rest.next() {
        if let Some((name, value)) = word.split_once('=') {
            let parameter = named(kind, name)?;
            phrase.parameters.insert(parameter.id.to_owned(), value.to_owned());
        } else if word == "on" {
            on = Some(0);
        } else if let Some(pin) =
            BEFORE_NETS.contains(&word).then(|| nth(kind, usize::from(word == "to" || word == "and")))
        {
            join(&mut phrase, pin?, rest.next(), word)?;
            on = None;
        } else if let (None, Some(pin)) = (on, pin_like(kind, word)) {
            join(&mut phrase, pin, rest.next(), word)?;
        } else if let Some(at) = on {
            join(&mut phrase, nth(kind, at)?, Some(word), "on")?;
            on = Some(at + 1);
        } else {
            let parameter = takes(kind, &phrase.parameters, word)?;
            phrase.parameters.insert(parameter.id.to_owned(), word.to_owned());
        }
    }
    Ok(phrase)
}

fn nth(kind: &'static Kind, at: usize) -> Result<&'static str, String> {
    let pin = kind.pins.get(at).map(|p| p.id);
    pin.ok_or_else(|| format!("a {} has {} pins only", kind.name.to_lowercase(), kind.pins.len()))
}

fn join(phrase: &mut Phrase, pin: &str, net: Option<&str>, before: &str) -> Result<(), String> {
    let net = net.ok_or_else(|| format!("a net must follow “{before}”"))?;
    if !net.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') {
        return Err(format!("“{net}” cannot name a net: use letters, digits and _ only"));
    }
    phrase.pins.insert(pin.to_owned(), net.to_owned());
    Ok(())
}

fn named(kind: &'static Kind, name: &str) -> Result<&'static Parameter, String> {
    let found = kind.parameters.iter().find(|p| p.id == name || p.id.replace('_', "") == name.replace('_', ""));
    found.ok_or_else(|| {
        let known: Vec<&str> = kind.parameters.iter().map(|p| p.id).collect();
        format!("a {} has no parameter {name}; its parameters are {}", kind.name.to_lowercase(), known.join(", "))
    })
}

/// The parameter a bare value is for: the first not yet given whose unit it can have, headlines before others.
fn takes(kind: &'static Kind, given: &BTreeMap<String, String>, word: &str) -> Result<&'static Parameter, String> {
    let fits = |p: &&Parameter| match p.form {
        Form::Quantity { unit, min, max, .. } => {
            !given.contains_key(p.id) && parse(word, unit).is_ok_and(|value| (min..=max).contains(&value))
        }
        _ => false,
    };
    let all = || kind.parameters.iter().filter(fits);
    let found = all().find(|p| p.headline).or_else(|| all().next());
    found.ok_or_else(|| format!("“{word}” is neither a value nor a net here; say from … to … for its nets"))
}

fn summary(phrase: &Phrase) -> String {
    let values = phrase.parameters.iter().map(|(id, text)| {
        let parameter = phrase.kind.parameter(id).map(|k| &phrase.kind.parameters[k]);
        let shown = match parameter.map(|p| &p.form) {
            Some(Form::Quantity { unit, .. }) => parse(text, *unit).ok().map(|value| show(value, *unit, 5)),
            _ => None,
        };
        let name = parameter.map_or(id.as_str(), |p| p.name);
        format!("{} {}", name.to_lowercase(), shown.as_ref().unwrap_or(text))
    });
    let nets = phrase.kind.pins.iter().map(|p| match phrase.pins.get(p.id) {
        Some(net) => format!("{} on {net}", p.name),
        None => format!("{} open", p.name),
    });
    let said: Vec<String> = values.chain(nets).collect();
    format!("{}: {}", phrase.kind.name, said.join(", "))
}

fn completions(supply: &Supply, text: &str) -> Vec<Completion> {
    let ends = text.is_empty() || text.ends_with(char::is_whitespace);
    let words: Vec<&str> = text.split_whitespace().collect();
    let (done, partial) = match words.split_last() {
        Some((last, before)) if !ends => (before, *last),
        _ => (&words[..], ""),
    };
    let with = |word: &str| {
        let start: Vec<&str> = done.iter().copied().chain([word]).collect();
        Completion { text: format!("{} ", start.join(" ")), shown: word.to_owned() }
    };
    let kind = kind_of(done);
    let after_net_word = done.last().is_some_and(|word| {
        BEFORE_NETS.contains(word)
            || kind.as_ref().is_ok_and(|(kind, used)| done.len() > *used && pin_like(kind, word).is_some())
    });
    if after_net_word {
        let nets: BTreeSet<&str> = supply.parts.iter().flat_map(|p| p.pins.values()).map(String::as_str).collect();
        let mut nets: Vec<&str> = nets.into_iter().chain([GND]).filter(|net| net.starts_with(partial)).collect();
        nets.dedup();
        return nets.into_iter().take(MOST).map(with).collect();
    }
    if let Ok((kind, _)) = kind {
        let last_net = done.iter().rev().nth(1).copied();
        let mut next: Vec<&str> = Vec::new();
        match last_net {
            Some("from") => next.push("to"),
            Some("between") => next.push("and"),
            _ if !done.iter().any(|w| BEFORE_NETS.contains(w)) => next.push("from"),
            _ => {}
        }
        if kind.pins.len() > 2 {
            next.extend(kind.pins.iter().map(|p| p.id).filter(|id| !done.contains(id)));
        }
        return next.into_iter().filter(|word| word.starts_with(partial)).take(MOST).map(with).collect();
    }
    let offer = |kind: &&Kind| {
        let shown = kind.name.to_lowercase().replace(',', "");
        Completion { text: format!("{shown} "), shown }
    };
    kinds_like(&words).iter().take(MOST).map(offer).collect()
}
