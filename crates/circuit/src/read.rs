use crate::document::{FORMAT, Supply};
use crate::error::ReadError;
use serde::Deserialize;

#[derive(Deserialize)]
struct Header {
    mellow_coil: Option<u32>,
}

impl Supply {
    /// Reads a supply document.
    ///
    /// # Errors
    /// [`ReadError`] with line and column for damaged JSON, and with the path of the field for
    /// a document of the wrong shape, unknown fields included.
    pub fn from_json(text: &str) -> Result<Self, ReadError> {
        // Some editors begin a file with a byte-order mark, which is no part of the document.
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        // The version decides which fields are known, so it is looked at first.
        if let Ok(header) = serde_json::from_str::<Header>(text) {
            match header.mellow_coil {
                Some(found) if found > FORMAT => return Err(ReadError::Newer { found }),
                Some(FORMAT) | None => {}
                Some(_) => return Err(ReadError::Version),
            }
        }
        let mut json = serde_json::Deserializer::from_str(text);
        let supply = serde_path_to_error::deserialize(&mut json).map_err(|error| {
            let path = error.path().to_string();
            read_error(path, error.into_inner())
        })?;
        json.end().map_err(|error| read_error(".".into(), error))?;
        crate::limits::hold(&supply)?;
        Ok(supply)
    }

    /// Writes the document, indented, with a final newline.
    pub fn to_json(&self) -> String {
        let mut text = serde_json::to_string_pretty(self).unwrap_or_default();
        text.push('\n');
        text
    }

    /// The JSON Schema of the document.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Supply).to_value()
    }
}

/// What the JSON reader says, in the words of documents instead of those of programs.
fn in_our_words(message: &str) -> String {
    // What stands between backquotes is the document's own.
    let pieces = message.split('`').enumerate();
    let translated = pieces.map(|(k, piece)| if k % 2 == 0 { translated(piece) } else { piece.to_owned() });
    let mut words = translated.collect::<Vec<_>>().join("`");
    // Names of types say nothing to whoever writes the document.
    if let Some((before, name)) = words.split_once("struct ") {
        let rest = name.trim_start_matches(|c: char| c.is_alphanumeric() || c == '_');
        words = format!("{before}an object{rest}");
    }
    words
}

fn translated(message: &str) -> String {
    let mut words = message.to_owned();
    for (theirs, ours) in [
        ("invalid type: ", "found "),
        ("invalid value: ", "found "),
        (", expected ", " where there must be "),
        ("floating point", "number"),
        ("integer", "whole number"),
        ("sequence", "list"),
        ("a map", "an object"),
        ("map", "object"),
        ("struct variant ", "an object for "),
        ("internally tagged enum ", "an object for "),
        ("unit variant", "a word"),
        ("variant", "word"),
        ("string", "text"),
        ("boolean", "true or false:"),
        ("u32", "a whole number from 0"),
        ("i32", "a whole number"),
    ] {
        words = words.replace(theirs, ours);
    }
    words
}

fn read_error(path: String, error: serde_json::Error) -> ReadError {
    let (line, column) = (error.line(), error.column());
    let message = error.to_string();
    let message = in_our_words(message.split(" at line ").next().unwrap_or_default());
    if error.is_data() {
        ReadError::Shape { path: if path == "." { "the document".into() } else { path }, message }
    } else {
        ReadError::Syntax { message, line, column }
    }
}
