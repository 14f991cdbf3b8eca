//! What became of one version of a supply in another, in words.

use crate::Supply;
use serde_json::{Map, Value};

/// What changed from one version to the next, a phrase each, in the order of the document; empty if nothing
/// did. Parts that only moved in the drawing are counted together.
pub fn changes(before: &Supply, after: &Supply) -> Vec<String> {
    let mut found = Vec::new();
    let (mut added, mut removed, mut moved) = (Vec::new(), Vec::new(), Vec::new());
    let [before, after] = [before, after].map(|s| match serde_json::to_value(s) {
        Ok(Value::Object(fields)) => fields,
        _ => Map::new(),
    });
    for name in keys(&before, &after) {
        let (old, new) = (before.get(name), after.get(name));
        if old == new {
            continue;
        }
        let Some(noun) = noun(name) else {
            field(name, old, new, &mut found);
            continue;
        };
        let list = |value: Option<&Value>| value.and_then(Value::as_array).cloned().unwrap_or_default();
        let (old, new) = (list(old), list(new));
        for item in &new {
            match old.iter().find(|o| id(o) == id(item)) {
                None if name == "parts" => added.push(id(item)),
                None => found.push(format!("{noun} {} added", title(item))),
                Some(was) if was != item => inside(noun, was, item, &mut found, &mut moved),
                Some(_) => {}
            }
        }
        for gone in old.iter().filter(|o| !new.iter().any(|n| id(n) == id(o))) {
            if name == "parts" {
                removed.push(id(gone));
            } else {
                found.push(format!("{noun} {} removed", title(gone)));
            }
        }
    }
    for (parts, what) in [(added, "added"), (removed, "removed"), (moved, "moved in the drawing")] {
        match parts.len() {
            0 => {}
            1..=4 => found.push(format!("{} {what}", parts.join(", "))),
            n => found.push(format!("{n} parts {what}")),
        }
    }
    found
}

fn keys<'a>(before: &'a Map<String, Value>, after: &'a Map<String, Value>) -> Vec<&'a str> {
    let new = after.keys().filter(|key| !before.contains_key(*key));
    before.keys().chain(new).map(String::as_str).collect()
}

/// What an item of a list is called; none for what is no list of named things.
fn noun(list: &str) -> Option<&'static str> {
    Some(match list {
        "outputs" => "output",
        "values" => "design value",
        "stages" => "stage",
        "parts" => "",
        "studies" => "study",
        "readings" => "reading",
        "requirements" => "requirement",
        _ => return None,
    })
}

fn text(item: &Value, key: &str) -> Option<String> {
    item.get(key).and_then(Value::as_str).map(str::to_owned)
}

fn id(item: &Value) -> String {
    text(item, "id").or_else(|| text(item, "name")).unwrap_or_default()
}

fn title(item: &Value) -> String {
    text(item, "title").unwrap_or_else(|| id(item))
}

/// What changed within one item of a list.
fn inside(noun: &str, old: &Value, new: &Value, found: &mut Vec<String>, moved: &mut Vec<String>) {
    let (Some(before), Some(after)) = (old.as_object(), new.as_object()) else { return };
    let name = format!("{noun} {}", title(new));
    let mut own = Vec::new();
    for key in keys(before, after) {
        let (a, b) = (before.get(key), after.get(key));
        match key {
            _ if a == b => {}
            "at" => moved.push(id(new)),
            // What sizing wrote follows from what it set.
            "sized" | "generic" | "role" => {}
            "bypassed" => own.push(if b.is_some() { "bypassed".into() } else { "no longer bypassed".into() }),
            _ => field(key, a, b, &mut own),
        }
    }
    match own.len() {
        0 => {}
        1..=3 => found.push(format!("{} {}", name.trim(), own.join(", "))),
        n => found.push(format!("{} {}, and {} more", name.trim(), own[..2].join(", "), n - 2)),
    }
}

/// A field's old and new value, or the entries of a map that differ.
fn field(key: &str, old: Option<&Value>, new: Option<&Value>, found: &mut Vec<String>) {
    let words = key.replace('_', " ");
    let empty = Map::new();
    let map = |value: Option<&Value>| value.is_some_and(Value::is_object);
    if (map(old) || old.is_none()) && (map(new) || new.is_none()) {
        let of = |value: Option<&'_ Value>| value.and_then(Value::as_object).cloned().unwrap_or_else(|| empty.clone());
        let (old, new) = (of(old), of(new));
        for inner in keys(&old, &new) {
            let (a, b) = (old.get(inner), new.get(inner));
            if a != b {
                let name = inner.replace('_', " ");
                let name = match key {
                    "parameters" | "choices" => name,
                    "pins" => format!("pin {name}"),
                    "ratings" => format!("rated {name}"),
                    _ => format!("{words} {name}"),
                };
                found.push(format!("{name} {}", became(a, b)));
            }
        }
    } else {
        found.push(format!("{words} {}", became(old, new)));
    }
}

fn became(old: Option<&Value>, new: Option<&Value>) -> String {
    match (short(old), short(new)) {
        (Some(a), Some(b)) => format!("{a} → {b}"),
        (None, Some(b)) => format!("set to {b}"),
        (Some(a), None) => format!("{a} taken back"),
        (None, None) => "changed".to_owned(),
    }
}

/// A value in a word or two; none for what is too long to say.
fn short(value: Option<&Value>) -> Option<String> {
    match value? {
        Value::String(text) if text.chars().count() <= 40 => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        Value::Bool(flag) => Some(if *flag { "yes" } else { "no" }.to_owned()),
        _ => None,
    }
}
