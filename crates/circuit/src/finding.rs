//! What is found wrong with a supply, each with its place and remedy.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// One thing found wrong with a supply.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Finding {
    /// Whether it blocks a run.
    pub severity: Severity,
    /// Name of the rule.
    pub rule: String,
    /// Where.
    pub place: Place,
    /// What is wrong, as a sentence without full stop.
    pub message: String,
    /// What to do, likewise.
    pub remedy: String,
}

impl Finding {
    /// Something worth a look.
    pub fn warning(rule: &str, place: Place, message: String, remedy: impl Into<String>) -> Self {
        Finding { severity: Severity::Warning, rule: rule.to_owned(), place, message, remedy: remedy.into() }
    }

    /// Something that blocks a run.
    pub(crate) fn error(rule: &str, place: Place, message: String, remedy: impl Into<String>) -> Self {
        Finding { severity: Severity::Error, ..Self::warning(rule, place, message, remedy) }
    }
}

/// How grave a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// Blocks a run.
    Error,
    /// Worth a look.
    Warning,
}

/// Where in the supply a finding lies.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "at", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Place {
    Supply,
    Source,
    Output { output: String },
    Value { value: String },
    Stage { stage: String },
    Part { part: String },
    Pin { part: String, pin: String },
    Parameter { part: String, parameter: String },
    Net { net: String },
    Study { study: String },
    Reading { reading: String },
    Requirement { requirement: String },
}

impl Place {
    pub(crate) fn part(id: &str) -> Self {
        Place::Part { part: id.to_owned() }
    }
    pub(crate) fn pin(part: &str, pin: &str) -> Self {
        Place::Pin { part: part.to_owned(), pin: pin.to_owned() }
    }
    pub(crate) fn parameter(part: &str, parameter: &str) -> Self {
        Place::Parameter { part: part.to_owned(), parameter: parameter.to_owned() }
    }
    pub(crate) fn value(name: &str) -> Self {
        Place::Value { value: name.to_owned() }
    }
    pub(crate) fn net(name: &str) -> Self {
        Place::Net { net: name.to_owned() }
    }
}

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Place::Supply => write!(f, "the supply"),
            Place::Source => write!(f, "the source"),
            Place::Output { output } => write!(f, "output {output}"),
            Place::Value { value } => write!(f, "design value {value}"),
            Place::Stage { stage } => write!(f, "stage {stage}"),
            Place::Part { part } => write!(f, "{part}"),
            Place::Pin { part, pin } => write!(f, "{part} pin {pin}"),
            Place::Parameter { part, parameter } => write!(f, "{part} {parameter}"),
            Place::Net { net } => write!(f, "net {net}"),
            Place::Study { study } => write!(f, "study {study}"),
            Place::Reading { reading } => write!(f, "reading {reading}"),
            Place::Requirement { requirement } => write!(f, "requirement {requirement}"),
        }
    }
}

impl std::fmt::Display for Finding {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let severity = if self.severity == Severity::Error { "error" } else { "warning" };
        write!(f, "{severity} at {}: {}. {}. [{}]", self.place, self.message, self.remedy, self.rule)
    }
}

/// Collects findings.
#[derive(Default)]
pub(crate) struct Findings {
    found: Vec<Finding>,
}

impl Findings {
    pub(crate) fn error(&mut self, rule: &str, place: Place, message: String, remedy: impl Into<String>) {
        self.found.push(Finding::error(rule, place, message, remedy));
    }

    pub(crate) fn warning(&mut self, rule: &str, place: Place, message: String, remedy: impl Into<String>) {
        self.found.push(Finding::warning(rule, place, message, remedy));
    }

    /// An error for every identifier that stands a second time.
    pub(crate) fn unique<'a>(&mut self, what: &str, ids: impl Iterator<Item = (&'a str, Place)>) {
        let mut seen = HashSet::new();
        for (id, place) in ids {
            if !seen.insert(id) {
                self.error(
                    "duplicate-name",
                    place,
                    format!("Two {what} are named {id}"),
                    "Give one of them another name",
                );
            }
        }
    }

    /// Takes over what was found elsewhere, as what blocks no run; the first that would have.
    pub(crate) fn take_lesser(&mut self, others: Findings) -> Option<String> {
        let first = others.found.iter().find(|f| f.severity == Severity::Error).map(|f| f.message.clone());
        self.found.extend(others.found.into_iter().map(|f| Finding { severity: Severity::Warning, ..f }));
        first
    }

    /// Whether anything found blocks a run.
    pub(crate) fn block(&self) -> bool {
        self.found.iter().any(|f| f.severity == Severity::Error)
    }

    pub(crate) fn into_sorted(mut self) -> Vec<Finding> {
        self.found.sort_by_key(|f| f.severity);
        self.found
    }
}
